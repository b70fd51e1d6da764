//! Posts: what front matter and file name say of one source file.

mod draft;
mod entries;
mod name;
mod read;
#[cfg(test)]
mod tests;
mod undated;

use std::sync::Arc;

use serde::{Deserialize, Serialize};

pub use self::draft::{NewPost, new_post};
pub use self::entries::{ENTRIES, Entry, EntryHolds};
pub use self::undated::report_undated_sets;

use self::name::FileName;
use self::read::Reader;
use self::undated::no_date;
use crate::diagnostic::{Collected, Diagnostics};
use crate::front_matter::FrontMatter;
use crate::html::Html;
use crate::id::{Counted, LocaleId};
use crate::route::Link;
use crate::settings::{ContentSet, RENAMABLE, Settings};
use crate::source::{Location, Source, Spanned};
use crate::time::{Moment, ZonedDate};
use crate::value::{Entry as FrontEntry, Map, Value};

/// The state of a post: in lists, or why not.
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

/// The reasons for which lists exclude a post. A post is in lists if each of its reasons is included.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Exclusion {
    /// The post is a draft.
    pub draft: bool,
    /// The post is dated after the build's time.
    pub scheduled: bool,
    /// The post expired before the build's time.
    pub expired: bool,
    /// The post has a page and is in no list.
    pub unlisted: bool,
}

impl Exclusion {
    /// Returns the reasons as states, in the order in which they are named.
    pub fn states(self) -> impl Iterator<Item = State> {
        let reasons = [
            (self.draft, State::Draft),
            (self.scheduled, State::Scheduled),
            (self.expired, State::Expired),
            (self.unlisted, State::Unlisted),
        ];
        let reasons = reasons.into_iter().filter(|(holds, _)| *holds);
        reasons.map(|(_, state)| state)
    }

    /// Returns the first reason as a state, or `Live` without any.
    #[must_use]
    pub fn state(self) -> State {
        self.states().next().unwrap_or(State::Live)
    }
}

/// The states that a build includes in lists beside live posts.
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
#[derive(Debug, Clone, Default)]
pub struct Body {
    /// The whole as HTML.
    pub html: Html,
    /// The notes of the reading.
    pub notes: Notes,
    /// The counters of its words, if they were counted while it was read.
    pub counted: Counted,
}

/// The notes of a body's way to HTML.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Notes {
    /// The plain text of the first level-one heading. Where the front matter has no title it is
    /// the post's, and not in `html`.
    pub heading: Option<String>,
    /// The plain text before `<!-- more -->`.
    pub before_more: Option<String>,
    /// The plain text of the first paragraph.
    pub first_paragraph: Option<String>,
    /// Set if a link in it must be resolved before it is shown: it is relative, or starts at
    /// the site's root.
    pub links: bool,
    /// The addresses in it that are relative to its page, each once, where there may be any.
    pub addresses: Vec<String>,
    /// Set if it has placeholders.
    pub placeholders: bool,
    /// The number of the first template tag outside of code, among all that it has, from 0.
    pub template_tag: Option<usize>,
    /// The fingerprints of its highlighted code blocks.
    #[serde(skip)]
    pub code: Vec<u64>,
}

/// One source file of a content set, read.
#[derive(Debug, Clone)]
pub struct Post {
    /// The content set's number.
    pub set: usize,
    /// The language.
    pub locale: LocaleId,
    /// The name that it shares with its translations, if it states one.
    pub translation: Option<Spanned<String>>,
    /// The path without language and ending, which it shares with the translations beside it.
    pub untranslated: String,
    /// The path below the site's folder, with `/`.
    pub path: String,
    /// The folder below the set's, or empty.
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
    pub date: Option<ZonedDate>,
    /// When it was last changed; its date, unless it says otherwise.
    pub updated: Option<ZonedDate>,
    /// When it expires.
    pub expires: Option<ZonedDate>,
    /// The summary as plain text, for lists.
    pub summary: Option<Arc<str>>,
    /// Set if the author chose the summary: by a key, or by `<!-- more -->`.
    pub has_own_summary: bool,
    /// The image, as written.
    pub image: Option<String>,
    /// The reasons for which lists exclude it.
    pub exclusion: Exclusion,
    /// The terms as written, by the number of the term field, until a catalogue numbers them.
    pub terms: Vec<Vec<Spanned<String>>>,
    /// Posts that its author names as related: paths or slugs.
    pub related: Vec<Spanned<String>>,
    /// False if it has no list of related posts: `related: false`.
    pub lists_related: bool,
    /// The address that its front matter gives it.
    pub link: Option<Link>,
    /// The template that its front matter names.
    pub template: Option<Spanned<String>>,
    /// The id in feeds.
    pub id: Option<String>,
    /// Earlier addresses, below the site's root.
    pub moved_from: Vec<Spanned<String>>,
    /// The body as HTML.
    pub html: Html,
    /// The counters of the body's words, if they were counted while it was read.
    pub counted: Counted,
    /// Set if links in the body must be resolved.
    pub links: bool,
    /// The addresses in the body that are relative to its page.
    pub addresses: Vec<String>,
    /// Set if the body has placeholders.
    pub has_placeholders: bool,
    /// The number of the first template tag of the body outside of code, among all that it has, from 0.
    pub template_tag: Option<usize>,
}

