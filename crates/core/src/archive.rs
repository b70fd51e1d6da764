//! Archives: a query's posts as pages, whole or one set of pages for each term or date part.

use std::cmp::{Ordering, Reverse};

use indexmap::IndexMap;
use jiff::civil::Date;

use crate::catalogue::{Catalogue, Localized, PostId, term_location};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use crate::id::number;
use crate::language::DateStyle;
use crate::post::title_of_name;
use crate::query::fields::{DerivedField, FIELDS, derived};
use crate::route::{Link, Pattern};
use crate::settings::{Archive, OverviewOrder, Settings};
use crate::source::{Location, Spanned};
use crate::term::{TermId, identity, slug};
use crate::time::date_part;
use crate::value::{Kind, Value};

/// The key that splits an archive into groups.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum By {
    /// The terms of this term field.
    Term(usize),
    /// The year of the date.
    Year,
    /// The month of its year.
    Month,
    /// The day.
    Day,
    /// The values of a front matter field.
    Field(String),
    /// The content set.
    Set,
}

/// An archive's posts, split and ordered.
#[derive(Debug, Clone)]
pub struct ArchiveLayout {
    /// The key of the groups; `None` for a whole archive.
    pub by: Option<By>,
    /// The archive's title.
    pub title: String,
    /// The whole list, or one for each term, in the order of the overview.
    pub groups: Vec<Group>,
}

impl ArchiveLayout {
    /// Returns true if any list has a post.
    #[must_use]
    pub fn has_posts(&self) -> bool {
        self.groups.iter().any(|group| !group.posts.is_empty())
    }
}

/// One list of an archive.
#[derive(Debug, Clone)]
pub struct Group {
    /// The value that its posts share; `None` for a whole archive.
    pub term: Option<GroupTerm>,
    /// The page's title.
    pub title: String,
    /// The title without the number of posts, for feeds, which keep theirs.
    pub lasting_title: String,
    /// The address of page 1.
    pub link: Link,
    /// The posts, in the query's order.
    pub posts: Vec<PostId>,
    /// Set if no post is newer than one before it, and any has a date: further pages have older posts.
    pub newest_first: bool,
    /// The place that asks for it, for messages.
    pub location: Location,
}

/// The value that the posts of a group share.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GroupTerm {
    /// The name, as shown.
    pub name: String,
    /// The part of the address.
    pub slug: String,
    /// The term, where the archive is split by a term field.
    pub id: Option<(usize, TermId)>,
    /// The first day, where the archive is split by date.
    pub day: Option<Date>,
}

/// A heading within a page and the posts below it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Section {
    /// The value that its posts share, with its name as the heading; `None` for posts without one.
    pub term: Option<GroupTerm>,
    /// The posts.
    pub posts: Vec<PostId>,
}

/// Returns the key that `by` or `group` names.
///
/// # Errors
/// A field that no post has, with the nearest name.
pub fn by(name: &str, catalogue: &Catalogue, location: Location) -> Result<By, Box<Diagnostic>> {
    if let Some(field) = catalogue.term_field(name) {
        return Ok(By::Term(field));
    }
    match name {
        "year" => return Ok(By::Year),
        "month" => return Ok(By::Month),
        "day" => return Ok(By::Day),
        "set" => return Ok(By::Set),
        _ => {}
    }
    let sets = catalogue.every_set();
    match catalogue.profile(name, &sets) {
        Some(profile) if profile.kinds == [Kind::Map] => Err(Box::new(
            Diagnostic::error(
                Code::FieldTypeMismatch,
                location,
                format!("`{name}` is a map, and posts are split by single values"),
            )
            .help("name one of its entries, such as `boat.class`"),
        )),
        Some(_) if derived(name, catalogue).is_none() => Ok(By::Field(name.to_owned())),
        _ => {
            let terms = catalogue
                .term_tables()
                .iter()
                .map(|table| table.field.name.as_str());
            let own = catalogue.field_names(&sets);
            let known: Vec<&str> = terms
                .chain(["year", "month", "day", "set"])
                .chain(own)
                .collect();
            let is_derived = FIELDS
                .iter()
                .any(|field| field.name == name && field.field != DerivedField::Set);
            let also = (name == "content").then_some("set");
            let message = if is_derived {
                format!("posts cannot be split by `{name}`")
            } else {
                format!("no post has a field `{name}`")
            };
            let diagnostic = Diagnostic::error(Code::UnknownField, location, message);
            Err(Box::new(match nearest(name, known.iter().copied()).or(also).filter(|_| !is_derived) {
                Some(near) => diagnostic.help(Help::did_you_mean(near)),
                None => diagnostic.help("split by a term field (tag, category, author), by year, month or day, or by a field of your own"),
            }))
        }
    }
}

