//! Reading `tabulae.toml`: every table, every diagnostic.

use jiff::tz::TimeZone;

use super::locales::{Locales, unknown_titles};
use super::reader::{Table, Unfit, article, read_pattern, texts_of, weight_of};
use super::{
    ContentSet, DraftRule, FileGlobs, Related, SetRelated, Settings, TermField, drafts, words,
};
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics, Help};
use crate::front_matter::parse_toml;
use crate::id::LocaleId;
use crate::language::check_date_format;
use crate::lint_levels::LintLevels;
use crate::route::{IdPattern, Pattern};
use crate::slip::slip_of;
use crate::source::{EmbeddedText, Source, Span, Spanned};

impl Settings {
    /// Reads the text of `tabulae.toml`. All diagnostics are reported; where there is an error the
    /// settings hold defaults in its place and are fit only to look for further diagnostics.
    #[must_use]
    pub fn read(source: &Source) -> Collected<Self> {
        let mut diagnostics = Diagnostics::new();
        let whole = Span::new(0, source.text().len());
        let map = parse_toml(source, whole, &TimeZone::UTC, &mut diagnostics);
        for diagnostic in &mut diagnostics {
            if diagnostic.code == Code::FrontMatterSyntax {
                diagnostic.code = Code::SettingsSyntax;
            }
        }
        // Of a text that could be read in part, what seems to be missing may only be unread.
        let unreadable = diagnostics
            .iter()
            .any(|diagnostic| diagnostic.code == Code::SettingsSyntax)
            .then(|| diagnostics.clone());
        let mut root = Table::new(source, "", Span::new(0, 1), &map);
        let site = super::site::read(&mut root, &mut diagnostics);
        let mut locales = super::locales::read(&mut root, &site, &mut diagnostics);
        let mut term_fields = default_term_fields();
        let defaults = site.defaults;
        let related = root.table("related", &mut diagnostics);
        let related = related.map(|table| read_related(table, None, &mut diagnostics));
        let content = read_content(
            &mut root,
            defaults,
            (&locales, related.as_ref()),
            &mut term_fields,
            &mut diagnostics,
        );
        let queries = read_queries(&mut root, &content, &mut diagnostics);
        let of_site = (&site, &locales);
        let archives = super::archives::read(&mut root, of_site, &mut diagnostics);
        let feeds = super::feeds::read(&mut root, of_site, &mut diagnostics);
        let exports = super::exports::read(&mut root, &mut diagnostics);
        diagnostics.extend(unknown_titles(&locales, (&archives, &feeds), source));
        let highlight = read_code(&mut root, &mut diagnostics);
        read_terms(&mut root, &mut term_fields, &mut diagnostics);
        words::read(&mut root, &mut locales, &mut diagnostics);
        for (id, locale) in locales.iter() {
            let place = match id {
                LocaleId::SITE => map.at("site.language").map(|language| language.span),
                _ => Some(locale.location),
            };
            let location = place.map(|place| source.location(place));
            diagnostics.extend(location.and_then(|location| locale.untranslated(location)));
        }
        let audit = read_audit(&mut root, &mut diagnostics);
        root.finish(&mut diagnostics);
        Collected {
            output: Self {
                source: source.clone(),
                site,
                locales,
                content,
                queries,
                archives,
                feeds,
                exports,
                related,
                highlight,
                term_fields,
                audit,
                yields: Vec::new(),
            },
            diagnostics: unreadable.unwrap_or(diagnostics),
        }
    }
}

/// Returns the term fields that every site has.
pub(super) fn default_term_fields() -> Vec<TermField> {
    [
        ("tag", "tags"),
        ("category", "categories"),
        ("author", "authors"),
    ]
    .map(|(name, plural)| TermField {
        name: name.to_owned(),
        plural: Some(plural.to_owned()),
        nested: false,
    })
    .to_vec()
}

/// Front matter names that a content set can give another name.
pub const RENAMABLE: [&str; 20] = [
    "title",
    "date",
    "updated",
    "tag",
    "category",
    "author",
    "slug",
    "link",
    "summary",
    "image",
    "image_alt",
    "template",
    "draft",
    "expires",
    "unlisted",
    "related",
    "id",
    "moved_from",
    "language",
    "translation",
];

