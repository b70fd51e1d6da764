//! Terms: when two spellings are one term, and the slug of a term or name.

use std::collections::BTreeMap;

use icu_properties::CodePointMapData;
use icu_properties::props::{GeneralCategory, GeneralCategoryGroup, Script};
use unicode_normalization::UnicodeNormalization;

use crate::diagnostic::{Code, Diagnostic, Help};
pub use crate::id::TermId;
use crate::id::{LocaleId, PostId};
use crate::language::fold;
use crate::source::{Location, Source, Spanned};

/// One value of a field that posts share.
#[derive(Debug, Clone)]
pub struct Term {
    /// The name as shown.
    pub name: String,
    /// The part of an address; of a nested term, the path.
    pub slug: String,
    /// The identity that its spellings share.
    pub identity: String,
    /// The spellings in use among listed posts, commonest first, with their counts.
    pub spellings: Vec<(String, usize)>,
    /// The listed posts that have it (or a term below it), in the default order.
    pub posts: Vec<PostId>,
    /// The term above it, where terms are nested.
    pub parent: Option<TermId>,
    /// The text of its note, as HTML.
    pub about: Option<String>,
    /// Names, slugs and notes in languages other than that of `[site]`.
    pub local: BTreeMap<LocaleId, LocalTerm>,
    /// A place where it is written, for messages: of the first post that has it.
    pub written: Option<(Source, Spanned<String>)>,
}

/// A term in a language other than that of `[site]`, as its notes have it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LocalTerm {
    /// The name, if it differs.
    pub name: Option<String>,
    /// The part of an address, if it differs.
    pub slug: Option<String>,
    /// The text of its note, as HTML.
    pub about: Option<String>,
}

impl Term {
    /// Returns the name in a language.
    #[must_use]
    pub fn name_in(&self, locale: LocaleId) -> &str {
        let local = self.local.get(&locale);
        local
            .and_then(|local| local.name.as_deref())
            .unwrap_or(&self.name)
    }

    /// Returns the part of an address in a language.
    #[must_use]
    pub fn slug_in(&self, locale: LocaleId) -> &str {
        let local = self.local.get(&locale);
        local
            .and_then(|local| local.slug.as_deref())
            .unwrap_or(&self.slug)
    }

    /// Returns the text of the note in a language, as HTML; `None` if the term has no note in it.
    #[must_use]
    pub fn about_in(&self, locale: LocaleId) -> Option<&str> {
        match locale {
            LocaleId::SITE => self.about.as_deref(),
            _ => self.local.get(&locale)?.about.as_deref(),
        }
    }
}

/// Returns the identity of a term, which all its spellings share: NFKC, case folded, and each run of white
/// space, `-` and `_` as one separator.
#[must_use]
pub fn identity(text: &str) -> String {
    let text = text.trim();
    if text.is_ascii() {
        return join_separators(&text.to_ascii_lowercase());
    }
    let normal: String = text.nfkc().collect();
    let folded: String = fold(&normal).nfkc().collect();
    join_separators(&folded)
}

fn join_separators(folded: &str) -> String {
    let mut identity = String::with_capacity(folded.len());
    let mut open = false;
    for c in folded.chars() {
        let separates = c.is_whitespace() || c == '-' || c == '_';
        match (separates, open) {
            (true, false) => identity.push(' '),
            (false, _) => identity.push(c),
            (true, true) => {}
        }
        open = separates;
    }
    identity
}

/// The identity of a nested term, part by part: `Waterway / Locks` is `waterway/locks`.
#[must_use]
pub fn nested_identity(text: &str) -> String {
    parts(text).map(identity).collect::<Vec<_>>().join("/")
}

/// The slug of a nested term: the slugs of its parts, parted by `/`.
#[must_use]
pub fn nested_slug(text: &str) -> String {
    parts(text).map(slug).collect::<Vec<_>>().join("/")
}

/// The parts of a nested term that are not empty.
pub fn parts(text: &str) -> impl Iterator<Item = &str> {
    text.split('/')
        .map(str::trim)
        .filter(|part| !part.is_empty())
}

