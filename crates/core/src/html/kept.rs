//! HTML that is made when it is asked for, with what is kept of its text.

use std::borrow::Cow;
use std::fmt;
use std::sync::{Arc, OnceLock};

use crate::language::fold_accents;

/// Some HTML that is at hand, or that is made each time it is asked for, with what is kept of its text.
#[derive(Clone)]
pub struct Html {
    kind: Kind,
    words: OnceLock<usize>,
    text: OnceLock<Box<str>>,
    folded_text: OnceLock<Box<str>>,
}

#[derive(Clone)]
enum Kind {
    Here(String),
    Made(Arc<dyn Fn() -> String + Send + Sync>),
}

impl Html {
    /// HTML that `maker` makes each time it is asked for, so that it need not be kept.
    pub fn made(maker: impl Fn() -> String + Send + Sync + 'static) -> Self {
        Kind::Made(Arc::new(maker)).into()
    }

    /// The HTML.
    #[must_use]
    pub fn get(&self) -> Cow<'_, str> {
        match &self.kind {
            Kind::Here(text) => text.into(),
            Kind::Made(maker) => maker().into(),
        }
    }

    /// Returns its text; see [`text`](super::text).
    #[must_use]
    pub fn text(&self) -> String {
        super::text(&self.get())
    }

    /// Returns its text, and keeps it.
    #[must_use]
    pub fn kept_text(&self) -> &str {
        self.text.get_or_init(|| self.text().into())
    }

    /// Returns its text without regard to case and accents, and keeps that.
    #[must_use]
    pub fn folded_text(&self) -> &str {
        let fold = || fold_accents(&self.known_text()).into();
        self.folded_text.get_or_init(fold)
    }

    /// Returns the number of words of its text, which is counted once: runs between white space that have a letter or
    /// digit.
    #[must_use]
    pub fn words(&self) -> usize {
        *self.words.get_or_init(|| {
            let text = self.known_text();
            let words = text.split_whitespace();
            words
                .filter(|word| word.contains(char::is_alphanumeric))
                .count()
        })
    }

    /// Returns the kept text, or makes it without keeping it.
    fn known_text(&self) -> Cow<'_, str> {
        match self.text.get() {
            Some(text) => (&**text).into(),
            None => self.text().into(),
        }
    }

    /// Returns the number of bytes of HTML that are kept.
    #[must_use]
    pub fn kept(&self) -> usize {
        match &self.kind {
            Kind::Here(text) => text.len(),
            Kind::Made(_) => 0,
        }
    }
}

impl Default for Html {
    fn default() -> Self {
        String::new().into()
    }
}

impl From<String> for Html {
    fn from(text: String) -> Self {
        Kind::Here(text).into()
    }
}

impl From<Kind> for Html {
    fn from(kind: Kind) -> Self {
        Self {
            kind,
            words: OnceLock::new(),
            text: OnceLock::new(),
            folded_text: OnceLock::new(),
        }
    }
}

impl fmt::Debug for Html {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            Kind::Here(text) => f.debug_tuple("Html").field(text).finish(),
            Kind::Made(_) => f.write_str("Html(made)"),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::counted_html;
    use std::sync::atomic::Ordering;

    #[test]
    fn a_kept_text_is_made_once() {
        let (html, made) = counted_html("<p>Café &amp; <b>Über</b> — 12</p>");
        assert_eq!(html.text(), html.kept_text());
        assert_eq!(html.kept_text(), "Café & Über — 12");
        assert_eq!(html.folded_text(), "cafe & uber — 12");
        assert_eq!(html.words(), 3);
        assert_eq!(html.folded_text(), "cafe & uber — 12");
        assert_eq!(made.load(Ordering::Relaxed), 2);
    }

    #[test]
    fn a_folded_text_keeps_no_other() {
        let (html, made) = counted_html("<p>LIME</p>");
        assert_eq!((html.folded_text(), html.words()), ("lime", 1));
        assert_eq!((html.folded_text(), html.words()), ("lime", 1));
        assert_eq!(made.load(Ordering::Relaxed), 2);
    }
}
