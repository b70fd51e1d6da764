//! Writing front matter: scalars in the quotes of those that they replace, and further keys.

use super::split::{Format, data_format, split};
use crate::edit::{Edit, Replacement};
use crate::source::{Source, Span};

/// Returns a text as a scalar of a format (YAML 1.2, TOML 1.0, JSON), in the quotes of `old`, the scalar that it replaces,
/// as far as these can hold it. Without quotes before it has none in YAML if it is plain words.
#[must_use]
pub fn scalar(format: Format, old: &str, text: &str) -> String {
    let first = old.chars().next();
    let quote = first.filter(|c| matches!(c, '"' | '\'') && old.len() > 1 && old.ends_with(*c));
    let is_one_line = !text.contains(char::is_control);
    match (format, quote) {
        (Format::Yaml, Some('\'')) if is_one_line => format!("'{}'", text.replace('\'', "''")),
        (Format::Toml, Some('\'')) if is_one_line && !text.contains('\'') => format!("'{text}'"),
        (Format::Yaml, None) if is_plain(text) => text.to_owned(),
        // A JSON string is a basic string in TOML and a double-quoted scalar in YAML as well.
        _ => serde_json::Value::from(text).to_string(),
    }
}

/// Returns true if a text is a plain scalar in YAML in block and flow context, and is read as text: words or an address.
fn is_plain(text: &str) -> bool {
    let is_word = |c: char| c.is_alphanumeric() || matches!(c, ' ' | '-' | '_' | '/' | '.');
    let is_path = text.starts_with('/') && !text.contains(' ');
    let lower = text.to_ascii_lowercase();
    let means_more = ["true", "false", "null", "yes", "no", "on", "off", "y", "n"];
    text.chars().all(is_word)
        && (text.starts_with(char::is_alphabetic) || is_path)
        && !text.ends_with(' ')
        && !means_more.contains(&lower.as_str())
}

/// Returns the edit that adds a key with a text, or a list of several, at the top of the front matter of a source, and
/// creates front matter for a file without it. `None` if the front matter has no end. The front matter must not have the key.
#[must_use]
pub fn insertion(source: &Source, key: &str, texts: &[&str]) -> Option<Edit> {
    let text = source.text();
    let header = split(source).ok()?;
    let line = |format: Format| {
        let each: Vec<String> = texts.iter().map(|text| scalar(format, "", text)).collect();
        let value = match each.as_slice() {
            [one] => one.clone(),
            several => format!("[{}]", several.join(", ")),
        };
        match format {
            Format::Yaml => format!("{key}: {value}\n"),
            Format::Toml => format!("{key} = {value}\n"),
            Format::Json => format!("\"{key}\": {value}"),
        }
    };
    match header.format {
        Some(Format::Json) => {
            let object = &text[header.span.start..header.span.end];
            let open = header.span.start + object.find('{')? + 1;
            let rest = &text[open..header.span.end];
            let blank = &rest[..rest.len() - rest.trim_start().len()];
            let comma = if rest.trim_start().starts_with('}') {
                ""
            } else {
                ","
            };
            let new = format!("{}{}{comma}", blank.replace('\r', ""), line(Format::Json));
            Edit::of_span(source, Span::new(open, open), &new)
        }
        Some(format) => Some(Edit::Replace(Replacement {
            file: source.file()?.into(),
            line: match source.file().and_then(data_format) {
                Some(format) => first_key_line(text, format),
                None => 2,
            },
            column: 1,
            old: String::new(),
            new: line(format),
        })),
        None => Edit::of_span(
            source,
            Span::new(0, 0),
            &format!("---\n{}---\n", line(Format::Yaml)),
        ),
    }
}

