//! What a build did, for people and for programs.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use tabulae_core::time::Stamp;

/// The account of a build.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Report {
    /// How many posts were read, held back or not.
    pub posts: usize,
    /// How many stand-alone pages were read.
    pub pages: usize,
    /// How many posts are in no list, by the name of their state; none is not named.
    pub held_back: BTreeMap<String, usize>,
    /// Outputs that were made, as something changed that they ask for, whether or not their bytes
    /// did.
    pub made: usize,
    /// Files that were new or changed.
    pub written: usize,
    /// Files that were as they should be.
    pub unchanged: usize,
    /// Files that nothing makes any more.
    pub removed: usize,
    /// When the next scheduled post falls due.
    pub next_due: Option<Due>,
    /// What changed, or would, in a build that writes nothing.
    pub changes: Vec<Change>,
    /// Files in the output folder that no known build wrote and that are no outputs, by path, sorted.
    pub unknown: Vec<String>,
    /// The output's name for people.
    pub out: String,
    /// The path that the site's address puts before every link.
    pub base: String,
}

/// A scheduled post that falls due.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Due {
    /// When, in the site's time zone.
    pub at: Stamp,
    /// Its title.
    pub title: String,
    /// Its file.
    pub path: String,
}

/// One file that would change, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Path below `out/`.
    pub path: String,
    /// What would happen.
    pub kind: ChangeKind,
    /// Why, in a few words.
    pub why: String,
}

/// What would happen to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum ChangeKind {
    /// It would be written for the first time.
    Make,
    /// It would be replaced.
    Replace,
    /// It would be removed.
    Remove,
    /// No known build wrote it, and it would be removed.
    Prune,
}

impl ChangeKind {
    /// The kind's name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            ChangeKind::Make => "make",
            ChangeKind::Replace => "replace",
            ChangeKind::Remove => "remove",
            ChangeKind::Prune => "prune",
        }
    }
}
