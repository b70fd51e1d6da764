//! A fast path for prose: the paragraphs and headings at the start of a text that have only words, links,
//! emphasis and code in their simplest form. They are rendered without the parser, with the same result. The
//! parser reads from the first other block on. No block is open where prose ends, and prose has no
//! references, so that later text cannot change its meaning.

use std::iter;

use pulldown_cmark::{CowStr, Event, html};

use super::listener::Listener;

/// Writes the prose that a text begins with, and returns what is left to the parser.
pub(super) fn render<'a>(text: &'a str, out: &mut String, listener: &mut Listener) -> &'a str {
    let mut rest = text;
    loop {
        rest = rest.trim_start_matches('\n');
        let (length, place) = (out.len(), listener.place());
        let mut block = Block {
            text: rest,
            out: &mut *out,
            listener: &mut *listener,
        };
        match block.read() {
            Some(end) => rest = &rest[end..],
            None => {
                out.truncate(length);
                listener.back_to(&place);
                return rest;
            }
        }
    }
}

/// Bytes that may be more than text, or that HTML writes in another way, are 1; all others are 0.
const MARKS: [u8; 256] = {
    let mut marks = [0; 256];
    let mut byte = 0u8;
    while byte < 0x80 {
        marks[byte as usize] = matches!(
            byte,
            0..=0x1f | b'!' | b'&' | b'*' | b'<' | b'>' | b'['..=b'`' | b'|' | b'~'
        ) as u8;
        byte += 1;
    }
    marks
};

/// The place of the first mark from here, or the end. Most text has none for long, so it is asked
/// of eight bytes together first.
fn until_mark(bytes: &[u8], from: usize) -> usize {
    let is_mark = |byte: &u8| MARKS[usize::from(*byte)];
    let mut at = from;
    while let Some(eight) = bytes[at..].first_chunk::<8>() {
        if eight.iter().map(is_mark).fold(0, |any, mark| any | mark) != 0 {
            break;
        }
        at += 8;
    }
    let found = bytes[at..].iter().position(|byte| is_mark(byte) != 0);
    found.map_or(bytes.len(), |found| at + found)
}

/// Returns true if a byte of an address is the same in Markdown and in HTML.
fn is_of_address(byte: u8) -> bool {
    matches!(byte, b'#'..=b'%' | b'+'..=b';' | b'=' | b'?'..=b'Z' | b'_' | b'a'..=b'z' | b'~')
}

/// The block that a text begins with. Each part of it is read from a place and gives the place
/// after it, or nothing where it may be no prose.
struct Block<'a, 'o> {
    text: &'a str,
    out: &'o mut String,
    listener: &'o mut Listener,
}