/// Splits `posts`, the answer of the archive's query, into its lists.
pub fn lay_out(
    archive: &Archive,
    posts: Vec<PostId>,
    settings: &Settings,
    catalogue: &Catalogue,
    diagnostics: &mut Diagnostics,
) -> ArchiveLayout {
    let local = catalogue.within(archive.locale);
    let default_title = |by| default_title(&archive.name, by, settings, local);
    let by = archive.by.as_ref().and_then(|name| {
        let location = settings.source.location(name.span);
        self::by(&name.node, catalogue, location)
            .map_err(|diagnostic| diagnostics.push(*diagnostic))
            .ok()
    });
    let Some(by) = by else {
        let filled = |title: &String| with_counts(title, posts.len(), settings, local);
        let title = archive.title.as_ref().filter(|title| !has_counts(title));
        let title = title.cloned().unwrap_or_else(|| default_title(None));
        let groups = if archive.by.is_some() {
            Vec::new()
        } else {
            vec![Group {
                term: None,
                title: archive.title.as_ref().map_or_else(|| title.clone(), filled),
                lasting_title: title.clone(),
                link: archive
                    .link
                    .expand(|_| None)
                    .unwrap_or_else(|_| Link::new("/")),
                newest_first: is_newest_first(&posts, catalogue),
                posts,
                location: settings.source.location(archive.location),
            }]
        };
        return ArchiveLayout {
            by: None,
            title,
            groups,
        };
    };
    let mut groups = Vec::new();
    for (term, posts) in split(&by, posts, local) {
        if posts.len() >= archive.at_least {
            groups.extend(group(
                archive,
                &by,
                term,
                posts,
                settings,
                catalogue,
                diagnostics,
            ));
        }
    }
    order(&mut groups, &by, archive.overview_order, local);
    let overview_title = match &archive.title {
        Some(title) if !title.contains('{') => title.clone(),
        _ => default_title(Some(&by)),
    };
    ArchiveLayout {
        by: Some(by),
        title: overview_title,
        groups,
    }
}

/// Returns the title of an archive, or of its overview, that the settings give none: the theme's word for an archive
/// with the name and the split of a built-in one; else the archive's name.
fn default_title(
    name: &str,
    by: Option<&By>,
    settings: &Settings,
    catalogue: Localized<'_>,
) -> String {
    let has_word = match by {
        None => name == "journal",
        Some(By::Year) => name == "years",
        Some(By::Term(field)) => catalogue.terms(*field).field.many() == name,
        Some(_) => false,
    };
    match settings.locales.get(catalogue.locale).words.get(name) {
        word if has_word && word != name => word.to_owned(),
        _ => title_of_name(name),
    }
}

fn group(
    archive: &Archive,
    by: &By,
    term: GroupTerm,
    posts: Vec<PostId>,
    settings: &Settings,
    catalogue: &Catalogue,
    diagnostics: &mut Diagnostics,
) -> Option<Group> {
    let own_location = || settings.source.location(archive.location);
    let location = match term.id {
        Some((field, id)) => {
            term_location(catalogue.terms(field).term(id)).unwrap_or_else(own_location)
        }
        None => own_location(),
    };
    if term.slug.split('/').any(str::is_empty) {
        diagnostics.push(empty_slug(&term, by, location, catalogue));
        return None;
    }
    let link = match term_link(&archive.link, archive, by, &term, catalogue) {
        Ok(link) => link,
        Err(missing) => {
            let location = settings.source.location(archive.link_location);
            let diagnostic = unfit_link(archive, missing, location);
            // Each of its groups would say the same.
            if !diagnostics.contains(&diagnostic) {
                diagnostics.push(diagnostic);
            }
            return None;
        }
    };
    let title = archive.title.as_ref().filter(|title| title.contains('{'));
    // The term last: a name in the form of a variable is a name.
    let filled = |title: &str| fill(title, &term, archive);
    let local = catalogue.within(archive.locale);
    let counted = title.map(|title| with_counts(title, posts.len(), settings, local));
    let lasting = title.filter(|title| !has_counts(title));
    Some(Group {
        lasting_title: lasting.map_or_else(|| term.name.clone(), |title| filled(title)),
        title: counted.map_or_else(|| term.name.clone(), |title| filled(&title)),
        term: Some(term),
        link,
        newest_first: is_newest_first(&posts, catalogue),
        posts,
        location,
    })
}

