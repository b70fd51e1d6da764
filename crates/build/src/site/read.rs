//! Reading a site: settings, posts on all threads, notes, pages, templates.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::AtomicUsize;
use std::sync::{Arc, OnceLock};

use tabulae_core::catalogue::{Catalogue, TermNote};
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::front_matter;
use tabulae_core::likeness::looks_into_texts;
use tabulae_core::post::{Body, Include, Post, assemble, has_title};
use tabulae_core::query::ast::Statement;
use tabulae_core::query::{Library, Query};
use tabulae_core::related::{RelatedList, likeness};
use tabulae_core::route::{Link, Pattern};
use tabulae_core::settings::{self, ContentSet, Settings};
use tabulae_core::source::{Place, Source, Spanned};
use tabulae_core::time::Moment;
use tabulae_core::value::Value;
use tabulae_core::words::{Counting, KnownWords};

use super::posts::{Reading, body_of};
use super::{File, Page, Site, folder_of};
use crate::Options;
use crate::cache::{Bytes, Kept, Needs, Store};
use crate::fingerprint::Fingerprint;
use crate::markdown;
use crate::sources::Sources;

/// A content set's files.
struct Found {
    posts: Vec<(usize, String)>,
    others: Vec<String>,
}

impl Site {
    /// Reads a site. `None` where there is nothing to go on with.
    pub fn read(sources: &dyn Sources, options: &Options<'_>, faults: &mut Faults) -> Option<Self> {
        let settings = read_settings(sources, faults)?;
        Some(Self::read_by(settings, sources, None, options, faults))
    }

    /// Reads a site whose settings were read, with what the last build kept of its posts, if it
    /// is to be kept for the next one.
    pub(crate) fn read_by(
        settings: Settings,
        sources: &dyn Sources,
        old: Option<&Store>,
        options: &Options<'_>,
        faults: &mut Faults,
    ) -> Self {
        let asked = asked(&settings, options);
        let moment = Moment {
            now: options.clock.now(&settings.site.timezone),
            zone: settings.site.timezone.clone(),
        };
        let found = find_posts(sources, &settings, faults);
        let reading = Reading {
            sources,
            settings: &settings,
            moment: &moment,
            old: old.map(|old| (old, old.asked == asked)),
            progress: options.progress,
            html: AtomicUsize::new(0),
            counting: counting(&settings),
        };
        let (mut posts, kept) = reading.posts(&found.posts, faults);
        let counted = reading.counting.unwrap_or_default();
        let posts_read = found.posts.len();
        let notes = read_notes(sources, &settings, &moment, faults);
        let (pages, pages_read, page_files) =
            read_pages(sources, &settings, &moment, options.include, faults);
        let templates = read_templates(sources, faults);
        let assets = list(sources, "assets", faults).unwrap_or_default();
        let assets = assets
            .iter()
            .filter_map(|path| path.strip_prefix("assets/"))
            .map(str::to_owned)
            .collect();
        if options.keep_going {
            drop_broken(&mut posts, faults);
        }
        let mut catalogue = loop {
            let today = moment.today();
            // Only a build that keeps going may need the posts once more.
            let these = if options.keep_going {
                posts.clone()
            } else {
                std::mem::take(&mut posts)
            };
            let made = Catalogue::new(these, notes.clone(), &settings, options.include, today);
            let before = faults.len();
            let catalogue = made.into_output(faults);
            let broken = options.keep_going && drop_broken_since(&mut posts, faults, before);
            if !broken {
                break catalogue;
            }
        };
        let library = Library::new(&settings, &catalogue, &moment).into_output(faults);
        let related =
            RelatedList::new(&settings, &catalogue, &library, &moment).into_output(faults);
        let likeness = likeness(&settings, &catalogue, &library, &moment);
        let mut files: BTreeMap<String, File> = BTreeMap::new();
        files.extend(
            found
                .others
                .into_iter()
                .chain(page_files)
                .map(|path| (path, File::Other)),
        );
        let of_post = |id| (catalogue.post(id).path.clone(), File::Post(id));
        files.append(&mut catalogue.all().map(of_post).collect());
        files.extend(
            pages
                .iter()
                .enumerate()
                .map(|(at, page)| (page.post.path.clone(), File::Page(at))),
        );
        let old = old.filter(|old| old.asked == asked);
        let known = old.map(|old| known_words(old, &kept));
        catalogue.know_words(KnownWords {
            counted,
            ..known.unwrap_or_default()
        });
        let needs = Needs::new(&catalogue);
        let related_to = catalogue.all().map(|_| OnceLock::new()).collect();
        let statements = statements(&settings);
        Self {
            asked,
            kept: Arc::new(kept),
            needs,
            settings_last: statements
                .iter()
                .map(|known| known.lasts())
                .max()
                .unwrap_or_default(),
            settings_name_texts: statements.iter().any(Statement::looks_into_texts),
            settings_name_summaries: statements.iter().any(|known| known.names("summary")),
            settings_name_likeness: statements.iter().any(|known| known.names("likeness")),
            settings,
            moment,
            include: options.include,
            catalogue,
            library,
            related,
            related_to,
            likeness,
            pages,
            notes,
            templates,
            assets,
            posts_read,
            pages_read,
            files,
            found: match options.keep_going {
                true => found.posts.into_iter().map(|(_, path)| path).collect(),
                false => BTreeSet::new(),
            },
        }
    }
}

