//! The report of a build.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use tabulae_core::addresses::AddressChanges;
use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::time::ZonedDate;

/// The report of a build.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct BuildReport {
    /// The number of posts that were read, excluded ones too.
    pub posts: usize,
    /// The number of pages in `pages/` that were read.
    pub pages: usize,
    /// The number of posts in no list, by the name of their state. States without posts are left out.
    pub excluded: BTreeMap<String, usize>,
    /// The number of HTML pages of the site, changed or not, without redirects.
    pub built: usize,
    /// The number of outputs that were rendered because a dependency changed, whether or not their bytes
    /// did.
    pub rendered: usize,
    /// The number of files that were new or changed, and written.
    pub written: usize,
    /// The number of files that were up to date.
    pub unchanged: usize,
    /// The number of files that were removed.
    pub removed: usize,
    /// The next scheduled post.
    pub next_due: Option<Due>,
    /// The changes, or in a dry run those that would be made.
    pub changes: Vec<Change>,
    /// Set if the build was cancelled, and nothing was written.
    pub cancelled: bool,
    /// The warnings, and the errors of posts that were left out, in the order found.
    pub diagnostics: Vec<Diagnostic>,
    /// Files in the output folder that no known build wrote and that are no outputs, by path, sorted.
    pub unknown: Vec<String>,
    /// The changes of addresses since the last build that readers notice, without those whose codes are allowed.
    pub addresses: AddressChanges,
    /// The reasons why built-in archives or the built-in feed are moved or left out, in sentences.
    pub yields: Vec<String>,
    /// The output folder's name in messages.
    pub out: String,
    /// The path that the site's address puts before every link.
    pub base: String,
}

/// A scheduled post that falls due.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Due {
    /// The time, in the site's time zone.
    pub at: ZonedDate,
    /// The title.
    pub title: String,
    /// The path of its file.
    pub path: String,
}

/// A file that changed or would change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Path below `out/`.
    pub path: String,
    /// The kind of the change.
    pub kind: ChangeKind,
    /// The reason, in a few words.
    pub why: String,
}

/// The kind of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum ChangeKind {
    /// The file is new.
    Make,
    /// The file is replaced.
    Replace,
    /// The file is removed, as no output has its path any more.
    Remove,
    /// The file is removed, as no known build wrote it.
    Prune,
}

impl ChangeKind {
    /// Returns the name of the kind.
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
