//! Languages: order of texts, folding, dates in words.

mod tags;

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;

use icu_casemap::CaseMapper;
use icu_collator::options::CollatorOptions;
use icu_collator::{CollatorBorrowed, CollatorPreferences};
use icu_datetime::DateTimeFormatter;
use icu_datetime::fieldsets::{E, M, YM, YMD};
use icu_datetime::input::Date as IcuDate;
use icu_locale_core::Locale;
use icu_plurals::PluralRules;
use jiff::civil::{Date, DateTime};
use jiff::fmt::strtime;
use jiff::tz::TimeZone;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

use crate::time::WrittenDate;

#[cfg(test)]
pub(crate) use self::tags::LANGUAGES;
pub(crate) use self::tags::check as check_tag;
pub use self::tags::language_name;

/// The category of a number by the plural rules of a language (CLDR).
pub use icu_plurals::PluralCategory as Plural;

/// The style of a date in words.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum DateStyle {
    /// "14 March 2026"
    #[default]
    Long,
    /// "14 Mar 2026"
    Medium,
    /// "14/03/2026"
    Short,
    /// A pattern of `strftime` (POSIX), for which [`check_pattern`] holds.
    Pattern(String),
}

/// A pattern by which no date can be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PatternError {
    /// The reason.
    pub why: String,
    /// The text to write instead.
    pub help: String,
}

impl fmt::Display for PatternError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.why, self.help)
    }
}

/// The case folding of a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub(crate) enum CaseFolding {
    /// Unicode's full case folding.
    #[default]
    General,
    /// With the mappings of Turkic languages (Unicode, `CaseFolding.txt`, status T): I is the capital of ı, and İ
    /// of i.
    Turkic,
}

impl CaseFolding {
    /// Returns the folding of a language (BCP 47).
    pub(crate) fn of(tag: &str) -> Self {
        let code = tag.split('-').next().unwrap_or_default();
        match ["tr", "az"]
            .iter()
            .any(|turkic| code.eq_ignore_ascii_case(turkic))
        {
            true => Self::Turkic,
            false => Self::General,
        }
    }

    /// Returns a text whose general folding is the folding of the language.
    pub(crate) fn prepare(self, text: &str) -> Cow<'_, str> {
        match self {
            Self::General => Cow::Borrowed(text),
            Self::Turkic => CaseMapper::new().fold_turkic_string(text),
        }
    }
}

/// A language with the data for it.
pub struct Language {
    tag: String,
    folding: CaseFolding,
    collator: CollatorBorrowed<'static>,
    plurals: PluralRules,
    long: DateTimeFormatter<YMD>,
    medium: DateTimeFormatter<YMD>,
    short: DateTimeFormatter<YMD>,
    month: DateTimeFormatter<YM>,
    month_alone: DateTimeFormatter<M>,
    month_brief: DateTimeFormatter<M>,
    weekday: DateTimeFormatter<E>,
    weekday_brief: DateTimeFormatter<E>,
}

impl fmt::Debug for Language {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Language").field(&self.tag).finish()
    }
}

impl Language {
    /// The language of a BCP 47 tag; `None` if the tag is not well formed. A language that the
    /// data does not know falls back to the root collation and plain dates. Bare `en` writes
    /// its dates as British English does, day first.
    #[must_use]
    pub fn new(tag: &str) -> Option<Self> {
        let locale: Locale = tag.parse().ok()?;
        let dates: Locale = match tag {
            "en" => "en-GB".parse().ok()?,
            _ => locale.clone(),
        };
        let format = |set: YMD| DateTimeFormatter::try_new((&dates).into(), set).ok();
        let names = |set: M| DateTimeFormatter::try_new((&dates).into(), set).ok();
        let weekdays = |set: E| DateTimeFormatter::try_new((&dates).into(), set).ok();
        Some(Self {
            tag: tag.to_owned(),
            folding: CaseFolding::of(tag),
            collator: icu_collator::Collator::try_new(
                CollatorPreferences::from(&locale),
                CollatorOptions::default(),
            )
            .ok()?,
            plurals: PluralRules::try_new_cardinal((&locale).into()).ok()?,
            long: format(YMD::long())?,
            medium: format(YMD::medium())?,
            short: format(YMD::short())?,
            month: DateTimeFormatter::try_new((&dates).into(), YM::long()).ok()?,
            month_alone: names(M::long())?,
            month_brief: names(M::medium())?,
            weekday: weekdays(E::long())?,
            weekday_brief: weekdays(E::medium())?,
        })
    }

    /// The tag as it was written.
    #[must_use]
    pub fn tag(&self) -> &str {
        &self.tag
    }

