//! Support for writing queries: what each condition leaves, why a post is not found, and what can be typed.

use std::ops::Range;

use tabulae_core::id::LocaleId;
use tabulae_core::query::fields::FIELDS;
use tabulae_core::query::place::{QueryPlace, query_place};
use tabulae_core::query::{Chain, KEYWORDS};

use super::{IntoQuery, Posts, QueryPage, Workspace};
use crate::error::Error;
use crate::pipeline::explain::{Membership, why_not};
use crate::site::Site;

/// Something that can be typed in a query.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// The name, as it is shown.
    pub label: String,
    /// The text to write.
    pub text: String,
    /// The kind of thing.
    pub kind: ChoiceKind,
    /// A few words on it: the number of posts, the text of a named query.
    pub detail: String,
    /// The documentation, or an empty text.
    pub about: &'static str,
}

/// The kinds of what can be typed in a query.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChoiceKind {
    /// A content set.
    Set,
    /// A named query.
    NamedQuery,
    /// A term of a field.
    Term,
    /// A field.
    Field,
    /// A word of the language.
    Keyword,
    /// An operator of a condition.
    Operator,
}

impl ChoiceKind {
    /// Returns the kind in words.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Set => "content set",
            Self::NamedQuery => "named query",
            Self::Term => "term",
            Self::Field => "field",
            Self::Keyword => "keyword",
            Self::Operator => "operator",
        }
    }
}

impl Choice {
    fn new(label: &str, kind: ChoiceKind) -> Self {
        Self {
            label: label.to_owned(),
            text: label.to_owned(),
            kind,
            detail: String::new(),
            about: "",
        }
    }

    fn detail(self, detail: impl Into<String>) -> Self {
        Self {
            detail: detail.into(),
            ..self
        }
    }

    /// Returns true if its name or its detail has what is typed, in any case.
    #[must_use]
    pub fn fits(&self, typed: &str) -> bool {
        let typed = typed.to_lowercase();
        self.label.to_lowercase().contains(&typed) || self.detail.to_lowercase().contains(&typed)
    }
}

impl Workspace {
    /// Returns how many posts each condition of a query that was run on a page leaves; see [`Chain`].
    ///
    /// # Errors
    /// As [`query_on`](Workspace::query_on).
    pub fn chain(&self, posts: &Posts<'_>, page: QueryPage<'_>) -> Result<Chain, Error> {
        let site = self.site()?;
        let (scope, this) = self.scope_on(site, page)?;
        let chain = posts.query.chain(scope, this, posts.total());
        chain.ok_or_else(|| {
            let found = posts.query.resolve(scope).diagnostics;
            Error::new(found.into_iter().filter(|found| found.is_error()).collect())
        })
    }

    /// Explains why a query on a page finds or does not find a post: the condition that is false for it, its state, or
    /// the limit.
    ///
    /// # Errors
    /// As [`query_on`](Workspace::query_on), and if there is no such post.
    pub fn why_not(
        &self,
        query: impl IntoQuery,
        page: QueryPage<'_>,
        post: &str,
    ) -> Result<Membership, Error> {
        let site = self.site()?;
        let (scope, this) = self.scope_on(site, page)?;
        let id = self.find(site, post)?;
        let posts = self.query_on(query.into_query()?, page)?;
        let found = (&posts.query, posts.answer.posts.as_slice());
        Ok(why_not(site, found, (scope, this), id))
    }

    /// Returns what can be typed at a byte of a query, which need not be complete, with the bytes of the word that it
    /// takes the place of; the likeliest first. Nothing if the site cannot be read or the byte is within a character.
    #[must_use]
    pub fn choices(&self, query: &str, at: usize) -> (Range<usize>, Vec<Choice>) {
        let Some(site) = self.site().ok().filter(|_| query.is_char_boundary(at)) else {
            return (0..0, Vec::new());
        };
        match query_place(query, at) {
            QueryPlace::Source(word) => (word, sources(site)),
            QueryPlace::Text(field, text) => {
                let field = site.catalogue.term_field(field);
                let mut terms = field.map_or_else(Vec::new, |field| self.term_choices(field));
                for term in &mut terms {
                    term.text = term.label.replace('\'', "''");
                }
                (text, terms)
            }
            QueryPlace::Operator(name, word)
                if fields(site).iter().any(|field| field.label == name) =>
            {
                let operators = OPERATORS.iter().map(|(operator, about)| Choice {
                    about,
                    ..Choice::new(operator, ChoiceKind::Operator)
                });
                (word, operators.chain(keywords()).collect())
            }
            QueryPlace::Word(word) | QueryPlace::Operator(_, word) => {
                (word, fields(site).into_iter().chain(keywords()).collect())
            }
        }
    }

