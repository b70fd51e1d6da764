//! Completion: settings, front matter, terms with their counts, queries and templates.

use std::ops::Range;

use lsp_types::{
    CompletionItem, CompletionItemKind, CompletionList, CompletionTextEdit, Documentation, TextEdit,
};
use tabulae_core::diagnostic::Code;
use tabulae_core::post::{ENTRIES, EntryHolds};
use tabulae_core::settings::{Holds, KEYS, TABLES};
use tabulae_engine::{ChoiceKind, template_words};

use crate::open_site::{OpenSite, Spot};
use crate::place::Place;
use crate::position::range;

/// The most items of one answer; more are asked for as the word grows.
const ITEMS: usize = 200;

/// Something that can be typed.
struct Choice {
    label: String,
    /// The text to write, if it is not the label.
    text: Option<String>,
    kind: CompletionItemKind,
    detail: String,
    about: String,
}

impl Choice {
    fn new(label: impl Into<String>, kind: CompletionItemKind) -> Self {
        Self {
            label: label.into(),
            text: None,
            kind,
            detail: String::new(),
            about: String::new(),
        }
    }

    fn detail(self, detail: impl Into<String>) -> Self {
        Self {
            detail: detail.into(),
            ..self
        }
    }

    fn about(self, about: impl Into<String>) -> Self {
        Self {
            about: about.into(),
            ..self
        }
    }

    fn text(self, text: impl Into<String>) -> Self {
        Self {
            text: Some(text.into()),
            ..self
        }
    }
}

/// Returns what can be written at a spot, the likeliest first.
pub(crate) fn completion(site: OpenSite<'_>, spot: &Spot<'_>) -> CompletionList {
    let (word, choices) = choices(site, spot);
    let typed = &spot.text[word.start..spot.at.clamp(word.start, word.end)];
    let lower = typed.to_lowercase();
    let fits = |choice: &Choice| {
        let label = choice.label.to_lowercase();
        label.contains(&lower) || choice.detail.to_lowercase().contains(&lower)
    };
    let mut fitting = choices.into_iter().filter(fits);
    let items = fitting.by_ref().take(ITEMS).enumerate();
    let place = range(spot.text, word.start, word.end);
    let items = items.map(|(order, choice)| item((place, typed), order, choice));
    CompletionList {
        items: items.collect(),
        is_incomplete: fitting.next().is_some(),
    }
}

/// Returns a choice as an item that replaces the text at a place, of which a part is typed.
fn item((place, typed): (lsp_types::Range, &str), order: usize, choice: Choice) -> CompletionItem {
    let edit = TextEdit {
        range: place,
        new_text: choice.text.unwrap_or_else(|| choice.label.clone()),
    };
    CompletionItem {
        filter_text: Some(typed.to_owned())
            .filter(|typed| !choice.label.to_lowercase().contains(&typed.to_lowercase())),
        label: choice.label,
        kind: Some(choice.kind),
        detail: Some(choice.detail).filter(|detail| !detail.is_empty()),
        documentation: Some(choice.about)
            .filter(|about| !about.is_empty())
            .map(Documentation::String),
        sort_text: Some(format!("{order:05}")),
        text_edit: Some(CompletionTextEdit::Edit(edit)),
        ..CompletionItem::default()
    }
}

fn choices(site: OpenSite<'_>, spot: &Spot<'_>) -> (Range<usize>, Vec<Choice>) {
    match &spot.place {
        Place::FrontKey(word) => (word.clone(), front_keys(site, spot, word)),
        Place::FrontValue(key, value) => (value.clone(), front_values(site, spot, key)),
        Place::Table(name) => (name.clone(), tables()),
        Place::SettingsKey(table, word) => (word.clone(), settings_keys(table, spot, word)),
        Place::SettingsValue(table, key, value) => {
            (value.clone(), settings_values(site, table, key))
        }
        Place::Query(query, at) => {
            let text = &spot.text[query.clone()];
            let (word, choices) = site.site.choices(text, *at);
            let choices = of_query(choices).collect();
            (query.start + word.start..query.start + word.end, choices)
        }
        Place::Template(name) => (name.clone(), templates(site)),
        Place::Expression(word, sign) => (word.clone(), in_expression(site, *sign)),
    }
}

