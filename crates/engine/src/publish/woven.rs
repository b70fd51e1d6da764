//! Folders that `tabulae weave` fills: other programs write to them, too.

use std::fs;
use std::path::Path;

use tabulae_core::weave::has_placeholders;

/// Returns true if one of these files of a folder is an HTML page with a placeholder. Reads pages until one has.
#[must_use]
pub(crate) fn is_woven(folder: &Path, files: &[String]) -> bool {
    let is_page = |path: &&String| {
        let ending = path.rsplit_once('.').map(|(_, ending)| ending);
        matches!(ending, Some("html" | "htm" | "xhtml"))
    };
    let is_regular = |path: &Path| path.symlink_metadata().is_ok_and(|known| known.is_file());
    let mut pages = files.iter().filter(is_page).map(|path| folder.join(path));
    pages.any(|path| {
        // A page that cannot be read has no known placeholder.
        let bytes = if is_regular(&path) {
            fs::read(&path)
        } else {
            return false;
        };
        bytes.is_ok_and(|bytes| has_placeholders(&String::from_utf8_lossy(&bytes)))
    })
}
