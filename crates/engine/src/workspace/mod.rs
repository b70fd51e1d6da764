//! The public API: a workspace is a site to query, check, explain and build.

mod changes;
mod compose;
mod live;
mod post;
mod related;
mod session;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, OnceLock};

use tabulae_core::addresses::{AddressChanges, AddressList};
use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use tabulae_core::export;
use tabulae_core::id::LocaleId;
use tabulae_core::key_lints::kind_lints;
use tabulae_core::post::Include;
use tabulae_core::query::builder::Builder;
use tabulae_core::query::{Query, QueryPlan, Resolved, Scope, Written};
use tabulae_core::settings::{FILE, Settings, Trial};
use tabulae_core::source::{EmbeddedText, Location, Source};

pub use self::compose::{Choice, ChoiceKind};
use self::live::{Earlier, ScannedFiles};
pub use self::post::{PostDate, PostRef, Posts};
pub use self::related::{RelatedOverview, RelatedPost, Shared};
pub use self::session::BuildSession;
use crate::error::Error;
use crate::options::{BuildOptions, Clock};
use crate::pipeline::audit::{audit, lints};
use crate::pipeline::explain::{Explanation, Membership, explain, membership};
use crate::pipeline::terms::{FieldTerms, terms};
use crate::pipeline::weave::{PageFolder, WeaveReport, weave};
use crate::pipeline::{build, drop_echoes, find_root};
use crate::plan::{Plan, addresses, changes, export_fields, plan};
use crate::publish::{Destination, MemoryOutput, lock};
use crate::report::BuildReport;
use crate::site::Site;
use crate::source::{DiskSources, Overlay, Sources};
use crate::template::ThemeFile;

/// The folder beside `tabulae.toml` that holds manifests and caches.
pub const STATE_FOLDER: &str = ".tabulae";

/// The output folder of a build that names no other, beside `tabulae.toml`.
pub const OUTPUT_FOLDER: &str = "out";