/// Returns true if a word is followed by the sign between key and value.
fn has_sign(text: &str, word: &Range<usize>) -> bool {
    let rest = text[word.end..].trim_start_matches(['"', '\'', ' ']);
    rest.starts_with([':', '='])
}

fn front_keys(site: OpenSite<'_>, spot: &Spot<'_>, word: &Range<usize>) -> Vec<Choice> {
    let own = own_keys(site).into_iter();
    let own = own.filter(|name| !name.contains('.'));
    let known = |name: &str| ENTRIES.iter().any(|entry| entry.name == name);
    let own = own
        .filter(|name| !known(name))
        .map(|name| (name, "", "a key of this blog"));
    let built_in = ENTRIES.iter().map(|entry| (entry.name, entry.about, ""));
    let sign = match spot.text.trim_start_matches('\u{feff}').chars().next() {
        _ if has_sign(spot.text, word) => "",
        Some('+') => " = ",
        Some('{') => "",
        _ => ": ",
    };
    let lines = || {
        spot.text
            .lines()
            .map(|line| line.trim_start_matches(['"', '{', ' ']))
    };
    let is_there = |name: &str| {
        let is_it = |line: &str| {
            let rest = line
                .strip_prefix(name)
                .map(|rest| rest.trim_start_matches(['"', ' ']));
            rest.is_some_and(|rest| rest.starts_with([':', '=']))
        };
        name != &spot.text[word.clone()] && lines().any(is_it)
    };
    let keys = built_in.chain(own).filter(|(name, ..)| !is_there(name));
    let keys = keys.map(|(name, about, detail)| {
        Choice::new(name, CompletionItemKind::PROPERTY)
            .text(format!("{name}{sign}"))
            .detail(detail)
            .about(about)
    });
    keys.collect()
}

fn front_values(site: OpenSite<'_>, spot: &Spot<'_>, key: &str) -> Vec<Choice> {
    if let Some(field) = site.term_field(spot.path, key) {
        return of_query(site.site.term_choices(field)).collect();
    }
    let holds = ENTRIES
        .iter()
        .find(|entry| entry.name == key)
        .map(|entry| entry.holds);
    match (key, holds) {
        ("related", _) => slugs(site, spot.path),
        ("template", _) => templates(site),
        ("language", _) => {
            let settings = site.settings();
            let tags = settings.iter().flat_map(|settings| settings.locales.tags());
            tags.map(|tag| Choice::new(tag, CompletionItemKind::VALUE))
                .collect()
        }
        (_, Some(EntryHolds::Flag)) => flags(),
        _ => Vec::new(),
    }
}

fn templates(site: OpenSite<'_>) -> Vec<Choice> {
    let names = site.site.template_names().into_iter();
    let names = names.map(|name| Choice::new(name, CompletionItemKind::FILE));
    names.collect()
}

/// Returns the front matter keys that posts of this blog have.
fn own_keys(site: OpenSite<'_>) -> Vec<&str> {
    let catalogue = site.catalogue();
    let keys = catalogue.map(|catalogue| catalogue.field_names(&catalogue.every_set()));
    keys.unwrap_or_default()
}

fn flags() -> Vec<Choice> {
    let words = ["true", "false"].into_iter();
    words
        .map(|word| Choice::new(word, CompletionItemKind::KEYWORD))
        .collect()
}

/// Returns the slugs of all other posts, the latest first.
fn slugs(site: OpenSite<'_>, path: &str) -> Vec<Choice> {
    let Some(catalogue) = site.catalogue() else {
        return Vec::new();
    };
    let posts = catalogue.all().map(|id| catalogue.post(id));
    let posts = posts.filter(|post| post.path != path).map(|post| {
        Choice::new(&post.slug, CompletionItemKind::REFERENCE).detail(post.title.to_string())
    });
    posts.collect()
}

