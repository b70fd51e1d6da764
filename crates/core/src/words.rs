//! The words of titles and texts: cut by Unicode's word boundaries (UAX 29), without regard to
//! case, without stop words, stemmed (Snowball) where the language has a stemmer.

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use indexmap::IndexSet;
use rust_stemmers::{Algorithm, Stemmer};
use rustc_hash::{FxBuildHasher, FxHashMap};
use unicode_segmentation::UnicodeSegmentation;

use crate::id::number;
use crate::language::fold;
use crate::parallel;
use crate::post::Post;

/// The words of one text of every post.
#[derive(Debug, Default)]
pub struct WordTable {
    stems: IndexSet<Box<str>, FxBuildHasher>,
    /// How often each post has which stem.
    pub counts: Arc<Counts>,
}

/// What posts have, by number, and how often; within a post the numbers rise.
#[derive(Debug)]
pub struct Counts {
    /// Where each post's entries begin, and where the last's end.
    starts: Vec<u32>,
    numbers: Vec<u32>,
    /// How often, as far as a byte can tell: most of a search's time is reading these.
    small: Vec<u8>,
    /// The counts of entries of which [`MANY`] is told, by their places, which rise.
    many: Vec<(u32, u32)>,
}

/// So often or more often.
pub(crate) const MANY: u8 = u8::MAX;

/// What one post has, by number, and how often; the numbers rise.
#[derive(Debug, Clone, Copy)]
pub struct Counted<'a> {
    /// The numbers.
    pub numbers: &'a [u32],
    /// How often it has each, or [`MANY`].
    pub(crate) small: &'a [u8],
    start: u32,
    many: &'a [(u32, u32)],
}

impl Default for Counts {
    fn default() -> Self {
        Self {
            starts: vec![0],
            numbers: Vec::new(),
            small: Vec::new(),
            many: Vec::new(),
        }
    }
}

impl Counts {
    /// Makes room for so many entries.
    fn reserve(&mut self, entries: usize) {
        self.numbers.reserve(entries);
        self.small.reserve(entries);
    }

    /// Adds the entries of the next post; they rise.
    pub fn push(&mut self, entries: impl IntoIterator<Item = (u32, u32)>) {
        for (entry, count) in entries {
            let small = u8::try_from(count).unwrap_or(MANY);
            if small == MANY {
                self.many.push((number(self.numbers.len()), count));
            }
            self.numbers.push(entry);
            self.small.push(small);
        }
        self.starts.push(number(self.numbers.len()));
    }

    /// The entries of a post.
    #[must_use]
    pub fn of(&self, post: usize) -> Counted<'_> {
        let (start, end) = (self.starts[post], self.starts[post + 1]);
        let entries = start as usize..end as usize;
        Counted {
            numbers: &self.numbers[entries.clone()],
            small: &self.small[entries],
            start,
            many: &self.many,
        }
    }

    /// One more than the highest number.
    #[must_use]
    pub fn kinds(&self) -> usize {
        let highest = self.numbers.iter().max();
        highest.map_or(0, |number| *number as usize + 1)
    }
}

impl<'a> Counted<'a> {
    /// The numbers with the counts.
    pub fn iter(self) -> impl Iterator<Item = (u32, u32)> + use<'a> {
        let numbers = self.numbers.iter().enumerate();
        numbers.map(move |(at, number)| (*number, self.count(at)))
    }

    /// How often the post has the entry at `at`.
    #[must_use]
    pub fn count(self, at: usize) -> u32 {
        match self.small[at] {
            MANY => {
                let entry = self.start + number(at);
                let known = self.many.binary_search_by_key(&entry, |(entry, _)| *entry);
                known.map_or(u32::from(MANY), |known| self.many[known].1)
            }
            small => u32::from(small),
        }
    }
}

/// The words of titles and of texts.
#[derive(Debug, Default)]
pub struct WordTables {
    /// Of the titles.
    pub title: WordTable,
    /// Of the texts.
    pub body: WordTable,
}

/// What is known of the words of texts that were counted before.
#[derive(Default)]
pub struct KnownWords {
    /// The stems, by number.
    pub stems: Vec<Box<str>>,
    /// How often a post's text has which stem; `None` where it is not known.
    pub of: Option<CountsOf>,
}

/// Gives how often a post's text has which stem, by the number of the stem.
pub type CountsOf = Box<dyn Fn(&Post) -> Option<Vec<(u32, u32)>> + Send + Sync>;

