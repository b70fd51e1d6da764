use rstest::rstest;

use super::encoding::is_utf8;
use super::{Page, Part, What};
use crate::diagnostic::Code;

/// Returns the requests of a page's placeholders, in words.
fn asks(html: &str) -> Vec<String> {
    let read = Page::read("a.html", html.as_bytes());
    assert_eq!(read.diagnostics, [], "{html}");
    let placeholders = read
        .output
        .map(|page| page.placeholders)
        .unwrap_or_default();
    let asks = placeholders.iter().map(|placeholder| {
        let ask = &placeholder.ask;
        let mut said = match &ask.what {
            What::Query(query) => format!("query {}", query.text()),
            What::Related(of) => match of {
                Some(of) => format!("related of {}", of.node),
                None => "related".to_owned(),
            },
            What::Newest(archive, of) => match of {
                Some(of) => format!("newest {} of {}", archive.node, of.node),
                None => format!("newest {}", archive.node),
            },
            What::Terms(field, order) => match order {
                Some(order) => format!("terms {} order {}", field.node, order.node),
                None => format!("terms {}", field.node),
            },
        };
        if let Some(limit) = ask.limit {
            said.push_str(&format!(" limit {limit}"));
        }
        match &ask.part {
            Some(Part::Whole(part)) => said.push_str(&format!(" with {}", part.node)),
            Some(Part::Each(part)) => said.push_str(&format!(" each {}", part.node)),
            None => {}
        }
        said
    });
    asks.collect()
}

const END: &str = "<!-- tabulae end -->";

#[rstest]
#[case::query(
    "query \"from posts where tag = 'lime' limit 3\"",
    "query from posts where tag = 'lime' limit 3"
)]
#[case::other_quote("query 'where title = \"x\"'", "query where title = \"x\"")]
#[case::doubled("query 'where tag = ''lime'''", "query where tag = 'lime'")]
#[case::on_lines("query\n  \"from posts\"\n  limit 3\n", "query from posts limit 3")]
#[case::part("query \"\" with \"parts/x.html\"", "query  with parts/x.html")]
#[case::each(
    "newest journal limit 2 each 'parts/card.html'",
    "newest journal limit 2 each parts/card.html"
)]
#[case::newest_of("newest tags of \"puddle clay\"", "newest tags of puddle clay")]
#[case::related("related", "related")]
#[case::related_of("related of posts/lime.md", "related of posts/lime.md")]
#[case::terms("terms tag order count limit 10", "terms tag order count limit 10")]
fn a_mark_says_what_it_wants(#[case] mark: &str, #[case] expected: &str) {
    assert_eq!(
        asks(&format!("<p><!-- tabulae {mark} -->old{END}")),
        [expected]
    );
    assert_eq!(asks(&format!("<!--tabulae {mark}-->{END}")), [expected]);
}

#[rstest]
#[case::script("<script>x = '<!-- tabulae related -->'</script>")]
#[case::style("<style><!-- tabulae related --></style >")]
#[case::text_area("<textarea>\n<!-- tabulae related --></TEXTAREA>")]
#[case::attribute("<p title=\"<!-- tabulae related -->\">")]
#[case::attribute_with_sign("<p a=\"x>\" title='<!-- tabulae related -->'>")]
#[case::in_a_comment("<!-- see <!-- tabulae related -->")]
#[case::other_word("<!-- tabulae-x related --><!-- Tabulae related -->")]
#[case::not_closed("<!-- tabulae related")]
#[case::nothing("")]
fn what_is_no_mark(#[case] html: &str) {
    assert_eq!(asks(html), [""; 0]);
}

#[rstest]
#[case::stray_quote("<p class=x\">A \"quote</p>")]
#[case::less_than("1 < 2 <- 3 <3")]
#[case::empty_comments("<!--><!--->")]
#[case::doctype("<!doctype html><?xml x?>")]
#[case::script_before("<script src=x></script><scripty>")]
#[case::quote_in_text("<p>it's <b a = 'b'>")]
fn what_does_not_hide_a_mark(#[case] before: &str) {
    assert_eq!(
        asks(&format!("{before}<!-- tabulae related -->{END}")),
        ["related"]
    );
}

#[rstest]
#[case::misspelt(
    "<!-- tabulae qery \"\" -->",
    "1:14 there is no placeholder `qery`; did you mean `query`?"
)]
#[case::no_kind(
    "<!-- tabulae -->",
    "1:5 this placeholder does not say which list it is; known here: `query`, `related`, `newest`, `terms`, `end`"
)]
#[case::no_query(
    "<!-- tabulae query -->",
    "1:5 the query is missing; write `query \"from posts limit 5\"`"
)]
#[case::bare_query(
    "<!-- tabulae query from posts -->",
    "1:20 the query has no quotes; write `query \"from posts limit 5\"`"
)]
#[case::open_text(
    "<!-- tabulae query \"from posts -->",
    "1:20 this text is not closed; write the same quote at its end; within it the quote doubled"
)]
#[case::option(
    "<!-- tabulae related limt 3 -->",
    "1:22 `limt` is not understood here; did you mean `limit`?"
)]
#[case::option_of_another(
    "<!-- tabulae terms tag each x -->",
    "1:24 `each` is not understood here; known here: `order`, `limit`, `with`"
)]
#[case::number(
    "<!-- tabulae related limit few -->",
    "1:28 \"few\" is not a whole number; write `limit 5`"
)]
#[case::second_line(
    "é\n<p>é<!-- tabulae x -->",
    "2:18 there is no placeholder `x`; known here: `query`, `related`, `newest`, `terms`, `end`"
)]
fn a_mark_that_is_not_understood(#[case] html: &str, #[case] expected: &str) {
    assert_eq!(said(&format!("{html}{END}")), [expected]);
}