fn tables() -> Vec<Choice> {
    let tables = TABLES.iter();
    let tables =
        tables.map(|(name, about)| Choice::new(*name, CompletionItemKind::MODULE).about(*about));
    tables.collect()
}

/// Returns true if a table is of a kind: `archive.tags` is of `archive.NAME`.
pub(crate) fn is_table(table: &str, kind: &str) -> bool {
    let is_name = |part: &str| part == "NAME" || part == "TAG";
    table.split('.').count() == kind.split('.').count()
        && table
            .split('.')
            .zip(kind.split('.'))
            .all(|(own, part)| own == part || is_name(part))
}

fn settings_keys(table: &str, spot: &Spot<'_>, word: &Range<usize>) -> Vec<Choice> {
    let sign = if has_sign(spot.text, word) { "" } else { " = " };
    let keys = KEYS
        .iter()
        .filter(|key| is_table(table, key.table) && key.name != "NAME");
    let keys = keys.map(|key| {
        let default = key.default.map_or_else(
            || "required".to_owned(),
            |default| format!("default: {default}"),
        );
        Choice::new(key.name, CompletionItemKind::PROPERTY)
            .text(format!("{}{sign}", key.name))
            .detail(default)
            .about(key.about)
    });
    keys.collect()
}

fn settings_values(site: OpenSite<'_>, table: &str, key: &str) -> Vec<Choice> {
    let found = KEYS
        .iter()
        .find(|known| is_table(table, known.table) && known.name == key);
    let words = |words: &[&'static str]| -> Vec<Choice> {
        words
            .iter()
            .map(|word| Choice::new(*word, CompletionItemKind::ENUM_MEMBER))
            .collect()
    };
    match (key, found.map(|key| key.holds)) {
        ("by" | "group", _) => {
            let fields = site
                .settings()
                .into_iter()
                .flat_map(|settings| &settings.term_fields);
            let fields = fields
                .map(|field| field.name.as_str())
                .chain(["year", "month", "day"]);
            fields
                .map(|field| Choice::new(field, CompletionItemKind::FIELD))
                .collect()
        }
        ("template", _) => templates(site),
        (_, Some(Holds::Word(choices) | Holds::Words(choices))) => words(choices),
        (_, Some(Holds::FlagOr(choices))) => flags().into_iter().chain(words(choices)).collect(),
        (_, Some(Holds::Flag)) => flags(),
        (_, Some(Holds::Codes)) => {
            let codes = Code::ALL.iter();
            let codes = codes.map(|code| {
                Choice::new(code.name(), CompletionItemKind::ENUM_MEMBER).about(code.about())
            });
            codes.collect()
        }
        _ => Vec::new(),
    }
}

/// Returns what can be typed in a query as choices of the editor.
fn of_query(choices: Vec<tabulae_engine::Choice>) -> impl Iterator<Item = Choice> {
    choices.into_iter().map(|choice| {
        let kind = match choice.kind {
            ChoiceKind::Set => CompletionItemKind::FOLDER,
            ChoiceKind::NamedQuery => CompletionItemKind::VARIABLE,
            ChoiceKind::Term => CompletionItemKind::ENUM_MEMBER,
            ChoiceKind::Field => CompletionItemKind::FIELD,
            ChoiceKind::Keyword => CompletionItemKind::KEYWORD,
            ChoiceKind::Operator => CompletionItemKind::OPERATOR,
        };
        Choice::new(choice.label, kind)
            .text(choice.text)
            .detail(choice.detail)
            .about(choice.about)
    })
}

fn in_expression(site: OpenSite<'_>, sign: Option<char>) -> Vec<Choice> {
    let (functions, filters) = template_words();
    let words = |names: Vec<&'static str>| {
        names
            .into_iter()
            .map(|name| Choice::new(name, CompletionItemKind::FUNCTION))
            .collect()
    };
    match sign {
        Some('|') => words(filters),
        Some(_) => of_query(site.site.field_choices()).collect(),
        None => words(functions),
    }
}
