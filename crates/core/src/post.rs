//! Posts: what front matter and file name say of one source file.

use std::sync::{Arc, OnceLock};

use jiff::Timestamp;

use crate::diagnostic::{Code, Collected, Diagnostic, Faults};
use crate::front_matter::FrontMatter;
use crate::settings::{ContentSet, Settings};
use crate::source::{Place, Source, Span, Spanned};
use crate::term::{identity, slug, slug_fault};
use crate::time::{DateFault, FORMS, Moment, Stamp, parse_date};
use crate::value::{Map, Value};

/// Whether a post is in lists, and if not, why.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum State {
    /// In every list.
    Live,
    /// `draft: true`.
    Draft,
    /// Dated after now.
    Scheduled,
    /// `expires` at or before now.
    Expired,
    /// `unlisted: true`: it has a page, and is in no list.
    Unlisted,
}

/// The states that a build lets into lists beside live posts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Include {
    /// Let drafts in.
    pub drafts: bool,
    /// Let scheduled posts in.
    pub scheduled: bool,
    /// Let expired posts in.
    pub expired: bool,
    /// Let unlisted posts in.
    pub unlisted: bool,
}

/// The body of a source file, as HTML, with what was noticed on the way.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Body {
    /// The whole as HTML.
    pub html: String,
    /// The plain text of the first level-one heading. Where the front matter has no title it is
    /// the post's, and not in `html`.
    pub heading: Option<String>,
    /// The plain text before `<!-- more -->`.
    pub before_more: Option<String>,
    /// The plain text of the first paragraph.
    pub first_paragraph: Option<String>,
    /// Whether a link in it must be resolved before it is shown: it is relative, or starts at
    /// the site's root.
    pub links: bool,
}

/// One source file of a content set, read.
#[derive(Debug, Clone)]
pub struct Post {
    /// Its content set's number.
    pub set: usize,
    /// Its path below the site's folder, with `/`.
    pub path: String,
    /// Its folder below the set's, or empty.
    pub folder: String,
    /// The header's text, to which the spans of `front` belong.
    pub source: Source,
    /// The front matter's entries.
    pub front: Map,
    /// The title.
    pub title: Arc<str>,
    /// The last part of its address.
    pub slug: String,
    /// When it is dated.
    pub date: Option<Stamp>,
    /// When it was last changed; its date, unless it says otherwise.
    pub updated: Option<Stamp>,
    /// When it expires.
    pub expires: Option<Stamp>,
    /// Plain text that stands for it in lists.
    pub summary: Option<Arc<str>>,
    /// Its image, as written.
    pub image: Option<String>,
    /// Whether it is in lists.
    pub state: State,
    /// `draft: true`, whatever else holds.
    pub draft: bool,
    /// `unlisted: true`, whatever else holds.
    pub unlisted: bool,
    /// The terms as written, by the number of the term field.
    pub terms: Vec<Vec<Spanned<String>>>,
    /// Posts that its author names as related: paths or slugs.
    pub related: Vec<Spanned<String>>,
    /// Its id in feeds.
    pub id: Option<String>,
    /// Addresses at which it stood before, below the site's root.
    pub moved_from: Vec<Spanned<String>>,
    /// The body as HTML.
    pub html: String,
    /// How many words the body has, counted when it is asked for first.
    words: OnceLock<usize>,
    /// Whether links in the body must be resolved.
    pub links: bool,
}

impl State {
    /// The state's name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            State::Live => "live",
            State::Draft => "draft",
            State::Scheduled => "scheduled",
            State::Expired => "expired",
            State::Unlisted => "unlisted",
        }
    }
}

