//! The manifest: the files that a build published, so that the next one can remove those that are no outputs
//! any more.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::{self, BufWriter, Write};

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;
use tabulae_core::addresses::{Address, AddressKind, AddressList};
use tabulae_core::route::OutputPath;

use crate::fingerprint::{Fingerprint, Summed, checksum};
use crate::options::BuildPart;

/// The outputs of a build by path, with their checksums (xxh3, 64 bits). `None` is a file in progress, which
/// has either the old or the new bytes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Manifest {
    /// Path below `out/` to hash, in the order of the paths.
    pub files: IndexMap<OutputPath, Option<u64>, FxBuildHasher>,
    /// The addresses that readers notice; `None` if a build of an earlier program did not note them.
    pub addresses: Option<BTreeMap<String, Address>>,
    /// By which ids readers of feeds know the posts, by the posts' paths.
    pub published: BTreeMap<String, Published>,
    /// The part of the outputs that was built; all if `None`.
    pub part: Option<BuildPart>,
}

/// The ids of a post in feeds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Published {
    /// The fingerprint by which the post is recognised when its file is renamed.
    pub mark: u64,
    /// The ids, the latest last.
    pub ids: Vec<String>,
}

const HEAD: &str = "tabulae manifest 3";

/// The form before, without addresses.
const HEAD_WITHOUT_ADDRESSES: &str = "tabulae manifest 2";

/// The start of the line with the part that was built.
const PART: &str = "part ";

/// The start of a line with an address and what is there.
const AT: &str = "at ";

/// The start of a line with a post's ids; the others begin with a checksum.
const IDS: &str = "ids ";

impl Manifest {
    /// The manifest as text: a line that names the form, a line for each file, one for each post
    /// that was in a feed, and a line with a checksum of those above it.
    #[must_use]
    pub fn to_text(&self) -> String {
        let mut text = Vec::new();
        // Nothing fails in memory.
        let _ = self.write(&mut text);
        String::from_utf8(text).unwrap_or_default()
    }

    /// Writes the same line by line.
    ///
    /// # Errors
    /// Where `to` cannot be written to.
    pub fn write(&self, to: &mut dyn Write) -> io::Result<()> {
        let mut to = BufWriter::with_capacity(1 << 16, Summed::new(to));
        let head = match self.addresses {
            Some(_) => HEAD,
            None => HEAD_WITHOUT_ADDRESSES,
        };
        writeln!(to, "{head}")?;
        if let Some(part) = self.part {
            writeln!(to, "{PART}{part}")?;
        }
        for (path, hash) in &self.files {
            match hash {
                Some(hash) => writeln!(to, "{hash:016x} {}", escape(path))?,
                None => writeln!(to, "---------------- {}", escape(path))?,
            }
        }
        for (at, address) in self.addresses.iter().flatten() {
            write!(to, "{AT}{} {}", address.kind.name(), escape(at))?;
            if let Some(post) = &address.post {
                write!(to, "\t{}", escape(post))?;
            }
            writeln!(to)?;
        }
        for (path, Published { mark, ids }) in &self.published {
            write!(to, "{IDS}{mark:016x} {}", escape(path))?;
            for id in ids {
                write!(to, "\t{}", escape(id))?;
            }
            writeln!(to)?;
        }
        let (to, sum) = to.into_inner()?.done();
        writeln!(to, "{sum:016x} end")
    }

    /// Returns the manifest with files that a build was putting in place.
    #[must_use]
    pub fn with_in_progress(mut self, paths: &[OutputPath]) -> Self {
        let unknown = paths.iter().map(|path| (path.clone(), None));
        self.files.extend(unknown);
        self.files.sort_unstable_keys();
        self
    }

    /// Returns the checksum of an output as it was published; `None` if it is not known.
    #[must_use]
    pub fn hash_of(&self, path: &OutputPath) -> Option<u64> {
        self.files.get(path).copied().flatten()
    }

    /// Returns the addresses that readers notice, if they are known.
    #[must_use]
    pub fn address_list(&self) -> Option<AddressList> {
        let ids = self.published.iter();
        let ids = ids.filter_map(|(path, known)| Some((path.clone(), known.ids.last()?.clone())));
        Some(AddressList {
            addresses: self.addresses.clone()?,
            feed_ids: ids.collect(),
        })
    }

