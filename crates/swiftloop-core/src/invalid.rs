//! What is wrong with a description: where (a path of keys and positions) and what, as data.
//! The file layer turns the path into line and column, the program says what it means and what to do.

use crate::contradiction::Contradiction;

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
#[derive(Debug, Clone, PartialEq)]
pub struct Invalid {
    /// Where, from the outermost table inwards.
    pub path: Vec<PathStep>,
    pub why: Contradiction,
}

impl Invalid {
    /// An error at the outermost level; [`Invalid::under`] adds the way to it from inside out.
    pub fn new(why: impl Into<Contradiction>) -> Self {
        Self { path: Vec::new(), why: why.into() }
    }

    /// The path as it is written: `phase[2].limits_ms.ada`; empty at the outermost level.
    #[must_use]
    pub fn place(&self) -> String {
        let mut place = String::new();
        for step in &self.path {
            let dot = if place.is_empty() { "" } else { "." };
            match step {
                PathStep::Key(key) => place.extend([dot, key]),
                PathStep::Named(key) => place.extend([dot, key]),
                PathStep::At(n) => place.push_str(&format!("[{n}]")),
            }
        }
        place
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
