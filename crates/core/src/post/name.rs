//! The title, slug and date in the name of a post's file.

use crate::id::LocaleId;
use crate::settings::{ContentSet, Locales};

/// The parts of a file's path: `posts/walks/2026-03-14-the-long-walk.md` or `…/index.md` in a folder
/// of that name.
#[derive(Debug, Clone)]
pub(super) struct FileName {
    /// The folder below the set's.
    pub(super) folder: String,
    /// The name without date and ending.
    pub(super) name: String,
    /// The date before its name.
    pub(super) date: Option<String>,
    /// The language before its ending, as in `lime.de.md`.
    pub(super) locale: Option<LocaleId>,
    /// The path without language and ending, the same for all translations that lie side by side.
    pub(super) untranslated: String,
}

impl FileName {
    pub(super) fn of(path: &str, set: &ContentSet, locales: &Locales) -> Self {
        let below = path
            .strip_prefix(&set.folder)
            .unwrap_or(path)
            .trim_start_matches('/');
        let (folder, file) = below.rsplit_once('/').unwrap_or(("", below));
        let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
        let (stem, locale) = locales.split_suffix(stem);
        let (folder, whole) = match (stem, folder) {
            ("index", "") => ("", stem),
            ("index", inside) => inside.rsplit_once('/').unwrap_or(("", inside)),
            _ => (folder, stem),
        };
        let (date, name) = match cut_date(whole) {
            Some((date, name)) => (Some(date.to_owned()), name),
            None => (None, whole),
        };
        Self {
            folder: folder.to_owned(),
            name: name.to_owned(),
            date,
            locale,
            untranslated: [&path[..path.len() - file.len()], stem].concat(),
        }
    }

    pub(super) fn dated(&self) -> bool {
        self.date.is_some()
    }
}

/// The date of a path's file, or of the folder of its `index` file.
pub(super) fn date_of(path: &str) -> Option<&str> {
    let mut steps = path.rsplit('/');
    let file = steps.next()?;
    // A language before the ending may follow `index`.
    let is_index = file.split('.').next() == Some("index");
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    let whole = if is_index { steps.next()? } else { stem };
    Some(cut_date(whole)?.0)
}

/// A date and the rest of the name.
fn cut_date(whole: &str) -> Option<(&str, &str)> {
    let (date, name) = whole.split_at_checked(11)?;
    (is_date_prefix(date) && !name.is_empty()).then(|| (&date[..10], name))
}

fn is_date_prefix(text: &str) -> bool {
    text.bytes().enumerate().all(|(at, byte)| match at {
        4 | 7 | 10 => byte == b'-',
        _ => byte.is_ascii_digit(),
    })
}
