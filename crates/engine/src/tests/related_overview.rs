//! The overview of all lists of related posts, by the present and by other settings.

use rstest::rstest;
use tabulae_core::related::overview::RelatedOf;
use tabulae_core::settings::Trial;
use tabulae_core::source::Source;

use super::bench::{Bench, SITE, said};

const RELATED: &str = "[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 2\"\nweigh = { tag = 1, body = 1 }\n";

fn bench(related: &str) -> Bench {
    let post = |tags: &str, text: &str| format!("---\ntags: [{tags}]\n---\n\n{text}\n");
    Bench::new(&format!(
        "[content.notes]\n[content.notes.related]\nfeeds = true\n{related}"
    ))
    .with(
        "posts/2026-01-01-a.md",
        &post("lime, kiln", "Burnt stone slaked in water."),
    )
    .with(
        "posts/2026-01-02-b.md",
        &post("lime", "Water over the weir."),
    )
    .with("posts/2026-01-03-c.md", &post("kiln", "Burnt stone again."))
    .with("posts/2026-01-04-d.md", &post("boat", "Nothing else here."))
    .with(
        "posts/2026-01-05-e.md",
        &post("lime", "Stone and weir.").replace("---\n\n", "related: false\n---\n\n"),
    )
    .with(
        "posts/2026-01-06-f.md",
        &post("lime, kiln", "Hidden.").replace("---\n\n", "draft: true\n---\n\n"),
    )
    .with(
        "notes/2026-02-01-g.md",
        &post("kiln, boat", "Stone of a boat."),
    )
}

fn lists(bench: &Bench) -> Vec<RelatedOf> {
    bench.workspace().related_overview().unwrap().lists
}

/// Lists that are tried are those of a site with these settings.
#[rstest]
#[case::weight(&["weigh.body=4"], RELATED, "weigh = { tag = 1, body = 4 }")]
#[case::no_tags(&["weigh.tag=0"], RELATED, "weigh = { tag = 0, body = 1 }")]
#[case::require(&["require=[\"tag\"]"], RELATED, "weigh = { tag = 1, body = 1 }\nrequire = [\"tag\"]")]
#[case::fill(&["fill=from posts order by date desc limit 2"], RELATED, "weigh = { tag = 1, body = 1 }\nfill = \"from posts order by date desc limit 2\"")]
#[case::two(&["weigh.tag=2", "weigh.title=1"], RELATED, "weigh = { tag = 2, title = 1, body = 1 }")]
fn lists_that_are_tried_are_those_of_a_site_with_the_settings(
    #[case] trials: &[&str],
    #[case] related: &str,
    #[case] weigh: &str,
) {
    let now = bench(related);
    let trials: Vec<Trial> = trials
        .iter()
        .map(|trial| Trial::Key((*trial).to_owned()))
        .collect();
    let then = bench(&related.replace("weigh = { tag = 1, body = 1 }", weigh));
    let workspace = now.workspace();
    let tried = workspace.try_related(&trials).unwrap();
    assert_eq!(tried.lists, lists(&then));
    assert_ne!(tried.lists, lists(&now));
}

#[test]
fn a_site_without_lists_can_try_them() {
    let now = bench("").sources;
    let text = format!("{SITE}[content.notes]\n");
    now.write("tabulae.toml", text);
    let workspace = crate::Workspace::from_sources(now);
    assert!(workspace.related_overview().unwrap().lists.is_empty());
    let other = Source::new("other.toml", RELATED);
    let tried = workspace.try_related(&[Trial::File(other)]).unwrap();
    // A post that wants none has none, and a draft has no page.
    assert_eq!(tried.figures.lists, 5);
}

