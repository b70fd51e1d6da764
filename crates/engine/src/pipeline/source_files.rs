//! Writing source files of a site: new ones, and others in place of those that were read.

use std::collections::BTreeMap;
use std::fmt::Display;
use std::fs;
use std::io::{self, ErrorKind, Write as _};
use std::path::{Path, PathBuf};

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::route::OutputPath;
use tabulae_core::source::Location;

use crate::source::Sources;

/// A source file with another text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileChange {
    /// The path below the site's folder.
    pub path: String,
    /// The text as it was read; `None` for a new file.
    pub before: Option<String>,
    /// The text to write; `None` to delete the file.
    pub after: Option<String>,
}

/// The texts of changed files, by path; `None` for a file that is to be deleted.
pub(super) type Texts = BTreeMap<String, Option<String>>;

/// Reads a source file; `None` if it cannot be read, or is no UTF-8.
pub(super) fn read_text(sources: &dyn Sources, path: &str) -> Option<String> {
    String::from_utf8(sources.read(path).ok()?).ok()
}

/// Returns the files whose texts differ from those of the sources.
pub(super) fn changes(sources: &dyn Sources, texts: Texts) -> Vec<FileChange> {
    let changes = texts.into_iter().map(|(path, after)| FileChange {
        before: read_text(sources, &path),
        path,
        after,
    });
    changes
        .filter(|change| change.before != change.after)
        .collect()
}

/// Returns the path on disk of a source file, which must be below the site's folder.
fn path_below(root: &Path, name: &str, what: &str) -> Result<PathBuf, Box<Diagnostic>> {
    let path = OutputPath::new(name).map_err(|error| Box::new(refused(name, what, &error)))?;
    Ok(root.join(path.as_str()))
}

fn refused(name: &str, what: &str, why: &dyn Display) -> Diagnostic {
    let message = format!("cannot write {what} `{name}`: {why}");
    Diagnostic::error(Code::UnwritableFile, Location::top_of(name), message)
}

/// Writes a file that does not exist below the site's folder, with the folders that it needs. `what` is the
/// file in words, for messages.
///
/// # Errors
/// If the name is no path, if a file has it, if it leads out of the site's folder, or if it cannot be written.
pub(crate) fn write_new(
    root: &Path,
    name: &str,
    text: &str,
    what: &str,
) -> Result<(), Box<Diagnostic>> {
    let path = path_below(root, name, what)?;
    let folder = path.parent().unwrap_or(root);
    // No folder is made beyond a link that leads out of the site.
    let known = folder.ancestors().find(|folder| folder.exists());
    let written = within(root, known.unwrap_or(root))
        .and_then(|_| fs::create_dir_all(folder))
        .and_then(|()| {
            let mut file = fs::File::options()
                .write(true)
                .create_new(true)
                .open(&path)?;
            let written = file.write_all(text.as_bytes());
            if written.is_err() {
                // Half a file would be taken for a whole one. The first error is the one to report.
                let _ = fs::remove_file(&path);
            }
            written
        });
    written.map_err(|error| match error.kind() {
        ErrorKind::AlreadyExists => {
            let exists = refused(name, what, &"a file of this name exists");
            Box::new(exists.help(format!("change `{name}`, or delete it first")))
        }
        _ => Box::new(refused(name, what, &error)),
    })
}

/// Writes the text of a change in place of the one that was read, or deletes the file. Another process sees the one or the
/// other, never a part of it.
///
/// # Errors
/// If the file is another one by now, leads out of the site's folder, or cannot be written.
pub(crate) fn write_change(root: &Path, change: &FileChange) -> Result<(), Box<Diagnostic>> {
    let name = &change.path;
    let Some(before) = &change.before else {
        let text = change.after.as_deref().unwrap_or_default();
        return write_new(root, name, text, "the file");
    };
    let path = path_below(root, name, "the file")?;
    replace(root, &path, before, change.after.as_deref())
        .map_err(|error| Box::new(refused(name, "the file", &error)))
}

