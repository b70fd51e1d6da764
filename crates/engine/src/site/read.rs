//! Reading a site: settings, posts on all threads, notes, pages, templates.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::AtomicUsize;
use std::sync::{Arc, Mutex, OnceLock};

use indexmap::IndexMap;
use rustc_hash::{FxBuildHasher, FxHashSet};
use tabulae_core::catalogue::Catalogue;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::key_lints::key_lints;
use tabulae_core::note::TermNote;
use tabulae_core::post::{Include, Post, report_undated_sets};
use tabulae_core::query::{Library, Scope};
use tabulae_core::related::likeness;
use tabulae_core::settings::{self, ContentSet, Settings};
use tabulae_core::source::{Location, Source, Span};
use tabulae_core::template_tags;
use tabulae_core::time::Moment;
use tabulae_core::yields::Claims;

use super::cached::{Errors, PreviousPosts};
use super::content_files::Found;
use super::counting::CountingTexts;
use super::files::{self, as_text, list, list_all, read_bytes, unreadable};
use super::markdown::{Highlighter, MarkdownStyle};
use super::pages::Pages;
use super::posts::Reading;
use super::query_traits::QueryTraits;
use super::term_notes::read_notes;
use super::used_keys::UsedKeys;
use super::{File, Page, RelatedLists, Site};
use crate::fingerprint::Fingerprint;
use crate::options::BuildOptions;
use crate::source::Sources;

impl Site {
    /// Reads a site. `None` where there is nothing to go on with.
    pub(crate) fn read(
        sources: &dyn Sources,
        options: &BuildOptions<'_>,
        diagnostics: &mut Diagnostics,
    ) -> Option<Self> {
        let settings = read_settings(sources, diagnostics)?;
        Some(Self::read_by(settings, sources, None, options, diagnostics))
    }

    /// Reads a site whose settings were read. `previous` are the posts of the last build, or `None` if
    /// posts are not cached.
    pub(crate) fn read_by(
        mut settings: Settings,
        sources: &dyn Sources,
        previous: Option<PreviousPosts<'_>>,
        options: &BuildOptions<'_>,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let moment = Moment {
            now: options.clock.now(&settings.site.timezone),
            zone: settings.site.timezone.clone(),
        };
        let none = BTreeMap::new();
        let known = previous.map_or(&none, |previous| previous.code);
        let kept = previous.and_then(|previous| previous.kept);
        let errors: Errors = kept
            .map(|kept| Arc::clone(&kept.errors))
            .unwrap_or_default();
        let highlighter = Arc::new(Highlighter::new(known));
        let style = MarkdownStyle::new(&settings, &highlighter);
        let found = Found::look(sources, &settings, diagnostics);
        // Posts may be read again after the settings are settled.
        let as_read = settings.clone();
        let reading = Reading {
            sources,
            settings: &as_read,
            moment: &moment,
            previous,
            progress: options.progress,
            html: AtomicUsize::new(0),
            counting: CountingTexts::new(&settings),
            style: style.clone(),
            reread_errors: errors,
        };
        let reread_errors = Arc::clone(&reading.reread_errors);
        let (posts, cached) = reading.posts(&found.posts, diagnostics);
        report_undated_sets(&posts, &settings, diagnostics);
        let notes = read_notes(sources, (&settings, &style), &moment, diagnostics);
        let mut pages = Pages::read(
            sources,
            (&settings, &style),
            &moment,
            options.include,
            diagnostics,
        );
        pages.add_homes(&settings, &languages_of(&posts, options.include));
        let templates = read_templates(sources, settings.site.source_limit, diagnostics);
        let assets = read_assets(sources, diagnostics);
        settings.settle(&claims(&pages.pages, &assets));
        let again = || reading.posts(&found.posts, &mut Diagnostics::new()).0;
        let read = (posts, &again as &dyn Fn() -> AllPosts);
        let mut catalogue = catalogue(read, &notes, &settings, &moment, options, diagnostics);
        let counting = reading.counting;
        let previous = previous.filter(|previous| previous.same_configuration);
        catalogue.know_words(counting.known(previous, &cached));
        let used = UsedKeys::of(&settings, &templates, &pages.pages);
        let others = found.others.into_iter().chain(pages.others);
        let (lints, files) = rayon::join(
            || {
                let mut lints = key_lints(&catalogue, &settings, &|key| used.has(key));
                let include = options.include;
                lints.extend(template_tag_lints(
                    &catalogue,
                    include,
                    &pages.pages,
                    sources,
                ));
                lints
            },
            || files_of(&catalogue, &pages.pages, others),
        );
        diagnostics.extend(lints);
        let library = Library::new(&settings, &catalogue, &moment).into_output(diagnostics);
        let scopes = settings.locales.ids();
        let scopes = scopes.map(|id| Scope::new(&catalogue, &library, &moment).within(id));
        let scopes: Vec<Scope<'_>> = scopes.collect();
        let related = RelatedLists::new(&settings, &scopes, diagnostics);
        let likeness = scopes
            .iter()
            .map(|scope| likeness(&settings, *scope))
            .collect();
        Self {
            configuration: configuration(&settings, options),
            markdown: style,
            highlighter,
            reread_errors,
            sources: sources.share(),
            cached: Arc::new(cached),
            query_traits: QueryTraits::of(&settings),
            related,
            related_to: catalogue.all().map(|_| OnceLock::new()).collect(),
            related_before: OnceLock::new(),
            likeness,
            other_names: names_of_others(&files),
            files,
            image_sizes: Mutex::default(),
            posts_read: found.posts.len(),
            pages_read: pages.read,
            found: match options.keep_going {
                true => found.posts.into_iter().map(|(_, path)| path).collect(),
                false => BTreeSet::new(),
            },
            pages: pages.pages,
            include: options.include,
            settings,
            moment,
            catalogue,
            library,
            notes,
            templates,
            assets,
        }
    }
}

