//! Folders that `tabulae weave` fills: other programs write to them, too.

use std::fs;
use std::path::Path;

use tabulae_core::weave::has_placeholders;

/// Returns true if one of these files of a folder is an HTML page with a placeholder. Reads pages until one has.
#[must_use]
pub(crate) fn is_woven(folder: &Path, files: &[String]) -> bool {
    let is_regular = |path: &Path| path.symlink_metadata().is_ok_and(|known| known.is_file());
    let paths = files.iter().map(|path| folder.join(path));
    let mut pages = paths.filter(|path| is_woven_page(path) && is_regular(path));
    // A page that cannot be read has no known placeholder.
    pages.any(|path| {
        fs::read(&path).is_ok_and(|bytes| has_placeholders(&String::from_utf8_lossy(&bytes)))
    })
}

/// The endings of pages.
const PAGES: [&str; 3] = ["html", "htm", "xhtml"];

/// Returns true if `tabulae weave` fills a file of this name.
pub(crate) fn is_woven_page(path: &Path) -> bool {
    let ending = path.extension().unwrap_or_default().to_string_lossy();
    PAGES.iter().any(|page| ending.eq_ignore_ascii_case(page))
}