fn is_newest_first(posts: &[PostId], catalogue: &Catalogue) -> bool {
    let dates = posts.iter().filter_map(|id| catalogue.post(*id).date);
    let mut dates = dates.map(|date| Reverse(date.at)).peekable();
    dates.peek().is_some() && dates.is_sorted()
}

/// Returns the address that `pattern`, an archive's link or an earlier one, has for a term of the archive.
///
/// # Errors
/// The name of a variable that the term does not have.
pub fn term_link<'p>(
    pattern: &'p Pattern,
    archive: &Archive,
    by: &By,
    term: &GroupTerm,
    catalogue: &Catalogue,
) -> Result<Link, &'p str> {
    pattern.expand(|name| variable(name, archive, by, term, catalogue))
}

/// Returns the addresses at which the lists of a term would be by further spellings of it, each with the
/// spelling: of nested terms none.
pub fn spelling_links<'s>(
    spellings: &'s [Spanned<String>],
    archive: &Archive,
    by: &By,
    term: &GroupTerm,
    catalogue: &Catalogue,
) -> Vec<(&'s Spanned<String>, Link)> {
    let plain = spellings
        .iter()
        .filter(|spelling| !spelling.node.contains('/'));
    plain
        .filter_map(|spelling| {
            let other = GroupTerm {
                slug: slug(&spelling.node),
                ..term.clone()
            };
            let link = term_link(&archive.link, archive, by, &other, catalogue).ok()?;
            (!other.slug.is_empty() && other.slug != term.slug).then_some((spelling, link))
        })
        .collect()
}

fn empty_slug(term: &GroupTerm, by: &By, location: Location, catalogue: &Catalogue) -> Diagnostic {
    let name = &term.name;
    let message = format!("no letter or digit is left of \"{name}\" in an address");
    Diagnostic::error(Code::EmptySlug, location, message).help(match by {
        By::Term(field) => {
            let field = &catalogue.terms(*field).field.name;
            format!("write a note `terms/{field}/NAME.md` with `title: \"{name}\"` and a `slug:`")
        }
        _ => "give the value another name, of letters or digits".to_owned(),
    })
}

/// Returns the error of a link of an archive with a variable that its terms do not have.
#[must_use]
pub fn unfit_link(archive: &Archive, missing: &str, location: Location) -> Diagnostic {
    let own = archive.by.as_ref().map_or("", |by| by.node.as_str());
    let message =
        format!("the link of this archive has {{{missing}}}, and the archive is split by `{own}`");
    Diagnostic::error(Code::InvalidLinkPattern, location, message)
        .help(format!("write {{{own}}} in its place"))
}

/// The archive's own term by its field's name; of date parts year, month and day.
fn variable(
    name: &str,
    archive: &Archive,
    by: &By,
    term: &GroupTerm,
    catalogue: &Catalogue,
) -> Option<String> {
    if let Some(day) = term.day {
        let shared = match name {
            "month" => matches!(by, By::Month | By::Day),
            "day" => matches!(by, By::Day),
            _ => true,
        };
        return shared.then(|| date_part(day, name)).flatten();
    }
    let own = archive.by.as_ref().is_some_and(|by| by.node == name);
    let field = matches!(by, By::Term(field) if catalogue.terms(*field).field.is(name));
    (own || field || name == "term").then(|| term.slug.clone())
}

/// Returns true if a title names the number of posts.
fn has_counts(title: &str) -> bool {
    title.contains(COUNT) || title.contains(POSTS)
}

/// The variables of titles for the number of posts, alone and with the word for posts.
const COUNT: &str = "{count}";
const POSTS: &str = "{posts}";

/// Returns a title with the number of posts in the place of its variables.
fn with_counts(title: &str, count: usize, settings: &Settings, catalogue: Localized<'_>) -> String {
    let words = &settings.locales.get(catalogue.locale).words;
    let word = words.posts(catalogue.own_language().plural(count));
    let with_word = title.replace(POSTS, &format!("{count} {word}"));
    with_word.replace(COUNT, &count.to_string())
}

fn fill(title: &str, term: &GroupTerm, archive: &Archive) -> String {
    let by = archive.by.as_ref().map_or("term", |by| by.node.as_str());
    title
        .replace(&format!("{{{by}}}"), &term.name)
        .replace("{term}", &term.name)
}

