//! No HTML makes its readers panic, links that stay leave every byte as it was, and a feed's content
//! holds neither scripts nor comments.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::{feed, html};

fuzz_target!(|text: &str| {
    let _ = html::text(text);
    let mut addresses = 0;
    let same = html::rewrite_links(text, &mut |_| {
        addresses += 1;
        None
    });
    if !text.to_ascii_lowercase().contains("srcset") {
        assert_eq!(same, text);
    }
    assert!(html::addresses(text).len() <= addresses);
    let content = feed::content(text, "entry", &mut |address| Some(address.to_owned()));
    // What is left is read as HTML once more: there is nothing more to leave out.
    let again = feed::content(&content, "entry", &mut |address| Some(address.to_owned()));
    assert!(again.len() <= content.len() + 64 * content.matches("id").count() + content.len());
});
