//! What posts have of the common words, laid out to be compared.
//!
//! To compare a post takes as long as memory takes to hand over what it has. So all of it lies in
//! one row, by the post's place, in two bytes a word; and whether a post can share any other word is
//! told by one number.

use std::hint::black_box;
use std::sync::LazyLock;

use super::space::{FREQUENCIES, HasCommon, Space, rough};
use crate::catalogue::PostId;
use crate::id::number;
use crate::parallel;

/// As far ahead as an entry can lead.
const FAR: u32 = 0xff;

/// So often or more often, which an entry does not tell.
const MANY: u32 = 0xff;

/// The frequency of a word by what an entry tells; 0 of none, not a number of many.
static ROUGH_FREQUENCIES: LazyLock<[f32; 256]> = LazyLock::new(|| {
    let mut frequencies = FREQUENCIES.map(rough);
    frequencies[0] = 0.0;
    frequencies[MANY as usize] = f32::NAN;
    frequencies
});

/// The common words of posts, place by place and there aspect by aspect. An entry says how far on
/// the word is from that of the entry before, and how often the post has it.
#[derive(Debug)]
pub(super) struct Commons {
    /// How many aspects are words.
    aspects: usize,
    each: Vec<Common>,
    entries: Vec<u16>,
    /// The highest norm by aspect.
    most: Vec<f32>,
}

/// What one post has of them in one aspect.
#[derive(Debug, Clone, Copy)]
struct Common {
    /// Where its entries begin.
    start: u32,
    /// The length of its part in the vector of length 1.
    norm: f32,
    /// The length of its whole vector, 1 divided by it.
    scale: f32,
    /// What tells which other words it may have.
    mark: u64,
}

impl Commons {
    /// Those of posts, place by place.
    pub(super) fn new(posts: &[PostId], texts: &[&Space]) -> Self {
        let parts = parallel::parts(posts, |part| {
            let mut commons = Self::of(texts.len());
            for post in part {
                let has = texts.iter().map(|space| space.common_of(*post));
                has.enumerate().for_each(|(at, has)| commons.push(at, has));
            }
            commons
        });
        let mut all = Self::of(texts.len());
        let entries = parts.iter().map(|part| part.entries.len()).sum();
        all.entries.reserve(entries);
        for part in parts {
            let before = number(all.entries.len());
            let each = part.each.into_iter();
            all.each.extend(each.map(|common| Common {
                start: before + common.start,
                ..common
            }));
            all.entries.extend(part.entries);
            for (most, of_part) in all.most.iter_mut().zip(part.most) {
                *most = most.max(of_part);
            }
        }
        all
    }

    fn of(aspects: usize) -> Self {
        Self {
            aspects,
            each: Vec::new(),
            entries: Vec::new(),
            most: vec![0.0; aspects],
        }
    }

    fn push(&mut self, aspect: usize, has: HasCommon<impl Iterator<Item = (u32, u32)>>) {
        self.each.push(Common {
            start: number(self.entries.len()),
            norm: has.norm,
            scale: rough(has.whole.max(f64::MIN_POSITIVE).recip()),
            mark: has.mark,
        });
        self.most[aspect] = self.most[aspect].max(has.norm);
        let mut last = 0;
        for (word, count) in has.words {
            while word - last > FAR {
                self.entries.push(entry(FAR, 0));
                last += FAR;
            }
            self.entries.push(entry(word - last, count.min(MANY)));
            last = word;
        }
    }

    /// The length of what the post at a place has of them, by aspect, in the vector of length 1.
    pub(super) fn norms(&self, place: u32) -> impl Iterator<Item = f32> {
        let start = place as usize * self.aspects;
        let each = &self.each[start..start + self.aspects];
        each.iter().map(|common| common.norm)
    }

    /// The same of one aspect.
    pub(super) fn norm(&self, place: u32, aspect: usize) -> f32 {
        self.each[place as usize * self.aspects + aspect].norm
    }

    /// Whether the post at a place may have any of the words that are not common of one with this
    /// mark.
    pub(super) fn may_share(&self, mark: u64, place: u32, aspect: usize) -> bool {
        self.each[place as usize * self.aspects + aspect].mark & mark != 0
    }

