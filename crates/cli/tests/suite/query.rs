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
                "date": "2026-04-01", "updated": "2026-04-01", "set": "posts", "summary": null,
                "terms": { "tag": ["lime", "boats"], "category": ["Boats"], "author": [] },
            }],
            "diagnostics": [],
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

// Two posts have the tag; one of them is of April.
#[test]
fn a_query_is_explained() {
    let site = site();
    let query = "from posts where month = 4 and tag = 'lime' order by title limit 5";
    let today = ["--today", "2026-06-01"];
    let run = site.run(&[&["query", query, "--explain"][..], &today].concat());
    let text = run.sound().out.clone();
    let (steps, time) = text.trim_end().rsplit_once('\n').expect("lines");
    assert_eq!(
        steps.lines().map(str::trim_end).collect::<Vec<_>>(),
        [
            "access path: terms       2",
            "tag = 'lime'             2  by the access path",
            "month = 4                1",
            "order, offset and limit  1",
        ]
    );
    let milliseconds = time.strip_suffix(" ms.").map(str::parse::<f64>);
    assert!(milliseconds.is_some_and(|number| number.is_ok()), "{time}");

    let run = site.run(
        &[
            &["query", query, "--explain", "--format", "json"][..],
            &today,
        ]
        .concat(),
    );
    let mut object = run.sound().json();
    assert!(object["milliseconds"].take().is_number());
    assert_eq!(
        object,
        json!({
            "query": query,
            "access_path": "terms",
            "candidates": 2,
            "predicates": [
                { "predicate": "tag = 'lime'", "by_access_path": true, "posts": 2 },
                { "predicate": "month = 4", "by_access_path": false, "posts": 1 },
            ],
            "found": 1,
            "milliseconds": null,
            "diagnostics": [],
        })
    );

    let run = site.run(&["query", query, "--explain", "--format", "csv"]);
    assert!(
        run.err.contains("this command answers as text or json"),
        "{}",
        run.err
    );
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
            "query": "from posts", "by": "tag", "diagnostics": [],
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
    assert_eq!(run.json()["diagnostics"][0]["code"], "invalid-date");
}

/// By hand: of N = 3 posts two have the tag `lime` and one `oak`. ln(1 + 3/2) = 0.9163, ln(1 + 3/1) = 1.3863. The
/// likeness of `a` and `b` is 0.9163 / √(0.9163² + 1.3863²) = 0.5514.
#[test]
fn likeness_is_shown_as_the_query_compares_it() {
    let site = Site::empty();
    site.write(
        "tabulae.toml",
        "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[related]\nweigh = { tag = 1 }\n",
    );
    for (name, tags) in [("a", "lime"), ("b", "lime, oak"), ("c", "")] {
        let text = format!("---\ntitle: {name}\ndate: 2026-03-01\ntags: [{tags}]\n---\n");
        site.write(&format!("posts/{name}.md"), text);
    }
    let fields = ["--fields", "title,likeness,current", "--format", "json"];
    for query in ["order by likeness desc, title", "order by title"] {
        let run = site.run(&[&["query", query, "--this", "a"], &fields[..]].concat());
        let posts = run.sound().json()["posts"].clone();
        let row = |title: &str| {
            let mut posts = posts.as_array().expect("posts").iter();
            let post = posts.find(|post| post["title"] == title);
            let post = post.expect("a post");
            (post["likeness"].as_f64(), post["current"].as_bool())
        };
        assert_eq!(row("a"), (Some(1.0), Some(true)));
        assert_eq!(row("c"), (Some(0.0), Some(false)));
        let likeness = row("b").0.expect("a number");
        assert!((likeness - 0.5514).abs() < 0.00005, "{query}: {likeness}");
    }
    let run = site.run(&["query", "from posts", "--fields", "likeness"]);
    assert_eq!(run.status, 2);
    assert!(run.err.contains("`--this PATH`"), "{}", run.err);
}

/// A site with fields of its own.
fn with_parts() -> Site {
    let site = site();
    site.write(
        "posts/2026-05-01-lock.md",
        "---\ntitle: Lock\nimage: lock.png\ninfo: { part: 2, done: true }\ndays: [1, 2]\n---\n\nA lock.\n",
    );
    site.write("posts/lock.png", "x");
    site
}

