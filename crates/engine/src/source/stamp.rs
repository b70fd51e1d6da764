//! Stamps that tell whether a file changed, without reading it.

use std::time::{Duration, SystemTime, UNIX_EPOCH};

use serde::{Deserialize, Serialize};

use crate::fingerprint::checksum;

/// The stamp of a file: if it is the same, so are the bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileStamp {
    /// The length in bytes.
    pub length: u64,
    /// The time of the last change in nanoseconds since 1970; in memory the hash of the bytes.
    pub changed: u64,
}

impl FileStamp {
    /// Returns the stamp of a file on disk: on Unix by the change time of its inode, which no program can set.
    #[must_use]
    pub fn of(found: &std::fs::Metadata) -> Self {
        Self {
            length: found.len(),
            changed: changed(found),
        }
    }

    /// Returns the stamp of bytes in memory.
    #[must_use]
    pub fn of_bytes(bytes: &[u8]) -> Self {
        Self {
            length: bytes.len() as u64,
            changed: checksum(bytes),
        }
    }

    /// Returns `None` if the file changed less than a tick of the file system's clock ago.
    pub(super) fn settled(self) -> Option<Self> {
        let now = SystemTime::now().duration_since(UNIX_EPOCH).ok()?;
        let tick = Duration::from_millis(50);
        (Duration::from_nanos(self.changed) + tick < now).then_some(self)
    }
}

#[cfg(unix)]
fn changed(found: &std::fs::Metadata) -> u64 {
    use std::os::unix::fs::MetadataExt;
    let nanoseconds = found.ctime() * 1_000_000_000 + found.ctime_nsec();
    nanoseconds.unsigned_abs()
}

#[cfg(not(unix))]
fn changed(found: &std::fs::Metadata) -> u64 {
    let modified = found.modified().ok();
    let since = modified.and_then(|time| time.duration_since(UNIX_EPOCH).ok());
    since.map_or(0, |since| {
        u64::try_from(since.as_nanos()).unwrap_or(u64::MAX)
    })
}
