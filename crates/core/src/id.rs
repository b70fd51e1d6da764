//! Numbers of posts, terms, languages and counted texts: small, and in an order that means something.

use serde::{Deserialize, Serialize};

/// A post of a catalogue. Numbers follow the default order: date descending, undated last; then by language, title
/// and path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PostId(pub u32);

/// A term within its field; the number is its place in the field's table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TermId(pub u32);

/// A language of a site: 0 is that of `[site]`, the others are those of `[locale.*]` in the order written.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
pub struct LocaleId(pub u16);

impl LocaleId {
    /// The language of `[site]`.
    pub const SITE: Self = Self(0);

    /// Returns the number as an index.
    #[must_use]
    pub fn at(self) -> usize {
        usize::from(self.0)
    }
}

/// Returns a count as a number of 32 bits.
///
/// # Panics
/// If there are 2³² posts, terms or texts: their names alone would not fit into memory.
pub(crate) fn number(count: usize) -> u32 {
    u32::try_from(count).expect("fewer than 2^32 posts, terms and texts")
}

/// The counters that counted the words of a text while it was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Counted {
    /// The counter of its stems.
    pub stems: Option<CountedBy>,
    /// The counter of its folded words.
    pub folded: Option<CountedBy>,
}

/// The counter that counted the words of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CountedBy {
    /// The counter's number.
    pub counter: u32,
    /// The text's number among those that it counted.
    pub text: u32,
}