/// The posts of a site, some of which an earlier reading has as well.
type AllPosts = Vec<Arc<Post>>;

/// Returns the languages in which there are listed posts.
fn languages_of(posts: &[Arc<Post>], include: Include) -> BTreeSet<LocaleId> {
    let listed = posts.iter().filter(|post| include.lists(post.exclusion));
    listed.map(|post| post.locale).collect()
}

/// Returns the catalogue. A build that keeps going leaves out posts with errors. Those that the catalogue
/// finds are left out, too, and the catalogue is made again, of posts that are read `again`.
fn catalogue(
    (mut posts, again): (AllPosts, &dyn Fn() -> AllPosts),
    notes: &[TermNote],
    settings: &Settings,
    moment: &Moment,
    options: &BuildOptions<'_>,
    diagnostics: &mut Diagnostics,
) -> Catalogue {
    let of = |posts: AllPosts| {
        let (notes, today) = (notes.to_vec(), moment.today());
        Catalogue::new(posts, notes, settings, options.include, today)
    };
    if !options.keep_going {
        return of(posts).into_output(diagnostics);
    }
    loop {
        drop_broken(&mut posts, diagnostics);
        let before = diagnostics.len();
        let catalogue = of(posts).into_output(diagnostics);
        if !names_post(&catalogue, &diagnostics[before..]) {
            return catalogue;
        }
        posts = again();
    }
}

/// Returns a warning for each post and page whose text has the tag of a template, which is published as it is written.
fn template_tag_lints(
    catalogue: &Catalogue,
    include: Include,
    pages: &[Page],
    sources: &dyn Sources,
) -> Diagnostics {
    let posts = catalogue.all().map(|id| catalogue.post(id));
    let posts = posts.filter(|post| include.has_page(post.exclusion));
    let pages = pages.iter().filter(|page| page.template.is_none());
    let tags = posts
        .chain(pages.map(|page| &page.post))
        .filter_map(|post| Some((post, post.template_tag?)));
    let lints = tags.filter_map(|(post, number)| {
        let text = String::from_utf8(sources.read(&post.path).ok()?).ok()?;
        let source = Source::new(&post.path, &text);
        let body = post.source.text().len();
        let at = body + template_tags::nth(source.text().get(body..)?, number)?;
        let location = source.location(Span::new(at, at + 2));
        let message = "this is published as it is written: the text of a post or page is not a template";
        Some(Diagnostic::warning(Code::UnrenderedTemplate, location, message).help(
            "write a placeholder, such as `<!-- tabulae query \"from posts limit 5\" --><!-- tabulae end -->`, or the page as `pages/NAME.html`, which is a template; put it between backquotes to show it",
        ))
    });
    lints.collect()
}

/// Returns the addresses of pages and assets, each with its source.
fn claims(pages: &[Page], assets: &[String]) -> Claims {
    let of_page = |page: &Page| (page.link.plain.clone(), format!("`{}`", page.post.path));
    let of_asset = |path: &String| {
        let link = format!("/{path}");
        let folder = link
            .strip_suffix("index.html")
            .filter(|link| link.ends_with('/'));
        let link = folder.unwrap_or(&link).to_owned();
        (link, format!("`assets/{path}`"))
    };
    let pages = pages.iter().map(of_page);
    pages.chain(assets.iter().map(of_asset)).collect()
}

