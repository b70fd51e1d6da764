//! Builds of a part of the outputs.

use std::collections::BTreeMap;

use rstest::rstest;

use super::bench::Bench;
use crate::{BuildOptions, BuildPart, Code, MemoryOutput};

fn bench() -> Bench {
    let mut bench = Bench::new(
        "search = \"full\"\n[archive.journal]\nlink = \"/journal/\"\nper_page = 2\nfeeds = [\"atom\"]\n[archive.tags]\nby = \"tag\"\nlink = \"/tags/{tag}/\"\noverview = \"/tags/\"\n[export.all]\nlink = \"/all.json\"\nfields = [\"title\"]\n[related]\nweigh = { tag = 1, body = 1 }\n",
    )
    .with("assets/own.css", "p { }\n")
    .with("pages/about.md", "# About\n");
    for number in 0..9 {
        let tag = ["lime", "sand", "mud"][number % 3];
        let post = format!(
            "---\ntags: [{tag}]\nmoved_from: /old/{number}/\n---\nText {number} of {tag}.\n"
        );
        bench = bench.with(&format!("posts/2026-03-1{number}-p{number}.md"), &post);
    }
    bench
}

fn part(number: u32, of: u32) -> BuildPart {
    BuildPart::new(number, of).unwrap()
}

fn built(bench: &Bench, options: BuildOptions<'_>) -> BTreeMap<String, Vec<u8>> {
    let mut output = MemoryOutput::default();
    bench.workspace().build(&mut output, options).unwrap();
    output.files()
}

#[rstest]
#[case::one(1)]
#[case::two(2)]
#[case::seven(7)]
#[case::more_than_outputs(99)]
fn all_parts_are_the_whole_and_none_is_built_twice(#[case] of: u32) {
    let bench = bench();
    let whole = built(&bench, bench.options());
    let mut union = BTreeMap::new();
    for number in 1..=of {
        for (path, bytes) in built(&bench, bench.options().part(Some(part(number, of)))) {
            let twice = union.insert(path.clone(), bytes);
            assert!(twice.is_none(), "{path} is in two parts");
        }
    }
    let paths: Vec<&String> = union.keys().collect();
    assert_eq!(paths, whole.keys().collect::<Vec<_>>());
    assert!(union == whole, "a file differs");
}

#[test]
fn the_first_part_has_what_pages_share() {
    let bench = bench();
    let first = built(&bench, bench.options().part(Some(part(1, 50))));
    for path in ["own.css", "tabulae.css"] {
        assert!(first.contains_key(path), "{path}");
    }
}

/// A part is built again from its own cache; another part or the whole would remove files, or be removed.
#[test]
fn a_part_has_a_folder_of_its_own() {
    let bench = bench();
    let mut output = MemoryOutput::default();
    let mut build = |number: Option<BuildPart>| {
        let options = bench.options().part(number);
        bench.workspace().build(&mut output, options)
    };
    let first = build(Some(part(1, 2))).unwrap();
    let again = build(Some(part(1, 2))).unwrap();
    assert_eq!((again.written, again.unchanged), (0, first.written));
    let other = build(Some(part(2, 2))).unwrap_err();
    let found = &other.diagnostics()[0];
    assert_eq!(found.code, Code::InvalidOutputFolder);
    assert_eq!(
        found.message,
        "out has part 1/2, and part 2/2 would remove its files"
    );
    // The whole has the files of every part.
    let whole = build(None).unwrap();
    assert_eq!(whole.removed, 0);
    let part = build(Some(part(1, 2))).unwrap_err();
    assert!(
        part.diagnostics()[0].message.contains("a whole build"),
        "{part}"
    );
}

#[rstest]
#[case::good("3/8", Some("3/8"))]
#[case::all("1/1", Some("1/1"))]
#[case::zero("0/8", None)]
#[case::too_many("9/8", None)]
#[case::none("3/0", None)]
#[case::no_slash("3", None)]
#[case::words("a/b", None)]
fn a_part_is_written_with_a_slash(#[case] text: &str, #[case] expected: Option<&str>) {
    let parsed = text.parse::<BuildPart>().ok();
    assert_eq!(parsed.map(|part| part.to_string()).as_deref(), expected);
}
