//! Invalidation: which outputs of the last build are still valid, and why others are not.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use rustc_hash::FxHashMap;
use tabulae_core::route::OutputPath;

use super::cache::{BuildCache, CachedOutput};
use super::dependency::Dependency;
use super::key::{Key, QueryPlace};

/// The dependencies of the last build that have other fingerprints now.
#[derive(Debug)]
pub(crate) struct Invalidation<'a> {
    old: &'a BuildCache,
    /// By the number of the key in the old cache.
    changed: Vec<bool>,
    /// The numbers of the old keys.
    numbers: OnceLock<FxHashMap<&'a Key, usize>>,
    /// Set if the outputs and their makers are those of the last build.
    same_plan: bool,
}

/// The reason why an output is rendered again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum RebuildReason<'a> {
    /// The last build had no such output, or made it of something else.
    New,
    /// Every build renders it.
    Always,
    /// A dependency changed.
    Changed(&'a Key),
}

impl<'a> Invalidation<'a> {
    /// Compares the fingerprints of the last build with the current ones, in the order of
    /// [`BuildCache::keys`]; `None` is a key that no longer exists, or that always changes.
    pub(crate) fn new(old: &'a BuildCache, current: &[Option<u64>], same_plan: bool) -> Self {
        let pairs = current.iter().zip(&old.keys);
        Self {
            old,
            changed: pairs
                .map(|(now, (_, known))| *now != Some(*known))
                .collect(),
            numbers: OnceLock::new(),
            same_plan,
        }
    }

    /// Returns an output of the last build if it is still valid; `known` is that of its path, see [`Self::known`].
    ///
    /// # Errors
    /// The reason why it is rendered again: of several changed dependencies the one that a person edited.
    pub(crate) fn valid(
        &self,
        known: Option<&'a CachedOutput>,
        maker: impl FnOnce() -> u64,
    ) -> Result<&'a CachedOutput, RebuildReason<'a>> {
        let output = known.ok_or(RebuildReason::New)?;
        if !self.same_plan && output.maker != maker() {
            return Err(RebuildReason::New);
        }
        let dependencies = output.dependencies.as_ref().ok_or(RebuildReason::Always)?;
        let numbers = dependencies.iter().map(|number| *number as usize);
        let changed = numbers.filter(|number| self.changed[*number]);
        let keys = changed.map(|number| &self.old.keys[number].0);
        match keys.min_by_key(|key| remoteness(key)) {
            Some(key) => Err(RebuildReason::Changed(key)),
            None => Ok(output),
        }
    }

    /// Returns true if the outputs and their makers are those of the last build.
    pub(crate) fn same_plan(&self) -> bool {
        self.same_plan
    }

    /// Returns an output of the last build, valid or not.
    pub(crate) fn known(&self, path: &OutputPath) -> Option<&'a CachedOutput> {
        self.old.outputs.get(path)
    }

    /// Returns the queries with reports that valid outputs have, in the order of the outputs.
    pub(crate) fn reported_queries<'o>(
        &self,
        outputs: impl Iterator<Item = &'o CachedOutput>,
    ) -> Vec<&'a QueryPlace> {
        let numbers = self.old.keys.iter().zip(0..);
        let mut left: BTreeMap<u32, &QueryPlace> = numbers
            .filter_map(|((key, _), number)| match key {
                Key::QueryReport(place) => Some((number, &**place)),
                _ => None,
            })
            .collect();
        let mut found = Vec::new();
        for output in outputs {
            if left.is_empty() {
                break;
            }
            let numbers = output.dependencies.iter().flatten();
            found.extend(numbers.filter_map(|number| left.remove(number)));
        }
        found
    }

    /// Returns the cache of the last build.
    pub(crate) fn old(&self) -> &'a BuildCache {
        self.old
    }

    fn number(&self, key: &Key) -> Option<usize> {
        let numbers = self.numbers.get_or_init(|| {
            let keys = self.old.keys.iter().map(|(key, _)| key);
            keys.zip(0..).collect()
        });
        numbers.get(key).copied()
    }
}

/// The distance of a key from what a person edits: settings, then files, then posts, then what follows
/// from them.
fn remoteness(key: &Key) -> u8 {
    match key {
        Key::Settings => 0,
        Key::Template(_) | Key::Page(_) | Key::File(_) => 1,
        Key::Post(_) | Key::Text(_) => 2,
        _ => 3,
    }
}

/// The keys of the next cache, each with its fingerprint if it is known.
#[derive(Debug)]
pub(crate) struct NextKeys<'i, 'a> {
    invalidation: &'i Invalidation<'a>,
    keys: Vec<(Key, Option<u64>)>,
    /// The new numbers of the old keys, by old number.
    of_old: Vec<Option<u32>>,
    /// The new numbers of this build's dependencies.
    of_new: Vec<Option<u32>>,
}

impl<'i, 'a> NextKeys<'i, 'a> {
    /// Begins with keys that every cache has. `dependencies` is the count of this build's dependencies.
    pub(crate) fn new(
        invalidation: &'i Invalidation<'a>,
        dependencies: usize,
        always: impl IntoIterator<Item = Key>,
    ) -> Self {
        Self {
            invalidation,
            keys: always.into_iter().map(|key| (key, None)).collect(),
            of_old: vec![None; invalidation.old.keys.len()],
            of_new: vec![None; dependencies],
        }
    }

