//! The stop words, held equal to the crate that they come from.

use std::collections::BTreeSet;

#[test]
fn the_lists_are_those_of_the_crate() {
    let letters = || (b'a'..=b'z').map(char::from);
    let codes = letters().flat_map(|a| letters().map(move |b| format!("{a}{b}")));
    let mut languages = 0;
    for code in codes {
        let ours: BTreeSet<&str> = tabulae_core::words::stop_words::stop_words(&code).collect();
        let theirs = stop_words::lookup(&code).into_iter().flatten();
        let theirs: BTreeSet<&str> = theirs.copied().collect();
        assert_eq!(ours, theirs, "{code}");
        languages += usize::from(!ours.is_empty());
    }
    assert!(languages > 50, "{languages}");
}