impl Include {
    /// The names that can be let in.
    pub const NAMES: [&'static str; 4] = ["drafts", "scheduled", "expired", "unlisted"];

    /// Lets in the state of this name; `false` if there is none.
    pub fn let_in(&mut self, name: &str) -> bool {
        match name {
            "drafts" => self.drafts = true,
            "scheduled" => self.scheduled = true,
            "expired" => self.expired = true,
            "unlisted" => self.unlisted = true,
            _ => return false,
        }
        true
    }

    /// Whether posts in `state` are in lists.
    #[must_use]
    pub fn lists(self, state: State) -> bool {
        match state {
            State::Live => true,
            State::Draft => self.drafts,
            State::Scheduled => self.scheduled,
            State::Expired => self.expired,
            State::Unlisted => self.unlisted,
        }
    }

    /// Whether posts in `state` have pages.
    #[must_use]
    pub fn has_page(self, state: State) -> bool {
        state == State::Unlisted || self.lists(state)
    }
}

impl Post {
    /// Where its entry `name` stands, or else the top of its file.
    #[must_use]
    pub fn place_of(&self, name: &str) -> Place {
        match self.front.get(name) {
            Some(entry) => self.source.place(entry.value.span),
            None => Place::top_of(&self.path),
        }
    }

    /// How many words its text has: what stands between white space and has a letter or digit.
    #[must_use]
    pub fn words(&self) -> usize {
        *self.words.get_or_init(|| {
            let text = crate::html::text(&self.html);
            text.split_whitespace()
                .filter(|word| word.contains(char::is_alphanumeric))
                .count()
        })
    }

    /// How many minutes it takes to read, at 220 words a minute, at least 1.
    #[must_use]
    pub fn minutes(&self) -> usize {
        self.words().div_ceil(220).max(1)
    }

    /// `YYYY`, `MM`, `DD` of its date.
    #[must_use]
    pub fn date_text(&self, part: &str) -> Option<String> {
        let day = self.date?.day;
        match part {
            "year" => Some(format!("{:04}", day.year())),
            "month" => Some(format!("{:02}", day.month())),
            "day" => Some(format!("{:02}", day.day())),
            _ => None,
        }
    }
}

/// Whether the front matter of a post of `set` gives its title.
#[must_use]
pub fn has_title(front: &Map, set: &ContentSet) -> bool {
    value(front, set, "title").is_some()
}

/// The value of a derived name, by the names that a set gives it; missing ones are none.
fn value<'a>(front: &'a Map, set: &ContentSet, name: &str) -> Option<&'a Spanned<Value>> {
    let present = |name: &str| front.at(name).filter(|value| !value.node.is_missing());
    match set.fields.iter().find(|(field, _)| field == name) {
        Some((_, names)) => names.iter().find_map(|name| present(name)),
        None => present(name),
    }
}

/// Makes a post of a file that was read. `path` is below the site's folder.
/// Where there is an error the post is fit only to look for further faults.
#[must_use]
pub fn assemble(
    path: &str,
    (set_number, set): (usize, &ContentSet),
    settings: &Settings,
    moment: &Moment,
    source: &Source,
    front: FrontMatter,
    body: Body,
) -> Collected<Post> {
    let mut faults = Faults::new();
    let named = FileName::of(path, set);
    let mut read = Reader {
        source,
        set,
        front: &front.map,
        moment,
        faults: &mut faults,
    };
    let title = read.title(&body, &named);
    let draft = read.flag("draft");
    let date = read
        .date("date")
        .or_else(|| read.date_of_name(&named, path));
    if date.is_none() && set.dated && !draft && !read.has("date") && !named.dated() {
        read.faults.push(
            Diagnostic::error(
                Code::DateMissing,
                Place::top_of(path),
                format!("this post has no date, and the posts of `{}` are dated", set.name),
            )
            .help("write `date: 2026-03-14` in the front matter, or put the date before the file's name: `2026-03-14-name.md`"),
        );
    }
    let updated = read.date("updated").or(date);
    let expires = read.date("expires");
    let unlisted = read.flag("unlisted");
    let slug = read.slug(&named, path);
    let terms = settings
        .term_fields
        .iter()
        .map(|field| read.terms(&field.name, field.plural.as_deref()))
        .collect();
    let summary = read
        .text("summary")
        .filter(|text| !text.trim().is_empty())
        .or_else(|| summary_of(&body));
    let image = read.text("image").filter(|text| !text.trim().is_empty());
    let id = read.text("id").filter(|text| !text.trim().is_empty());
    let related = read.list("related");
    let moved_from = read.moved_from(settings);
    let state = state(draft, unlisted, date, expires, moment.now);
    let post = Post {
        set: set_number,
        path: path.to_owned(),
        folder: named.folder,
        source: source.head(front.body),
        front: front.map,
        title: title.into(),
        slug,
        date,
        updated,
        expires,
        summary: summary.map(Arc::from),
        image,
        state,
        draft,
        unlisted,
        terms,
        related,
        id,
        moved_from,
        html: body.html,
        words: OnceLock::new(),
        links: body.links,
    };
    Collected {
        output: post,
        diagnostics: faults,
    }
}

