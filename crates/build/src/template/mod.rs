//! Templates: the environment with the built-in theme, a site's own templates over it, and the
//! functions and filters that both may use.

mod arguments;
mod cards;
mod faults;
mod fields;
mod filters;
mod functions;
mod limits;
mod loads;
mod objects;
mod queries;
mod scope;
mod terms;

use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

use jiff::civil::Date;
use minijinja::value::ValueKind;
use minijinja::{AutoEscape, Environment, Output, State, UndefinedBehavior, Value};
use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::query::{Query, Resolved};
use tabulae_core::search::Row;
use tabulae_core::source::Source;

use crate::cache::{Key, Listing, Need, need};
use crate::plan::Plan;
use crate::site::Site;

use self::cards::Cards;
pub use self::faults::diagnose;
pub(crate) use self::fields::has_maps;
use self::filters::FILTERS;
use self::functions::FUNCTIONS;
pub(crate) use self::functions::feed_value;
use self::loads::reached;
pub use self::objects::{PostList, PostObject, TermObject, date_value, post_list};
pub(crate) use self::scope::{ArchiveScope, PageScope, PagerScope, Scope, SiteScope, TermScope};

/// The built-in templates by name.
pub const BUILT_IN: [(&str, &str); 19] = [
    ("base.html", include_str!("../theme/base.html")),
    ("post.html", include_str!("../theme/post.html")),
    ("page.html", include_str!("../theme/page.html")),
    ("archive.html", include_str!("../theme/archive.html")),
    ("overview.html", include_str!("../theme/overview.html")),
    ("feeds.html", include_str!("../theme/feeds.html")),
    ("search.html", include_str!("../theme/search.html")),
    (
        "parts/related.html",
        include_str!("../theme/parts/related.html"),
    ),
    ("parts/find.html", include_str!("../theme/parts/find.html")),
    ("parts/card.html", include_str!("../theme/parts/card.html")),
    (
        "parts/links.html",
        include_str!("../theme/parts/links.html"),
    ),
    ("parts/top.html", include_str!("../theme/parts/top.html")),
    ("parts/foot.html", include_str!("../theme/parts/foot.html")),
    ("parts/menu.html", include_str!("../theme/parts/menu.html")),
    (
        "parts/lines.html",
        include_str!("../theme/parts/lines.html"),
    ),
    (
        "parts/pager.html",
        include_str!("../theme/parts/pager.html"),
    ),
    (
        "parts/woven.html",
        include_str!("../theme/parts/woven.html"),
    ),
    (
        "parts/woven-terms.html",
        include_str!("../theme/parts/woven-terms.html"),
    ),
    (
        "parts/terms.html",
        include_str!("../theme/parts/terms.html"),
    ),
];

/// The theme's style sheet.
pub const STYLE: &str = include_str!("../theme/tabulae.css");

/// The style sheet by which browsers show feeds; `OPENED` in it is the sentence above.
pub const FEED_STYLE: &str = include_str!("../theme/tabulae-feeds.css");

/// The theme's script.
const SCRIPT: &str = include_str!("../theme/tabulae.js");

/// The theme's script without its comments and indents.
#[must_use]
pub fn script() -> String {
    let lines = SCRIPT.lines().map(str::trim_start);
    let code = lines.filter(|line| !line.is_empty() && !line.starts_with("//"));
    code.flat_map(|line| [line, "\n"]).collect()
}

/// A query's text, and whether it is asked on a post's page.
type Asked = (String, bool);

