//! The full-text index of a language's posts, in files that the script of the search page loads one by one.
//!
//! An inverted index: for each folded word the posts that have it, oldest first, so that a new post changes the
//! lists of its own words alone. A query finds words by their beginnings. Words are grouped by their first letters:
//! a beginning whose words need more than `GROUP` bytes (4 kB) is split by its next letter, and has a list of its own, of
//! all posts with any of its words. So the words of a query need one file each, however many words begin with them.
//!
//! The files, each compressed (DEFLATE, RFC 1951):
//!
//! - `start.bin`, JSON: the number of posts, the number of word files, the beginnings that are split, the facets.
//! - `words-N.bin`: entries, each of the length of its word twice, plus one for a beginning (varint), the word, the
//!   length of its list in bytes (varint), and its list. A posting of a word is the distance to the post before, less
//!   one, times four, plus its level (0 in the text, 1 in the summary or often in the text, 2 in a term, 3 in
//!   the title); one of a beginning is that distance times eight, plus the level twice, plus
//!   one if the post has the beginning as a word. After all postings there is for each the part of the text that has
//!   the word first, plus one, in [`Occurrence::PART`] bytes; 0 if the text does not have it. The file of a word is the FNV-1a hash (32
//!   bits) of the beginning whose group it is in, modulo the number of files.
//! - `posts-N.bin`, JSON: the rows of [`BLOCK`] posts.
//! - `facet-F.bin`, JSON: the values of a facet: name, word in addresses, number of posts.
//! - `facet-F-N.bin`: of [`FACET_BLOCK`] posts how many values of the facet each has, and their numbers (varints).

use std::cmp::Ordering;
use std::collections::BTreeMap;

use flate2::{Compress, Compression, FlushCompress, Status};
use rustc_hash::FxHashMap;
use serde::Serialize;
use tabulae_similarity::{Doc, Term};

use crate::catalogue::{Catalogue, PostId};
use crate::id::{LocaleId, number};
use crate::parallel;
use crate::words::{Occurrence, WordTable, each_run, fold_word};

/// The number of posts whose rows are in one file.
pub const BLOCK: usize = 16;

/// The number of posts whose values of a facet are in one file.
pub const FACET_BLOCK: usize = 4096;

/// The number of bytes from which the words of one beginning are split, before compression.
const GROUP: usize = 4096;

/// The weight of a word in a post, by its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Level {
    Text = 0,
    /// In the summary, or often in the text.
    Often = 1,
    /// In the name of a term.
    Term = 2,
    Title = 3,
}

/// Returns the number of word files for a number of posts: a power of two, so that it seldom changes, and of three to
/// five posts each.
#[must_use]
pub fn word_files(posts: usize) -> usize {
    posts.div_ceil(5).next_power_of_two()
}

/// The word files of a language, and the beginnings that are split.
#[derive(Debug)]
pub struct WordFiles {
    /// The beginnings, sorted.
    pub split: Vec<String>,
    /// The files, compressed.
    pub files: Vec<Vec<u8>>,
}

/// The start of the script's way through the index.
#[derive(Debug, Serialize)]
pub struct Start<'a> {
    /// The number of posts.
    pub posts: usize,
    /// The number of word files.
    pub files: usize,
    /// The beginnings that are split, sorted.
    pub split: &'a [String],
    /// The facets, by number: the name in addresses, and the title.
    pub facets: Vec<(String, String)>,
}

/// A posting: the number of a post, the level there, and the part of the text that has the word first, plus one.
#[derive(Debug, Clone, Copy, Default)]
struct Posting {
    post_and_level: u32,
    part: u16,
}

impl Posting {
    fn new(post: u32, level: Level, part: u16) -> Self {
        Self {
            post_and_level: post << 2 | level as u32,
            part,
        }
    }

    fn post(self) -> u32 {
        self.post_and_level >> 2
    }

    fn level(self) -> u32 {
        self.post_and_level & 3
    }
}

/// A word with its postings.
#[derive(Debug, Clone, Copy)]
struct Word<'a> {
    text: &'a str,
    postings: &'a [Posting],
}

