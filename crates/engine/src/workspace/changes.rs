//! Changes of a site's sources: fixes, renamed terms, new posts and notes.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::post::{Post, new_post};
use tabulae_core::source::{Location, Source};

use super::{Workspace, attach};
use crate::error::Error;
use crate::options::BuildOptions;
use crate::pipeline::fixes::{FixReport, fix};
use crate::pipeline::rename::{Rename, Request, rename};
use crate::pipeline::source_files::FileChange;
use crate::pipeline::terms::{Note, unknown_field};
use crate::pipeline::{write_change, write_new};
use crate::publish::Destination;
use crate::source::Overlay;
use crate::template::ThemeFile;

impl Workspace {
    /// Writes a term note of [`Self::terms`] that does not exist.
    ///
    /// # Errors
    /// If its name is no path, if a file has it, if it cannot be written, or if the site is in memory.
    pub fn write_note(&self, note: &Note) -> Result<(), Error> {
        self.write_new(&note.path, &note.text, "the note")
    }

    /// Copies a file of the theme into the site, where it takes the place of the built-in one. Returns its path
    /// below the site's folder.
    ///
    /// # Errors
    /// If there is no site, if a file has the path, if it cannot be written, or if the site is in memory.
    pub fn copy_theme_file(&self, file: &ThemeFile) -> Result<String, Error> {
        let (path, text) = (file.path(), file.text_for(self.settings()?));
        self.write_new(&path, &text, "the file")?;
        Ok(path)
    }

    /// Audits the site and applies the edits of those diagnostics that `wanted` returns true for, in memory, until no
    /// more can be applied. Nothing is written: [`write_changes`](Self::write_changes) does it. Lint levels of the settings
    /// are not applied.
    pub fn fix(
        &self,
        output: &mut dyn Destination,
        options: BuildOptions<'_>,
        wanted: &dyn Fn(&Diagnostic) -> bool,
    ) -> FixReport {
        attach(&*self.sources, output);
        fix(&*self.sources, output, &self.options(options), wanted)
    }

    /// Renames a term of a field in the front matter of all posts and in its notes, in memory; its old addresses become
    /// `moved_from` of its note. Nothing is written: [`write_changes`](Self::write_changes) does it.
    ///
    /// # Errors
    /// If the site has errors or no such field or term, if the new name cannot be one, or if a value cannot be rewritten.
    pub fn rename_term(&self, field: &str, from: &str, to: &str) -> Result<Rename, Error> {
        let site = self.site()?;
        let broken = self.diagnostics().iter().filter(|found| found.is_error());
        let broken: Diagnostics = broken.cloned().collect();
        if !broken.is_empty() {
            return Err(Error::new(broken));
        }
        let number = site.catalogue.term_field(field);
        let number = number.ok_or_else(|| {
            let location = Source::command_line(field).top();
            unknown_field(site, field, location)
        })?;
        let request = Request {
            field: number,
            from,
            to,
        };
        let options = self.options(BuildOptions::default().keep_going(true));
        rename(site, request, &*self.sources, &options).map_err(Error::new)
    }

    /// Writes a new post, a draft, into a content set, and returns its path: with the front matter that the set's posts
    /// have, and with terms by field. Without a set it is that of most posts.
    ///
    /// # Errors
    /// If the site cannot be read or has no such set, if no slug can be made of the title, if a file has its path, if it
    /// cannot be written, or if the site is in memory.
    pub fn write_post(
        &self,
        title: &str,
        set: Option<&str>,
        terms: &BTreeMap<String, Vec<String>>,
    ) -> Result<String, Error> {
        let site = self.site()?;
        let set = self.set_named(set)?;
        let catalogue = &site.catalogue;
        let posts = catalogue.all().map(|id| catalogue.post(id));
        let posts: Vec<&Post> = posts
            .filter(|post| post.set == set && post.locale == site.settings.content[set].locale)
            .collect();
        let now = (&site.settings, &site.moment);
        let post = new_post(title, terms, &site.settings.content[set], &posts, now);
        let post = post.ok_or_else(|| {
            let location = Source::command_line(title).top();
            let message = format!("no file name can be made of the title `{title}`");
            let diagnostic = Diagnostic::error(Code::EmptySlug, location, message);
            Error::from(diagnostic.help("write a title with letters or digits"))
        })?;
        self.write_new(&post.path, &post.text, "the post")?;
        Ok(post.path)
    }

    /// Returns the number of a content set; without a name of that of most posts.
    fn set_named(&self, name: Option<&str>) -> Result<usize, Error> {
        let site = self.site()?;
        let sets = &site.settings.content;
        let Some(name) = name else {
            let count = |set: &usize| {
                let posts = site.catalogue.all().map(|id| site.catalogue.post(id));
                posts.filter(|post| post.set == *set).count()
            };
            return Ok((0..sets.len()).rev().max_by_key(count).unwrap_or_default());
        };
        sets.iter().position(|set| set.name == name).ok_or_else(|| {
            let location = Source::command_line(name).top();
            let message = format!("there is no content set `{name}`");
            let known = sets.iter().map(|set| set.name.as_str());
            let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
            diagnostic.suggest(name, known).into()
        })
    }

    /// Writes changed source files, each as a whole.
    ///
    /// # Errors
    /// If a file is another one by now, leads out of the site's folder or cannot be written, or if the site is in memory.
    /// The files before it are written then.
    pub fn write_changes(&self, changes: &[FileChange]) -> Result<(), Error> {
        for change in changes {
            let root = self.root_for(&change.path, "the file")?;
            write_change(root, change)?;
        }
        Ok(())
    }

    /// Checks the site as it would be with changed files.
    #[must_use]
    pub fn check_changed(&self, changes: &[FileChange]) -> Vec<Diagnostic> {
        let texts = changes.iter();
        let texts = texts.map(|change| (change.path.clone(), change.after.clone()));
        self.check_sources(&Overlay::new(Arc::clone(&self.sources), texts.collect()))
    }

    fn write_new(&self, path: &str, text: &str, what: &str) -> Result<(), Error> {
        Ok(write_new(self.root_for(path, what)?, path, text, what)?)
    }

    /// Returns the site's folder, into which a file is to be written.
    fn root_for(&self, path: &str, what: &str) -> Result<&Path, Error> {
        self.root().ok_or_else(|| {
            let location = Location::top_of(path);
            let message = format!("a site in memory has no folder for {what} `{path}`");
            Diagnostic::error(Code::UnwritableFile, location, message).into()
        })
    }
}
