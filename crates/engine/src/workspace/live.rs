//! Workspaces of texts that change all the time, such as the buffers of an editor.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::settings::Settings;
use tabulae_core::source::Source;
use tabulae_core::term::TermId;
use tabulae_core::time::Moment;

use super::{Workspace, attach};
use crate::error::Error;
use crate::options::BuildOptions;
use crate::pipeline::audit::files_of_others;
use crate::pipeline::drop_echoes;
use crate::pipeline::text_findings::TextFindings;
use crate::publish::Destination;
use crate::site::{
    CachedPosts, KeptPosts, PreviousPosts, Site, Vocabulary, configuration, read_settings,
};
use crate::source::{FileStamp, Overlay, Scan};
use crate::template::{template_findings, theme_files};

/// The folder of templates.
const TEMPLATES: &str = "templates/";

/// The folders and files of a site, as a scan found them.
#[derive(Debug, Clone)]
pub(super) struct ScannedFiles {
    folders: BTreeMap<String, bool>,
    files: Arc<BTreeMap<String, Option<FileStamp>>>,
}

/// The files as an earlier workspace read them.
#[derive(Debug, Default)]
pub(super) struct Earlier {
    posts: CachedPosts,
    kept: KeptPosts,
    /// The fingerprint of settings and options by which they were read.
    configuration: Option<u64>,
    /// The files that were found, and the only ones that may have changed since then.
    scanned: Option<(ScannedFiles, Vec<String>)>,
}

impl Workspace {
    /// Returns the site with texts in place of some files, by their paths below the site's folder, with `/`. It reads only
    /// those posts again that differ from the ones of `earlier`, a workspace that this function returned before. If
    /// `changed` names the only files that may differ from those, it looks at no others.
    #[must_use]
    pub fn with_texts(
        &self,
        texts: BTreeMap<String, String>,
        earlier: Option<&Self>,
        changed: Option<Vec<String>>,
    ) -> Self {
        let texts = texts.into_iter().map(|(path, text)| (path, Some(text)));
        let overlay = Overlay::new(Arc::clone(&self.sources), texts.collect());
        let site = earlier.and_then(|earlier| earlier.loaded.get()?.output.as_ref());
        let scanned = earlier.and_then(|earlier| earlier.scanned.get().cloned());
        let earlier = Earlier {
            posts: site
                .map(|site| Arc::clone(&site.cached))
                .unwrap_or_default(),
            kept: site.map(Site::kept).unwrap_or_default(),
            configuration: site.map(|site| site.configuration),
            scanned: scanned.zip(changed),
        };
        Self {
            earlier: Some(earlier),
            ..Self::from_sources(overlay)
                .clock(self.clock)
                .include(self.include)
        }
    }

    /// Reads the site, taking over posts that did not change.
    pub(super) fn reread(
        &self,
        earlier: &Earlier,
        options: &BuildOptions<'_>,
        diagnostics: &mut Diagnostics,
    ) -> Option<Site> {
        let settings = read_settings(&*self.sources, diagnostics)?;
        let known = earlier.scanned.as_ref();
        let scan = known.and_then(|(known, changed)| {
            let last = (&known.folders, &*known.files);
            Scan::again(&*self.sources, &settings, last, changed)
        });
        let scan = scan.unwrap_or_else(|| Scan::new(&*self.sources, &settings));
        if scan.whole {
            let _ = self.scanned.set(ScannedFiles {
                folders: scan.folders.clone(),
                files: Arc::clone(&scan.files),
            });
        }
        let now = configuration(&settings, options);
        let previous = PreviousPosts {
            posts: &earlier.posts,
            vocabulary: &Vocabulary::default(),
            code: &BTreeMap::new(),
            same_configuration: earlier.configuration == Some(now),
            kept: Some(&earlier.kept),
        };
        let mut site = Site::read_by(settings, &scan, Some(previous), options, diagnostics);
        // Queries are run again and again while they are typed.
        site.catalogue.keep_bodies();
        Some(site)
    }

