use super::*;
use rstest::rstest;

fn parse(text: &str) -> Collected<FrontMatter> {
    read(&Source::new("posts/a.md", text), &TimeZone::UTC)
}

fn shown(value: &Value) -> String {
    match value {
        Value::Null => "null".into(),
        Value::Text(text) => format!("text {text}"),
        Value::Number(number, written) => format!("number {number} as {written}"),
        Value::Flag(flag, written) => format!("flag {flag} as {written}"),
        Value::Date(date, written) => format!("date {} as {written}", date.iso()),
        Value::List(items) => {
            let items: Vec<_> = items.iter().map(|i| shown(&i.node)).collect();
            format!("[{}]", items.join("; "))
        }
        Value::Map(map) => {
            let entries: Vec<_> = map
                .entries
                .iter()
                .map(|e| format!("{}: {}", e.key.node, shown(&e.value.node)))
                .collect();
            format!("{{{}}}", entries.join("; "))
        }
    }
}

#[rstest]
#[case::text("a: b c", "text b c")]
#[case::quoted_number("a: '1.10'", "text 1.10")]
#[case::number_as_written("a: 1.10", "number 1.1 as 1.10")]
#[case::not_octal("a: 012", "number 12 as 012")]
#[case::octal("a: 0o14", "number 12 as 0o14")]
#[case::hex("a: 0x1F", "number 31 as 0x1F")]
#[case::exponent("a: -1e3", "number -1000 as -1e3")]
#[case::underscore_is_text("a: 1_000", "text 1_000")]
#[case::infinite("a: -.inf", "number -inf as -.inf")]
#[case::yes_is_text("a: yes", "text yes")]
#[case::flag("a: True", "flag true as True")]
#[case::null("a: ~", "null")]
#[case::empty("a:", "null")]
#[case::date("a: 2026-03-14", "date 2026-03-14 as 2026-03-14")]
#[case::date_time("a: 2026-03-14 09:00", "date 2026-03-14T09:00:00Z as 2026-03-14 09:00")]
#[case::quoted_date("a: '2026-03-14'", "text 2026-03-14")]
#[case::no_such_date("a: 2026-02-30", "text 2026-02-30")]
#[case::list("a: [x, 2]", "[text x; number 2 as 2]")]
#[case::block_list("a:\n  - x\n  -", "[text x; null]")]
#[case::map("a:\n  b: 1\n  c: {d: e}", "{b: number 1 as 1; c: {d: text e}}")]
#[case::folded("a: >\n  x\n  y\n", "text x y\n")]
#[case::alias("b: &x [1]\na: *x", "[number 1 as 1]")]
#[case::json_inside("a: {\"b\": true}", "{b: flag true as true}")]
fn yaml_values_by_the_core_schema(#[case] yaml: &str, #[case] expected: &str) {
    let read = parse(&format!("---\n{yaml}\n---\n"));
    assert_eq!(read.diagnostics, []);
    assert_eq!(
        shown(&read.output.map.get("a").unwrap().value.node),
        expected
    );
}

#[rstest]
#[case::text("a = 'b'", "text b")]
#[case::number("a = 1_000", "number 1000 as 1_000")]
#[case::float("a = 1.10", "number 1.1 as 1.10")]
#[case::hex("a = 0x1F", "number 31 as 0x1F")]
#[case::date("a = 2026-03-14", "date 2026-03-14 as 2026-03-14")]
#[case::instant(
    "a = 2026-03-14T09:00:00Z",
    "date 2026-03-14T09:00:00Z as 2026-03-14T09:00:00Z"
)]
#[case::time_alone("a = 09:00:00", "text 09:00:00")]
#[case::table("[a]\nb = true", "{b: flag true as true}")]
#[case::dotted("a.b = 1", "{b: number 1 as 1}")]
fn toml_values(#[case] toml: &str, #[case] expected: &str) {
    let read = parse(&format!("+++\n{toml}\n+++\n"));
    assert_eq!(read.diagnostics, []);
    assert_eq!(
        shown(&read.output.map.get("a").unwrap().value.node),
        expected
    );
}

