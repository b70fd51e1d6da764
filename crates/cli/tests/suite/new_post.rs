//! `tabulae new`

use crate::site::Site;
use rstest::rstest;

const TODAY: [&str; 2] = ["--today", "2026-05-04"];

#[test]
fn a_new_post_is_a_draft_like_the_others() {
    let site = Site::small();
    let run = site.run(&[&["new", "The long lock", "--tag", "lime"], &TODAY[..]].concat());
    let path = "posts/2026-05-04-the-long-lock.md";
    assert_eq!(run.sound().out, format!("{path}\n"));
    let text = "---\ntitle: The long lock\ntags: [lime]\ndraft: true\n---\n\n";
    assert_eq!(site.read(path), text);
    // Nothing is published by it.
    site.run(&[&["build"], &TODAY[..]].concat()).sound();
    assert!(!site.file("out/2026/the-long-lock").exists());
    // And it is not written again.
    let again = site.run(&[&["new", "The long lock"], &TODAY[..]].concat());
    assert_eq!(again.status, 3);
    assert!(
        again.err.contains("a file of this name exists"),
        "{}",
        again.err
    );
    assert_eq!(site.read(path), text);
}

#[rstest]
#[case::set(&["new", "x", "--set", "post"], "there is no content set `post`", "did you mean `posts`?")]
#[case::title(&["new", "!"], "no file name can be made of the title `!`", "write a title with letters or digits")]
fn what_makes_no_post_is_an_error(
    #[case] words: &[&str],
    #[case] message: &str,
    #[case] help: &str,
) {
    let run = Site::small().run(words);
    assert_ne!(run.status, 0);
    assert!(
        run.err.contains(message) && run.err.contains(help),
        "{}",
        run.err
    );
}

#[test]
fn the_path_is_for_programs_too() {
    let words = [&["new", "A lock", "--format", "json"], &TODAY[..]].concat();
    let object = Site::small().run(&words).sound().json();
    assert_eq!(object["post"], "posts/2026-05-04-a-lock.md");
}
