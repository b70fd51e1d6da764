//! One mistake, one message: where a mistake of the settings or a term shows in many posts and outputs.

use rstest::rstest;
use tabulae_core::post::Include;

use super::bench::Bench;

/// A site with five posts of two tags each, one of them shared.
fn site(settings: &str) -> Bench {
    (1..=5).fold(Bench::new(settings), |bench, day| {
        let text = format!("---\ndate: 2026-03-0{day}\ntags: [shared, t{day}]\n---\n");
        bench.with(&format!("posts/p{day}.md"), &text)
    })
}

/// The only diagnostic of a build: code, place and help.
fn only(bench: &mut Bench) -> (String, String, String) {
    let found = bench.build().diagnostics;
    assert_eq!(found.len(), 1, "{found:#?}");
    let location = &found[0].location;
    let file = location.file.as_deref().unwrap_or_default();
    (
        found[0].code.name().to_owned(),
        format!("{file}:{}", location.line),
        found[0].help.clone().unwrap_or_default(),
    )
}

/// `Bench` writes three lines of settings first.
#[rstest]
#[case::a_slip_in_a_link(
    "[content.posts]\nlink = \"/{year}/{slgu}/\"\n",
    "invalid-link-pattern",
    "did you mean {slug}? write `link = \"/{year}/{slug}/\"`"
)]
#[case::a_field_that_no_post_has(
    "[content.posts]\nlink = \"/{part}/{slug}/\"\n",
    "invalid-link-pattern",
    "such as `link = \"/{year}/{slug}/\"`"
)]
#[case::a_field_that_every_post_has_twice(
    "[content.posts]\nlink = \"/{tag}/{slug}/\"\n",
    "invalid-link-pattern",
    "that each post has once"
)]
#[case::one_address_for_all(
    "[content.posts]\nlink = \"/{year}/\"\n",
    "address-conflict",
    "`link = \"/{year}/{slug}/\"`"
)]
#[case::one_address_for_all_tags(
    "[archive.tags]\nlink = \"/tags/\"\n",
    "invalid-link-pattern",
    "`link = \"/tags/{tag}/\"`"
)]
#[case::one_address_for_the_months_of_all_years(
    "[archive.months]\nby = \"month\"\nlink = \"/m/{month}/\"\n",
    "invalid-link-pattern",
    "`link = \"/months/{year}/{month}/\"`"
)]
#[case::dates_by_a_name_that_no_post_has(
    "[content.posts.fields]\ndate = [\"published\"]\n",
    "missing-date",
    "`date` is a date in 5 of them: write `date = [\"published\", \"date\"]`"
)]
#[case::ids_that_no_post_has(
    "[content.posts]\nfeed_id = \"https://old.example/?p={number}\"\n",
    "invalid-link-pattern",
    "name a front matter key that the posts have"
)]
fn a_mistake_of_the_settings_is_reported_once_and_there(
    #[case] settings: &str,
    #[case] code: &str,
    #[case] help: &str,
) {
    let (found, location, said) = only(&mut site(settings));
    assert_eq!(found, code);
    assert!(location.starts_with("tabulae.toml:"), "{location}");
    assert!(said.contains(help), "{said}");
}

#[test]
fn a_set_without_dates_is_reported_once() {
    let mut bench = Bench::new("")
        .with("posts/a.md", "---\nwhen: 2026-03-01\n---\n")
        .with("posts/b.md", "---\nwhen: 2026-03-02\n---\n");
    let (code, location, help) = only(&mut bench);
    assert_eq!(
        (code.as_str(), location.as_str()),
        ("missing-date", "tabulae.toml:1")
    );
    let expected = "`when` is a date in 2 of them: write `date = [\"date\", \"when\"]` below `[content.posts.fields]`";
    assert_eq!(help, expected);
}