    /// The order of two texts: the language's collation (CLDR), texts that differ only in case
    /// being equal.
    #[must_use]
    pub fn compare(&self, a: &str, b: &str) -> Ordering {
        if same_folded(&self.folding.prepare(a), &self.folding.prepare(b)) {
            return Ordering::Equal;
        }
        self.sort(a, b)
    }

    /// Returns the case folding.
    pub(crate) fn folding(&self) -> CaseFolding {
        self.folding
    }

    /// The order of two texts in a list: the language's collation, to the last difference.
    #[must_use]
    pub fn sort(&self, a: &str, b: &str) -> Ordering {
        self.collator.compare(a, b)
    }

    /// Returns the plural category of a count: [`Plural::One`] for "1 post".
    #[must_use]
    pub fn plural(&self, count: usize) -> Plural {
        self.plurals.category_for(count)
    }

    /// Returns true if the language is written from right to left.
    #[must_use]
    pub fn is_right_to_left(&self) -> bool {
        tags::is_right_to_left(&self.tag)
    }

    /// A day in words.
    #[must_use]
    pub fn day(&self, day: Date, style: &DateStyle) -> String {
        let Some(date) = icu_date(day) else {
            return day.to_string();
        };
        match style {
            DateStyle::Long => self.long.format(&date).to_string(),
            DateStyle::Medium => self.medium.format(&date).to_string(),
            DateStyle::Short => self.short.format(&date).to_string(),
            DateStyle::Pattern(pattern) => {
                let written = self.pattern(day.at(0, 0, 0, 0), pattern);
                written.unwrap_or_else(|_| pattern.clone())
            }
        }
    }

    /// A month with its year in words: "March 2026".
    #[must_use]
    pub fn month(&self, day: Date) -> String {
        icu_date(day).map_or_else(
            || day.strftime("%Y-%m").to_string(),
            |date| self.month.format(&date).to_string(),
        )
    }

    /// A month's name alone: "March", or "Mar" where `brief`.
    #[must_use]
    pub fn month_name(&self, day: Date, brief: bool) -> String {
        let names = if brief {
            &self.month_brief
        } else {
            &self.month_alone
        };
        icu_date(day).map_or_else(
            || day.strftime("%m").to_string(),
            |date| names.format(&date).to_string(),
        )
    }

    /// A weekday's name: "Saturday", or "Sat" where `brief`.
    fn weekday_name(&self, day: Date, brief: bool) -> String {
        let names = if brief {
            &self.weekday_brief
        } else {
            &self.weekday
        };
        let plain = || day.strftime("%A").to_string();
        icu_date(day).map_or_else(plain, |date| names.format(&date).to_string())
    }

    /// A date and time of day by a pattern of `strftime` (POSIX); names of months and weekdays
    /// are in the site's language.
    ///
    /// # Errors
    /// If the pattern is not one of a date.
    pub fn pattern(&self, at: DateTime, pattern: &str) -> Result<String, PatternError> {
        has_conversion(pattern)?;
        let escaped = |name: String| name.replace('%', "%%");
        let mut ready = String::with_capacity(pattern.len());
        let mut chars = pattern.chars();
        while let Some(c) = chars.next() {
            if c != '%' {
                ready.push(c);
                continue;
            }
            match chars.next() {
                Some('B') => ready.push_str(&escaped(self.month_name(at.date(), false))),
                Some('b' | 'h') => ready.push_str(&escaped(self.month_name(at.date(), true))),
                Some('A') => ready.push_str(&escaped(self.weekday_name(at.date(), false))),
                Some('a') => ready.push_str(&escaped(self.weekday_name(at.date(), true))),
                other => ready.extend(std::iter::once('%').chain(other)),
            }
        }
        by_pattern(at, &ready)
    }
}

/// Letters of date patterns in other languages, the longest first, with those of `strftime`.
const OTHER_PATTERNS: [(&str, &str); 18] = [
    ("YYYY", "%Y"),
    ("yyyy", "%Y"),
    ("YY", "%y"),
    ("yy", "%y"),
    ("MMMM", "%B"),
    ("MMM", "%b"),
    ("MM", "%m"),
    ("M", "%-m"),
    ("DD", "%d"),
    ("dddd", "%A"),
    ("ddd", "%a"),
    ("dd", "%d"),
    ("D", "%-d"),
    ("d", "%-d"),
    ("HH", "%H"),
    ("mm", "%M"),
    ("ss", "%S"),
    ("Y", "%Y"),
];

