//! The content of outputs, compared and copied piece by piece.

use std::fmt;
use std::io::{self, Read};

use crate::fingerprint::{checksum, checksum_of};

/// The file at an output's path, compared with the output's content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// Nothing.
    Nothing,
    /// A regular file with the same bytes.
    Same,
    /// A regular file with other bytes.
    Different,
    /// A symbolic link, or a pipe, a socket, a device.
    Other,
}

/// Opens a file from its beginning.
pub type Opener<'a> = dyn Fn() -> io::Result<Box<dyn Read + 'a>> + 'a;

/// The content of an output.
#[derive(Clone, Copy)]
pub enum Content<'a> {
    /// Bytes in memory.
    Bytes(&'a [u8]),
    /// A file that is too large to be read whole.
    File {
        /// The path below the site's folder.
        source: &'a str,
        /// The length in bytes.
        length: u64,
        /// The function that opens it.
        open: &'a Opener<'a>,
    },
}

/// The size of the pieces in which files are read, in bytes.
const PIECE: usize = 1 << 16;

impl Content<'_> {
    /// Returns the length in bytes.
    #[must_use]
    pub fn length(&self) -> u64 {
        match self {
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::File { length, .. } => *length,
        }
    }

    /// Returns the checksum of the bytes (xxh3, 64 bits).
    ///
    /// # Errors
    /// If the file cannot be read.
    pub fn checksum(&self) -> io::Result<u64> {
        match self {
            Self::Bytes(bytes) => Ok(checksum(bytes)),
            Self::File { open, .. } => checksum_of(io::BufReader::with_capacity(PIECE, open()?)),
        }
    }

    /// Writes the bytes piece by piece.
    ///
    /// # Errors
    /// If the file cannot be read, or `to` not written to.
    pub fn copy_to(&self, to: &mut dyn io::Write) -> io::Result<()> {
        match self {
            Self::Bytes(bytes) => to.write_all(bytes),
            Self::File { open, .. } => {
                io::copy(&mut io::BufReader::with_capacity(PIECE, open()?), to).map(|_| ())
            }
        }
    }

    /// Returns true if `other` has the same bytes and no more.
    ///
    /// # Errors
    /// If a file cannot be read.
    pub fn equals(&self, other: &mut dyn Read) -> io::Result<bool> {
        let mut compared = Compared {
            other,
            is_same: true,
        };
        self.copy_to(&mut compared)?;
        let is_same = compared.is_same;
        Ok(is_same && other.read(&mut [0])? == 0)
    }
}

impl fmt::Debug for Content<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} bytes", self.length())
    }
}

/// Compares what is written with the bytes of a file.
struct Compared<'a> {
    other: &'a mut dyn Read,
    is_same: bool,
}

impl io::Write for Compared<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut there = [0; PIECE];
        let there = &mut there[..bytes.len().min(PIECE)];
        if self.is_same {
            self.is_same = match self.other.read_exact(there) {
                Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => false,
                read => read.map(|()| *there == bytes[..there.len()])?,
            };
        }
        Ok(there.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::publish::{Destination, DiskOutput, MemoryOutput};
    use rstest::rstest;
    use tabulae_core::route::OutputPath;

    /// The file `a` is compared with an output that is longer than two pieces.
    #[rstest]
    #[case::nothing(|_: &[u8]| None, Found::Nothing)]
    #[case::the_same(|bytes: &[u8]| Some(bytes.to_vec()), Found::Same)]
    #[case::shorter(|bytes: &[u8]| Some(bytes[1..].to_vec()), Found::Different)]
    #[case::longer(|bytes: &[u8]| Some([bytes, b"x"].concat()), Found::Different)]
    #[case::the_last_byte(|bytes: &[u8]| Some([&bytes[1..], b"x"].concat()), Found::Different)]
    #[case::empty(|_: &[u8]| Some(Vec::new()), Found::Different)]
    fn an_output_is_compared_with_what_is_there(
        #[case] there: fn(&[u8]) -> Option<Vec<u8>>,
        #[case] expected: Found,
        #[values(false, true)] on_disk: bool,
        #[values(false, true)] is_file: bool,
    ) {
        let bytes: Vec<u8> = std::iter::repeat_n(7, 2 * PIECE + 10).collect();
        let folder = tempfile::tempdir().unwrap();
        let mut memory = MemoryOutput::default();
        let state = folder.path().join(".tabulae");
        let mut disk = DiskOutput::new(folder.path()).unwrap().state(state);
        if let Some(there) = there(&bytes) {
            std::fs::write(folder.path().join("a"), &there).unwrap();
            memory.put("a", there);
        }
        let output: &mut dyn Destination = if on_disk { &mut disk } else { &mut memory };
        let open = || Ok(Box::new(io::Cursor::new(&bytes)) as Box<dyn Read>);
        let content = if is_file {
            let length = bytes.len() as u64;
            Content::File {
                source: "assets/a",
                length,
                open: &open,
            }
        } else {
            Content::Bytes(&bytes)
        };
        assert_eq!(
            output
                .compare(&OutputPath::new("a").unwrap(), &content)
                .unwrap(),
            expected
        );
        assert_eq!(content.checksum().unwrap(), checksum(&bytes));
        // What is staged and published is the same.
        output.lock().unwrap();
        output
            .stage(&OutputPath::new("a").unwrap(), &content)
            .unwrap();
        output.publish(&OutputPath::new("a").unwrap()).unwrap();
        assert_eq!(
            output
                .compare(&OutputPath::new("a").unwrap(), &content)
                .unwrap(),
            Found::Same
        );
    }
}