/// The posts by what they share. Costs in proportion to posts and their values.
fn split(by: &By, posts: Vec<PostId>, catalogue: Localized<'_>) -> Vec<(GroupTerm, Vec<PostId>)> {
    match by {
        By::Term(field) => split_by_term(*field, &posts, catalogue),
        By::Year | By::Month | By::Day => split_by_date(by, posts, catalogue),
        By::Field(_) | By::Set => split_by_value(by, posts, catalogue),
    }
}

/// Counts posts by a key: most first, then by name; date parts newest first.
#[must_use]
pub fn counts(by: &By, posts: &[PostId], catalogue: Localized<'_>) -> Vec<(GroupTerm, usize)> {
    let mut counts: Vec<(GroupTerm, usize)> = split(by, posts.to_vec(), catalogue)
        .into_iter()
        .map(|(term, posts)| (term, posts.len()))
        .collect();
    counts.sort_by(|(a, n), (b, m)| match (a.day, b.day) {
        (Some(a), Some(b)) => b.cmp(&a),
        _ => m
            .cmp(n)
            .then_with(|| compare_names(&a.name, &b.name, matches!(by, By::Field(_)), catalogue)),
    });
    counts
}

/// For each term of a field, in the table's order, those of `posts` that have it or a term below
/// it, in their order.
#[must_use]
pub fn by_terms(field: usize, posts: &[PostId], catalogue: &Catalogue) -> Vec<Vec<PostId>> {
    let mut lists: Vec<Vec<PostId>> = vec![Vec::new(); catalogue.terms(field).terms.len()];
    for post in posts {
        for id in catalogue.terms_and_above(*post, field) {
            let list = &mut lists[id.0 as usize];
            if list.last() != Some(post) {
                list.push(*post);
            }
        }
    }
    lists
}

fn split_by_term(
    field: usize,
    posts: &[PostId],
    catalogue: Localized<'_>,
) -> Vec<(GroupTerm, Vec<PostId>)> {
    let lists = by_terms(field, posts, &catalogue);
    let named = lists
        .into_iter()
        .enumerate()
        .filter(|(_, posts)| !posts.is_empty());
    named
        .map(|(at, posts)| {
            let id = TermId(number(at));
            (field_term(field, id, catalogue), posts)
        })
        .collect()
}

fn field_term(field: usize, id: TermId, catalogue: Localized<'_>) -> GroupTerm {
    let term = catalogue.catalogue.terms(field).term(id);
    GroupTerm {
        name: term.name_in(catalogue.locale).to_owned(),
        slug: term.slug_in(catalogue.locale).to_owned(),
        id: Some((field, id)),
        day: None,
    }
}

fn first_day(by: &By, day: Date) -> Date {
    match by {
        By::Year => day.first_of_year(),
        By::Month => day.first_of_month(),
        _ => day,
    }
}

fn split_by_date(
    by: &By,
    posts: Vec<PostId>,
    catalogue: Localized<'_>,
) -> Vec<(GroupTerm, Vec<PostId>)> {
    let mut lists: IndexMap<Date, Vec<PostId>> = IndexMap::new();
    for post in posts {
        if let Some(date) = catalogue.post(post).date {
            lists.entry(first_day(by, date.day)).or_default().push(post);
        }
    }
    let named = lists
        .into_iter()
        .map(|(day, posts)| (date_term(by, day, catalogue), posts));
    named.collect()
}

/// Returns the part of a date that begins with `day`.
fn date_term(by: &By, day: Date, catalogue: Localized<'_>) -> GroupTerm {
    GroupTerm {
        name: date_name(by, day, catalogue),
        slug: match by {
            By::Year => format!("{:04}", day.year()),
            By::Month => day.strftime("%Y-%m").to_string(),
            _ => day.to_string(),
        },
        id: None,
        day: Some(day),
    }
}

fn date_name(by: &By, day: Date, catalogue: Localized<'_>) -> String {
    match by {
        By::Year => day.year().to_string(),
        By::Month => catalogue.own_language().month(day),
        _ => catalogue.own_language().day(day, &DateStyle::Long),
    }
}

/// The single values of a field, as written.
fn values<'a>(by: &By, post: PostId, catalogue: &'a Catalogue) -> Vec<&'a str> {
    match by {
        By::Set => vec![catalogue.sets()[catalogue.post(post).set].as_str()],
        By::Field(name) => match catalogue.post(post).front.at(name).map(|value| &value.node) {
            Some(Value::List(items)) => items
                .iter()
                .filter_map(|item| item.node.written())
                .collect(),
            Some(value) => value.written().into_iter().collect(),
            None => Vec::new(),
        },
        _ => Vec::new(),
    }
}

