//! Syntax highlighting of code blocks, as classes. It comes last on the way of a text to its page: all that reads the HTML
//! before, such as the search for links and words, does not see its elements. The runs of a block are cached by its
//! content for the next build.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::{Mutex, OnceLock};

use memchr::memmem;
use rustc_hash::{FxHashMap, FxHashSet};
use tabulae_core::html::{escape_text, unescape_text};
use tree_sitter_highlight::{HighlightConfiguration, HighlightEvent, Highlighter as Parser};

use crate::fingerprint::Fingerprint;
use crate::site::Bytes;
use crate::threads::locked;

/// The size from which a block stays plain, in bytes.
const LONGEST: usize = 1 << 16;

/// A grammar with its queries (tree-sitter).
struct Grammar {
    /// The words behind a fence that name the language.
    names: &'static [&'static str],
    /// Returns the grammar; `None` if one of its queries is not valid.
    make: fn() -> Option<HighlightConfiguration>,
    made: OnceLock<Option<HighlightConfiguration>>,
}

/// The number of grammars.
const LANGUAGES: usize = 13;

/// Declares grammars: names, language, and the texts of its queries one after the other.
macro_rules! grammars {
    ($([$($name:literal)*] $language:expr, $($query:expr),*;)*) => {
        /// The grammars, each read when a block in its language is first highlighted.
        static GRAMMARS: [Grammar; LANGUAGES] = [$(Grammar {
            names: &[$($name),*],
            make: || grammar($language.into(), &[$($query),*]),
            made: OnceLock::new(),
        },)*];
    };
}

grammars! {
    ["bash" "sh" "shell" "zsh"] tree_sitter_bash::LANGUAGE, tree_sitter_bash::HIGHLIGHT_QUERY;
    ["c" "h"] tree_sitter_c::LANGUAGE, tree_sitter_c::HIGHLIGHT_QUERY;
    ["css"] tree_sitter_css::LANGUAGE, tree_sitter_css::HIGHLIGHTS_QUERY;
    ["go" "golang"] tree_sitter_go::LANGUAGE, tree_sitter_go::HIGHLIGHTS_QUERY;
    ["html" "htm" "xhtml"] tree_sitter_html::LANGUAGE, tree_sitter_html::HIGHLIGHTS_QUERY;
    ["javascript" "js" "jsx" "mjs"] tree_sitter_javascript::LANGUAGE, tree_sitter_javascript::HIGHLIGHT_QUERY,
        tree_sitter_javascript::JSX_HIGHLIGHT_QUERY;
    ["json" "jsonc"] tree_sitter_json::LANGUAGE, tree_sitter_json::HIGHLIGHTS_QUERY;
    ["python" "py"] tree_sitter_python::LANGUAGE, tree_sitter_python::HIGHLIGHTS_QUERY;
    ["rust" "rs"] tree_sitter_rust::LANGUAGE, tree_sitter_rust::HIGHLIGHTS_QUERY;
    ["toml"] tree_sitter_toml_ng::LANGUAGE, tree_sitter_toml_ng::HIGHLIGHTS_QUERY;
    ["typescript" "ts"] tree_sitter_typescript::LANGUAGE_TYPESCRIPT,
        tree_sitter_javascript::HIGHLIGHT_QUERY, tree_sitter_typescript::HIGHLIGHTS_QUERY;
    ["tsx"] tree_sitter_typescript::LANGUAGE_TSX, tree_sitter_javascript::HIGHLIGHT_QUERY,
        tree_sitter_javascript::JSX_HIGHLIGHT_QUERY, tree_sitter_typescript::HIGHLIGHTS_QUERY;
    ["yaml" "yml"] tree_sitter_yaml::LANGUAGE, tree_sitter_yaml::HIGHLIGHTS_QUERY;
}

fn grammar(language: tree_sitter::Language, queries: &[&str]) -> Option<HighlightConfiguration> {
    let queries = queries.join("\n");
    let mut grammar = HighlightConfiguration::new(language, "code", &queries, "", "").ok()?;
    let names: Vec<&str> = CAPTURES.iter().map(|(name, _)| *name).collect();
    grammar.configure(&names);
    Some(grammar)
}

