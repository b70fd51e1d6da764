//! The search for the site's folder.

use std::path::{Path, PathBuf};

use tabulae_core::settings::FILE;

/// Returns `folder`, or the nearest folder above it, that has `tabulae.toml`.
pub(crate) fn find_root(folder: &Path) -> Option<PathBuf> {
    if folder.join(FILE).exists() {
        return Some(folder.to_owned());
    }
    let absolute = std::path::absolute(folder).ok()?;
    let found = absolute.ancestors().find(|above| above.join(FILE).exists());
    found.map(Path::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::the_folder_itself("blog", Some("blog"))]
    #[case::within("blog/posts/2026", Some("blog"))]
    #[case::the_nearest("blog/inner/posts", Some("blog/inner"))]
    #[case::that_does_not_exist("blog/posts/none/yet", Some("blog"))]
    #[case::elsewhere("other", None)]
    fn a_site_is_found_upward(#[case] from: &str, #[case] expected: Option<&str>) {
        let folder = tempfile::tempdir().unwrap();
        for path in ["blog/posts/2026", "blog/inner/posts", "other"] {
            std::fs::create_dir_all(folder.path().join(path)).unwrap();
        }
        for path in ["blog", "blog/inner"] {
            std::fs::write(folder.path().join(path).join(FILE), "").unwrap();
        }
        let expected = expected.map(|path| folder.path().join(path));
        assert_eq!(find_root(&folder.path().join(from)), expected);
    }
}
