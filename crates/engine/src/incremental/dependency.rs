//! Dependencies: keys by number, and the recorder of what an output depends on.

use std::sync::{Mutex, MutexGuard};

use indexmap::IndexSet;
use rustc_hash::FxBuildHasher;
use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::term::TermId;

use super::key::Key;
use crate::threads::locked;

/// A key, as its number in one build.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct Dependency(u32);

impl Dependency {
    /// Returns the number, less than [`DependencyTable::len`].
    pub(crate) fn number(self) -> usize {
        self.0 as usize
    }
}

/// The numbers of keys in one build. Those of posts and terms are computed, others are given when first
/// asked for.
#[derive(Debug)]
pub(crate) struct DependencyTable {
    posts: u32,
    /// The first number of each term field, and the end of the last.
    terms: Vec<u32>,
    others: Mutex<IndexSet<Key, FxBuildHasher>>,
}

impl DependencyTable {
    /// Returns the table for the posts and terms of a catalogue.
    pub(crate) fn new(catalogue: &Catalogue) -> Self {
        let posts = count(catalogue.all().count());
        let mut terms = vec![0];
        for table in catalogue.term_tables() {
            terms.push(terms[terms.len() - 1] + count(table.terms.len()));
        }
        Self {
            posts,
            terms,
            others: Mutex::default(),
        }
    }

    pub(crate) fn post(&self, id: PostId) -> Dependency {
        Dependency(id.0)
    }

    pub(crate) fn text(&self, id: PostId) -> Dependency {
        Dependency(self.posts + id.0)
    }

    pub(crate) fn related(&self, id: PostId) -> Dependency {
        Dependency(2 * self.posts + id.0)
    }

    pub(crate) fn term(&self, field: usize, id: TermId) -> Dependency {
        Dependency(3 * self.posts + self.terms[field] + id.0)
    }

    pub(crate) fn count(&self, field: usize, id: TermId) -> Dependency {
        Dependency(3 * self.posts + self.all_terms() + self.terms[field] + id.0)
    }

    fn all_terms(&self) -> u32 {
        self.terms[self.terms.len() - 1]
    }

    /// Returns the number of any other key, and gives it one if it has none.
    pub(crate) fn other(&self, key: Key) -> Dependency {
        let mut others = self.others();
        let number = match others.get_index_of(&key) {
            Some(known) => known,
            None => others.insert_full(key).0,
        };
        Dependency(self.first_other() + count(number))
    }

    fn first_other(&self) -> u32 {
        3 * self.posts + 2 * self.all_terms()
    }

    /// Returns the count of numbers given so far.
    pub(crate) fn len(&self) -> usize {
        self.first_other() as usize + self.others().len()
    }

    fn others(&self) -> MutexGuard<'_, IndexSet<Key, FxBuildHasher>> {
        locked(&self.others)
    }

    /// Returns the key of a number.
    pub(crate) fn key(&self, dependency: Dependency, catalogue: &Catalogue) -> Key {
        let path = |number: u32| catalogue.post(PostId(number)).path.clone();
        let (kind, number) = match dependency.0.checked_div(self.posts) {
            Some(kind) if kind < 3 => (kind, dependency.0 % self.posts),
            _ => (3, dependency.0 - 3 * self.posts),
        };
        match kind {
            0 => Key::Post(path(number)),
            1 => Key::Text(path(number)),
            2 => Key::Related(path(number)),
            _ if number < self.all_terms() => {
                let (field, slug) = self.term_of(number, catalogue);
                Key::Term(field, slug)
            }
            _ if number < 2 * self.all_terms() => {
                let (field, slug) = self.term_of(number - self.all_terms(), catalogue);
                Key::Count(field, slug)
            }
            _ => self.others()[(number - 2 * self.all_terms()) as usize].clone(),
        }
    }

    fn term_of(&self, number: u32, catalogue: &Catalogue) -> (String, String) {
        let field = self.terms.partition_point(|start| *start <= number) - 1;
        let table = catalogue.terms(field);
        let term = table.term(TermId(number - self.terms[field]));
        (table.field.name.clone(), term.slug.clone())
    }
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The dependencies of what is being rendered, one frame for the output and one for each part within it
/// whose dependencies are recorded on their own, the innermost last.
#[derive(Debug, Default)]
pub(crate) struct Recorder {
    frames: Vec<Vec<Dependency>>,
}

impl Recorder {
    /// Records a dependency of the innermost frame. Without any frame nothing is recorded.
    pub(crate) fn track(&mut self, dependency: Dependency) {
        if let Some(frame) = self.frames.last_mut()
            && frame.last() != Some(&dependency)
        {
            frame.push(dependency);
        }
    }

