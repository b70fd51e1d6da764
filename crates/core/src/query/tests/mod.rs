mod messages;
mod naive;
mod plans;
mod slips;

use super::ast::Validity;
use super::*;
use crate::catalogue::Catalogue;
use crate::front_matter;
use crate::post::{Body, Include, assemble};
use crate::settings::Settings;
use crate::source::Source;
use crate::time::Moment;
use rstest::rstest;

const SETTINGS: &str = "
[site]
title = \"T\"
address = \"https://x.example/\"
timezone = \"Europe/London\"
[content.posts]
[content.fleet]
dated = false
terms = [\"class\"]
[queries]
works = \"from posts where category = 'Work parties'\"
two = \"from works order by title limit 2\"
[terms.category]
nested = true
";

/// Path and front matter; the letter in the path names the post in expectations.
const POSTS: [(&str, &str); 9] = [
    (
        "posts/a.md",
        "title: Lime\ndate: 2026-03-14\ntags: [lime, masonry]\ncategory: Locks/Top\nauthor: Ines\nhours: 12\nfeatured: true",
    ),
    (
        "posts/b.md",
        "title: alder\ndate: 2026-03-31 23:30\ntags: [Masonry]\ncategory: Work parties\nauthor: [Odd, Ines]\nhours: 96",
    ),
    (
        "posts/c.md",
        "title: Élan\ndate: 2025-12-24\ncategory: Work parties\nauthor: Odd\nseries: Winter\nhours: 8.5\nfeatured: false",
    ),
    (
        "posts/d.md",
        "title: Dredging\ndate: 2025-01-01\ntags: [dredging, '2026']\ncategory: Locks\nupdated: 2026-05-01\nboat: {length: 40}",
    ),
    (
        "posts/e.md",
        "title: Eels\ndate: 2024-02-29\ntags: [eels]\ncategory: Work parties\ncolours: [red, blue]\nlaunched: 2020-05-01",
    ),
    (
        "posts/f.md",
        "title: Future\ndate: 2027-01-01\ntags: [lime]",
    ),
    (
        "fleet/t.md",
        "title: Turnip\nclass: day boat\nlength: 40\nbuilt: 1904",
    ),
    ("fleet/u.md", "title: Ugly\nclass: punt\nlength: 16"),
    ("fleet/k.md", "title: Kettle\nclass: tug\nlength: 21"),
];

struct World {
    catalogue: Catalogue,
    library: Library,
    moment: Moment,
}

fn world() -> World {
    let settings = Settings::read(&Source::new("tabulae.toml", SETTINGS));
    assert_eq!(settings.diagnostics, []);
    let settings = settings.output;
    let moment = Moment {
        now: "2026-06-01T12:00:00Z".parse().unwrap(),
        zone: settings.site.timezone.clone(),
    };
    let posts = POSTS.map(|(path, front)| {
        let source = Source::new(path, &format!("---\n{front}\n---\n"));
        let front = front_matter::read(&source, &moment.zone).output;
        let set = usize::from(path.starts_with("fleet"));
        let made = assemble(
            path,
            (set, &settings.content[set]),
            &settings,
            &moment,
            &source,
            front,
            Body::default(),
        );
        assert_eq!(made.diagnostics, []);
        made.output
    });
    let catalogue = Catalogue::new(
        posts.to_vec(),
        Vec::new(),
        &settings,
        Include::default(),
        moment.today(),
    );
    assert_eq!(catalogue.diagnostics, []);
    let library = Library::new(&settings, &catalogue.output, &moment);
    assert_eq!(library.diagnostics, []);
    World {
        catalogue: catalogue.output,
        library: library.output,
        moment,
    }
}

impl World {
    fn compile(
        &self,
        text: &str,
        has_this: bool,
        parameters: &[(String, Parameter)],
    ) -> Collected<Option<Query<Resolved>>> {
        let scope = Scope {
            parameters,
            ..Scope::new(&self.catalogue, &self.library, &self.moment).on_page(has_this)
        };
        match Query::parse(&EmbeddedText::command_line(text)) {
            Ok(query) => query.resolve(scope),
            Err(diagnostic) => Collected {
                output: None,
                diagnostics: vec![*diagnostic],
            },
        }
    }

    fn why_empty(&self, text: &str) -> Option<Diagnostic> {
        let query = Query::parse(&EmbeddedText::command_line(text)).ok()?;
        let scope = Scope::new(&self.catalogue, &self.library, &self.moment);
        query.why_empty(scope, None)
    }

    /// The names of the posts that a query gives, without folder and ending.
    fn names(
        &self,
        text: &str,
        this: Option<&str>,
        parameters: &[(String, Parameter)],
    ) -> Vec<String> {
        let compiled = self.compile(text, this.is_some(), parameters);
        let errors: Vec<_> = compiled
            .diagnostics
            .iter()
            .filter(|diagnostic| diagnostic.is_error())
            .collect();
        assert!(errors.is_empty(), "{text}: {errors:?}");
        let this = this.and_then(|path| self.catalogue.find(path, LocaleId::SITE));
        let answer = compiled.output.unwrap().run(&self.catalogue, this);
        let paths = answer.posts.iter().map(|id| &self.catalogue.post(*id).path);
        paths
            .map(|path| path[6..path.len() - 3].to_owned())
            .collect()
    }

    /// Returns the letters of the posts that a statement finds.
    fn letters(
        &self,
        text: &str,
        this: Option<&str>,
        parameters: &[(String, Parameter)],
    ) -> String {
        self.names(text, this, parameters).concat()
    }
}

#[rstest]
// Sources and the default order.
#[case("", "bacdektu")]
#[case("from posts", "bacde")]
#[case("from fleet", "ktu")]
#[case("from works", "bce")]
#[case("from fleet, posts", "bacdektu")]
#[case("from works, posts where tag = 'masonry'", "ba")]
#[case("from two", "be")]
#[case("from two where category = 'Work parties' limit 1", "b")]
#[case("FROM posts LIMIT 2", "ba")]
#[case("from posts limit 2 offset 1", "ac")]
#[case("from posts offset 4", "e")]
#[case("limit 0", "")]
// Terms.
#[case("from posts where tag = 'masonry'", "ba")]
#[case("from posts where tags = 'MASONRY'", "ba")]
#[case("from posts where tag != 'masonry'", "cde")]
#[case("from posts where tag = 2026", "d")]
#[case("from posts where tag in ('lime', 'eels')", "ae")]
#[case("from posts where tag not in ('lime', 'eels')", "bcd")]
#[case("from posts where tag has any ('lime', 'masonry')", "ba")]
#[case("from posts where tag has all ('lime', 'masonry')", "a")]
#[case("from posts where tag has none ('lime', 'masonry')", "cde")]
#[case("from posts where tag is missing", "c")]
#[case("from posts where tag is not missing", "bade")]
#[case("from posts where tag contains 'ma'", "ba")]
#[case("from posts where tag not contains 'm'", "cde")]
#[case("from posts where category = 'Locks'", "ad")]
#[case("from posts where category = 'Locks/Top'", "a")]
#[case("from posts where author = 'odd' and not author = 'ines'", "c")]
#[case("from fleet where class = 'Day-Boat'", "t")]
// Dates.
#[case("from posts where date = 2026-03-14", "a")]
#[case("from posts where date = 2026-03", "ba")]
#[case("from posts where date = 2026", "ba")]
#[case("from posts where date in 2026-03", "ba")]
#[case("from posts where date > 2026-03", "")]
#[case("from posts where date >= 2026-03", "ba")]
#[case("from posts where date < 2025", "e")]
#[case("from posts where date <= 2025", "cde")]
#[case("from posts where date != 2026", "cde")]
#[case("from posts where date in 2024..2025", "cde")]
#[case("from posts where date not in 2024 .. 2025", "ba")]
#[case("from posts where date between 2025-01-01 and 2025-12-24", "cd")]
#[case("from posts where date in (2026-03-14, 2024)", "ae")]
#[case("from posts where date >= 2026-03-31T23:30", "b")]
#[case("from posts where date > 2026-03-31T23:30", "")]
#[case("from posts where updated > date", "d")]
#[case("from posts where year = 2025", "cd")]
#[case("from posts where year in 2024..2025 and month = 12", "c")]
#[case("from posts where month = 3 and day = 31", "b")]
#[case("from posts where date >= today - 1 year", "bac")]
#[case("from posts where date >= today - 3 months", "ba")]
#[case("from posts where date < today - 2 weeks - 100 days", "cde")]
#[case("from posts where updated = today - 1 month", "d")]
#[case("from posts where updated > now - 2 quarters", "bacd")]
#[case("from posts where launched < 2021", "e")]
// Numbers, flags, text, lists, maps.
#[case("from posts where hours > 8.5", "ba")]
#[case("from posts where hours between 8 and 12", "ac")]
#[case("from posts where hours != 12", "bc")]
#[case("from posts where not (hours = 12)", "bcde")]
#[case("from posts where not hours = 12", "bcde")]
#[case("from posts where 12 <= hours", "ba")]
#[case("from posts where 2026-03 < date", "")]
#[case("from posts where 2025 < date", "ba")]
#[case("from posts where 2025 = year", "cd")]
#[case("from posts where date in 2025..2024", "")]
#[case(
    "from posts where date >= 2025 and year <= 2025 and not tag = 'dredging'",
    "c"
)]
#[case("from posts where not (tag != 'masonry' or hours > 90)", "a")]
#[case("where date < 2025 or date is missing", "ektu")]
#[case("where tag = 'lime' or class = 'punt' or class = 'tug'", "aku")]
#[case("from posts where featured", "a")]
#[case("from posts where not featured", "bcde")]
#[case("from posts where featured = false", "c")]
#[case("from posts where title = 'LIME'", "a")]
#[case("from posts where title = 'elan'", "")]
#[case("from posts where title contains 'elan'", "c")]
#[case(
    "from posts where title starts with 'dre' or title ends with 'ELS'",
    "de"
)]
#[case("from posts where title matches '^[d-e]'", "de")]
#[case("from posts where title not matches '^[d-e]'", "bac")]
#[case("from posts where title < 'd'", "b")]
#[case("from posts where series is missing", "bade")]
#[case("from posts where series != 'summer'", "c")]
#[case("from posts where colours = 'RED'", "e")]
#[case("from posts where colours != 'red'", "bacd")]
#[case("from posts where colours has all ('red', 'blue')", "e")]
#[case("from posts where boat.length = 40", "d")]
#[case("from fleet where length < 30 order by length", "uk")]
#[case("where set = 'fleet'", "ktu")]
#[case("from posts where path ends with 'a.md'", "a")]
#[case("from posts where link = '/2026/a/'", "a")]
#[case("from posts where title = 'it''s'", "")]
// Binding.
#[case("from posts where tag = 'eels' or tag = 'lime' and year = 2025", "e")]
#[case("from posts where (tag = 'eels' or tag = 'lime') and year = 2026", "a")]
#[case("from posts where not tag = 'lime' and not tag = 'masonry'", "cde")]
// Order.
#[case("from posts order by title", "bdeca")]
#[case("from posts order by title desc", "acedb")]
#[case("from posts order by hours", "cabde")]
#[case("from posts order by hours desc", "bacde")]
#[case("from posts order by tag", "deabc")]
#[case("from posts order by tag desc", "baedc")]
#[case("from posts order by year, title", "edcba")]
#[case("from fleet order by length desc limit 2", "tk")]
#[case("from posts order by date", "edcab")]
fn a_query_gives(#[case] text: &str, #[case] letters: &str) {
    assert_eq!(world().letters(text, None, &[]), letters, "{text}");
}

