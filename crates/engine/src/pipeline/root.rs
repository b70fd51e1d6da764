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
