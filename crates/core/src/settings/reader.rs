//! Reading typed values from a table, with every diagnostic reported at its location.

use super::{SHOWS, Show, Site, TEMPLATE_ENDING, keys};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help};
use crate::edit::Edit;
use crate::route::Pattern;
use crate::source::{EmbeddedText, Source, Span, Spanned};
use crate::value::{Entry, Kind, Map, Value};

/// One table of `tabulae.toml`: what is asked of it by name is taken as known; what nobody
/// asked for is an error when the reading ends.
#[derive(Debug)]
pub(super) struct Table<'a> {
    source: &'a Source,
    name: String,
    span: Span,
    map: &'a Map,
    known: Vec<&'static str>,
}

/// The reason why a text is not a value: what is wrong, and what to do.
#[derive(Debug)]
pub(super) struct Unfit {
    pub(super) code: Code,
    pub(super) message: String,
    pub(super) help: Help,
}

impl<'a> Table<'a> {
    pub(super) fn new(source: &'a Source, name: &str, span: Span, map: &'a Map) -> Self {
        Self {
            source,
            name: name.to_owned(),
            span,
            map,
            known: Vec::new(),
        }
    }

    pub(super) fn source(&self) -> &'a Source {
        self.source
    }

    /// Returns the name of the table, such as `archive.tags`.
    pub(super) fn name(&self) -> &str {
        &self.name
    }

    /// Returns the items of a list; `None` if the key is left out.
    pub(super) fn items(
        &mut self,
        key: &'static str,
        wanted: &str,
        diagnostics: &mut Diagnostics,
    ) -> Option<&'a [Spanned<Value>]> {
        let items = self.typed(key, wanted, diagnostics, |value| match value {
            Value::List(items) => Some(items.as_slice()),
            _ => None,
        })?;
        Some(items.node)
    }

    pub(super) fn span(&self) -> Span {
        self.span
    }

    /// The entry of `key`, whatever it holds.
    pub(super) fn entry(&mut self, key: &'static str) -> Option<&'a Entry> {
        if !self.known.contains(&key) {
            self.known.push(key);
        }
        self.map.get(key)
    }

    fn typed<T>(
        &mut self,
        key: &'static str,
        wanted: &str,
        diagnostics: &mut Diagnostics,
        read: impl FnOnce(&'a Value) -> Option<T>,
    ) -> Option<Spanned<T>> {
        let entry = self.entry(key)?;
        match read(&entry.value.node) {
            Some(value) => Some(Spanned::new(value, entry.value.span)),
            None => {
                diagnostics.push(self.unfit(key, wanted, &entry.value));
                None
            }
        }
    }

    fn unfit(&self, key: &str, wanted: &str, found: &Spanned<Value>) -> Diagnostic {
        Diagnostic::error(
            Code::InvalidType,
            self.source.location(found.span),
            format!(
                "`{}` is {wanted}, and this is {}",
                self.path(key),
                found.node.kind().article()
            ),
        )
        .help(match wanted {
            "text" | "text or false" => "put it in quotes".to_owned(),
            _ => format!("write {wanted}"),
        })
    }

    fn path(&self, key: &str) -> String {
        if self.name.is_empty() {
            key.to_owned()
        } else {
            format!("{}.{key}", self.name)
        }
    }

    pub(super) fn text(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Spanned<String>> {
        self.typed(key, "text", diagnostics, |value| match value {
            Value::Text(text) => Some(text.clone()),
            _ => None,
        })
    }

    /// Returns the text of a key that can be turned off: `None` if it is left out, `Some(None)` if it is
    /// `false`.
    pub(super) fn text_or_false(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Option<Spanned<String>>> {
        let wanted = "text or false";
        let value = self.typed(key, wanted, diagnostics, |value| match value {
            Value::Text(text) => Some(Some(text.clone())),
            Value::Flag(false, _) => Some(None),
            _ => None,
        })?;
        let span = value.span;
        Some(value.node.map(|text| Spanned::new(text, span)))
    }

    /// Returns the value that the text of `key` means.
    pub(super) fn read<T>(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
        read: impl FnOnce(&str) -> Result<T, Unfit>,
    ) -> Option<T> {
        let text = self.text(key, diagnostics)?;
        let unfit = match read(&text.node) {
            Ok(value) => return Some(value),
            Err(unfit) => unfit,
        };
        diagnostics.push(self.wrong(unfit, text.span));
        None
    }

    /// Returns the diagnostic of a value that does not fit.
    pub(super) fn wrong(&self, unfit: Unfit, span: Span) -> Diagnostic {
        let location = self.source.location(span);
        Diagnostic::error(unfit.code, location, unfit.message).help(unfit.help)
    }

    pub(super) fn query_text(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<EmbeddedText> {
        let source = self.source;
        self.text(key, diagnostics)
            .map(|text| EmbeddedText::new(&text.node, source, text.span))
    }

    pub(super) fn flag(
        &mut self,
        key: &'static str,
        default: bool,
        diagnostics: &mut Diagnostics,
    ) -> bool {
        let read = |value: &Value| match value {
            Value::Flag(flag, _) => Some(*flag),
            _ => None,
        };
        self.typed(key, "true or false", diagnostics, read)
            .map_or(default, |flag| flag.node)
    }

    /// Reads `true`, `false`, or one of a few words, each with its value; the first two are those of `false` and
    /// `true`.
    pub(super) fn flag_or<T: Copy>(
        &mut self,
        key: &'static str,
        choices: &[(&'static str, T)],
        diagnostics: &mut Diagnostics,
    ) -> Option<T> {
        let words: Vec<String> = choices[2..]
            .iter()
            .map(|(word, _)| format!("\"{word}\""))
            .collect();
        let wanted = format!("true, false or {}", words.join(" or "));
        let value = self.typed(key, &wanted, diagnostics, |value| match value {
            Value::Flag(flag, _) => Some(Err(*flag)),
            Value::Text(text) => Some(Ok(text.clone())),
            _ => None,
        })?;
        match value.node {
            Err(flag) => Some(choices[usize::from(flag)].1),
            Ok(text) => {
                let found = choices[2..].iter().find(|(word, _)| *word == text);
                if found.is_none() {
                    let unfit = Unfit {
                        code: Code::InvalidValue,
                        message: format!("`{}` cannot be \"{text}\"", self.path(key)),
                        help: format!("write {wanted}").into(),
                    };
                    diagnostics.push(self.wrong(unfit, value.span));
                }
                found.map(|(_, value)| *value)
            }
        }
    }

    /// A whole number of at least 1.
    pub(super) fn count(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Spanned<usize>> {
        let number = self.typed(key, "a whole number", diagnostics, |value| match value {
            Value::Number(number, _) if number.fract() == 0.0 => Some(*number),
            _ => None,
        })?;
        if number.node < 1.0 || number.node > 1e9 {
            diagnostics.push(
                Diagnostic::error(
                    Code::InvalidValue,
                    self.source.location(number.span),
                    format!("`{}` is at least 1", self.path(key)),
                )
                .help("write 1 or more, or leave the line out"),
            );
            return None;
        }
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "checked above"
        )]
        Some(Spanned::new(number.node as usize, number.span))
    }

    /// Reads one of a few words, each with its value.
    pub(super) fn choice<T: Copy>(
        &mut self,
        key: &'static str,
        choices: &[(&'static str, T)],
        diagnostics: &mut Diagnostics,
    ) -> Option<T> {
        let text = self.text(key, diagnostics)?;
        self.choose(key, &text, choices, diagnostics)
    }

    fn choose<T: Copy>(
        &self,
        key: &str,
        text: &Spanned<String>,
        choices: &[(&'static str, T)],
        diagnostics: &mut Diagnostics,
    ) -> Option<T> {
        let found = choices.iter().find(|(word, _)| *word == text.node);
        if found.is_none() {
            let known: Vec<String> = choices
                .iter()
                .map(|(word, _)| format!("\"{word}\""))
                .collect();
            diagnostics.push(
                Diagnostic::error(
                    Code::InvalidValue,
                    self.source.location(text.span),
                    format!("`{}` cannot be \"{}\"", self.path(key), text.node),
                )
                .help(format!("write one of {}", known.join(", "))),
            );
        }
        found.map(|(_, value)| *value)
    }

    /// Reads the form of a list's items.
    pub(super) fn show(&mut self, diagnostics: &mut Diagnostics) -> Option<Show> {
        let text = self.text("show", diagnostics)?;
        match text.node.as_str() {
            "cards" => return Some(Show::Cards),
            "lines" => return Some(Show::Lines),
            name if name.ends_with(TEMPLATE_ENDING) => return Some(Show::Part(text)),
            _ => {}
        }
        let unfit = Unfit {
            code: Code::InvalidValue,
            message: format!("`{}` cannot be \"{}\"", self.path("show"), text.node),
            help: format!(
                "write \"{}\", \"{}\", or the name of a part, such as \"parts/tile{TEMPLATE_ENDING}\"",
                SHOWS[0], SHOWS[1]
            ).into(),
        };
        diagnostics.push(self.wrong(unfit, text.span));
        None
    }

    /// Returns the table of a key that can be turned off: `None` if it is left out, `Some(None)` if it is `false`.
    pub(super) fn table_or_false(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Option<Table<'a>>> {
        let map = self.typed(key, "a table or false", diagnostics, |value| match value {
            Value::Flag(false, _) => Some(None),
            value => as_map(value).map(Some),
        })?;
        let table = |inner| Table::new(self.source, &self.path(key), map.span, inner);
        Some(map.node.map(table))
    }

    /// Reads a list of a few words, each with its value.
    pub(super) fn choices<T: Copy>(
        &mut self,
        key: &'static str,
        choices: &[(&'static str, T)],
        diagnostics: &mut Diagnostics,
    ) -> Vec<T> {
        let texts = self.texts(key, diagnostics);
        texts
            .iter()
            .filter_map(|text| self.choose(key, text, choices, diagnostics))
            .collect()
    }

    /// A list of texts; a single text is a list of one.
    pub(super) fn texts(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Vec<Spanned<String>> {
        let Some(entry) = self.entry(key) else {
            return Vec::new();
        };
        texts_of(&entry.value).unwrap_or_else(|found| {
            diagnostics.push(self.unfit(key, "a list of texts", found));
            Vec::new()
        })
    }

    /// Returns the addresses of `moved_from`, from the site's root.
    pub(super) fn moved_from(
        &mut self,
        site: &Site,
        diagnostics: &mut Diagnostics,
    ) -> Vec<Spanned<String>> {
        let source = self.source;
        let addresses = self.texts("moved_from", diagnostics).into_iter();
        let within = addresses.filter_map(|old| match site.address.below_root(&old.node) {
            Ok(below) => Some(Spanned::new(below, old.span)),
            Err(unfit) => {
                diagnostics.push(unfit.at(&old.node, source.location(old.span)));
                None
            }
        });
        within.collect()
    }

    /// The table of this key.
    pub(super) fn table(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Table<'a>> {
        let map = self.typed(key, "a table", diagnostics, as_map)?;
        Some(Table::new(self.source, &self.path(key), map.span, map.node))
    }

    /// Returns the tables under a key, with their names, in the order written.
    pub(super) fn tables(
        &mut self,
        key: &'static str,
        diagnostics: &mut Diagnostics,
    ) -> Vec<(Spanned<String>, Table<'a>)> {
        let Some(map) = self.typed(key, "a table", diagnostics, as_map) else {
            return Vec::new();
        };
        let mut tables = Vec::new();
        for entry in &map.node.entries {
            let path = format!("{}.{}", self.path(key), entry.key.node);
            match as_map(&entry.value.node) {
                Some(inner) => {
                    let table = Table::new(self.source, &path, entry.key.span, inner);
                    tables.push((entry.key.clone(), table));
                }
                None => diagnostics.push(
                    Diagnostic::error(
                        Code::InvalidType,
                        self.source.location(entry.value.span),
                        format!(
                            "`{path}` must be a table, and this is {}",
                            entry.value.node.kind().article()
                        ),
                    )
                    .help(format!(
                        "write `[{path}]` on a line of its own, and its settings below"
                    )),
                ),
            }
        }
        tables
    }

    /// All entries of this table, whose keys are names that the user chose.
    pub(super) fn all(&self) -> &'a [Entry] {
        &self.map.entries
    }

    /// Returns true if a text is a link without variables; if it is not, reports an error.
    pub(super) fn check_fixed(
        &self,
        text: &Spanned<String>,
        diagnostics: &mut Diagnostics,
    ) -> bool {
        let pattern = match Pattern::parse(&text.node) {
            Ok(pattern) => pattern,
            Err(diagnostic) => {
                let embedded = EmbeddedText::new(&text.node, self.source(), text.span);
                diagnostics.push(diagnostic.at(&embedded));
                return false;
            }
        };
        let Some(variable) = pattern.variables().next() else {
            return true;
        };
        diagnostics.push(
            Diagnostic::error(
                Code::InvalidLinkPattern,
                self.source().location(text.span),
                format!("this link is the address of one page, and has {{{variable}}}"),
            )
            .help("write a link without a variable"),
        );
        false
    }

    /// Ends the reading: each key that nobody asked for is an error.
    pub(super) fn finish(self, diagnostics: &mut Diagnostics) {
        for entry in &self.map.entries {
            let key = entry.key.node.as_str();
            if !self.known.contains(&key) {
                let at = if self.name.is_empty() {
                    String::new()
                } else {
                    format!(" in [{}]", self.name)
                };
                let location = self.source.location(entry.key.span);
                let message = format!("there is no setting `{key}`{at}");
                let found = Diagnostic::error(Code::UnknownKey, location, message);
                diagnostics.push(match keys::renamed(&self.name, key) {
                    Some(now) => found.help(is_called(now)),
                    None if self.name.ends_with("related") && key == "limit" => found.help(LIMIT),
                    None if self.name.ends_with(".related")
                        && matches!(key, "weigh" | "require") =>
                    {
                        found.help(format!(
                            "likeness is the same for the whole blog: write `{key}` below [related]"
                        ))
                    }
                    None => {
                        let mut found = found.suggest(key, self.known.iter().copied());
                        // One of the two keys has to go, and a person knows which.
                        let is_there = |edit: &Edit| match edit {
                            Edit::Replace(edit) => self.map.get(&edit.new).is_some(),
                            Edit::Create { .. } => false,
                        };
                        found.edits.retain(|edit| !is_there(edit));
                        found
                    }
                });
            }
        }
    }
}

/// Returns the help for a key that has another name now.
fn is_called(now: &'static str) -> Help {
    let text = format!("it is called `{now}` now");
    let is_key = now.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    match is_key {
        true => Help::instead(text, now),
        false => text.into(),
    }
}

const LIMIT: &str = "the limit is part of the query: `query = \"from posts where likeness > 0 order by likeness desc limit 4\"`";

/// Reads a link; without one it is `default`, which is made of the table's name.
pub(super) fn read_pattern(
    name: &Spanned<String>,
    table: &mut Table<'_>,
    key: &'static str,
    default: &str,
    diagnostics: &mut Diagnostics,
) -> Spanned<Pattern> {
    let parsed = Pattern::parse(default);
    let is_valid = parsed.is_ok();
    // A default that is made of an odd name is reported below, or not needed.
    let fallback = parsed.unwrap_or_else(|_| Pattern::fixed("/"));
    let fallback = Spanned::new(fallback, table.span());
    let written = table.text(key, diagnostics);
    let Some(text) = written else {
        if !is_valid {
            let location = table.source().location(name.span);
            let message = format!("the name \"{}\" cannot be part of an address", name.node);
            let help =
                format!("write a name of letters, digits and hyphens, or a `{key}` of its own");
            diagnostics
                .push(Diagnostic::error(Code::InvalidLinkPattern, location, message).help(help));
        }
        return fallback;
    };
    match Pattern::parse(&text.node) {
        Ok(pattern) => Spanned::new(pattern, text.span),
        Err(diagnostic) => {
            let embedded = EmbeddedText::new(&text.node, table.source(), text.span);
            diagnostics.push(diagnostic.at(&embedded));
            fallback
        }
    }
}

fn as_map(value: &Value) -> Option<&Map> {
    match value {
        Value::Map(map) => Some(map),
        _ => None,
    }
}

/// A text, or a list of texts.
pub(super) fn texts_of(value: &Spanned<Value>) -> Result<Vec<Spanned<String>>, &Spanned<Value>> {
    match &value.node {
        Value::Text(text) => Ok(vec![Spanned::new(text.clone(), value.span)]),
        Value::List(items) => items
            .iter()
            .map(|item| match &item.node {
                Value::Text(text) => Ok(Spanned::new(text.clone(), item.span)),
                _ => Err(item),
            })
            .collect(),
        _ => Err(value),
    }
}

/// A number of at least 0.
pub(super) fn weight_of(value: &Value) -> Option<f64> {
    match value {
        Value::Number(number, _) if number.is_finite() && *number >= 0.0 => Some(*number),
        _ => None,
    }
}

/// The kind of a value, for messages.
pub(super) fn article(value: &Value) -> &'static str {
    let kind: Kind = value.kind();
    kind.article()
}
