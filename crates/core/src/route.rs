//! Link patterns, the addresses and files that they expand to, and outputs that collide.

use std::borrow::Cow;
use std::fmt;

use indexmap::IndexMap;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use rustc_hash::{FxBuildHasher, FxHashMap};
use serde::{Deserialize, Serialize};
use unicode_normalization::UnicodeNormalization;

use crate::diagnostic::{Code, Diagnostic, Help};
use crate::source::{EmbeddedText, Location, Span};

/// A link pattern: a URI Template of level 1 (RFC 6570) that begins with `/` and ends in `/`
/// or in a file's name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    text: String,
    parts: Vec<Part>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Part {
    Plain(String),
    Variable(String),
}

/// Why a text is no link pattern, and where in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PatternError {
    span: Span,
    message: String,
    help: &'static str,
}

impl PatternError {
    /// The diagnostic at its location.
    #[must_use]
    pub fn at(&self, embedded: &EmbeddedText) -> Diagnostic {
        Diagnostic::error(
            Code::InvalidLinkPattern,
            embedded.location(self.span),
            &*self.message,
        )
        .help(self.help)
    }
}

/// The parts of a pattern: plain text, as `plain` makes it, and variables in braces.
fn parts(text: &str, plain: impl Fn(&str) -> String) -> Result<Vec<Part>, PatternError> {
    let mut parts = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let rest = &text[at..];
        let open = rest.find(['{', '}']).unwrap_or(rest.len());
        if open > 0 {
            parts.push(Part::Plain(plain(&rest[..open])));
            at += open;
            continue;
        }
        let close = rest.find('}').filter(|_| rest.starts_with('{'));
        let close = close.ok_or_else(|| PatternError {
            span: Span::new(at, at + 1),
            message: "this link has a single brace".to_owned(),
            help: "a variable is a name in braces, such as {slug}",
        })?;
        let name = &rest[1..close];
        let is_of_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.' | '-');
        if name.is_empty() || !name.chars().all(is_of_name) {
            return Err(PatternError {
                span: Span::new(at, at + close + 1),
                message: format!("{{{name}}} is not a variable"),
                help: "a variable is one name in braces, such as {slug}, without signs",
            });
        }
        parts.push(Part::Variable(name.to_owned()));
        at += close + 1;
    }
    Ok(parts)
}

/// An address below the site's root.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Link {
    /// Percent-encoded, beginning with `/`, without the path of the site's address.
    pub encoded: String,
    /// The address as plain text (NFC): the names of folders and files on disk.
    pub plain: String,
}