/// The words of posts whose files are as they were when their words were counted.
fn known_words(old: &Store, kept: &BTreeMap<String, Kept>) -> KnownWords {
    let words = kept.iter().filter(|(_, kept)| !kept.words.is_empty());
    let words = words.map(|(path, kept)| (path.clone(), kept.words.clone()));
    let words: BTreeMap<String, Bytes> = words.collect();
    KnownWords {
        stems: old.stems.to_vec(),
        of: Some(Box::new(move |post| {
            postcard::from_bytes(words.get(&post.path)?).ok()
        })),
        ..KnownWords::default()
    }
}

/// What counts the words of texts while posts are read, where their likeness will be asked for: a
/// text that is not kept would have to be made once more.
fn counting(settings: &Settings) -> Option<Counting> {
    let related = settings.related.as_ref()?;
    looks_into_texts(related).then(|| Counting::new(&settings.site.language))
}

/// What a build is asked for: the settings' text and the options that decide what is made.
pub(crate) fn asked(settings: &Settings, options: &Options<'_>) -> u64 {
    let Include {
        drafts,
        scheduled,
        expired,
        unlisted,
    } = options.include;
    let flags = [drafts, scheduled, expired, unlisted, options.keep_going];
    let mut asked = Fingerprint::new();
    asked.text(settings.source.text());
    flags.iter().for_each(|flag| {
        asked.number(u64::from(*flag));
    });
    asked.done()
}

/// The statements that the settings hold, as far as they can be read.
fn statements(settings: &Settings) -> Vec<Statement> {
    let named = settings.queries.iter().map(|(_, query)| query);
    let archives = settings
        .archives
        .iter()
        .filter_map(|archive| archive.query.as_ref());
    let feeds = settings.feeds.iter().filter_map(|feed| feed.query.as_ref());
    let related = settings.related.iter();
    let related = related.flat_map(|related| related.query.iter().chain(&related.fill));
    named
        .chain(archives)
        .chain(feeds)
        .chain(related)
        .filter_map(|query| Query::parse(query).ok())
        .map(|query| query.statement().clone())
        .collect()
}

pub(crate) fn read_settings(sources: &dyn Sources, faults: &mut Faults) -> Option<Settings> {
    let text = match sources.read(settings::FILE) {
        Ok(bytes) => as_text(settings::FILE, bytes, faults)?,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            faults.push(
                Diagnostic::error(Code::SettingsMissing, Place::top_of(settings::FILE), "there is no tabulae.toml here")
                    .help("go to the site's folder, name it with `-C DIR`, or make a site with `tabulae init DIR`"),
            );
            return None;
        }
        Err(error) => {
            faults.push(unreadable(settings::FILE, &error));
            return None;
        }
    };
    let source = Source::new(settings::FILE, &text);
    let settings = Settings::read(&source).into_output(faults);
    let broken = faults
        .iter()
        .any(|fault| fault.code == Code::SettingsUnreadable);
    (!broken).then_some(settings)
}

