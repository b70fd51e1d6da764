//! A site, read: settings, posts, pages, term notes, templates, and what may be copied.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicUsize, Ordering};

use rayon::prelude::*;
use tabulae_core::catalogue::{Catalogue, PostId, TermNote};
use tabulae_core::diagnostic::{Code, Diagnostic, Faults, nearest};
use tabulae_core::front_matter;
use tabulae_core::html;
use tabulae_core::post::{Body, Include, Post, assemble, has_title};
use tabulae_core::query::Library;
use tabulae_core::route::{Link, Pattern, decode};
use tabulae_core::settings::{self, ContentSet, Settings};
use tabulae_core::source::{Place, Source, Spanned};
use tabulae_core::time::Moment;
use tabulae_core::value::Value;

use crate::markdown;
use crate::sources::Sources;
use crate::{Options, Step};

/// Everything that was read of a site.
#[derive(Debug)]
pub struct Site {
    /// `tabulae.toml`
    pub settings: Settings,
    /// The clock.
    pub moment: Moment,
    /// The states that are let into lists.
    pub include: Include,
    /// The posts and terms.
    pub catalogue: Catalogue,
    /// The named queries.
    pub library: Library,
    /// Stand-alone pages, held-back ones left out.
    pub pages: Vec<Page>,
    /// Templates of the site's own: name and text.
    pub templates: Vec<(String, String)>,
    /// The files of `assets/`, below it.
    pub assets: Vec<String>,
    /// How many posts were read.
    pub posts_read: usize,
    /// How many pages were read.
    pub pages_read: usize,
    files: BTreeMap<String, File>,
    found: BTreeSet<String>,
}

/// A file of a content set or of `pages/`, by its path below the site's folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum File {
    Post(PostId),
    Page(usize),
    Other,
}

/// A stand-alone page.
#[derive(Debug)]
pub struct Page {
    /// Its front matter and text.
    pub post: Post,
    /// Its address.
    pub link: Link,
    /// Where it is a template itself: its text.
    pub template: Option<String>,
}

/// One who refers to files beside itself: a post or a page.
#[derive(Debug, Clone, Copy)]
pub struct Owner<'a> {
    /// The source's path.
    pub path: &'a str,
    /// Its address.
    pub link: &'a Link,
}

/// A content set's files.
struct Found {
    posts: Vec<(usize, String)>,
    others: Vec<String>,
}

impl Site {
    /// Reads a site. `None` where there is nothing to go on with.
    pub fn read(sources: &dyn Sources, options: &Options<'_>, faults: &mut Faults) -> Option<Self> {
        let settings = read_settings(sources, faults)?;
        let moment = Moment {
            now: options.clock.now(&settings.site.timezone),
            zone: settings.site.timezone.clone(),
        };
        let found = find_posts(sources, &settings, faults);
        let mut posts = read_posts(sources, &settings, &moment, &found, options, faults);
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
        let catalogue = loop {
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
        let mut files: BTreeMap<String, File> = BTreeMap::new();
        files.extend(
            found
                .others
                .into_iter()
                .chain(page_files)
                .map(|path| (path, File::Other)),
        );
        files.extend(
            catalogue
                .all()
                .map(|id| (catalogue.post(id).path.clone(), File::Post(id))),
        );
        files.extend(
            pages
                .iter()
                .enumerate()
                .map(|(at, page)| (page.post.path.clone(), File::Page(at))),
        );
        Some(Self {
            settings,
            moment,
            include: options.include,
            catalogue,
            library,
            pages,
            templates,
            assets,
            posts_read,
            pages_read,
            files,
            found: found.posts.into_iter().map(|(_, path)| path).collect(),
        })
    }

    /// Whether `path` is a post that was found and is not built, since an error stands in it.
    #[must_use]
    pub fn is_left_out(&self, path: &str) -> bool {
        self.found.contains(path) && !matches!(self.files.get(path), Some(File::Post(_)))
    }

    /// A link with the path of the site's address before it.
    #[must_use]
    pub fn href(&self, link: &Link) -> String {
        format!("{}{}", self.settings.site.address.path, link.encoded)
    }

    /// A link as an absolute address.
    #[must_use]
    pub fn absolute(&self, link: &Link) -> String {
        self.settings.site.address.absolute(&self.href(link))
    }

    /// A post as an owner of files.
    #[must_use]
    pub fn owner(&self, id: PostId) -> Owner<'_> {
        Owner {
            path: &self.catalogue.post(id).path,
            link: self.catalogue.link(id),
        }
    }

