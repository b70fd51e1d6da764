//! What a build wrote: the file that lets the next one remove what nothing makes any more.

use std::collections::BTreeMap;

/// The outputs of a build by path, with the hash of their bytes (xxh3, 64 bits); `None` while
/// a build is under way, when either the old or the new bytes may stand there.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Manifest {
    /// Path below `out/` to hash.
    pub files: BTreeMap<String, Option<u64>>,
}

const HEAD: &str = "tabulae manifest 1";

impl Manifest {
    /// The manifest as text: a line that names the form, a line for each file, and a line with
    /// a checksum of those above it.
    #[must_use]
    pub fn to_text(&self) -> String {
        let mut text = format!("{HEAD}\n");
        for (path, hash) in &self.files {
            let hash = hash.map_or_else(|| "-".repeat(16), |hash| format!("{hash:016x}"));
            text.push_str(&format!(
                "{hash} {}\n",
                path.replace('\\', "\\\\").replace('\n', "\\n")
            ));
        }
        text.push_str(&format!("{:016x} end\n", checksum(text.as_bytes())));
        text
    }

    /// Reads a manifest; `None` where it is damaged or of another version.
    #[must_use]
    pub fn from_text(text: &str) -> Option<Self> {
        let body_end = text.trim_end_matches('\n').rfind('\n')? + 1;
        let (body, end) = text.split_at(body_end);
        let sum = end.strip_suffix(" end\n")?;
        if u64::from_str_radix(sum, 16).ok()? != checksum(body.as_bytes()) {
            return None;
        }
        let mut lines = body.lines();
        if lines.next()? != HEAD {
            return None;
        }
        let mut files = BTreeMap::new();
        for line in lines {
            let (hash, path) = line.split_once(' ')?;
            let hash = u64::from_str_radix(hash, 16).ok();
            files.insert(path.replace("\\n", "\n").replace("\\\\", "\\"), hash);
        }
        Some(Self { files })
    }
}

/// The hash of an output's bytes.
#[must_use]
pub fn checksum(bytes: &[u8]) -> u64 {
    xxhash_rust::xxh3::xxh3_64(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn sample() -> Manifest {
        let files = [("a/index.html", Some(7)), ("b c.xml", None)];
        Manifest {
            files: files.map(|(path, hash)| (path.to_owned(), hash)).into(),
        }
    }

    #[test]
    fn what_is_written_is_read_again() {
        assert_eq!(Manifest::from_text(&sample().to_text()), Some(sample()));
    }

    #[rstest]
    #[case::empty(|_: &str| String::new())]
    #[case::cut(|text: &str| text[..text.len() / 2].to_owned())]
    #[case::changed(|text: &str| text.replace("b c", "b d"))]
    #[case::other_version(|text: &str| text.replace("manifest 1", "manifest 2"))]
    fn a_damaged_manifest_is_none(#[case] damage: fn(&str) -> String) {
        assert_eq!(Manifest::from_text(&damage(&sample().to_text())), None);
    }
}
