use std::path::Path;

use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;

#[rstest]
#[case::command(&["bild"])]
#[case::option(&["build", "--dryrun"])]
#[case::state(&["build", "--include", "draft"])]
#[case::date(&["build", "--today", "tomorrow"])]
#[case::jobs(&["build", "--jobs", "0"])]
fn wrong_usage_ends_with_2(#[case] words: &[&str]) {
    let run = Site::small().run(words);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.starts_with("error: "), "{}", run.err);
}

/// A `tabulae.toml` above the working directory is found.
#[test]
fn a_site_is_found_upward() {
    let site = Site::small();
    std::fs::create_dir_all(site.file("posts/2026/deep")).expect("a folder");
    let run = site.run_in("posts/2026/deep", &["build"]);
    run.sound();
    assert!(site.file("out/index.html").exists());
    assert!(!site.file("posts/2026/deep/out").exists());
    // Not so with `-C`, which names the folder.
    let run = site.run_in("posts/2026", &["-C", "deep", "build"]);
    assert_eq!(run.status, 1);
    assert!(
        run.err.contains("there is no tabulae.toml here"),
        "{}",
        run.err
    );
}

/// The settings may have another name; their folder is the site's.
#[test]
fn settings_are_in_the_file_that_is_named() {
    let site = Site::small();
    let settings = site.read("tabulae.toml").replace("Log", "Live log");
    site.write("live.toml", settings);
    std::fs::create_dir_all(site.file("posts/deep")).expect("a folder");
    site.run_in("posts/deep", &["--config", "../../live.toml", "build"])
        .sound();
    assert!(site.read("out/index.html").contains("Live log"));
    site.run(&["build"]).sound();
    assert!(!site.read("out/index.html").contains("Live log"));
    // Diagnostics name the file.
    site.write("live.toml", "[site]\ntitel = 'x'\n");
    let run = site.run(&["build", "--config", "live.toml"]);
    assert!(
        run.err
            .contains("live.toml:2:1: error: there is no setting `titel`"),
        "{}",
        run.err
    );
    let run = site.run(&["build", "--config", "none.toml"]);
    assert!(
        run.err.contains("there is no none.toml here"),
        "{}",
        run.err
    );
    let run = site.run(&["build", "--config", "live.toml", "-C", "."]);
    assert_eq!(run.status, 2);
}

#[test]
fn a_folder_that_does_not_exist_is_said() {
    let run = Site::small().run(&["-C", "blgo", "build"]);
    assert_eq!(run.status, 2);
    assert!(
        run.err.contains("error: there is no folder `blgo`"),
        "{}",
        run.err
    );
}

#[test]
fn a_quiet_build_says_what_is_wrong_alone() {
    let site = Site::small();
    assert_eq!(site.run(&["build", "-q"]).sound().out, "");
    assert!(site.run(&["query", "", "-q"]).sound().out.contains("Lime"));
    site.write("posts/a.md", "---\ntitle: [\n---\n");
    let run = site.run(&["build", "--quiet"]);
    assert_eq!((run.status, run.out.as_str()), (1, ""));
    assert!(run.err.contains("posts/a.md:"), "{}", run.err);
}

#[rstest]
#[case::never("never", false)]
#[case::to_a_pipe("auto", false)]
#[case::always("always", true)]
fn colours_are_chosen(#[case] color: &str, #[case] expected: bool) {
    let site = Site::small();
    site.write("posts/a.md", "---\ntitle: [\n---\n");
    let run = site.run(&["build", "--color", color]);
    assert_eq!(run.err.contains('\u{1b}'), expected, "{}", run.err);
}

#[test]
fn a_query_is_read_from_standard_input() {
    let site = Site::small();
    let run = site.run_with(&["query", "-"], "from posts\nwhere tag = 'lime'\n");
    assert!(run.sound().out.contains("Lime"), "{}", run.out);
    let run = site.run_with(&["query", "-"], "from posts where tagg = 'lime'");
    assert_eq!(run.status, 2);
    assert!(run.err.contains("did you mean `tag`?"), "{}", run.err);
}

