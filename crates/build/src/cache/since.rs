//! What changed since the last build, and why an output is made again.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::post::State;

use super::need::{Key, Need};
use super::scan::Scan;
use super::store::{Kept, KeptPosts, Page, Parsed, Quiet, Store};
use super::world::World;
use crate::fingerprint::Fingerprint;
use crate::output::{Manifest, Output};
use crate::plan::{Planned, What};
use crate::report::Report;
use crate::stage::{Made, Outcome};
use crate::template::Shared;

/// What changed since the last build.
pub(crate) struct Since<'a> {
    old: &'a Store,
    world: &'a World<'a>,
    manifest: Option<&'a Manifest>,
    /// Whether what pages asked for changed, by its number in the old store.
    changed: Vec<bool>,
    /// Those numbers.
    numbers: OnceLock<FxHashMap<&'a Key, usize>>,
}

/// Why an output is made.
#[derive(Debug)]
pub(crate) enum Why {
    /// It was not made by the last build, or by something else.
    New,
    /// It is made each time.
    Each,
    /// Something that it asked for changed: the number in the old store.
    Changed(usize),
}

impl<'a> Since<'a> {
    pub(crate) fn new(
        old: &'a Store,
        world: &'a World<'a>,
        manifest: Option<&'a Manifest>,
    ) -> Self {
        let now = world.since(old).into_iter().zip(&old.needs);
        Self {
            old,
            world,
            manifest,
            changed: now.map(|(now, (_, known))| now != Some(*known)).collect(),
            numbers: OnceLock::new(),
        }
    }

