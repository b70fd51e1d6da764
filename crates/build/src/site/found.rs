//! The files of the content sets: posts, and what lies beside them.

use tabulae_core::diagnostic::{Code, Diagnostic, Faults, Severity};
use tabulae_core::settings::{ContentSet, Settings};

use super::files::{ending, list};
use crate::sources::Sources;

/// The files of all content sets.
#[derive(Debug, Default)]
pub(super) struct Found {
    /// The posts' paths, each with the number of its set.
    pub(super) posts: Vec<(usize, String)>,
    /// The paths of all other files.
    pub(super) others: Vec<String>,
}

impl Found {
    /// Looks into the folder of each set. One that is missing is an error; one without posts is a
    /// warning, or an error where there are no posts at all.
    pub(super) fn look(sources: &dyn Sources, settings: &Settings, faults: &mut Faults) -> Self {
        let mut found = Self::default();
        let mut empty = Faults::new();
        let mut all_are_there = true;
        for (number, set) in settings.content.iter().enumerate() {
            let before = faults.len();
            let Some(files) = list(sources, &set.folder, faults) else {
                if faults.len() == before {
                    all_are_there = false;
                    faults.push(missing(set, settings));
                }
                continue;
            };
            let posts = found.posts.len();
            let own = files.into_iter().filter(|path| is_of(set, settings, path));
            for path in own {
                match ending(&path) {
                    "md" | "html" => found.posts.push((number, path)),
                    _ => found.others.push(path),
                }
            }
            if found.posts.len() == posts {
                empty.push(without_posts(set, settings));
            }
        }
        if found.posts.is_empty() && all_are_there {
            for fault in &mut empty {
                fault.severity = Severity::Error;
            }
        }
        faults.extend(empty);
        found
    }
}

/// Whether a file in a set's folder is in that of no other set within.
fn is_of(set: &ContentSet, settings: &Settings, path: &str) -> bool {
    let holds = |folder: &str, path: &str| {
        let below = path.strip_prefix(folder);
        below.is_some_and(|below| below.starts_with('/'))
    };
    let folders = settings.content.iter().map(|other| other.folder.as_str());
    let mut inner = folders.filter(|folder| holds(&set.folder, folder));
    !inner.any(|folder| holds(folder, path))
}

fn missing(set: &ContentSet, settings: &Settings) -> Diagnostic {
    let ContentSet { folder, name, .. } = set;
    Diagnostic::error(
        Code::ContentMissing,
        settings.source.place(set.place),
        format!("there is no folder `{folder}` for the posts of `{name}`"),
    )
    .help(format!(
        "make the folder, or name another: `[content.{name}]` with `folder = \"…\"`"
    ))
}

fn without_posts(set: &ContentSet, settings: &Settings) -> Diagnostic {
    Diagnostic::warning(
        Code::ContentEmpty,
        settings.source.place(set.place),
        format!("the folder `{}` holds no posts", set.folder),
    )
    .help("a post is a file that ends in .md or .html")
}