/// What all pages of a build share.
#[derive(Debug)]
pub struct Shared {
    /// The site.
    pub site: Site,
    /// What is made.
    pub plan: Plan,
    /// Templates by name, with the files that they stand in.
    pub sources: BTreeMap<String, Source>,
    /// Every term as a value, by term field and term.
    pub terms: Vec<Vec<Value>>,
    /// The address of every post as a value, the path of the site's address before it.
    post_links: Vec<Value>,
    /// What the script of lists looks through of each post.
    rows: Vec<OnceLock<Row>>,
    /// The days of all posts in words.
    days: BTreeMap<Date, Value>,
    /// What templates complain of without failing.
    warnings: Mutex<Faults>,
    /// The posts of queries that find the same on every page, by text.
    answers: Mutex<BTreeMap<String, Arc<[PostId]>>>,
    /// Queries by text, and whether they are asked on a post's page.
    resolved: Mutex<BTreeMap<Asked, Arc<Query<Resolved>>>>,
    parts: Mutex<BTreeMap<String, Made>>,
    /// The answers of `terms` that are the same on every page, by what was asked.
    term_lists: Mutex<BTreeMap<Listing, Value>>,
    /// What cards ask for that may differ between lists.
    card_names: OnceLock<Vec<String>>,
    cards: [Mutex<Cards>; 7],
    /// The dependency on each template, by its name.
    template_needs: BTreeMap<String, Need>,
}

/// Adds a function or a filter of this name.
type Add = fn(&mut Environment<'static>, &'static str, Arc<Shared>);

/// A part that was made, and what it asked for.
type Made = (Value, Box<[Need]>);

impl Shared {
    /// Puts together what all pages share.
    #[must_use]
    pub fn new(site: Site, plan: Plan) -> Self {
        let terms = (0..site.catalogue.term_tables().len())
            .map(|field| objects::terms(&site, &plan, field))
            .collect();
        let links = site
            .catalogue
            .all()
            .map(|id| Value::from(site.href(site.catalogue.link(id))));
        let dates = site
            .catalogue
            .all()
            .filter_map(|id| site.catalogue.post(id).date);
        let style = &site.settings.site.dates;
        let days: BTreeSet<Date> = dates.map(|date| date.day).collect();
        let in_words = |day| (day, Value::from(site.catalogue.language.day(day, style)));
        let days: Vec<_> = days.into_par_iter().map(in_words).collect();
        let sources = sources(&site);
        let of_template = |name: &String| site.needs.other(Key::Template(name.clone()));
        let template_needs = sources.keys().map(|name| (name.clone(), of_template(name)));
        let template_needs = template_needs.collect();
        Self {
            terms,
            post_links: links.collect(),
            rows: site.catalogue.all().map(|_| OnceLock::new()).collect(),
            days: days.into_iter().collect(),
            sources,
            site,
            plan,
            warnings: Mutex::default(),
            answers: Mutex::default(),
            resolved: Mutex::default(),
            parts: Mutex::default(),
            term_lists: Mutex::default(),
            card_names: OnceLock::new(),
            cards: Default::default(),
            template_needs,
        }
    }

    /// Forgets what was made of the site's posts, so that it is made anew of what they say then.
    pub(crate) fn forget(&mut self) {
        self.forget_parts();
        self.warnings = Mutex::default();
        self.resolved = Mutex::default();
    }

    /// Forgets what pages are put together from, when all of them are made.
    pub(crate) fn forget_parts(&self) {
        fn clear<T: Default>(made: &Mutex<T>) {
            *locked(made) = T::default();
        }
        self.cards.iter().for_each(clear);
        clear(&self.parts);
        clear(&self.answers);
        clear(&self.term_lists);
    }

    /// The address of a post, the path of the site's address before it.
    pub(crate) fn post_link(&self, id: PostId) -> &Value {
        &self.post_links[id.0 as usize]
    }

    /// What the script of lists looks through of a post, which is made once for all of them.
    pub(crate) fn row(&self, id: PostId) -> &Row {
        self.rows[id.0 as usize].get_or_init(|| {
            let post = self.site.catalogue.post(id);
            let day = post.date.and_then(|date| self.day(date.day)?.as_str());
            let link = self.post_link(id).as_str();
            Row::new(post, link.unwrap_or_default(), day.unwrap_or_default())
        })
    }

    /// The day of a post in words.
    pub(crate) fn day(&self, day: Date) -> Option<&Value> {
        self.days.get(&day)
    }