impl fmt::Debug for KnownWords {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "KnownWords of {} stems", self.stems.len())
    }
}

impl WordTables {
    /// Counts the words of all posts, in parallel, those aside that are known. Stems are numbered
    /// by how many posts have them, the commonest first, so that what is looked up most lies
    /// side by side; of equals by their alphabet, so that the numbers depend on nothing else.
    #[must_use]
    pub fn new(posts: &[Post], language: &str, known: &KnownWords) -> Self {
        let title = |post: &Post, counter: &mut Counter| counter.count(&post.title);
        let body =
            |post: &Post, counter: &mut Counter| match known.of.as_ref().and_then(|of| of(post)) {
                Some(counts) => counter.take(&counts, &known.stems),
                None => counter.count(&crate::html::text(&post.html.get())),
            };
        Self {
            title: WordTable::new(posts, language, title),
            body: WordTable::new(posts, language, body),
        }
    }
}

impl WordTable {
    fn new(posts: &[Post], language: &str, count: impl Fn(&Post, &mut Counter) + Sync) -> Self {
        let chunks: Vec<Counter> = parallel::parts(posts, |part| {
            let mut counter = Counter::new(language);
            part.iter().for_each(|post| count(post, &mut counter));
            counter
        });
        let stems = in_order(&chunks);
        let renumbered: Vec<Counter> = parallel::each(chunks, |chunk| {
            let own = chunk.stems.iter();
            let numbers = own.map(|stem| stems.get_index_of(stem).map_or(STOP, number));
            let numbers: Vec<u32> = numbers.collect();
            chunk.renumbered(&numbers)
        });
        let mut counts = Counts::default();
        counts.reserve(renumbered.iter().map(|chunk| chunk.words.len()).sum());
        for chunk in renumbered {
            let mut start = 0;
            for end in chunk.ends {
                counts.push(chunk.words[start..end as usize].iter().copied());
                start = end as usize;
            }
        }
        Self {
            stems,
            counts: Arc::new(counts),
        }
    }

    /// The stem of this number.
    #[must_use]
    pub fn stem(&self, number: u32) -> &str {
        &self.stems[number as usize]
    }

    /// All stems, by number.
    pub fn stems(&self) -> impl Iterator<Item = &str> {
        self.stems.iter().map(|stem| &**stem)
    }
}

/// The stems of all chunks, those that most posts have first.
fn in_order(chunks: &[Counter]) -> IndexSet<Box<str>, FxBuildHasher> {
    let mut posts: FxHashMap<&str, u32> = FxHashMap::default();
    for chunk in chunks {
        let mut own = vec![0; chunk.stems.len()];
        chunk
            .words
            .iter()
            .for_each(|(stem, _)| own[*stem as usize] += 1);
        for (stem, count) in chunk.stems.iter().zip(own) {
            *posts.entry(stem).or_default() += count;
        }
    }
    let stems = posts.into_iter().filter(|(_, posts)| *posts > 0);
    let mut stems: Vec<(&str, u32)> = stems.collect();
    stems.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
    stems.into_iter().map(|(stem, _)| stem.into()).collect()
}

/// The number of the stem that stands for all stop words while they are counted.
const STOP: u32 = 0;

/// Counts the words of some posts.
struct Counter {
    cutter: Cutter,
    /// The number of the stem that a word as written stands for.
    known: FxHashMap<Box<str>, u32>,
    /// The same of words of at most eight bytes, which are most: to find them here takes but one
    /// look into memory.
    known_short: FxHashMap<u64, u32>,
    /// The first stands for all stop words.
    stems: IndexSet<Box<str>, FxBuildHasher>,
    /// The stems of the text at hand, word by word.
    text: Vec<u32>,
    /// The words of all posts, and where those of each end.
    words: Vec<(u32, u32)>,
    ends: Vec<u32>,
    /// How often the post at hand has each stem; all 0 between posts, but for the stop words.
    counts: Vec<u32>,
    /// The numbers here of the stems that were counted before, by theirs.
    taken: Vec<Option<u32>>,
}

/// The stemmer and stop words of a language.
pub(crate) struct Cutter {
    stemmer: Option<Stemmer>,
    stop: IndexSet<&'static str, FxBuildHasher>,
}

impl Counter {
    fn new(language: &str) -> Self {
        Self {
            cutter: Cutter::new(language),
            known: FxHashMap::default(),
            known_short: FxHashMap::default(),
            stems: IndexSet::from_iter(["".into()]),
            text: Vec::new(),
            words: Vec::new(),
            ends: Vec::new(),
            counts: vec![1],
            taken: Vec::new(),
        }
    }

