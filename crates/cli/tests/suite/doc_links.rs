//! Links in the documentation lead to files and headings that exist, and every page is reachable from the index.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Component, Path, PathBuf};

use crate::site::repository;

/// The pages by their paths below the repository.
pub(crate) fn pages() -> BTreeMap<PathBuf, String> {
    let mut paths: Vec<PathBuf> = [
        "README",
        "ARCHITECTURE",
        "CONTRIBUTING",
        "DESIGN",
        "CHANGELOG",
    ]
    .map(|name| PathBuf::from(format!("{name}.md")))
    .to_vec();
    let mut folders = vec![PathBuf::from("docs")];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(repository().join(&folder)).expect("a folder") {
            let path = folder.join(entry.expect("an entry").file_name());
            if repository().join(&path).is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|extension| extension == "md") {
                paths.push(path);
            }
        }
    }
    let read = |path: PathBuf| {
        let text = fs::read_to_string(repository().join(&path)).expect("a page");
        (path, text)
    };
    paths.into_iter().map(read).collect()
}

/// The lines outside of fenced blocks.
fn prose(text: &str) -> String {
    let mut is_code = false;
    let lines = text.lines().filter(|line| {
        let is_fence = line.starts_with("```");
        is_code ^= is_fence;
        !is_code && !is_fence
    });
    lines.collect::<Vec<_>>().join("\n")
}

/// The targets of all links, without those to other sites.
fn links(text: &str) -> Vec<String> {
    let prose = prose(text);
    // Every second piece is code.
    let text: String = prose.split('`').step_by(2).collect();
    let targets = text.split("](").skip(1);
    let targets = targets.filter_map(|rest| rest.split_once(')'));
    let targets = targets.map(|(target, _)| target.to_owned());
    targets
        .filter(|target| !target.contains("://") && !target.contains(' '))
        .collect()
}

/// The anchor of a heading: lower case, hyphens for spaces, no other punctuation.
fn anchor(heading: &str) -> String {
    let lower = heading.to_lowercase();
    let kept = lower
        .chars()
        .filter(|c| c.is_alphanumeric() || " -_".contains(*c));
    kept.map(|c| if c == ' ' { '-' } else { c }).collect()
}

fn anchors(text: &str) -> BTreeSet<String> {
    let text = prose(text);
    let headings = text.lines().filter(|line| line.starts_with('#'));
    headings
        .map(|line| anchor(line.trim_start_matches('#').trim()))
        .collect()
}

/// Returns the path of a link from a page, without `.` and `..`.
fn resolved(page: &Path, target: &str) -> PathBuf {
    let mut path = PathBuf::new();
    for part in page.with_file_name("").join(target).components() {
        match part {
            Component::ParentDir => {
                path.pop();
            }
            Component::CurDir => {}
            part => path.push(part),
        }
    }
    path
}

#[test]
fn every_link_leads_to_a_file_and_a_heading() {
    let pages = pages();
    let mut checked = 0;
    for (page, text) in &pages {
        for link in links(text) {
            let (file, heading) = link.split_once('#').unwrap_or((&link, ""));
            let target = match file {
                "" => page.clone(),
                file => resolved(page, file),
            };
            let shown = page.display();
            assert!(repository().join(&target).exists(), "{shown}: {link}");
            if !heading.is_empty() {
                let known = anchors(&pages[&target]);
                assert!(known.contains(heading), "{shown}: {link}: {known:?}");
            }
            checked += 1;
        }
    }
    assert!(checked > 80, "{checked}");
}

#[test]
fn every_page_is_linked_from_the_index() {
    let pages = pages();
    let index = Path::new("docs/README.md");
    let linked: BTreeSet<PathBuf> = links(&pages[index])
        .iter()
        .map(|link| resolved(index, link.split('#').next().unwrap_or_default()))
        .collect();
    let is_of_docs = |page: &&PathBuf| page.starts_with("docs") && *page != index;
    for page in pages.keys().filter(is_of_docs) {
        assert!(linked.contains(page), "{}", page.display());
    }
}