impl State {
    /// Every state.
    pub const ALL: [Self; 5] = [
        Self::Live,
        Self::Draft,
        Self::Scheduled,
        Self::Expired,
        Self::Unlisted,
    ];

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

    /// Includes the state of a name; returns false if no state has it.
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

    fn lets_in(self, state: State) -> bool {
        match state {
            State::Live => true,
            State::Draft => self.drafts,
            State::Scheduled => self.scheduled,
            State::Expired => self.expired,
            State::Unlisted => self.unlisted,
        }
    }

    /// Returns the first reason that is not included, which keeps a post out of lists; `None` if it is in lists.
    #[must_use]
    pub fn excludes(self, exclusion: Exclusion) -> Option<State> {
        exclusion.states().find(|state| !self.lets_in(*state))
    }

    /// Returns true if a post is in lists.
    #[must_use]
    pub fn lists(self, exclusion: Exclusion) -> bool {
        self.excludes(exclusion).is_none()
    }

    /// Returns true if a post has a page.
    #[must_use]
    pub fn has_page(self, exclusion: Exclusion) -> bool {
        self.lists(Exclusion {
            unlisted: false,
            ..exclusion
        })
    }
}

impl Post {
    /// Returns the location of the key `name`, or else the top of the file.
    #[must_use]
    pub fn location_of(&self, name: &str) -> Location {
        match self.front.get(name) {
            Some(entry) => self.source.location(entry.value.span),
            None => Location::top_of(&self.path),
        }
    }

    /// Returns true if another post differs only in its text and the summary cut from it, so
    /// that it is in the same lists and has the same address.
    #[must_use]
    pub fn differs_only_in_text(&self, other: &Self) -> bool {
        let of = |post: &Self| (post.set, post.exclusion, post.links, post.has_own_summary);
        self.source.text() == other.source.text()
            && self.path == other.path
            && self.title == other.title
            && of(self) == of(other)
            && self.addresses == other.addresses
            && self.template_tag == other.template_tag
    }

    /// Returns the first reason for which lists exclude it, or `Live`.
    #[must_use]
    pub fn state(&self) -> State {
        self.exclusion.state()
    }

    /// Returns the number of words of the text: runs between white space that have a letter or digit.
    #[must_use]
    pub fn words(&self) -> usize {
        self.html.words()
    }

    /// Returns the reading time in minutes, at 220 words a minute, at least 1.
    #[must_use]
    pub fn minutes(&self) -> usize {
        self.words().div_ceil(220).max(1)
    }
}

/// The date before the name of a file, as it is written: that of `2026-03-14-lime.md`.
#[must_use]
pub fn date_of_name(path: &str) -> Option<&str> {
    name::date_of(path)
}

/// Returns true if the front matter of a post of `set` has a title.
#[must_use]
pub fn has_title(front: &Map, set: &ContentSet) -> bool {
    value(front, set, "title").is_some()
}

/// Returns the language of a file of a content set, by its front matter, else its name, else its set.
#[must_use]
pub fn locale_of(path: &str, set: &ContentSet, front: &Map, settings: &Settings) -> LocaleId {
    let locales = &settings.locales;
    if !locales.are_several() {
        return LocaleId::SITE;
    }
    let stated = value(front, set, "language");
    let stated = stated.and_then(|value| locales.find(value.node.written()?.trim()));
    let of_name = || FileName::of(path, set, locales).locale;
    stated.or_else(of_name).unwrap_or(set.locale)
}

/// Returns the value of a derived field, by the keys that a set gives it; `None` if it is missing.
fn value<'a>(front: &'a Map, set: &ContentSet, name: &str) -> Option<&'a Spanned<Value>> {
    let present = |name: &str| front.at(name).filter(|value| !value.node.is_missing());
    match set.keys_of(name) {
        Some(names) => names.iter().find_map(|name| present(&name.node)),
        None => present(name),
    }
}