pub(crate) fn unreadable(path: &str, error: &std::io::Error) -> Diagnostic {
    Diagnostic::error(
        Code::FileUnreadable,
        Place::top_of(path),
        format!("cannot read `{path}`: {}", reason(error)),
    )
    .help("look at the file's permissions, or take it away")
}

/// Why a file could not be used, without the system's number.
pub(crate) fn reason(error: &std::io::Error) -> String {
    let text = error.to_string();
    match text.split_once(" (os error") {
        Some((reason, _)) => reason.to_lowercase(),
        None => text,
    }
}

/// The bytes as UTF-8; the first byte that is none is a fault at its place.
pub(super) fn as_text(path: &str, bytes: Vec<u8>, faults: &mut Faults) -> Option<String> {
    match String::from_utf8(bytes) {
        Ok(text) => Some(text),
        Err(error) => {
            let good = error.utf8_error().valid_up_to();
            let bytes = error.into_bytes();
            let text = String::from_utf8_lossy(&bytes[..good]).into_owned();
            let mut place =
                Source::new(path, &text).place(tabulae_core::source::Span::new(good, good + 1));
            place.excerpt = None;
            faults.push(
                Diagnostic::error(
                    Code::NotText,
                    place,
                    format!(
                        "`{path}` is not UTF-8 text: the byte {:#04x} begins no character",
                        bytes[good]
                    ),
                )
                .help("save the file as UTF-8"),
            );
            None
        }
    }
}

fn read_text(sources: &dyn Sources, path: &str, faults: &mut Faults) -> Option<String> {
    match sources.read(path) {
        Ok(bytes) => as_text(path, bytes, faults),
        Err(error) => {
            faults.push(unreadable(path, &error));
            None
        }
    }
}

/// The files below a folder; those that editors and systems leave there are passed over.
fn list(sources: &dyn Sources, folder: &str, faults: &mut Faults) -> Option<Vec<String>> {
    match sources.list(folder) {
        Ok(files) => files,
        Err((path, error)) => {
            faults.push(unreadable(&path, &error));
            None
        }
    }
}

fn is_left_over(path: &str) -> bool {
    path.split('/').any(|step| {
        step.starts_with('.')
            || step.ends_with('~')
            || (step.starts_with('#') && step.ends_with('#'))
    })
}

pub(super) fn ending(path: &str) -> &str {
    path.rsplit_once('.').map_or("", |(_, ending)| ending)
}

fn find_posts(sources: &dyn Sources, settings: &Settings, faults: &mut Faults) -> Found {
    let mut found = Found {
        posts: Vec::new(),
        others: Vec::new(),
    };
    let mut empty = Faults::new();
    for (number, set) in settings.content.iter().enumerate() {
        let place = settings.source.place(set.place);
        let before = faults.len();
        let Some(files) = list(sources, &set.folder, faults) else {
            if faults.len() == before {
                faults.push(
                    Diagnostic::error(
                        Code::ContentMissing,
                        place,
                        format!(
                            "there is no folder `{}` for the posts of `{}`",
                            set.folder, set.name
                        ),
                    )
                    .help(format!(
                        "make the folder, or name another: `[content.{}]` with `folder = \"…\"`",
                        set.name
                    )),
                );
            }
            continue;
        };
        let mut count = 0;
        let inner: Vec<String> = settings
            .content
            .iter()
            .filter(|other| other.folder.starts_with(&format!("{}/", set.folder)))
            .map(|other| format!("{}/", other.folder))
            .collect();
        let of_another = |path: &str| inner.iter().any(|folder| path.starts_with(folder));
        for path in files
            .into_iter()
            .filter(|path| !is_left_over(path) && !of_another(path))
        {
            if matches!(ending(&path), "md" | "html") {
                found.posts.push((number, path));
                count += 1;
            } else {
                found.others.push(path);
            }
        }
        if count == 0 {
            empty.push(
                Diagnostic::warning(
                    Code::ContentEmpty,
                    place,
                    format!("the folder `{}` holds no posts", set.folder),
                )
                .help("a post is a file that ends in .md or .html"),
            );
        }
    }
    let missing = faults
        .iter()
        .any(|fault| fault.code == Code::ContentMissing);
    if found.posts.is_empty() && !missing {
        for fault in &mut empty {
            fault.severity = tabulae_core::diagnostic::Severity::Error;
        }
    }
    faults.extend(empty);
    found
}

