use crate::site::Site;
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

#[test]
fn wrong_usage_is_an_object_for_programs_too() {
    let run = Site::small().run(&["build", "--format", "json", "--today", "tomorrow"]);
    assert_eq!(run.status, 2);
    assert_eq!(run.json()["faults"][0]["code"], "usage-unfit");
}

#[rstest]
#[case(&["--help"])]
#[case(&["build", "--help"])]
#[case(&["--version"])]
fn help_is_a_quiet_success(#[case] words: &[&str]) {
    let run = Site::empty().run(words);
    assert_eq!((run.status, run.err.as_str()), (0, ""));
    assert!(run.out.contains("tabulae"));
}

#[test]
fn no_colour_where_nobody_looks() {
    let site = Site::small();
    site.write("posts/bad.md", "---\ndate: soon\n---\n");
    assert!(!site.run(&["build"]).err.contains('\u{1b}'));
}