/// Returns what to write instead of a date pattern without `%`.
fn instead_of_pattern(pattern: &str) -> String {
    let mut text = String::new();
    let mut rest = pattern;
    while let Some(c) = rest.chars().next() {
        match OTHER_PATTERNS
            .iter()
            .find(|(other, _)| rest.starts_with(other))
        {
            Some((other, own)) => {
                text.push_str(own);
                rest = &rest[other.len()..];
            }
            None if c.is_alphabetic() => {
                return "write `%Y` for the year, such as \"%-d %B %Y\", or one of \"long\", \"medium\", \"short\" and \"iso\"".to_owned();
            }
            None => {
                text.push(c);
                rest = &rest[c.len_utf8()..];
            }
        }
    }
    match text.contains('%') {
        true => format!("write \"{text}\""),
        false => "write `%Y` for the year, such as \"%-d %B %Y\"".to_owned(),
    }
}

/// Checks that dates can be written by a pattern of `strftime` (POSIX).
///
/// # Errors
/// If they cannot.
pub fn check_pattern(pattern: &str) -> Result<(), PatternError> {
    has_conversion(pattern)?;
    by_pattern(DateTime::constant(2026, 3, 14, 9, 0, 0, 0), pattern).map(drop)
}

/// Checks a pattern of `strptime` (POSIX) by which dates are read.
///
/// # Errors
/// If it has an invalid part, or lacks a part of the day.
pub fn check_date_format(pattern: &str) -> Result<(), PatternError> {
    has_conversion(pattern)?;
    // A day whose parts differ from each other.
    let at = DateTime::constant(2026, 11, 23, 17, 45, 38, 0);
    let zoned = TimeZone::UTC.to_ambiguous_zoned_datetime(at).compatible();
    let written = zoned.and_then(|zoned| strtime::format(pattern, &zoned));
    let written = written.map_err(|_| wrong_conversion(at, pattern))?;
    let read = parse_by(pattern, &written);
    match read.is_some_and(|read| read.date == at.date()) {
        true => Ok(()),
        false => Err(PatternError {
            why: "it lacks day, month or year".to_owned(),
            help: "write day, month and year, such as \"%d.%m.%Y\"".to_owned(),
        }),
    }
}

/// Forms of dates that blogs often have, for helps.
const COMMON_FORMS: [&str; 8] = [
    "%d.%m.%Y",
    "%Y/%m/%d",
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%d-%m-%Y",
    "%B %d, %Y",
    "%b %d, %Y",
    "%d %B %Y",
];

/// Returns the first common form that a text has as a date.
#[must_use]
pub fn common_form(text: &str) -> Option<&'static str> {
    let mut forms = COMMON_FORMS.into_iter();
    forms.find(|form| parse_by(form, text.trim()).is_some())
}

/// Reads a date by a pattern of `strptime`; `None` if the text has another form, or there is no such day.
#[must_use]
pub fn parse_by(pattern: &str, text: &str) -> Option<WrittenDate> {
    let parsed = strtime::parse(pattern, text).ok()?;
    Some(WrittenDate {
        date: parsed.to_date().ok()?,
        time: parsed.hour().and_then(|_| parsed.to_time().ok()),
        offset: parsed.offset(),
    })
}

fn has_conversion(pattern: &str) -> Result<(), PatternError> {
    match pattern.contains('%') {
        true => Ok(()),
        false => Err(PatternError {
            why: "it has no `%`".to_owned(),
            help: instead_of_pattern(pattern),
        }),
    }
}

fn by_pattern(at: DateTime, pattern: &str) -> Result<String, PatternError> {
    strtime::format(pattern, at).map_err(|_| wrong_conversion(at, pattern))
}

/// Returns the error of the first invalid conversion of a pattern of `strftime`.
fn wrong_conversion(at: DateTime, pattern: &str) -> PatternError {
    let is_flag = |c: char| "-_^#.:".contains(c) || c.is_ascii_digit();
    let mut rest = pattern;
    while let Some(start) = rest.find('%') {
        let inside = &rest[start + 1..];
        let flags = inside.len() - inside.trim_start_matches(is_flag).len();
        let letter = inside[flags..].chars().next();
        let end = start + 1 + flags + letter.map_or(0, char::len_utf8);
        let conversion = &rest[start..end];
        if strtime::format(conversion, at).is_err() {
            return PatternError {
                why: format!("`{conversion}` is no part of a date"),
                help: "write `%Y`, `%B`, `%-d` or the like, or `%%` for a percent sign".to_owned(),
            };
        }
        rest = &rest[end..];
    }
    PatternError {
        why: "no date has such parts together".to_owned(),
        help: "write `%Y` for the year, such as \"%-d %B %Y\"".to_owned(),
    }
}

fn icu_date(day: Date) -> Option<IcuDate<icu_calendar::Iso>> {
    IcuDate::try_new_iso(
        i32::from(day.year()),
        day.month().unsigned_abs(),
        day.day().unsigned_abs(),
    )
    .ok()
}

