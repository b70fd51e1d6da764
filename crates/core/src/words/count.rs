//! Counting the words of texts.

use std::fmt;
use std::ops::Range;
use std::sync::{Mutex, MutexGuard, PoisonError};

use indexmap::IndexSet;
use rustc_hash::{FxBuildHasher, FxHashMap};

use super::cut::{Cutter, each_word};
use super::folded::{each_run, fold_word};
use crate::id::{CountedBy, number};

/// The rule by which a text becomes words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WordRule {
    /// The stems of a language (BCP 47), without its stop words.
    Stems(String),
    /// All words, without regard to case and accents, whatever the language; what is counted is an [`Occurrence`].
    Folded,
}

/// The occurrence of a folded word in a text: frequency class and first place, packed into the number that is a count
/// for stems.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Occurrence {
    /// Set if the text has the word at least [`Occurrence::OFTEN`] times.
    pub is_often: bool,
    /// The part of the text that has the word first, in [`Occurrence::PART`] bytes of plain text, from 0.
    pub part: u16,
}

impl Occurrence {
    /// The number of times from which a text has a word often.
    pub const OFTEN: u32 = 3;

    /// The length of a part, in bytes.
    pub const PART: usize = 512;

    /// Returns an occurrence as a number of at least 1. The parts of texts beyond 16 MB are one.
    #[must_use]
    pub fn packed(count: u32, first: usize) -> u32 {
        let part = u32::try_from(first / Self::PART).unwrap_or(u32::MAX);
        part.min(0x7ffe) * 2 + 1 + u32::from(count >= Self::OFTEN)
    }

    /// Returns the occurrence of a number.
    #[must_use]
    pub fn of(packed: u16) -> Self {
        let packed = packed.saturating_sub(1);
        Self {
            is_often: packed % 2 == 1,
            part: packed / 2,
        }
    }
}

/// Counts words while texts are read, by as many threads as the pool has.
#[derive(Default)]
pub struct Counting {
    rules: Vec<WordRule>,
    /// For each rule one for each thread, as what it knows of words would else move from the cache of one to that
    /// of another, and a last one for threads that are not of the pool.
    counters: Vec<Mutex<Option<Counter>>>,
}

impl Counting {
    /// Counts by rules, which are known by their numbers.
    #[must_use]
    pub fn new(rules: Vec<WordRule>) -> Self {
        let counters = 0..rules.len() * (rayon::current_num_threads() + 1);
        Self {
            rules,
            counters: counters.map(|_| Mutex::default()).collect(),
        }
    }

    /// Counts the words of a plain text by one of the rules.
    pub fn count(&self, text: &str, rule: usize) -> CountedBy {
        let threads = self.counters.len() / self.rules.len();
        let last = threads - 1;
        let thread = rayon::current_thread_index().map_or(last, |thread| thread.min(last));
        let at = rule * threads + thread;
        let mut counter = locked(&self.counters[at]);
        let counter = counter.get_or_insert_with(|| Counter::new(&self.rules[rule]));
        counter.count(text);
        CountedBy {
            counter: number(at),
            text: number(counter.ends.len() - 1),
        }
    }

    /// The counters by number, with all that they counted; nothing the second time.
    pub(super) fn take(&self) -> Vec<Counter> {
        let threads = self.counters.len() / self.rules.len().max(1);
        let counters = self.counters.iter().enumerate();
        let counted = counters.map(|(at, counter)| {
            let counted = locked(counter).take();
            counted.unwrap_or_else(|| Counter::new(&self.rules[at / threads]))
        });
        counted.collect()
    }
}

fn locked(counter: &Mutex<Option<Counter>>) -> MutexGuard<'_, Option<Counter>> {
    counter.lock().unwrap_or_else(PoisonError::into_inner)
}

impl fmt::Debug for Counting {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Counting by {:?}", self.rules)
    }
}

/// Returns true if one of these counters counted the text.
pub(super) fn is_of(by: CountedBy, counters: &[Counter]) -> bool {
    let counter = counters.get(by.counter as usize);
    counter.is_some_and(|counter| (by.text as usize) < counter.ends.len())
}

/// The number of the stem for all stop words during counting.
pub(super) const STOP: u32 = 0;

/// The bit in the number of a stem that is not a counter's own, but was known before.
pub(super) const KNOWN: u32 = 1 << 31;

/// A [`WordRule`], prepared.
enum Rule {
    Stems(Cutter),
    Folded,
}

/// Counts the words of some texts.
pub(super) struct Counter {
    rule: Rule,
    /// The number of the stem of each word as written.
    known: FxHashMap<Box<str>, u32>,
    /// The stems of words of at most eight bytes, which are most: to find them here takes only one
    /// look into memory.
    known_short: FxHashMap<u64, u32>,
    /// The stems; the first is for all stop words.
    pub(super) stems: IndexSet<Box<str>, FxBuildHasher>,
    /// The words of the current text. All are found before any is looked up, so that the processor loads
    /// several table entries in parallel.
    found: Vec<(Option<u64>, Range<usize>)>,
    /// The stems of the text at hand, word by word.
    text: Vec<u32>,
    /// The words of all texts, and where those of each end.
    pub(super) words: Vec<(u32, u32)>,
    ends: Vec<u32>,
    /// The counts of the stems of the current text; all 0 between texts, except for the stop words.
    counts: Vec<u32>,
}