impl Word<'_> {
    /// Returns an upper estimate of the bytes of its entry.
    fn size(&self) -> usize {
        self.text.len() + 4 + self.postings.len() * 9 / 4
    }
}

impl WordFiles {
    /// Indexes the words of posts, which are given oldest first, in `files` files. Takes time linear in the words of
    /// the texts.
    #[must_use]
    pub fn new(catalogue: &Catalogue, locale: LocaleId, posts: &[PostId], files: usize) -> Self {
        let table = catalogue.folded_words();
        let notable = parallel::parts(posts, |part| {
            let each = part.iter();
            each.map(|id| notable_words(catalogue, locale, *id))
                .collect::<Vec<_>>()
        });
        let notable: Vec<_> = notable.into_iter().flatten().collect();
        let lists = Lists::new(table, posts, &notable);
        let groups = lists.groups(posts.len());
        let mut split: Vec<String> = Vec::new();
        let mut contents: Vec<Vec<Entry>> = (0..files).map(|_| Vec::new()).collect();
        for group in groups {
            split.extend(group.split);
            for entry in group.entries {
                contents[file_of(&entry.group, files)].push(entry);
            }
        }
        split.sort_unstable();
        // A group is made by one thread, but which one depends on their number.
        for entries in &mut contents {
            entries.sort_by(|a, b| a.group.cmp(&b.group));
        }
        let files = parallel::parts(&contents, |part| {
            let mut compressor = Compressor::new();
            let each = part.iter();
            each.map(|entries| compressor.compress(&joined(entries)))
                .collect::<Vec<_>>()
        });
        Self {
            split,
            files: files.into_iter().flatten().collect(),
        }
    }
}

/// Returns the number of the file of a group: the FNV-1a hash of the beginning modulo the number of files.
fn file_of(group: &str, files: usize) -> usize {
    let hash = group.bytes().fold(0x811c_9dc5_u32, |hash, byte| {
        (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193)
    });
    hash as usize % files
}

/// Returns the words of a post's title, terms and summary with their levels, each word once.
fn notable_words(catalogue: &Catalogue, locale: LocaleId, id: PostId) -> BTreeMap<String, Level> {
    let post = catalogue.post(id);
    let mut words = BTreeMap::new();
    let mut add = |text: &str, level: Level| {
        each_run(text, |word| {
            let word = fold_word(&text[word]);
            if !word.is_empty() {
                let known = words.entry(word.into_owned()).or_insert(level);
                *known = level.max(*known);
            }
        });
    };
    add(&post.title, Level::Title);
    add(post.summary.as_deref().unwrap_or_default(), Level::Often);
    for (field, table) in catalogue.term_tables().iter().enumerate() {
        for term in catalogue.terms_and_above(id, field) {
            add(table.term(term).name_in(locale), Level::Term);
        }
    }
    words
}

/// The postings of all words, side by side.
struct Lists<'a> {
    /// The words, by number.
    words: Vec<&'a str>,
    /// The end of each word's postings, which begin at that of the word before.
    ends: Vec<usize>,
    postings: Vec<Posting>,
}

impl<'a> Lists<'a> {
    /// Inverts the table of texts and the words of titles, terms and summaries.
    fn new(table: &'a WordTable, posts: &[PostId], notable: &'a [BTreeMap<String, Level>]) -> Self {
        let mut words: Vec<&str> = table.stems().collect();
        // Words that no text has get the numbers after those of texts.
        let mut others: FxHashMap<&str, u32> = FxHashMap::default();
        let notable: Vec<Vec<(u32, Level)>> = notable
            .iter()
            .map(|own| {
                let mut own: Vec<(u32, Level)> = own
                    .iter()
                    .map(|(word, level)| {
                        let at = table.number(word).unwrap_or_else(|| {
                            *others.entry(word).or_insert_with(|| {
                                words.push(word);
                                number(words.len() - 1)
                            })
                        });
                        (at, *level)
                    })
                    .collect();
                own.sort_unstable();
                own
            })
            .collect();
        let each = |see: &mut dyn FnMut(u32, Posting)| {
            for ((id, notable), post) in posts.iter().zip(&notable).zip(0..) {
                merge(table, *id, notable, &mut |word, level, part| {
                    see(word, Posting::new(post, level, part));
                });
            }
        };
        let mut ends = vec![0; words.len()];
        each(&mut |word, _| ends[word as usize] += 1);
        let mut sum = 0;
        for end in &mut ends {
            // The start of the list for now, which moves to its end as it is filled.
            sum += std::mem::replace(end, sum);
        }
        let mut postings = vec![Posting::default(); sum];
        each(&mut |word, posting| {
            let end = &mut ends[word as usize];
            postings[*end] = posting;
            *end += 1;
        });
        Self {
            words,
            ends,
            postings,
        }
    }