    /// An output as the last build left it, if nothing changed that it asked for.
    ///
    /// # Errors
    /// Why it is made again.
    pub(crate) fn page(&self, planned: &Planned, shared: &Shared) -> Result<&'a Page, Why> {
        let page = self.old.pages.get(&planned.file).ok_or(Why::New)?;
        if !self.has_the_last_plan() && page.maker != maker(planned, shared) {
            return Err(Why::New);
        }
        let needs = page.needs.as_ref().ok_or(Why::Each)?;
        let needs = needs.iter().map(|need| *need as usize);
        let changed = needs.filter(|need| self.changed[*need]);
        match changed.min_by_key(|need| remoteness(&self.old.needs[*need].0)) {
            Some(need) => Err(Why::Changed(need)),
            None => Ok(page),
        }
    }

    /// Whether the outputs are those that the last build planned.
    pub(crate) fn has_the_last_plan(&self) -> bool {
        self.world.has_the_last_plan()
    }

    /// What the last build left of an output, whatever changed since.
    pub(crate) fn known(&self, file: &str) -> Option<&'a Page> {
        self.old.pages.get(file)
    }

    /// The hash of an output as the last build wrote it.
    pub(crate) fn hash(&self, file: &str) -> Option<u64> {
        self.manifest
            .and_then(|manifest| manifest.files.get(file).copied())
            .flatten()
    }

    /// Returns true if no known build wrote the output at this path.
    pub(crate) fn is_foreign(&self, file: &str) -> bool {
        self.manifest
            .is_none_or(|manifest| !manifest.files.contains_key(file))
    }

    /// Why an output is made, in a few words.
    pub(crate) fn reason(&self, why: &Why) -> String {
        match why {
            Why::New => "it is new".to_owned(),
            Why::Each => "its content changed".to_owned(),
            Why::Changed(need) => self.changed(&self.old.needs[*need].0),
        }
    }

    fn changed(&self, key: &Key) -> String {
        match key {
            Key::Post(path) | Key::Text(path) => self.post(path),
            Key::Related(_) => "what to read next changed".to_owned(),
            Key::Term(field, slug) => format!("the {field} `{slug}` changed"),
            Key::Count(field, slug) => format!("the {field} `{slug}` has more or fewer posts"),
            Key::List(link) | Key::Rows(link) => format!("the list {link} changed"),
            Key::Groups(archive) => format!("the terms of the archive `{archive}` changed"),
            Key::Feed(_) => "it has other entries".to_owned(),
            Key::Feeds => "there are other feeds".to_owned(),
            Key::Page(path) => format!("{path} changed"),
            Key::Template(name) => match name.strip_prefix("pages/") {
                Some(_) => format!("{name} changed"),
                None => format!("templates/{name} changed"),
            },
            Key::Query(text, _) => format!("`{text}` finds other posts"),
            Key::Terms(listing) => format!("the terms of `{}` changed", listing.field),
            Key::Field(name) => format!("the field `{name}` came or went"),
            Key::Address(path) => format!("{path} came, went or moved"),
            Key::File(path) => format!("{path} changed"),
            Key::Site => "the navigation, or what else all pages show, changed".to_owned(),
            Key::Settings => "tabulae.toml, or what the build was asked for, changed".to_owned(),
            Key::Alike | Key::Posts | Key::All => "other posts changed".to_owned(),
            Key::Day | Key::Moment => "time went by".to_owned(),
            Key::Warned => "there was a warning about it".to_owned(),
        }
    }

    /// What changed of a post.
    fn post(&self, path: &str) -> String {
        let site = self.world.site();
        let parsed = |posts: &BTreeMap<String, Kept>| {
            posts
                .get(path)
                .and_then(|kept| Parsed::from_bytes(&kept.parsed))
        };
        let (old, new) = match (parsed(&self.old.posts), parsed(&site.kept)) {
            (Some(old), Some(new)) => (old, new),
            (None, _) => return format!("{path} is new"),
            (_, None) => return format!("{path} is gone"),
        };
        let mut changed: Vec<&str> = Vec::new();
        let entries = old.front.map.entries.iter().chain(&new.front.map.entries);
        for entry in entries {
            let name = entry.key.node.as_str();
            let value = |parsed: &Parsed| {
                parsed
                    .front
                    .map
                    .get(name)
                    .map(|entry| format!("{:?}", written(&entry.value.node)))
            };
            if !changed.contains(&name) && value(&old) != value(&new) {
                changed.push(name);
            }
        }
        if old.notes.heading != new.notes.heading {
            changed.push("heading");
        }
        let summary = |parsed: &Parsed| {
            (
                parsed.notes.before_more.clone(),
                parsed.notes.first_paragraph.clone(),
            )
        };
        if summary(&old) != summary(&new) {
            changed.push("summary");
        } else if changed.is_empty() && self.old.posts[path].hash != site.kept[path].hash {
            changed.push("text");
        }
        match changed.as_slice() {
            [] => match site
                .catalogue
                .find(path)
                .map(|id| site.catalogue.post(id).state)
            {
                Some(State::Live) => format!("{path} is live now"),
                Some(state) => format!("{path} is {} now", state.name()),
                None => format!("{path} changed"),
            },
            changed => format!("{path} changed its {}", changed.join(", ")),
        }
    }
}

/// Of several things that changed the one is told that someone did, not what follows from it.
fn remoteness(key: &Key) -> u8 {
    match key {
        Key::Settings => 0,
        Key::Template(_) | Key::Page(_) | Key::File(_) => 1,
        Key::Post(_) | Key::Text(_) => 2,
        _ => 3,
    }
}

/// A value without the places where it was written.
fn written(value: &tabulae_core::value::Value) -> String {
    use tabulae_core::value::Value;
    match value {
        Value::List(items) => {
            let items = items.iter().map(|item| written(&item.node));
            items.collect::<Vec<_>>().join("\n")
        }
        Value::Map(map) => {
            let entries = map.entries.iter();
            let entries =
                entries.map(|entry| format!("{}: {}", entry.key.node, written(&entry.value.node)));
            entries.collect::<Vec<_>>().join("\n")
        }
        value => value.written().unwrap_or_default().to_owned(),
    }
}

