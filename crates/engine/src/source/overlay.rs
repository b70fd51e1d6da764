//! Sources of which some texts differ from those on disk, such as the buffers of an editor.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Read};
use std::path::Path;
use std::sync::Arc;

use super::{FileStamp, Sources};

/// Sources below texts that take the place of files, are added to them, or hide them.
#[derive(Debug, Clone)]
pub(crate) struct Overlay {
    sources: Arc<dyn Sources>,
    /// By path; `None` for a file that is not there.
    texts: BTreeMap<String, Option<String>>,
}

impl Overlay {
    /// Puts texts over `sources`, by their paths below the site's folder, with `/`; `None` hides a file.
    pub(crate) fn new(sources: Arc<dyn Sources>, texts: BTreeMap<String, Option<String>>) -> Self {
        Self { sources, texts }
    }

    /// Returns the text over a file; `None` if the file is that of the sources below.
    fn text(&self, path: &str) -> io::Result<Option<&str>> {
        match self.texts.get(path) {
            Some(Some(text)) => Ok(Some(text)),
            Some(None) => Err(io::ErrorKind::NotFound.into()),
            None => Ok(None),
        }
    }
}

impl Sources for Overlay {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        let listed = self.sources.list(folder)?;
        let prefix = format!("{folder}/");
        let mut own = self
            .texts
            .iter()
            .filter(|(path, _)| path.starts_with(&prefix))
            .peekable();
        if own.peek().is_none() {
            return Ok(listed);
        }
        let mut files: BTreeSet<String> = listed.unwrap_or_default().into_iter().collect();
        for (path, text) in own {
            match text {
                Some(_) => files.insert(path.clone()),
                None => files.remove(path),
            };
        }
        Ok(Some(files.into_iter().collect()))
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        match self.text(path)? {
            Some(text) => Ok(text.to_owned().into_bytes()),
            None => self.sources.read(path),
        }
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn Read + '_>> {
        match self.text(path)? {
            Some(text) => Ok(Box::new(text.as_bytes())),
            None => self.sources.open(path),
        }
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        match self.text(path)? {
            Some(text) => Ok(Some(FileStamp::of_bytes(text.as_bytes()))),
            None => self.sources.stamp(path),
        }
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        match self.text(path)? {
            Some(text) => Ok(text.len() as u64),
            None => self.sources.size(path),
        }
    }

    fn root(&self) -> Option<&Path> {
        self.sources.root()
    }

    fn settings_file(&self) -> &str {
        self.sources.settings_file()
    }

    fn set_follow_links(&self, follow: bool) {
        self.sources.set_follow_links(follow);
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::MemorySources;
    use rstest::rstest;

    fn overlay() -> Overlay {
        let files = MemorySources::default();
        files.write("posts/a.md", "A on disk");
        files.write("posts/b.md", "B on disk");
        files.write("posts/e.md", "E on disk");
        let texts = [
            ("posts/b.md", Some("B!")),
            ("posts/c.md", Some("C")),
            ("posts/e.md", None),
            ("pages/p.md", Some("P")),
        ];
        let texts = texts.map(|(path, text)| (path.to_owned(), text.map(str::to_owned)));
        Overlay::new(Arc::new(files), texts.into())
    }

    #[rstest]
    #[case::some_new("posts", Some(&["posts/a.md", "posts/b.md", "posts/c.md"][..]))]
    #[case::all_new("pages", Some(&["pages/p.md"][..]))]
    #[case::none("terms", None)]
    fn texts_are_listed_beside_files(#[case] folder: &str, #[case] expected: Option<&[&str]>) {
        let listed = overlay().list(folder).unwrap();
        let expected = expected.map(|paths| paths.iter().map(|path| (*path).to_owned()).collect());
        assert_eq!(listed, expected);
    }

    #[rstest]
    #[case::file("posts/a.md", Some("A on disk"))]
    #[case::text_over_a_file("posts/b.md", Some("B!"))]
    #[case::text("posts/c.md", Some("C"))]
    #[case::nothing("posts/d.md", None)]
    #[case::a_hidden_file("posts/e.md", None)]
    fn a_text_takes_the_place_of_a_file(#[case] path: &str, #[case] expected: Option<&str>) {
        let overlay = overlay();
        let read = overlay.read(path).ok();
        assert_eq!(read.as_deref(), expected.map(str::as_bytes));
        let size = overlay.size(path).ok();
        assert_eq!(size, expected.map(|text| text.len() as u64));
        let stamp = overlay.stamp(path).ok().flatten();
        assert_eq!(
            stamp,
            expected.map(|text| FileStamp::of_bytes(text.as_bytes()))
        );
        let mut streamed = Vec::new();
        if let Ok(mut file) = overlay.open(path) {
            file.read_to_end(&mut streamed).unwrap();
        }
        assert_eq!(streamed, expected.unwrap_or_default().as_bytes());
        assert_eq!(overlay.share().read(path).ok(), read);
    }
}
