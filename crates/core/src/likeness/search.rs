//! The posts that are most alike one, exactly, without comparing all.
//!
//! The lists of what the post has are walked, those first that tell most for their length, and
//! rough scores are added up. After some of them the best are compared in full. No post that was
//! not met can be more alike than what is left of the post's own vectors: by Cauchy and Schwarz
//! the length of the part that was not walked yet, aspect by aspect. As soon as that is less than
//! the last of the best, the other lists need not be walked, and of the posts that were met only
//! those are compared whose score could still reach it.

use std::cell::RefCell;

use super::Ninths;
use super::index::Index;
use crate::catalogue::PostId;

/// More than the error of a rough score: sums of at most some thousand single-precision products.
const MARGIN: f64 = 1e-4;

/// One list to be walked.
struct Walk<'a> {
    list: &'a [(u32, f32)],
    space: usize,
    /// The component of the post's vector of length 1.
    component: f64,
}

/// Rough scores by class, all 0 between searches.
#[derive(Default)]
struct Scores {
    of: Vec<f32>,
    met: Vec<u32>,
}

thread_local! {
    static SCORES: RefCell<Scores> = RefCell::new(Scores::default());
}

impl Index {
    /// The posts that share anything with `this`, in rising order, itself too if it can be found.
    #[must_use]
    pub fn sharing(&self, this: PostId) -> Vec<PostId> {
        let mut met: Vec<u32> = Vec::new();
        for space in self.spaces.iter().filter(|space| space.weighed.part > 0.0) {
            for (feature, _) in space.of(this) {
                met.extend(space.lists.of(*feature).iter().map(|(class, _)| *class));
            }
        }
        met.sort_unstable();
        met.dedup();
        let mut posts: Vec<PostId> = met
            .iter()
            .flat_map(|class| &self.classes[*class as usize])
            .copied()
            .collect();
        posts.sort_unstable();
        posts
    }

    /// The `wanted` posts most alike to `this` among those that `fits` lets through, and all that
    /// are as alike as the last of them; most alike first, of equals those with lower numbers.
    /// Posts of likeness 0 are not among them.
    pub fn nearest(
        &self,
        this: PostId,
        wanted: usize,
        fits: impl Fn(PostId) -> bool,
    ) -> Vec<(PostId, Ninths)> {
        if wanted == 0 {
            return Vec::new();
        }
        SCORES.with_borrow_mut(|scores| {
            scores
                .of
                .resize(self.classes.len().max(scores.of.len()), 0.0);
            let found = Search {
                index: self,
                this,
                wanted,
                fits: &fits,
                scores,
            }
            .run();
            for class in scores.met.drain(..) {
                scores.of[class as usize] = 0.0;
            }
            found
        })
    }

    fn walks(&self, this: PostId) -> Vec<Walk<'_>> {
        let mut walks = Vec::new();
        for (space, known) in self.spaces.iter().enumerate() {
            if known.weighed.part <= 0.0 {
                continue;
            }
            walks.extend(known.unit(this).map(|(feature, component)| Walk {
                list: known.lists.of(feature),
                space,
                component,
            }));
        }
        let gain = |walk: &Walk<'_>| {
            let part = self.spaces[walk.space].weighed.part;
            let length = u32::try_from(walk.list.len()).unwrap_or(u32::MAX);
            part * walk.component * walk.component / f64::from(length.max(1))
        };
        walks.sort_by(|a, b| gain(b).total_cmp(&gain(a)));
        walks
    }
}

