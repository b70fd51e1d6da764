//! Every example of the README and of docs/ is run on the example site.

use std::fs;

use rstest::rstest;
use tabulae_core::diagnostic::Code;

use crate::doc_links::pages;
use crate::site::{Site, repository};

/// A fenced block: the words behind its fence, and its text.
struct Block {
    info: String,
    text: String,
}

pub(crate) fn read(path: &str) -> String {
    fs::read_to_string(repository().join(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
}

fn blocks(path: &str) -> Vec<Block> {
    blocks_of(&read(path))
}

fn blocks_of(text: &str) -> Vec<Block> {
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
    let pages = [
        "docs/site/guides/reference/queries.md",
        "docs/site/guides/explanation/likeness.md",
    ];
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
            args.extend(match this {
                Some(path) => ["--this", path],
                None => ["--language", "en"],
            });
            let answer = site.run(&args).sound().json();
            assert_eq!(answer["diagnostics"], serde_json::json!([]), "{}", pair[0]);
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

/// Returns the words of a command line, in which every second piece is quoted.
fn words_of(command: &str) -> Vec<&str> {
    let pieces = command.split('"').enumerate();
    let words = pieces.flat_map(|(at, piece)| match at % 2 {
        0 => piece.split_whitespace().collect(),
        _ => vec![piece],
    });
    words.collect()
}

#[test]
fn every_command_line_prints_what_is_shown() {
    let site = demo();
    let mut run = 0;
    let pages = [
        "docs/site/guides/reference/queries.md",
        "docs/site/guides/explanation/likeness.md",
    ];
    for block in pages.iter().flat_map(|page| blocks(page)) {
        let Some(line) = block.text.strip_prefix("$ tabulae ") else {
            continue;
        };
        let (command, shown) = line.split_once('\n').expect("what is printed");
        let mut args = vec!["-C", "t"];
        args.extend(words_of(command));
        args.extend(["--today", TODAY]);
        let printed = site.run(&args);
        let printed = if printed.err.is_empty() {
            printed.out
        } else {
            printed.err
        };
        assert!(is_shown(&printed, shown), "{command}:\n{printed}");
        run += 1;
    }
    assert_eq!(run, 7);
}

#[test]
fn every_piece_of_settings_builds() {
    let base = "[site]\ntitle = \"T\"\naddress = \"https://towpath.example/\"\ntimezone = \"Europe/London\"\n";
    let mut built = 0;
    for path in [
        "README.md",
        "docs/site/guides/reference/settings.md",
        "docs/site/guides/reference/queries.md",
        "docs/site/guides/explanation/likeness.md",
        "docs/site/guides/reference/feeds.md",
        "docs/site/guides/how-to/lists-beside-other-pages.md",
        "docs/site/guides/reference/diagnostics.md",
        "docs/site/guides/reference/commands.md",
    ] {
        for block in blocks(path).iter().filter(|block| block.info == "toml") {
            let site = demo();
            // They are for the site's own settings.
            for folder in ["t/pages", "t/terms"] {
                fs::remove_dir_all(site.file(folder)).expect("removed");
            }
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
    for path in [
        "README.md",
        "docs/site/guides/reference/templates.md",
        "docs/site/guides/reference/queries.md",
    ] {
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
    assert_eq!(built, 6);
}

/// The rows of the README's table of what to write: the code, and where it belongs.
fn what_to_write() -> Vec<(String, String)> {
    let text = read("README.md");
    let table = text.split("| you want | you write | where |\n").nth(1);
    let rows = table.expect("a table").lines().skip(1);
    let rows = rows.map_while(|row| {
        let (row, place) = row.strip_suffix(" |")?.rsplit_once(" | ")?;
        let (_, code) = row.split_once(" | ")?;
        let code = code.strip_prefix('`')?.strip_suffix('`')?;
        Some((code.replace("\\|", "|"), place.to_owned()))
    });
    rows.collect()
}

#[test]
fn every_row_of_what_to_write_works_on_the_example_site() {
    let base = "[site]\ntitle = \"T\"\naddress = \"https://towpath.example/\"\n[locale.de]\n[content.posts]\n[content.fleet]\ndated = false\n";
    let site = demo();
    // Its pages ask for lists that other settings do not have.
    let plain = demo();
    fs::remove_dir_all(plain.file("t/pages")).expect("removed");
    let rows = what_to_write();
    for (number, (code, place)) in rows.iter().enumerate() {
        let site = if place == "settings" { &plain } else { &site };
        let run = |args: &[&str]| {
            let args: Vec<&str> = ["-C", "t"]
                .into_iter()
                .chain(args.iter().copied())
                .collect();
            let run = site.run(&[&args[..], &["--today", TODAY]].concat());
            let is_silent = !["error", "warning"]
                .iter()
                .any(|kind| run.err.contains(kind));
            assert!(run.status == 0 && is_silent, "{code}: {}", run.err);
            run.out
        };
        match place.as_str() {
            "query" => assert_ne!(run(&["query", code, "--format", "links"]), "", "{code}"),
            "command" => {
                let words = words_of(code.strip_prefix("tabulae ").expect("a command"));
                assert_ne!(run(&words), "", "{code}");
            }
            "template" => {
                let listed = match code.contains("Nothing") {
                    true => "Nothing yet.",
                    false => "<a href=",
                };
                site.write("t/pages/row.html", format!("BEGIN{code}END"));
                run(&["build"]);
                let page = site.read("t/out/row/index.html");
                let (_, row) = page.split_once("BEGIN").expect("the row");
                let (row, _) = row.split_once("END").expect("the row");
                assert!(row.contains(listed), "{code}: {row}");
                fs::remove_file(site.file("t/pages/row.html")).expect("removed");
            }
            "post template" => {
                let main = "{% extends \"base.html\" %}{% block main %}";
                site.write(
                    "t/templates/post.html",
                    format!("{main}{code}{{% endblock %}}"),
                );
                run(&["build"]);
                let page = site.read("t/out/2022/lime-and-why-we-wait/index.html");
                assert!(page.contains("aria-current=\"page\""), "{page}");
                fs::remove_file(site.file("t/templates/post.html")).expect("removed");
            }
            "front matter" => {
                let date = match code.starts_with("date:") {
                    true => "",
                    false => "date: 2026-01-02\n",
                };
                let post = format!("t/posts/row-{number}.md");
                site.write(
                    &post,
                    format!("---\ntitle: Row {number}\n{date}{code}\n---\nText {number}.\n"),
                );
                // An address from before the first build is a guess at an id of that time.
                run(&["build", "--allow", "guessed-feed-id"]);
                fs::remove_file(site.file(&post)).expect("removed");
            }
            "settings" => {
                site.write("t/tabulae.toml", format!("{code}\n{base}"));
                run(&["build"]);
            }
            other => panic!("{other}"),
        }
    }
    assert_eq!(rows.len(), 26);
}

/// Times are not looked at.
fn untimed(text: &str) -> String {
    let mut words: Vec<&str> = text.split(' ').collect();
    for at in 2..words.len() {
        if words[at] == "s" && words[at - 2] == "in" {
            words[at - 1] = "N";
        }
    }
    words.join(" ")
}

/// Returns true if a text matches what is shown; `…` on a line of its own matches any lines.
fn is_shown(text: &str, shown: &str) -> bool {
    let mut rest = format!("{}\n", text.trim());
    let pieces = format!("{}\n", shown.trim());
    for (at, piece) in pieces.split("…\n").enumerate() {
        match rest.find(piece) {
            Some(found) if at > 0 || found == 0 => rest = rest[found + piece.len()..].to_owned(),
            _ => return false,
        }
    }
    rest.is_empty() || shown.trim().ends_with('…')
}

/// Follows a page from its start to its end: writes the files that it shows, runs its commands,
/// and compares what they print, and what files then hold.
#[rstest]
#[case::new_blog("docs/site/guides/tutorial/new-blog.md", false, 4)]
#[case::existing_blog("docs/site/guides/tutorial/existing-blog.md", false, 5)]
#[case::finished_pages("docs/site/guides/how-to/lists-in-finished-pages.md", true, 3)]
#[case::as_they_are("docs/site/guides/how-to/sources-as-they-are.md", false, 2)]
#[case::by_hand("docs/site/guides/how-to/lists-in-a-site-by-hand.md", false, 3)]
#[case::beside("docs/site/guides/how-to/lists-beside-other-pages.md", false, 3)]
#[case::publish("docs/site/guides/how-to/publish-by-ci.md", true, 1)]
#[case::commands("docs/site/guides/reference/commands.md", true, 8)]
#[case::metadata("docs/site/guides/how-to/metadata.md", false, 1)]
#[case::table_of_contents("docs/site/guides/how-to/table-of-contents.md", false, 1)]
#[case::navigation("docs/site/guides/how-to/navigation.md", false, 2)]
#[case::two_categories("docs/site/guides/how-to/two-categories.md", false, 1)]
#[case::two_languages("docs/site/guides/how-to/two-languages.md", false, 2)]
#[case::series("docs/site/guides/how-to/series.md", false, 1)]
#[case::several_authors("docs/site/guides/how-to/several-authors.md", false, 1)]
#[case::leave_out("docs/site/guides/how-to/leave-a-post-out.md", false, 1)]
#[case::likeness("docs/site/guides/explanation/likeness-by-hand.md", false, 1)]
#[case::move_feeds("docs/site/guides/how-to/move-feeds.md", false, 1)]
#[case::popular_tags("docs/site/guides/how-to/popular-tags.md", false, 1)]
#[case::posts_tagged("docs/site/guides/how-to/posts-tagged.md", false, 1)]
#[case::other_posts("docs/site/guides/how-to/other-posts.md", false, 2)]
#[case::comments("docs/site/guides/how-to/comments.md", false, 1)]
#[case::search("docs/site/guides/how-to/search.md", false, 1)]
#[case::data("docs/site/guides/how-to/data-for-other-programs.md", false, 1)]
#[case::change_the_look("docs/site/guides/how-to/change-the-look.md", false, 6)]
#[case::other_content("docs/site/guides/how-to/other-content.md", false, 2)]
fn a_page_is_followed(#[case] path: &str, #[case] on_example: bool, #[case] commands: usize) {
    let site = Site::empty();
    if on_example {
        site.run(&["demo", "."]).sound();
        fs::remove_dir_all(site.file("out")).expect("removed");
    }
    let mut run = 0;
    for block in blocks(path) {
        let file = block.info.split_whitespace().nth(1);
        match file.map(|file| (file, file.strip_prefix('='))) {
            Some((_, Some(file))) => {
                let text = site.read(file);
                assert!(is_shown(&text, &block.text), "{path}: {file}\n{text}");
            }
            Some((file, None)) => site.write(file, &block.text),
            None => {}
        }
        for command in block.text.split("$ tabulae ").skip(1) {
            let (command, shown) = command.split_once('\n').expect("what is printed");
            let mut words = words_of(command);
            words.extend(["--today", TODAY]);
            let printed = site.run(&words);
            let printed = untimed(&format!("{}{}", printed.err, printed.out));
            assert!(
                is_shown(&printed, &untimed(shown)),
                "{path}: {command}\n{printed}"
            );
            run += 1;
        }
    }
    assert_eq!(run, commands);
}

/// The information behind a fence is not shown to readers: the paragraph above it names the file.
#[test]
fn every_file_is_named_in_the_text() {
    let mut files = 0;
    let pages = pages();
    let guides = pages
        .iter()
        .filter(|(page, _)| page.starts_with("docs/site/guides"));
    for (page, text) in guides {
        for (above, rest) in text
            .match_indices("\n```")
            .map(|(at, _)| text.split_at(at + 1))
        {
            let info = rest.lines().next().unwrap_or_default();
            let Some((_, file)) = info.split_once(' ') else {
                continue;
            };
            let name = format!(
                "`{}`",
                file.trim_start_matches("this=").trim_start_matches('=')
            );
            let paragraph = above.trim_end().rsplit("\n\n").next();
            assert!(
                paragraph.is_some_and(|text| text.contains(&name)),
                "{}: {info}",
                page.display()
            );
            files += 1;
        }
    }
    assert!(files > 30, "{files}");
}

/// Writes the files of blocks, runs their commands, and returns the last command's output with what is shown of it.
fn follow(site: &Site, blocks: &[Block]) -> (String, String) {
    let mut last = (String::new(), String::new());
    for block in blocks {
        if let Some((_, file)) = block.info.split_once(' ') {
            site.write(file, &block.text);
        }
        if let Some((command, shown)) = block
            .text
            .strip_prefix("$ tabulae ")
            .and_then(|text| text.split_once('\n'))
        {
            let run = site.run(&[words_of(command), vec!["--today", TODAY]].concat());
            last = (run.err + &run.out, shown.to_owned());
        }
    }
    last
}

/// The example of each diagnostic prints it, and nothing else is shown.
#[test]
fn every_diagnostic_has_an_example() {
    // These need another process, bytes that are no text, or a broken disk.
    let without = [Code::BuildLocked, Code::InvalidUtf8, Code::UnreadableFile];
    let page = read("docs/site/guides/reference/diagnostics.md");
    let (head, _) = page.split_once("\n## ").expect("sections");
    let mut base = blocks_of(head);
    base.retain(|block| block.info.contains(' '));
    for (section, code) in page.split("\n## ").skip(1).zip(Code::ALL) {
        let example = blocks_of(section);
        if without.contains(code) {
            assert!(example.is_empty(), "{}", code.name());
            continue;
        }
        let site = Site::empty();
        follow(&site, &base);
        let (printed, shown) = follow(&site, &example);
        assert!(printed.contains(&shown), "{section}\n{printed}");
        let marks = [format!("[{}]", code.name()), format!(" {}: ", code.name())];
        assert!(
            marks.iter().any(|mark| shown.contains(mark)),
            "{section}\n{printed}"
        );
    }
}

#[test]
fn every_diagnostic_is_explained() {
    let page = read("docs/site/guides/reference/diagnostics.md");
    let sections: Vec<&str> = page.split("\n## ").skip(1).collect();
    let names: Vec<&str> = sections
        .iter()
        .filter_map(|section| section.lines().next())
        .collect();
    let known: Vec<&str> = Code::ALL.iter().map(|code| code.name()).collect();
    assert_eq!(names, known);
    for (section, code) in sections.iter().zip(Code::ALL) {
        let mut texts = section.split("\n\n").skip(1);
        let about = texts.next().unwrap_or_default();
        assert_eq!(about.trim_end_matches(" *audit*"), code.about());
        let more = texts.next().unwrap_or_default();
        assert!(more.len() > 20, "{section}");
    }
}

#[test]
fn the_readmes_error_is_what_is_printed() {
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
    let shown = shown.expect("an example of a diagnostic").text;
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

/// The recipes of the page on many blogs, at a small size: four blogs, one of them with an error, and the example in parts.
#[cfg(unix)]
#[test]
fn the_recipes_for_many_blogs_work() {
    use std::process::{Command, Output};

    let site = Site::empty();
    for (name, title) in [("a", "A"), ("b", "B"), ("broken", "["), ("c d", "C")] {
        let settings = "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\n";
        site.write(&format!("blogs/{name}/tabulae.toml"), settings);
        let post = format!("---\ntitle: {title}\n---\nText.\n");
        site.write(&format!("blogs/{name}/posts/2026-01-02-p.md"), post);
    }
    site.run(&["demo", "large"]).sound();
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_tabulae"));
    let path = std::env::var("PATH").unwrap_or_default();
    let path = format!("{}:{path}", program.parent().expect("a folder").display());
    let run = |script: &str| -> Output {
        let mut shell = Command::new("sh");
        shell.args(["-e", "-c", script]).current_dir(site.path());
        let shell = shell.env("PATH", &path).env("NUMBER", "2");
        shell.output().expect("a shell")
    };
    let blocks = blocks("docs/site/guides/how-to/scale.md");
    let texts: Vec<&str> = blocks.iter().map(|block| block.text.as_str()).collect();
    let [xargs, makefile, make, array, parts, merge, table] = texts[..] else {
        panic!("{texts:?}");
    };
    assert!(run(xargs).status.success());
    assert_eq!(site.read("failed.txt"), "blogs/broken/\n");
    assert!(
        site.read("blogs/broken/build.log")
            .contains("posts/2026-01-02-p.md:")
    );
    for name in ["a", "b", "c d"] {
        let blog = format!("blogs/{name}");
        assert!(
            site.file(&format!("{blog}/out/index.html")).exists(),
            "{name}"
        );
        fs::remove_dir_all(site.file(&format!("{blog}/out"))).expect("removed");
        fs::remove_dir_all(site.file(&format!("{blog}/.tabulae"))).expect("removed");
    }
    // Make does not take names with blanks.
    fs::remove_dir_all(site.file("blogs/c d")).expect("removed");
    site.write("Makefile", makefile);
    assert_eq!(run(make).status.code(), Some(2));
    assert!(site.file("blogs/a/out/index.html").exists());
    fs::remove_dir_all(site.file("blogs/b/out")).expect("removed");
    fs::remove_dir_all(site.file("blogs/b/.tabulae")).expect("removed");
    assert!(run(array).status.success());
    assert!(site.file("blogs/b/out/index.html").exists());
    assert!(run(parts).status.success());
    assert!(run(merge).status.success());
    fs::remove_dir_all(site.file("large/out")).expect("removed");
    site.run(&["-C", "large", "build", "--today", "2026-11-20", "--adopt"])
        .sound();
    assert_eq!(site.tree("merged"), site.tree("large/out"));
    let files = |part: &str| site.tree(&format!("large/out-{part}")).len();
    let count: usize = ["1", "2", "3", "4"].map(files).iter().sum();
    assert_eq!(count, site.tree("merged").len());
    assert!(run(table).status.success());
    let lines = site.read("posts.ndjson");
    let first: serde_json::Value =
        serde_json::from_str(lines.lines().next().expect("a line")).expect("JSON");
    assert!(
        first["title"].is_string() && first["words"].is_number(),
        "{first}"
    );
}
