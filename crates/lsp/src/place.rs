//! Classification of the text at the cursor: a key or a value of front matter or settings, a part of a query, a name in a
//! template.
//!
//! Texts are incomplete while they are typed, so that nothing is parsed here: the text before the cursor decides.

use std::ops::Range;

use tabulae_core::front_matter::Format;
use tabulae_core::query::place::word_around;
use tabulae_core::source::mark_length;

/// The kind of text at a place, with its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Place {
    /// A key of front matter.
    FrontKey(Range<usize>),
    /// A value in front matter, without quotes: its key, and the bytes of the value.
    FrontValue(String, Range<usize>),
    /// The name of a table in the settings.
    Table(Range<usize>),
    /// A key of a table in the settings.
    SettingsKey(String, Range<usize>),
    /// A value in the settings, without quotes: the table, the key and the bytes of the value.
    SettingsValue(String, String, Range<usize>),
    /// A query, and the byte in it.
    Query(Range<usize>, usize),
    /// The name of a template.
    Template(Range<usize>),
    /// A word in a tag of a template, and the sign before it.
    Expression(Range<usize>, Option<char>),
}

/// The kind of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    /// `tabulae.toml`
    Settings,
    /// A text with front matter: a post, a page or a note.
    Front,
    /// A post that is front matter alone.
    Data(Format),
    /// A template.
    Template,
}

/// Returns what is at a byte of a text.
pub(crate) fn place(kind: Kind, text: &str, at: usize) -> Option<Place> {
    if let Some(query) = query_around(text, at) {
        return Some(query);
    }
    match kind {
        Kind::Settings => in_toml(text, 0, at),
        Kind::Front => in_front_matter(text, at),
        Kind::Data(Format::Yaml) => in_yaml(text, mark_length(text), at),
        Kind::Data(Format::Toml) => in_toml_front_matter(text, mark_length(text), at),
        Kind::Data(Format::Json) => in_json(text, at),
        Kind::Template => in_template(text, at),
    }
}

/// Returns the query in quotes around a byte: of a key `query`, of a function `query(…)`, or of a placeholder.
fn query_around(text: &str, at: usize) -> Option<Place> {
    let line = text[..at].rfind('\n').map_or(0, |at| at + 1);
    let (open, quote) = open_quote(text, line, at)?;
    let before = text[line..open].trim_end();
    let word = before.trim_end_matches(['=', '(']).trim_end();
    let rest = word.strip_suffix("query");
    let is_query = rest.is_some_and(|rest| !rest.ends_with(is_word));
    let named = is_named_query(text, line) && before.ends_with('=');
    if !(is_query || named) {
        return None;
    }
    let start = open + quote.len_utf8();
    Some(Place::Query(start..end_of(text, start, quote), at - start))
}

/// Returns true if a line is in the table of named queries.
fn is_named_query(text: &str, line: usize) -> bool {
    let tables = text[..line].lines().rev();
    let mut tables = tables.map(str::trim).filter(|line| line.starts_with('['));
    tables.next() == Some("[queries]")
}

/// Returns the byte and the sign of the double or single quote that is open at a byte of a line. A single quote within
/// double ones does not count.
fn open_quote(text: &str, line: usize, at: usize) -> Option<(usize, char)> {
    let mut open = None;
    for (offset, c) in text[line..at].char_indices() {
        match (open, c) {
            (None, '"' | '\'') => open = Some((line + offset, c)),
            (Some((_, quote)), c) if c == quote => open = None,
            _ => {}
        }
    }
    open
}

/// Returns the end of a text in quotes that begins at a byte: its quote, or the end of the line.
fn end_of(text: &str, start: usize, quote: char) -> usize {
    let rest = &text[start..];
    let line = rest.find(['\n', '\r']).unwrap_or(rest.len());
    start + rest[..line].find(quote).unwrap_or(line)
}

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '-')
}

