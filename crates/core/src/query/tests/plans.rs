//! Access paths, and how many posts are left after each predicate.

use super::*;

/// The posts of the fixture that are listed are a to e, newest first b a c d e, and the fleet's k t u.
#[rstest]
#[case::all("", None, "scan", 8, &[], 8)]
#[case::one_set("from fleet", None, "scan", 3, &[], 3)]
#[case::newest("from posts limit 2", None, "newest first", 5, &[], 2)]
#[case::newest_with_a_predicate(
    "from posts where hours > 10 limit 1", None, "newest first", 5, &[("hours > 10", false, 2)], 1
)]
#[case::terms("from posts where tag = 'masonry'", None, "terms", 2, &[("tag = 'masonry'", true, 2)], 2)]
// Of two terms that with fewer posts is the access path; a date range cuts its list.
#[case::fewest(
    "from posts where tag = 'masonry' and tag = 'lime'", None, "terms", 1,
    &[("tag = 'lime'", true, 1), ("tag = 'masonry'", false, 1)], 1
)]
#[case::terms_within_dates(
    "from posts where category = 'Work parties' and year >= 2025", None, "terms", 2,
    &[("category = 'Work parties'", true, 2), ("year >= 2025", true, 2)], 2
)]
#[case::dates("from posts where year = 2026", None, "dates", 2, &[("year = 2026", true, 2)], 2)]
// A range of dates with fewer posts than the term has.
#[case::fewer_dates(
    "from posts where category = 'Work parties' and year = 2024", None, "dates", 1,
    &[("year = 2024", true, 1), ("category = 'Work parties'", false, 1)], 1
)]
#[case::either(
    "from posts where tag = 'eels' or tag = 'lime'", None, "terms", 2, &[("tag = 'eels' or tag = 'lime'", true, 2)], 2
)]
// Only a term narrows the posts; each of the others is tested.
#[case::negated(
    "from posts where not (tag = 'lime' or featured)", None, "scan", 5,
    &[("not featured", false, 4), ("not tag = 'lime'", false, 4)], 4
)]
#[case::named("from works", None, "named query", 3, &[], 3)]
#[case::named_with_a_predicate("from works where hours > 9", None, "named query", 3, &[("hours > 9", false, 1)], 1)]
#[case::of_this(
    "from posts where category = this.category and not current", Some("c"), "terms", 3,
    &[("category = this.category", true, 3), ("not current", false, 2)], 2
)]
// Only b shares a tag with it; the parent of a nested category does not count.
#[case::similar(
    "from posts where likeness > 0 order by likeness desc limit 1", Some("a"), "likeness", 5,
    &[("likeness > 0", false, 2)], 1
)]
fn a_plan_names_its_access_path_and_counts(
    #[case] text: &str,
    #[case] this: Option<&str>,
    #[case] access_path: &str,
    #[case] candidates: usize,
    #[case] steps: &[(&str, bool, usize)],
    #[case] posts: usize,
) {
    let world = world();
    let this = this.map(|letter| {
        let path = format!("posts/{letter}.md");
        let mut all = world.catalogue.all();
        all.find(|id| world.catalogue.post(*id).path == path)
            .unwrap()
    });
    let query = Query::parse(&EmbeddedText::command_line(text)).unwrap();
    let scope = Scope::new(&world.catalogue, &world.library, &world.moment).on_page(this.is_some());
    let query = query.resolve(scope).output.unwrap();
    let plan = query.explain(&world.catalogue, this);
    let found: Vec<(&str, bool, usize)> = plan
        .steps
        .iter()
        .map(|step| (&*step.predicate, step.is_answered, step.rows))
        .collect();
    assert_eq!(
        (plan.access_path, plan.candidates, &*found, plan.posts),
        (access_path, candidates, steps, posts)
    );
}

/// The plan for the first posts and the plan for all give the same posts.
#[rstest]
#[case("from posts where hours > 5 order by date desc limit 2 offset 1")]
#[case("from posts where not featured limit 3")]
#[case("from posts, fleet limit 4")]
#[case("from two limit 1")]
fn the_first_posts_are_those_of_running_it(#[case] text: &str) {
    let world = world();
    let query = Query::parse(&EmbeddedText::command_line(text)).unwrap();
    let scope = Scope::new(&world.catalogue, &world.library, &world.moment);
    let query = query.resolve(scope).output.unwrap();
    let all = query.run(&world.catalogue, None).posts;
    assert_eq!(query.first(&world.catalogue, None), all);
    assert!(!all.is_empty());
}
