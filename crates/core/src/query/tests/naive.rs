//! The evaluator held against one that is written as plainly as can be: for each post each test
//! is looked at by itself, and the whole is sorted.

use super::*;
use crate::query::ast::Search;
use jiff::civil::Date;
use proptest::collection::vec;
use proptest::option;
use proptest::prelude::*;

/// A post as the naive evaluator sees it.
#[derive(Debug, Clone)]
struct Plain {
    name: String,
    title: String,
    day: Date,
    tags: Vec<&'static str>,
    hours: Option<i32>,
    featured: Option<bool>,
    is_german: bool,
}

/// A test with its text; the naive evaluator reads the first, the query the second.
#[derive(Debug, Clone)]
enum Plainly {
    TagIs(&'static str),
    TagIsNot(&'static str),
    TagAny(Vec<&'static str>),
    TagAll(Vec<&'static str>),
    TagNone(Vec<&'static str>),
    TagMissing(bool),
    TagContains(&'static str, bool),
    Hours(&'static str, i32),
    HoursBetween(i32, i32, bool),
    HoursMissing(bool),
    Featured,
    Year(&'static str, i16),
    DateDay(&'static str, Date),
    DateMonth(&'static str, i16, i8),
    DateYears(i16, i16, bool),
    TitleIs(&'static str),
    TitleStarts(&'static str, bool),
    Not(Box<Plainly>),
    And(Vec<Plainly>),
    Or(Vec<Plainly>),
}

const TAGS: [&str; 4] = ["lime", "masonry", "eels", "work party"];
const TITLES: [&str; 4] = ["Lime", "gates", "Élan", "lime kiln"];
const SIGNS: [&str; 6] = ["=", "!=", "<", "<=", ">", ">="];

fn compares<T: PartialOrd>(a: T, sign: &str, b: T) -> bool {
    match sign {
        "=" => a == b,
        "!=" => a != b,
        "<" => a < b,
        "<=" => a <= b,
        ">" => a > b,
        _ => a >= b,
    }
}

fn list(values: &[&str]) -> String {
    values
        .iter()
        .map(|value| format!("'{value}'"))
        .collect::<Vec<_>>()
        .join(", ")
}

fn not(negated: bool) -> &'static str {
    if negated { "not " } else { "" }
}

impl Plainly {
    fn holds(&self, post: &Plain) -> bool {
        let has = |tag: &&str| post.tags.contains(tag);
        match self {
            Plainly::TagIs(tag) => has(tag),
            Plainly::TagIsNot(tag) => !has(tag),
            Plainly::TagAny(tags) => tags.iter().any(has),
            Plainly::TagAll(tags) => tags.iter().all(has),
            Plainly::TagNone(tags) => !tags.iter().any(has),
            Plainly::TagMissing(negated) => post.tags.is_empty() != *negated,
            Plainly::TagContains(part, negated) => {
                post.tags.iter().any(|tag| tag.contains(part)) != *negated
            }
            Plainly::Hours(sign, number) => post
                .hours
                .is_some_and(|hours| compares(hours, sign, *number)),
            Plainly::HoursBetween(low, high, negated) => post
                .hours
                .is_some_and(|hours| (*low <= hours && hours <= *high) != *negated),
            Plainly::HoursMissing(negated) => post.hours.is_none() != *negated,
            Plainly::Featured => post.featured == Some(true),
            Plainly::Year(sign, year) => compares(post.day.year(), sign, *year),
            Plainly::DateDay(sign, day) => compares(post.day, sign, *day),
            Plainly::DateMonth(sign, year, month) => {
                compares((post.day.year(), post.day.month()), sign, (*year, *month))
            }
            Plainly::DateYears(first, last, negated) => {
                (*first <= post.day.year() && post.day.year() <= *last) != *negated
            }
            Plainly::TitleIs(title) => post.title.to_lowercase() == title.to_lowercase(),
            Plainly::TitleStarts(start, negated) => {
                post.title.to_lowercase().starts_with(&start.to_lowercase()) != *negated
            }
            Plainly::Not(inner) => !inner.holds(post),
            Plainly::And(all) => all.iter().all(|test| test.holds(post)),
            Plainly::Or(any) => any.iter().any(|test| test.holds(post)),
        }
    }

    fn text(&self) -> String {
        match self {
            Plainly::TagIs(tag) => format!("tag = '{tag}'"),
            Plainly::TagIsNot(tag) => format!("tag != '{tag}'"),
            Plainly::TagAny(tags) => format!("tag has any ({})", list(tags)),
            Plainly::TagAll(tags) => format!("tag has all ({})", list(tags)),
            Plainly::TagNone(tags) => format!("tag not in ({})", list(tags)),
            Plainly::TagMissing(negated) => format!("tag is {}missing", not(*negated)),
            Plainly::TagContains(part, negated) => {
                format!("tag {}contains '{part}'", not(*negated))
            }
            Plainly::Hours(sign, number) => format!("hours {sign} {number}"),
            Plainly::HoursBetween(low, high, negated) => {
                format!("hours {}between {low} and {high}", not(*negated))
            }
            Plainly::HoursMissing(negated) => format!("hours is {}missing", not(*negated)),
            Plainly::Featured => "featured".to_owned(),
            Plainly::Year(sign, year) => format!("year {sign} {year}"),
            Plainly::DateDay(sign, day) => format!("date {sign} {day}"),
            Plainly::DateMonth(sign, year, month) => format!("date {sign} {year}-{month:02}"),
            Plainly::DateYears(first, last, negated) => {
                format!("date {}in {first}..{last}", not(*negated))
            }
            Plainly::TitleIs(title) => format!("title = '{title}'"),
            Plainly::TitleStarts(start, negated) => {
                format!("title {}starts with '{start}'", not(*negated))
            }
            Plainly::Not(inner) => format!("not ({})", inner.text()),
            Plainly::And(all) => join(all, " and "),
            Plainly::Or(any) => join(any, " or "),
        }
    }
}

fn join(tests: &[Plainly], word: &str) -> String {
    tests
        .iter()
        .map(|test| format!("({})", test.text()))
        .collect::<Vec<_>>()
        .join(word)
}

fn one_of<T: Clone + std::fmt::Debug + 'static>(values: &'static [T]) -> impl Strategy<Value = T> {
    (0..values.len()).prop_map(|at| values[at].clone())
}

fn day() -> impl Strategy<Value = Date> {
    (2024i16..=2026, 1i8..=3, 1i8..=4)
        .prop_map(|(year, month, day)| Date::constant(year, month, day))
}

fn test() -> impl Strategy<Value = Plainly> {
    let tags = || vec(one_of(&TAGS), 1..3);
    let leaf = prop_oneof![
        one_of(&TAGS).prop_map(Plainly::TagIs),
        one_of(&TAGS).prop_map(Plainly::TagIsNot),
        tags().prop_map(Plainly::TagAny),
        tags().prop_map(Plainly::TagAll),
        tags().prop_map(Plainly::TagNone),
        any::<bool>().prop_map(Plainly::TagMissing),
        (one_of(&["m", "ee", "work"]), any::<bool>())
            .prop_map(|(part, negated)| Plainly::TagContains(part, negated)),
        (one_of(&SIGNS), -2i32..4).prop_map(|(sign, number)| Plainly::Hours(sign, number)),
        (-2i32..4, -2i32..4, any::<bool>())
            .prop_map(|(low, high, negated)| Plainly::HoursBetween(low, high, negated)),
        any::<bool>().prop_map(Plainly::HoursMissing),
        Just(Plainly::Featured),
        (one_of(&SIGNS), 2023i16..2028).prop_map(|(sign, year)| Plainly::Year(sign, year)),
        (one_of(&SIGNS), day()).prop_map(|(sign, day)| Plainly::DateDay(sign, day)),
        (one_of(&SIGNS), 2024i16..=2026, 1i8..=3)
            .prop_map(|(sign, year, month)| Plainly::DateMonth(sign, year, month)),
        (2023i16..2027, 2023i16..2027, any::<bool>())
            .prop_map(|(a, b, negated)| Plainly::DateYears(a, b, negated)),
        one_of(&TITLES).prop_map(Plainly::TitleIs),
        (one_of(&["l", "ÉL", "gat"]), any::<bool>())
            .prop_map(|(start, negated)| Plainly::TitleStarts(start, negated)),
    ];
    leaf.prop_recursive(3, 12, 3, |inner| {
        prop_oneof![
            inner.clone().prop_map(|test| Plainly::Not(Box::new(test))),
            vec(inner.clone(), 1..3).prop_map(Plainly::And),
            vec(inner, 1..3).prop_map(Plainly::Or),
        ]
    })
}

fn posts() -> impl Strategy<Value = Vec<Plain>> {
    let post = (
        one_of(&TITLES),
        day(),
        vec(one_of(&TAGS), 0..3),
        option::of(-2i32..4),
        option::of(any::<bool>()),
        any::<bool>(),
    );
    vec(post, 1..12).prop_map(|posts| {
        let numbered = posts.into_iter().enumerate();
        numbered
            .map(
                |(at, (title, day, tags, hours, featured, is_german))| Plain {
                    name: format!("p{at:02}"),
                    title: title.to_owned(),
                    day,
                    tags,
                    hours,
                    featured,
                    is_german,
                },
            )
            .collect()
    })
}

/// A catalogue of these posts, and of one more that has every field and is a draft, so that
/// every field is known; with more settings than a site needs.
fn catalogue_of(posts: &[Plain], more: &str) -> World {
    let site = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";
    let settings = Settings::read(&Source::new("tabulae.toml", &format!("{site}{more}"))).output;
    let moment = Moment {
        now: "2026-06-01T12:00:00Z".parse().unwrap(),
        zone: settings.site.timezone.clone(),
    };
    let front = |post: &Plain| {
        let hours = post
            .hours
            .map(|hours| format!("hours: {hours}\n"))
            .unwrap_or_default();
        let featured = post
            .featured
            .map(|featured| format!("featured: {featured}\n"))
            .unwrap_or_default();
        let language = if post.is_german { "de" } else { "en" };
        format!(
            "---\nlanguage: {language}\ntitle: {}\ndate: {}\ntags: [{}]\n{hours}{featured}---\n",
            post.title,
            post.day,
            post.tags.join(", ")
        )
    };
    let texts = posts.iter().map(|post| (post.name.clone(), front(post)));
    let whole = (
        "whole".to_owned(),
        "---\ndraft: true\nhours: 1\nfeatured: true\n---\n".to_owned(),
    );
    let made = texts.chain([whole]).map(|(name, text)| {
        let path = format!("posts/{name}.md");
        let source = Source::new(&path, &text);
        let front = front_matter::read(&source, &moment.zone).output;
        assemble(
            &path,
            (0, &settings.content[0]),
            &settings,
            &moment,
            &source,
            front,
            Body::default(),
        )
        .output
    });
    let catalogue = Catalogue::new(
        made,
        Vec::new(),
        &settings,
        Include::default(),
        moment.today(),
    )
    .output;
    World {
        library: Library::new(&settings, &catalogue, &moment).output,
        catalogue,
        moment,
    }
}

/// The languages that a query means: those of the page, of any, of one; or those of the page by a named query.
#[derive(Debug, Clone, Copy)]
enum Means {
    Nothing,
    Any,
    German,
    Named,
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_query_gives_what_a_plain_scan_gives(
        posts in posts(),
        test in test(),
        by_hours in option::of(any::<bool>()),
        limit in option::of(0usize..6),
        offset in 0usize..4,
    ) {
        let world = catalogue_of(&posts, "");
        let mut expected: Vec<&Plain> = posts.iter().filter(|post| test.holds(post)).collect();
        let collate = |a: &Plain, b: &Plain| world.catalogue.language(LocaleId::SITE).sort(&a.title, &b.title);
        expected.sort_by(|a, b| {
            let hours = match (by_hours, a.hours, b.hours) {
                (None, ..) | (_, None, None) => std::cmp::Ordering::Equal,
                (_, None, Some(_)) => std::cmp::Ordering::Greater,
                (_, Some(_), None) => std::cmp::Ordering::Less,
                (Some(false), Some(a), Some(b)) => a.cmp(&b),
                (Some(true), Some(a), Some(b)) => b.cmp(&a),
            };
            hours.then_with(|| b.day.cmp(&a.day)).then_with(|| collate(a, b)).then_with(|| a.name.cmp(&b.name))
        });
        let mut text = format!("from posts where {}", test.text());
        match by_hours {
            Some(true) => text.push_str(" order by hours desc"),
            Some(false) => text.push_str(" order by hours"),
            None => {}
        }
        if let Some(limit) = limit {
            text.push_str(&format!(" limit {limit}"));
        }
        text.push_str(&format!(" offset {offset}"));
        let expected: Vec<String> = expected.into_iter().skip(offset).take(limit.unwrap_or(usize::MAX)).map(|post| post.name.clone()).collect();
        prop_assert_eq!(world.names(&text, None, &[]), expected, "{}", text);
    }

    /// On a page in German or English, or on none.
    #[test]
    fn a_query_finds_the_posts_in_the_language_that_it_means(
        posts in posts(),
        test in test(),
        page in one_of(&[None, Some(false), Some(true)]),
        means in one_of(&[Means::Nothing, Means::Any, Means::German, Means::Named]),
        limit in option::of(0usize..4),
    ) {
        let world = catalogue_of(&posts, "[locale.de]\n[queries]\neach = \"from posts\"\n");
        let is_meant = |post: &&Plain| match means {
            Means::Any => true,
            Means::German => post.is_german,
            Means::Nothing | Means::Named => page.is_none_or(|page| page == post.is_german),
        };
        let mut expected: Vec<&Plain> =
            posts.iter().filter(is_meant).filter(|post| test.holds(post)).collect();
        let collate = |a: &Plain, b: &Plain| world.catalogue.language(LocaleId::SITE).sort(&a.title, &b.title);
        expected.sort_by(|a, b| {
            let language = || a.is_german.cmp(&b.is_german);
            b.day.cmp(&a.day).then_with(language).then_with(|| collate(a, b)).then_with(|| a.name.cmp(&b.name))
        });
        let test = test.text();
        let mut text = match means {
            Means::Nothing => format!("from posts where {test}"),
            Means::Any => format!("from posts any language where {test}"),
            Means::German => format!("where language = 'DE' and ({test})"),
            Means::Named => format!("from each where {test}"),
        };
        let expected: Vec<&str> =
            expected.iter().take(limit.unwrap_or(usize::MAX)).map(|post| post.name.as_str()).collect();
        if let Some(limit) = limit {
            text.push_str(&format!(" limit {limit}"));
        }
        let query = Query::parse(&EmbeddedText::command_line(&text)).map_err(|error| TestCaseError::fail(error.message))?;
        let scope = Scope {
            locale: page.map(|is_german| LocaleId(u16::from(is_german))),
            ..Scope::new(&world.catalogue, &world.library, &world.moment)
        };
        let resolved = query.resolve(scope).output.unwrap();
        let name = |id: PostId| world.catalogue.post(id).path[6..9].to_owned();
        let found: Vec<String> = resolved.first(&world.catalogue, None).into_iter().map(name).collect();
        prop_assert_eq!(&found, &expected, "{}", text);
        let found: Vec<String> = resolved.run(&world.catalogue, None).posts.into_iter().map(name).collect();
        prop_assert_eq!(&found, &expected, "{}", text);
    }

    #[test]
    fn what_is_printed_is_read_as_the_same_query(
        test in test(),
        limit in option::of(0usize..9),
        language in one_of(&["", "any language ", "ANY Language "]),
    ) {
        let limit = limit.map(|limit| format!(" limit {limit}")).unwrap_or_default();
        let text = format!("from posts {language}where {} order by title desc, random(3){limit}", test.text());
        let first = super::super::parser::parse(&text).map_err(|diagnostic| TestCaseError::fail(diagnostic.message))?;
        let printed = first.to_string();
        let again = super::super::parser::parse(&printed).map_err(|diagnostic| TestCaseError::fail(diagnostic.message))?;
        prop_assert_eq!(first, again, "{}", printed);
    }
}

/// Pieces that a statement is made of, so that nonsense comes near to sense.
const PIECES: [&str; 41] = [
    "from", "where", "order", "by", "limit", "offset", "and", "or", "not", "in", "between", "has",
    "any", "language", "all", "none", "contains", "starts", "with", "matches", "is", "missing",
    "today", "now", "this.tag", "tag", "2026-03", "2026", "1.5", "'x'", "\"", "`a", "(", ")", ",",
    "..", "=", "!=", "<", ":p", "-",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn no_text_makes_the_parser_panic(text in "\\PC{0,60}") {
        let _ = super::super::parser::parse(&text);
    }

    #[test]
    fn no_row_of_words_makes_the_compiler_panic(pieces in vec(one_of(&PIECES), 0..14)) {
        let text = pieces.join(" ");
        if let Ok(statement) = super::super::parser::parse(&text) {
            let again = super::super::parser::parse(&statement.to_string());
            prop_assert!(again.is_ok_and(|again| again == statement), "{}", text);
        }
    }

    #[test]
    fn no_header_makes_the_reader_panic(text in "(---|\\+\\+\\+|\\{)\n?\\PC{0,80}\n?(---|\\+\\+\\+|\\})?\n") {
        let source = Source::new("posts/a.md", &text);
        let read = front_matter::read(&source, &jiff::tz::TimeZone::UTC);
        prop_assert!(read.output.body <= source.text().len());
    }
}

proptest! {
    #[test]
    fn ascii_is_searched_as_any_text_is(
        text in "[a-cA-C ]{0,8}",
        wanted in "[a-c ]{0,3}",
        search in one_of(&[Search::Contains, Search::StartsWith, Search::EndsWith]),
    ) {
        let fast = search.finds_ascii(text.as_bytes(), wanted.as_bytes());
        prop_assert_eq!(fast, search.finds_any(&text, &wanted), "{} {} {}", text, search, wanted);
    }
}

proptest! {
    #[test]
    fn what_is_built_is_read_as_it_was_meant(
        name in "\\PC{1,8}",
        text in "\\PC{0,12}",
        number in any::<i32>(),
        flag in any::<bool>(),
    ) {
        let condition = (builder::field(&name).eq(text.as_str()) | !builder::field(&name).gt(number))
            & builder::field(&name).has_any([builder::this(&name), flag.into(), (&*text).into()]);
        let built = builder::Builder::from(name.clone()).filter(condition).order_by(&name, builder::Direction::Descending).limit(3);
        let query = built.query().map_err(|diagnostic| TestCaseError::fail(diagnostic.message))?;
        let again = Query::parse(&EmbeddedText::command_line(&query.to_string()));
        prop_assert_eq!(again.map(|again| again.statement().clone()), Ok(query.statement().clone()));
    }
}

#[rstest]
#[case::no_values(builder::Builder::from("posts").filter(builder::field("tag").has_any(Vec::<&str>::new())))]
#[case::a_parameter_that_is_more(builder::Builder::from("posts").filter(builder::field("tag").eq(builder::parameter("x or draft"))))]
#[case::a_late_year(builder::Builder::from("posts").filter(builder::field("date").eq(Date::constant(-1, 3, 4))))]
fn what_cannot_be_written_is_not_built(#[case] built: builder::Builder) {
    assert!(built.query().is_err());
}