/// Returns a name as a part of an address: lower case; Latin letters folded to ASCII; letters, marks
/// and digits of other scripts kept (NFC); `+ # & @ %` that touch a letter or digit in words;
/// everything else one `-`. Empty when nothing is left.
#[must_use]
pub fn slug(text: &str) -> String {
    if let Some(slug) = slug_ascii(text) {
        return slug;
    }
    slug_general(text)
}

/// [`slug`] for text of ASCII letters, digits and marks without a sign that is spelt out.
fn slug_ascii(text: &str) -> Option<String> {
    if !text.is_ascii() || text.contains(|c| sign_word(c).is_some()) {
        return None;
    }
    let mut slug = String::with_capacity(text.len());
    for byte in text.bytes() {
        if byte.is_ascii_alphanumeric() {
            slug.push(char::from(byte.to_ascii_lowercase()));
        } else if !slug.is_empty() && !slug.ends_with('-') {
            slug.push('-');
        }
    }
    slug.truncate(slug.trim_end_matches('-').len());
    Some(slug)
}

fn slug_general(text: &str) -> String {
    let normal: Vec<char> = text.trim().nfkc().collect();
    let mut words = String::with_capacity(text.len());
    let mut at = 0;
    while at < normal.len() {
        let c = normal[at];
        if sign_word(c).is_some() {
            let end = at
                + normal[at..]
                    .iter()
                    .take_while(|c| sign_word(**c).is_some())
                    .count();
            spell_signs(&normal, at, end, &mut words);
            at = end;
            continue;
        }
        if is_word(c) {
            words.push(c)
        } else {
            words.push('-')
        }
        at += 1;
    }
    let plain: String = words.nfc().map(ascii_of_latin).collect();
    let mut slug = String::with_capacity(plain.len());
    for c in plain.to_lowercase().nfc() {
        let kept = is_word(c);
        if kept {
            slug.push(c);
        } else if !slug.is_empty() && !slug.ends_with('-') {
            slug.push('-');
        }
    }
    slug.truncate(slug.trim_end_matches('-').len());
    slug
}

/// Returns true if a written slug has only letters, digits, marks and `- _ . ~`, and is no step
/// (`.`, `..`) through folders. Returns the first character that it may not hold.
pub fn slug_error(written: &str) -> Option<char> {
    if written == "." || written == ".." {
        return Some('.');
    }
    written
        .chars()
        .find(|c| !is_word(*c) && !matches!(c, '-' | '_' | '.' | '~'))
}

/// The diagnostic of a written slug at its location, where it is unfit, with a better one if there is any.
pub(crate) fn unfit_slug(written: &str, location: Location) -> Option<Diagnostic> {
    let bad = slug_error(written)?;
    let message = format!("the slug \"{written}\" has `{bad}`, which is not allowed");
    let holds = "a slug has only letters, digits, marks and `-` `_` `.` `~`";
    let better = slug(written);
    Some(
        Diagnostic::error(Code::InvalidSlug, location, message).help(match better.is_empty() {
            true => holds.into(),
            false => Help::instead(format!("{holds}; write \"{better}\""), better),
        }),
    )
}

fn sign_word(c: char) -> Option<&'static str> {
    match c {
        '+' => Some("plus"),
        '#' => Some("sharp"),
        '&' => Some("and"),
        '@' => Some("at"),
        '%' => Some("percent"),
        _ => None,
    }
}

/// Spells out the signs from `at` up to `end`, if their run touches a letter or digit.
fn spell_signs(text: &[char], at: usize, end: usize, words: &mut String) {
    let before = at.checked_sub(1).map(|i| text[i]);
    let after = text.get(end).copied();
    let touches = before.is_some_and(is_word) || after.is_some_and(is_word);
    let run = &text[at..end];
    let blank = |c: Option<char>| c.is_some_and(char::is_whitespace);
    if run == ['&'] && blank(before) && blank(after) {
        words.push_str("-and-");
        return;
    }
    let run = if before.is_none() && run[0] == '#' {
        &run[1..]
    } else {
        run
    };
    for sign in run {
        words.push('-');
        if touches {
            words.push_str(sign_word(*sign).unwrap_or_default());
        }
        words.push('-');
    }
}