fn read_content(
    root: &mut Table<'_>,
    defaults: bool,
    (locales, related): (&Locales, Option<&Related>),
    term_fields: &mut Vec<TermField>,
    diagnostics: &mut Diagnostics,
) -> Vec<ContentSet> {
    let tables = root.tables("content", diagnostics);
    let mut tables: Vec<_> = tables;
    for (_, table) in &mut tables {
        for field in table.texts("terms", diagnostics) {
            if !term_fields.iter().any(|known| known.is(&field.node)) {
                term_fields.push(TermField {
                    name: field.node,
                    plural: None,
                    nested: false,
                });
            }
        }
    }
    let sets = tables.into_iter();
    let mut sets: Vec<ContentSet> = sets
        .map(|(name, table)| read_set(&name, table, (locales, related), term_fields, diagnostics))
        .collect();
    let is_taken = |set: &ContentSet| set.name == POSTS || set.folder == POSTS;
    if sets.is_empty() || defaults && !sets.iter().any(is_taken) {
        sets.insert(0, implicit_set());
    }
    sets
}

/// The name and the folder of the content set that exists without being declared.
const POSTS: &str = "posts";

fn implicit_set() -> ContentSet {
    ContentSet {
        is_implicit: true,
        ..ContentSet::named(POSTS)
    }
}

impl ContentSet {
    /// Returns the content set of a folder, with the default of each key.
    #[must_use]
    pub fn named(name: &str) -> Self {
        Self {
            name: name.to_owned(),
            folder: name.to_owned(),
            location: Span::default(),
            is_implicit: false,
            link: Pattern::fixed("/{year}/{slug}/"),
            link_location: Span::default(),
            files: FileGlobs::default(),
            date_formats: Vec::new(),
            dated: true,
            pages: true,
            draft: false,
            template: None,
            related: SetRelated::OfSite,
            locale: LocaleId::SITE,
            feed_id: None,
            fields: Vec::new(),
            draft_rules: DraftRule::default_rules(),
        }
    }
}

fn read_set(
    name: &Spanned<String>,
    mut table: Table<'_>,
    (locales, related): (&Locales, Option<&Related>),
    term_fields: &[TermField],
    diagnostics: &mut Diagnostics,
) -> ContentSet {
    let dated = table.flag("dated", true, diagnostics);
    let default = if dated {
        "/{year}/{slug}/".to_owned()
    } else {
        format!("/{}/{{slug}}/", name.node)
    };
    let fields = match table.table("fields", diagnostics) {
        Some(names) => read_names(&names, term_fields, diagnostics),
        None => Vec::new(),
    };
    let link = read_pattern(name, &mut table, "link", &default, diagnostics);
    let set = ContentSet {
        name: name.node.clone(),
        location: name.span,
        is_implicit: false,
        files: FileGlobs::read(&mut table, diagnostics),
        date_formats: read_date_formats(&mut table, diagnostics),
        dated,
        link: link.node,
        link_location: link.span,
        folder: read_folder(name, &mut table, diagnostics),
        pages: table.flag("pages", true, diagnostics),
        draft: table.flag("draft", false, diagnostics),
        template: table.text("template", diagnostics),
        related: read_set_related(&mut table, related, diagnostics),
        locale: read_locale(&mut table, locales, diagnostics),
        feed_id: read_feed_id(&mut table, diagnostics),
        draft_rules: drafts::rules(&fields),
        fields,
    };
    table.finish(diagnostics);
    set
}

