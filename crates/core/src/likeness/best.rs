//! The best of many, without putting more of them in order than are asked for.

use crate::catalogue::PostId;

/// So many more than are wanted are ranked at first, as not all fit, and scores are rough.
const SPARE: usize = 4;

/// The classes that rank highest so far, as many as the wanted posts need, and all that rank
/// equal with the last of them.
pub(super) struct Best<T> {
    wanted: usize,
    /// By falling rank, with how many of their posts fit, at most all wanted.
    pub(super) ranked: Vec<(T, u32, usize)>,
    last: Option<T>,
}

impl<T: PartialOrd + Copy> Best<T> {
    pub(super) fn of(wanted: usize) -> Self {
        Self {
            wanted,
            ranked: Vec::new(),
            last: None,
        }
    }

    /// The rank of the last of the wanted posts; `None` while there are too few.
    pub(super) fn last(&self) -> Option<T> {
        self.last
    }

    /// Takes in a class of which some posts fit.
    pub(super) fn insert(&mut self, rank: T, class: u32, fitting: impl Iterator<Item = PostId>) {
        let count = fitting.take(self.wanted).count();
        if count == 0 {
            return;
        }
        let at = self.ranked.partition_point(|(known, ..)| *known >= rank);
        self.ranked.insert(at, (rank, class, count));
        let counted = self.ranked.iter().map(|(rank, _, count)| (*rank, *count));
        if let Some(last) = last_of(counted, self.wanted) {
            self.last = Some(last);
            let end = self.ranked.partition_point(|(known, ..)| *known >= last);
            self.ranked.truncate(end);
        }
    }
}

/// The rank of the last of the wanted posts, as far as the best by their scores tell: no more of
/// them are ranked than are needed. `rank` gives how many posts have it, too; `None` where there
/// are too few.
pub(super) fn last_of_best(
    all: impl Iterator<Item = (f64, u32)> + Clone,
    wanted: usize,
    mut rank: impl FnMut(f64, u32) -> Option<(f64, usize)>,
) -> Option<f64> {
    let mut most = wanted + SPARE;
    loop {
        let best = highest(all.clone(), most);
        let ranks = best
            .iter()
            .filter_map(|(score, class)| rank(*score, *class));
        let mut ranks: Vec<(f64, usize)> = ranks.collect();
        ranks.sort_unstable_by(|a, b| b.0.total_cmp(&a.0));
        let last = last_of(ranks.into_iter(), wanted);
        if last.is_some() || best.len() < most {
            return last;
        }
        most *= 8;
    }
}

/// Those with the highest scores, `most` of them if there are as many, in no order.
fn highest(all: impl Iterator<Item = (f64, u32)>, most: usize) -> Vec<(f64, u32)> {
    let mut best: Vec<(f64, u32)> = Vec::new();
    let mut least = f64::NEG_INFINITY;
    let narrow = |best: &mut Vec<(f64, u32)>| {
        best.select_nth_unstable_by(most - 1, |a, b| b.0.total_cmp(&a.0));
        best.truncate(most);
        best[most - 1].0
    };
    for (score, class) in all {
        if score > least {
            best.push((score, class));
            if best.len() == 4 * most {
                least = narrow(&mut best);
            }
        }
    }
    if best.len() > most {
        narrow(&mut best);
    }
    best
}

/// Of ranks with how many posts have them, the best first: that of the last of the wanted posts.
fn last_of<T>(mut ranks: impl Iterator<Item = (T, usize)>, wanted: usize) -> Option<T> {
    let mut counted = 0;
    let last = ranks.find(|(_, posts)| {
        counted += posts;
        counted >= wanted
    });
    last.map(|(rank, _)| rank)
}

/// Scores with their classes, the highest first. No more are put in order than are asked for.
pub(super) struct HighestFirst {
    scores: Vec<(f64, u32)>,
    /// So many are in order.
    ordered: usize,
    at: usize,
}

impl HighestFirst {
    pub(super) fn of(scores: Vec<(f64, u32)>) -> Self {
        Self {
            scores,
            ordered: 0,
            at: 0,
        }
    }
}

impl Iterator for HighestFirst {
    type Item = (f64, u32);

    fn next(&mut self) -> Option<Self::Item> {
        if self.at == self.ordered {
            let order = |a: &(f64, u32), b: &(f64, u32)| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1));
            let rest = &mut self.scores[self.ordered..];
            let next = rest.len().min(self.ordered.max(32));
            if next < rest.len() {
                rest.select_nth_unstable_by(next, order);
            }
            rest[..next].sort_unstable_by(order);
            self.ordered += next;
        }
        let next = self.scores.get(self.at).copied();
        self.at += 1;
        next
    }
}
