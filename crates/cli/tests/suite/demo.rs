//! The example site, whole: every link leads somewhere, every feed is valid.

use std::collections::BTreeSet;

use crate::site::Site;

fn demo() -> Site {
    let site = Site::empty();
    site.run(&["demo", "towpath"]).sound();
    site
}

/// The values of an attribute in a page.
fn values<'a>(html: &'a str, attribute: &str) -> Vec<&'a str> {
    let open = format!(" {attribute}=\"");
    html.split(&open)
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .collect()
}

#[test]
fn every_link_leads_somewhere() {
    let site = demo();
    let files: BTreeSet<String> = site
        .tree("towpath/out")
        .into_iter()
        .map(|(name, _)| name)
        .collect();
    let mut checked = 0;
    for (name, bytes) in site.tree("towpath/out") {
        if !name.ends_with(".html") {
            continue;
        }
        let html = String::from_utf8(bytes).expect("text");
        for link in values(&html, "href")
            .into_iter()
            .chain(values(&html, "src"))
        {
            let path = link.split('#').next().unwrap_or_default();
            let Some(below) = path.strip_prefix('/') else {
                continue;
            };
            let file = if below.is_empty() || below.ends_with('/') {
                format!("{below}index.html")
            } else {
                below.to_owned()
            };
            assert!(files.contains(&file), "{name} links to {link}");
            checked += 1;
        }
    }
    assert!(checked > 1000, "{checked} links were looked at");
}

#[test]
fn full_feeds_hold_absolute_addresses_only() {
    let site = demo();
    let feed = site.read("towpath/out/journal/atom.xml");
    assert!(!feed.contains("href=&quot;/") && !feed.contains("src=&quot;/"));
}

#[test]
fn two_builds_are_the_same_byte_for_byte() {
    let site = demo();
    let first = site.tree("towpath/out");
    site.run(&[
        "-C",
        "towpath",
        "build",
        "--out",
        "again",
        "--jobs",
        "1",
        "--today",
        "2026-11-20",
    ])
    .sound();
    assert_eq!(first, site.tree("again"));
}

#[test]
fn a_folder_with_files_is_left_alone() {
    let site = Site::small();
    let run = site.run(&["demo", "."]);
    assert_eq!(run.status, 2);
    assert!(!site.file("fleet").exists());
}