impl Pattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// Where it does not begin with `/`, does not end in `/` or a file's name, leads out of the
    /// site, or uses more of RFC 6570 than level 1.
    pub fn parse(text: &str) -> Result<Self, PatternError> {
        let whole = Span::new(0, text.len());
        if !text.starts_with('/') {
            return Err(PatternError {
                span: whole,
                message: format!("the link \"{text}\" does not begin with `/`"),
                help: "links start at the site's root, such as \"/{year}/{slug}/\"",
            });
        }
        let parts = parts(text, |plain| decode(plain).nfc().collect())?;
        // What is written and what it says once it is decoded: `%2e%2e` is `..`.
        let written = text.replace(['{', '}'], "");
        let plain = decode(&written);
        if plain.split('/').any(|step| step == "." || step == "..")
            || plain.contains(['\\', '\0'])
            || written.contains(['?', '#'])
            || plain.chars().any(char::is_control)
        {
            return Err(PatternError {
                span: whole,
                message: format!("the link \"{text}\" leads out of the site's folders"),
                help: "write folders and names only, without `..`, `\\`, `?` and `#`",
            });
        }
        let last = text.rsplit('/').next().unwrap_or_default();
        if !last.is_empty() && !last.contains('.') {
            return Err(PatternError {
                span: Span::new(text.len() - last.len(), text.len()),
                message: format!("the link \"{text}\" ends neither in `/` nor in a file's name"),
                help: "add a `/`, or an ending such as `.html`",
            });
        }
        Ok(Self {
            text: text.to_owned(),
            parts,
        })
    }

    /// Returns a built-in pattern.
    ///
    /// # Panics
    /// If the text is not a pattern.
    #[must_use]
    pub fn fixed(text: &str) -> Self {
        Self::parse(text).expect("a built-in pattern is valid")
    }

    /// Returns the pattern below a folder, given as a plain path without a slash at its end.
    #[must_use]
    pub fn below(&self, folder: &str) -> Self {
        if folder.is_empty() {
            return self.clone();
        }
        let folder_part = Part::Plain(folder.to_owned());
        Self {
            text: [folder, &self.text].concat(),
            parts: [folder_part]
                .into_iter()
                .chain(self.parts.iter().cloned())
                .collect(),
        }
    }

    /// The pattern as it was written.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The names of its variables, in the order written.
    pub fn variables(&self) -> impl Iterator<Item = &str> {
        self.parts.iter().filter_map(|part| match part {
            Part::Variable(name) => Some(name.as_str()),
            Part::Plain(_) => None,
        })
    }

    /// The address with each variable's value put in. `/` within a value parts folders; an empty
    /// value takes its folder away.
    ///
    /// # Errors
    /// The name of a variable that has no value.
    pub fn expand(&self, value: impl Fn(&str) -> Option<String>) -> Result<Link, &str> {
        let mut plain = String::new();
        for part in &self.parts {
            match part {
                Part::Plain(text) => plain.push_str(text),
                Part::Variable(name) => {
                    let text = value(name).ok_or(name.as_str())?;
                    if text.is_ascii() {
                        plain.push_str(&text);
                    } else {
                        plain.extend(text.nfc());
                    }
                }
            }
        }
        while plain.contains("//") {
            plain = plain.replace("//", "/");
        }
        Ok(Link::new(plain))
    }
}

/// A pattern of ids: a URI Template of level 1 (RFC 6570) that begins with a scheme.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct IdPattern {
    text: String,
    parts: Vec<Part>,
}

impl IdPattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// If it does not begin with a scheme, has no variable, or uses more of RFC 6570 than level 1.
    pub fn parse(text: &str) -> Result<Self, PatternError> {
        let whole = Span::new(0, text.len());
        let help = "write a pattern such as \"https://old.example/?p={info.number}\"";
        let unfit = |message: String| PatternError {
            span: whole,
            message,
            help,
        };
        if !is_uri(text) {
            return Err(unfit(format!(
                "the id \"{text}\" does not begin with a scheme"
            )));
        }
        let parts = parts(text, str::to_owned)?;
        if parts.iter().all(|part| matches!(part, Part::Plain(_))) {
            return Err(unfit(format!(
                "the id \"{text}\" would be that of every post"
            )));
        }
        Ok(Self {
            text: text.to_owned(),
            parts,
        })
    }

    /// The pattern as it was written.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns the id with the values of the variables, in which all but unreserved characters (RFC 3986, 2.3)
    /// are percent-encoded; `None` if a variable has no value.
    #[must_use]
    pub fn expand(&self, value: impl Fn(&str) -> Option<String>) -> Option<String> {
        let parts = self.parts.iter().map(|part| match part {
            Part::Plain(text) => Some(text.clone()),
            Part::Variable(name) => {
                let value = value(name).filter(|value| !value.is_empty())?;
                Some(utf8_percent_encode(&value, &RESERVED).to_string())
            }
        });
        parts.collect()
    }
}

/// Returns true if a text begins with a scheme (RFC 3986, 3.1).
#[must_use]
pub fn is_uri(text: &str) -> bool {
    text.split_once(':').is_some_and(|(scheme, rest)| {
        !rest.is_empty()
            && scheme.starts_with(|c: char| c.is_ascii_alphabetic())
            && scheme
                .chars()
                .all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.'))
    })
}

