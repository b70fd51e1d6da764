//! Fingerprints: hashes of several parts, and checksums of bytes (xxh3, 64 bits).

use std::io::{self, Read, Write};

use xxhash_rust::xxh3::Xxh3Default;

/// A hash of parts that are added one after the other.
pub(crate) struct Fingerprint(Xxh3Default);

impl Fingerprint {
    pub(crate) fn new() -> Self {
        Self(Xxh3Default::new())
    }

    /// Returns the hash of numbers, in their order.
    pub(crate) fn of(numbers: impl IntoIterator<Item = u64>) -> u64 {
        let mut all = Self::new();
        for number in numbers {
            all.number(number);
        }
        all.done()
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

/// A writer that computes the checksum of what is written through it.
pub(crate) struct Summed<W> {
    to: W,
    sum: Xxh3Default,
}

impl<W: Write> Summed<W> {
    pub(crate) fn new(to: W) -> Self {
        Self {
            to,
            sum: Xxh3Default::new(),
        }
    }

    /// Returns the inner writer and the checksum.
    pub(crate) fn done(self) -> (W, u64) {
        (self.to, self.sum.digest())
    }
}

impl<W: Write> Write for Summed<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.to.write(bytes)?;
        self.sum.update(&bytes[..written]);
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.to.flush()
    }
}

/// Returns the hash of an output's or a source's bytes (xxh3, 64 bits).
#[must_use]
pub(crate) fn checksum(bytes: &[u8]) -> u64 {
    xxhash_rust::xxh3::xxh3_64(bytes)
}

/// Returns the checksum of what a reader has.
///
/// # Errors
/// If reading fails.
pub(crate) fn checksum_of(mut reader: impl Read) -> io::Result<u64> {
    let mut sum = Summed::new(io::sink());
    io::copy(&mut reader, &mut sum)?;
    Ok(sum.done().1)
}

/// Returns the hash of a text.
pub(crate) fn hash(text: &str) -> u64 {
    checksum(text.as_bytes())
}