fn state(
    draft: bool,
    unlisted: bool,
    date: Option<Stamp>,
    expires: Option<Stamp>,
    now: Timestamp,
) -> State {
    if draft {
        State::Draft
    } else if date.is_some_and(|date| date.at > now) {
        State::Scheduled
    } else if expires.is_some_and(|expires| expires.at <= now) {
        State::Expired
    } else if unlisted {
        State::Unlisted
    } else {
        State::Live
    }
}

/// What a file is called: `posts/walks/2026-03-14-the-long-walk.md` or `…/index.md` in a folder
/// of that name.
#[derive(Debug, Clone)]
struct FileName {
    folder: String,
    name: String,
    date: Option<String>,
}

impl FileName {
    fn of(path: &str, set: &ContentSet) -> Self {
        let below = path
            .strip_prefix(&set.folder)
            .unwrap_or(path)
            .trim_start_matches('/');
        let (folder, file) = below.rsplit_once('/').unwrap_or(("", below));
        let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
        let (folder, whole) = match (stem, folder) {
            ("index", "") => ("", stem),
            ("index", inside) => inside.rsplit_once('/').unwrap_or(("", inside)),
            _ => (folder, stem),
        };
        let (date, name) = match whole.split_at_checked(11) {
            Some((date, name)) if is_date_prefix(date) && !name.is_empty() => {
                (Some(date[..10].to_owned()), name)
            }
            _ => (None, whole),
        };
        Self {
            folder: folder.to_owned(),
            name: name.to_owned(),
            date,
        }
    }

    fn dated(&self) -> bool {
        self.date.is_some()
    }
}

fn is_date_prefix(text: &str) -> bool {
    text.bytes().enumerate().all(|(at, byte)| match at {
        4 | 7 | 10 => byte == b'-',
        _ => byte.is_ascii_digit(),
    })
}

/// The name of a file as a title: `the-long-walk` is "The long walk".
#[must_use]
pub fn title_of_name(name: &str) -> String {
    let spaced = name.replace(['-', '_'], " ");
    let spaced = spaced.trim();
    let mut chars = spaced.chars();
    match chars.next() {
        Some(first) => first.to_uppercase().chain(chars).collect(),
        None => name.to_owned(),
    }
}

fn summary_of(body: &Body) -> Option<String> {
    let text = match &body.before_more {
        Some(text) => text.clone(),
        None => cut(body.first_paragraph.as_deref()?, SUMMARY),
    };
    (!text.is_empty()).then_some(text)
}

/// Near how many characters a summary made from the text is cut.
const SUMMARY: usize = 280;

/// `text`, cut at the end of a word so that it has at most `most` characters and an ellipsis.
fn cut(text: &str, most: usize) -> String {
    let Some((end, _)) = text.char_indices().nth(most) else {
        return text.to_owned();
    };
    let kept = &text[..end];
    let whole = text[end..].starts_with(char::is_whitespace);
    let kept = if whole {
        kept
    } else {
        kept.rsplit_once(char::is_whitespace)
            .map_or(kept, |(kept, _)| kept)
    };
    let kept = kept.trim_end_matches(|c: char| {
        c.is_whitespace() || matches!(c, ',' | ';' | ':' | '–' | '—' | '-')
    });
    format!("{kept}…")
}

