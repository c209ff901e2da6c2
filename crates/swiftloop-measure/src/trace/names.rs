//! Names, each kept once: of threads, interrupts, functions. A name is a number that is looked up again when something
//! is said. However many threads a trace has, no more than [`MOST`] names are kept; the rest share one.

use std::collections::HashMap;

/// Names that are kept.
pub const MOST: usize = 1 << 17;
/// Bytes of a name that are kept.
const LONGEST: usize = 96;

/// A name, for [`Names::get`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Name(u32);

impl Name {
    /// Its number: small, and the same for the same name of one trace.
    #[must_use]
    pub fn number(self) -> u32 {
        self.0
    }
}

/// All names of a trace.
#[derive(Debug, Clone)]
pub struct Names {
    all: Vec<Box<str>>,
    numbers: HashMap<Box<str>, u32, fast::Build>,
}

impl Default for Names {
    fn default() -> Self {
        let mut names = Self { all: Vec::new(), numbers: HashMap::default() };
        names.of("");
        names.of("(one of too many names)");
        names
    }
}

impl Names {
    /// The number of a name; of one too many that of the rest.
    pub fn of(&mut self, text: &str) -> Name {
        if let Some(number) = self.numbers.get(text) {
            return Name(*number);
        }
        if self.all.len() >= MOST {
            return Name(1);
        }
        let mut end = text.len().min(LONGEST);
        while !text.is_char_boundary(end) {
            end -= 1;
        }
        let kept = &text[..end];
        if let Some(number) = self.numbers.get(kept) {
            return Name(*number);
        }
        let number = self.all.len() as u32;
        self.all.push(kept.into());
        self.numbers.insert(kept.into(), number);
        Name(number)
    }

    #[must_use]
    pub fn get(&self, name: Name) -> &str {
        self.all.get(name.0 as usize).map_or("", |n| n)
    }
}

/// A hash for short texts: names come a million times a second, and nobody chooses them to do harm within the cap.
mod fast {
    use std::hash::{BuildHasherDefault, Hasher};

    pub type Build = BuildHasherDefault<Fnv>;

    /// Fowler, Noll and Vo's hash (1a, 64 bits), eight bytes at a time.
    pub struct Fnv(u64);

    impl Default for Fnv {
        fn default() -> Self {
            Self(0xcbf2_9ce4_8422_2325)
        }
    }

    impl Hasher for Fnv {
        fn finish(&self) -> u64 {
            self.0 ^ (self.0 >> 32)
        }

        fn write(&mut self, bytes: &[u8]) {
            for chunk in bytes.chunks(8) {
                let mut eight = [0; 8];
                eight[..chunk.len()].copy_from_slice(chunk);
                self.0 = (self.0 ^ u64::from_le_bytes(eight)).wrapping_mul(0x0000_0100_0000_01b3);
                self.0 ^= self.0 >> 29;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_keeps_its_number_and_too_many_share_one() {
        let mut names = Names::default();
        let first = names.of("lto cgu.01");
        assert_eq!((names.of("lto cgu.01"), names.get(first)), (first, "lto cgu.01"));
        let all: Vec<Name> = (0..MOST).map(|n| names.of(&n.to_string())).collect();
        assert_eq!(names.get(all[17]), "17");
        assert_eq!(names.get(all[MOST - 1]), "(one of too many names)");
        assert_eq!(names.of("lto cgu.01"), first);
        // A long one is cut between two letters.
        let mut few = Names::default();
        let long = few.of(&"ü".repeat(90));
        assert_eq!(few.get(long), "ü".repeat(LONGEST / 2));
    }
}
