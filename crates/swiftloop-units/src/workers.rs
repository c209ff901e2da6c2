//! Who does the work when there is a lot of it: the core takes no threads of its own, it is given some.

/// Whoever does the work: the core takes no threads of its own.
pub trait Workers {
    /// Maps `items`, in order, in whatever way.
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R>;
}

/// One thing after the other.
#[derive(Debug, Clone, Copy)]
pub struct OneByOne;

impl Workers for OneByOne {
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
        items.into_iter().map(each).collect()
    }
}