fn in_front_matter(text: &str, at: usize) -> Option<Place> {
    let mark = mark_length(text);
    let bare = &text[mark..];
    let first = bare.lines().next().unwrap_or_default().trim_end();
    let fence = match first {
        "---" | "+++" => first,
        _ if bare.starts_with('{') && !bare.starts_with("{%") && !bare.starts_with("{{") => {
            return in_json(text, at);
        }
        _ => return in_template(text, at),
    };
    let start = mark + fence.len();
    let mut end = text.len();
    let mut offset = 0;
    for line in text.split_inclusive('\n') {
        if offset > start && line.trim_end() == fence {
            end = offset;
            break;
        }
        offset += line.len();
    }
    if at < start || at > end {
        return in_template(text, at);
    }
    match fence {
        "+++" => in_toml_front_matter(text, start, at),
        _ => in_yaml(text, start, at),
    }
}

fn in_toml_front_matter(text: &str, start: usize, at: usize) -> Option<Place> {
    match in_toml(text, start, at)? {
        Place::SettingsKey(_, word) => Some(Place::FrontKey(word)),
        Place::SettingsValue(_, key, value) => Some(Place::FrontValue(key, value)),
        _ => None,
    }
}

fn in_yaml(text: &str, start: usize, at: usize) -> Option<Place> {
    let line = text[..at].rfind('\n').map_or(start, |at| at + 1).max(start);
    let before = &text[line..at];
    let is_key_line = |line: &str| {
        let key = line.split(':').next()?;
        let is_key = !line.starts_with([' ', '\t', '-', '#']) && line.contains(':');
        is_key.then(|| key.trim().trim_matches(['"', '\'']).to_owned())
    };
    if !before.contains(':') && !before.starts_with([' ', '\t', '-', '#']) {
        return Some(Place::FrontKey(word_around(text, at, is_word)));
    }
    let lines = text[start..line].lines().rev();
    let key = is_key_line(text[line..].lines().next().unwrap_or_default());
    let key = key.or_else(|| lines.map(is_key_line).find_map(|key| key))?;
    Some(Place::FrontValue(key, value_around(text, line, at)))
}

/// Returns the bytes of the value around a byte, within its line and without quotes.
fn value_around(text: &str, line: usize, at: usize) -> Range<usize> {
    if let Some((open, quote)) = open_quote(text, line, at) {
        let start = open + 1;
        let end = end_of(text, start, quote);
        let inner = &text[start..at];
        // Several values between commas.
        let from = inner.rfind(',').map_or(0, |at| at + 1);
        let from = start + from + leading(&inner[from..]);
        let to = text[at..end].find(',').map_or(end, |comma| at + comma);
        return from.min(at)..to;
    }
    let before = &text[line..at];
    let from = before
        .rfind([',', '[', ':', '='])
        .map_or(0, |sign| sign + 1);
    let from = match before[from..].trim_start().starts_with("- ") {
        true => before.rfind("- ").map_or(from, |dash| dash + 2),
        false => from,
    };
    let start = (line + from + leading(&before[from..])).min(at);
    let rest = &text[at..];
    let end = rest.find([',', ']', '\n', '\r', '#']).unwrap_or(rest.len());
    let value = rest[..end].trim_end();
    start..at + value.len()
}

fn leading(text: &str) -> usize {
    text.len() - text.trim_start().len()
}

fn in_toml(text: &str, start: usize, at: usize) -> Option<Place> {
    let line = text[..at].rfind('\n').map_or(start, |at| at + 1).max(start);
    let before = &text[line..at];
    if before.trim_start().starts_with('[') && !before.contains('=') {
        let name = line + before.find('[').unwrap_or_default() + 1;
        let rest = &text[at..];
        let end = rest.find([']', '\n', '\r']).unwrap_or(rest.len());
        let is_item = key_before(text, start, line).is_some_and(|(_, open)| open);
        if !is_item {
            return Some(Place::Table(name..at + end));
        }
    }
    let table = text[start..line].lines().rev().find_map(table_name);
    let table = table.unwrap_or_default().to_owned();
    let line_key = before.split_once('=').map(|(key, _)| key);
    let value = |key: &str| {
        let key = key.trim().trim_matches(['"', '\'']).to_owned();
        Place::SettingsValue(table.clone(), key, value_around(text, line, at))
    };
    if let Some(key) = line_key {
        return Some(value(key));
    }
    match key_before(text, start, line) {
        Some((key, true)) => Some(value(&key)),
        _ if before.trim_start().starts_with('#') => None,
        _ => Some(Place::SettingsKey(table, word_around(text, at, is_word))),
    }
}