/// Takes the posts away in which an error stands.
fn drop_broken(posts: &mut Vec<Post>, faults: &Faults) {
    drop_broken_since(posts, faults, 0);
}

fn drop_broken_since(posts: &mut Vec<Post>, faults: &Faults, since: usize) -> bool {
    let errors = faults[since..].iter().filter(|fault| fault.is_error());
    let broken: BTreeSet<&str> = errors
        .filter_map(|fault| fault.place.file.as_deref())
        .collect();
    let before = posts.len();
    posts.retain(|post| !broken.contains(post.path.as_str()));
    posts.len() < before
}

fn read_notes(
    sources: &dyn Sources,
    settings: &Settings,
    moment: &Moment,
    faults: &mut Faults,
) -> Vec<TermNote> {
    let mut notes = Vec::new();
    for path in list(sources, "terms", faults).unwrap_or_default() {
        if is_left_over(&path) || ending(&path) != "md" {
            continue;
        }
        let mut steps = path.splitn(3, '/').skip(1);
        let (Some(name), Some(file)) = (steps.next(), steps.next()) else {
            faults.push(
                Diagnostic::warning(
                    Code::KeyUnknown,
                    Place::top_of(&path),
                    "a term note stands in the folder of its term field",
                )
                .help("move it to a folder such as terms/tag/"),
            );
            continue;
        };
        let Some(field) = settings.term_fields.iter().position(|field| field.is(name)) else {
            let known = settings.term_fields.iter().map(|field| field.name.as_str());
            faults.push(
                Diagnostic::error(
                    Code::KeyUnknown,
                    Place::top_of(&path),
                    format!("`{name}` is not a term field"),
                )
                .suggest(name, known),
            );
            continue;
        };
        notes.extend(read_note(
            sources,
            moment,
            &path,
            field,
            file.trim_end_matches(".md"),
            faults,
        ));
    }
    notes
}

/// The keys of a term note.
const NOTE_KEYS: [&str; 3] = ["title", "slug", "spellings"];

fn read_note(
    sources: &dyn Sources,
    moment: &Moment,
    path: &str,
    field: usize,
    name: &str,
    faults: &mut Faults,
) -> Option<TermNote> {
    let text = read_text(sources, path, faults)?;
    let source = Source::new(path, &text);
    let front = front_matter::read(&source, &moment.zone).into_output(faults);
    let mut note = TermNote {
        field,
        name: name.to_owned(),
        title: None,
        slug: None,
        spellings: Vec::new(),
        html: markdown::render(&source.text()[front.body..], true)
            .html
            .get()
            .into_owned(),
        source: source.head(front.body),
    };
    for entry in &front.map.entries {
        let span = entry.value.span;
        let written = entry
            .value
            .node
            .written()
            .map(|text| Spanned::new(text.trim().to_owned(), span));
        match (entry.key.node.as_str(), &entry.value.node, written) {
            ("title", _, Some(text)) => note.title = Some(text),
            ("slug", _, Some(text)) => {
                if let Some(bad) = tabulae_core::term::slug_fault(&text.node) {
                    faults.push(
                        Diagnostic::error(
                            Code::SlugUnfit,
                            source.place(span),
                            format!("the slug \"{}\" holds `{bad}`, which it may not", text.node),
                        )
                        .help("a slug holds letters, digits, marks and `-` `_` `.` `~`"),
                    );
                }
                note.slug = Some(text);
            }
            ("spellings", Value::List(items), _) => {
                note.spellings.extend(items.iter().filter_map(|item| {
                    Some(Spanned::new(
                        item.node.written()?.trim().to_owned(),
                        item.span,
                    ))
                }))
            }
            ("spellings", _, Some(text)) => note.spellings.push(text),
            (key, value, _) if NOTE_KEYS.contains(&key) => faults.push(
                Diagnostic::error(
                    Code::TypeUnfit,
                    source.place(span),
                    format!(
                        "`{key}` is {}, and this is {}",
                        if key == "spellings" {
                            "a list of texts"
                        } else {
                            "text"
                        },
                        value.kind().article()
                    ),
                )
                .help(format!("write `{key}: …`")),
            ),
            (key, ..) => faults.push(
                Diagnostic::error(
                    Code::KeyUnknown,
                    source.place(entry.key.span),
                    format!("a term note has no `{key}`"),
                )
                .suggest(key, NOTE_KEYS),
            ),
        }
    }
    Some(note)
}

