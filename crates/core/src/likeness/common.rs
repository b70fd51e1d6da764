//! What posts have of the common words, laid out to be compared.
//!
//! To compare a post takes as long as memory takes to hand over what it has. So all of it lies in
//! one row, by the post's place, in two bytes a word.

use std::sync::LazyLock;

use super::space::{frequency_of, rough};
use crate::catalogue::PostId;
use crate::id::number;
use crate::parallel;

/// As far ahead as an entry can lead.
const FAR: u32 = 0xff;

/// So often or more often, which an entry does not tell.
const MANY: u32 = 0xff;

/// 1 + ln(count), the frequency of a word, by what an entry tells; 0 of none, not a number of
/// many.
static FREQUENCIES: LazyLock<[f32; 256]> = LazyLock::new(|| {
    let mut frequencies = [0.0; 256];
    for (count, frequency) in (1..MANY).zip(&mut frequencies[1..]) {
        *frequency = rough(frequency_of(count));
    }
    frequencies[MANY as usize] = f32::NAN;
    frequencies
});

/// The common words of posts by place, one post behind the other. An entry says how far on the
/// word is from that of the entry before, and how often the post has it.
#[derive(Debug, Default)]
pub(super) struct Commons {
    posts: Vec<Common>,
    entries: Vec<u16>,
    most: f32,
}

/// What one post has of them.
#[derive(Debug, Clone, Copy)]
struct Common {
    /// Where its entries begin.
    start: u32,
    /// The length of its part in the vector of length 1.
    norm: f32,
    /// The length of its whole vector, 1 divided by it.
    scale: f32,
}

/// What a post has of the common words.
pub(super) struct HasCommon<W> {
    /// Their numbers, which rise, and how often it has each.
    pub(super) words: W,
    /// The length of their part in the vector of length 1.
    pub(super) norm: f32,
    /// The length of the post's whole vector; 0 where it has no words.
    pub(super) whole: f64,
}

impl Commons {
    /// Those of posts, place by place.
    pub(super) fn new<W: Iterator<Item = (u32, u32)>>(
        posts: &[PostId],
        of: impl Fn(&PostId) -> HasCommon<W> + Sync,
    ) -> Self {
        let parts = parallel::parts(posts, |part| {
            let mut commons = Self::default();
            part.iter().for_each(|post| commons.push(of(post)));
            commons
        });
        let mut all = Self::default();
        all.entries.reserve(parts.iter().map(|part| part.entries.len()).sum());
        for part in parts {
            let start = number(all.entries.len());
            let posts = part.posts.into_iter();
            all.posts.extend(posts.map(|post| Common {
                start: start + post.start,
                ..post
            }));
            all.entries.extend(part.entries);
            all.most = all.most.max(part.most);
        }
        all
    }

    fn push<W: Iterator<Item = (u32, u32)>>(&mut self, has: HasCommon<W>) {
        self.posts.push(Common {
            start: number(self.entries.len()),
            norm: has.norm,
            scale: rough(has.whole.max(f64::MIN_POSITIVE).recip()),
        });
        self.most = self.most.max(has.norm);
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

    /// The length of what the post at a place has of them in the vector of length 1.
    pub(super) fn norm(&self, place: u32) -> f32 {
        self.posts[place as usize].norm
    }

    /// The highest of these.
    pub(super) fn most(&self) -> f32 {
        self.most
    }

    /// What they add to the cosine of the post at a place with the one whose weights by word these
    /// are; not a number where an entry does not tell how often.
    pub(super) fn cosine(&self, weights: &[f32], place: u32) -> f32 {
        let place = place as usize;
        let end = self.posts.get(place + 1).map(|next| next.start as usize);
        let post = self.posts[place];
        let entries = &self.entries[post.start as usize..end.unwrap_or(self.entries.len())];
        post.scale * dot(weights, entries)
    }
}

/// The sum of the weights of a post's words, each times how often it has it.
fn dot(weights: &[f32], entries: &[u16]) -> f32 {
    let frequencies = &*FREQUENCIES;
    let mut word = 0;
    let mut product = |entry: u16| {
        let [on, count] = entry.to_be_bytes();
        word += usize::from(on);
        weights[word] * frequencies[usize::from(count)]
    };
    let (fours, rest) = entries.as_chunks();
    // Four sums at once do not wait for each other.
    let mut sums = [0.0; 4];
    for four in fours {
        let four: [u16; 4] = *four;
        for (sum, entry) in sums.iter_mut().zip(four) {
            *sum += product(entry);
        }
    }
    let rest: f32 = rest.iter().map(|entry| product(*entry)).sum();
    (sums[0] + sums[1]) + (sums[2] + sums[3]) + rest
}

#[expect(clippy::cast_possible_truncation, reason = "both are a byte")]
fn entry(on: u32, count: u32) -> u16 {
    (on << 8 | count) as u16
}
