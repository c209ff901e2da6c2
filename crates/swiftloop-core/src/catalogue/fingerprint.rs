//! What tells two libraries, or two settings of one processor, apart: sixteen bytes of the SHA-256 of all that they are made of.

use sha2::{Digest, Sha256};
use std::fmt::Write as _;

/// Bytes that are kept: no two of anybody's libraries share them.
const KEPT: usize = 16;

/// A hash in the making.
#[derive(Debug, Clone, Default)]
pub struct Fingerprint(Sha256);

impl Fingerprint {
    /// Of these bytes.
    #[must_use]
    pub fn of(bytes: &[u8]) -> String {
        let mut all = Self::default();
        all.add(bytes);
        all.told()
    }

    pub fn add(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    /// As it is written.
    #[must_use]
    pub fn told(self) -> String {
        self.0.finalize()[..KEPT].iter().fold(String::new(), |mut text, byte| {
            let _ = write!(text, "{byte:02x}");
            text
        })
    }
}

#[cfg(test)]
mod tests {
    use super::Fingerprint;

    #[test]
    fn it_is_the_beginning_of_the_standard_hash() {
        // FIPS 180-4, the example "abc".
        assert_eq!(Fingerprint::of(b"abc"), "ba7816bf8f01cfea414140de5dae2223");
        let mut parts = Fingerprint::default();
        parts.add(b"a");
        parts.add(b"bc");
        assert_eq!(parts.told(), Fingerprint::of(b"abc"));
    }
}
