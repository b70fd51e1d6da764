use super::*;
use crate::id::LocaleId;
use crate::source::Source;
use crate::testing::Small;
use rstest::rstest;

/// Five posts, newest first: a b c d e.
const POSTS: [(&str, &str, &str); 5] = [
    (
        "posts/a.md",
        "title: A\ndate: 2026-03-05\ntags: [lime, Masonry]\nhours: 10\nplace: Upper Lock",
        "",
    ),
    (
        "posts/b.md",
        "title: B\ndate: 2026-03-01\ntags: [lime]\nhours: 9\nplace: upper  lock",
        "",
    ),
    (
        "posts/c.md",
        "title: C\ndate: 2026-01-31\ntags: [lime/slaked]\nhours: [9, 10]",
        "",
    ),
    ("posts/d.md", "title: D\ndate: 2025-12-31\nhours: 100", ""),
    ("posts/e.md", "title: E\nplace: Weir", ""),
];

fn site(archive: &str) -> Small {
    let more = format!(
        "[terms.tag]\nnested = true\n[content.posts]\ndated = false\n[archive.list]\n{archive}\n"
    );
    Small::new(&more, &POSTS)
}

/// The letters of the posts in the archive's lists, each with its title and address.
fn groups(small: &Small) -> Vec<(String, String, String)> {
    let mut diagnostics = Diagnostics::new();
    let archives = &small.settings.archives;
    let archive = archives.iter().find(|archive| archive.name == "list");
    let posts = small.catalogue.listed(None).to_vec();
    let layout = lay_out(
        archive.unwrap(),
        posts,
        &small.settings,
        &small.catalogue,
        &mut diagnostics,
    );
    assert_eq!(diagnostics, []);
    let groups = layout.groups.into_iter();
    groups
        .map(|group| {
            let letters = letters(small, &group.posts);
            (group.title, group.link.encoded, letters)
        })
        .collect()
}

fn letters(small: &Small, posts: &[PostId]) -> String {
    let titles = posts.iter().map(|post| &*small.catalogue.post(*post).title);
    titles.collect::<String>().to_lowercase()
}

#[rstest]
#[case::whole("link = \"/all/\"", &[("List", "/all/", "abcde")])]
// A nested term is called by its whole path, and its posts are in the lists of the terms above it; names are in the order of the alphabet.
#[case::terms(
    "by = \"tag\"\nlink = \"/t/{tag}/\"\noverview_order = \"name\"",
    &[("lime", "/t/lime/", "abc"), ("lime/slaked", "/t/lime/slaked/", "c"), ("Masonry", "/t/masonry/", "a")]
)]
#[case::most_first(
    "by = \"tag\"\nlink = \"/t/{tag}/\"\noverview_order = \"count\"\nat_least = 2",
    &[("lime", "/t/lime/", "abc")]
)]
// Undated posts are in no list of a date; later ones come first.
#[case::years("by = \"year\"\nlink = \"/{year}/\"", &[("2026", "/2026/", "abc"), ("2025", "/2025/", "d")])]
#[case::months(
    "by = \"month\"\nlink = \"/{year}/{month}/\"\ntitle = \"In {month}\"",
    &[("In March 2026", "/2026/03/", "ab"), ("In January 2026", "/2026/01/", "c"), ("In December 2025", "/2025/12/", "d")]
)]
// Numbers are in the order of numbers: 9 before 10 before 100.
#[case::numbers(
    "by = \"hours\"\nlink = \"/h/{hours}/\"\noverview_order = \"name\"",
    &[("9", "/h/9/", "bc"), ("10", "/h/10/", "ac"), ("100", "/h/100/", "d")]
)]
// Spellings that differ in case and spaces are one value, called as the newest post has it.
#[case::spellings(
    "by = \"place\"\nlink = \"/p/{place}/\"\noverview_order = \"name\"",
    &[("Upper Lock", "/p/upper-lock/", "ab"), ("Weir", "/p/weir/", "e")]
)]
#[case::sets("by = \"set\"\nlink = \"/s/{set}/\"", &[("posts", "/s/posts/", "abcde")])]
fn posts_are_split_into_lists(#[case] archive: &str, #[case] expected: &[(&str, &str, &str)]) {
    let small = site(archive);
    let found = groups(&small);
    let found: Vec<(&str, &str, &str)> = found
        .iter()
        .map(|(title, link, posts)| (&**title, &**link, &**posts))
        .collect();
    assert_eq!(found, expected);
}