/// Returns the name of the table that a line opens.
fn table_name(line: &str) -> Option<&str> {
    let name = line.trim().strip_prefix('[')?.strip_suffix(']')?;
    (!name.contains(['"', ',', '='])).then(|| name.trim_matches(['[', ']']))
}

/// Returns the last key before a line, and true if its list is still open there.
fn key_before(text: &str, start: usize, line: usize) -> Option<(String, bool)> {
    let before = &text[start..line];
    let at = before.rfind(" = [").or_else(|| before.rfind("=["))?;
    let key = before[..at].lines().last().unwrap_or_default().trim();
    Some((key.to_owned(), !before[at..].contains(']')))
}

fn in_json(text: &str, at: usize) -> Option<Place> {
    let (open, quote) = {
        let mut open = None;
        for (offset, c) in text[..at].char_indices() {
            match (open, c) {
                (None, '"') => open = Some((offset, c)),
                (Some(_), '"') => open = None,
                _ => {}
            }
        }
        open?
    };
    let start = open + 1;
    let before = text[..open].trim_end();
    let span = start..end_of(text, start, quote);
    if before.ends_with(['{', ',']) && !within_list(before) {
        return Some(Place::FrontKey(span));
    }
    let list = before
        .rfind('[')
        .filter(|_| within_list(before))
        .unwrap_or(before.len());
    let key = before[..list].trim_end().trim_end_matches(':').trim_end();
    let key = key.strip_suffix('"')?;
    let key = &key[key.rfind('"')? + 1..];
    Some(Place::FrontValue(key.to_owned(), span))
}

fn within_list(before: &str) -> bool {
    before.matches('[').count() > before.matches(']').count()
}

/// The tags that name a template.
const NAMING: [&str; 4] = ["extends", "include", "import", "from"];