/// What makes an output, hashed: another post at the same place is another maker.
fn maker(planned: &Planned, shared: &Shared) -> u64 {
    let site = &shared.site;
    let mut all = Fingerprint::new();
    match &planned.what {
        What::Post(id) => all.text("post").text(&site.catalogue.post(*id).path),
        What::Page(at) => all.text("page").text(&site.pages[*at].post.path),
        What::List {
            archive,
            group,
            pager,
        } => all
            .text("list")
            .text(&shared.plan.archives[*archive].groups[*group].link.plain)
            .text(&site.settings.archives[*archive].name)
            .number(pager.number as u64),
        What::Overview(at) => all.text("overview").text(&site.settings.archives[*at].name),
        What::Feed(at) => {
            let feed = &shared.plan.feeds[*at];
            all.text("feed")
                .text(&feed.link.plain)
                .number(feed.part.number as u64)
        }
        What::Copy(source) => all.text("copy").text(source),
        What::Titles { archive, group } => all
            .text("titles")
            .text(&shared.plan.archives[*archive].groups[*group].link.plain),
        What::Redirect(_) => all.text("redirect"),
        What::Style => all.text("style"),
        What::Script => all.text("script"),
        What::FeedStyle => all.text("feed style"),
        What::Feeds => all.text("feeds"),
        What::Search => all.text("search"),
        What::Texts => all.text("texts"),
        What::Sitemap(_) | What::SitemapIndex(_) => all.text("sitemap"),
    };
    all.done()
}

/// What the next build needs to make only what changed.
pub(crate) fn leave(
    since: &Since<'_>,
    outcomes: Vec<Outcome<'_>>,
    scan: &Scan<'_>,
    manifest: &Manifest,
    report: &Report,
    faults: &[Diagnostic],
    output: &dyn Output,
) -> Store {
    let world = since.world;
    let shared = world.shared();
    let mut table = Table {
        since,
        keys: Vec::new(),
        before: vec![None; since.old.needs.len()],
        now: vec![None; shared.site.needs.given()],
    };
    // Whatever may be asked of these is answered by the whole of them.
    table.keys.extend([(Key::Posts, None), (Key::Alike, None)]);
    let outputs = shared.plan.outputs.iter().zip(outcomes);
    let mut pages = Vec::with_capacity(shared.plan.outputs.len());
    for (planned, outcome) in outputs {
        let Some(done) = outcome.into_done() else {
            continue;
        };
        let needs = match done.made {
            Made::Before(page) => page.needs.as_ref().map(|needs| {
                let needs = needs.iter().map(|need| *need as usize);
                needs.map(|need| table.old(need)).collect()
            }),
            Made::Now(needs) => needs.map(|needs| {
                let needs = needs.iter();
                needs.map(|need| table.asked(*need)).collect()
            }),
        };
        pages.push((planned, done.mark, needs));
    }
    let pages = pages.into_par_iter().map(|(planned, mark, needs)| {
        let page = Page {
            maker: maker(planned, shared),
            mark: mark.or_else(|| output.mark(&planned.file)),
            needs,
        };
        (planned.file.clone(), page)
    });
    // As a list first, as the scan does.
    let pages: Vec<_> = pages.collect();
    let pages = pages.into_iter().collect();
    let needs: Vec<(Key, u64)> = table
        .keys
        .into_par_iter()
        .map(|(key, known)| {
            let fingerprint = known.or_else(|| world.fingerprint(&key));
            (key, fingerprint.unwrap_or_default())
        })
        .collect();
    let (stems, posts) = words(since);
    Store {
        asked: world.site().asked,
        files: Arc::clone(&scan.files),
        stems,
        posts,
        quiet: quiet(since, &needs, scan, report, faults),
        needs,
        pages,
        manifest: manifest.digest(),
    }
}