/// Reads typed fields of one header; each fault is reported at its place.
struct Reader<'a> {
    source: &'a Source,
    set: &'a ContentSet,
    front: &'a Map,
    moment: &'a Moment,
    faults: &'a mut Faults,
}

impl<'a> Reader<'a> {
    fn value(&self, name: &str) -> Option<&'a Spanned<Value>> {
        value(self.front, self.set, name)
    }

    fn has(&self, name: &str) -> bool {
        self.value(name).is_some()
    }

    fn unfit(&mut self, name: &str, wanted: &str, value: &Spanned<Value>, help: &str) {
        self.faults.push(
            Diagnostic::error(
                Code::TypeUnfit,
                self.source.place(value.span),
                format!(
                    "`{name}` is {wanted}, and this is {}",
                    value.node.kind().article()
                ),
            )
            .help(help),
        );
    }

    fn text(&mut self, name: &str) -> Option<String> {
        let value = self.value(name)?;
        match value.node.written() {
            Some(text) => Some(text.trim().to_owned()),
            None => {
                self.unfit(name, "text", value, &format!("write one text: `{name}: …`"));
                None
            }
        }
    }

    fn flag(&mut self, name: &str) -> bool {
        let Some(value) = self.value(name) else {
            return false;
        };
        match value.node {
            Value::Flag(flag, _) => flag,
            _ => {
                self.unfit(
                    name,
                    "true or false",
                    value,
                    "write true or false, without quotes",
                );
                false
            }
        }
    }

    fn title(&mut self, body: &Body, named: &FileName) -> String {
        self.text("title")
            .or_else(|| body.heading.clone().filter(|text| !text.is_empty()))
            .unwrap_or_else(|| title_of_name(&named.name))
    }

    fn date(&mut self, name: &str) -> Option<Stamp> {
        let value = self.value(name)?;
        match &value.node {
            Value::Date(stamp, _) => Some(*stamp),
            other => match other.written() {
                Some(text) => {
                    let parsed =
                        parse_date(text.trim()).and_then(|date| date.stamp(&self.moment.zone));
                    parsed
                        .map_err(|fault| {
                            self.faults.push(date_fault(
                                &fault,
                                text,
                                self.source.place(value.span),
                            ))
                        })
                        .ok()
                }
                None => {
                    self.unfit(name, "a date", value, &format!("write one of {FORMS}"));
                    None
                }
            },
        }
    }

    fn date_of_name(&mut self, named: &FileName, path: &str) -> Option<Stamp> {
        if self.has("date") {
            return None;
        }
        let text = named.date.as_ref()?;
        let parsed = parse_date(text).and_then(|date| date.stamp(&self.moment.zone));
        parsed
            .map_err(|fault| {
                self.faults
                    .push(date_fault(&fault, text, Place::top_of(path)))
            })
            .ok()
    }

    fn slug(&mut self, named: &FileName, path: &str) -> String {
        let Some(value) = self.value("slug") else {
            let made = slug(&named.name);
            if made.is_empty() {
                self.faults.push(
                    Diagnostic::error(
                        Code::SlugEmpty,
                        Place::top_of(path),
                        format!(
                            "nothing is left of the file's name \"{}\" in an address",
                            named.name
                        ),
                    )
                    .help("write a `slug:` of letters, digits and `-` in the front matter"),
                );
            }
            return made;
        };
        let place = self.source.place(value.span);
        let Some(written) = self.text("slug") else {
            return String::new();
        };
        if let Some(bad) = slug_fault(&written) {
            let better = slug(&written);
            let fault = Diagnostic::error(
                Code::SlugUnfit,
                place,
                format!("the slug \"{written}\" holds `{bad}`, which it may not"),
            );
            self.faults.push(match better.is_empty() {
                true => fault.help("a slug holds letters, digits, marks and `-` `_` `.` `~`"),
                false => fault.help(format!(
                    "a slug holds letters, digits, marks and `-` `_` `.` `~`; write \"{better}\""
                )),
            });
        }
        written
    }

    /// A list of single values, or one text split at commas; empty ones are dropped.
    fn texts(&mut self, name: &str, split: bool) -> Vec<Spanned<String>> {
        let Some(value) = self.value(name) else {
            return Vec::new();
        };
        match &value.node {
            Value::List(items) => {
                let mut texts = Vec::new();
                for item in items {
                    match item.node.written() {
                        Some(text) => texts.push(Spanned::new(text.trim().to_owned(), item.span)),
                        None if item.node == Value::Null => {}
                        None => self.unfit(
                            name,
                            "a list of texts",
                            item,
                            "write each entry as one text",
                        ),
                    }
                }
                texts.retain(|text| !text.node.is_empty());
                texts
            }
            other => match other.written() {
                Some(text) if split => split_at_commas(text, value.span, self.source),
                Some(text) => vec![Spanned::new(text.trim().to_owned(), value.span)],
                None => {
                    self.unfit(
                        name,
                        "a list of texts",
                        value,
                        &format!("write `{name}: [one, two]`"),
                    );
                    Vec::new()
                }
            },
        }
    }

    fn list(&mut self, name: &str) -> Vec<Spanned<String>> {
        self.texts(name, true)
    }

    fn terms(&mut self, name: &str, plural: Option<&str>) -> Vec<Spanned<String>> {
        let renamed = self.set.fields.iter().any(|(field, _)| field == name);
        let mut terms = self.texts(name, true);
        if let (Some(plural), false) = (plural, renamed) {
            terms.extend(self.texts(plural, true));
        }
        let mut seen = Vec::new();
        terms.retain(|term| {
            let same = identity(&term.node);
            let new = !seen.contains(&same);
            seen.push(same);
            new
        });
        terms
    }

    fn moved_from(&mut self, settings: &Settings) -> Vec<Spanned<String>> {
        let mut addresses = self.texts("moved_from", true);
        let address = &settings.site.address;
        let root = address.root();
        for old in &mut addresses {
            let below = match old.node.strip_prefix(&root) {
                Some(path) => format!("/{path}"),
                None => match old.node.strip_prefix(&format!("{}/", address.path)) {
                    Some(path) if !address.path.is_empty() => format!("/{path}"),
                    _ => old.node.clone(),
                },
            };
            let steps_out = below.split('/').any(|step| matches!(step, "." | ".."));
            if !below.starts_with('/')
                || below.starts_with("//")
                || steps_out
                || below.contains(['?', '#', '\\', '\0'])
            {
                self.faults.push(
                    Diagnostic::error(
                        Code::AddressUnreadable,
                        self.source.place(old.span),
                        format!("the old address \"{}\" is not within this site", old.node),
                    )
                    .help("write it from the site's root, such as /2024/old-name/"),
                );
            }
            old.node = below;
        }
        addresses.retain(|old| old.node.starts_with('/'));
        addresses
    }
}