    fn add(&mut self, key: Key, fingerprint: Option<u64>) -> u32 {
        self.keys.push((key, fingerprint));
        u32::try_from(self.keys.len() - 1).unwrap_or(u32::MAX)
    }

    /// Returns the number of a key of the old cache, by its number there.
    pub(crate) fn old(&mut self, number: usize) -> u32 {
        if let Some(known) = self.of_old[number] {
            return known;
        }
        let (key, fingerprint) = self.invalidation.old.keys[number].clone();
        let is_same = !self.invalidation.changed[number];
        let new = self.add(key, is_same.then_some(fingerprint));
        self.of_old[number] = Some(new);
        new
    }

    /// Returns the number of a dependency of this build, whose key `key` returns.
    pub(crate) fn new_one(&mut self, dependency: Dependency, key: impl FnOnce() -> Key) -> u32 {
        if let Some(known) = self.of_new[dependency.number()] {
            return known;
        }
        let key = key();
        let number = match self.invalidation.number(&key) {
            Some(known) => self.old(known),
            None => self.add(key, None),
        };
        self.of_new[dependency.number()] = Some(number);
        number
    }

    /// Returns the keys in the order of their numbers.
    pub(crate) fn into_keys(self) -> Vec<(Key, Option<u64>)> {
        self.keys
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const MAKER: u64 = 7;

    /// A cache of three keys, and of outputs that depend on some of them.
    fn cache() -> BuildCache {
        let keys = [
            Key::Settings,
            Key::Post("posts/a.md".to_owned()),
            Key::List("/".to_owned()),
        ];
        let output = |dependencies: Option<&[u32]>| CachedOutput {
            maker: MAKER,
            stamp: None,
            dependencies: dependencies.map(<[u32]>::to_vec),
        };
        let outputs = [
            ("all.html", output(Some(&[0, 1, 2]))),
            ("list.html", output(Some(&[2]))),
            ("none.html", output(Some(&[]))),
            ("always.css", output(None)),
        ];
        let path = |name: &str| OutputPath::new(name).unwrap();
        BuildCache {
            keys: keys.into_iter().zip([10, 11, 12]).collect(),
            outputs: outputs
                .into_iter()
                .map(|(name, output)| (path(name), output))
                .collect(),
            ..BuildCache::default()
        }
    }

    #[rstest]
    #[case::the_same("all.html", [10, 11, 12], MAKER, None)]
    #[case::one_changed("list.html", [10, 11, 0], MAKER, Some(RebuildReason::Changed(&Key::List("/".to_owned()))))]
    #[case::another_changed("list.html", [0, 0, 12], MAKER, None)]
    #[case::what_a_person_edited_first("all.html", [10, 0, 0], MAKER, Some(RebuildReason::Changed(&Key::Post("posts/a.md".to_owned()))))]
    #[case::settings_before_all("all.html", [0, 0, 0], MAKER, Some(RebuildReason::Changed(&Key::Settings)))]
    #[case::depends_on_nothing("none.html", [0, 0, 0], MAKER, None)]
    #[case::of_each_build("always.css", [10, 11, 12], MAKER, Some(RebuildReason::Always))]
    #[case::made_of_something_else("all.html", [10, 11, 12], 8, Some(RebuildReason::New))]
    #[case::not_there_before("new.html", [10, 11, 12], MAKER, Some(RebuildReason::New))]
    fn an_output_is_valid_or_there_is_a_reason(
        #[case] name: &str,
        #[case] now: [u64; 3],
        #[case] maker: u64,
        #[case] expected: Option<RebuildReason<'_>>,
    ) {
        let cache = cache();
        let invalidation = Invalidation::new(&cache, &now.map(Some), false);
        let path = OutputPath::new(name).unwrap();
        assert_eq!(
            invalidation
                .valid(invalidation.known(&path), || maker)
                .err(),
            expected
        );
    }

    #[test]
    fn a_key_that_is_gone_invalidates() {
        let cache = cache();
        let invalidation = Invalidation::new(&cache, &[Some(10), Some(11), None], false);
        let path = OutputPath::new("list.html").unwrap();
        assert!(
            invalidation
                .valid(invalidation.known(&path), || MAKER)
                .is_err()
        );
    }

    #[test]
    fn a_known_plan_is_not_compared() {
        let cache = cache();
        let invalidation = Invalidation::new(&cache, &[10, 11, 12].map(Some), true);
        let path = OutputPath::new("all.html").unwrap();
        let never = || panic!("the maker is not needed");
        assert!(invalidation.valid(invalidation.known(&path), never).is_ok());
    }

    /// Keys that are still in use keep their fingerprints, if those are right; numbers are given once.
    #[test]
    fn the_next_keys_are_numbered_as_they_are_used() {
        let cache = cache();
        let invalidation = Invalidation::new(&cache, &[Some(10), Some(0), Some(12)], false);
        let mut next = NextKeys::new(&invalidation, 0, [Key::Posts]);
        assert_eq!([next.old(2), next.old(1), next.old(2)], [1, 2, 1]);
        let expected = [
            (Key::Posts, None),
            (Key::List("/".to_owned()), Some(12)),
            (Key::Post("posts/a.md".to_owned()), None),
        ];
        assert_eq!(next.into_keys(), expected);
    }
}