/// The classes, without the prefix `code-`.
pub(crate) const CLASSES: [&str; 11] = [
    "comment",
    "string",
    "number",
    "constant",
    "keyword",
    "function",
    "type",
    "tag",
    "attribute",
    "inserted",
    "deleted",
];

/// The names that queries give to parts of code, each with its class. Of several that a name begins with the longest
/// counts.
const CAPTURES: [(&str, &str); 22] = [
    ("attribute", "attribute"),
    ("boolean", "constant"),
    ("charset", "keyword"),
    ("comment", "comment"),
    ("constant", "constant"),
    ("constructor", "type"),
    ("escape", "string"),
    ("function", "function"),
    ("import", "keyword"),
    ("keyframes", "keyword"),
    ("keyword", "keyword"),
    ("label", "constant"),
    ("media", "keyword"),
    ("namespace", "type"),
    ("number", "number"),
    ("property", "attribute"),
    ("string", "string"),
    ("string.special.key", "attribute"),
    ("supports", "keyword"),
    ("tag", "tag"),
    ("type", "type"),
    ("variable.builtin", "keyword"),
];

/// A run of code that has one class, or none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Run {
    /// The number of the class from 1; 0 for none.
    class: u8,
    /// The length in bytes.
    length: u32,
}

/// Highlights code blocks, and keeps what it found.
#[derive(Default)]
pub(crate) struct Highlighter {
    /// The encoded runs of blocks, by fingerprint.
    known: Mutex<FxHashMap<u64, Bytes>>,
    /// The fingerprints of the blocks of this build.
    asked: Mutex<FxHashSet<u64>>,
    /// Parsers that no thread uses now.
    idle: Mutex<Vec<Parser>>,
}

/// The start of a highlighted block of Markdown, up to its language.
const BLOCK: &str = "<pre tabindex=\"0\"><code class=\"language-";

/// The end of a block.
const BLOCK_END: &str = "</code></pre>";

impl fmt::Debug for Highlighter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Highlighter")
    }
}

impl Highlighter {
    /// Returns a highlighter that knows the blocks of the last build.
    pub(crate) fn new(known: &BTreeMap<u64, Bytes>) -> Self {
        let known = known.iter().map(|(block, runs)| (*block, runs.clone()));
        Self {
            known: Mutex::new(known.collect()),
            asked: Mutex::default(),
            idle: Mutex::default(),
        }
    }

    /// Returns HTML that was made of Markdown with its code blocks highlighted. Takes time in proportion to the text and
    /// the blocks that are not known.
    pub(crate) fn page(&self, html: String) -> String {
        let mut blocks = memmem::find_iter(html.as_bytes(), BLOCK).peekable();
        if blocks.peek().is_none() {
            return html;
        }
        let (mut out, mut at) = (String::with_capacity(html.len() * 2), 0);
        for start in blocks.filter(|start| html.is_char_boundary(*start)) {
            let rest = &html[start + BLOCK.len()..];
            let Some((language, rest)) = rest.split_once("\">") else {
                continue;
            };
            let Some((escaped, _)) = rest.split_once(BLOCK_END) else {
                continue;
            };
            // Raw HTML in the form of a block has elements of its own.
            if start < at || escaped.contains('<') {
                continue;
            }
            let code = unescape_text(escaped);
            let Some(marked) = self.html(language, &code) else {
                continue;
            };
            let code_start = start + BLOCK.len() + language.len() + "\">".len();
            out.push_str(&html[at..code_start]);
            out.push_str(&marked);
            at = code_start + escaped.len();
        }
        out.push_str(&html[at..]);
        out
    }

    /// Returns the runs for the next build: of the blocks that this one asked for, and of `others`, those of posts that
    /// it did not render.
    pub(crate) fn to_keep(&self, others: impl Iterator<Item = u64>) -> BTreeMap<u64, Bytes> {
        let known = locked(&self.known);
        let asked = locked(&self.asked);
        let mut blocks: Vec<u64> = others.collect();
        blocks.extend(asked.iter());
        let kept = blocks
            .into_iter()
            .filter_map(|block| Some((block, known.get(&block)?.clone())));
        kept.collect()
    }