#[test]
fn a_mistake_of_some_posts_is_reported_at_each() {
    let mut bench = site("[content.posts]\nlink = \"/{category}/{slug}/\"\n").with(
        "posts/p1.md",
        "---\ndate: 2026-03-01\ncategory: Locks\n---\n",
    );
    let found = bench.build().diagnostics;
    let files: Vec<_> = found
        .iter()
        .filter_map(|found| found.location.file.as_deref())
        .collect();
    assert_eq!(
        files,
        ["posts/p5.md", "posts/p4.md", "posts/p3.md", "posts/p2.md"]
    );
}

#[rstest]
#[case::accents("José", "Jose")]
#[case::signs("Go", "Go!")]
#[case::ligature("Æther", "Aether")]
fn two_terms_with_one_address_are_one_error(#[case] one: &str, #[case] other: &str) {
    let mut bench = Bench::new("[archive.tags]\nfeeds = [\"atom\", \"json\"]\nper_page = 1\n[archive.labels]\nby = \"tag\"\n")
        .with("posts/a.md", &format!("---\ndate: 2026-03-01\ntags: [\"{one}\"]\n---\n"))
        .with("posts/b.md", &format!("---\ndate: 2026-03-02\ntags: [\"{other}\"]\n---\n"));
    let (code, _, help) = only(&mut bench);
    assert_eq!(code, "address-conflict");
    assert!(help.contains("`tabulae terms tag --write-notes`"), "{help}");
}

/// The posts of a list and the posts with pages, by slug, if some reasons are included.
#[rstest]
#[case::nothing("", "live", "live quiet")]
#[case::drafts("d", "draft live", "draft live quiet quiet-draft")]
#[case::scheduled("s", "live soon", "live quiet soon")]
#[case::both(
    "ds",
    "draft live soon soon-draft",
    "draft live quiet quiet-draft soon soon-draft"
)]
#[case::unlisted("u", "live quiet", "live quiet")]
#[case::unlisted_and_drafts("ud", "draft live quiet quiet-draft", "draft live quiet quiet-draft")]
#[case::expired("e", "live old", "live old quiet")]
fn each_reason_is_let_in_on_its_own(
    #[case] include: &str,
    #[case] listed: &str,
    #[case] with_page: &str,
) {
    let mut bench = Bench::new("[archive.all]\nlink = \"/all/\"\n");
    bench.include = Include {
        drafts: include.contains('d'),
        scheduled: include.contains('s'),
        expired: include.contains('e'),
        unlisted: include.contains('u'),
    };
    let posts = [
        ("live", "2026-03-01", ""),
        ("draft", "2026-03-01", "draft: true"),
        ("soon", "2027-03-01", ""),
        ("soon-draft", "2027-03-01", "draft: true"),
        ("quiet", "2026-03-01", "unlisted: true"),
        ("quiet-draft", "2026-03-01", "unlisted: true\ndraft: true"),
        ("old", "2026-03-01", "expires: 2026-04-01"),
        (
            "old-draft",
            "2026-03-01",
            "expires: 2026-04-01\ndraft: true",
        ),
    ];
    for (slug, date, more) in posts {
        bench = bench.with(
            &format!("posts/{slug}.md"),
            &format!("---\ndate: {date}\n{more}\n---\n"),
        );
    }
    bench.sound();
    let has_page = |slug: &str| {
        let pages = ["2026", "2027"].map(|year| format!("{year}/{slug}/index.html"));
        pages.iter().any(|page| bench.files().contains(page))
    };
    let list = bench.page("all/index.html");
    let is_listed = |slug: &str| list.contains(&format!("/{slug}/\""));
    let sorted = |is: &dyn Fn(&str) -> bool| {
        let mut slugs: Vec<&str> = posts
            .iter()
            .map(|(slug, ..)| *slug)
            .filter(|slug| is(slug))
            .collect();
        slugs.sort_unstable();
        slugs.join(" ")
    };
    assert_eq!(sorted(&is_listed), listed);
    assert_eq!(sorted(&has_page), with_page);
}
