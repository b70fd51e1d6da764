//! The words of texts, counted while posts are read: a text that is not in memory would have to be rendered again.

use std::collections::BTreeMap;

use tabulae_core::html;
use tabulae_core::id::{Counted, LocaleId};
use tabulae_core::settings::{Search, Settings};
use tabulae_core::similarity::looks_into_texts;
use tabulae_core::words::{Counting, KnownTexts, KnownWords, WordRule};

use super::cached::{Bytes, CachedPost, CachedWords, PreviousPosts};

/// Counts the words of texts, as far as the site needs them.
#[derive(Debug, Default)]
pub(super) struct CountingTexts {
    stems: Option<Counting>,
    folded: Option<Counting>,
}

impl CountingTexts {
    /// Counts stems if similarity weighs texts, and folded words if texts are searched.
    pub(super) fn new(settings: &Settings) -> Self {
        let rules = settings.locales.tags();
        let rules = rules.map(|tag| WordRule::Stems(tag.to_owned()));
        let mut related = settings.all_related();
        let needs_stems = related.any(looks_into_texts);
        let needs_folded = settings.site.search == Search::Full;
        Self {
            stems: needs_stems.then(|| Counting::new(rules.collect())),
            folded: needs_folded.then(|| Counting::new(vec![WordRule::Folded])),
        }
    }

    /// Counts the words of a text that is HTML.
    pub(super) fn count(&self, html: &str, locale: LocaleId) -> Counted {
        if self.stems.is_none() && self.folded.is_none() {
            return Counted::default();
        }
        let text = html::text(html);
        let stems = self.stems.as_ref();
        let folded = self.folded.as_ref();
        Counted {
            stems: stems.map(|counting| counting.count(&text, locale.at())),
            folded: folded.map(|counting| counting.count(&text, 0)),
        }
    }

    /// Returns the words that were counted, and those of posts whose files are as they were when their words were.
    pub(super) fn known(
        self,
        previous: Option<PreviousPosts<'_>>,
        cached: &BTreeMap<String, CachedPost>,
    ) -> KnownTexts {
        let known = |counting: Option<Counting>, words: Option<&[Box<str>]>, of: Counts| {
            let counts = cached
                .iter()
                .map(|(path, cached)| (path, of(&cached.words)));
            let counts = counts.filter(|(_, counts)| !counts.is_empty());
            let counts = counts.map(|(path, counts)| (path.clone(), counts.clone()));
            let counts: BTreeMap<String, Bytes> = counts.collect();
            KnownWords {
                counted: counting.unwrap_or_default(),
                stems: words.unwrap_or_default().to_vec(),
                of: words.map(|_| -> tabulae_core::words::CountsOf {
                    Box::new(move |post| postcard::from_bytes(counts.get(&post.path)?).ok())
                }),
            }
        };
        let vocabulary = previous.map(|previous| previous.vocabulary);
        let stems = vocabulary.map(|words| &*words.stems);
        let folded = vocabulary.map(|words| &*words.folded);
        KnownTexts {
            stems: known(self.stems, stems, |words| &words.stems),
            folded: known(self.folded, folded, |words| &words.folded),
        }
    }
}

/// Selects the counts by one of the rules.
type Counts = fn(&CachedWords) -> &Bytes;