impl<'a> Block<'a, '_> {
    fn bytes(&self) -> &'a [u8] {
        self.text.as_bytes()
    }

    fn read(&mut self) -> Option<usize> {
        match self.bytes().first()? {
            b'#' => self.heading(),
            _ => self.paragraph(),
        }
    }

    /// `## Words`, without hashes at its end.
    fn heading(&mut self) -> Option<usize> {
        let level = self.run(0, b'#');
        let from = level + 1;
        let begins = self.bytes().get(level) == Some(&b' ')
            && self.bytes().get(from).is_some_and(|byte| *byte > b' ');
        if level > 6 || !begins {
            return None;
        }
        let start = self.out.len();
        self.listener.heading_begins();
        let end = self.line(from)?;
        if self.text[from..end].trim_ascii_end().ends_with('#') {
            return None;
        }
        match self.listener.heading_ends(level == 1) {
            Some(id) => {
                self.out
                    .insert_str(start, &format!("<h{level} id=\"{id}\">"));
                self.out.push_str(&format!("</h{level}>\n"));
            }
            None => self.out.truncate(start),
        }
        Some(end)
    }

    /// Lines of words up to an empty one.
    fn paragraph(&mut self) -> Option<usize> {
        self.out.push_str("<p>");
        self.listener.paragraph_begins();
        let mut at = 0;
        loop {
            if !self.goes_on(at) {
                return None;
            }
            at = self.line(at)?;
            if let [] | [b'\n'] | [b'\n', b'\n', ..] = &self.bytes()[at..] {
                break;
            }
            self.out.push('\n');
            self.listener.space();
            at += 1;
        }
        self.out.push_str("</p>\n");
        self.listener.paragraph_ends();
        Some(at)
    }

    /// Returns true if a line continues a paragraph: it begins no other block, and does not make the line
    /// before it a heading or a table.
    fn goes_on(&self, at: usize) -> bool {
        match self.bytes()[at] {
            b'a'..=b'z' | b'A'..=b'Z' | 0x80.. => true,
            b'"' | b'\'' | b'(' | b'[' | b'*' | b'_' | b'`' => true,
            b'0'..=b'9' => {
                let after = self.bytes()[at..]
                    .iter()
                    .find(|byte| !byte.is_ascii_digit());
                !matches!(after, Some(b'.' | b')'))
            }
            _ => false,
        }
    }

    /// Text up to the end of its line, which it gives.
    fn line(&mut self, start: usize) -> Option<usize> {
        let (mut from, mut at) = (start, start);
        loop {
            at = until_mark(self.bytes(), at);
            let mark = match self.bytes().get(at) {
                None | Some(b'\n') => break,
                Some(mark) => *mark,
            };
            if self.is_text(at) {
                at += 1;
                continue;
            }
            self.say(from, at);
            from = match mark {
                b'&' | b'>' => self.escaped(at)?,
                b'*' | b'_' => self.emphasis(at, at == start)?,
                b'`' => self.code(at)?,
                b'[' => self.link(at)?,
                _ => return None,
            };
            at = from;
        }
        // One space at the end of a line is dropped; two may break the line.
        let text = &self.text[from..at];
        let trimmed = text.strip_suffix(' ').unwrap_or(text);
        if trimmed.ends_with(' ') {
            return None;
        }
        self.say(from, from + trimmed.len());
        Some(at)
    }

    /// Returns true if a mark has no meaning at its position.
    fn is_text(&self, at: usize) -> bool {
        self.bytes()[at] == b'!' && self.bytes().get(at + 1) != Some(&b'[')
    }

    /// `&` alone, and `>` within a line.
    fn escaped(&mut self, at: usize) -> Option<usize> {
        let (text, html) = match self.bytes()[at] {
            b'&' if self.bytes().get(at + 1) == Some(&b' ') => ("&", "&amp;"),
            b'>' => (">", "&gt;"),
            _ => return None,
        };
        self.out.push_str(html);
        self.listener.text(text);
        Some(at + 1)
    }

    /// Reads `*words*` or `**words**`, also with `_`. An opening mark follows a space, and a closing one
    /// precedes a space or punctuation, so that no other reading is possible.
    fn emphasis(&mut self, at: usize, is_first: bool) -> Option<usize> {
        let mark = self.bytes()[at];
        let length = self.run(at, mark);
        let from = at + length;
        let end = until_mark(self.bytes(), from);
        let after = self.bytes().get(end + length);
        let begins = is_first || self.bytes()[at - 1] == b' ';
        let ends = after.is_none_or(|byte| b" \n.,;:?)".contains(byte));
        let words = &self.bytes()[from..end];
        let close = self.run(end, mark) == length
            && words.first().is_some_and(u8::is_ascii_alphanumeric)
            && words.last().is_some_and(u8::is_ascii_alphanumeric);
        let name = match length {
            1 => "em",
            2 => "strong",
            _ => return None,
        };
        if !begins || !ends || !close {
            return None;
        }
        self.element(name, from, end);
        Some(end + length)
    }

    /// `` `code` ``: nothing in it means anything.
    fn code(&mut self, at: usize) -> Option<usize> {
        let from = at + 1;
        let closes = |byte: &u8| matches!(byte, b'`' | b'\\' | 0..=0x1f);
        let end = from + self.bytes()[from..].iter().position(closes)?;
        let code = &self.text[from..end];
        let spaced = code.is_empty() || code.starts_with(' ') || code.ends_with(' ');
        if spaced || self.run(end, b'`') != 1 {
            return None;
        }
        html::push_html(self.out, iter::once(Event::Code(CowStr::Borrowed(code))));
        self.listener.text(code);
        Some(end + 1)
    }

    /// Reads `[words](address)`, with an address that HTML writes in the same way.
    fn link(&mut self, at: usize) -> Option<usize> {
        let from = at + 1;
        let end = until_mark(self.bytes(), from);
        if end == from || !self.bytes()[end..].starts_with(b"](") {
            return None;
        }
        let address = &self.text[end + 2..];
        let length = address.bytes().position(|byte| !is_of_address(byte))?;
        let address = &address[..length];
        if length == 0 || self.bytes()[end + 2 + length] != b')' {
            return None;
        }
        self.listener.link(address);
        self.out.push_str("<a href=\"");
        self.out.push_str(address);
        self.out.push_str("\">");
        self.say(from, end);
        self.out.push_str("</a>");
        Some(end + 2 + length + 1)
    }

    fn element(&mut self, name: &str, from: usize, end: usize) {
        self.out.push('<');
        self.out.push_str(name);
        self.out.push('>');
        self.say(from, end);
        self.out.push_str("</");
        self.out.push_str(name);
        self.out.push('>');
    }

    /// Returns the length of the run of a byte.
    fn run(&self, at: usize, byte: u8) -> usize {
        let run = self.bytes()[at..]
            .iter()
            .take_while(|other| **other == byte);
        run.count()
    }

    fn say(&mut self, from: usize, end: usize) {
        let text = &self.text[from..end];
        self.out.push_str(text);
        self.listener.text(text);
    }
}