/// The path of an output below the output folder, in Unicode NFC and with `/` on every system.
///
/// It has no empty segment, no `.` and `..`, no control character and no backslash; each segment has at
/// most [`OutputPath::SEGMENT_BYTES`] bytes, the whole at most [`OutputPath::BYTES`]. So it never leads
/// out of the folder, whatever it was made of.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String")]
pub struct OutputPath(String);

impl TryFrom<String> for OutputPath {
    type Error = PathError;

    fn try_from(path: String) -> Result<Self, PathError> {
        Self::new(&path)
    }
}

/// The reason why a text is no output path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PathError {
    /// A segment is empty, as between `//` or in an empty path.
    EmptySegment,
    /// A segment is `.` or `..`.
    DotSegment,
    /// The path contains a control character, such as NUL.
    Control,
    /// The path contains a backslash.
    Backslash,
    /// A segment is longer than [`OutputPath::SEGMENT_BYTES`].
    LongSegment,
    /// The whole is longer than [`OutputPath::BYTES`].
    Long,
}

impl fmt::Display for PathError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::EmptySegment => f.write_str("it has a folder or a file without a name"),
            Self::DotSegment => f.write_str("it leads out of the site with `.` or `..`"),
            Self::Control => f.write_str("it has a control character"),
            Self::Backslash => f.write_str("it has a backslash"),
            Self::LongSegment => write!(
                f,
                "one of its names has more than {} bytes",
                OutputPath::SEGMENT_BYTES
            ),
            Self::Long => write!(f, "it has more than {} bytes", OutputPath::BYTES),
        }
    }
}

impl std::error::Error for PathError {}

impl OutputPath {
    /// The most bytes of one segment: what common file systems allow.
    pub const SEGMENT_BYTES: usize = 255;

    /// The most bytes of the whole path.
    pub const BYTES: usize = 1024;

    /// Checks a path that is decoded already.
    ///
    /// # Errors
    /// The first rule that it breaks.
    pub fn new(path: &str) -> Result<Self, PathError> {
        let path: String = if path.is_ascii() {
            path.to_owned()
        } else {
            path.nfc().collect()
        };
        if path.len() > Self::BYTES {
            return Err(PathError::Long);
        }
        if path.chars().any(char::is_control) {
            return Err(PathError::Control);
        }
        if path.contains('\\') {
            return Err(PathError::Backslash);
        }
        for segment in path.split('/') {
            match segment {
                "" => return Err(PathError::EmptySegment),
                "." | ".." => return Err(PathError::DotSegment),
                long if long.len() > Self::SEGMENT_BYTES => return Err(PathError::LongSegment),
                _ => {}
            }
        }
        Ok(Self(path))
    }

    /// The path as text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The path of the folder that holds it; empty for the output folder itself.
    #[must_use]
    pub fn folder(&self) -> &str {
        folder_of(&self.0)
    }

    /// Returns the first segment that some file system cannot hold, and why: reserved names and
    /// characters of Windows, and names that end in a dot or a space.
    #[must_use]
    pub fn not_portable(&self) -> Option<(&str, &'static str)> {
        self.0.split('/').find_map(|segment| {
            let is_unfit = |byte| matches!(byte, b':' | b'<' | b'>' | b'"' | b'|' | b'?' | b'*');
            let why = if segment.bytes().any(is_unfit) {
                "it has one of `: < > \" | ? *`"
            } else if segment.ends_with(['.', ' ']) {
                "it ends in a dot or a space"
            } else if is_reserved(segment) {
                "it is the name of a device"
            } else {
                return None;
            };
            Some((segment, why))
        })
    }
}

impl std::ops::Deref for OutputPath {
    type Target = str;

