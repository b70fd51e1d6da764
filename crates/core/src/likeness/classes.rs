//! Posts with the same terms, which are looked at once.

use std::ops::Range;

use crate::catalogue::PostId;
use crate::id::number;

/// The posts that can be found, by class: those with the same terms in every aspect. In a class
/// they rise.
#[derive(Debug, Default)]
pub(super) struct Classes {
    /// Where the posts of each class begin, and where the last's end.
    starts: Vec<u32>,
    posts: Vec<PostId>,
    /// The class of each post.
    of: Vec<u32>,
}

impl Classes {
    /// Classes in the order in which they are handed in; none is empty.
    pub(super) fn of(each: &[Vec<PostId>]) -> Self {
        let mut starts = vec![0];
        let mut end = 0;
        for posts in each {
            end += number(posts.len());
            starts.push(end);
        }
        let of = (0..).zip(each);
        let of = of.flat_map(|(class, posts)| vec![class; posts.len()]);
        Self {
            starts,
            posts: each.concat(),
            of: of.collect(),
        }
    }

    /// How many there are.
    pub(super) fn len(&self) -> usize {
        self.starts.len() - 1
    }

    /// The places of a class's posts among all.
    pub(super) fn places(&self, class: u32) -> Range<u32> {
        self.starts[class as usize]..self.starts[class as usize + 1]
    }

    /// The places of the posts of some classes.
    pub(super) fn places_of(&self, classes: &Range<u32>) -> Range<u32> {
        self.starts[classes.start as usize]..self.starts[classes.end as usize]
    }

    /// The posts of a class.
    pub(super) fn posts(&self, class: u32) -> &[PostId] {
        let places = self.places(class);
        &self.posts[places.start as usize..places.end as usize]
    }

    /// The class of the post at a place.
    pub(super) fn class_at(&self, place: u32) -> u32 {
        self.of[place as usize]
    }

    /// All posts, class by class.
    pub(super) fn all(&self) -> &[PostId] {
        &self.posts
    }

    /// The first post of each class.
    pub(super) fn firsts(&self) -> impl Iterator<Item = PostId> + Clone {
        let starts = &self.starts[..self.len()];
        starts.iter().map(|start| self.posts[*start as usize])
    }
}