#[rstest]
#[case(
    "from posts where category = this.category and not current",
    "posts/c.md",
    "be"
)]
#[case("from posts where category = this.category", "posts/c.md", "bce")]
#[case("from posts where current", "posts/c.md", "c")]
#[case("from posts where tag = this.tag and not current", "posts/a.md", "b")]
#[case("from posts where tag = this.tag", "posts/c.md", "")]
#[case("from posts where category = this.category", "posts/a.md", "ad")]
#[case("from posts where tag has any (this.tag, 'eels')", "posts/a.md", "bae")]
#[case("from posts where tag has all (this.tag)", "posts/a.md", "a")]
#[case("from posts where tag != this.title", "posts/a.md", "bcde")]
#[case("from posts where tag != this.tag", "posts/a.md", "cde")]
#[case(
    "from posts where date < this.date order by date desc limit 1",
    "posts/c.md",
    "d"
)]
#[case("from posts where hours > this.hours", "posts/e.md", "")]
#[case("from posts where hours != this.hours", "posts/e.md", "")]
#[case("from posts where title contains this.title", "posts/a.md", "a")]
#[case("from posts where date = this.`date`", "posts/a.md", "a")]
fn a_query_knows_the_post_whose_page_is_made(
    #[case] text: &str,
    #[case] this: &str,
    #[case] letters: &str,
) {
    assert_eq!(world().letters(text, Some(this), &[]), letters, "{text}");
}