/// What is kept of the posts, with their words where they were counted, and the stems of those.
fn words(since: &Since<'_>) -> (Arc<[Box<str>]>, KeptPosts) {
    let site = since.world.site();
    let mut kept = Arc::clone(&site.kept);
    let Some(counted) = site.catalogue.counted_words() else {
        return (Arc::clone(&since.old.stems), kept);
    };
    let posts = Arc::make_mut(&mut kept);
    let body = &counted.body;
    let ids: Vec<_> = site.catalogue.all().collect();
    let encoded: Vec<_> = ids
        .par_iter()
        .map(|id| {
            let counts: Vec<(u32, u32)> = body.counts.of(id.0 as usize).iter().collect();
            postcard::to_stdvec(&counts).unwrap_or_default()
        })
        .collect();
    for (id, words) in ids.iter().zip(encoded) {
        if let Some(kept) = posts.get_mut(&site.catalogue.post(*id).path) {
            kept.words = words.into();
        }
    }
    (body.stems().map(Into::into).collect(), kept)
}

impl<'a> Since<'a> {
    /// The number in the old store of something that a page asked for.
    fn number(&self, key: &Key) -> Option<usize> {
        let numbers = self.numbers.get_or_init(|| {
            let keys = self.old.needs.iter().map(|(key, _)| key);
            keys.zip(0..).collect()
        });
        numbers.get(key).copied()
    }
}

/// The keys of a store under way, each with its fingerprint where it is known.
struct Table<'t, 'a> {
    since: &'t Since<'a>,
    keys: Vec<(Key, Option<u64>)>,
    /// The numbers of what the last build's pages asked for, by theirs in its store.
    before: Vec<Option<u32>>,
    /// The numbers of what this build's pages asked for.
    now: Vec<Option<u32>>,
}

impl Table<'_, '_> {
    fn add(&mut self, key: Key, fingerprint: Option<u64>) -> u32 {
        self.keys.push((key, fingerprint));
        u32::try_from(self.keys.len() - 1).unwrap_or(u32::MAX)
    }

    /// Something that pages asked for before, by its number in the old store.
    fn old(&mut self, need: usize) -> u32 {
        if let Some(known) = self.before[need] {
            return known;
        }
        let (key, fingerprint) = self.since.old.needs[need].clone();
        let same = !self.since.changed[need];
        let number = self.add(key, same.then_some(fingerprint));
        self.before[need] = Some(number);
        number
    }

    /// Something that this build's pages asked for.
    fn asked(&mut self, need: Need) -> u32 {
        if let Some(known) = self.now[need.number()] {
            return known;
        }
        let site = self.since.world.site();
        let key = site.needs.key(need, &site.catalogue);
        let number = match self.since.number(&key) {
            Some(known) => self.old(known),
            None => self.add(key, None),
        };
        self.now[need.number()] = Some(number);
        number
    }
}

/// What a build says that finds nothing changed, if there can be such a one.
fn quiet(
    since: &Since<'_>,
    needs: &[(Key, u64)],
    scan: &Scan<'_>,
    report: &Report,
    faults: &[Diagnostic],
) -> Option<Quiet> {
    let site = since.world.site();
    let once = |fault: &Diagnostic| fault.is_error() || fault.code == Code::FeedIdChanged;
    if !scan.whole || faults.iter().any(once) {
        return None;
    }
    let today = site.moment.today();
    let mut lasts = since.world.last(needs.iter().map(|(key, _)| key));
    if site.include.drafts {
        // A draft without a date stands at today's address.
        lasts = lasts.max(tabulae_core::query::ast::Lasts::Today);
    }
    let now = site.moment.now;
    let changes = site.changes_state_at();
    Some(Quiet {
        read: (report.posts, report.pages),
        held_back: report.held_back.clone().into_iter().collect(),
        next_due: report.next_due.clone(),
        warnings: faults.to_vec(),
        unknown: report.unknown.clone(),
        between: (now.as_second(), changes.map(jiff::Timestamp::as_second)),
        day: Quiet::day_of(lasts, today)?,
    })
}