#[rstest]
#[case::own("title,info.part,info.done,days", "Lock,2,true,1; 2\r\n")]
#[case::derived(
    "set,slug,words,minutes,image,text",
    "posts,lock,2,1,lock.png,A lock.\r\n"
)]
#[case::html("content", "<p>A lock.</p>\r\n")]
#[case::date_parts("year,month,day,folder,state", "2026,5,1,,live\r\n")]
#[case::terms("tag,categories", ",\r\n")]
#[case::states("draft,scheduled,unlisted", "false,false,false\r\n")]
#[case::hidden_by_a_derived_field("meta.title", "Lock\r\n")]
fn fields_are_chosen(#[case] fields: &str, #[case] expected: &str) {
    let query = [
        "query",
        "from posts limit 1",
        "--today",
        "2026-06-01",
        "--fields",
        fields,
    ];
    let site = with_parts();
    let run = site.run(&[&query[..], &["--format", "csv"]].concat());
    let (head, row) = run.sound().out.split_once("\r\n").expect("two lines");
    assert_eq!(head, fields);
    assert_eq!(row.replace("</p>\n", "</p>").replace("\"", ""), expected);
}

#[test]
fn chosen_fields_have_their_types() {
    let query = [
        "query",
        "from posts",
        "--today",
        "2026-06-01",
        "--fields",
        "title,info.part,days",
    ];
    let site = with_parts();
    let run = site.run(&[&query[..], &["--format", "ndjson"]].concat());
    let expected = "{\"title\":\"Lock\",\"info.part\":2,\"days\":[1,2]}\n";
    assert!(run.sound().out.starts_with(expected), "{}", run.out);
    assert_eq!(run.out.lines().count(), 3);
    let object = site
        .run(&[&query[..], &["--format", "json"]].concat())
        .sound()
        .json();
    let second = json!({ "title": "A boat, and \"more\"", "info.part": null, "days": null });
    assert_eq!(object["posts"][1], second);
    let table = site.run(&query).sound().out.clone();
    assert!(
        table.starts_with("Lock") && table.ends_with("3 posts.\n"),
        "{table}"
    );
}

#[test]
fn the_content_set_is_called_set() {
    let run = site().run(&["query", "", "--by", "content"]);
    assert_eq!(run.status, 2);
    assert!(run.err.contains("did you mean `set`?"), "{}", run.err);
}

#[test]
fn a_field_that_no_post_has_is_wrong_usage() {
    let run = site().run(&["query", "", "--fields", "title,sumary"]);
    assert_eq!(run.status, 2);
    assert!(
        run.err.contains("no post has a field `sumary`"),
        "{}",
        run.err
    );
    assert!(run.err.contains("did you mean `summary`?"), "{}", run.err);
}

#[rstest]
#[case::csv("csv", "tag,slug,count\r\nlime,lime,2\r\nboats,boats,1\r\n")]
#[case::lines(
    "ndjson",
    "{\"term\":\"lime\",\"slug\":\"lime\",\"count\":2}\n{\"term\":\"boats\",\"slug\":\"boats\",\"count\":1}\n"
)]
fn counts_are_data(#[case] format: &str, #[case] expected: &str) {
    let words = [
        "query",
        "",
        "--by",
        "tag",
        "--today",
        "2026-06-01",
        "--format",
        format,
    ];
    assert_eq!(site().run(&words).sound().out, expected);
}

/// A value that a comparison passes over is reported at its place, whether a template or a typed query compares.
#[rstest]
#[case::by_the_command_line(&[])]
#[case::by_a_template(&[("templates/parts/x.html", "{{ post.price }}")])]
fn a_value_of_another_kind_is_told(#[case] files: &[(&str, &str)]) {
    let site = Site::small();
    for (path, text) in files {
        site.write(path, text);
    }
    for (number, price) in ["3", "4", "5", "\"35 GBP\""].iter().enumerate() {
        let post = format!("---\ndate: 2026-01-0{}\nprice: {price}\n---\n", number + 1);
        site.write(&format!("posts/p{number}.md"), post);
    }
    let run = site.run(&[
        "query",
        "from posts where price > 3",
        "--today",
        "2026-06-01",
    ]);
    assert_eq!(run.status, 0);
    assert!(run.out.ends_with("2 posts.\n"), "{}", run.out);
    let told = "posts/p3.md:3:8: warning: `price` is text here, and a number in 3 other posts";
    assert_eq!(run.err.matches(told).count(), 1, "{}", run.err);
    // Nobody compares it.
    let run = site.run(&["query", "from posts", "--today", "2026-06-01"]);
    assert_eq!(run.err.contains(told), !files.is_empty(), "{}", run.err);
}