    /// Groups the words by their beginnings, on several threads.
    fn groups(&self, posts: usize) -> Vec<Groups> {
        let starts = [0].into_iter().chain(self.ends.iter().copied());
        let words = self.words.iter().zip(starts.zip(&self.ends));
        let words = words.map(|(text, (start, end))| Word {
            text,
            postings: &self.postings[start..*end],
        });
        let mut by_letter: BTreeMap<char, Vec<Word<'_>>> = BTreeMap::new();
        for word in words.filter(|word| !word.postings.is_empty()) {
            if let Some(letter) = word.text.chars().next() {
                by_letter.entry(letter).or_default().push(word);
            }
        }
        // Each thread gets about the same number of bytes.
        let mut parts: Vec<(usize, Vec<Vec<Word<'_>>>)> =
            vec![(0, Vec::new()); rayon::current_num_threads()];
        for words in by_letter.into_values() {
            let size: usize = words.iter().map(Word::size).sum();
            if let Some(least) = parts.iter_mut().min_by_key(|(size, _)| *size) {
                least.0 += size;
                least.1.push(words);
            }
        }
        parallel::each(parts, |(_, part)| {
            let mut groups = Groups {
                split: Vec::new(),
                entries: Vec::new(),
                highest: vec![(0, 0); posts],
            };
            for mut words in part {
                words.sort_unstable_by_key(|word| word.text);
                groups.add(&words, 0);
            }
            groups.highest = Vec::new();
            groups
        })
    }
}

/// Passes each word of a post to `see` with its level, in the order of the words' numbers.
fn merge(
    table: &WordTable,
    id: PostId,
    notable: &[(u32, Level)],
    see: &mut dyn FnMut(u32, Level, u16),
) {
    let mut notable = notable.iter().copied().peekable();
    for (Term(word), packed) in table.counts.row(Doc(id.0)).iter() {
        // Number 0 is for what is no word.
        if table.stem(word).is_empty() {
            continue;
        }
        while let Some((other, level)) = notable.next_if(|(other, _)| *other < word) {
            see(other, level, 0);
        }
        let occurrence = Occurrence::of(packed);
        let own = match occurrence.is_often {
            true => Level::Often,
            false => Level::Text,
        };
        let level = notable.next_if(|(other, _)| *other == word);
        let level = level.map_or(own, |(_, level)| level.max(own));
        see(word, level, occurrence.part + 1);
    }
    notable.for_each(|(word, level)| see(word, level, 0));
}

/// An entry of a word file.
struct Entry {
    /// The beginning by which it is found.
    group: String,
    bytes: Vec<u8>,
}

/// Words grouped by their beginnings.
struct Groups {
    split: Vec<String>,
    entries: Vec<Entry>,
    /// The highest value of each post in the list of a beginning, plus one, and the first part with a word; all 0
    /// between lists.
    highest: Vec<(u8, u16)>,
}

impl Groups {
    /// Adds sorted words that have the same first `depth` bytes, and go on after them.
    fn add(&mut self, words: &[Word<'_>], depth: usize) {
        let next = |word: &Word<'_>| word.text[depth..].chars().next();
        for group in words.chunk_by(|a, b| next(a) == next(b)) {
            let length = depth + next(&group[0]).map_or(0, char::len_utf8);
            let beginning = &group[0].text[..length];
            let size: usize = group.iter().map(Word::size).sum();
            if size <= GROUP || group.len() == 1 {
                self.entries.extend(group.iter().map(|word| Entry {
                    group: beginning.to_owned(),
                    bytes: entry(word.text, false, &word_list(word)),
                }));
                continue;
            }
            let list = self.beginning_list(beginning, group);
            self.entries.push(Entry {
                group: beginning.to_owned(),
                bytes: entry(beginning, true, &list),
            });
            self.split.push(beginning.to_owned());
            let is_whole = group[0].text.len() == length;
            self.add(&group[usize::from(is_whole)..], length);
        }
    }

    /// Returns the list of a beginning: all posts with any of its words, with the highest level among them.
    fn beginning_list(&mut self, beginning: &str, words: &[Word<'_>]) -> Vec<u8> {
        for word in words {
            let is_whole = u32::from(word.text == beginning);
            for posting in word.postings {
                let (known, part) = &mut self.highest[posting.post() as usize];
                let own = u8::try_from(posting.level() * 2 + is_whole + 1).unwrap_or(u8::MAX);
                *known = own.max(*known);
                if posting.part > 0 && (*part == 0 || posting.part < *part) {
                    *part = posting.part;
                }
            }
        }
        let mut list = List::default();
        for ((highest, part), post) in self.highest.iter_mut().zip(0..) {
            if *highest > 0 {
                list.push(post, 3, u32::from(*highest - 1), *part);
                (*highest, *part) = (0, 0);
            }
        }
        list.done()
    }
}

fn word_list(word: &Word<'_>) -> Vec<u8> {
    let mut list = List::default();
    for posting in word.postings {
        list.push(posting.post(), 2, posting.level(), posting.part);
    }
    list.done()
}

/// A list of postings as it is written.
#[derive(Default)]
struct List {
    next: u32,
    postings: Vec<u8>,
    parts: Vec<u8>,
}

impl List {
    /// Adds a posting with a value of `bits` bits. Posts are added in ascending order.
    fn push(&mut self, post: u32, bits: u32, value: u32, part: u16) {
        varint((post - self.next) << bits | value, &mut self.postings);
        varint(part.into(), &mut self.parts);
        self.next = post + 1;
    }

    fn done(mut self) -> Vec<u8> {
        self.postings.append(&mut self.parts);
        self.postings
    }
}

fn entry(word: &str, is_beginning: bool, list: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(word.len() + list.len() + 4);
    varint(
        number(word.len()) << 1 | u32::from(is_beginning),
        &mut bytes,
    );
    bytes.extend_from_slice(word.as_bytes());
    varint(number(list.len()), &mut bytes);
    bytes.extend_from_slice(list);
    bytes
}

fn joined(entries: &[Entry]) -> Vec<u8> {
    let entries: Vec<&[u8]> = entries.iter().map(|entry| &*entry.bytes).collect();
    entries.concat()
}

/// Appends a number in groups of seven bits, the lowest first; the high bit is set on all but the last (LEB128).
fn varint(mut number: u32, to: &mut Vec<u8>) {
    loop {
        let [low, ..] = number.to_le_bytes();
        number >>= 7;
        if number == 0 {
            to.push(low & 0x7f);
            return;
        }
        to.push(low | 0x80);
    }
}

/// A compressor (DEFLATE, RFC 1951) for one file after the other: its tables are large.
struct Compressor(Compress);

impl Compressor {
    fn new() -> Self {
        Self(Compress::new(Compression::new(1), false))
    }

    fn compress(&mut self, bytes: &[u8]) -> Vec<u8> {
        self.0.reset();
        // What cannot be compressed is stored in blocks of at most 64 kB, each with five bytes more.
        let mut packed = Vec::with_capacity(bytes.len() + bytes.len() / 1000 + 64);
        loop {
            let read = usize::try_from(self.0.total_in()).unwrap_or(bytes.len());
            let status = self
                .0
                .compress_vec(&bytes[read..], &mut packed, FlushCompress::Finish);
            match status.expect("the state of a new stream is valid") {
                Status::StreamEnd => return packed,
                Status::Ok | Status::BufError => packed.reserve(bytes.len() + 64),
            }
        }
    }
}

fn compressed(bytes: &[u8]) -> Vec<u8> {
    Compressor::new().compress(bytes)
}

/// Returns a value as compressed JSON.
///
/// # Panics
/// If the value has no form in JSON.
#[must_use]
pub fn compressed_json(value: &impl Serialize) -> Vec<u8> {
    let text = serde_json::to_vec(value);
    compressed(&text.expect("texts and numbers in lists have a form in JSON"))
}

/// A value of a facet: name, word in addresses, and number of posts.
pub type FacetValue = (String, String, usize);

/// A facet of the posts of a language: its values, and those of each post.
#[derive(Debug, Default)]
pub struct Facet {
    /// The values in their order.
    pub values: Vec<FacetValue>,
    /// The numbers of each post's values.
    posts: Vec<Vec<u32>>,
}

impl Facet {
    /// Returns the facet of a term field; a post with a nested term has those above it as well. Terms follow each
    /// other by their numbers of posts, then as they are shown.
    #[must_use]
    pub fn of_terms(
        catalogue: &Catalogue,
        (locale, field): (LocaleId, usize),
        posts: &[PostId],
    ) -> Self {
        let table = catalogue.terms(field);
        let language = catalogue.language(locale);
        let value = |term: &crate::term::TermId| {
            let term = table.term(*term);
            (term.name_in(locale).to_owned(), term.slug.clone())
        };
        let terms = |id: &PostId| catalogue.terms_and_above(*id, field).collect();
        Self::new(posts.iter().map(terms).collect(), value, |a, b| {
            b.2.cmp(&a.2).then_with(|| language.sort(&a.0, &b.0))
        })
    }

    /// Returns the facet of years, the latest first; posts without a date have none.
    #[must_use]
    pub fn of_years(catalogue: &Catalogue, posts: &[PostId]) -> Self {
        let year = |id: &PostId| {
            let date = catalogue.post(*id).date;
            date.map(|date| date.day.year()).into_iter().collect()
        };
        let name = |year: &i16| (year.to_string(), year.to_string());
        Self::new(posts.iter().map(year).collect(), name, |a, b| b.0.cmp(&a.0))
    }

    /// Counts the values of posts, and numbers them in an order.
    fn new<T: Ord>(
        posts: Vec<Vec<T>>,
        value: impl Fn(&T) -> (String, String),
        order: impl Fn(&FacetValue, &FacetValue) -> Ordering,
    ) -> Self {
        let mut counts: BTreeMap<&T, usize> = BTreeMap::new();
        for own in posts.iter().flatten() {
            *counts.entry(own).or_default() += 1;
        }
        let values = counts.into_iter().map(|(own, count)| {
            let (name, slug) = value(own);
            (own, (name, slug, count))
        });
        let mut values: Vec<(&T, FacetValue)> = values.collect();
        values.sort_by(|(_, a), (_, b)| order(a, b));
        let numbers: BTreeMap<&T, u32> = values.iter().map(|(own, _)| *own).zip(0..).collect();
        let of_post = |own: &Vec<T>| own.iter().map(|value| numbers[value]).collect();
        Self {
            posts: posts.iter().map(of_post).collect(),
            values: values.into_iter().map(|(_, value)| value).collect(),
        }
    }

    /// Returns the file of the values.
    #[must_use]
    pub fn values_file(&self) -> Vec<u8> {
        compressed_json(&self.values)
    }

    /// Returns the file of the values of each post of a block.
    #[must_use]
    pub fn block_file(&self, block: usize) -> Vec<u8> {
        let mut bytes = Vec::new();
        let posts = self.posts.iter().skip(block * FACET_BLOCK);
        for own in posts.take(FACET_BLOCK) {
            varint(number(own.len()), &mut bytes);
            own.iter().for_each(|value| varint(*value, &mut bytes));
        }
        compressed(&bytes)
    }
}

#[cfg(test)]
mod tests;