/// Returns the line, from 1, at which the keys of a data file can begin: in YAML below the start of the document, if that
/// is marked.
fn first_key_line(text: &str, format: Format) -> usize {
    let is_before = |line: &&str| line.trim().is_empty() || line.starts_with(['#', '%']);
    let start = text.lines().take_while(is_before).count();
    let is_marked = text
        .lines()
        .nth(start)
        .is_some_and(|line| line.trim_end() == "---");
    match format == Format::Yaml && is_marked {
        true => start + 2,
        false => 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edit::apply;
    use crate::front_matter::read;
    use jiff::tz::TimeZone;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::plain(Format::Yaml, "lime", "dredging", "dredging")]
    #[case::double(Format::Yaml, "\"lime\"", "dredging", "\"dredging\"")]
    #[case::single(Format::Yaml, "'lime'", "the diver's", "'the diver''s'")]
    #[case::needs_quotes(Format::Yaml, "lime", "a: b", "\"a: b\"")]
    #[case::means_more(Format::Yaml, "lime", "No", "\"No\"")]
    #[case::a_number(Format::Yaml, "lime", "1904", "\"1904\"")]
    #[case::toml(Format::Toml, "\"lime\"", "say \"x\"", "\"say \\\"x\\\"\"")]
    #[case::toml_literal(Format::Toml, "'lime'", "dredging", "'dredging'")]
    #[case::toml_literal_with_a_quote(Format::Toml, "'lime'", "diver's", "\"diver's\"")]
    #[case::json(Format::Json, "\"lime\"", "dredging", "\"dredging\"")]
    fn a_scalar_keeps_its_quotes(
        #[case] format: Format,
        #[case] old: &str,
        #[case] text: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(scalar(format, old, text), expected);
    }

    #[rstest]
    #[case::yaml("---\ntitle: A\n---\nB\n", "---\nmoved_from: /a/\ntitle: A\n---\nB\n")]
    #[case::yaml_with_crlf(
        "---\r\ntitle: A\r\n---\r\n",
        "---\r\nmoved_from: /a/\r\ntitle: A\r\n---\r\n"
    )]
    #[case::toml(
        "+++\n[info]\na = 1\n+++\n",
        "+++\nmoved_from = \"/a/\"\n[info]\na = 1\n+++\n"
    )]
    #[case::json(
        "{\n  \"a\": 1\n}\nB\n",
        "{\n  \"moved_from\": \"/a/\",\n  \"a\": 1\n}\nB\n"
    )]
    #[case::json_on_a_line("{\"a\": 1}\n", "{\"moved_from\": \"/a/\",\"a\": 1}\n")]
    #[case::empty_json("{}\n", "{\"moved_from\": \"/a/\"}\n")]
    #[case::none("Text.\n", "---\nmoved_from: /a/\n---\nText.\n")]
    fn a_key_is_added_at_the_top(#[case] text: &str, #[case] expected: &str) {
        is_added("a.md", text, expected);
    }

    #[rstest]
    #[case::yaml("a.yaml", "title: A\n", "moved_from: /a/\ntitle: A\n")]
    #[case::yaml_with_a_start(
        "a.yml",
        "# One\n---\ntitle: A\n",
        "# One\n---\nmoved_from: /a/\ntitle: A\n"
    )]
    #[case::yaml_with_a_comment("a.yml", "# One\ntitle: A\n", "moved_from: /a/\n# One\ntitle: A\n")]
    #[case::toml("a.toml", "[info]\na = 1\n", "moved_from = \"/a/\"\n[info]\na = 1\n")]
    #[case::json("a.json", "\n{\"a\": 1}\n", "\n{\"moved_from\": \"/a/\",\"a\": 1}\n")]
    fn a_key_is_added_to_a_data_file(
        #[case] path: &str,
        #[case] text: &str,
        #[case] expected: &str,
    ) {
        is_added(path, text, expected);
        let read = read(&Source::new(path, expected), &TimeZone::UTC);
        assert_eq!(read.diagnostics, []);
        let value = &read.output.map.get("moved_from").unwrap().value.node;
        assert_eq!(value.written(), Some("/a/"));
    }

    fn is_added(path: &str, text: &str, expected: &str) {
        let source = Source::new(path, text);
        let Some(Edit::Replace(edit)) = insertion(&source, "moved_from", &["/a/"]) else {
            panic!("an edit");
        };
        assert_eq!(apply(text, &[&edit]).text, expected);
    }

    proptest! {
        /// Any text is read as it was written, in the quotes of any other scalar.
        #[test]
        fn a_scalar_is_read_as_it_was_written(
            text in "[a-zA-Z0-9'\":#,\\[\\]{} /\\\\é~-]{1,12}",
            old in prop_oneof![Just("x"), Just("'x'"), Just("\"x\"")],
        ) {
            let text = text.trim().to_owned();
            prop_assume!(!text.is_empty());
            for (format, open, between, close) in [
                (Format::Yaml, "---\n", ": ", "\n---\n"),
                (Format::Toml, "+++\n", " = ", "\n+++\n"),
            ] {
                let old = if format == Format::Toml && old == "x" { "\"x\"" } else { old };
                let scalar = scalar(format, old, &text);
                let source = Source::new("a.md", &format!("{open}key{between}{scalar}{close}"));
                let front = read(&source, &TimeZone::UTC);
                prop_assert_eq!(&front.diagnostics, &[]);
                let value = &front.output.map.entries[0].value.node;
                prop_assert_eq!(value, &crate::value::Value::Text(text.clone()));
            }
        }
    }
}