    /// Returns the fingerprint of the whole.
    #[must_use]
    pub fn digest(&self) -> u64 {
        let mut all = Fingerprint::new();
        let part = self.part.map(|part| part.to_string());
        all.text(part.as_deref().unwrap_or_default());
        for (path, hash) in &self.files {
            all.text(path).number(u64::from(hash.is_some()));
            all.number(hash.unwrap_or_default());
        }
        for (at, address) in self.addresses.iter().flatten() {
            all.text(at).text(address.kind.name());
            all.text(address.post.as_deref().unwrap_or_default());
        }
        for (path, Published { mark, ids }) in &self.published {
            all.text(path).number(*mark).number(ids.len() as u64);
            for id in ids {
                all.text(id);
            }
        }
        all.done()
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
        let mut manifest = match lines.next()? {
            HEAD => Self {
                addresses: Some(BTreeMap::new()),
                ..Self::default()
            },
            HEAD_WITHOUT_ADDRESSES => Self::default(),
            _ => return None,
        };
        for line in lines {
            if let Some(rest) = line.strip_prefix(AT) {
                let (kind, rest) = rest.split_once(' ')?;
                let kind = AddressKind::named(kind)?;
                let mut texts = rest.split('\t').map(unescape);
                let at = texts.next()?;
                let post = texts.next();
                let address = Address { kind, post };
                manifest.addresses.as_mut()?.insert(at, address);
                continue;
            }
            if let Some(part) = line.strip_prefix(PART) {
                manifest.part = Some(part.parse().ok()?);
                continue;
            }
            if let Some(rest) = line.strip_prefix(IDS) {
                let (mark, rest) = rest.split_once(' ')?;
                let mark = u64::from_str_radix(mark, 16).ok()?;
                let mut texts = rest.split('\t').map(unescape);
                let path = texts.next()?;
                let ids = texts.collect();
                manifest.published.insert(path, Published { mark, ids });
                continue;
            }
            let (hash, path) = line.split_once(' ')?;
            let hash = u64::from_str_radix(hash, 16).ok();
            // A path that leads out of the folder was not written by any build.
            if let Ok(path) = OutputPath::new(&unescape(path)) {
                manifest.files.insert(path, hash);
            }
        }
        Some(manifest)
    }
}

/// A text that holds neither a line's end nor a tab.
fn escape(text: &str) -> Cow<'_, str> {
    if !text.contains(['\\', '\n', '\t']) {
        return text.into();
    }
    let text = text.replace('\\', "\\\\");
    text.replace('\n', "\\n").replace('\t', "\\t").into()
}

fn unescape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text.chars();
    while let Some(c) = rest.next() {
        out.extend(match c {
            '\\' => rest.next().map(|c| match c {
                'n' => '\n',
                't' => '\t',
                c => c,
            }),
            c => Some(c),
        });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn sample() -> Manifest {
        let path = |text: &str| OutputPath::new(text).unwrap();
        let files = [(path("a/index.html"), Some(7)), (path("b c.xml"), None)];
        let odd = "posts/a\tb\\n\nc.md".to_owned();
        let ids = ["https://x.example/a/", "tag:x.example,2026:\\t"];
        let published = Published {
            mark: 7,
            ids: ids.map(str::to_owned).into(),
        };
        let address = |kind, post: Option<&str>| Address {
            kind,
            post: post.map(str::to_owned),
        };
        let addresses = [
            ("/a/\n", address(AddressKind::Post, Some("posts/a\tb.md"))),
            ("/b c.xml", address(AddressKind::Feed, None)),
        ];
        let addresses = addresses.map(|(at, address)| (at.to_owned(), address));
        Manifest {
            files: files.into_iter().collect(),
            addresses: Some(addresses.into()),
            published: [(odd, published)].into(),
            part: BuildPart::new(3, 8),
        }
    }

    #[test]
    fn what_is_written_is_read_again() {
        assert_eq!(Manifest::from_text(&sample().to_text()), Some(sample()));
    }

    #[test]
    fn a_manifest_of_an_earlier_program_has_no_addresses() {
        let body = format!("{HEAD_WITHOUT_ADDRESSES}\n{:016x} b\n", 2);
        let text = format!("{body}{:016x} end\n", checksum(body.as_bytes()));
        let manifest = Manifest::from_text(&text).unwrap();
        assert_eq!((manifest.files.len(), manifest.address_list()), (1, None));
    }

    #[test]
    fn a_path_that_leads_out_is_not_read() {
        let body = format!("{HEAD}\n{:016x} ../a\n{:016x} b\n", 1, 2);
        let text = format!("{body}{:016x} end\n", checksum(body.as_bytes()));
        let files: Vec<_> = Manifest::from_text(&text)
            .unwrap()
            .files
            .into_keys()
            .collect();
        assert_eq!(files, [OutputPath::new("b").unwrap()]);
    }

    #[rstest]
    #[case::empty(|_: &str| String::new())]
    #[case::cut(|text: &str| text[..text.len() / 2].to_owned())]
    #[case::changed(|text: &str| text.replace("b c", "b d"))]
    #[case::other_version(|text: &str| text.replace("manifest 3", "manifest 1"))]
    fn a_damaged_manifest_is_none(#[case] damage: fn(&str) -> String) {
        assert_eq!(Manifest::from_text(&damage(&sample().to_text())), None);
    }
}