    /// Computes, on all threads, the fields named in a query that would else be computed when it first runs: `text`,
    /// `words` and `minutes`. The query need not be complete. Takes seconds on thousands of posts the first time, and as
    /// good as none later.
    pub fn read_ahead(&self, query: &str) {
        let Ok(site) = self.site() else {
            return;
        };
        let names = |field: &str| {
            let mut words = query.split(|c: char| !c.is_alphanumeric() && c != '_');
            words.any(|word| word.eq_ignore_ascii_case(field))
        };
        if names("text") {
            // Other searches than `contains`, the most common one, read texts as they are written.
            let is_other = ["matches", "starts", "ends"].into_iter().any(names);
            if is_other {
                site.catalogue.read_bodies();
            }
            if !is_other || names("contains") {
                site.catalogue.fold_bodies();
            }
        }
        if names("words") || names("minutes") {
            site.catalogue.count_words();
        }
    }

    /// Returns the fields of queries: those of terms first, then those of every post, then those of this blog.
    #[must_use]
    pub fn field_choices(&self) -> Vec<Choice> {
        self.site().map_or_else(|_| Vec::new(), fields)
    }

    /// Returns the terms of a field, by its number, with their counts: those of most posts first, then by name.
    #[must_use]
    pub fn term_choices(&self, field: usize) -> Vec<Choice> {
        let Ok(site) = self.site() else {
            return Vec::new();
        };
        let mut terms: Vec<_> = site.catalogue.terms(field).terms.iter().collect();
        terms.sort_by(|a, b| {
            let counts = b.posts.len().cmp(&a.posts.len());
            counts.then_with(|| a.name.cmp(&b.name))
        });
        let terms = terms.into_iter().map(|term| {
            let count = term.posts.len();
            let noun = if count == 1 { "post" } else { "posts" };
            Choice::new(term.name_in(LocaleId::SITE), ChoiceKind::Term)
                .detail(format!("{count} {noun}"))
        });
        terms.collect()
    }
}

/// The operators of conditions, each with its meaning.
const OPERATORS: [(&str, &str); 15] = [
    ("=", "equal; of several values one is"),
    ("!=", "not equal; of several values none is"),
    ("<", "less, or earlier"),
    ("<=", "at most, or not later"),
    (">", "more, or later"),
    (">=", "at least, or not earlier"),
    (
        "in",
        "one of several values, in a range, or in a month or year",
    ),
    ("between", "from one value to another"),
    (
        "contains",
        "has the text, without regard to case and accents",
    ),
    ("starts with", "begins with the text"),
    ("ends with", "ends with the text"),
    ("has any", "shares a value with a list"),
    ("has all", "has every value of a list"),
    ("is missing", "has no value"),
    ("is not missing", "has a value"),
];

fn keywords() -> impl Iterator<Item = Choice> {
    let keywords = KEYWORDS.iter();
    keywords.map(|word| Choice::new(word, ChoiceKind::Keyword))
}

fn sources(site: &Site) -> Vec<Choice> {
    let sets = site.settings.content.iter();
    let sets = sets.map(|set| Choice::new(&set.name, ChoiceKind::Set).detail("content set"));
    let named = site.settings.queries.iter();
    let named = named
        .map(|(name, query)| Choice::new(&name.node, ChoiceKind::NamedQuery).detail(query.text()));
    sets.chain(named).collect()
}

fn fields(site: &Site) -> Vec<Choice> {
    let terms = site.settings.term_fields.iter();
    let terms = terms.map(|field| Choice::new(&field.name, ChoiceKind::Field).detail("terms"));
    let derived = FIELDS.iter().map(|field| Choice {
        about: field.about,
        ..Choice::new(field.name, ChoiceKind::Field)
    });
    let own = site.catalogue.field_names(&site.catalogue.every_set());
    let own = own
        .into_iter()
        .map(|name| Choice::new(name, ChoiceKind::Field).detail("a key of this blog"));
    terms.chain(derived).chain(own).collect()
}
