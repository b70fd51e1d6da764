//! The example site and the documentation's own, whole: every link leads somewhere, every feed is valid.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use rstest::rstest;

use crate::site::{Site, repository};

/// The example site in `site/`, built.
fn demo() -> Site {
    let site = Site::empty();
    site.run(&["demo", "site"]).sound();
    site
}

/// The documentation's site in `site/`, built.
fn documentation() -> Site {
    let site = Site::empty();
    let folder = repository().join("docs/site");
    for part in ["tabulae.toml", "guides", "pages"] {
        copy(&folder.join(part), &site.file("site").join(part));
    }
    site.run(&[
        "-C",
        "site",
        "build",
        "--deny",
        "all",
        "--today",
        "2026-11-20",
    ])
    .sound();
    site
}

fn copy(from: &Path, to: &Path) {
    if from.is_dir() {
        fs::create_dir_all(to).expect("a folder");
        for entry in fs::read_dir(from).expect("a folder") {
            let name = entry.expect("an entry").file_name();
            copy(&from.join(&name), &to.join(&name));
        }
    } else {
        fs::create_dir_all(to.parent().expect("a folder above")).expect("a folder");
        fs::copy(from, to).expect("a file");
    }
}

/// The values of an attribute in a page.
fn values<'a>(html: &'a str, attribute: &str) -> Vec<&'a str> {
    let open = format!(" {attribute}=\"");
    html.split(&open)
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .collect()
}

/// A page without its blocks of code, in which quotes are as in tags.
fn without_code(html: &str) -> String {
    let mut parts = html.split("<pre ");
    let first = parts.next().unwrap_or_default();
    let rest = parts.map(|part| part.split_once("</pre>").map_or("", |(_, rest)| rest));
    std::iter::once(first).chain(rest).collect()
}

#[rstest]
#[case::example(demo(), 1_000)]
#[case::documentation(documentation(), 500)]
fn every_link_leads_somewhere(#[case] site: Site, #[case] at_least: usize) {
    let files: BTreeMap<String, Vec<u8>> = site.tree("site/out").into_iter().collect();
    let mut checked = 0;
    for (name, bytes) in files.iter().filter(|(name, _)| name.ends_with(".html")) {
        let html = String::from_utf8_lossy(bytes);
        let html = without_code(&html);
        let links = values(&html, "href").into_iter();
        for link in links.chain(values(&html, "src")) {
            let (path, anchor) = link.split_once('#').unwrap_or((link, ""));
            let file = match path.strip_prefix('/') {
                None if path.is_empty() => name.clone(),
                None => continue,
                Some(below) if below.is_empty() || below.ends_with('/') => {
                    format!("{below}index.html")
                }
                Some(below) => below.to_owned(),
            };
            let target = files.get(&file);
            let target = target.unwrap_or_else(|| panic!("{name} links to {link}"));
            let target = String::from_utf8_lossy(target);
            assert!(
                anchor.is_empty() || values(&target, "id").contains(&anchor),
                "{name} links to {link}"
            );
            checked += 1;
        }
    }
    assert!(checked > at_least, "{checked} links were looked at");
}

/// Returns the lines of a page's head that name the page in each language.
fn hreflang(html: &[u8]) -> Vec<String> {
    let html = String::from_utf8_lossy(html);
    let lines = html.lines();
    let lines = lines.filter(|line| line.starts_with("<link rel=\"alternate\" hreflang="));
    lines.map(str::to_owned).collect()
}

/// Each page that is named has the same names, its own among them.
#[test]
fn translations_name_each_other() {
    let files: BTreeMap<String, Vec<u8>> = demo().tree("site/out").into_iter().collect();
    let mut checked = 0;
    for (name, html) in files.iter().filter(|(name, _)| name.ends_with(".html")) {
        let named = hreflang(html);
        let address = format!("https://towpath.example/{}", name.replace("index.html", ""));
        let has_itself = |line: &String| line.contains(&format!("href=\"{address}\""));
        assert!(named.is_empty() || named.iter().any(has_itself), "{name}");
        for line in &named {
            let address = values(line, "href")[0];
            let path = address.strip_prefix("https://towpath.example/");
            let file = format!("{}index.html", path.expect("an address of the site"));
            assert_eq!(hreflang(&files[&file]), named, "{name} and {file}");
            checked += 1;
        }
    }
    assert!(checked > 100, "{checked} names were looked at");
}

#[test]
fn full_feeds_hold_absolute_addresses_only() {
    let site = demo();
    let feed = site.read("site/out/journal/atom.xml");
    assert!(!feed.contains("href=&quot;/") && !feed.contains("src=&quot;/"));
}

#[rstest]
#[case::example(demo())]
#[case::documentation(documentation())]
fn two_builds_are_the_same_byte_for_byte(#[case] site: Site) {
    let first = site.tree("site/out");
    let again = ["build", "--out", "again", "--jobs", "1"];
    site.run(&[&["-C", "site", "--today", "2026-11-20"], &again[..]].concat())
        .sound();
    assert_eq!(first, site.tree("again"));
}

#[test]
fn an_audit_of_the_documentation_finds_nothing() {
    let audit = documentation().run(&["-C", "site", "audit"]);
    assert_eq!((audit.out.as_str(), audit.status), ("No findings.\n", 0));
}

/// Every guide has a summary, a tag, and the category of its folder.
#[test]
fn guides_are_in_the_category_of_their_folder() {
    let site = documentation();
    let fields = [
        "--fields",
        "folder,category,tag,summary",
        "--format",
        "json",
    ];
    let guides = site.run(&[&["-C", "site", "query", "from guides"], &fields[..]].concat());
    let guides = guides.json();
    let guides = guides["posts"].as_array().expect("posts");
    assert!(guides.len() > 20);
    for guide in guides {
        let category = guide["category"][0].as_str().unwrap_or_default();
        let folder = category.to_lowercase().replace(' ', "-");
        assert_eq!(guide["folder"], folder.as_str(), "{guide}");
        assert!(
            guide["tag"][0].is_string() && guide["summary"] != "",
            "{guide}"
        );
    }
}

#[test]
fn a_folder_with_files_is_left_alone() {
    let site = Site::small();
    let run = site.run(&["demo", "."]);
    assert_eq!(run.status, 2);
    assert!(!site.file("fleet").exists());
}