    fn deref(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for OutputPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::borrow::Borrow<str> for OutputPath {
    fn borrow(&self) -> &str {
        &self.0
    }
}

/// Returns true for the names of devices on Windows, whatever their ending.
fn is_reserved(segment: &str) -> bool {
    let name = segment.split('.').next().unwrap_or_default().trim_end();
    let is = |device: &&str| name.eq_ignore_ascii_case(device);
    let numbered = match name.as_bytes() {
        [device @ .., b'1'..=b'9'] => {
            device.eq_ignore_ascii_case(b"com") || device.eq_ignore_ascii_case(b"lpt")
        }
        _ => false,
    };
    numbered || ["con", "prn", "aux", "nul"].iter().any(is)
}

impl Link {
    /// The address of a plain path that begins with `/`.
    #[must_use]
    pub fn new(plain: impl Into<String>) -> Self {
        let plain = plain.into();
        Self {
            encoded: encode(&plain),
            plain,
        }
    }

    /// The output's path below `out/`.
    #[must_use]
    pub fn file(&self) -> String {
        let path = self.plain.trim_start_matches('/');
        if path.is_empty() || path.ends_with('/') {
            format!("{path}index.html")
        } else {
            path.to_owned()
        }
    }

    /// Returns the folder of a page's further files: the link itself, or of a file `/a.html` the folder
    /// `/a/`.
    #[must_use]
    pub fn folder(&self) -> String {
        [stem(&self.plain), "/"].concat()
    }

    /// An address below this one's folder.
    #[must_use]
    pub fn below(&self, name: &str) -> Self {
        Self {
            plain: [stem(&self.plain), "/", name].concat(),
            encoded: [stem(&self.encoded), "/", &encode(name)].concat(),
        }
    }

    /// Page `number`, from 1, of a list whose first page is here.
    #[must_use]
    pub fn page(&self, number: usize) -> Self {
        if number <= 1 {
            return self.clone();
        }
        self.below(&format!("page/{number}/"))
    }
}

/// A path without the `/` or the ending at its end.
fn stem(path: &str) -> &str {
    if let Some(folder) = path.strip_suffix('/') {
        return folder;
    }
    let name = path.rfind('/').map_or(0, |slash| slash + 1);
    let end = path[name..].rfind('.').map_or(path.len(), |dot| name + dot);
    &path[..end]
}

/// The bytes that are percent-encoded in a text in which only unreserved characters are not (RFC 3986, 2.3).
const RESERVED: AsciiSet = NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'.')
    .remove(b'_')
    .remove(b'~');

/// The bytes that are percent-encoded in a path: all but unreserved characters, `/` and the delimiters that
/// need no encoding there (RFC 3986, 3.3).
const OUTSIDE_PATH: AsciiSet = RESERVED
    .remove(b'/')
    .remove(b'@')
    .remove(b':')
    .remove(b'!')
    .remove(b'$')
    .remove(b'*')
    .remove(b',')
    .remove(b';')
    .remove(b'=')
    .remove(b'(')
    .remove(b')');

/// Percent-encodes a path (RFC 3986, 2.1).
#[must_use]
pub fn encode(path: &str) -> String {
    utf8_percent_encode(path, &OUTSIDE_PATH).to_string()
}

/// Returns an earlier address as that of a folder, with `/` at its end, unless it names a file.
#[must_use]
pub fn folder_unless_file(address: &str) -> Cow<'_, str> {
    let last = address.rsplit('/').next().unwrap_or_default();
    if last.is_empty() || last.contains('.') {
        address.into()
    } else {
        format!("{address}/").into()
    }
}

/// Returns the folder of a path with `/`; an empty text if it is in none.
#[must_use]
pub fn folder_of(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// Decodes percent-encoding. A `%` without two hexadecimal digits stays as it is, and so does a text whose
/// bytes are not UTF-8 once they are decoded.
#[must_use]
pub fn decode(path: &str) -> Cow<'_, str> {
    percent_decode_str(path)
        .decode_utf8()
        .unwrap_or(path.into())
}

/// Returns the scheme of an address that would run where it is opened: `javascript`, `vbscript`, or `data`
/// of anything but an image. White space and control characters are ignored, of which browsers ignore some
/// (URL Standard). No URL parser decides: a browser may run what the standard calls invalid.
#[must_use]
pub fn unsafe_scheme(address: &str) -> Option<&'static str> {
    let plain = |c: &char| !c.is_whitespace() && !c.is_control();
    let begin: String = address.chars().filter(plain).take(16).collect();
    let begin = begin.to_ascii_lowercase();
    let (scheme, rest) = begin.split_once(':')?;
    match scheme {
        "data" if !rest.starts_with("image/") => Some("data"),
        scheme => ["javascript", "vbscript"]
            .into_iter()
            .find(|script| *script == scheme),
    }
}