/// The parts of a text between commas, each at its place where the text is written plainly.
fn split_at_commas(text: &str, span: Span, source: &Source) -> Vec<Spanned<String>> {
    let raw = &source.text()[span.start..span.end];
    let base = raw.find(text).map(|at| span.start + at);
    let mut start = 0;
    let mut parts = Vec::new();
    for part in text.split(',') {
        let inner = part.trim();
        let offset = start + (part.len() - part.trim_start().len());
        if !inner.is_empty() {
            let place = base.map_or(span, |base| {
                Span::new(base + offset, base + offset + inner.len())
            });
            parts.push(Spanned::new(inner.to_owned(), place));
        }
        start += part.len() + 1;
    }
    parts
}

fn date_fault(fault: &DateFault, text: &str, place: Place) -> Diagnostic {
    match fault {
        DateFault::Form => Diagnostic::error(
            Code::DateUnreadable,
            place,
            format!("\"{}\" is not a date in a form that is known", text.trim()),
        )
        .help(format!("write one of {FORMS}")),
        DateFault::NotThere(why) => Diagnostic::error(
            Code::DateUnreadable,
            place,
            format!("the date \"{}\" does not exist: {why}", text.trim()),
        )
        .help(format!("write one of {FORMS}")),
    }
}

#[cfg(test)]
mod tests;