impl Counter {
    pub(super) fn new(rule: &WordRule) -> Self {
        Self {
            rule: match rule {
                WordRule::Stems(language) => Rule::Stems(Cutter::new(language)),
                WordRule::Folded => Rule::Folded,
            },
            known: FxHashMap::default(),
            known_short: FxHashMap::default(),
            stems: IndexSet::from_iter(["".into()]),
            found: Vec::new(),
            text: Vec::new(),
            words: Vec::new(),
            ends: Vec::new(),
            counts: vec![1],
        }
    }

    /// Takes over the counts of a text by the numbers of stems that were known before.
    pub(super) fn take(&mut self, counts: &[(u32, u32)]) {
        let counts = counts.iter();
        self.words
            .extend(counts.map(|(stem, count)| (KNOWN | stem, *count)));
        self.ends.push(number(self.words.len()));
    }

    /// Counts the words of a plain text.
    pub(super) fn count(&mut self, text: &str) {
        let mut found = std::mem::take(&mut self.found);
        found.clear();
        let see = |word: Range<usize>| found.push((short(text.as_bytes(), &word), word));
        match self.rule {
            Rule::Stems(_) => each_word(text, see),
            Rule::Folded => each_run(text, see),
        }
        let mut stems = std::mem::take(&mut self.text);
        stems.clear();
        let each = found.iter();
        stems.extend(each.map(|(short, word)| self.stem(*short, &text[word.clone()])));
        let start = self.words.len();
        let mut end = start;
        // Where a stem goes is not asked by a branch, which could not be foreseen. Stop words were
        // counted once before the first.
        self.words.resize(start + stems.len() + 1, (0, 0));
        for (stem, at) in stems.iter().zip(0..) {
            let count = &mut self.counts[*stem as usize];
            self.words[end] = (*stem, at);
            end += usize::from(*count == 0);
            *count += 1;
        }
        self.words.truncate(end);
        for (stem, first) in &mut self.words[start..] {
            let count = std::mem::take(&mut self.counts[*stem as usize]);
            *first = match self.rule {
                Rule::Stems(_) => count,
                Rule::Folded => Occurrence::packed(count, found[*first as usize].1.start),
            };
        }
        self.found = found;
        self.counts[STOP as usize] = 1;
        self.text = stems;
        self.ends.push(number(self.words.len()));
    }

    /// The number of the stem of a word in a text.
    fn stem(&mut self, short: Option<u64>, word: &str) -> u32 {
        let known = match short {
            Some(short) => self.known_short.get(&short),
            None => self.known.get(word),
        };
        if let Some(known) = known {
            return *known;
        }
        let stem = match &self.rule {
            Rule::Stems(cutter) => cutter.stem(word).unwrap_or_default(),
            Rule::Folded => fold_word(word).into_owned(),
        };
        let stem = number(self.stems.insert_full(stem.into()).0);
        self.counts.resize(self.stems.len(), 0);
        match short {
            Some(short) => self.known_short.insert(short, stem),
            None => self.known.insert(word.into(), stem),
        };
        stem
    }

    /// The texts that it counted, by its number among others.
    pub(super) fn texts(&self, counter: u32) -> impl Iterator<Item = CountedBy> {
        (0..number(self.ends.len())).map(move |text| CountedBy { counter, text })
    }

    /// The stems of a text, with how often it has them.
    pub(super) fn words_of(&self, text: u32) -> &[(u32, u32)] {
        let text = text as usize;
        let start = text.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.words[start as usize..self.ends[text] as usize]
    }

    /// Returns the counter with other numbers for its own stems and for those known before; within a text
    /// they rise.
    pub(super) fn renumbered(mut self, own: &[u32], known: &[u32]) -> Self {
        for (stem, _) in &mut self.words {
            *stem = match *stem & KNOWN {
                0 => own[*stem as usize],
                _ => known[(*stem & !KNOWN) as usize],
            };
        }
        let mut start = 0;
        for end in &self.ends {
            self.words[start..*end as usize].sort_unstable();
            start = *end as usize;
        }
        self
    }
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

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use proptest::prelude::*;

    #[test]
    fn each_thread_counts_for_itself() {
        let counting = Counting::new(vec![WordRule::Stems("en".to_owned())]);
        let pool = rayon::ThreadPoolBuilder::new().num_threads(1).build();
        let pool = pool.expect("a thread");
        let first = pool.install(|| counting.count("A lock, stone locks", 0));
        let second = counting.count("the boats", 0);
        let third = pool.install(|| counting.count("boats at the lock", 0));
        assert_eq!(first.counter, third.counter);
        assert_ne!(first.counter, second.counter);
        let counters = counting.take();
        let words = |by: CountedBy| {
            let counter = &counters[by.counter as usize];
            let words = counter.words_of(by.text).iter();
            let words = words.map(|(stem, count)| (&*counter.stems[*stem as usize], *count));
            words.collect::<BTreeMap<_, _>>()
        };
        assert_eq!(words(first), BTreeMap::from([("lock", 2), ("stone", 1)]));
        assert_eq!(words(second), BTreeMap::from([("boat", 1)]));
        assert_eq!(words(third), BTreeMap::from([("boat", 1), ("lock", 1)]));
        assert!(!is_of(first, &counting.take()));
    }

    proptest! {
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