/// Returns true if an address is a script.
pub(crate) fn is_script(address: &str) -> bool {
    matches!(unsafe_scheme(address), Some("javascript" | "vbscript"))
}

/// The outputs of a build by path below `out/`, each of one maker.
#[derive(Debug, Default)]
pub struct Outputs {
    numbers: IndexMap<OutputPath, usize, FxBuildHasher>,
}

/// The maker of an output.
#[derive(Debug, Clone)]
pub struct Maker {
    /// In words: "the archive `journal`".
    pub what: String,
    /// The place that asks for it.
    pub location: Location,
}

impl Outputs {
    /// Takes `file` for the output of this number.
    ///
    /// # Errors
    /// The number of the output that it was taken for before.
    pub fn claim(&mut self, file: &OutputPath, number: usize) -> Result<(), usize> {
        if let Some(first) = self.numbers.get(file) {
            return Err(*first);
        }
        self.numbers.insert(file.clone(), number);
        Ok(())
    }

    /// Returns the paths that would be both a file and a folder: the path, the number of the output that is the
    /// file, and that of one in the folder.
    pub fn files_and_folders(&self) -> impl Iterator<Item = (&str, usize, usize)> {
        self.numbers.iter().flat_map(|(file, number)| {
            let folders = file.match_indices('/').map(|(slash, _)| &file[..slash]);
            folders.filter_map(|path| Some((path, *self.numbers.get(path)?, *number)))
        })
    }

    /// Returns the numbers of outputs whose paths differ only in case, in pairs: the first one of such
    /// a path, and each further one.
    #[must_use]
    pub fn differing_in_case(&self) -> Vec<(usize, usize)> {
        let mut first: FxHashMap<Cow<'_, str>, usize> = FxHashMap::default();
        first.reserve(self.numbers.len());
        let mut pairs = Vec::new();
        for (file, number) in &self.numbers {
            let has_capitals = !file.is_ascii() || file.bytes().any(|b| b.is_ascii_uppercase());
            let lower: Cow<'_, str> = match has_capitals {
                true => file.to_lowercase().into(),
                false => file.as_str().into(),
            };
            let known = *first.entry(lower).or_insert(*number);
            if known != *number {
                pairs.push((known, *number));
            }
        }
        pairs
    }

    /// Returns true if there is an output of this path.
    #[must_use]
    pub fn has(&self, file: &str) -> bool {
        self.numbers.contains_key(file)
    }
}