#[test]
fn wrong_usage_is_an_object_for_programs_too() {
    let run = Site::small().run(&["build", "--format", "json", "--today", "tomorrow"]);
    assert_eq!(run.status, 2);
    assert_eq!(run.json()["diagnostics"][0]["code"], "invalid-usage");
}

#[rstest]
#[case::tabulae("")]
#[case::build("build")]
#[case::preview("preview")]
#[case::query("query")]
#[case::explain("explain")]
#[case::related("related")]
#[case::terms("terms")]
#[case::audit("audit")]
#[case::weave("weave")]
#[case::new("new")]
#[case::lsp("lsp")]
#[case::rename("terms rename")]
#[case::init("init")]
#[case::demo("demo")]
#[case::diff("diff")]
#[case::schema("schema")]
#[case::settings("settings")]
#[case::theme("theme")]
#[case::completions("completions")]
#[case::manual("manual")]
fn help_with_examples(#[case] command: &str) {
    let words: Vec<&str> = command.split_whitespace().chain(["--help"]).collect();
    let run = Site::empty().run(&words);
    assert_snapshot!(
        format!("help {command}").trim().replace(' ', "_"),
        run.sound().out
    );
    let examples = run.out.split("Examples:\n").nth(1).unwrap_or_default();
    let lines = examples
        .lines()
        .filter(|line| line.starts_with("  tabulae "));
    assert!(lines.count() >= 2, "{}", run.out);
}

#[test]
fn every_command_has_its_help_kept() {
    let help = Site::empty().run(&["--help"]).out;
    let commands = help.split("Commands:\n").nth(1).unwrap_or_default();
    let commands = commands.lines().take_while(|line| !line.is_empty());
    let names = commands.filter_map(|line| line.strip_prefix("  ")?.split(' ').next());
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/suite/snapshots");
    for name in names.filter(|name| !name.is_empty() && *name != "help") {
        let kept = folder.join(format!("suite__usage__help_{name}.snap"));
        assert!(kept.exists(), "{}", kept.display());
    }
}

#[test]
fn the_version_says_the_commit() {
    let run = Site::empty().run(&["--version"]);
    let version = run.sound().out.trim();
    let commit = version.strip_prefix(&format!("tabulae {}", env!("CARGO_PKG_VERSION")));
    let commit = commit.unwrap_or_else(|| panic!("{version}"));
    let in_brackets = commit
        .strip_prefix(" (")
        .and_then(|rest| rest.strip_suffix(')'));
    let in_brackets = in_brackets.map(|notes| notes.trim_end_matches(", not optimised"));
    let is_hash = |text: &str| text.len() >= 7 && text.chars().all(|c| c.is_ascii_hexdigit());
    // There is no commit outside of a repository.
    assert!(
        commit.is_empty()
            || in_brackets.is_some_and(|notes| notes == "not optimised" || is_hash(notes)),
        "{version}"
    );
}

#[rstest]
#[case::option(&["build", "--dryrun"], "'--dry-run'")]
#[case::command(&["bild"], "'build'")]
#[case::state(&["build", "--include", "draft"], "'drafts'")]
#[case::shell(&["completions", "bsh"], "'bash'")]
#[case::manual(&["manual", "bild"], "`build`")]
#[case::code(&["audit", "--deny", "implausible-dat"], "`implausible-date`")]
fn wrong_usage_names_the_nearest(#[case] words: &[&str], #[case] near: &str) {
    let run = Site::small().run(words);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains(near), "{}", run.err);
}

#[rstest]
#[case::command(&["biuld"], "did you mean `build`?")]
#[case::option(&["build", "--dry-rum"], "did you mean `--dry-run`?")]
#[case::state(&["build", "--include", "draftz"], "did you mean `drafts`?")]
#[case::nothing_near(&["build", "--include", "zzzz"], "write one of drafts, scheduled, expired, unlisted")]
#[case::a_folder_with_a_slip(&["-C", "post", "build"], "did you mean `-C posts`?")]
#[case::a_folder(&["-C", "nope", "build"], "`tabulae init nope`")]
fn wrong_usage_names_the_nearest_for_programs(#[case] words: &[&str], #[case] help: &str) {
    let words: Vec<&str> = ["--format", "json"].iter().chain(words).copied().collect();
    let run = Site::small().run(&words);
    assert_eq!(run.status, 2, "{}", run.err);
    let said = run.json()["diagnostics"][0]["help"].clone();
    assert!(
        said.as_str().is_some_and(|said| said.contains(help)),
        "{said}"
    );
}

