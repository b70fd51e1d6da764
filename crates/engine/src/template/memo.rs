//! Results that are computed once and shared by all threads.

use std::borrow::Borrow;
use std::fmt;
use std::hash::Hash;
use std::sync::Mutex;

use rustc_hash::FxHashMap;

use crate::threads::locked;

/// A memo table. If two threads compute the same value, the last one is kept.
pub(crate) struct Memo<K, V>(Mutex<FxHashMap<K, V>>);

impl<K, V> Default for Memo<K, V> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<K, V> fmt::Debug for Memo<K, V> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Memo")
    }
}

impl<K: Hash + Eq, V: Clone> Memo<K, V> {
    /// Returns the value of a key, if it is known.
    pub(crate) fn get<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> Option<V>
    where
        K: Borrow<Q>,
    {
        locked(&self.0).get(key).cloned()
    }

    /// Returns true if the value of a key is known.
    pub(crate) fn contains<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> bool
    where
        K: Borrow<Q>,
    {
        locked(&self.0).contains_key(key)
    }

    /// Sets the value of a key. Returns true if it had none.
    pub(crate) fn insert(&self, key: K, value: V) -> bool {
        locked(&self.0).insert(key, value).is_none()
    }

    /// Returns the value of a key, and computes it first if it is not known.
    pub(crate) fn get_or_insert(&self, key: K, compute: impl FnOnce(&K) -> V) -> V {
        if let Some(known) = self.get(&key) {
            return known;
        }
        let value = compute(&key);
        self.insert(key, value.clone());
        value
    }

    /// Removes all values.
    pub(crate) fn clear(&self) {
        *locked(&self.0) = FxHashMap::default();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_computed_once_until_it_is_cleared() {
        let memo: Memo<String, usize> = Memo::default();
        let mut computed = 0;
        for _ in 0..3 {
            let length = memo.get_or_insert("lime".to_owned(), |key| {
                computed += 1;
                key.len()
            });
            assert_eq!(length, 4);
        }
        assert_eq!(computed, 1);
        assert!(memo.contains("lime") && !memo.contains("sand"));
        memo.clear();
        assert_eq!(memo.get("lime"), None);
    }
}
