//! What is wrong with a description: where (a path of keys and positions), what, and what to do about it.
//! The core knows the meaning and the path, the file layer turns the path into line and column.

use std::fmt;

/// One step of the way to a value in a description.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PathStep {
    /// A key of a table.
    Key(&'static str),
    /// A key the user made up (a performer's id in a table of limits).
    Named(String),
    /// A position in a list, from zero.
    At(usize),
}

/// A description that cannot be true.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub struct Invalid {
    /// Where, from the outermost table inwards.
    pub path: Vec<PathStep>,
    /// What is wrong, in one sentence without a full stop.
    pub what: String,
    /// What to do, in one sentence without a full stop.
    pub help: String,
}

impl Invalid {
    /// An error at the outermost level; [`Invalid::under`] adds the way to it from inside out.
    pub fn new(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self { path: Vec::new(), what: what.into(), help: help.into() }
    }

    /// The same error, one table further out.
    #[must_use]
    pub fn under(mut self, place: PathStep) -> Self {
        self.path.insert(0, place);
        self
    }

    /// The same error at key `key` of this table.
    #[must_use]
    pub fn at(self, key: &'static str) -> Self {
        self.under(PathStep::Key(key))
    }

    /// The same error at position `index` of list `key`.
    #[must_use]
    pub fn in_list(self, key: &'static str, index: usize) -> Self {
        self.under(PathStep::At(index)).under(PathStep::Key(key))
    }
}

impl fmt::Display for Invalid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, place) in self.path.iter().enumerate() {
            match place {
                PathStep::Key(k) => write!(f, "{}{k}", if i > 0 { "." } else { "" })?,
                PathStep::Named(k) => write!(f, "{}{k}", if i > 0 { "." } else { "" })?,
                PathStep::At(n) => write!(f, "[{n}]")?,
            }
        }
        if !self.path.is_empty() {
            f.write_str(": ")?;
        }
        f.write_str(&self.what)
    }
}
