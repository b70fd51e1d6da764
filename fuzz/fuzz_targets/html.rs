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
    let content =
        |text: &str| feed::content(text, "entry", &mut |address| Some(address.to_owned()));
    let once = content(text);
    // What is left is read as HTML once more: nothing more is left out.
    let again = content(&once);
    let plain = |html: &str| html.replace("entry-", "").replace('\0', "\u{fffd}");
    assert_eq!(plain(&once), plain(&again));
});