#[rstest]
#[case("from posts where tag = :x", Parameter::Text("lime".into()), "a")]
#[case("from posts where tag = :x", Parameter::Text("' or tag = 'eels".into()), "")]
#[case("from posts where tag has any (:x)", Parameter::List(vec![Parameter::Text("lime".into()), Parameter::Text("eels".into())]), "ae")]
#[case("from posts where hours >= :x", Parameter::Number(12.0), "ba")]
#[case("from posts where tag = :x", Parameter::Missing, "")]
#[case("from posts where tag != :x", Parameter::Missing, "")]
#[case("from posts where featured = :x", Parameter::Flag(true), "a")]
fn parameters_are_values_and_never_text(
    #[case] text: &str,
    #[case] value: Parameter,
    #[case] letters: &str,
) {
    assert_eq!(
        world().letters(text, None, &[("x".to_owned(), value)]),
        letters,
        "{text}"
    );
}

#[test]
fn a_shuffle_is_fixed_and_not_stirred_by_one_post_less() {
    let world = world();
    let whole = world.letters("from posts order by random(7)", None, &[]);
    assert_eq!(
        whole,
        world.letters("from posts order by random(7)", None, &[])
    );
    assert_ne!(
        whole,
        world.letters("from posts order by random(8)", None, &[])
    );
    let fewer = world.letters(
        "from posts where path != 'posts/c.md' order by random(7)",
        None,
        &[],
    );
    assert_eq!(whole.replace('c', ""), fewer);
}