#[cfg(test)]
mod tests {
    use super::super::{has_more, parse};
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use tabulae_core::post::Notes;

    /// Returns the HTML of the prose of a text, and the rest.
    fn prose(text: &str) -> (String, &str) {
        let mut out = String::new();
        let rest = render(text, &mut out, &mut Listener::new(true, false));
        (out, rest)
    }

    /// The HTML of a text and what was noted of it, with prose and without.
    fn both_ways(text: &str, has_title: bool) -> [(String, Notes); 2] {
        let more = has_more(text);
        [true, false].map(|with_prose| {
            let (mut out, mut listener) = (String::new(), Listener::new(has_title, more));
            let rest = match with_prose {
                true => render(text, &mut out, &mut listener),
                false => text,
            };
            parse(rest, &mut out, &mut listener);
            (out, listener.notes)
        })
    }

    #[rstest]
    #[case::words("A lock, two gates.", "<p>A lock, two gates.</p>\n")]
    #[case::lines("one\ntwo \n\nthree\n", "<p>one\ntwo</p>\n<p>three</p>\n")]
    #[case::heading("## R & D\nwords", "<h2 id=\"r-and-d\">R &amp; D</h2>\n<p>words</p>\n")]
    #[case::emphasis(
        "*a b* and **c**, _d_",
        "<p><em>a b</em> and <strong>c</strong>, <em>d</em></p>\n"
    )]
    #[case::code("the `a < b` of", "<p>the <code>a &lt; b</code> of</p>\n")]
    #[case::link(
        "see [the log](/log/#x).",
        "<p>see <a href=\"/log/#x\">the log</a>.</p>\n"
    )]
    #[case::arrow("a -> b", "<p>a -&gt; b</p>\n")]
    #[case::year("In\n2026 it 'was'!", "<p>In\n2026 it 'was'!</p>\n")]
    #[case::other_scripts("Über «Schleusen»", "<p>Über «Schleusen»</p>\n")]
    fn prose_needs_no_parser(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(prose(text), (expected.to_owned(), ""));
    }

    #[rstest]
    #[case::list("- a")]
    #[case::numbers("1. a")]
    #[case::underlined("a\n---")]
    #[case::quote("a\n> b")]
    #[case::indented("    a")]
    #[case::fence("```\na\n```")]
    #[case::named_link("[a]\n\n[a]: /b/")]
    #[case::image("![a](b)")]
    #[case::image_in_a_line("a ![b](c)")]
    #[case::code_over_lines("`a\nb`")]
    #[case::backslash_in_code("`a\\`")]
    #[case::in_a_word("a*b*c")]
    #[case::closed_heading("# a #")]
    #[case::entity("a &lt; b")]
    #[case::escape("\\*a")]
    #[case::broken_line("a  \nb")]
    #[case::windows("a\r\nb")]
    fn all_else_is_the_parsers(#[case] text: &str) {
        assert_eq!(prose(text), (String::new(), text));
    }

    /// Pieces of prose, and of what is most like it, parted by `·`.
    const PROSE: [&str; 2] = [
        "a·word· · ·\n·\n\n·. ·, ·*a*·**a b**·_a_·`c d`·[a](b)·",
        "\n\n<!-- more -->\n\n·`a·b`·![·[a b](https://x.example/a_b?c=d#e)·\n## ·# ·é·12·(a)·\"",
    ];

    /// Pieces that prose lacks, or that it has not everywhere.
    const OTHER: [&str; 3] = [
        "*·**·_·`·``·```\n·[·]·](·)·(·!·![·<·>·<b>·<!--·\n> ·\n- ·\n* ·\n1. ·1)·\n---·\n===·",
        "\n|-|·|·\\·&·&amp;·~~·^·[^1]·\n[^1]: ·\n[a]: /c/\n·\t·\r\n·  ·    ·\n    ·:·#·{#x}·",
        "\u{a0}·«·…·\0·'·$·=·+·%· \n·  \n·\\\n·http://x.example·Ⓐ·、·\u{feff}·\u{2028}",
    ];

    /// Texts of what is prose, and of what looks like it.
    fn texts() -> impl Strategy<Value = String> {
        let pieces = |lines: &[&'static str]| {
            let pieces = lines
                .iter()
                .flat_map(|line| line.trim_end_matches('·').split('·'));
            prop::sample::select(pieces.collect::<Vec<_>>())
        };
        let piece = prop_oneof![4 => pieces(&PROSE), 1 => pieces(&OTHER)];
        prop::collection::vec(piece, 0..24).prop_map(|pieces| pieces.concat())
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(20_000))]
        #[test]
        fn prose_and_parser_agree(text in texts(), has_title: bool) {
            let [prose, parsed] = both_ways(&text, has_title);
            prop_assert_eq!(prose, parsed);
        }
    }
}