    /// Whether a post has a page of its own.
    #[must_use]
    pub fn has_page(&self, id: PostId) -> bool {
        let post = self.catalogue.post(id);
        self.include.has_page(post.state) && self.settings.content[post.set].pages
    }

    /// The file beside `owner` that a relative address names, as a path of the site.
    #[must_use]
    pub fn named_file(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if address.starts_with('/') || !html::is_local(address) {
            return None;
        }
        let (path, _) = cut_path(address);
        let named = join(folder_of(owner.path), &decode(path))?;
        (self.files.get(&named) == Some(&File::Other)).then_some(named)
    }

    /// Where a local address that `owner` writes leads, from the site's root, its path put
    /// before it. A file of posts that is named by its source leads to its page.
    #[must_use]
    pub fn resolve(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if address.is_empty() || address.starts_with(['#', '?']) || !html::is_local(address) {
            return None;
        }
        let base = &self.settings.site.address.path;
        if address.starts_with('/') {
            return (!base.is_empty()).then(|| format!("{base}{address}"));
        }
        let (path, rest) = cut_path(address);
        let named = join(folder_of(owner.path), &decode(path));
        let link = match named.as_ref().and_then(|named| self.files.get(named)) {
            Some(File::Post(id)) => self.catalogue.link(*id).clone(),
            Some(File::Page(at)) => self.pages[*at].link.clone(),
            Some(File::Other) => copy_link(owner, &decode(path))?,
            None => Link::new(format!(
                "/{}",
                join(owner.link.folder().trim_matches('/'), &decode(path))?
            )),
        };
        Some(format!("{}{rest}", self.href(&link)))
    }

    /// Some HTML of `owner` in which each local address is whole.
    #[must_use]
    pub fn resolve_html(&self, owner: Owner<'_>, html: &str) -> String {
        html::rewrite_links(html, &mut |address| self.resolve(owner, address))
    }

    /// Some HTML of `owner` in which each address is absolute.
    #[must_use]
    pub fn absolute_html(&self, owner: Owner<'_>, html: &str) -> String {
        html::rewrite_links(html, &mut |address| self.absolute_address(owner, address))
    }

    /// An address that `owner` writes as an absolute one; `None` where it is one.
    #[must_use]
    pub fn absolute_address(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if !html::is_local(address) {
            return None;
        }
        if address.is_empty() || address.starts_with(['#', '?']) {
            return Some(format!("{}{address}", self.absolute(owner.link)));
        }
        let rooted = self
            .resolve(owner, address)
            .unwrap_or_else(|| address.to_owned());
        Some(self.settings.site.address.absolute(&rooted))
    }

    /// The files that go with a post or page: those of the folder of its `index.md`, and those
    /// that it names; each with the address of its copy.
    #[must_use]
    pub fn files_of(
        &self,
        owner: Owner<'_>,
        body: &str,
        image: Option<&str>,
    ) -> Vec<(String, Link)> {
        let mut files: Vec<(String, Link)> = Vec::new();
        let folder = folder_of(owner.path);
        let mut take = |path: &str| {
            let below = path
                .strip_prefix(folder)
                .unwrap_or(path)
                .trim_start_matches('/');
            if let Some(link) = copy_link(owner, below)
                && !files.iter().any(|(known, _)| known == path)
            {
                files.push((path.to_owned(), link));
            }
        };
        if is_index(owner.path) {
            let prefix = format!("{folder}/");
            let below = self
                .files
                .range(prefix.clone()..)
                .take_while(|(path, _)| path.starts_with(&prefix));
            for (path, file) in below {
                if *file == File::Other && self.keeper(path) == Some(owner.path) {
                    take(path);
                }
            }
        }
        let mut name = |address: &str| {
            if let Some(path) = self.named_file(owner, address)
                && path.starts_with(&format!("{folder}/"))
            {
                take(&path);
            }
        };
        if let Some(image) = image {
            name(image);
        }
        let _ = html::rewrite_links(body, &mut |address| {
            name(address);
            None
        });
        files
    }