#[test]
fn the_total_is_counted_before_the_limit() {
    let world = world();
    let query = world
        .compile("from posts limit 2 offset 1", false, &[])
        .output
        .unwrap();
    let answer = query.run(&world.catalogue, None);
    assert_eq!((answer.total, answer.posts.len()), (5, 2));
}

#[test]
fn all_errors_of_a_condition_are_reported() {
    let diagnostics = world()
        .compile("where categry = 'x' and yer = 3", false, &[])
        .diagnostics;
    assert_eq!(diagnostics.len(), 2);
}

#[test]
fn a_circle_of_named_queries_is_named() {
    let text = SETTINGS.replace(
        "works = \"from posts where category = 'Work parties'\"",
        "works = \"from two\"",
    );
    let settings = Settings::read(&Source::new("tabulae.toml", &text)).output;
    let world = world();
    let diagnostics = Library::new(&settings, &world.catalogue, &world.moment).diagnostics;
    let found: Vec<_> = diagnostics
        .iter()
        .map(|f| (f.code, f.message.as_str()))
        .collect();
    assert_eq!(
        found,
        [(
            Code::QueryCycle,
            "the query `works` uses itself: works → two → works"
        )]
    );
}

#[rstest]
#[case(
    "from posts where tag = 'x' and not (year = 2026 or featured) order by title desc, random(3) limit 3 offset 1"
)]
#[case("from `my posts`, works where `order` is not missing")]
#[case("where a in (1, -2.50, 'it''s', true) and b not in 2024 .. 2026 or c in 2026-03")]
#[case("where date >= today - 1 month + 2 days and updated < now")]
#[case("where tag has none ('a', \"b\") and title not starts with 'x' and x matches :p")]
#[case("where (a = 1 or b = 2) and (c = 3 and d = 4) and not not e")]
#[case("where this.category = category and content-set.a_b = 2026-03-14T09:00")]
#[case("where a between 1 and 2 and b")]
#[case("")]
fn what_is_printed_is_read_as_the_same(#[case] text: &str) {
    let read = |text: &str| {
        super::parser::parse(text)
            .unwrap_or_else(|diagnostic| panic!("{text}: {}", diagnostic.message))
    };
    let first = read(text);
    let again = read(&first.to_string());
    assert_eq!(first, again, "{first}");
}

