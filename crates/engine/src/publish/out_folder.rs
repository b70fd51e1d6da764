//! The output folder may not overlap with the site's sources.

use std::ffi::OsString;
use std::path::{Component, Path, PathBuf};

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::settings::Settings;
use tabulae_core::source::Source;

use crate::source::FOLDERS;

/// Returns the error if the output folder `out` is, contains or lies in the site's own folder `root`
/// itself, or one of the folders of its sources. A folder of its own within `root` is fine.
pub(crate) fn check_out_folder(
    name: &str,
    out: &Path,
    root: &Path,
    settings: &Settings,
) -> Option<Diagnostic> {
    let (out, root) = (resolved(out), resolved(root));
    let what = if root.starts_with(&out) {
        "is or contains the site's own folder".to_owned()
    } else {
        let content = settings.content.iter().map(|set| set.folder.as_str());
        let mut folders = content.chain(FOLDERS).chain([".tabulae"]);
        let overlapping = folders.find(|folder| {
            let folder = resolved(&root.join(folder));
            out.starts_with(&folder) || folder.starts_with(&out)
        })?;
        format!("overlaps with the site's folder `{overlapping}`")
    };
    let message = format!("the output folder `{name}` {what}");
    let location = Source::command_line(name).top();
    let help = "write to a folder of its own, such as `--out public`; `out` is the default";
    Some(Diagnostic::error(Code::InvalidOutputFolder, location, message).help(help))
}

/// Returns the absolute path without `.`, `..` and links, as far as it exists.
fn resolved(path: &Path) -> PathBuf {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let mut rest: Vec<OsString> = Vec::new();
    let mut exists = absolute.as_path();
    loop {
        if let Ok(whole) = exists.canonicalize() {
            let rest = rest.iter().rev();
            return rest.fold(whole, |mut path, step| {
                match Path::new(step).components().next() {
                    Some(Component::ParentDir) => drop(path.pop()),
                    _ => path.push(step),
                }
                path
            });
        }
        let (Some(parent), Some(last)) = (exists.parent(), exists.components().next_back()) else {
            return absolute;
        };
        rest.push(last.as_os_str().to_owned());
        exists = parent;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use tabulae_core::settings::FILE;

    #[rstest]
    #[case::its_own("site/out", true)]
    #[case::within_its_own("site/out/deep/er", true)]
    #[case::beside("public", true)]
    #[case::a_name_that_begins_alike("site/posts-out", true)]
    #[case::the_site("site", false)]
    #[case::the_site_in_other_words("site/new/../.", false)]
    #[case::above(".", false)]
    #[case::content("site/posts", false)]
    #[case::within_content("site/posts/out", false)]
    #[case::content_of_a_folder("site/deep/notes", false)]
    #[case::above_content("site/deep", false)]
    #[case::assets("site/assets/out", false)]
    #[case::pages("site/pages", false)]
    #[case::templates("site/templates/x", false)]
    #[case::terms("site/terms", false)]
    #[case::memory("site/.tabulae/x", false)]
    #[case::by_a_link("site/link/out", false)]
    fn the_output_folder_is_apart_from_the_sources(#[case] out: &str, #[case] fits: bool) {
        let folder = tempfile::tempdir().unwrap();
        let site = folder.path().join("site");
        std::fs::create_dir_all(site.join("posts")).unwrap();
        #[cfg(unix)]
        std::os::unix::fs::symlink(site.join("posts"), site.join("link")).unwrap();
        let text = "[content.posts]\n[content.notes]\nfolder = \"deep/notes\"\n";
        let settings = Settings::read(&Source::new(FILE, text)).output;
        let found = check_out_folder(out, &folder.path().join(out), &site, &settings);
        assert_eq!(found.is_none(), fits, "{found:?}");
    }
}