/// Returns the values of a term field (by its number) in a post's front matter as they are written, with the places in
/// the post's source; also several spellings of one term.
#[must_use]
pub fn written_terms(
    post: &Post,
    field: usize,
    settings: &Settings,
    moment: &Moment,
) -> Vec<Spanned<String>> {
    let mut read = Reader {
        source: &post.source,
        set: &settings.content[post.set],
        front: &post.front,
        moment,
        // Reported when the post was read.
        diagnostics: &mut Diagnostics::new(),
    };
    let field = &settings.term_fields[field];
    read.written_terms(&field.name, field.plural.as_deref())
}

/// Makes a post of a file that was read. `path` is below the site's folder.
/// Where there is an error the post is fit only to look for further diagnostics.
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
    let mut diagnostics = Diagnostics::new();
    let named = FileName::of(path, set, &settings.locales);
    let map = with_mapped(front.map, set, settings);
    let mut read = Reader {
        source,
        set,
        front: &map,
        moment,
        diagnostics: &mut diagnostics,
    };
    let Body {
        html,
        notes,
        counted,
    } = body;
    let locale = read.locale(&settings.locales, named.locale);
    let title = read.title(&notes, &named);
    let draft = read.is_draft() || set.draft;
    let date = read
        .date("date")
        .or_else(|| read.date_of_name(&named, path));
    if date.is_none() && set.dated && !draft && !read.has("date") && !named.dated() {
        read.diagnostics.push(no_date(path, set, &map));
    }
    let updated = read.date("updated").map(|updated| match date {
        // A day alone is no earlier than a time on it.
        Some(date) if updated.time.is_none() && updated.day == date.day => date,
        _ => updated,
    });
    let updated = updated.or(date);
    let expires = read.date("expires");
    let unlisted = read.flag("unlisted");
    let slug = read.slug(&named, path);
    let terms = settings
        .term_fields
        .iter()
        .map(|field| read.terms(&field.name, field.plural.as_deref()))
        .collect();
    let own_summary = read.text("summary");
    let own_summary = own_summary.filter(|text| !text.trim().is_empty());
    let has_own_summary = own_summary.is_some() || notes.before_more.is_some();
    let summary = own_summary.or_else(|| summary_of(&notes));
    let image = read.image().filter(|text| !text.trim().is_empty());
    let id = read.text("id").filter(|text| !text.trim().is_empty());
    let lists_related = !read.is_off("related");
    let related = match lists_related {
        true => read.list("related"),
        false => Vec::new(),
    };
    let template = read.template();
    let link = read.link();
    let translation = read.translation(&settings.locales);
    let moved_from = read.moved_from(settings);
    let exclusion = Exclusion {
        draft,
        scheduled: date.is_some_and(|date| date.at > moment.now),
        expired: expires.is_some_and(|expires| expires.at <= moment.now),
        unlisted,
    };
    let post = Post {
        set: set_number,
        locale: locale.unwrap_or(set.locale),
        translation,
        untranslated: named.untranslated,
        path: path.to_owned(),
        folder: named.folder,
        source: source.head(front.body),
        front: map,
        title: title.into(),
        slug,
        date,
        updated,
        expires,
        summary: summary.map(Arc::from),
        has_own_summary,
        image,
        exclusion,
        terms,
        related,
        lists_related,
        link,
        template,
        id,
        moved_from,
        html,
        counted,
        links: notes.links,
        addresses: notes.addresses,
        has_placeholders: notes.placeholders,
        template_tag: notes.template_tag,
    };
    Collected {
        output: post,
        diagnostics,
    }
}

/// Returns front matter with the fields of the site's own names that a content set maps. One whose keys are all missing
/// is the key of its name.
fn with_mapped(mut front: Map, set: &ContentSet, settings: &Settings) -> Map {
    let own = set.fields.iter().filter(|(field, _)| {
        let is_term = settings.term_fields.iter().any(|known| known.is(field));
        !is_term && (field == "image_alt" || !RENAMABLE.contains(&field.as_str()))
    });
    for (field, _) in own {
        if let Some(value) = value(&front, set, field).cloned() {
            front.entries.retain(|entry| entry.key.node != *field);
            let key = Spanned::new(field.clone(), value.span);
            front.entries.push(FrontEntry { key, value });
        }
    }
    front
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

fn summary_of(body: &Notes) -> Option<String> {
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