/// `text` without regard to case (Unicode full case folding).
#[must_use]
pub fn fold(text: &str) -> Cow<'_, str> {
    if text.is_ascii() {
        return if text.bytes().any(|b| b.is_ascii_uppercase()) {
            Cow::Owned(text.to_ascii_lowercase())
        } else {
            Cow::Borrowed(text)
        };
    }
    CaseMapper::new().fold_string(text)
}

/// Returns true if two texts are equal without regard to case.
#[must_use]
pub fn same_folded(a: &str, b: &str) -> bool {
    if a.is_ascii() && b.is_ascii() {
        return a.eq_ignore_ascii_case(b);
    }
    fold(a) == fold(b)
}

/// `text` without regard to case and accents.
#[must_use]
pub fn fold_accents(text: &str) -> Cow<'_, str> {
    if text.is_ascii() {
        return fold(text);
    }
    let bare: String = text.nfd().filter(|c| !is_combining_mark(*c)).collect();
    Cow::Owned(fold(&bare).nfc().collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::english("en", "14 March 2026", "14 Mar 2026", "14/03/2026")]
    #[case::german("de", "14. März 2026", "14.03.2026", "14.03.26")]
    fn a_day_in_words_of_the_language(
        #[case] tag: &str,
        #[case] long: &str,
        #[case] medium: &str,
        #[case] short: &str,
    ) {
        let language = Language::new(tag).unwrap();
        let day = Date::constant(2026, 3, 14);
        assert_eq!(language.day(day, &DateStyle::Long), long);
        assert_eq!(language.day(day, &DateStyle::Medium), medium);
        assert_eq!(language.day(day, &DateStyle::Short), short);
    }

    #[rstest]
    #[case::english("en", "%-d %B %Y", "4 March 2026")]
    #[case::german("de", "%d. %B", "04. März")]
    #[case::percent("en", "100%% %Y", "100% 2026")]
    #[case::weekday("en", "%a, %A", "Wed, Wednesday")]
    #[case::weekday_in_german("de", "%A, %a", "Mittwoch, Mi")]
    #[case::time("en", "%H:%M", "09:05")]
    fn a_pattern_names_months_and_weekdays_in_the_language(
        #[case] tag: &str,
        #[case] pattern: &str,
        #[case] expected: &str,
    ) {
        let language = Language::new(tag).unwrap();
        let at = DateTime::constant(2026, 3, 4, 9, 5, 0, 0);
        assert_eq!(language.pattern(at, pattern).as_deref(), Ok(expected));
    }

    #[rstest]
    #[case::no_such_sign("%Y %!", "%!")]
    #[case::cut_off("100%% %Y %", "%")]
    #[case::cut_off_after_a_flag("%-d %-", "%-")]
    #[case::an_instant_is_needed("%s", "%s")]
    #[case::of_several_letters("%ä %B", "%ä")]
    fn a_pattern_that_is_none_is_refused(#[case] pattern: &str, #[case] wrong: &str) {
        let at = DateTime::constant(2026, 3, 4, 9, 5, 0, 0);
        let language = Language::new("en").unwrap();
        let why = format!("`{wrong}` is no part of a date: write `%Y`");
        for refused in [
            language.pattern(at, pattern).map(drop),
            check_pattern(pattern),
        ] {
            let found = refused.unwrap_err().to_string();
            assert!(found.starts_with(&why), "{found}");
        }
    }

    #[rstest]
    #[case::case("Lime", "lime", Ordering::Equal)]
    #[case::accent_after_plain("resume", "résumé", Ordering::Less)]
    #[case::accent_before_next_letter("Ökonom", "Pegel", Ordering::Less)]
    #[case::digits_as_characters("10", "9", Ordering::Less)]
    #[case::space_counts("ab c", "abc", Ordering::Less)]
    fn texts_compare_by_collation_without_case(
        #[case] a: &str,
        #[case] b: &str,
        #[case] expected: Ordering,
    ) {
        assert_eq!(Language::new("en").unwrap().compare(a, b), expected);
    }

    #[test]
    fn swedish_puts_ö_after_z() {
        assert_eq!(
            Language::new("sv").unwrap().compare("ö", "z"),
            Ordering::Greater
        );
        assert_eq!(
            Language::new("de").unwrap().compare("ö", "z"),
            Ordering::Less
        );
    }

    #[test]
    fn folding_knows_sharp_s_and_accents() {
        assert_eq!(fold("STRASSE"), fold("straße"));
        assert_eq!(fold_accents("Café"), "cafe");
    }
}