    /// The `index` file nearest above a file, which keeps it.
    fn keeper(&self, path: &str) -> Option<&str> {
        let mut folder = folder_of(path);
        loop {
            let prefix = format!("{folder}/index.");
            let found = self
                .files
                .range(prefix.clone()..)
                .take_while(|(path, _)| path.starts_with(&prefix));
            if let Some((path, _)) = found.filter(|(_, file)| **file != File::Other).last() {
                return Some(path);
            }
            folder = folder.rsplit_once('/')?.0;
        }
    }
}

/// Where the copy of a file beside `owner` stands.
fn copy_link(owner: Owner<'_>, below: &str) -> Option<Link> {
    let path = join(owner.link.folder().trim_matches('/'), below)?;
    Some(Link::new(format!("/{path}")))
}

fn is_index(path: &str) -> bool {
    let file = path.rsplit('/').next().unwrap_or(path);
    file.starts_with("index.")
}

fn folder_of(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// The path of an address, and its query and fragment.
fn cut_path(address: &str) -> (&str, &str) {
    address.split_at(address.find(['?', '#']).unwrap_or(address.len()))
}

/// `path` seen from `folder`; `None` where it leads out of the site.
fn join(folder: &str, path: &str) -> Option<String> {
    let mut steps: Vec<&str> = folder.split('/').filter(|step| !step.is_empty()).collect();
    let slash = if path.ends_with('/') { "/" } else { "" };
    for step in path.split('/') {
        match step {
            "" | "." => {}
            ".." => {
                steps.pop()?;
            }
            step => steps.push(step),
        }
    }
    Some(format!("{}{slash}", steps.join("/")))
}

fn read_settings(sources: &dyn Sources, faults: &mut Faults) -> Option<Settings> {
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
fn as_text(path: &str, bytes: Vec<u8>, faults: &mut Faults) -> Option<String> {
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

fn ending(path: &str) -> &str {
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

fn read_posts(
    sources: &dyn Sources,
    settings: &Settings,
    moment: &Moment,
    found: &Found,
    options: &Options<'_>,
    faults: &mut Faults,
) -> Vec<Post> {
    let done = AtomicUsize::new(0);
    let total = found.posts.len();
    let read: Vec<(Option<Post>, Faults)> = found
        .posts
        .par_iter()
        .map(|(number, path)| {
            let mut faults = Faults::new();
            let post = read_post(
                sources,
                settings,
                moment,
                (*number, &settings.content[*number]),
                path,
                &mut faults,
            );
            options.progress.step(
                Step::Reading,
                done.fetch_add(1, Ordering::Relaxed) + 1,
                total,
            );
            (post, faults)
        })
        .collect();
    let mut posts = Vec::with_capacity(total);
    for (post, mut found) in read {
        faults.append(&mut found);
        posts.extend(post);
    }
    posts
}

fn read_post(
    sources: &dyn Sources,
    settings: &Settings,
    moment: &Moment,
    set: (usize, &ContentSet),
    path: &str,
    faults: &mut Faults,
) -> Option<Post> {
    let text = read_text(sources, path, faults)?;
    let source = Source::new(path, &text);
    drop(text);
    let before = faults.len();
    let front = front_matter::read(&source, &moment.zone).into_output(faults);
    if faults.len() > before {
        return None;
    }
    let body = body_of(
        path,
        &source.text()[front.body..],
        has_title(&front.map, set.1),
    );
    Some(assemble(path, set, settings, moment, &source, front, body).into_output(faults))
}

fn body_of(path: &str, text: &str, has_title: bool) -> Body {
    match ending(path) {
        "md" => markdown::render(text, has_title),
        _ => markdown::read_html(text, has_title),
    }
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
        html: markdown::render(&source.text()[front.body..], true).html,
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

/// The nearest of `known` as help, or all of them.
pub(crate) fn did_you_mean<'a>(
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Option<String> {
    nearest(name, known).map(|near| format!("did you mean `{near}`?"))
}