    /// Returns the HTML of code in a language; `None` if no grammar is of the language, or the code is too long.
    fn html(&self, language: &str, code: &str) -> Option<String> {
        let block = fingerprint(language, code)?;
        let known = locked(&self.known).get(&block).cloned();
        let known = known.and_then(|runs| decoded(&runs, code));
        let runs = match known {
            Some(runs) => runs,
            None => {
                let mut parser = locked(&self.idle).pop().unwrap_or_default();
                let runs = highlighted(&mut parser, language, code);
                locked(&self.idle).push(parser);
                let runs = runs.filter(|runs| is_of(runs, code))?;
                locked(&self.known).insert(block, encoded(&runs));
                runs
            }
        };
        locked(&self.asked).insert(block);
        Some(marked(&runs, code))
    }
}

/// Returns the fingerprint of a block; `None` if it stays plain.
pub(super) fn fingerprint(language: &str, code: &str) -> Option<u64> {
    let is_short = code.len() <= LONGEST;
    (is_short && is_known(&language.to_lowercase()))
        .then(|| Fingerprint::new().text(language).text(code).done())
}

fn is_known(language: &str) -> bool {
    matches!(language, "diff" | "patch") || grammar_of(language).is_some()
}

fn grammar_of(language: &str) -> Option<&'static Grammar> {
    let mut grammars = GRAMMARS.iter();
    grammars.find(|grammar| grammar.names.contains(&language))
}

/// Returns the runs of code; `None` if no grammar is of the language, or it cannot read the code.
fn highlighted(parser: &mut Parser, language: &str, code: &str) -> Option<Vec<Run>> {
    let language = language.to_lowercase();
    if language == "diff" || language == "patch" {
        return Some(changes(code));
    }
    let known = grammar_of(&language)?;
    let grammar = known.made.get_or_init(known.make).as_ref()?;
    let events = parser
        .highlight(grammar, code.as_bytes(), None, None, |_| None)
        .ok()?;
    let (mut runs, mut open) = (Vec::new(), Vec::new());
    for event in events {
        match event.ok()? {
            HighlightEvent::HighlightStart(part) => open.push(class_of(CAPTURES.get(part.0)?.1)),
            HighlightEvent::HighlightEnd => drop(open.pop()),
            HighlightEvent::Source { start, end } => {
                let class = open.last().copied().unwrap_or(0);
                push(&mut runs, class, end.checked_sub(start)?);
            }
        }
    }
    Some(runs)
}

/// Returns the runs of changes to a text: lines that were added, and removed.
fn changes(code: &str) -> Vec<Run> {
    let mut runs = Vec::new();
    for line in code.split_inclusive('\n') {
        let class = match line.as_bytes() {
            [b'+', ..] => class_of("inserted"),
            [b'-', ..] => class_of("deleted"),
            [b'@', b'@', ..] => class_of("comment"),
            _ => 0,
        };
        push(&mut runs, class, line.len());
    }
    runs
}

/// Returns the number of a class, from 1.
fn class_of(name: &str) -> u8 {
    let number = CLASSES.iter().position(|known| *known == name);
    number.and_then(|at| u8::try_from(at + 1).ok()).unwrap_or(0)
}

/// Adds a run; one of the same class as the last makes that longer.
fn push(runs: &mut Vec<Run>, class: u8, length: usize) {
    let Ok(length) = u32::try_from(length) else {
        return;
    };
    match runs.last_mut() {
        _ if length == 0 => {}
        Some(last) if last.class == class => last.length += length,
        _ => runs.push(Run { class, length }),
    }
}

