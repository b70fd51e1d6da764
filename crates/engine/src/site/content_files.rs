//! The files of the content sets: posts, and what lies beside them.

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Severity};
use tabulae_core::settings::{ContentSet, Role, Settings};

use super::files::list;
use super::is_within;
use crate::source::Sources;

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
    pub(super) fn look(
        sources: &dyn Sources,
        settings: &Settings,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let mut found = Self::default();
        let mut empty = Diagnostics::new();
        let mut all_are_there = true;
        for (number, set) in settings.content.iter().enumerate() {
            let before = diagnostics.len();
            let Some(files) = list(sources, &set.folder, diagnostics) else {
                if diagnostics.len() == before {
                    all_are_there = false;
                    diagnostics.push(missing(set, settings));
                }
                continue;
            };
            let posts = found.posts.len();
            let inner = inner_folders(set, settings);
            let is_own = |path: &String| !inner.iter().any(|folder| is_within(path, folder));
            let own = files.into_iter().filter(is_own);
            let mut unfit = None;
            for path in own {
                let below = path[set.folder.len()..].trim_start_matches('/');
                match set.files.role(below) {
                    Role::Post => found.posts.push((number, path)),
                    Role::Other => found.others.push(path),
                    Role::Excluded => {}
                    Role::Unfit => {
                        unfit.get_or_insert(path);
                    }
                }
            }
            diagnostics.extend(unfit.map(|path| no_post(&path, set, settings)));
            if found.posts.len() == posts {
                empty.push(without_posts(set, settings));
            }
        }
        if found.posts.is_empty() && all_are_there {
            for diagnostic in &mut empty {
                diagnostic.severity = Severity::Error;
            }
        }
        diagnostics.extend(empty);
        found
    }
}

/// The folders of other sets within that of a set: what lies in them is not its own.
fn inner_folders<'a>(set: &ContentSet, settings: &'a Settings) -> Vec<&'a str> {
    let folders = settings.content.iter().map(|other| other.folder.as_str());
    folders
        .filter(|folder| is_within(folder, &set.folder))
        .collect()
}

/// Returns the error of a file that `files` names and that cannot be a post.
fn no_post(path: &str, set: &ContentSet, settings: &Settings) -> Diagnostic {
    let location = settings.source.location(set.location);
    let message = format!(
        "`files` of `{}` names {path}, which cannot be a post",
        set.name
    );
    Diagnostic::error(Code::InvalidValue, location, message).help(
        "a post ends in .md, .markdown, .html, .yaml, .yml, .toml or .json; name other files in `exclude`",
    )
}

fn missing(set: &ContentSet, settings: &Settings) -> Diagnostic {
    let ContentSet { folder, name, .. } = set;
    Diagnostic::error(
        Code::MissingContent,
        settings.source.location(set.location),
        format!("there is no folder `{folder}` for the posts of `{name}`"),
    )
    .help(format!(
        "make the folder, or name another: `[content.{name}]` with `folder = \"…\"`"
    ))
}

fn without_posts(set: &ContentSet, settings: &Settings) -> Diagnostic {
    Diagnostic::warning(
        Code::EmptyContent,
        settings.source.location(set.location),
        format!("the folder `{}` holds no posts", set.folder),
    )
    .help("a post is a file that ends in .md or .html; `files` in the set's table names others")
}
