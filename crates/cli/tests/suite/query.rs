use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;
use serde_json::json;

fn site() -> Site {
    let site = Site::small();
    site.write(
        "posts/2026-04-01-boat.md",
        "---\ntitle: \"A boat, and \\\"more\\\"\"\ntags: [lime, boats]\ncategory: Boats\n---\n",
    );
    site
}

#[test]
fn a_query_answers_with_a_table() {
    let run = site().run(&[
        "query",
        "from posts where tag = 'lime'",
        "--today",
        "2026-06-01",
    ]);
    assert_snapshot!(run.sound().out, @r#"
    2026-04-01  A boat, and "more"  lime, boats, Boats  posts/2026-04-01-boat.md
    2026-03-14  Lime                lime                posts/2026-03-14-lime.md
    2 posts.
    "#);
}

#[test]
fn a_query_answers_with_an_object() {
    let run = site().run(&[
        "query",
        "from posts limit 1",
        "--format",
        "json",
        "--today",
        "2026-06-01",
    ]);
    assert_eq!(
        run.json(),
        json!({
            "query": "from posts limit 1",
            "total": 2,
            "posts": [{
                "path": "posts/2026-04-01-boat.md", "link": "/2026/boat/", "title": "A boat, and \"more\"",
                "date": "2026-04-01", "updated": "2026-04-01", "content": "posts", "summary": null,
                "terms": { "tag": ["lime", "boats"], "category": ["Boats"], "author": [] },
            }],
            "faults": [],
        })
    );
}

#[rstest]
#[case::csv(
    "csv",
    "date,title,link,path,tag,category,author\r\n2026-04-01,\"A boat, and \"\"more\"\"\",/2026/boat/,posts/2026-04-01-boat.md,lime; boats,Boats,\r\n"
)]
#[case::links("links", "/2026/boat/\n")]
#[case::toml(
    "toml",
    "[archive.boats]\nquery = \"from posts where tag = 'boats'\"\nlink = \"/boats/\"\nper_page = 20\n"
)]
fn a_query_answers_in_other_forms(#[case] form: &str, #[case] expected: &str) {
    let run = site().run(&[
        "query",
        "from posts where tag = \"boats\"",
        "--format",
        form,
        "--today",
        "2026-06-01",
    ]);
    assert_eq!(run.sound().out, expected);
}

#[test]
fn what_is_printed_to_be_pasted_builds() {
    let site = site();
    let query = "from posts where title contains '\"more\"' or title matches '^L\\w'";
    let template = site
        .run(&["query", query, "--format", "template"])
        .sound()
        .out
        .clone();
    let archive = site
        .run(&["query", query, "--format", "toml"])
        .sound()
        .out
        .clone();
    site.write("pages/x.html", template);
    let settings = site.read("tabulae.toml");
    site.write("tabulae.toml", format!("{settings}{archive}"));
    site.run(&["build", "--today", "2026-06-01"]).sound();
    assert!(
        site.read("out/x/index.html")
            .contains("<h2><a href=\"/2026/lime/\">Lime</a></h2>")
    );
    assert!(site.read("out/more/index.html").contains("2 posts"));
}

#[test]
fn posts_are_counted_by_a_field() {
    let site = site();
    let run = site.run(&[
        "query",
        "from posts",
        "--by",
        "tag",
        "--format",
        "json",
        "--today",
        "2026-06-01",
    ]);
    assert_eq!(
        run.json(),
        json!({
            "query": "from posts", "by": "tag", "faults": [],
            "groups": [{ "term": "lime", "slug": "lime", "count": 2 }, { "term": "boats", "slug": "boats", "count": 1 }],
        })
    );
    let months = site.run(&["query", "", "--by", "month", "--today", "2026-06-01"]);
    assert!(
        months.sound().out.starts_with("April 2026  1  ███"),
        "{}",
        months.out
    );
}

#[test]
fn a_query_is_run_as_from_a_posts_page() {
    let words = [
        "query",
        "where tag = this.tag and not current",
        "--this",
        "posts/2026-03-14-lime.md",
        "--format",
        "links",
        "--today",
        "2026-06-01",
    ];
    assert_eq!(site().run(&words).sound().out, "/2026/boat/\n");
}

#[rstest]
#[case::field(&["query", "where categry = 'x'"], "did you mean `category`?")]
#[case::form(&["query", "where tag == 'x'"], "write `=`")]
#[case::by(&["query", "", "--by", "tga"], "did you mean `tag`?")]
#[case::this(&["query", "", "--this", "posts/2026-03-14-lme.md"], "did you mean `posts/2026-03-14-lime.md`?")]
#[case::other_command(&["build", "--format", "csv"], "write `--format json`")]
fn a_faulty_query_is_wrong_usage(#[case] words: &[&str], #[case] help: &str) {
    let run = site().run(words);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains(help), "{}", run.err);
}

#[test]
fn the_posts_that_can_be_read_answer() {
    let site = site();
    site.write("posts/bad.md", "---\ndate: soon\n---\n");
    let run = site.run(&[
        "query",
        "from posts",
        "--format",
        "json",
        "--today",
        "2026-06-01",
    ]);
    assert_eq!((run.status, &run.json()["total"]), (1, &json!(2)));
    assert_eq!(run.json()["faults"][0]["code"], "date-unreadable");
}