fn replace(root: &Path, path: &Path, before: &str, after: Option<&str>) -> io::Result<()> {
    let path = within(root, path)?;
    if fs::read(&path)? != before.as_bytes() {
        return Err(io::Error::other("it changed in the meantime"));
    }
    let Some(after) = after else {
        return fs::remove_file(&path);
    };
    let folder = path.parent().unwrap_or(root);
    let mut file = tempfile::Builder::new()
        .prefix(".tabulae-")
        .tempfile_in(folder)?;
    file.write_all(after.as_bytes())?;
    file.as_file()
        .set_permissions(fs::metadata(&path)?.permissions())?;
    file.as_file().sync_all()?;
    file.persist(&path).map_err(|error| error.error)?;
    Ok(())
}

/// Returns a path without links.
///
/// # Errors
/// If it does not exist, or leads out of the site's folder.
fn within(root: &Path, path: &Path) -> io::Result<PathBuf> {
    let path = fs::canonicalize(path)?;
    match path.starts_with(fs::canonicalize(root)?) {
        true => Ok(path),
        false => Err(io::Error::other(
            "it is a link that leads out of the site's folder",
        )),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn change(path: &str) -> FileChange {
        FileChange {
            path: path.to_owned(),
            before: Some("a\n".to_owned()),
            after: Some("b\n".to_owned()),
        }
    }

    #[test]
    fn a_file_is_replaced_with_its_permissions() {
        let site = tempfile::tempdir().unwrap();
        let path = site.path().join("a.md");
        fs::write(&path, "a\n").unwrap();
        let mut permissions = fs::metadata(&path).unwrap().permissions();
        permissions.set_readonly(true);
        fs::set_permissions(&path, permissions.clone()).unwrap();
        write_change(site.path(), &change("a.md")).unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "b\n");
        assert_eq!(fs::metadata(&path).unwrap().permissions(), permissions);
        assert_eq!(fs::read_dir(site.path()).unwrap().count(), 1);
    }

    #[cfg(unix)]
    #[test]
    fn nothing_is_made_beyond_a_link_out_of_the_site() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("site");
        fs::create_dir(&root).unwrap();
        fs::create_dir(folder.path().join("other")).unwrap();
        std::os::unix::fs::symlink("../other", root.join("terms")).unwrap();
        let error = write_new(&root, "terms/tag/lime.md", "x", "the note").unwrap_err();
        assert!(
            error.message.contains("leads out of the site's folder"),
            "{}",
            error.message
        );
        assert_eq!(
            fs::read_dir(folder.path().join("other")).unwrap().count(),
            0
        );
        write_new(&root, "posts/2026/a.md", "x", "the post").unwrap();
        assert_eq!(
            fs::read_to_string(root.join("posts/2026/a.md")).unwrap(),
            "x"
        );
    }

    #[rstest]
    #[case::another_text("a.md", "it changed in the meantime")]
    #[case::no_file("b.md", "No such file")]
    #[case::above("../a.md", "`..`")]
    #[case::a_link("link.md", "leads out of the site's folder")]
    fn what_cannot_be_replaced_stays(#[case] path: &str, #[case] why: &str) {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("site");
        fs::create_dir(&root).unwrap();
        fs::write(root.join("a.md"), "other\n").unwrap();
        fs::write(folder.path().join("a.md"), "a\n").unwrap();
        #[cfg(unix)]
        std::os::unix::fs::symlink("../a.md", root.join("link.md")).unwrap();
        let error = write_change(&root, &change(path)).unwrap_err();
        assert!(error.message.contains(why), "{}", error.message);
        assert_eq!(
            fs::read_to_string(folder.path().join("a.md")).unwrap(),
            "a\n"
        );
        assert_eq!(fs::read_to_string(root.join("a.md")).unwrap(), "other\n");
    }
}
