//! The words of titles and texts: cut by Unicode's word boundaries (UAX 29), without regard to
//! case, without stop words, stemmed (Snowball) where the language has a stemmer.

use std::fmt;
use std::sync::Arc;

use indexmap::IndexSet;
use rayon::prelude::*;
use rust_stemmers::{Algorithm, Stemmer};
use rustc_hash::{FxBuildHasher, FxHashMap};
use unicode_segmentation::UnicodeSegmentation;

use crate::id::number;
use crate::language::fold;
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
        let size = posts.len().div_ceil(rayon::current_num_threads()).max(1);
        let chunks: Vec<Counter> = posts
            .par_chunks(size)
            .map(|chunk| {
                let mut counter = Counter::new(language);
                chunk.iter().for_each(|post| count(post, &mut counter));
                counter
            })
            .collect();
        let stems = in_order(&chunks);
        let renumbered: Vec<Counter> = chunks
            .into_par_iter()
            .map(|chunk| {
                let own = chunk.stems.iter();
                let numbers = own.filter_map(|stem| stems.get_index_of(stem).map(number));
                let numbers: Vec<u32> = numbers.collect();
                chunk.renumbered(&numbers)
            })
            .collect();
        let mut counts = Counts::default();
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
    let mut stems: Vec<(&str, u32)> = posts.into_iter().collect();
    stems.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
    stems.into_iter().map(|(stem, _)| stem.into()).collect()
}

/// Counts the words of some posts.
struct Counter {
    cutter: Cutter,
    /// What a word as written stands for; `None` for a stop word.
    known: FxHashMap<Box<str>, Option<u32>>,
    stems: IndexSet<Box<str>, FxBuildHasher>,
    /// The words of all posts, and where those of each end.
    words: Vec<(u32, u32)>,
    ends: Vec<u32>,
    /// How often the post at hand has each stem; all 0 between posts.
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
            stems: IndexSet::default(),
            words: Vec::new(),
            ends: Vec::new(),
            counts: Vec::new(),
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
        let start = self.words.len();
        each_word(text, |word| {
            let stem = match self.known.get(word) {
                Some(known) => *known,
                None => {
                    let stem = self.cutter.stem(word);
                    let number = stem.map(|stem| number(self.stems.insert_full(stem.into()).0));
                    self.counts.resize(self.stems.len(), 0);
                    self.known.insert(word.into(), number);
                    number
                }
            };
            if let Some(stem) = stem {
                let count = &mut self.counts[stem as usize];
                if *count == 0 {
                    self.words.push((stem, 0));
                }
                *count += 1;
            }
        });
        for (stem, count) in &mut self.words[start..] {
            *count = std::mem::take(&mut self.counts[*stem as usize]);
        }
        self.ends.push(number(self.words.len()));
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

/// Hands on each word. ASCII letters and digits with signs only around them, which is most of a
/// text, are one word without further looking.
fn each_word(text: &str, mut see: impl FnMut(&str)) {
    for piece in text.split_ascii_whitespace() {
        match plain_word(piece) {
            Some(word) => see(word),
            None => piece.unicode_words().for_each(&mut see),
        }
    }
}

/// The only word of a piece of text without white space, where that is plain to see. `_` joins
/// words, so that it is left to Unicode's rules.
fn plain_word(piece: &str) -> Option<&str> {
    let is_sign = |c: char| c.is_ascii_punctuation() && c != '_';
    let word = piece.trim_matches(is_sign);
    let plain = !word.is_empty() && word.bytes().all(|byte| byte.is_ascii_alphanumeric());
    plain.then_some(word)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn words_of(text: &str, language: &str) -> Vec<String> {
        let cutter = Cutter::new(language);
        let mut words = Vec::new();
        each_word(text, |word| words.extend(cutter.stem(word)));
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
        fn what_is_plain_to_see_is_what_unicode_says(piece in "[a-c1.,'’_:()é-]{1,7}") {
            if let Some(word) = plain_word(&piece) {
                prop_assert_eq!(piece.unicode_words().collect::<Vec<_>>(), [word]);
            }
        }
    }
}