fn in_template(text: &str, at: usize) -> Option<Place> {
    let open = text[..at].rfind("{{").max(text[..at].rfind("{%"))?;
    let inner = &text[open + 2..at];
    if inner.contains("}}") || inner.contains("%}") {
        return None;
    }
    if let Some((quote, sign)) = open_quote(text, open, at) {
        let word = text[open + 2..quote].trim_start_matches('-').trim();
        let start = quote + 1;
        return NAMING
            .contains(&word)
            .then(|| Place::Template(start..end_of(text, start, sign)));
    }
    let word = word_around(text, at, is_word);
    let sign = text[..word.start].trim_end().chars().next_back();
    Some(Place::Expression(
        word,
        sign.filter(|c| matches!(c, '.' | '|')),
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// The place at `|` in a text, as words: its kind and what it covers.
    fn shown(kind: Kind, marked: &str) -> String {
        let at = marked.find('|').unwrap();
        let text = marked.replacen('|', "", 1);
        match place(kind, &text, at) {
            None => "nothing".to_owned(),
            Some(Place::FrontKey(word)) => format!("key {}", &text[word]),
            Some(Place::FrontValue(key, value)) => format!("{key}: {}", &text[value]),
            Some(Place::Table(name)) => format!("table {}", &text[name]),
            Some(Place::SettingsKey(table, word)) => format!("[{table}] key {}", &text[word]),
            Some(Place::SettingsValue(table, key, value)) => {
                format!("[{table}] {key}: {}", &text[value])
            }
            Some(Place::Query(query, at)) => format!("query {} at {at}", &text[query]),
            Some(Place::Template(name)) => format!("template {}", &text[name]),
            Some(Place::Expression(word, sign)) => format!("{sign:?} {}", &text[word]),
        }
    }

    #[rstest]
    #[case::key("---\nti|t\n---\n", "key tit")]
    #[case::empty_key("---\ntitle: A\n|\n---\n", "key ")]
    #[case::value("---\ntitle: A\ntag: li|\n---\n", "tag: li")]
    #[case::value_with_spaces("---\ncategory: Narrow b|oats # x\n---\n", "category: Narrow boats")]
    #[case::flow("---\ntags: [lime, ma|s, x]\n---\n", "tags: mas")]
    #[case::empty_item("---\ntags: [lime, |]\n---\n", "tags: ")]
    #[case::quotes("---\ntags: [lime, \"ma|s\"]\n---\n", "tags: mas")]
    #[case::block("---\ntags:\n  - lime\n  - ma|s\n---\n", "tags: mas")]
    #[case::block_with_spaces("---\ncategory:\n  - Narrow b|\n---\n", "category: Narrow b")]
    #[case::commas("---\ntags: lime, ma|s, x\n---\n", "tags: mas")]
    #[case::commas_in_quotes("---\ntags: \"lime, ma|s\"\n---\n", "tags: mas")]
    #[case::not_closed("---\ntags: [li|", "tags: li")]
    #[case::toml_key("+++\nti|t\n+++\n", "key tit")]
    #[case::toml("+++\ntags = [\"lime\", \"ma|s\"]\n+++\n", "tags: mas")]
    #[case::toml_lines("+++\ntags = [\n  \"lime\",\n  \"ma|s\",\n]\n+++\n", "tags: mas")]
    #[case::json_key("{\"ti|t\": 1}", "key tit")]
    #[case::json("{\"title\": \"A\", \"tags\": [\"lime\", \"ma|s\"]}", "tags: mas")]
    #[case::json_value("{\"category\": \"Lo|\"}", "category: Lo")]
    #[case::body("---\ntitle: A\n---\nte|xt\n", "nothing")]
    #[case::no_front_matter("te|xt\n", "nothing")]
    #[case::placeholder(
        "---\n---\n<!-- tabulae query \"from po|sts\" -->\n",
        "query from posts at 7"
    )]
    fn places_in_front_matter(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(shown(Kind::Front, text), expected);
    }

    #[rstest]
    #[case::yaml_key(Format::Yaml, "ti|t\n", "key tit")]
    #[case::yaml_first(Format::Yaml, "|", "key ")]
    #[case::yaml(Format::Yaml, "---\ntags: [lime, ma|s]\n", "tags: mas")]
    #[case::yaml_lines(Format::Yaml, "title: A\ntags:\n  - ma|s\n", "tags: mas")]
    #[case::toml_key(Format::Toml, "ti|t\n", "key tit")]
    #[case::toml(Format::Toml, "tags = [\"lime\", \"ma|s\"]\n", "tags: mas")]
    #[case::json_key(Format::Json, "{\"ti|t\": 1}", "key tit")]
    #[case::json(Format::Json, "{\n  \"tags\": [\"ma|s\"]\n}", "tags: mas")]
    fn places_in_data_files(#[case] format: Format, #[case] text: &str, #[case] expected: &str) {
        assert_eq!(shown(Kind::Data(format), text), expected);
    }

    #[rstest]
    #[case::table("[arch|]\n", "table arch")]
    #[case::key("[archive.x]\nlink = \"/\"\nqu|\n", "[archive.x] key qu")]
    #[case::value("[site]\nlanguage = \"d|e\"\n", "[site] language: de")]
    #[case::list("[content.x]\nterms = [\"pl|\"]\n", "[content.x] terms: pl")]
    #[case::query(
        "[feed.x]\nquery = \"from posts where tag = 'l|'\"\n",
        "query from posts where tag = 'l' at 25"
    )]
    #[case::named_query("[queries]\nlime = \"fr|om\"\n", "query from at 2")]
    #[case::comment("# x|\n", "nothing")]
    fn places_in_settings(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(shown(Kind::Settings, text), expected);
    }

    #[rstest]
    #[case::query("{% for p in query(\"from po|\") %}", "query from po at 7")]
    #[case::template("{% extends \"ba|se.html\" %}", "template base.html")]
    #[case::value("{{ post.ti| }}", "Some('.') ti")]
    #[case::word("{{ que| }}", "None que")]
    #[case::text("{{ a }} b|", "nothing")]
    fn places_in_templates(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(shown(Kind::Template, text), expected);
    }

    #[test]
    fn a_filter_is_known_by_its_sign() {
        let text = "{{ post.title|upp }}";
        let place = place(Kind::Template, text, 17);
        assert_eq!(place, Some(Place::Expression(14..17, Some('|'))));
    }
}