#[rstest]
#[case::text(r#"{"a": "b\u00e9"}"#, "text bé")]
#[case::number(r#"{"a": 1.10}"#, "number 1.1 as 1.10")]
#[case::date(r#"{"a": "2026-03-14"}"#, "date 2026-03-14 as 2026-03-14")]
#[case::nested("{\"a\": {\"b\": [null,\n true]}}", "{b: [null; flag true as true]}")]
fn json_values(#[case] json: &str, #[case] expected: &str) {
    let read = parse(json);
    assert_eq!(read.diagnostics, []);
    assert_eq!(
        shown(&read.output.map.get("a").unwrap().value.node),
        expected
    );
}

#[rstest]
#[case::yaml("---\na: 1\n---\nbody", "body")]
#[case::crlf("---\r\na: 1\r\n---\r\nbody", "body")]
#[case::bom("\u{feff}---\na: 1\n---\nbody", "body")]
#[case::blank_after_fence("---  \na: 1\n--- \nbody", "body")]
#[case::toml("+++\na = 1\n+++\nbody", "body")]
#[case::json("{\"a\": 1}\nbody", "body")]
#[case::none("body", "body")]
#[case::empty_header("---\n---\nbody", "body")]
#[case::rule_below_text("body\n---\n", "body\n---\n")]
#[case::template_tag("{% if a %}{% endif %}", "{% if a %}{% endif %}")]
#[case::template_value("{{ a }}", "{{ a }}")]
fn the_body_begins_after_the_header(#[case] text: &str, #[case] body: &str) {
    let source = Source::new("posts/a.md", text);
    let read = read(&source, &TimeZone::UTC);
    assert_eq!(read.diagnostics, []);
    assert_eq!(&source.text()[read.output.body..], body);
}

#[rstest]
#[case::unclosed_yaml("---\na: 1\n", Code::UnclosedFrontMatter, 1, 1)]
#[case::unclosed_toml("+++\na = 1\n", Code::UnclosedFrontMatter, 1, 1)]
#[case::yaml_indent("---\na: 1\n b: 2\n---\n", Code::FrontMatterSyntax, 3, 3)]
#[case::yaml_colon(
    "---\ntitle: Lime: a love story\n---\n",
    Code::FrontMatterSyntax,
    2,
    12
)]
#[case::yaml_quote("---\na: 'x\nb: 2\n---\n", Code::FrontMatterSyntax, 2, 4)]
#[case::yaml_no_colon("---\na: 1\n  \nb 2\n\nc: 3\n---\n", Code::FrontMatterSyntax, 4, 1)]
#[case::yaml_no_colon_at_the_end(
    "---\na: 1\nb:\n  ä: 1\n  c\n---\n",
    Code::FrontMatterSyntax,
    5,
    3
)]
#[case::yaml_tab("---\nä: ö\n\tb: 1\n---\n", Code::FrontMatterSyntax, 3, 1)]
#[case::yaml_repeated("---\na: 1\nb: 2\na: 3\n---\n", Code::DuplicateKey, 4, 1)]
#[case::yaml_repeated_deep("---\nx:\n  a: 1\n  a: 3\n---\n", Code::DuplicateKey, 4, 3)]
#[case::yaml_alias_in_itself("---\na: &x [*x]\n---\n", Code::FrontMatterSyntax, 2, 8)]
#[case::yaml_wide_before_error("---\nѨ: [ä\n---\n", Code::FrontMatterSyntax, 3, 1)]
#[case::yaml_list("---\n- a\n---\n", Code::FrontMatterSyntax, 2, 1)]
#[case::yaml_wide_characters("---\nä: ö\nü: 1\nü: 2\n---\n", Code::DuplicateKey, 4, 1)]
#[case::toml_value("+++\na = b\n+++\n", Code::FrontMatterSyntax, 2, 5)]
#[case::toml_repeated("+++\na = 1\na = 2\n+++\n", Code::DuplicateKey, 3, 1)]
#[case::toml_date("+++\na = 2026-02-30\n+++\n", Code::FrontMatterSyntax, 2, 5)]
#[case::json_comma("{\"a\": 1\n \"b\": 2}", Code::FrontMatterSyntax, 2, 2)]
#[case::json_repeated("{\"a\": 1,\n \"a\": 2}", Code::DuplicateKey, 2, 3)]
#[case::json_open("{\"a\": 1", Code::FrontMatterSyntax, 1, 7)]
fn broken_headers_name_their_place(
    #[case] text: &str,
    #[case] code: Code,
    #[case] line: usize,
    #[case] column: usize,
) {
    let diagnostics = parse(text).diagnostics;
    let found: Vec<_> = diagnostics
        .iter()
        .map(|f| (f.code, f.location.line, f.location.column))
        .collect();
    assert_eq!(found, [(code, line, column)]);
}