fn is_word(c: char) -> bool {
    if c.is_ascii() {
        return c.is_ascii_alphanumeric();
    }
    let category = CodePointMapData::<GeneralCategory>::new().get(c);
    c.is_alphanumeric() || GeneralCategoryGroup::Mark.contains(category)
}

fn ascii_of_latin(c: char) -> String {
    let latin = !c.is_ascii() && CodePointMapData::<Script>::new().get(c) == Script::Latin;
    let folded = if latin {
        any_ascii::any_ascii_char(c)
    } else {
        ""
    };
    if folded.is_empty() || !folded.bytes().all(|b| b.is_ascii_alphanumeric()) {
        return c.to_string();
    }
    folded.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::case("Lime", "lime")]
    #[case::separators("work_party", "Work  -  party")]
    #[case::outer_space("  lime ", "lime")]
    #[case::width("Ｌｉｍｅ", "lime")]
    #[case::sharp_s("Straße", "STRASSE")]
    #[case::composed("caf\u{e9}", "cafe\u{301}")]
    fn two_spellings_are_one_term(#[case] a: &str, #[case] b: &str) {
        assert_eq!(identity(a), identity(b));
    }

    #[rstest]
    #[case::accents("cafe", "café")]
    #[case::plural("lock", "locks")]
    #[case::joined("workparty", "work party")]
    #[case::signs("c", "c++")]
    fn two_spellings_are_two_terms(#[case] a: &str, #[case] b: &str) {
        assert_ne!(identity(a), identity(b));
    }

    #[rstest]
    #[case::plain("Work parties", "work-parties")]
    #[case::plus("C++", "c-plus-plus")]
    #[case::sharp("C#", "c-sharp")]
    #[case::hash_at_start("#rust", "rust")]
    #[case::and_touching("R&D", "r-and-d")]
    #[case::and_between_spaces("Locks & Boats", "locks-and-boats")]
    #[case::at_touching("@home", "at-home")]
    #[case::at_alone("a @ b", "a-b")]
    #[case::percent("100%", "100-percent")]
    #[case::dot("F.Net", "f-net")]
    #[case::only_plus("++", "")]
    #[case::latin("Größe Ærø Łódź", "grosse-aero-lodz")]
    #[case::capital_sharp_s("STRAẞE", "strasse")]
    #[case::decomposed("Cafe\u{301}", "cafe")]
    #[case::vietnamese("Tiếng Việt", "tieng-viet")]
    #[case::greek("Διώρυγα", "διώρυγα")]
    #[case::japanese("運河 2026", "運河-2026")]
    #[case::hindi_marks("हिन्दी", "हिन्दी")]
    #[case::apostrophe("Keeper's cottage", "keeper-s-cottage")]
    #[case::slash("a/b", "a-b")]
    #[case::outer("  -- x -- ", "x")]
    #[case::emoji("🚤", "")]
    #[case::ligature("ﬁsh", "fish")]
    fn a_slug_by_the_rules(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(slug(text), expected);
    }

    #[rstest]
    #[case("  Work -- parties ")]
    #[case("a/b.c_d")]
    #[case("--")]
    #[case("")]
    fn the_fast_slug_is_the_general_one(#[case] text: &str) {
        assert_eq!(slug_ascii(text), Some(slug_general(text)));
    }

    #[rstest]
    #[case::fine("lime-mortar_2.0~", None)]
    #[case::other_script("größe", None)]
    #[case::slash("a/b", Some('/'))]
    #[case::space("a b", Some(' '))]
    #[case::parent("..", Some('.'))]
    fn a_written_slug_is_checked(#[case] written: &str, #[case] diagnostic: Option<char>) {
        assert_eq!(slug_error(written), diagnostic);
    }

    #[test]
    fn a_nested_term_is_its_path() {
        assert_eq!(nested_slug("Waterway / Top Locks"), "waterway/top-locks");
        assert_eq!(nested_identity("Waterway/Top-Locks"), "waterway/top locks");
    }
}