/// 1 June 2026 is a Monday.
#[rstest]
#[case::a_number("random(7)", "2026-06-01", "2026-06-08", true)]
#[case::the_same_day("random(today)", "2026-06-01", "2026-06-01", true)]
#[case::another_day("random(today)", "2026-06-01", "2026-06-02", false)]
#[case::a_year_later("random(today)", "2026-06-01", "2027-06-01", false)]
#[case::the_same_week("random(week)", "2026-06-01", "2026-06-07", true)]
#[case::another_week("random(week)", "2026-06-07", "2026-06-08", false)]
#[case::over_new_year("random(week)", "2026-12-31", "2027-01-01", true)]
fn a_shuffle_lasts_as_long_as_it_says(
    #[case] order: &str,
    #[case] day: &str,
    #[case] other: &str,
    #[case] is_same: bool,
) {
    let posts: Vec<_> = (10..30)
        .map(|day| {
            let path = format!("posts/2026-01-{day}-p.md");
            (path, String::new(), String::new())
        })
        .collect();
    let mut small = crate::testing::Small::new("", &posts);
    let mut shuffled = |day: &str| {
        small.moment.now = format!("{day}T12:00:00Z").parse().unwrap();
        let query = small.query(&format!("from posts order by {order}"));
        query.run(&small.catalogue, None).posts
    };
    let (one, two) = (shuffled(day), shuffled(other));
    assert_eq!(one == two, is_same);
    let statement = super::parser::parse(&format!("order by {order}")).unwrap();
    assert_eq!(statement.validity() == Validity::Ever, order == "random(7)");
    assert_eq!(statement.to_string(), format!("order by {order}"));
}

/// The printed statement is not nested deeper than the one that was read.
#[rstest]
#[case::negations("not ", 64, "")]
#[case::parentheses("(", 64, ")")]
fn a_statement_at_the_limit_is_printed_and_read_again(
    #[case] before: &str,
    #[case] depth: usize,
    #[case] after: &str,
) {
    let text = format!(
        "where {}a{}",
        before.repeat(depth - 1),
        after.repeat(depth - 1)
    );
    let statement = super::parser::parse(&text).unwrap();
    let printed = statement.to_string();
    assert_eq!(
        super::parser::parse(&printed).unwrap(),
        statement,
        "{printed}"
    );
}

/// `a in (1,1,…)` with n values has 2n + 4 tokens, `where` among them.
#[rstest]
#[case::the_most(4_998, true)]
#[case::one_more(4_999, false)]
fn a_statement_has_at_most_ten_thousand_tokens(#[case] values: usize, #[case] parses: bool) {
    let text = format!("where a in ({})", vec!["1"; values].join(","));
    assert_eq!(super::parser::parse(&text).is_ok(), parses);
}

