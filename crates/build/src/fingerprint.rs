//! Hashes of what is made of several parts (xxh3, 64 bits).

use xxhash_rust::xxh3::Xxh3Default;

/// A hash under way.
pub(crate) struct Fingerprint(Xxh3Default);

impl Fingerprint {
    pub(crate) fn new() -> Self {
        Self(Xxh3Default::new())
    }

    pub(crate) fn number(&mut self, number: u64) -> &mut Self {
        self.0.update(&number.to_le_bytes());
        self
    }

    pub(crate) fn text(&mut self, text: &str) -> &mut Self {
        self.number(text.len() as u64);
        self.0.update(text.as_bytes());
        self
    }

    pub(crate) fn done(&self) -> u64 {
        self.0.digest()
    }
}
