use serde_json::{Value, json};

use super::*;
use crate::testing::Small;

const POSTS: [(&str, &str, &str); 3] = [
    (
        "posts/a.md",
        "title: 'Lime \"putty\"'\ndate: 2026-03-05 10:00\ntags: [lime, masonry]\ncategory: Locks\nsummary: Slaked.",
        "",
    ),
    (
        "posts/b.md",
        "title: B\ndate: 2026-03-01\ntags: [masonry]",
        "",
    ),
    ("posts/c.md", "title: Ç\ncategory: lime", ""),
];

fn rows(small: &Small) -> Vec<(PostId, Row)> {
    let row = |id: PostId| {
        let post = small.catalogue.post(id);
        (id, Row::new(post, &format!("/{}/", post.slug), "a day"))
    };
    small.catalogue.all().map(row).collect()
}

fn read(text: &str) -> Value {
    assert!(text.ends_with('\n') && !text.trim_end().contains('\n'));
    serde_json::from_str(text).expect("JSON")
}

#[test]
fn titles_are_rows_in_the_order_of_the_list() {
    let small = Small::new("[content.posts]\ndated = false\n", &POSTS);
    let rows = rows(&small);
    let found = read(&titles(rows.iter().rev().map(|(_, row)| row)));
    let expected = json!({ "posts": [
        ["Ç", "/c/", "", "a day"],
        ["B", "/b/", "2026-03-01", "a day"],
        ["Lime \"putty\"", "/a/", "2026-03-05T10:00:00Z", "a day"],
    ] });
    assert_eq!(found, expected);
}

#[test]
fn texts_name_each_term_once() {
    let small = Small::new("[content.posts]\ndated = false\n", &POSTS);
    let rows = rows(&small);
    let found = read(&texts(
        &small.catalogue,
        rows.iter().map(|(id, row)| (*id, row)),
    ));
    let posts = found["posts"].as_array().expect("posts");
    let terms: Vec<Vec<&str>> = posts
        .iter()
        .map(|post| {
            let numbers = post[2].as_array().expect("numbers").iter();
            let numbers = numbers.map(|number| number.as_u64().expect("a number"));
            let term = |number: u64| found["terms"][usize::try_from(number).unwrap()].as_str();
            numbers
                .map(|number| term(number).expect("a term"))
                .collect()
        })
        .collect();
    // A tag and a category of one name are one term here.
    assert_eq!(
        terms,
        [
            vec!["lime", "masonry", "Locks"],
            vec!["masonry"],
            vec!["lime"]
        ]
    );
    assert_eq!(found["terms"].as_array().expect("terms").len(), 3);
    let summaries: Vec<&Value> = posts.iter().map(|post| &post[1]).collect();
    assert_eq!(summaries, ["Slaked.", "", ""]);
}