fn split_by_value(
    by: &By,
    posts: Vec<PostId>,
    catalogue: Localized<'_>,
) -> Vec<(GroupTerm, Vec<PostId>)> {
    let mut lists: IndexMap<String, (String, Vec<PostId>)> = IndexMap::new();
    for post in posts {
        for value in values(by, post, &catalogue) {
            if value.trim().is_empty() {
                continue;
            }
            let list = lists
                .entry(identity(value))
                .or_insert_with(|| (value.trim().to_owned(), Vec::new()));
            if list.1.last() != Some(&post) {
                list.1.push(post);
            }
        }
    }
    let named = lists.into_values();
    named
        .map(|(name, posts)| (value_term(name), posts))
        .collect()
}

fn value_term(name: String) -> GroupTerm {
    GroupTerm {
        slug: slug(&name),
        name,
        id: None,
        day: None,
    }
}

fn order(groups: &mut [Group], by: &By, wanted: Option<OverviewOrder>, catalogue: Localized<'_>) {
    let by_name = |a: &Group, b: &Group| match (&a.term, &b.term) {
        (Some(a), Some(b)) => match (a.day, b.day) {
            (Some(a), Some(b)) => b.cmp(&a),
            _ => compare_names(&a.name, &b.name, matches!(by, By::Field(_)), catalogue),
        },
        _ => Ordering::Equal,
    };
    match wanted.unwrap_or_default() {
        OverviewOrder::Name => groups.sort_by(by_name),
        OverviewOrder::Count => groups.sort_by(|a, b| {
            b.posts
                .len()
                .cmp(&a.posts.len())
                .then_with(|| by_name(a, b))
        }),
        OverviewOrder::Newest => groups.sort_by(|a, b| {
            a.posts
                .iter()
                .min()
                .cmp(&b.posts.iter().min())
                .then_with(|| by_name(a, b))
        }),
    }
}

/// Compares names; values of a field that are numbers are in the order of numbers.
fn compare_names(a: &str, b: &str, numbers: bool, catalogue: Localized<'_>) -> Ordering {
    if numbers && let (Ok(a), Ok(b)) = (a.parse::<f64>(), b.parse::<f64>()) {
        return a.total_cmp(&b);
    }
    catalogue.own_language().sort(a, b)
}

/// Returns the posts of a page under headings, in their order: neighbours that share a heading have one
/// together.
#[must_use]
pub fn sections(by: &By, posts: &[PostId], catalogue: Localized<'_>) -> Vec<Section> {
    let under = |post: &PostId| under(by, *post, catalogue);
    let together = posts.chunk_by(|one, next| under(one) == under(next));
    let section = |posts: &[PostId]| Section {
        term: under(&posts[0]).map(|under| under.term(by, catalogue)),
        posts: posts.to_vec(),
    };
    together.map(section).collect()
}

/// The value that posts under one heading share; cheaper to compare than the heading's text.
#[derive(PartialEq)]
enum Under<'a> {
    Days(Date),
    Term(usize, TermId),
    Value(&'a str),
}

impl Under<'_> {
    fn term(&self, by: &By, catalogue: Localized<'_>) -> GroupTerm {
        match self {
            Self::Days(first) => date_term(by, *first, catalogue),
            Self::Term(field, id) => field_term(*field, *id, catalogue),
            Self::Value(value) => value_term((*value).to_owned()),
        }
    }
}

fn under<'a>(by: &By, post: PostId, catalogue: Localized<'a>) -> Option<Under<'a>> {
    match by {
        By::Year | By::Month | By::Day => {
            let day = catalogue.post(post).date?.day;
            Some(Under::Days(first_day(by, day)))
        }
        By::Term(field) => {
            let first = catalogue.terms_of(post, *field).first()?;
            Some(Under::Term(*field, *first))
        }
        By::Field(_) | By::Set => values(by, post, catalogue.catalogue)
            .first()
            .copied()
            .map(Under::Value),
    }
}

/// Counts the posts that are dated in each month of `year`, January first.
#[must_use]
pub fn months(posts: &[PostId], year: i16, catalogue: &Catalogue) -> [usize; 12] {
    let mut months = [0; 12];
    for post in posts {
        if let Some(date) = catalogue.post(*post).date
            && date.day.year() == year
        {
            months[usize::from(date.day.month().unsigned_abs()) - 1] += 1;
        }
    }
    months
}

#[cfg(test)]
mod tests;