    /// How many cards are kept, under headings of a level, for all lists that show their posts.
    #[cfg(test)]
    pub(crate) fn kept_cards(&self, level: usize) -> usize {
        self.cards(level).len()
    }

    /// The cards made so far, by the level of their headings.
    fn cards(&self, level: usize) -> MutexGuard<'_, Cards> {
        locked(&self.cards[level.min(6)])
    }

    /// Records that what is being made depends on a template, also on one that is missing so far.
    pub(crate) fn ask_template(&self, name: &str) {
        let known = self.template_needs.get(name).copied();
        need(known.unwrap_or_else(|| self.site.needs.other(Key::Template(name.to_owned()))));
    }

    /// The templates that one may load, itself among them.
    fn loaded_by<'a>(&'a self, name: &'a str) -> BTreeSet<&'a str> {
        let all = || self.sources.keys().map(String::as_str).collect();
        reached([name], &self.sources).unwrap_or_else(all)
    }

    fn warn(&self, warning: Diagnostic) {
        need(self.site.needs.other(Key::Warned));
        let mut warnings = locked(&self.warnings);
        let same =
            |known: &Diagnostic| known.place == warning.place && known.message == warning.message;
        if !warnings.iter().any(same) {
            warnings.push(warning);
        }
    }

    /// The complaints of all pages, by place.
    #[must_use]
    pub fn take_warnings(&self) -> Faults {
        let mut warnings = std::mem::take(&mut *locked(&self.warnings));
        warnings.sort_by(|a, b| {
            let key = |d: &Diagnostic| (d.place.file.clone(), d.place.line, d.place.column);
            key(a).cmp(&key(b))
        });
        warnings
    }
}

/// What the pages of a build share, while one of them looks into it.
fn locked<T>(shared: &Mutex<T>) -> MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Templates by name: the built-in ones, the site's own in place of some of them, and its pages.
fn sources(site: &Site) -> BTreeMap<String, Source> {
    let mut sources = BTreeMap::new();
    for (name, text) in BUILT_IN {
        sources.insert(
            name.to_owned(),
            Source::new(&format!("built-in template {name}"), text),
        );
    }
    for (name, text) in &site.templates {
        sources.insert(
            name.clone(),
            Source::new(&format!("templates/{name}"), text),
        );
    }
    for page in &site.pages {
        if let Some(text) = &page.template {
            sources.insert(page.post.path.clone(), Source::new(&page.post.path, text));
        }
    }
    sources
}

/// The site's own templates that nothing loads: no page, no archive, and no other template.
pub(crate) fn unused(site: &Site) -> Vec<&str> {
    let sources = sources(site);
    let built_in = BUILT_IN.iter().map(|(name, _)| *name);
    let pages = site.pages.iter().map(|page| page.post.path.as_str());
    let archives = site.settings.archives.iter();
    let named = archives.filter_map(|archive| Some(archive.template.as_ref()?.node.as_str()));
    let used = reached(built_in.chain(pages).chain(named), &sources);
    let own = site.templates.iter().map(|(name, _)| name.as_str());
    own.filter(|name| used.as_ref().is_some_and(|used| !used.contains(name)))
        .collect()
}

thread_local! {
    /// The post whose page this thread is making.
    static THIS: Cell<Option<PostId>> = const { Cell::new(None) };
    /// What to read next after it.
    static RELATED: RefCell<Vec<PostId>> = const { RefCell::new(Vec::new()) };
}

/// Whether a post is among those to read next on the page that this thread is making.
fn is_related(id: PostId) -> bool {
    RELATED.with_borrow(|related| related.contains(&id))
}

/// The post whose page this thread is making.
pub(crate) fn this() -> Option<PostId> {
    THIS.get()
}