/// Reads the further forms of dates. One without day, month or year is an error.
fn read_date_formats(table: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Vec<String> {
    let mut formats = table.texts("date_formats", diagnostics);
    formats.retain(|format| match check_date_format(&format.node) {
        Ok(()) => true,
        Err(wrong) => {
            let unfit = Unfit {
                code: Code::InvalidValue,
                message: format!("\"{}\" is not a form of dates: {}", format.node, wrong.why),
                help: wrong.help.into(),
            };
            diagnostics.push(table.wrong(unfit, format.span));
            false
        }
    });
    formats.into_iter().map(|format| format.node).collect()
}

/// Reads the language of a content set; the site's, if it has none.
fn read_locale(
    table: &mut Table<'_>,
    locales: &Locales,
    diagnostics: &mut Diagnostics,
) -> LocaleId {
    let Some(tag) = table.text("language", diagnostics) else {
        return LocaleId::SITE;
    };
    locales.find(&tag.node).unwrap_or_else(|| {
        let location = table.source().location(tag.span);
        diagnostics.push(locales.undeclared(&tag.node, location));
        LocaleId::SITE
    })
}

/// Reads the folder of a content set, which has the set's name unless it says so. One that is not
/// within the site's is an error, and taken as it is, so that nothing is said of another.
fn read_folder(
    name: &Spanned<String>,
    table: &mut Table<'_>,
    diagnostics: &mut Diagnostics,
) -> String {
    let text = table.text("folder", diagnostics);
    let text = text.as_ref().unwrap_or(name);
    let folder = text.node.trim_end_matches('/').trim_start_matches("./");
    let leads_out = folder.starts_with('/')
        || folder.contains(['\\', '\0'])
        || folder
            .split('/')
            .any(|step| matches!(step, "" | "." | ".."));
    if leads_out {
        let location = table.source().location(text.span);
        let message = format!("the folder \"{}\" is not within the site's", text.node);
        diagnostics.push(
            Diagnostic::error(Code::InvalidValue, location, message)
                .help("write a folder below the one of tabulae.toml, such as \"posts\""),
        );
    }
    folder.to_owned()
}

/// Returns an error for each rule of `draft` that has none of the forms.
fn unfit_rules(rules: &[Spanned<String>], source: &Source) -> Diagnostics {
    let unfit = rules
        .iter()
        .filter(|rule| DraftRule::parse(&rule.node).is_none());
    let unfit = unfit.map(|rule| {
        let message = format!("`{}` does not say which posts are drafts", rule.node);
        let words = rule.node.split_once('=');
        let help = match words
            .map(|(key, word)| (key.trim(), word.trim_matches(['=', ' ', '\'', '"'])))
        {
            Some((key, word)) if !key.is_empty() && !word.is_empty() => {
                format!("write \"{key} in ({word})\"")
            }
            _ => {
                "write a key such as \"hidden\", \"not published\" or \"status in (idea, review)\""
                    .to_owned()
            }
        };
        Diagnostic::error(Code::InvalidValue, source.location(rule.span), message).help(help)
    });
    unfit.collect()
}

/// Reads the pattern of ids in feeds.
fn read_feed_id(
    table: &mut Table<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<Spanned<IdPattern>> {
    let text = table.text("feed_id", diagnostics)?;
    match IdPattern::parse(&text.node) {
        Ok(pattern) => Some(Spanned::new(pattern, text.span)),
        Err(diagnostic) => {
            let embedded = EmbeddedText::new(&text.node, table.source(), text.span);
            diagnostics.push(diagnostic.at(&embedded));
            None
        }
    }
}

/// The front matter keys of a content set: the field, and the keys that give it.
fn read_names(
    table: &Table<'_>,
    term_fields: &[TermField],
    diagnostics: &mut Diagnostics,
) -> Vec<(String, Vec<Spanned<String>>)> {
    let mut fields = Vec::new();
    for entry in table.all() {
        let written = entry.key.node.as_str();
        let term_field = term_fields.iter().find(|field| field.is(written));
        let field = term_field.map_or(written, |field| &field.name);
        let is_own = term_field.is_none() && !RENAMABLE.contains(&field);
        if let Some(near) = slip_of(written, RENAMABLE).filter(|_| is_own) {
            let location = table.source().location(entry.key.span);
            let message = format!("`{written}` is almost `{near}`, a field of Tabulae's");
            let found = Diagnostic::error(Code::UnknownKey, location, message);
            diagnostics.push(found.help(Help::did_you_mean(near)));
            continue;
        }
        match texts_of(&entry.value) {
            Ok(names) => {
                if field == "draft" {
                    diagnostics.extend(unfit_rules(&names, table.source()));
                }
                fields.push((field.to_owned(), names));
            }
            Err(found) => {
                let location = table.source().location(found.span);
                let is = article(&found.node);
                let message = format!("a field's names are a list of texts, and this is {is}");
                diagnostics.push(
                    Diagnostic::error(Code::InvalidType, location, message)
                        .help("write a list such as [\"date\", \"published_on\"]"),
                );
            }
        }
    }
    fields
}

fn read_queries(
    root: &mut Table<'_>,
    content: &[ContentSet],
    diagnostics: &mut Diagnostics,
) -> Vec<(Spanned<String>, EmbeddedText)> {
    let Some(table) = root.table("queries", diagnostics) else {
        return Vec::new();
    };
    let source = table.source();
    let mut queries = Vec::new();
    for entry in table.all() {
        let crate::value::Value::Text(text) = &entry.value.node else {
            diagnostics.push(
                Diagnostic::error(
                    Code::InvalidType,
                    source.location(entry.value.span),
                    format!(
                        "a query is text, and this is {}",
                        article(&entry.value.node)
                    ),
                )
                .help("put it in quotes"),
            );
            continue;
        };
        if content
            .iter()
            .any(|set| set.name == entry.key.node && !(set.is_implicit && content.len() > 1))
        {
            diagnostics.push(
                Diagnostic::error(
                    Code::NameConflict,
                    source.location(entry.key.span),
                    format!("`{}` is the name of a content set already", entry.key.node),
                )
                .help("give the query another name"),
            );
            continue;
        }
        queries.push((
            entry.key.clone(),
            EmbeddedText::new(text, source, entry.value.span),
        ));
    }
    queries
}

/// Reads the related posts of a content set.
fn read_set_related(
    table: &mut Table<'_>,
    of_site: Option<&Related>,
    diagnostics: &mut Diagnostics,
) -> SetRelated {
    match table.table_or_false("related", diagnostics) {
        None => SetRelated::OfSite,
        Some(None) => SetRelated::Off,
        Some(Some(table)) => {
            let base = of_site.cloned().unwrap_or_default();
            SetRelated::Own(Box::new(read_related(table, Some(base), diagnostics)))
        }
    }
}

/// Reads `[related]`, or the table of a content set in its place, whose other keys are those of `base`.
fn read_related(
    mut table: Table<'_>,
    base: Option<Related>,
    diagnostics: &mut Diagnostics,
) -> Related {
    let (weigh, require) = match &base {
        Some(base) => (base.weigh.clone(), base.require.clone()),
        None => (
            read_weights(&mut table, diagnostics),
            table.texts("require", diagnostics),
        ),
    };
    let base = base.unwrap_or_default();
    let empty_text = table.text("empty_text", diagnostics).map(|text| text.node);
    let fill_title = table.text("fill_title", diagnostics).map(|text| text.node);
    let related = Related {
        location: table.span(),
        query: table.query_text("query", diagnostics).or(base.query),
        fill: table.query_text("fill", diagnostics).or(base.fill),
        weigh,
        require,
        empty_text: empty_text.or(base.empty_text),
        fill_title: fill_title.or(base.fill_title),
        feeds: table.flag("feeds", base.feeds, diagnostics),
        show: table.show(diagnostics).unwrap_or(base.show),
    };
    table.finish(diagnostics);
    related
}

fn read_weights(
    table: &mut Table<'_>,
    diagnostics: &mut Diagnostics,
) -> Vec<(Spanned<String>, f64)> {
    let Some(weights) = table.table("weigh", diagnostics) else {
        return Vec::new();
    };
    let mut weigh = Vec::new();
    for entry in weights.all() {
        match weight_of(&entry.value.node) {
            Some(weight) => weigh.push((entry.key.clone(), weight)),
            None => diagnostics.push(
                Diagnostic::error(
                    Code::InvalidValue,
                    weights.source().location(entry.value.span),
                    format!(
                        "the weight of `{}` is a number of at least 0",
                        entry.key.node
                    ),
                )
                .help("write 0 for a field that does not count, 1 or more for one that does"),
            ),
        }
    }
    weigh
}

/// Returns true if code blocks are highlighted.
fn read_code(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> bool {
    let Some(mut table) = root.table("code", diagnostics) else {
        return true;
    };
    let highlight = table.flag("highlight", true, diagnostics);
    table.finish(diagnostics);
    highlight
}

fn read_terms(root: &mut Table<'_>, term_fields: &mut [TermField], diagnostics: &mut Diagnostics) {
    for (name, mut table) in root.tables("terms", diagnostics) {
        let nested = table.flag("nested", false, diagnostics);
        match term_fields.iter_mut().find(|field| field.is(&name.node)) {
            Some(field) => field.nested = nested,
            None => diagnostics.push(
                Diagnostic::error(
                    Code::UnknownKey,
                    table.source().location(name.span),
                    format!("`{}` is not a term field", name.node),
                )
                .suggest(
                    &name.node,
                    term_fields.iter().map(|field| field.name.as_str()),
                ),
            ),
        }
        table.finish(diagnostics);
    }
}

fn read_audit(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> LintLevels {
    type Sentence = fn(&mut LintLevels, &str) -> Result<(), String>;
    let mut levels = LintLevels::default();
    let Some(mut table) = root.table("audit", diagnostics) else {
        return levels;
    };
    let keys: [(&str, Sentence); 2] = [("deny", LintLevels::deny), ("allow", LintLevels::allow)];
    for (key, sentence) in keys {
        for text in table.texts(key, diagnostics) {
            if let Err(help) = sentence(&mut levels, &text.node) {
                let location = table.source().location(text.span);
                let message = format!("there is no code `{}`", text.node);
                diagnostics
                    .push(Diagnostic::error(Code::InvalidValue, location, message).help(help));
            }
        }
    }
    table.finish(diagnostics);
    levels
}