#[test]
fn what_is_missing_on_the_command_line_is_named_for_programs() {
    let run = Site::small().run(&["query", "--format", "json"]);
    let expected = "the following required arguments were not provided: <QUERY>";
    assert_eq!(run.json()["diagnostics"][0]["message"], expected);
}

#[rstest]
#[case::settings(&["schema"], "tabulae.toml")]
#[case::front_matter(&["schema", "front-matter"], "front matter")]
fn a_schema_is_one_object(#[case] words: &[&str], #[case] title: &str) {
    let schema = Site::empty().run(words).sound().json();
    assert_eq!(schema["title"], title);
}

/// The words that bash offers for what is typed so far.
#[cfg(unix)]
fn offered(typed: &[&str]) -> Vec<String> {
    let site = Site::small();
    let script = site.run(&["completions", "bash"]).sound().out.clone();
    site.write("completions", script);
    let words: Vec<String> = typed.iter().map(|word| format!("'{word}'")).collect();
    let ask = format!(
        "source completions; COMP_WORDS=({}); COMP_CWORD={}; _clap_complete_tabulae tabulae '{}' '{}'; printf '%s\\n' \"${{COMPREPLY[@]}}\"",
        words.join(" "),
        typed.len() - 1,
        typed[typed.len() - 1],
        typed[typed.len() - 2],
    );
    // The script asks the program.
    let program = Path::new(env!("CARGO_BIN_EXE_tabulae"));
    let folder = program.parent().expect("a folder").display();
    let path = std::env::var("PATH").unwrap_or_default();
    let run = std::process::Command::new("bash")
        .current_dir(site.path())
        .env("PATH", format!("{folder}:{path}"))
        .args(["--norc", "-c", &ask])
        .output()
        .expect("bash runs");
    let text = String::from_utf8(run.stdout).expect("text");
    // A space ends a word.
    let words = text.split(['\u{b}', '\n']).map(str::trim);
    let words = words.filter(|word| !word.is_empty());
    words.map(str::to_owned).collect()
}

#[cfg(unix)]
#[rstest]
#[case::commands(&["tabulae", "pr"], &["preview"])]
#[case::options(&["tabulae", "build", "--k"], &["--keep-going"])]
#[case::values(&["tabulae", "build", "--include", "dr"], &["drafts"])]
#[case::formats(&["tabulae", "query", "--format", "t"], &["text", "template", "toml"])]
#[case::tags(&["tabulae", "new", "A title", "--tag", "l"], &["lime"])]
#[case::term_fields(&["tabulae", "terms", "rename", "au"], &["author"])]
#[case::terms(&["tabulae", "terms", "rename", "tag", "l"], &["lime"])]
#[case::content_sets(&["tabulae", "new", "A title", "--set", ""], &["posts"])]
fn bash_offers_what_fits(#[case] typed: &[&str], #[case] expected: &[&str]) {
    assert_eq!(offered(typed), expected);
}

#[rstest]
#[case::whole(&["manual"], ".TH tabulae 1")]
#[case::command(&["manual", "weave"], ".TH tabulae-weave 1")]
fn a_manual_page_is_roff(#[case] words: &[&str], #[case] head: &str) {
    let run = Site::empty().run(words);
    assert!(run.sound().out.contains(head), "{}", run.out);
    assert!(
        run.out.contains(".SH EXAMPLES\n.nf\n\\&  tabulae "),
        "{}",
        run.out
    );
}

#[test]
fn no_colour_where_nobody_looks() {
    let site = Site::small();
    site.write("posts/bad.md", "---\ndate: soon\n---\n");
    assert!(!site.run(&["build"]).err.contains('\u{1b}'));
}