#[rstest]
#[case::misspelt("plcae", "no post has a field `plcae`", "did you mean `place`?")]
#[case::derived(
    "title",
    "posts cannot be split by `title`",
    "split by a term field (tag, category, author), by year, month or day, or by a field of your own"
)]
fn what_posts_cannot_be_split_by_is_an_error(
    #[case] name: &str,
    #[case] message: &str,
    #[case] help: &str,
) {
    let small = site("link = \"/all/\"");
    let location = Source::new("tabulae.toml", "by").top();
    let diagnostic = by(name, &small.catalogue, location).unwrap_err();
    assert_eq!(
        (&*diagnostic.message, diagnostic.help.as_deref()),
        (message, Some(help))
    );
}

#[rstest]
#[case::terms(By::Term(0), &[("lime", 3), ("lime/slaked", 1), ("Masonry", 1)])]
#[case::years(By::Year, &[("2026", 3), ("2025", 1)])]
#[case::field(By::Field("hours".to_owned()), &[("9", 2), ("10", 2), ("100", 1)])]
fn counts_are_most_first_and_dates_newest_first(
    #[case] by: By,
    #[case] expected: &[(&str, usize)],
) {
    let small = site("link = \"/all/\"");
    let counts = counts(
        &by,
        small.catalogue.listed(None),
        small.catalogue.within(LocaleId::SITE),
    );
    let counts: Vec<(&str, usize)> = counts
        .iter()
        .map(|(term, count)| (&*term.name, *count))
        .collect();
    assert_eq!(counts, expected);
}

#[rstest]
#[case::months(By::Month, &[("March 2026", "ab"), ("January 2026", "c"), ("December 2025", "d"), ("", "e")])]
#[case::first_tag(By::Term(0), &[("lime", "ab"), ("lime/slaked", "c"), ("", "de")])]
#[case::field(By::Field("place".to_owned()), &[("Upper Lock", "a"), ("upper  lock", "b"), ("", "cd"), ("Weir", "e")])]
fn neighbours_with_one_heading_are_a_section(#[case] by: By, #[case] expected: &[(&str, &str)]) {
    let small = site("link = \"/all/\"");
    let sections = sections(
        &by,
        small.catalogue.listed(None),
        small.catalogue.within(LocaleId::SITE),
    );
    let found: Vec<(String, String)> = sections
        .into_iter()
        .map(|section| {
            let posts = letters(&small, &section.posts);
            (
                section.term.map(|term| term.name).unwrap_or_default(),
                posts,
            )
        })
        .collect();
    let found: Vec<(&str, &str)> = found
        .iter()
        .map(|(heading, posts)| (&**heading, &**posts))
        .collect();
    assert_eq!(found, expected);
}

#[test]
fn months_of_a_year_are_counted() {
    let small = site("link = \"/all/\"");
    let months = months(small.catalogue.listed(None), 2026, &small.catalogue);
    assert_eq!(months, [1, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
}

/// Of the five posts the last has no date.
#[rstest]
#[case::newest_first("abcd", true)]
#[case::none("", false)]
#[case::one("b", true)]
#[case::oldest_first("dc", false)]
#[case::pinned("cab", false)]
#[case::then_one_without_a_date("abcde", true)]
#[case::first_one_without_a_date("eab", true)]
#[case::between("bea", false)]
#[case::only_without_a_date("e", false)]
fn lists_know_whether_they_begin_with_the_newest(#[case] letters: &str, #[case] expected: bool) {
    let small = site("link = \"/all/\"");
    let posts: Vec<PostId> = letters
        .bytes()
        .map(|letter| PostId(u32::from(letter - b'a')))
        .collect();
    assert_eq!(self::letters(&small, &posts), letters);
    assert_eq!(is_newest_first(&posts, &small.catalogue), expected);
}
