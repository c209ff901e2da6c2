//! As the program's own tests call it, so that their laws can be used as they are.

/// How a command ended and what it said.
pub struct Answer {
    pub code: i32,
    pub out: String,
    pub err: String,
}