    /// Takes over the counts of a post, by the numbers of `stems`.
    fn take(&mut self, counts: &[(u32, u32)], stems: &[Box<str>]) {
        self.taken.resize(stems.len(), None);
        for (stem, count) in counts {
            let own = match self.taken[*stem as usize] {
                Some(own) => own,
                None => {
                    let own = number(self.stems.insert_full(stems[*stem as usize].clone()).0);
                    self.taken[*stem as usize] = Some(own);
                    own
                }
            };
            self.words.push((own, *count));
        }
        self.counts.resize(self.stems.len(), 0);
        self.ends.push(number(self.words.len()));
    }

    fn count(&mut self, text: &str) {
        let mut stems = std::mem::take(&mut self.text);
        stems.clear();
        each_word(text, |word| stems.push(self.stem(text, word)));
        let start = self.words.len();
        let mut end = start;
        // Where a stem goes is not asked by a branch, which could not be foreseen. Stop words were
        // counted once before the first.
        self.words.resize(start + stems.len() + 1, (0, 0));
        for stem in &stems {
            let count = &mut self.counts[*stem as usize];
            self.words[end].0 = *stem;
            end += usize::from(*count == 0);
            *count += 1;
        }
        self.words.truncate(end);
        for (stem, count) in &mut self.words[start..] {
            *count = std::mem::take(&mut self.counts[*stem as usize]);
        }
        self.counts[STOP as usize] = 1;
        self.text = stems;
        self.ends.push(number(self.words.len()));
    }

    /// The number of the stem of a word in a text.
    fn stem(&mut self, text: &str, word: Range<usize>) -> u32 {
        let short = short(text.as_bytes(), &word);
        let word = &text[word];
        let known = match short {
            Some(short) => self.known_short.get(&short),
            None => self.known.get(word),
        };
        if let Some(known) = known {
            return *known;
        }
        let stem = self.cutter.stem(word).unwrap_or_default();
        let stem = number(self.stems.insert_full(stem.into()).0);
        self.counts.resize(self.stems.len(), 0);
        match short {
            Some(short) => self.known_short.insert(short, stem),
            None => self.known.insert(word.into(), stem),
        };
        stem
    }

    /// The same with other numbers for the stems; within a post they rise.
    fn renumbered(mut self, numbers: &[u32]) -> Self {
        for (stem, _) in &mut self.words {
            *stem = numbers[*stem as usize];
        }
        let mut start = 0;
        for end in &self.ends {
            self.words[start..*end as usize].sort_unstable();
            start = *end as usize;
        }
        self
    }
}

impl Cutter {
    pub(crate) fn new(language: &str) -> Self {
        let code = language
            .split('-')
            .next()
            .unwrap_or_default()
            .to_ascii_lowercase();
        Self {
            stemmer: algorithm(&code).map(Stemmer::create),
            stop: stop_words::lookup(&code)
                .into_iter()
                .flatten()
                .copied()
                .collect(),
        }
    }

    /// The stem of a word as it stands in a text; `None` for a stop word.
    fn stem(&self, word: &str) -> Option<String> {
        let plain = fold(word).replace('’', "'");
        if self.stop.contains(plain.as_str()) {
            return None;
        }
        Some(self.cut(plain)).filter(|stem| !stem.is_empty())
    }

    /// The stem of any word, a stop word too.
    pub(crate) fn stem_of_any(&self, word: &str) -> String {
        self.cut(fold(word).replace('’', "'"))
    }

    fn cut(&self, plain: String) -> String {
        match &self.stemmer {
            Some(stemmer) => stemmer.stem(&plain).into_owned(),
            None => plain,
        }
    }
}

fn algorithm(code: &str) -> Option<Algorithm> {
    Some(match code {
        "ar" => Algorithm::Arabic,
        "da" => Algorithm::Danish,
        "nl" => Algorithm::Dutch,
        "en" => Algorithm::English,
        "fi" => Algorithm::Finnish,
        "fr" => Algorithm::French,
        "de" => Algorithm::German,
        "el" => Algorithm::Greek,
        "hu" => Algorithm::Hungarian,
        "it" => Algorithm::Italian,
        "no" | "nb" | "nn" => Algorithm::Norwegian,
        "pt" => Algorithm::Portuguese,
        "ro" => Algorithm::Romanian,
        "ru" => Algorithm::Russian,
        "es" => Algorithm::Spanish,
        "sv" => Algorithm::Swedish,
        "ta" => Algorithm::Tamil,
        "tr" => Algorithm::Turkish,
        _ => return None,
    })
}