/// The page on which a query is run, which gives it its language and the post `this`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum QueryPage<'a> {
    /// No page: posts of all languages are found.
    #[default]
    None,
    /// The page of a post, by its path, its slug or its link.
    Post(&'a str),
    /// Any page in a language, by its tag.
    InLanguage(&'a str),
}

/// A site: a folder with `tabulae.toml`, or files in memory.
///
/// The site is read at the first question that needs it, and once: open the workspace again to see later
/// changes. [`build`](Workspace::build) and [`check`](Workspace::check) always read it anew. Posts with errors
/// are left out of answers; [`diagnostics`](Workspace::diagnostics) has the errors.
#[derive(Debug)]
pub struct Workspace {
    sources: Arc<dyn Sources>,
    clock: Clock,
    include: Include,
    loaded: OnceLock<Collected<Option<Site>>>,
    plan: OnceLock<Collected<Plan>>,
    /// The files as an earlier workspace read them; `None` if they are not kept.
    earlier: Option<Earlier>,
    /// The files that this workspace read, if they are kept.
    scanned: OnceLock<ScannedFiles>,
}

/// Resolves a query, and adds its warnings to `warnings`.
///
/// # Errors
/// If it asks for something unknown; all diagnostics are in the error.
fn resolved(
    query: &Query<Written>,
    scope: Scope<'_>,
    warnings: &mut Diagnostics,
) -> Result<Query<Resolved>, Error> {
    let resolved = query.resolve(scope).into_output(warnings);
    resolved.ok_or_else(|| Error::new(std::mem::take(warnings)))
}

/// A query as text or as made by the builder.
pub trait IntoQuery {
    /// Returns the query.
    ///
    /// # Errors
    /// If it is not well formed.
    fn into_query(self) -> Result<Query<Written>, Box<Diagnostic>>;
}

impl IntoQuery for &str {
    fn into_query(self) -> Result<Query<Written>, Box<Diagnostic>> {
        Query::parse(&EmbeddedText::command_line(self))
    }
}

impl IntoQuery for Builder {
    fn into_query(self) -> Result<Query<Written>, Box<Diagnostic>> {
        self.query()
    }
}

impl IntoQuery for Query<Written> {
    fn into_query(self) -> Result<Query<Written>, Box<Diagnostic>> {
        Ok(self)
    }
}

impl Workspace {
    /// Opens the site in `folder` or in the nearest folder above it that has `tabulae.toml`.
    ///
    /// # Errors
    /// If no folder has it.
    pub fn open(folder: impl AsRef<Path>) -> Result<Self, Error> {
        let folder = folder.as_ref();
        match find_root(folder) {
            Some(root) => Ok(Self::at(root)),
            None => {
                let message = format!("there is no {FILE} in {} or above it", folder.display());
                let help = "name the site's folder, or make a site with `tabulae init DIR`";
                let diagnostic =
                    Diagnostic::error(Code::MissingSettings, Location::top_of(FILE), message);
                Err(diagnostic.help(help).into())
            }
        }
    }

    /// Returns the site in exactly this folder, which is first looked at when the site is read.
    #[must_use]
    pub fn at(root: impl Into<PathBuf>) -> Self {
        Self::from_sources(DiskSources::new(root))
    }

    /// Returns the site whose settings are in `file`; its folder is the site's.
    #[must_use]
    pub fn with_settings(file: impl AsRef<Path>) -> Self {
        let file = file.as_ref();
        let folder = file
            .parent()
            .filter(|folder| !folder.as_os_str().is_empty());
        let sources = DiskSources::new(folder.unwrap_or(Path::new(".")));
        let name = file
            .file_name()
            .map(|name| name.to_string_lossy().into_owned());
        Self::from_sources(sources.settings(name.unwrap_or_default()))
    }

    /// Returns the site whose files `sources` has.
    #[must_use]
    pub fn from_sources(sources: impl Sources + 'static) -> Self {
        Self {
            sources: Arc::new(sources),
            clock: BuildOptions::default().clock,
            include: Include::default(),
            loaded: OnceLock::new(),
            plan: OnceLock::new(),
            earlier: None,
            scanned: OnceLock::new(),
        }
    }

    /// Sets the reference time, which decides what is scheduled or expired. The default is the system's time.
    #[must_use]
    pub fn clock(self, clock: Clock) -> Self {
        Self { clock, ..self }
    }

    /// Sets the states of posts that lists include beside live ones.
    #[must_use]
    pub fn include(self, include: Include) -> Self {
        Self { include, ..self }
    }

    /// Returns the site's folder; `None` for a site in memory.
    #[must_use]
    pub fn root(&self) -> Option<&Path> {
        self.sources.root()
    }

    fn options<'a>(&self, options: BuildOptions<'a>) -> BuildOptions<'a> {
        options.of_site(self.clock, self.include)
    }

    fn loaded(&self) -> &Collected<Option<Site>> {
        self.loaded.get_or_init(|| {
            let options = self.options(BuildOptions::default().keep_going(true));
            let mut diagnostics = Diagnostics::new();
            let site = match &self.earlier {
                Some(earlier) => self.reread(earlier, &options, &mut diagnostics),
                None => Site::read(&*self.sources, &options, &mut diagnostics),
            };
            drop_echoes(&mut diagnostics);
            let levels = options.levels_of(site.as_ref().map(|site| &site.settings));
            let diagnostics = levels.of(diagnostics);
            Collected {
                output: site,
                diagnostics,
            }
        })
    }

    pub(crate) fn site(&self) -> Result<&Site, Error> {
        let Collected {
            output,
            diagnostics,
        } = self.loaded();
        output
            .as_ref()
            .ok_or_else(|| Error::new(diagnostics.clone()))
    }

    fn plan(&self) -> Result<&Plan, Error> {
        let site = self.site()?;
        let planned = self.plan.get_or_init(|| {
            let mut diagnostics = Diagnostics::new();
            let output = plan(site, &mut diagnostics);
            Collected {
                output,
                diagnostics,
            }
        });
        Ok(&planned.output)
    }

    /// Returns the diagnostics of reading the site.
    #[must_use]
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.loaded().diagnostics
    }

    /// Returns the settings.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn settings(&self) -> Result<&Settings, Error> {
        Ok(&self.site()?.settings)
    }

    /// Returns the JSON Schema (draft 7) of an export.
    ///
    /// # Errors
    /// If the site has no export of this name, or cannot be read.
    pub fn export_schema(&self, name: &str) -> Result<serde_json::Value, Error> {
        let site = self.site()?;
        let exports = &site.settings.exports;
        let Some(export) = exports.iter().find(|export| export.name == name) else {
            let location = Source::command_line(name).top();
            let message = format!("there is no export `{name}`");
            let known = exports.iter().map(|export| export.name.as_str());
            let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
            let diagnostic = match exports.is_empty() {
                true => diagnostic.help(format!("write a table `[export.{name}]` in {FILE}")),
                false => diagnostic.suggest(name, known),
            };
            return Err(diagnostic.into());
        };
        let mut diagnostics = Diagnostics::new();
        let fields = export_fields(export, &site.settings, &site.catalogue, &mut diagnostics);
        match diagnostics.is_empty() {
            true => Ok(export::schema(
                (name, export.format),
                &fields,
                &site.catalogue,
            )),
            false => Err(Error::new(diagnostics)),
        }
    }

    /// Returns the addresses that readers notice: feeds, pages of posts, other pages, redirects.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn addresses(&self) -> Result<AddressList, Error> {
        Ok(addresses(self.site()?, self.plan()?))
    }

    /// Returns the changes from other addresses to those of the site.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn changes_from(&self, before: &AddressList) -> Result<AddressChanges, Error> {
        Ok(changes(before, &self.addresses()?, self.plan()?))
    }

    /// Returns the addresses of the last build into an output folder; `None` if no known build wrote it, or one
    /// of a program that did not note addresses.
    pub fn published(&self, output: &mut dyn Destination) -> Option<AddressList> {
        attach(&*self.sources, output);
        output.manifest()?.address_list()
    }

    /// Returns the catalogue of posts and terms.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn catalogue(&self) -> Result<&Catalogue, Error> {
        Ok(&self.site()?.catalogue)
    }

    /// Returns a post by its path, its slug or its link.
    ///
    /// # Errors
    /// If the site cannot be read, or has no such post; with the nearest name.
    pub fn post(&self, name: &str) -> Result<PostRef<'_>, Error> {
        let site = self.site()?;
        Ok(PostRef::new(site, self.find(site, name)?))
    }

    fn find(&self, site: &Site, name: &str) -> Result<PostId, Error> {
        site.find(name, LocaleId::SITE).map_err(|help| {
            let location = Source::command_line(name).top();
            let message = format!("there is no post `{name}`");
            Diagnostic::error(Code::InvalidUsage, location, message)
                .help(help)
                .into()
        })
    }

    /// Runs a query. Its [warnings](Posts::warnings) say, among others, why it finds nothing.
    ///
    /// # Errors
    /// If the site cannot be read, or the query is not well formed or asks for something unknown.
    pub fn query(&self, query: impl IntoQuery) -> Result<Posts<'_>, Error> {
        self.query_on(query, QueryPage::default())
    }

    /// Runs a query as on a page.
    ///
    /// # Errors
    /// As [`query`](Workspace::query), and if there is no such post or language.
    pub fn query_on(&self, query: impl IntoQuery, page: QueryPage<'_>) -> Result<Posts<'_>, Error> {
        let site = self.site()?;
        let (scope, this) = self.scope_on(site, page)?;
        let query = query.into_query()?;
        let mut warnings = Diagnostics::new();
        let resolved = resolved(&query, scope, &mut warnings)?;
        let answer = resolved.run(&site.catalogue, this);
        if answer.total == 0 && !query.is_empty_by(&warnings) {
            warnings.extend(query.why_empty(scope, this));
        }
        // Those that the site's own queries and templates compare are among its diagnostics.
        let lints = kind_lints(&site.catalogue, &site.settings, query.statement()).into_iter();
        let known = &self.loaded().diagnostics;
        warnings.extend(lints.filter(|lint| !known.contains(lint)));
        Ok(Posts {
            site,
            query,
            resolved,
            this,
            locale: scope.locale,
            answer,
            warnings,
        })
    }

    /// Returns the scope of queries on a page, and the post whose page it is.
    fn scope_on<'s>(
        &self,
        site: &'s Site,
        page: QueryPage<'_>,
    ) -> Result<(Scope<'s>, Option<PostId>), Error> {
        match page {
            QueryPage::None => Ok((site.scope(), None)),
            QueryPage::Post(name) => {
                let this = self.find(site, name)?;
                let scope = site.scope().within(site.locale_of(this));
                Ok((scope.on_page(true), Some(this)))
            }
            QueryPage::InLanguage(tag) => match site.settings.locales.find(tag) {
                Some(locale) => Ok((site.scope().within(locale), None)),
                None => {
                    let location = Source::command_line(tag).top();
                    let message = format!("the blog has no language `{tag}`");
                    let known = site.settings.locales.tags();
                    let found = Diagnostic::error(Code::InvalidUsage, location, message);
                    Err(found.suggest(tag, known).into())
                }
            },
        }
    }

    /// Returns how a query is run on a page: the access path, and how many posts are left after
    /// each predicate. Takes as long as running it.
    ///
    /// # Errors
    /// As [`query_on`](Workspace::query_on).
    pub fn query_plan(
        &self,
        query: impl IntoQuery,
        page: QueryPage<'_>,
    ) -> Result<QueryPlan, Error> {
        let site = self.site()?;
        let (scope, this) = self.scope_on(site, page)?;
        let query = resolved(&query.into_query()?, scope, &mut Diagnostics::new())?;
        Ok(query.explain(&site.catalogue, this))
    }

    /// Returns the related posts of a post, with their likeness and what they share; none if the settings
    /// have no `[related]`.
    ///
    /// # Errors
    /// If the site cannot be read, or has no such post.
    pub fn related(&self, name: &str) -> Result<Vec<RelatedPost<'_>>, Error> {
        let site = self.site()?;
        let id = self.find(site, name)?;
        Ok(RelatedPost::of(site, id))
    }

    /// Returns the overview of all lists of related posts.
    ///
    /// # Errors
    /// If the site cannot be read.
    pub fn related_overview(&self) -> Result<RelatedOverview<'_>, Error> {
        Ok(RelatedOverview::new(self.site()?))
    }

    /// Finds all lists of related posts as they would be by other settings, without a build.
    ///
    /// # Errors
    /// If the site or the settings to try cannot be read.
    pub fn try_related(&self, trials: &[Trial]) -> Result<RelatedOverview<'_>, Error> {
        let site = self.site()?;
        let settings = site.settings.with_related(trials).map_err(Error::new)?;
        RelatedOverview::by(site, &settings)
    }

    /// Returns the related posts of a post as they would be by other settings, with their likeness and what they share;
    /// none if they give it no list. Takes as long as the similarity index of all posts.
    ///
    /// # Errors
    /// As [`try_related`](Workspace::try_related), and if there is no such post.
    pub fn try_related_of(
        &self,
        name: &str,
        trials: &[Trial],
    ) -> Result<Vec<RelatedPost<'_>>, Error> {
        let site = self.site()?;
        let id = self.find(site, name)?;
        let settings = site.settings.with_related(trials).map_err(Error::new)?;
        RelatedPost::of_trial(site, &settings, id)
    }

    /// Returns the table `[related]` by other settings, as it is written in a settings file.
    ///
    /// # Errors
    /// As [`try_related`](Workspace::try_related).
    pub fn related_text(&self, trials: &[Trial]) -> Result<String, Error> {
        self.settings()?.related_text(trials).map_err(Error::new)
    }

    /// Explains a post: its state, its fields and where they come from, the lists that have it.
    ///
    /// # Errors
    /// If the site cannot be read, or has no such post.
    pub fn explain(&self, name: &str) -> Result<Explanation, Error> {
        let site = self.site()?;
        let id = self.find(site, name)?;
        Ok(explain(site, self.plan()?, id))
    }

    /// Explains why an archive has or does not have a post.
    ///
    /// # Errors
    /// If the site cannot be read, or there is no such post or archive.
    pub fn membership(&self, name: &str, archive: &str) -> Result<Membership, Error> {
        let site = self.site()?;
        let id = self.find(site, name)?;
        let location = Source::command_line(archive).top();
        Ok(membership(site, self.plan()?, id, archive, location)?)
    }

    /// Returns the terms of a field, or of all term fields, with their use and near-duplicates.
    ///
    /// # Errors
    /// If the site cannot be read, or has no such term field.
    pub fn terms(&self, field: Option<&str>) -> Result<Vec<FieldTerms<'_>>, Error> {
        let location = || Source::command_line(field.unwrap_or_default()).top();
        Ok(terms(self.site()?, field, location)?)
    }

    /// Returns the text of a file of the theme. The styles depend on the languages of the site; without a site that
    /// can be read they are those of a blog in English.
    #[must_use]
    pub fn theme_text(&self, file: &ThemeFile) -> String {
        match self.settings() {
            Ok(settings) => file.text_for(settings),
            Err(_) => file.text_for(&Settings::read(&Source::new("tabulae.toml", "")).output),
        }
    }

    /// Checks the site as a build would, templates too, and writes nothing. Returns all diagnostics.
    #[must_use]
    pub fn check(&self) -> Vec<Diagnostic> {
        self.check_sources(&*self.sources)
    }

    /// Checks the site as [`check`](Self::check) does; `None` if `cancel` is set before the end.
    #[must_use]
    pub fn check_unless(&self, cancel: &AtomicBool) -> Option<Vec<Diagnostic>> {
        let built = self.dry_build(&*self.sources, BuildOptions::default().cancel(cancel));
        (!built.output.cancelled && !cancel.load(Ordering::Relaxed)).then_some(built.diagnostics)
    }

    /// Checks the site with texts in place of some files, such as the buffers of an editor. Paths are below
    /// the site's folder, with `/`. A text may be of a file that does not exist.
    #[must_use]
    pub fn check_with<P: Into<String>, T: Into<String>>(
        &self,
        texts: impl IntoIterator<Item = (P, T)>,
    ) -> Vec<Diagnostic> {
        let texts = texts.into_iter();
        let texts: BTreeMap<String, Option<String>> = texts
            .map(|(path, text)| (path.into(), Some(text.into())))
            .collect();
        self.check_sources(&Overlay::new(Arc::clone(&self.sources), texts))
    }

    fn check_sources(&self, sources: &dyn Sources) -> Vec<Diagnostic> {
        self.dry_build(sources, BuildOptions::default()).diagnostics
    }

    /// Builds the site of some sources without writing anything.
    fn dry_build(
        &self,
        sources: &dyn Sources,
        options: BuildOptions<'_>,
    ) -> Collected<BuildReport> {
        let options = self.options(options.dry_run(true));
        build(sources, &mut MemoryOutput::default(), &options)
    }

    /// Builds the site. A build that is cancelled writes nothing, and says so in its report.
    ///
    /// # Errors
    /// If there is any error; nothing was written then, but for errors of the disk while outputs are put in
    /// place. With `keep_going`, errors of posts that are left out are only in the report.
    pub fn build(
        &self,
        output: &mut dyn Destination,
        options: BuildOptions<'_>,
    ) -> Result<BuildReport, Error> {
        self.session().build(output, options)
    }

    /// Begins a session of builds, each of which starts from the site that the last one read.
    #[must_use]
    pub fn session(&self) -> BuildSession {
        BuildSession::new(self)
    }

    /// Audits the site and what was built of it: the diagnostics of a build, and lints. Writes nothing. Lint
    /// levels of the settings are not applied; the settings are returned if they could be read.
    pub fn audit(
        &self,
        output: &mut dyn Destination,
        options: BuildOptions<'_>,
    ) -> (Vec<Diagnostic>, Option<Settings>) {
        attach(&*self.sources, output);
        let found = audit(&*self.sources, output, &self.options(options));
        (found.diagnostics, found.output)
    }

    /// Returns the lints of [`audit`](Self::audit) for the site as it was read, by the levels of the settings, without those
    /// of `found`: the diagnostics of [`check`](Self::check).
    pub fn lints(&self, output: &mut dyn Destination, found: &[Diagnostic]) -> Vec<Diagnostic> {
        attach(&*self.sources, output);
        let (Ok(site), Ok(plan)) = (self.site(), self.plan()) else {
            return Vec::new();
        };
        let lints = lints((site, plan), &*self.sources, output, found);
        let levels = BuildOptions::default().levels_of(Some(&site.settings));
        levels.of(lints)
    }

    /// Fills the placeholders in the HTML pages of a folder. It holds the lock of `output`, so that no build
    /// runs at the same time. Nothing is written in a dry run, or if there is an error.
    ///
    /// # Errors
    /// If there is any error.
    pub fn weave(
        &self,
        pages: impl Into<PathBuf>,
        output: &mut dyn Destination,
        options: BuildOptions<'_>,
    ) -> Result<WeaveReport, Error> {
        attach(&*self.sources, output);
        if !options.dry_run {
            lock(output)?;
        }
        let pages = PageFolder::new(pages);
        let woven = weave(&*self.sources, &pages, &self.options(options));
        if !options.dry_run {
            output.release();
        }
        match woven.output {
            Some(report) if !woven.diagnostics.iter().any(Diagnostic::is_error) => {
                Ok(WeaveReport {
                    diagnostics: woven.diagnostics,
                    ..report
                })
            }
            _ => Err(Error::new(woven.diagnostics)),
        }
    }
}

/// Tells an output folder where the site keeps its state, if the site is on disk.
fn attach(sources: &dyn Sources, output: &mut dyn Destination) {
    if let Some(root) = sources.root() {
        output.attach(&root.join(STATE_FOLDER));
    }
}