/// The content set that pages are read by.
fn page_set() -> ContentSet {
    ContentSet {
        name: "pages".to_owned(),
        folder: "pages".to_owned(),
        place: tabulae_core::source::Span::default(),
        link: Pattern::fixed("/"),
        dated: false,
        pages: true,
        draft: false,
        fields: Vec::new(),
    }
}

fn read_pages(
    sources: &dyn Sources,
    settings: &Settings,
    moment: &Moment,
    include: Include,
    faults: &mut Faults,
) -> (Vec<Page>, usize, Vec<String>) {
    let set = page_set();
    let mut pages = Vec::new();
    let mut others = Vec::new();
    let mut read = 0;
    for path in list(sources, "pages", faults).unwrap_or_default() {
        if is_left_over(&path) {
            continue;
        }
        if !matches!(ending(&path), "md" | "html") {
            others.push(path);
            continue;
        }
        read += 1;
        let Some(text) = read_text(sources, &path, faults) else {
            continue;
        };
        let source = Source::new(&path, &text);
        let before = faults.len();
        let front = front_matter::read(&source, &moment.zone).into_output(faults);
        if faults.len() > before {
            continue;
        }
        let is_template = ending(&path) == "html";
        let template = is_template.then(|| template_text(&source, front.body));
        let body = if is_template {
            Body::default()
        } else {
            body_of(
                &path,
                &source.text()[front.body..],
                has_title(&front.map, &set),
            )
        };
        let post =
            assemble(&path, (0, &set), settings, moment, &source, front, body).into_output(faults);
        if include.has_page(post.state) {
            pages.push(Page {
                link: page_link(&path, &post),
                post,
                template,
            });
        }
    }
    (pages, read, others)
}

/// `pages/about.md` → `/about/`, `pages/index.html` → `/`, `pages/a/b.md` → `/a/b/`.
fn page_link(path: &str, post: &Post) -> Link {
    let below = path.trim_start_matches("pages/");
    let folder = folder_of(below);
    let stem = below
        .rsplit('/')
        .next()
        .and_then(|file| file.rsplit_once('.'))
        .map_or(below, |(stem, _)| stem);
    let written = post.front.get("slug").is_some();
    let last = if written { post.slug.as_str() } else { stem };
    let whole = match (folder, last) {
        ("", "index") => "/".to_owned(),
        (folder, "index") => format!("/{folder}/"),
        ("", last) => format!("/{last}/"),
        (folder, last) => format!("/{folder}/{last}/"),
    };
    Link::new(whole)
}

/// The text of a template below its front matter, each line where it stands in the file.
fn template_text(source: &Source, body: usize) -> String {
    let lines = source.text()[..body].matches('\n').count();
    let rest = &source.text()[body..];
    match lines {
        0 => rest.to_owned(),
        lines => format!("{{#{}-#}}\n{rest}", "\n".repeat(lines - 1)),
    }
}

fn read_templates(sources: &dyn Sources, faults: &mut Faults) -> Vec<(String, String)> {
    let mut templates = Vec::new();
    for path in list(sources, "templates", faults).unwrap_or_default() {
        if is_left_over(&path) {
            continue;
        }
        if let Some(text) = read_text(sources, &path, faults) {
            templates.push((path.trim_start_matches("templates/").to_owned(), text));
        }
    }
    templates
}