#[test]
fn a_bomb_of_aliases_is_refused_at_once() {
    let mut text = String::from("---\na0: &a0 [x]\n");
    for n in 1..64 {
        text.push_str(&format!("a{n}: &a{n} [*a{0}, *a{0}]\n", n - 1));
    }
    text.push_str("---\n");
    assert_eq!(parse(&text).diagnostics.len(), 1);
}

#[test]
fn dotted_names_reach_into_maps() {
    let read = parse("---\nboat:\n  engine:\n    power: 9\nx.y: 2\n---\n").output;
    assert_eq!(
        read.map
            .at("boat.engine.power")
            .and_then(|v| v.node.written()),
        Some("9")
    );
    assert_eq!(read.map.at("x.y").and_then(|v| v.node.written()), Some("2"));
    assert_eq!(read.map.at("boat.length"), None);
}

/// However deep a header is nested, it is read or refused at its location, and no stack overflows.
#[rstest]
#[case::yaml("---\na: ", "[", "]", "\n---\n")]
#[case::yaml_maps("---\na: ", "{a: ", "}", "\n---\n")]
#[case::toml("+++\na = ", "[", "]", "\n+++\n")]
#[case::json("{\n\"a\": ", "[", "]", "\n}\n")]
#[case::json_maps("{\n\"a\": ", "{\"a\":", "}", "\n}\n")]
fn nesting_has_an_end(
    #[case] begin: &str,
    #[case] open: &str,
    #[case] close: &str,
    #[case] end: &str,
) {
    let read = |depth: usize| {
        let inner = if open.ends_with(':') || open.ends_with(": ") {
            "1"
        } else {
            ""
        };
        let text = [begin, &open.repeat(depth), inner, &close.repeat(depth), end].concat();
        let source = Source::new("posts/a.md", &text);
        let diagnostics = super::read(&source, &TimeZone::UTC).diagnostics;
        diagnostics
            .first()
            .map(|diagnostic| (diagnostic.code, diagnostic.location.line))
    };
    assert_eq!(read(20), None);
    assert_eq!(read(20_000), Some((Code::FrontMatterSyntax, 2)));
}

/// TOML has integers of 64 bits; others were 0.
#[rstest]
#[case::an_integer("n = 9223372036854775808", 2, 5)]
#[case::below("n = -9223372036854775809", 2, 5)]
#[case::hexadecimal("n = 0x8000000000000000", 2, 5)]
#[case::in_a_list("n = [1, 99999999999999999999]", 2, 9)]
fn a_number_that_does_not_fit_is_an_error(
    #[case] entry: &str,
    #[case] line: usize,
    #[case] column: usize,
) {
    let source = Source::new("a.md", &format!("+++\n{entry}\n+++\n"));
    let found = read(&source, &TimeZone::UTC).diagnostics;
    let found: Vec<_> = found
        .iter()
        .map(|found| (found.code, found.location.line, found.location.column))
        .collect();
    assert_eq!(found, [(Code::InvalidValue, line, column)]);
}

#[test]
fn the_largest_number_fits() {
    let source = Source::new("a.md", "+++\nn = 9223372036854775807\n+++\n");
    assert_eq!(read(&source, &TimeZone::UTC).diagnostics, []);
}