#[test]
fn figures_are_those_counted_by_hand() {
    let bench = bench(
        "[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 1\"\nfill = \"from posts order by date limit 1\"\nweigh = { tag = 1 }\n",
    );
    let workspace = bench.workspace();
    let overview = workspace.related_overview().unwrap();
    let list = |path: &str| {
        let mut lists = overview.lists.iter();
        let list = lists
            .find(|list| overview.post(list.post).path() == path)
            .unwrap();
        let posts = list
            .posts
            .iter()
            .map(|id| overview.post(*id).path().to_owned());
        (posts.collect::<Vec<_>>(), list.found)
    };
    // Nothing is like d but the note, which is no post of the query: it is filled up with the oldest, a.
    assert_eq!(
        list("posts/2026-01-04-d.md"),
        (vec!["posts/2026-01-01-a.md".to_owned()], 0)
    );
    let figures = &overview.figures;
    assert_eq!(
        (
            figures.lists,
            figures.empty,
            figures.filled,
            figures.all_fill
        ),
        (5, 0, 1, 1)
    );
    // Among the posts of the query lime is on three, kiln on two and boat on one: the rarer weighs more. So a and c
    // list each other, b lists e, and the note d.
    let never: Vec<&str> = figures
        .never
        .iter()
        .map(|id| overview.post(*id).path())
        .collect();
    assert_eq!(never, ["notes/2026-02-01-g.md", "posts/2026-01-02-b.md"]);
}

#[rstest]
#[case::field("weigh.bodi=1", "likeness cannot weigh `bodi`", "did you mean `body`?")]
#[case::query(
    "query=from post",
    "there is no content set or named query `post`",
    "did you mean `posts`?"
)]
#[case::limit(
    "query=from posts",
    "the query of the related posts has no limit",
    "limit 4"
)]
fn what_cannot_be_tried_is_said(#[case] trial: &str, #[case] message: &str, #[case] help: &str) {
    let bench = bench(RELATED);
    let workspace = bench.workspace();
    let error = workspace
        .try_related(&[Trial::Key(trial.to_owned())])
        .unwrap_err();
    let said = said(error.diagnostics());
    assert!(said.contains(message) && said.contains(help), "{said}");
}

/// The heading of a list that is all fill, in the language of its page, on pages and in feeds.
#[test]
fn a_list_that_is_all_fill_has_its_heading() {
    let settings = "[locale.de]\ntitle = \"Das Log\"\nfill_title = \"Das Neueste\"\n[archive.journal]\nlink = \"/\"\nfeeds = [\"atom\"]\nfeed_content = \"full\"\n[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 2\"\nfill = \"from posts order by date desc limit 2\"\nfill_title = \"The newest\"\nfeeds = true\nweigh = { tag = 1 }\n";
    let mut bench = Bench::new(settings)
        .with("posts/2026-01-01-a.md", "---\ntags: [lime]\n---\n\nA.\n")
        .with("posts/2026-01-02-b.md", "---\ntags: [lime]\n---\n\nB.\n")
        .with("posts/2026-01-03-c.md", "---\ntags: [boat]\n---\n\nC.\n")
        .with("posts/2026-01-04-d.md", "---\nlanguage: de\n---\n\nD.\n")
        .with("posts/2026-01-05-e.md", "---\nlanguage: de\n---\n\nE.\n");
    bench.sound();
    let heading = |bench: &Bench, path: &str| {
        let page = bench.page(path);
        let (_, rest) = page.split_once("id=\"_related\">").unwrap();
        rest.split_once("</h2>").unwrap().0.to_owned()
    };
    assert_eq!(heading(&bench, "2026/a/index.html"), "Read next");
    assert_eq!(heading(&bench, "2026/c/index.html"), "The newest");
    assert_eq!(heading(&bench, "de/2026/d/index.html"), "Das Neueste");
    let feed = bench.page("atom.xml");
    assert_eq!(
        (
            feed.matches("The newest").count(),
            feed.matches("Read next").count()
        ),
        (1, 2)
    );
    // Now it is like the post that filled its list up: the same list, by another heading.
    let link = "<a href=\"/2026/b/\">";
    let before = bench.page("2026/c/index.html").matches(link).count();
    bench.after_edit(
        "posts/2026-01-02-b.md",
        Some("---\ntags: [lime, boat]\n---\n\nB.\n"),
    );
    let page = bench.page("2026/c/index.html");
    assert_eq!((before > 0, page.matches(link).count()), (true, before));
    assert_eq!(heading(&bench, "2026/c/index.html"), "Read next");
}