#[rstest]
#[case::never_ended(
    "<!-- tabulae related -->\n",
    "1:5 this placeholder is not closed; write `<!-- tabulae end -->` where it ends"
)]
#[case::never_begun(
    "\n<!-- tabulae end -->",
    "2:5 this closes a placeholder that is not open; delete the comment, or open a placeholder above it: `<!-- tabulae query \"from posts limit 5\" -->`"
)]
#[case::nested(
    "<!-- tabulae related --><!-- tabulae related --><!-- tabulae end -->",
    "1:29 this placeholder is inside another one; close the other one with `<!-- tabulae end -->` first"
)]
fn marks_that_do_not_fit_together(#[case] html: &str, #[case] expected: &str) {
    assert_eq!(said(html), [expected]);
}

fn said(html: &str) -> Vec<String> {
    let read = Page::read("a.html", html.as_bytes());
    let said = read.diagnostics.iter().map(|diagnostic| {
        let location = &diagnostic.location;
        let help = diagnostic.help.as_deref().unwrap_or_default();
        format!(
            "{}:{} {}; {help}",
            location.line, location.column, diagnostic.message
        )
    });
    said.collect()
}

fn filled(html: &[u8], texts: &[&str]) -> Vec<u8> {
    let page = Page::read("a.html", html);
    assert_eq!(page.diagnostics, []);
    let texts: Vec<String> = texts.iter().map(|text| (*text).to_owned()).collect();
    page.output.unwrap().filled(&texts)
}

const MARK: &str = "<!-- tabulae related -->";

#[rstest]
#[case::in_the_line("a {M}{E} b", "x", "a {M}x{E} b")]
#[case::replaced("a {M}old\nlines{E} b", "x", "a {M}x{E} b")]
#[case::on_lines("a\n{M}\n{E}\nb", "x", "a\n{M}\nx\n{E}\nb")]
#[case::lines_in_the_line("a {M}{E}", "x\ny\n", "a {M}\nx\ny\n{E}")]
#[case::crlf("a\r\n{M}\r\n{E}\r\n", "x\ny", "a\r\n{M}\r\nx\r\ny\r\n{E}\r\n")]
#[case::letters_in_utf8("é{M}{E}", "ü", "é{M}ü{E}")]
#[case::letters_in_ascii("a{M}{E}", "ü—", "a{M}&#252;&#8212;{E}")]
#[case::empty("{M}x{E}", "", "{M}{E}")]
fn a_place_is_filled(#[case] html: &str, #[case] text: &str, #[case] expected: &str) {
    let with = |html: &str| html.replace("{M}", MARK).replace("{E}", END);
    let once = filled(with(html).as_bytes(), &[text]);
    assert_eq!(String::from_utf8_lossy(&once), with(expected));
    assert_eq!(filled(&once, &[text]), once, "a second time");
}

#[test]
fn bytes_that_are_no_utf8_stay_as_they_are() {
    let html = [
        b"caf\xe9 \xff\x00",
        MARK.as_bytes(),
        END.as_bytes(),
        b"\xe9",
    ]
    .concat();
    let expected = [
        b"caf\xe9 \xff\x00",
        MARK.as_bytes(),
        b"&#233;",
        END.as_bytes(),
        b"\xe9",
    ];
    assert_eq!(filled(&html, &["é"]), expected.concat());
}

#[rstest]
#[case::little(&[0xff, 0xfe], u16::to_le_bytes)]
#[case::big(&[0xfe, 0xff], u16::to_be_bytes)]
fn a_page_in_utf16_is_refused(#[case] mark: &[u8], #[case] order: fn(u16) -> [u8; 2]) {
    let page = |text: &str| {
        [
            mark,
            &text.encode_utf16().flat_map(order).collect::<Vec<_>>(),
        ]
        .concat()
    };
    let codes = |text: &str| {
        let read = Page::read("a.html", &page(text)).diagnostics;
        read.iter()
            .map(|diagnostic| diagnostic.code)
            .collect::<Vec<_>>()
    };
    assert_eq!(
        codes("<p><!-- tabulae related --><!-- tabulae end -->"),
        [Code::InvalidUtf8]
    );
    assert_eq!(codes("<p><!-- of no concern -->"), []);
}

#[rstest]
#[case::bom(b"\xef\xbb\xbfa", true)]
#[case::meta(b"<meta charset=\"UTF-8\">", true)]
#[case::meta_http(
    b"<meta http-equiv=Content-Type content='text/html; charset=utf-8'>",
    true
)]
#[case::xml(b"<?xml version='1.0' encoding='UTF-8'?>", true)]
#[case::other(b"<meta charset=iso-8859-1>\xc3\xa9", false)]
#[case::xml_other(b"<?xml version='1.0' encoding='latin1'?>", false)]
#[case::by_its_letters(b"\xc3\xa9", true)]
#[case::by_other_letters(b"\xe9", false)]
#[case::ascii(b"a", false)]
fn the_encoding_of_a_page(#[case] bytes: &[u8], #[case] expected: bool) {
    assert_eq!(is_utf8(bytes), expected);
}