/// A word of a text as a number, where it has at most eight bytes; no word has a byte 0.
fn short(text: &[u8], word: &Range<usize>) -> Option<u64> {
    let length = word.len();
    if length > 8 {
        return None;
    }
    let mut bytes = [0; 8];
    match text[word.start..].first_chunk() {
        Some(eight) => bytes = *eight,
        None => bytes[..length].copy_from_slice(&text[word.clone()]),
    }
    let other = 64 - 8 * u32::try_from(length).ok()?;
    u64::from_le_bytes(bytes).checked_shl(other)
}

/// What a byte can be in a text that is cut into words.
#[derive(Clone, Copy, PartialEq)]
enum Kind {
    White,
    Sign,
    Letter,
    /// Left to the rules of Unicode; `_` too, which joins words.
    Other,
}

/// What each byte is.
static KINDS: [Kind; 256] = {
    let mut kinds = [Kind::Other; 256];
    let mut byte: u8 = 0;
    while byte.is_ascii() {
        kinds[byte as usize] = if byte.is_ascii_whitespace() {
            Kind::White
        } else if byte.is_ascii_alphanumeric() {
            Kind::Letter
        } else if byte.is_ascii_punctuation() && byte != b'_' {
            Kind::Sign
        } else {
            Kind::Other
        };
        byte += 1;
    }
    kinds
};

/// Hands on where each word is. ASCII letters and digits with signs only around them, which is
/// most of a text, are one word without further looking.
fn each_word(text: &str, mut see: impl FnMut(Range<usize>)) {
    let bytes = text.as_bytes();
    let end_of = |mut at: usize, kind: Kind| {
        while bytes
            .get(at)
            .is_some_and(|byte| KINDS[usize::from(*byte)] == kind)
        {
            at += 1;
        }
        at
    };
    let mut at = end_of(0, Kind::White);
    while at < bytes.len() {
        let start = end_of(at, Kind::Sign);
        let end = end_of(start, Kind::Letter);
        let after = end_of(end, Kind::Sign);
        let next = end_of(after, Kind::White);
        if next > after || next == bytes.len() {
            if end > start {
                see(start..end);
            }
            at = next;
            continue;
        }
        let rest = text[at..].split_ascii_whitespace().next();
        let piece = rest.unwrap_or_default();
        for (start, word) in piece.unicode_word_indices() {
            see(at + start..at + start + word.len());
        }
        at = end_of(at + piece.len(), Kind::White);
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn words_of(text: &str, language: &str) -> Vec<String> {
        let cutter = Cutter::new(language);
        let mut words = Vec::new();
        each_word(text, |word| words.extend(cutter.stem(&text[word])));
        words
    }

    #[rstest]
    #[case::stems("en", "Locks locked LOCKING", &["lock", "lock", "lock"])]
    #[case::stop_words("en", "The boat is at the lock", &["boat", "lock"])]
    #[case::signs("en", "lime,mortar; (stone) 1904", &["lime", "mortar", "stone", "1904"])]
    #[case::apostrophes("en", "don’t wait: the mason's lime", &["wait", "mason", "lime"])]
    #[case::german("de", "Die Schleusen der Straße", &["schleus", "strass"])]
    #[case::no_stemmer("pl", "Śluzy śluza", &["śluzy", "śluza"])]
    #[case::region("en-GB", "the herons", &["heron"])]
    fn a_text_is_its_stems(#[case] language: &str, #[case] text: &str, #[case] expected: &[&str]) {
        assert_eq!(words_of(text, language), expected);
    }

    proptest! {
        #[test]
        fn words_are_where_unicode_says(text in "[a-c1.,'’_:()é \n-]{0,20}") {
            let mut words = Vec::new();
            each_word(&text, |word| words.push(&text[word]));
            prop_assert_eq!(words, text.unicode_words().collect::<Vec<_>>());
        }

        #[test]
        fn no_two_words_are_one_number(text in "[ab]{0,9} [ab]{0,9}[ a]{0,9}") {
            let mut numbers = BTreeMap::new();
            each_word(&text, |word| {
                let known = short(text.as_bytes(), &word).map(|number| numbers.insert(number, &text[word.clone()]));
                assert_eq!(known.is_none(), word.len() > 8);
                assert!(known.flatten().is_none_or(|other| other == &text[word]));
            });
        }
    }
}