/// Makes a page with `this` as the post whose page it is, and what to read next after it. While a
/// thread waits within a page it may begin another.
pub(crate) fn with_this<T>(this: PostId, related: &[PostId], make: impl FnOnce() -> T) -> T {
    let outer = THIS.replace(Some(this));
    let outer_related = RELATED.replace(related.to_vec());
    let made = make();
    THIS.set(outer);
    RELATED.set(outer_related);
    made
}

/// Makes something that is no post's page.
pub(crate) fn without_this<T>(make: impl FnOnce() -> T) -> T {
    let outer = THIS.replace(None);
    let made = make();
    THIS.set(outer);
    made
}

/// The environment of a build. Templates that are not well formed are faults.
#[must_use]
pub fn environment(shared: &Arc<Shared>, faults: &mut Faults) -> Environment<'static> {
    let mut env = Environment::new();
    env.set_undefined_behavior(UndefinedBehavior::Strict);
    env.set_debug(true);
    env.set_recursion_limit(limits::RECURSION);
    env.set_fuel(Some(limits::fuel(shared.site.catalogue.all().count())));
    env.set_auto_escape_callback(|_| AutoEscape::Html);
    env.set_formatter(write_value);
    // The engine asks where each template is that it loads, whatever its name was made of.
    let loading = Arc::clone(shared);
    env.set_path_join_callback(move |name, _| {
        loading.ask_template(name);
        name.into()
    });
    for (name, add) in FUNCTIONS.iter().chain(FILTERS) {
        add(&mut env, name, Arc::clone(shared));
    }
    for (name, source) in &shared.sources {
        let longest = limits::longest_tag(source.text());
        let (tag, tokens) = longest.unwrap_or_default();
        if tokens > limits::TOKENS {
            let message = format!(
                "this has {tokens} words and signs, of at most {}",
                limits::TOKENS
            );
            let fault = Diagnostic::error(Code::TemplateUnreadable, source.place(tag), message);
            faults.push(fault.help("put parts of it in variables, with {% set … %}"));
            continue;
        }
        if let Err(error) = limits::add_template(&mut env, name, source.text(), tokens) {
            let found = diagnose(&error, shared).into_iter();
            faults.extend(found.map(|fault| Diagnostic {
                code: Code::TemplateUnreadable,
                ..fault
            }));
        }
    }
    env
}

/// Writes a value as HTML; nothing for what is missing.
fn write_value(
    out: &mut Output<'_>,
    state: &mut State<'_, '_>,
    value: &Value,
) -> Result<(), minijinja::Error> {
    if value.is_undefined() {
        return minijinja::escape_formatter(out, state, value);
    }
    if value.is_none() {
        return Ok(());
    }
    let failed =
        |_| minijinja::Error::new(minijinja::ErrorKind::WriteFailure, "cannot write the page");
    if value.is_number() {
        return std::fmt::Write::write_fmt(out, format_args!("{value}")).map_err(failed);
    }
    match value.as_str() {
        Some(text) if value.is_safe() => out.write_str(text).map_err(failed),
        Some(text) => out.write_str(&escape(text)).map_err(failed),
        None => out.write_str(&escape(&printed(value))).map_err(failed),
    }
}

/// A value as text: nothing for none, and flags as front matter has them.
fn printed(value: &Value) -> String {
    match value.kind() {
        ValueKind::None => String::new(),
        ValueKind::Bool if value.is_true() => "true".to_owned(),
        ValueKind::Bool => "false".to_owned(),
        _ => value.to_string(),
    }
}

/// Whether nothing in a few bytes is to be escaped. All of them are looked at, which the compiler
/// does many at a time.
fn is_plain(bytes: &[u8]) -> bool {
    let special = |byte: &u8| matches!(byte, b'&' | b'<' | b'>' | b'"' | b'\'');
    !bytes.iter().fold(false, |any, byte| any | special(byte))
}

/// Text as HTML, also within attributes.
#[must_use]
pub fn escape(text: &str) -> std::borrow::Cow<'_, str> {
    if text.as_bytes().chunks(32).all(is_plain) {
        return text.into();
    }
    let mut out = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out.into()
}