/// Returns code as HTML with an element for each run that has a class.
fn marked(runs: &[Run], code: &str) -> String {
    let mut html = String::with_capacity(code.len() * 2);
    let mut rest = code;
    for run in runs {
        let (part, after) = rest.split_at(run.length as usize);
        rest = after;
        match usize::from(run.class).checked_sub(1) {
            None => html.push_str(&escape_text(part)),
            Some(class) => html.extend([
                "<span class=\"code-",
                CLASSES[class],
                "\">",
                &escape_text(part),
                "</span>",
            ]),
        }
    }
    html
}

/// Encodes runs: for each a byte of its class, and its length in groups of seven bits, the lowest first (LEB128).
fn encoded(runs: &[Run]) -> Bytes {
    let mut bytes = Vec::with_capacity(runs.len() * 2);
    for run in runs {
        bytes.push(run.class);
        let mut length = run.length;
        while length >= 0x80 {
            bytes.push(0x80 | (length & 0x7f) as u8);
            length >>= 7;
        }
        bytes.push((length & 0x7f) as u8);
    }
    bytes.into()
}

/// Returns true if runs are those of code: they end at its characters and at its end.
fn is_of(runs: &[Run], code: &str) -> bool {
    let mut at = 0;
    let fit = runs.iter().all(|run| {
        at += run.length as usize;
        usize::from(run.class) <= CLASSES.len() && code.is_char_boundary(at)
    });
    fit && at == code.len()
}