    /// Records several dependencies.
    pub(crate) fn track_all(&mut self, dependencies: &[Dependency]) {
        if let Some(frame) = self.frames.last_mut() {
            frame.extend_from_slice(dependencies);
        }
    }

    /// Begins a frame.
    pub(crate) fn begin(&mut self) {
        self.frames.push(Vec::new());
    }

    /// Ends the innermost frame, and returns its dependencies without repetitions, in rising order.
    pub(crate) fn end(&mut self) -> Box<[Dependency]> {
        let mut dependencies = self.frames.pop().unwrap_or_default();
        dependencies.sort_unstable();
        dependencies.dedup();
        dependencies.into()
    }

    /// Returns the number of open frames.
    pub(crate) fn depth(&self) -> usize {
        self.frames.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use tabulae_core::id::LocaleId;

    fn dependencies(numbers: &[u32]) -> Vec<Dependency> {
        numbers.iter().copied().map(Dependency).collect()
    }

    #[rstest]
    #[case::once_each(&[3, 1, 3, 3, 2, 1], &[1, 2, 3])]
    #[case::none(&[], &[])]
    fn a_frame_has_each_dependency_once(#[case] tracked: &[u32], #[case] expected: &[u32]) {
        let mut recorder = Recorder::default();
        recorder.begin();
        for number in tracked {
            recorder.track(Dependency(*number));
        }
        assert_eq!(*recorder.end(), dependencies(expected));
    }

    #[test]
    fn an_inner_frame_keeps_its_dependencies_to_itself() {
        let mut recorder = Recorder::default();
        recorder.begin();
        recorder.track(Dependency(1));
        recorder.begin();
        assert_eq!(recorder.depth(), 2);
        recorder.track_all(&dependencies(&[5, 4]));
        assert_eq!(*recorder.end(), dependencies(&[4, 5]));
        recorder.track(Dependency(2));
        assert_eq!(*recorder.end(), dependencies(&[1, 2]));
        assert_eq!(recorder.depth(), 0);
    }

    #[test]
    fn nothing_is_recorded_outside_of_a_frame() {
        let mut recorder = Recorder::default();
        recorder.track(Dependency(1));
        recorder.track_all(&dependencies(&[2]));
        recorder.begin();
        assert_eq!(*recorder.end(), []);
    }

    /// Two posts and, in two term fields, two terms and one: each key has a number of its own, by which it is
    /// found again.
    #[test]
    fn each_key_has_its_number() {
        let bench = crate::tests::bench::Bench::new("").with(
            "posts/2026-03-01-a.md",
            "---\ntags: [lime, sand]\ncategory: Kilns\n---\n",
        );
        let site = bench.with("posts/2026-03-02-b.md", "---\ntags: [lime]\n---\n");
        let site = site.workspace();
        let catalogue = site.catalogue().unwrap();
        let table = DependencyTable::new(catalogue);
        let (tag, category) = (
            catalogue.term_field("tag").unwrap(),
            catalogue.term_field("category").unwrap(),
        );
        let path = |id| catalogue.post(id).path.clone();
        let mut expected = Vec::new();
        for id in catalogue.all() {
            expected.push((table.post(id), Key::Post(path(id))));
            expected.push((table.text(id), Key::Text(path(id))));
            expected.push((table.related(id), Key::Related(path(id))));
        }
        for (field, name, slugs) in [
            (tag, "tag", &["lime", "sand"][..]),
            (category, "category", &["kilns"]),
        ] {
            for slug in slugs {
                let terms = &catalogue.terms(field).terms;
                let at = terms.iter().position(|term| term.slug == *slug).unwrap();
                let id = TermId(u32::try_from(at).unwrap());
                let (name, slug) = (name.to_owned(), (*slug).to_owned());
                expected.push((table.term(field, id), Key::Term(name.clone(), slug.clone())));
                expected.push((table.count(field, id), Key::Count(name, slug)));
            }
        }
        let site = Key::Site(LocaleId::SITE);
        for key in [site.clone(), Key::Template("a.html".to_owned()), site] {
            expected.push((table.other(key.clone()), key));
        }
        for (dependency, key) in &expected {
            assert_eq!(table.key(*dependency, catalogue), *key);
            assert!(dependency.number() < table.len());
        }
        let numbers: std::collections::BTreeSet<_> =
            expected.iter().map(|(number, _)| number).collect();
        // `Site` was asked for twice.
        assert_eq!(numbers.len(), expected.len() - 1);
    }
}
