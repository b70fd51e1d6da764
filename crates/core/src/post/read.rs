//! Typed fields of a header, each diagnostic at its location.

use std::collections::BTreeSet;

use super::name::FileName;
use super::{Notes, title_of_name, value};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use crate::id::LocaleId;
use crate::language::{check_tag, common_form, parse_by};
use crate::route::{Link, Pattern, folder_unless_file, unsafe_scheme};
use crate::settings::{ContentSet, DraftTest, Locales, Settings};
use crate::slip::slip_of;
use crate::source::{EmbeddedText, Location, Source, Span, Spanned};
use crate::term::{identity, slug, unfit_slug};
use crate::time::{DateError, FORMS, Moment, WrittenDate, ZonedDate, parse_date};
use crate::value::{Map, Value};

/// The most values of one term field that a post may have.
pub(super) const TERMS: usize = 1000;

/// The most levels of a nested term.
pub(super) const LEVELS: usize = 32;

/// Reads typed fields of one header; each diagnostic is reported at its location.
pub(super) struct Reader<'a> {
    pub(super) source: &'a Source,
    pub(super) set: &'a ContentSet,
    pub(super) front: &'a Map,
    pub(super) moment: &'a Moment,
    pub(super) diagnostics: &'a mut Diagnostics,
}

impl<'a> Reader<'a> {
    fn value(&self, name: &str) -> Option<&'a Spanned<Value>> {
        value(self.front, self.set, name)
    }

    pub(super) fn has(&self, name: &str) -> bool {
        self.value(name).is_some()
    }

    fn unfit(&mut self, name: &str, wanted: &str, value: &Spanned<Value>, help: &str) {
        self.diagnostics.push(
            Diagnostic::error(
                Code::InvalidType,
                self.source.location(value.span),
                format!(
                    "`{name}` must be {wanted}, and this is {}",
                    value.node.kind().article()
                ),
            )
            .help(help),
        );
    }

    pub(super) fn text(&mut self, name: &str) -> Option<String> {
        let value = self.value(name)?;
        match value.node.written() {
            Some(text) => Some(text.trim().to_owned()),
            None => {
                self.unfit(name, "text", value, &format!("write one text: `{name}: …`"));
                None
            }
        }
    }

    /// Reads the address of the image; one that would run where it is opened is an error.
    pub(super) fn image(&mut self) -> Option<String> {
        let address = self.text("image")?;
        let Some(scheme) = unsafe_scheme(&address) else {
            return Some(address);
        };
        let location = self
            .value("image")
            .map(|value| self.source.location(value.span));
        let message = format!("an address that begins with `{scheme}:` is not an image");
        let diagnostic = Diagnostic::error(Code::InvalidAddress, location?, message);
        self.diagnostics
            .push(diagnostic.help("write a file beside the post, or an address such as /gate.png"));
        None
    }

    /// Returns true if a flag is set: it is `true`, or, under another name, the field's own as text
    /// (`status: unlisted`). A set's name for it can be turned around: `not listed`.
    pub(super) fn flag(&mut self, name: &str) -> bool {
        let names = self.set.keys_of(name);
        let names = names.map(|names| names.iter().map(|name| name.node.as_str()).collect());
        let names: Vec<&str> = names.unwrap_or_else(|| vec![name]);
        let found = names.iter().find_map(|called| {
            let entry = called.strip_prefix("not ");
            let value = self.front.at(entry.unwrap_or(called).trim())?;
            (!value.node.is_missing()).then_some((*called, entry.is_some(), value))
        });
        let Some((called, turned, value)) = found else {
            return false;
        };
        match &value.node {
            Value::Flag(flag, _) => *flag != turned,
            Value::Text(text) if called != name && !turned => text.eq_ignore_ascii_case(name),
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

    /// Returns true if any rule of the content set says that the post is a draft. A word that is a slip away
    /// from one that excludes a post is a warning.
    pub(super) fn is_draft(&mut self) -> bool {
        let mut is_draft = false;
        for rule in &self.set.draft_rules {
            let value = self.front.at(&rule.key);
            let Some(value) = value.filter(|value| !value.node.is_missing()) else {
                continue;
            };
            is_draft |= match (&rule.test, &value.node) {
                (DraftTest::True, Value::Flag(flag, _)) => *flag,
                (DraftTest::False, Value::Flag(flag, _)) => !flag,
                (DraftTest::True, _) if rule.key == "draft" => {
                    let help = "write true or false, without quotes";
                    self.unfit("draft", "true or false", value, help);
                    false
                }
                (DraftTest::False, _) => false,
                (_, other) => {
                    let word = other.written().unwrap_or_default().trim().to_lowercase();
                    let is_one = rule.words().any(|known| known == word);
                    if !is_one && let Some(near) = slip_of(&word, rule.words()) {
                        let written = other.written().unwrap_or_default();
                        let message = format!(
                            "`{}: {written}` does not exclude this post: the word for that is `{near}`",
                            rule.key
                        );
                        let location = self.source.location(value.span);
                        let warning = Diagnostic::warning(Code::UnknownKey, location, message);
                        self.diagnostics.push(
                            warning
                                .help(Help::instead(format!("write `{}: {near}`", rule.key), near)),
                        );
                    }
                    is_one
                }
            };
        }
        is_draft
    }

    pub(super) fn title(&mut self, body: &Notes, named: &FileName) -> String {
        self.text("title")
            .or_else(|| body.heading.clone().filter(|text| !text.is_empty()))
            .unwrap_or_else(|| title_of_name(&named.name))
    }

    /// Reads the language of a post, which its file may have before its ending (`of_name`). `None` if neither
    /// says it, or the blog has one language only. A language that the blog does not have is a warning; one
    /// that differs from that of the file an error.
    pub(super) fn locale(
        &mut self,
        locales: &Locales,
        of_name: Option<LocaleId>,
    ) -> Option<LocaleId> {
        let value = self.value("language").filter(|_| locales.are_several());
        let Some(value) = value else {
            return of_name;
        };
        let written = value.node.written().unwrap_or_default().trim();
        let location = self.source.location(value.span);
        let Some(locale) = locales.find(written) else {
            self.diagnostics
                .extend(undeclared(written, locales, location));
            return of_name;
        };
        if let Some(other) = of_name.filter(|other| *other != locale) {
            let tag = &locales.get(other).tag;
            let message =
                format!("the language is `{written}` here, and `{tag}` in the file's name");
            let found = Diagnostic::error(Code::InvalidValue, location, message);
            self.diagnostics
                .push(found.help("leave `language` out, or rename the file"));
        }
        Some(locale)
    }

    /// Reads the name that a post shares with its translations, if the blog has several languages.
    pub(super) fn translation(&mut self, locales: &Locales) -> Option<Spanned<String>> {
        let value = self
            .value("translation")
            .filter(|_| locales.are_several())?;
        let name = self.text("translation").filter(|name| !name.is_empty())?;
        Some(Spanned::new(name, value.span))
    }

    pub(super) fn date(&mut self, name: &str) -> Option<ZonedDate> {
        let value = self.value(name)?;
        match &value.node {
            Value::Date(date, _) => Some(**date),
            other => match other.written() {
                Some(text) => {
                    let parsed = self
                        .parsed_date(text.trim())
                        .and_then(|date| date.zoned(&self.moment.zone));
                    let location = || self.source.location(value.span);
                    let formats = &self.set.date_formats;
                    let wrong =
                        parsed.map_err(|error| date_error(&error, text, formats, location()));
                    wrong.map_err(|found| self.diagnostics.push(found)).ok()
                }
                None => {
                    self.unfit(name, "a date", value, &format!("write one of {FORMS}"));
                    None
                }
            },
        }
    }

    /// Reads a date in one of the known forms, or those of the content set.
    fn parsed_date(&self, text: &str) -> Result<WrittenDate, DateError> {
        parse_date(text).or_else(|error| {
            let mut formats = self.set.date_formats.iter();
            let found = formats.find_map(|format| parse_by(format, text));
            found.ok_or(error)
        })
    }

    pub(super) fn date_of_name(&mut self, named: &FileName, path: &str) -> Option<ZonedDate> {
        if self.has("date") {
            return None;
        }
        let text = named.date.as_ref()?;
        let parsed = parse_date(text).and_then(|date| date.zoned(&self.moment.zone));
        parsed
            .map_err(|diagnostic| {
                self.diagnostics
                    .push(date_error(&diagnostic, text, &[], Location::top_of(path)))
            })
            .ok()
    }

    pub(super) fn slug(&mut self, named: &FileName, path: &str) -> String {
        let Some(value) = self.value("slug") else {
            let made = slug(&named.name);
            if made.is_empty() {
                self.diagnostics.push(
                    Diagnostic::error(
                        Code::EmptySlug,
                        Location::top_of(path),
                        format!(
                            "no letter or digit is left of the file's name \"{}\" in an address",
                            named.name
                        ),
                    )
                    .help("write a `slug:` of letters, digits and `-` in the front matter"),
                );
            }
            return made;
        };
        let location = self.source.location(value.span);
        let Some(written) = self.text("slug") else {
            return String::new();
        };
        self.diagnostics.extend(unfit_slug(&written, location));
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

    /// Returns true if a field is turned off: it is `false`.
    pub(super) fn is_off(&self, name: &str) -> bool {
        let value = self.value(name);
        value.is_some_and(|value| matches!(value.node, Value::Flag(false, _)))
    }

    /// Reads its own address: a `link` that begins with `/`. Any other is a field of the writer's own.
    pub(super) fn link(&mut self) -> Option<Link> {
        let value = self.value("link")?;
        let text = value.node.written()?.trim();
        if !text.starts_with('/') {
            return None;
        }
        let pattern = match Pattern::parse(&folder_unless_file(text)) {
            Ok(pattern) => pattern,
            Err(found) => {
                let embedded = EmbeddedText::new(text, self.source, value.span);
                self.diagnostics.push(found.at(&embedded));
                return None;
            }
        };
        match pattern.expand(|_| None) {
            Ok(link) => Some(link),
            Err(variable) => {
                let location = self.source.location(value.span);
                let message =
                    format!("the address of one post has no variable, and this has {{{variable}}}");
                let found = Diagnostic::error(Code::InvalidAddress, location, message);
                let help = "write the whole address, such as `link: /lime/`";
                self.diagnostics.push(found.help(help));
                None
            }
        }
    }

    /// Reads the template of its page.
    pub(super) fn template(&mut self) -> Option<Spanned<String>> {
        let span = self.value("template")?.span;
        let name = self.text("template")?;
        (!name.is_empty()).then(|| Spanned::new(name, span))
    }

    pub(super) fn list(&mut self, name: &str) -> Vec<Spanned<String>> {
        self.texts(name, true)
    }

    pub(super) fn terms(&mut self, name: &str, plural: Option<&str>) -> Vec<Spanned<String>> {
        let mut terms = self.written_terms(name, plural);
        if let Some(beyond) = terms.get(TERMS) {
            let location = self.source.location(beyond.span);
            let count = terms.len();
            let message = format!("this post has {count} values of `{name}`, of at most {TERMS}");
            let diagnostic = Diagnostic::error(Code::InvalidValue, location, message);
            self.diagnostics
                .push(diagnostic.help("keep those that tell what it is about"));
            terms.truncate(TERMS);
        }
        if let Some(deep) = terms
            .iter()
            .find(|term| term.node.matches('/').count() >= LEVELS)
        {
            let location = self.source.location(deep.span);
            let message = format!("this value of `{name}` has more than {LEVELS} levels");
            let diagnostic = Diagnostic::error(Code::InvalidValue, location, message);
            self.diagnostics
                .push(diagnostic.help("write it with fewer `/`"));
            terms.retain(|term| term.node.matches('/').count() < LEVELS);
        }
        let mut seen = BTreeSet::new();
        terms.retain(|term| seen.insert(identity(&term.node)));
        terms
    }

    /// Reads all values of a term field as they are written, also those that are one term.
    pub(super) fn written_terms(
        &mut self,
        name: &str,
        plural: Option<&str>,
    ) -> Vec<Spanned<String>> {
        let renamed = self.set.keys_of(name).is_some();
        let mut terms = self.texts(name, true);
        if let (Some(plural), false) = (plural, renamed) {
            terms.extend(self.texts(plural, true));
        }
        terms
    }

    pub(super) fn moved_from(&mut self, settings: &Settings) -> Vec<Spanned<String>> {
        let mut addresses = self.texts("moved_from", true);
        addresses.retain_mut(|old| match settings.site.address.below_root(&old.node) {
            Ok(below) => {
                old.node = below;
                true
            }
            Err(unfit) => {
                let location = self.source.location(old.span);
                self.diagnostics.push(unfit.at(&old.node, location));
                false
            }
        });
        addresses
    }
}

/// The parts of a text between commas, each at its location where the text is written plainly.
fn split_at_commas(text: &str, span: Span, source: &Source) -> Vec<Spanned<String>> {
    let raw = &source.text()[span.start..span.end];
    let base = raw.find(text).map(|at| span.start + at);
    let mut start = 0;
    let mut parts = Vec::new();
    for part in text.split(',') {
        let inner = part.trim();
        let offset = start + (part.len() - part.trim_start().len());
        if !inner.is_empty() {
            let location = base.map_or(span, |base| {
                Span::new(base + offset, base + offset + inner.len())
            });
            parts.push(Spanned::new(inner.to_owned(), location));
        }
        start += part.len() + 1;
    }
    parts
}

/// Returns a warning for a language that the blog does not have, if the text is or resembles a language's tag.
fn undeclared(written: &str, locales: &Locales, location: Location) -> Option<Diagnostic> {
    let near = nearest(written, locales.tags());
    let is_tag = check_tag(written).is_ok();
    if !is_tag && near.is_none() {
        return None;
    }
    let message = format!("the blog has no language `{written}`, so that this post is in another");
    let help = match near.filter(|_| !is_tag) {
        Some(near) => Help::did_you_mean(near),
        None => format!("declare it by a table `[locale.{written}]` in tabulae.toml").into(),
    };
    Some(Diagnostic::warning(Code::UnknownLanguage, location, message).help(help))
}

fn date_error(
    diagnostic: &DateError,
    text: &str,
    formats: &[String],
    location: Location,
) -> Diagnostic {
    let forms = || {
        let own = formats.iter().map(|format| format!(", or by \"{format}\""));
        let own = own.collect::<String>();
        match common_form(text) {
            Some(form) => format!(
                "write one of {FORMS}{own}; or allow this form by `date_formats = [\"{form}\"]` in the table of the content set"
            ),
            None => format!("write one of {FORMS}{own}"),
        }
    };
    match diagnostic {
        DateError::Form => Diagnostic::error(
            Code::InvalidDate,
            location,
            format!("\"{}\" is not a date in a known form", text.trim()),
        )
        .help(forms()),
        DateError::NotThere(why) => Diagnostic::error(
            Code::InvalidDate,
            location,
            format!("the date \"{}\" does not exist: {why}", text.trim()),
        )
        .help(forms()),
    }
}