/// Returns the fingerprint of the settings and of the options that decide what is built.
pub(crate) fn configuration(settings: &Settings, options: &BuildOptions<'_>) -> u64 {
    let Include {
        drafts,
        scheduled,
        expired,
        unlisted,
    } = options.include;
    let flags = [drafts, scheduled, expired, unlisted, options.keep_going];
    let mut all = Fingerprint::new();
    let part = options.part.map(|part| part.to_string());
    all.text(part.as_deref().unwrap_or_default());
    all.text(settings.source.text());
    for set in &settings.content {
        all.text(&set.name);
    }
    flags.iter().for_each(|flag| {
        all.number(u64::from(*flag));
    });
    all.done()
}

pub(crate) fn read_settings(
    sources: &dyn Sources,
    diagnostics: &mut Diagnostics,
) -> Option<Settings> {
    let file = sources.settings_file();
    let text = match read_bytes(sources, file, settings::SOURCE_LIMIT) {
        Ok(bytes) => as_text(file, bytes, diagnostics)?,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            let message = format!("there is no {file} here");
            diagnostics.push(
                Diagnostic::error(Code::MissingSettings, Location::top_of(file), message)
                    .help("go to the site's folder, name it with `-C DIR`, or make a site with `tabulae init DIR`"),
            );
            return None;
        }
        Err(error) => {
            diagnostics.push(unreadable(file, &error));
            return None;
        }
    };
    let source = Source::new(file, &text);
    let mut settings = Settings::read(&source).into_output(diagnostics);
    let has_folder = |set: &ContentSet| matches!(sources.list(&set.folder), Ok(Some(_)));
    let mut implicit = settings.content.iter().filter(|set| set.is_implicit);
    // Without another set its folder must exist, which is found out later.
    if let Some(set) = implicit.next().filter(|_| settings.content.len() > 1) {
        let has_folder = has_folder(set);
        if let Err(diagnostic) = settings.settle_content(has_folder) {
            diagnostics.push(*diagnostic);
        }
    }
    sources.set_follow_links(settings.site.follow_links);
    let broken = diagnostics
        .iter()
        .any(|diagnostic| diagnostic.code == Code::SettingsSyntax);
    (!broken).then_some(settings)
}

/// Returns true if a post of a catalogue has an error.
fn names_post(catalogue: &Catalogue, diagnostics: &[Diagnostic]) -> bool {
    let broken = broken_files(diagnostics);
    let mut posts = catalogue.all().map(|id| catalogue.post(id));
    !broken.is_empty() && posts.any(|post| broken.contains(post.path.as_str()))
}

/// Removes posts with errors.
fn drop_broken(posts: &mut Vec<Arc<Post>>, diagnostics: &[Diagnostic]) {
    let broken = broken_files(diagnostics);
    posts.retain(|post| !broken.contains(post.path.as_str()));
}

/// Returns the files that have errors.
fn broken_files(diagnostics: &[Diagnostic]) -> BTreeSet<&str> {
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error());
    errors
        .filter_map(|diagnostic| diagnostic.location.file.as_deref())
        .collect()
}

/// Whose each file is, by its path, in their order.
fn files_of(
    catalogue: &Catalogue,
    pages: &[Page],
    others: impl Iterator<Item = String>,
) -> IndexMap<String, File, FxBuildHasher> {
    let of_post = |id| (catalogue.post(id).path.clone(), File::Post(id));
    let of_page = |(at, page): (usize, &Page)| (page.post.path.clone(), File::Page(at));
    let mut files: IndexMap<String, File, FxBuildHasher> = others
        .map(|path| (path, File::Other))
        .chain(catalogue.all().map(of_post))
        // A home page in a further language has the file of that in the site's.
        .chain(pages.iter().enumerate().rev().map(of_page))
        .collect();
    files.sort_unstable_keys();
    files
}

/// Returns the names of the files that are neither posts nor pages.
fn names_of_others(files: &IndexMap<String, File, FxBuildHasher>) -> FxHashSet<String> {
    let others = files.iter().filter(|(_, file)| **file == File::Other);
    let names = others.filter_map(|(path, _)| path.rsplit('/').next());
    names.map(str::to_owned).collect()
}

/// The files of `assets/`, below it; also those that are passed over elsewhere.
fn read_assets(sources: &dyn Sources, diagnostics: &mut Diagnostics) -> Vec<String> {
    let assets = list_all(sources, "assets", diagnostics).unwrap_or_default();
    let below = assets
        .iter()
        .filter_map(|path| path.strip_prefix("assets/"));
    below.map(str::to_owned).collect()
}

/// The templates of the site's own: name and text.
fn read_templates(
    sources: &dyn Sources,
    limit: usize,
    diagnostics: &mut Diagnostics,
) -> Vec<(String, String)> {
    let files = list(sources, "templates", diagnostics).unwrap_or_default();
    let read = files.iter().filter_map(|path| {
        let name = path.trim_start_matches("templates/").to_owned();
        Some((name, files::read(sources, path, limit, diagnostics)?))
    });
    read.collect()
}