struct Search<'a, F> {
    index: &'a Index,
    this: PostId,
    wanted: usize,
    fits: &'a F,
    scores: &'a mut Scores,
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    fn run(&mut self) -> Vec<(PostId, Ninths)> {
        let walks = self.index.walks(self.this);
        let mut left = self.left(&walks);
        let mut bound = self.bound(&left);
        let mut floor = 0.0;
        let (mut walked, mut look_at) = (0, 64);
        for walk in &walks {
            if walked >= look_at {
                floor = self.floor();
                if bound + MARGIN < floor {
                    break;
                }
                look_at = walked * 2;
            }
            self.add(walk);
            walked += walk.list.len();
            left[walk.space] = (left[walk.space] - walk.component * walk.component).max(0.0);
            bound = self.bound(&left);
        }
        floor = f64::max(floor, self.floor());
        self.compare(floor - bound - MARGIN)
    }

    /// The squared length of each aspect's vector.
    fn left(&self, walks: &[Walk<'_>]) -> Vec<f64> {
        let mut left = vec![0.0; self.index.spaces.len()];
        for walk in walks {
            left[walk.space] += walk.component * walk.component;
        }
        left
    }

    /// The most that lists that were not walked can add to a likeness.
    fn bound(&self, left: &[f64]) -> f64 {
        let spaces = self.index.spaces.iter().zip(left);
        spaces
            .map(|(space, left)| space.weighed.part * left.sqrt())
            .sum()
    }

    fn add(&mut self, walk: &Walk<'_>) {
        let part = self.index.spaces[walk.space].weighed.part;
        #[expect(
            clippy::cast_possible_truncation,
            reason = "it only narrows the search"
        )]
        let own = (part * walk.component) as f32;
        let Scores { of, met } = &mut *self.scores;
        for (class, component) in walk.list {
            let score = &mut of[*class as usize];
            if *score == 0.0 {
                met.push(*class);
            }
            // Never 0 again, so that no class is met twice.
            *score += (own * component).max(f32::MIN_POSITIVE);
        }
    }

    /// The likeness that the last of the wanted posts has at least: that of the last among the
    /// best so far; 0 while there are too few.
    fn floor(&mut self) -> f64 {
        let Scores { of, met } = &mut *self.scores;
        let score = |class: &u32| of[*class as usize];
        let mut most = self.wanted * 2 + 8;
        loop {
            let best = if most < met.len() {
                met.select_nth_unstable_by(most, |a, b| score(b).total_cmp(&score(a)));
                &met[..most]
            } else {
                &met[..]
            };
            let mut found: Vec<(Ninths, usize)> = Vec::new();
            for class in best {
                let posts = &self.index.classes[*class as usize];
                let fitting = posts.iter().filter(|post| (self.fits)(**post));
                let count = fitting.take(self.wanted).count();
                if count > 0 {
                    found.push((self.index.likeness(self.this, posts[0]), count));
                }
            }
            found.sort_unstable_by(|a, b| b.cmp(a));
            let mut count = 0;
            for (likeness, posts) in found {
                count += posts;
                if count >= self.wanted {
                    return f64::from(likeness) / f64::from(super::WHOLE);
                }
            }
            if best.len() == met.len() {
                return 0.0;
            }
            most *= 8;
        }
    }

    /// Compares in full what was met with a score of at least `score`.
    fn compare(&self, score: f64) -> Vec<(PostId, Ninths)> {
        let met = self.scores.met.iter();
        let near = met.filter(|class| f64::from(self.scores.of[**class as usize]) >= score);
        let mut classes: Vec<(Ninths, u32)> = near
            .map(|class| {
                let first = self.index.classes[*class as usize][0];
                (self.index.likeness(self.this, first), *class)
            })
            .filter(|(likeness, _)| *likeness > 0)
            .collect();
        classes.sort_unstable_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut found: Vec<(PostId, Ninths)> = Vec::new();
        for (likeness, class) in classes {
            let full = found.len() >= self.wanted;
            if full && found.last().is_some_and(|(_, last)| *last > likeness) {
                break;
            }
            let posts = self.index.classes[class as usize].iter();
            let fitting = posts.filter(|post| (self.fits)(**post));
            found.extend(fitting.map(|post| (*post, likeness)));
        }
        found.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        let last = found.get(self.wanted - 1).map_or(0, |(_, last)| *last);
        let end = found.partition_point(|(_, likeness)| *likeness >= last);
        found.truncate(end);
        found
    }
}