/// Decodes runs of code; `None` if they are not of this code.
fn decoded(bytes: &[u8], code: &str) -> Option<Vec<Run>> {
    let mut runs = Vec::new();
    let mut bytes = bytes.iter().copied();
    while let Some(class) = bytes.next() {
        let (mut length, mut shift) = (0_u32, 0);
        loop {
            let byte = bytes.next()?;
            length |= u32::from(byte & 0x7f).checked_shl(shift)?;
            shift += 7;
            if byte < 0x80 {
                break;
            }
        }
        runs.push(Run { class, length });
    }
    is_of(&runs, code).then_some(runs)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn html(language: &str, code: &str) -> Option<String> {
        Highlighter::default().html(language, code)
    }

    /// Returns the texts of a class.
    fn of_class(html: &str, class: &str) -> Vec<String> {
        let start = format!("<span class=\"code-{class}\">");
        let parts = html.split(start.as_str()).skip(1);
        let texts = parts.filter_map(|part| part.split("</span>").next());
        texts.map(str::to_owned).collect()
    }

    #[rstest]
    #[case::rust_keyword("rust", "fn main() { let x = 1; }", "keyword", &["fn", "let"])]
    #[case::rust_function("rust", "fn main() {}", "function", &["main"])]
    #[case::rust_number("rust", "let x = 42;", "constant", &["42"])]
    #[case::rust_comment("rs", "x; // why\n", "comment", &["// why"])]
    #[case::python_string("python", "x = 'a'", "string", &["'a'"])]
    #[case::python_word("py", "if a: pass", "keyword", &["if", "pass"])]
    #[case::json("json", "{\"a\": true}", "constant", &["true"])]
    #[case::json_key("json", "{\"a\": true}", "string", &["\"a\""])]
    #[case::yaml("yaml", "a: 'b'", "string", &["'b'"])]
    #[case::bash("sh", "echo $A # b", "comment", &["# b"])]
    #[case::css("css", "a { color: red }", "attribute", &["color"])]
    #[case::c("c", "int a(void);", "type", &["int", "void"])]
    #[case::go("go", "package a", "keyword", &["package"])]
    #[case::javascript("js", "const a = 1", "keyword", &["const"])]
    #[case::tsx("tsx", "const a: string = <b/>", "keyword", &["const"])]
    #[case::html("html", "<p class=\"x\">", "tag", &["p"])]
    #[case::html_attribute("html", "<p class=\"x\">", "attribute", &["class"])]
    #[case::toml("toml", "a = 1", "number", &["1"])]
    #[case::typescript("typescript", "interface A {}", "type", &["A"])]
    #[case::diff("diff", "-a\n+b\n", "inserted", &["+b\n"])]
    #[case::capitals("Rust", "fn a() {}", "keyword", &["fn"])]
    fn a_part_of_code_has_its_class(
        #[case] language: &str,
        #[case] code: &str,
        #[case] class: &str,
        #[case] expected: &[&str],
    ) {
        let html = html(language, code).unwrap();
        assert_eq!(of_class(&html, class), expected, "{html}");
    }

    #[rstest]
    #[case::no_language("zyzzyva", "a")]
    #[case::long("rust", &"a;\n".repeat(LONGEST))]
    fn code_without_a_grammar_or_too_long_stays_plain(#[case] language: &str, #[case] code: &str) {
        assert_eq!(html(language, code), None);
    }

    /// A second time, and in the next build, no grammar is asked.
    #[test]
    fn a_block_is_known_by_its_content() {
        let code = "fn a() {}";
        let block = fingerprint("rust", code).unwrap();
        let first = Highlighter::default();
        let made = first.html("rust", code);
        let kept = first.to_keep(std::iter::empty());
        assert_eq!(kept.keys().copied().collect::<Vec<_>>(), [block]);
        assert_eq!(Highlighter::new(&kept).html("rust", code), made);
        // Runs of other code are not taken.
        let other = BTreeMap::from([(
            block,
            encoded(&[Run {
                class: 1,
                length: 3,
            }]),
        )]);
        let again = Highlighter::new(&other).html("rust", code).unwrap();
        assert_eq!(of_class(&again, "keyword"), ["fn"]);
        // A block that no post has is not kept, one of a post that was not rendered is.
        assert!(
            Highlighter::new(&kept)
                .to_keep(std::iter::empty())
                .is_empty()
        );
        assert_eq!(Highlighter::new(&kept).to_keep([block].into_iter()), kept);
    }

    #[rstest]
    #[case::a_block(
        "a<pre tabindex=\"0\"><code class=\"language-diff\">+&lt;\n</code></pre>b",
        "a<pre tabindex=\"0\"><code class=\"language-diff\"><span class=\"code-inserted\">+&lt;\n</span></code></pre>b"
    )]
    #[case::another_language(
        "<pre tabindex=\"0\"><code class=\"language-x\">+</code></pre>",
        "<pre tabindex=\"0\"><code class=\"language-x\">+</code></pre>"
    )]
    #[case::with_elements(
        "<pre tabindex=\"0\"><code class=\"language-diff\">+<b>a</b></code></pre>",
        "<pre tabindex=\"0\"><code class=\"language-diff\">+<b>a</b></code></pre>"
    )]
    #[case::open(
        "é<pre tabindex=\"0\"><code class=\"language-diff\">+",
        "é<pre tabindex=\"0\"><code class=\"language-diff\">+"
    )]
    fn the_blocks_of_a_page_are_highlighted(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(Highlighter::default().page(html.to_owned()), expected);
    }

    proptest! {
        #[test]
        fn runs_are_decoded_as_they_were_encoded(
            lengths in proptest::collection::vec((0_u8..12, 1_u32..1 << 20), 0..8),
        ) {
            let runs: Vec<Run> = lengths
                .iter()
                .map(|(class, length)| Run { class: *class, length: *length })
                .collect();
            let code = "a".repeat(runs.iter().map(|run| run.length as usize).sum());
            prop_assert_eq!(decoded(&encoded(&runs), &code), Some(runs));
        }

        #[test]
        fn the_text_stays_the_same(
            language in "rust|python|html|yaml|bash|js|css|json|toml|c|go|tsx|diff",
            code in "[a-z(){}<>\"'#/*&;=\n é]{0,80}",
        ) {
            let html = html(&language, &code).unwrap_or_default();
            let pre = format!("<pre>{html}</pre>");
            let plain = pre.replace("</span>", "");
            let mut rest = plain.as_str();
            let mut text = String::new();
            while let Some((before, after)) = rest.split_once("<span class=\"code-") {
                text.push_str(before);
                rest = after.split_once("\">").unwrap().1;
            }
            text.push_str(rest);
            prop_assert_eq!(text, format!("<pre>{}</pre>", escape_text(&code)));
        }
    }
}