/// An output of two makers is an error that names both and the way out.
#[must_use]
pub fn taken(file: &str, first: &Maker, second: &Maker, way_out: impl Into<Help>) -> Diagnostic {
    let address = file
        .strip_suffix("index.html")
        .map_or_else(|| format!("/{file}"), |folder| format!("/{folder}"));
    Diagnostic::error(
        Code::AddressConflict,
        second.location.clone(),
        format!(
            "{} and {} have the same address {address}",
            first.what, second.what
        ),
    )
    .help(way_out)
    .beside(first.location.clone(), format!("{} is here", first.what))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::slug("/{year}/{slug}/", "/2026/lime/", "2026/lime/index.html")]
    #[case::file_name("/{slug}.html", "/lime.html", "lime.html")]
    #[case::other_script("/{greek}/", "/%CE%B4%CE%B9/", "δι/index.html")]
    #[case::folder("/{folder}/{slug}/", "/a/b/lime/", "a/b/lime/index.html")]
    #[case::empty_value("/{none}/{slug}/", "/lime/", "lime/index.html")]
    #[case::root("/", "/", "index.html")]
    #[case::encoded_literal("/caf%C3%A9/{slug}/", "/caf%C3%A9/lime/", "café/lime/index.html")]
    fn a_pattern_expands_to_link_and_file(
        #[case] pattern: &str,
        #[case] link: &str,
        #[case] file: &str,
    ) {
        let values = |name: &str| match name {
            "year" => Some("2026".to_owned()),
            "slug" => Some("lime".to_owned()),
            "greek" => Some("δι".to_owned()),
            "folder" => Some("a/b".to_owned()),
            "none" => Some(String::new()),
            _ => None,
        };
        let expanded = Pattern::parse(pattern).unwrap().expand(values).unwrap();
        assert_eq!(
            (expanded.encoded.as_str(), expanded.file().as_str()),
            (link, file)
        );
    }

    #[rstest]
    #[case::no_slash("x/{slug}/", 0)]
    #[case::no_ending("/x/{slug}", 3)]
    #[case::open_brace("/{slug/", 1)]
    #[case::close_brace("/slug}/", 5)]
    #[case::level_two("/{+path}/", 1)]
    #[case::empty_variable("/{}/", 1)]
    #[case::parent("/../x/", 0)]
    #[case::parent_encoded("/%2e%2E/x/", 0)]
    #[case::parent_half_encoded("/.%2e/x/", 0)]
    #[case::parent_behind_an_encoded_slash("/a%2f..%2fx/", 0)]
    #[case::encoded_nul("/a%00/", 0)]
    #[case::encoded_backslash("/a%5c..%5cb/", 0)]
    #[case::question("/x/?a/", 0)]
    fn what_is_no_pattern_is_refused_at_its_place(#[case] text: &str, #[case] at: usize) {
        assert_eq!(Pattern::parse(text).unwrap_err().span.start, at);
    }

    #[rstest]
    #[case::folder("/tags/", 2, "/tags/page/2/")]
    #[case::file("/tags.html", 3, "/tags/page/3/")]
    #[case::root("/", 2, "/page/2/")]
    #[case::first("/tags/", 1, "/tags/")]
    fn further_pages_stand_below_the_link(
        #[case] link: &str,
        #[case] number: usize,
        #[case] expected: &str,
    ) {
        assert_eq!(Link::new(link).page(number).encoded, expected);
    }

    #[rstest]
    #[case::file("a/b.html", Ok("a/b.html"))]
    #[case::composed("cafe\u{301}/index.html", Ok("caf\u{e9}/index.html"))]
    #[case::dots_in_a_name("a../..b/...", Ok("a../..b/..."))]
    #[case::empty("", Err(PathError::EmptySegment))]
    #[case::root("/a", Err(PathError::EmptySegment))]
    #[case::two_slashes("a//b", Err(PathError::EmptySegment))]
    #[case::folder("a/", Err(PathError::EmptySegment))]
    #[case::up("a/../b", Err(PathError::DotSegment))]
    #[case::up_first("../b", Err(PathError::DotSegment))]
    #[case::here("./b", Err(PathError::DotSegment))]
    #[case::nul("a\0b", Err(PathError::Control))]
    #[case::line("a\nb", Err(PathError::Control))]
    #[case::backslash("a\\..\\b", Err(PathError::Backslash))]
    fn an_output_path_never_leads_out(
        #[case] path: &str,
        #[case] expected: Result<&str, PathError>,
    ) {
        let made = OutputPath::new(path);
        assert_eq!(
            made.as_ref().map(OutputPath::as_str),
            expected.as_ref().copied()
        );
    }

    #[rstest]
    #[case::a_name_that_fits(&"é".repeat(127), None)]
    #[case::a_name_that_does_not(&"é".repeat(128), Some(PathError::LongSegment))]
    #[case::a_path_that_fits(&["a".repeat(255), "b".repeat(255), "c".repeat(255), "d".repeat(256 - 1)].join("/"), None)]
    #[case::a_path_that_does_not(&format!("{}e", "abcd/".repeat(205)), Some(PathError::Long))]
    fn an_output_path_has_its_length(#[case] path: &str, #[case] expected: Option<PathError>) {
        assert_eq!(OutputPath::new(path).err(), expected);
    }

    #[rstest]
    #[case("a/b.html", None)]
    #[case("a:b/x", Some("a:b"))]
    #[case("a/con", Some("con"))]
    #[case("AUX.html", Some("AUX.html"))]
    #[case("lpt9/x", Some("lpt9"))]
    #[case("lpt0/x", None)]
    #[case("console/x", None)]
    #[case("a./x", Some("a."))]
    #[case("a /x", Some("a "))]
    fn names_that_some_systems_cannot_hold(#[case] path: &str, #[case] expected: Option<&str>) {
        let path = OutputPath::new(path).unwrap();
        assert_eq!(path.not_portable().map(|(segment, _)| segment), expected);
    }

    fn path(text: &str) -> OutputPath {
        OutputPath::new(text).unwrap()
    }

    #[rstest]
    #[case::plain("/a/b/", "/a/b/")]
    #[case::letters("/%C3%A9%20b/", "/é b/")]
    #[case::lower_case("/%c3%a9/", "/é/")]
    #[case::percent("/100%/", "/100%/")]
    #[case::cut("/a%4", "/a%4")]
    // A sign is no hexadecimal digit.
    #[case::sign("/a%+1b/", "/a%+1b/")]
    #[case::not_utf8("/%E9/", "/%E9/")]
    fn percent_encoding_is_decoded(#[case] path: &str, #[case] expected: &str) {
        assert_eq!(decode(path), expected);
    }

    #[rstest]
    #[case("/a/b.html", "/a/b.html")]
    #[case("/é b/", "/%C3%A9%20b/")]
    #[case("/a%b?c#d/", "/a%25b%3Fc%23d/")]
    // The delimiters that a path may have, but for those that HTML gives a meaning.
    #[case("/@:!$*,;=()-._~/", "/@:!$*,;=()-._~/")]
    #[case("/&'+/", "/%26%27%2B/")]
    fn a_path_is_percent_encoded(#[case] path: &str, #[case] expected: &str) {
        assert_eq!(encode(path), expected);
        assert_eq!(decode(expected), path);
    }

    #[rstest]
    #[case("/a.png", None)]
    #[case("https://x.example/javascript:a", None)]
    #[case("javascript:a()", Some("javascript"))]
    #[case(" Java\nScript:a()", Some("javascript"))]
    #[case("vbscript:a", Some("vbscript"))]
    // Invalid by the URL Standard, as its host has a space.
    #[case("javascript://a b/%0aa()", Some("javascript"))]
    #[case("data:image/png;base64,AA", None)]
    #[case("data:text/html,a", Some("data"))]
    fn addresses_that_run_are_found(#[case] address: &str, #[case] scheme: Option<&str>) {
        assert_eq!(unsafe_scheme(address), scheme);
    }

    #[test]
    fn paths_that_differ_in_case_are_found_in_pairs() {
        let mut outputs = Outputs::default();
        for (number, file) in ["a/B", "c", "A/b", "É", "a/b", "é"].into_iter().enumerate() {
            assert_eq!(outputs.claim(&path(file), number), Ok(()));
        }
        assert_eq!(outputs.differing_in_case(), [(0, 2), (0, 4), (3, 5)]);
    }

    #[test]
    fn a_file_is_taken_once() {
        let mut outputs = Outputs::default();
        assert_eq!(outputs.claim(&path("x.html"), 0), Ok(()));
        assert_eq!(outputs.claim(&path("y.html"), 1), Ok(()));
        assert_eq!(outputs.claim(&path("x.html"), 2), Err(0));
    }

    #[test]
    fn a_file_and_a_folder_of_one_name_collide() {
        let mut outputs = Outputs::default();
        assert_eq!(outputs.claim(&path("x.html/y/index.html"), 0), Ok(()));
        assert_eq!(outputs.claim(&path("x.html"), 1), Ok(()));
        let found: Vec<_> = outputs.files_and_folders().collect();
        assert_eq!(found, [("x.html", 1, 0)]);
    }
}
