//! Every example of the README and of docs/ is run on the example site.

use std::fs;
use std::path::Path;

use crate::site::Site;

/// A fenced block: the words behind its fence, and its text.
struct Block {
    info: String,
    text: String,
}

fn read(path: &str) -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    fs::read_to_string(root.join(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
}

fn blocks(path: &str) -> Vec<Block> {
    let text = read(path);
    let mut blocks = Vec::new();
    let mut open: Option<Block> = None;
    for line in text.lines() {
        match (&mut open, line.strip_prefix("```")) {
            (None, Some(info)) => {
                open = Some(Block {
                    info: info.to_owned(),
                    text: String::new(),
                });
            }
            (Some(_), Some(_)) => blocks.extend(open.take()),
            (Some(block), None) => {
                block.text.push_str(line);
                block.text.push('\n');
            }
            (None, None) => {}
        }
    }
    blocks
}

const TODAY: &str = "2026-11-20";

fn demo() -> Site {
    let site = Site::empty();
    site.run(&["demo", "t"]).sound();
    site
}

#[test]
fn every_query_gives_what_is_said_of_it() {
    let site = demo();
    let mut run = 0;
    let pages = ["docs/queries.md", "docs/related.md"];
    for block in pages.iter().flat_map(|page| blocks(page)) {
        let mut words = block.info.split_whitespace();
        if words.next() != Some("query") {
            continue;
        }
        let this = words.next().and_then(|word| word.strip_prefix("this="));
        let lines: Vec<&str> = block.text.lines().collect();
        for pair in lines.chunks(2) {
            let expected = pair[1]
                .strip_prefix("→ ")
                .expect("an expectation below each query");
            let mut args = vec![
                "-C", "t", "query", pair[0], "--format", "json", "--today", TODAY,
            ];
            args.extend(this.into_iter().flat_map(|path| ["--this", path]));
            let answer = site.run(&args).sound().json();
            assert_eq!(answer["faults"], serde_json::json!([]), "{}", pair[0]);
            let shown = answer["posts"].as_array().map_or(0, Vec::len);
            let found = match answer["total"].as_u64() {
                Some(total) if total != shown as u64 => format!("{shown} of {total}"),
                _ => shown.to_string(),
            };
            assert_eq!(found, expected, "{}", pair[0]);
            run += 1;
        }
    }
    assert!(run > 30, "{run} queries were run");
}

#[test]
fn every_command_line_prints_what_is_shown() {
    let site = demo();
    let mut run = 0;
    let pages = ["docs/queries.md", "docs/related.md"];
    for block in pages.iter().flat_map(|page| blocks(page)) {
        let Some(line) = block.text.strip_prefix("$ tabulae ") else {
            continue;
        };
        let (command, shown) = line.split_once('\n').expect("what is printed");
        // Every other piece stands between quotes.
        let pieces = command.split('"').enumerate();
        let words = pieces.flat_map(|(at, piece)| match at % 2 {
            0 => piece.split_whitespace().collect(),
            _ => vec![piece],
        });
        let mut args = vec!["-C", "t"];
        args.extend(words);
        args.extend(["--today", TODAY]);
        let printed = site.run(&args);
        let printed = if printed.err.is_empty() {
            printed.out
        } else {
            printed.err
        };
        assert_eq!(printed.trim(), shown.trim(), "{command}");
        run += 1;
    }
    assert_eq!(run, 5);
}

#[test]
fn every_piece_of_settings_builds() {
    let base = "[site]\ntitle = \"T\"\naddress = \"https://towpath.example/\"\ntimezone = \"Europe/London\"\n";
    let mut built = 0;
    for path in [
        "README.md",
        "docs/settings.md",
        "docs/queries.md",
        "docs/related.md",
        "docs/feeds.md",
    ] {
        for block in blocks(path).iter().filter(|block| block.info == "toml") {
            let site = demo();
            fs::remove_dir_all(site.file("t/pages")).expect("removed");
            let whole = block.text.contains("[site]");
            let text = if whole {
                block.text.clone()
            } else {
                format!("{base}{}", block.text)
            };
            site.write("t/tabulae.toml", text);
            let run = site.run(&["-C", "t", "build", "--today", TODAY]);
            // Some leave the boats in a feed, which is worth a warning each.
            assert!(
                run.status == 0 && !run.err.contains("error"),
                "{path}: {} {}",
                block.text,
                run.err
            );
            built += 1;
        }
    }
    assert!(built > 6, "{built} pieces were built");
}

#[test]
fn every_template_builds() {
    let mut built = 0;
    for path in ["README.md", "docs/templates.md", "docs/queries.md"] {
        for block in blocks(path)
            .iter()
            .filter(|block| block.info.starts_with("html"))
        {
            let site = demo();
            let file = block
                .info
                .split_whitespace()
                .nth(1)
                .unwrap_or("pages/example.html");
            site.write(&format!("t/{file}"), &block.text);
            let run = site.run(&["-C", "t", "build", "--today", TODAY]);
            assert_eq!(
                (run.status, run.err.as_str()),
                (0, ""),
                "{path}: {}",
                block.text
            );
            built += 1;
        }
    }
    assert_eq!(built, 7);
}

#[test]
fn the_readmes_fault_is_what_is_printed() {
    let site = demo();
    let settings = site.read("t/tabulae.toml");
    let head: String = settings
        .lines()
        .take(13)
        .map(|line| format!("{line}\n"))
        .collect();
    site.write("t/tabulae.toml", format!("[archive.works]\n#\n#\n#\n#\n#\n#\n#\n#\n#\n#\n#\n#\nquery    = \"from posts where categry = 'Locks'\"\n{head}"));
    let run = site.run(&["-C", "t", "build"]);
    let shown = blocks("README.md")
        .into_iter()
        .find(|block| block.text.starts_with("tabulae.toml:14:"));
    let shown = shown.expect("an example of a fault").text;
    assert!(run.err.contains(shown.trim()), "{}", run.err);
}

#[test]
fn the_readmes_reason_is_what_a_dry_run_says() {
    let site = demo();
    let post = "posts/2026/2026-02-21-lime-in-a-cold-spring.md";
    let text = site.read(&format!("t/{post}"));
    let text = text.replacen("title: Lime in a cold spring", "title: Lime in the cold", 1);
    site.write(&format!("t/{post}"), text);
    let run = site.run(&["-C", "t", "build", "--dry-run", "--today", TODAY]);
    let shown = blocks("README.md")
        .into_iter()
        .find(|block| block.text.starts_with("replace "));
    let shown = shown.expect("an example of a reason").text;
    let words = |line: &str| line.split_whitespace().collect::<Vec<_>>().join(" ");
    let said: Vec<String> = run.out.lines().map(words).collect();
    assert!(said.contains(&words(&shown)), "{}", run.out);
}