    /// Returns the diagnostics of reading and planning the site, by the levels of the settings. Those of rendering are not
    /// among them, which [`check`](Self::check) returns as well.
    #[must_use]
    pub fn findings(&self) -> Vec<Diagnostic> {
        let mut found = self.loaded().diagnostics.clone();
        if self.plan().is_ok()
            && let Some(planned) = self.plan.get()
        {
            found.extend(planned.diagnostics.iter().cloned());
            drop_echoes(&mut found);
        }
        let site = self.loaded().output.as_ref();
        let options = BuildOptions::default();
        options.levels_of(site.map(|site| &site.settings)).of(found)
    }

    /// Returns what a check and an audit find in the texts of these files without rendering, by the levels of the settings: links
    /// and images that lead nowhere, and the queries of placeholders. `others` are further files that are published:
    /// [`files_of_others`](Self::files_of_others). Takes time in proportion to the number of outputs, and to the texts of
    /// these files.
    #[must_use]
    pub fn text_findings<'a>(
        &self,
        files: impl IntoIterator<Item = &'a str>,
        others: &[String],
    ) -> TextFindings {
        let (Ok(site), Ok(plan)) = (self.site(), self.plan()) else {
            return TextFindings::default();
        };
        let files = files.into_iter().collect();
        let found = TextFindings::new((site, plan), others, &*self.sources, &files);
        let levels = BuildOptions::default().levels_of(Some(&site.settings));
        TextFindings {
            built: levels.of(found.built),
            audited: levels.of(found.audited),
        }
    }

    /// Returns the files of the output folder that are published, though no build made them: all others, where `weave`
    /// fills the folder. Lists the folder.
    #[must_use]
    pub fn files_of_others(&self, output: &mut dyn Destination) -> Vec<String> {
        attach(&*self.sources, output);
        let plan = self.plan();
        plan.map_or_else(|_| Vec::new(), |plan| files_of_others(plan, output))
    }

    /// Returns the diagnostics that one source file with a text has by itself, by the levels of the settings: those of reading
    /// the settings or a post, and those of a template that are known without rendering. `None` for any other file, and if the
    /// settings cannot be read. Takes time in proportion to the text, or to those of all templates.
    #[must_use]
    pub fn findings_of(&self, path: &str, text: &str) -> Option<Vec<Diagnostic>> {
        let options = BuildOptions::default();
        if path == self.sources.settings_file() {
            let read = Settings::read(&Source::new(path, text));
            return Some(options.levels_of(Some(&read.output)).of(read.diagnostics));
        }
        let site = self.site().ok()?;
        let found = match path.strip_prefix(TEMPLATES) {
            Some(name) => template_findings(site, name, text),
            None => site.findings_of(path, text)?,
        };
        Some(options.levels_of(Some(&site.settings)).of(found))
    }

    /// Returns the names of all templates: those of the site, and those of the theme.
    #[must_use]
    pub fn template_names(&self) -> Vec<String> {
        let own = self.site().ok();
        let own = own.iter().flat_map(|site| &site.templates);
        let own = own.map(|(name, _)| name.clone());
        let built_in = theme_files().filter(|file| file.folder == "templates");
        let names: BTreeSet<String> = own
            .chain(built_in.map(|file| file.name.to_owned()))
            .collect();
        names.into_iter().collect()
    }

    /// Returns the paths of the notes on a term, by the number of its field.
    #[must_use]
    pub fn notes_of(&self, field: usize, term: TermId) -> Vec<String> {
        let Ok(site) = self.site() else {
            return Vec::new();
        };
        let table = site.catalogue.terms(field);
        let notes = site.notes.iter().filter(|note| note.field == field);
        let notes = notes.filter(|note| table.find(&note.name) == Some(term));
        notes
            .filter_map(|note| note.source.file().map(str::to_owned))
            .collect()
    }

    /// Returns the reference time by which the site was read, in its time zone.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn moment(&self) -> Result<&Moment, Error> {
        Ok(&self.site()?.moment)
    }

    /// Returns the address of a term's page in the language of the site, by the number of its field; `None` if it has none.
    #[must_use]
    pub fn term_page(&self, field: usize, term: TermId) -> Option<&str> {
        let plan = self.plan().ok()?;
        let page = plan.term_pages.get(&(LocaleId::SITE, field, term))?;
        Some(&page.plain)
    }
}