#[test]
fn a_statement_nested_too_deep_is_refused() {
    let text = format!("where {}a{}", "(".repeat(5000), ")".repeat(5000));
    assert!(super::parser::parse(&text).is_err());
    assert!(super::parser::parse(&format!("where {} a", "not ".repeat(5000))).is_err());
}

/// Texts are compared and searched by the folding of the page's language.
#[rstest]
#[case::equal("where title = 'ışık'", "tr", 1)]
#[case::not_equal("where title != 'ışık'", "tr", 0)]
#[case::dotted("where title = 'işik'", "tr", 0)]
#[case::begins("where title starts with 'ış'", "tr", 1)]
#[case::ends("where title ends with 'ık'", "tr", 1)]
#[case::ordered("where title <= 'ışık'", "tr", 1)]
#[case::in_a_body("where text contains 'şık'", "tr", 1)]
#[case::dotted_in_a_body("where text contains 'şik'", "tr", 0)]
#[case::body_in_english("any language where text contains 'şik'", "en", 1)]
#[case::in_english("any language where title = 'ışık'", "en", 0)]
#[case::in_english("any language where title = 'işik'", "en", 1)]
fn texts_are_folded_as_in_the_pages_language(
    #[case] text: &str,
    #[case] page: &str,
    #[case] expected: usize,
) {
    let site = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[locale.tr]\n";
    let settings = Settings::read(&Source::new("tabulae.toml", site)).output;
    let moment = world().moment;
    let path = "posts/2026-01-01-a.tr.md";
    let source = Source::new(path, "---\ntitle: IŞIK\n---\n");
    let front = front_matter::read(&source, &moment.zone).output;
    let set = (0, &settings.content[0]);
    let body = Body {
        html: "<p>IŞIK</p>".to_owned().into(),
        ..Body::default()
    };
    let post = assemble(path, set, &settings, &moment, &source, front, body).output;
    let today = moment.today();
    let catalogue = Catalogue::new(vec![post], Vec::new(), &settings, Include::default(), today);
    let mut catalogue = catalogue.output;
    let library = Library::default();
    let locale = settings.locales.find(page).unwrap();
    for keeps in [false, true] {
        if keeps {
            catalogue.keep_bodies();
        }
        let scope = Scope::new(&catalogue, &library, &moment).within(locale);
        let query = Query::parse(&EmbeddedText::command_line(text)).unwrap();
        let found = query.resolve(scope).output.unwrap().run(&catalogue, None);
        assert_eq!(found.total, expected, "{keeps}");
    }
}

#[rstest]
#[case::case_and_accents("cafe", "ac")]
#[case::accents_of_the_search("CAFÉ", "ac")]
#[case::sharp_s("STRASSE", "b")]
#[case::words_of_two_tags("lime kiln", "a")]
#[case::absent("mud", "")]
#[case::all("", "abc")]
fn kept_bodies_are_searched_as_bodies_that_are_not(#[case] wanted: &str, #[case] found: &str) {
    let posts = [
        (
            "posts/a.md",
            "title: A\ndate: 2026-03-01",
            "<p>Café — <b>lime</b> kiln</p>",
        ),
        (
            "posts/b.md",
            "title: B\ndate: 2026-02-01",
            "<p>Straße &amp; lime</p>",
        ),
        ("posts/c.md", "title: C\ndate: 2026-01-01", "<p>CAFE</p>"),
    ];
    let mut small = crate::testing::Small::new("", &posts);
    let rest: String = "abc"
        .chars()
        .filter(|post| !found.contains(*post))
        .collect();
    for keeps in [false, true] {
        if keeps {
            small.catalogue.keep_bodies();
        }
        let slugs = |text: &str| -> String {
            let answer = small.query(text).run(&small.catalogue, None);
            let posts = answer.posts.iter().map(|id| small.catalogue.post(*id));
            posts.map(|post| post.slug.as_str()).collect()
        };
        assert_eq!(slugs(&format!("where text contains '{wanted}'")), found);
        assert_eq!(slugs(&format!("where text not contains '{wanted}'")), rest);
    }
}