    /// The highest of these.
    pub(super) fn most(&self) -> &[f32] {
        &self.most
    }

    /// What they add to the cosine, in an aspect, of the post at a place with the one whose weights
    /// by word these are; not a number where an entry does not tell how often.
    pub(super) fn cosine(&self, weights: &[f32], place: u32, aspect: usize) -> f32 {
        let at = place as usize * self.aspects + aspect;
        let common = self.each[at];
        let end = self.each.get(at + 1).map(|next| next.start as usize);
        let end = end.unwrap_or(self.entries.len());
        common.scale * dot(weights, &self.entries[common.start as usize..end])
    }

    /// Looks at what the posts at some places have, so that memory hands it all over at once, and
    /// not one after the other when it is asked for.
    pub(super) fn fetch(&self, places: impl Iterator<Item = u32>) {
        let starts = places.map(|place| self.each[place as usize * self.aspects].start);
        let first = starts.filter_map(|start| self.entries.get(start as usize));
        black_box(first.fold(0, |all, entry| all ^ entry));
    }
}

/// The sum of the weights of a post's words, each times how often it has it.
fn dot(weights: &[f32], entries: &[u16]) -> f32 {
    let frequencies = &*ROUGH_FREQUENCIES;
    let mut word = 0;
    let mut product = |entry: u16| {
        let [on, count] = entry.to_be_bytes();
        word += usize::from(on);
        weights[word] * frequencies[usize::from(count)]
    };
    let (fours, rest) = entries.as_chunks::<4>();
    // Four sums at once do not wait for each other.
    let mut sums = [0.0; 4];
    for four in fours {
        for (sum, entry) in sums.iter_mut().zip(four) {
            *sum += product(*entry);
        }
    }
    let rest: f32 = rest.iter().map(|entry| product(*entry)).sum();
    (sums[0] + sums[1]) + (sums[2] + sums[3]) + rest
}

#[expect(clippy::cast_possible_truncation, reason = "both are a byte")]
fn entry(on: u32, count: u32) -> u16 {
    (on << 8 | count) as u16
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The words of a post with how often it has them, from how far on each word is.
    fn words(ahead: &[(u32, u32)]) -> Vec<(u32, u32)> {
        let mut last = 0;
        let on = ahead.iter().map(|(on, count)| {
            last += on;
            (last - 1, *count)
        });
        on.collect()
    }

    proptest! {
        /// Two posts with two aspects each; words lie up to 600 apart, which is more than one entry
        /// leads on.
        #[test]
        fn a_row_adds_up_to_what_its_words_do(
            rows in prop::array::uniform4(prop::collection::vec((1u32..600, 1u32..300), 0..12)),
        ) {
            let rows = rows.map(|ahead| words(&ahead));
            let mut commons = Commons::of(2);
            for (at, row) in rows.iter().enumerate() {
                commons.push(at % 2, HasCommon {
                    words: row.iter().copied(),
                    norm: [0.5, 0.25, 0.125, 0.75][at],
                    whole: 2.0,
                    mark: 1,
                });
            }
            prop_assert_eq!(commons.most(), [0.5, 0.75]);
            prop_assert_eq!(commons.norms(1).collect::<Vec<_>>(), [0.125, 0.75]);
            let weights: Vec<f32> = (0u8..=255).cycle().map(f32::from).take(12 * 600).collect();
            for (at, row) in (0..).zip(&rows) {
                let cosine = commons.cosine(&weights, at / 2, at as usize % 2);
                if row.iter().any(|(_, count)| *count >= 255) {
                    prop_assert!(cosine.is_nan());
                    continue;
                }
                let each = row.iter().map(|(word, count)| {
                    f64::from(weights[*word as usize]) * (1.0 + f64::from(*count).ln()) / 2.0
                });
                let exact: f64 = each.sum();
                prop_assert!((f64::from(cosine) - exact).abs() <= exact * 1e-5, "{cosine} {exact}");
            }
        }
    }
}
