//! Posts as the last build read them.

use std::collections::BTreeMap;
use std::ops::Deref;
use std::sync::{Arc, Mutex};

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::front_matter::FrontMatter;
use tabulae_core::post::{Notes, Post};

use crate::source::FileStamp;

/// Posts as they were read, by path.
pub(crate) type CachedPosts = Arc<BTreeMap<String, CachedPost>>;

/// The errors of files that were read again.
pub(crate) type Errors = Arc<Mutex<Diagnostics>>;

/// A post as it was read.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct CachedPost {
    /// The stamp of the file; `None` if it was too recent to be relied on.
    pub(crate) stamp: Option<FileStamp>,
    /// The checksum of the file.
    pub(crate) hash: u64,
    /// A [`ParsedPost`], which is decoded when it is needed.
    pub(crate) parsed: Bytes,
    /// The term frequencies of the text.
    pub(crate) words: CachedWords,
    /// The fingerprints of its highlighted code blocks.
    pub(crate) code: Box<[u64]>,
    /// The post itself, if it is kept in memory for the next reading and has no diagnostics.
    #[serde(skip)]
    pub(crate) post: Option<Arc<Post>>,
}

/// The term frequencies of a text, each as pairs of a number and a count (postcard); empty if they were not counted.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(crate) struct CachedWords {
    /// By the numbers of [`Vocabulary::stems`].
    pub(crate) stems: Bytes,
    /// By the numbers of [`Vocabulary::folded`].
    pub(crate) folded: Bytes,
}

/// The words of all texts, by number; empty if they were not counted.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(crate) struct Vocabulary {
    pub(crate) stems: Arc<[Box<str>]>,
    pub(crate) folded: Arc<[Box<str>]>,
}

/// A parsed source file of a post.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct ParsedPost {
    pub(crate) front: FrontMatter,
    /// The text of the front matter.
    pub(crate) head: String,
    /// Facts about the body.
    pub(crate) notes: Notes,
}

/// The posts of the last build.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PreviousPosts<'a> {
    pub(crate) posts: &'a BTreeMap<String, CachedPost>,
    pub(crate) vocabulary: &'a Vocabulary,
    /// The runs of highlighted code blocks, by fingerprint.
    pub(crate) code: &'a BTreeMap<u64, Bytes>,
    /// Set if settings and options are the same, so that the posts would be read the same way.
    pub(crate) same_configuration: bool,
    /// Set if posts are kept in memory for the next reading.
    pub(crate) kept: Option<&'a KeptPosts>,
}

/// The circumstances of the posts in [`CachedPost::post`].
#[derive(Debug, Default)]
pub(crate) struct KeptPosts {
    /// The reference time of their states.
    pub(crate) at: Timestamp,
    /// Receives the errors of their bodies that are read again.
    pub(crate) errors: Errors,
}

impl KeptPosts {
    /// Returns true if a post has the same state at the reference time and at `now`.
    fn keeps_state(&self, post: &Post, now: Timestamp) -> bool {
        let (from, to) = (self.at.min(now), self.at.max(now));
        let stamps = [post.date, post.expires].into_iter().flatten();
        stamps.map(|stamp| stamp.at).all(|at| at <= from || at > to)
    }
}

impl CachedPost {
    /// Returns the post as it was kept, if its file has a stamp that can be relied on and its state at `now` is the same.
    pub(super) fn unchanged(
        &self,
        kept: &KeptPosts,
        stamp: Option<FileStamp>,
        now: Timestamp,
    ) -> Option<&Arc<Post>> {
        let post = self.post.as_ref()?;
        let same = stamp.is_some() && self.stamp == stamp && kept.keeps_state(post, now);
        same.then_some(post)
    }
}

/// The initial capacity for an encoded post, in bytes: most front matter is smaller.
const CAPACITY: usize = 1 << 11;

impl ParsedPost {
    /// Decodes a post; `None` if the bytes are damaged.
    pub(crate) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        postcard::from_bytes(bytes).ok()
    }

    /// Encodes the parts of a post.
    pub(crate) fn bytes_of(front: &FrontMatter, head: &str, notes: &Notes) -> Bytes {
        let buffer = Vec::with_capacity(CAPACITY);
        let bytes = postcard::to_extend(&(front, head, notes), buffer);
        bytes.unwrap_or_default().into()
    }
}

/// Immutable bytes, shared by all clones.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Bytes(Arc<[u8]>);

impl From<Vec<u8>> for Bytes {
    fn from(bytes: Vec<u8>) -> Self {
        Self(bytes.into())
    }
}

impl Deref for Bytes {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        &self.0
    }
}

impl Serialize for Bytes {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        serde_bytes::serialize(&*self.0, to)
    }
}

impl<'de> Deserialize<'de> for Bytes {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let bytes: &'de [u8] = serde_bytes::deserialize(from)?;
        Ok(Self(bytes.into()))
    }
}
