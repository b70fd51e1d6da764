//! The context of one output while it is rendered.

use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex, MutexGuard};

use minijinja::{Error, ErrorKind, Value};
use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::language::Language;
use tabulae_core::settings::Locale;
use tabulae_core::source::Location;

use super::data::{LocaleData, RenderData};
use super::limits::Limits;
use crate::incremental::{Dependency, Key, Recorder};
use crate::site::Owner;
use crate::threads::locked;

/// The context of one output: the data that all outputs share, the site and its clock among them, its limits,
/// the post whose page it is, and the record of its dependencies. Whatever renders gets it passed; the values
/// that templates see hold it, and record what is asked of them.
#[derive(Debug)]
pub(crate) struct RenderContext {
    pub(crate) data: Arc<RenderData>,
    /// The language of the output.
    pub(crate) locale: LocaleId,
    pub(super) limits: Limits,
    page: Mutex<Page>,
    /// The number of the last post of which a template read a field; `NONE` if it read none.
    last_read: AtomicU32,
}

/// The number for no post.
const NONE: u32 = u32::MAX;

/// A query that a template or a placeholder ran.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct AskedQuery {
    /// The place of the query's text.
    pub(crate) location: Location,
    pub(crate) text: String,
    pub(crate) posts: Arc<[PostId]>,
}

#[derive(Debug)]
struct Page {
    this: Option<PostId>,
    /// The address of the page, or of the list that it is a page of; `None` in parts that other pages share.
    own_link: Option<Arc<str>>,
    /// The related posts of that post.
    related: Arc<[PostId]>,
    recorder: Recorder,
    /// A post with placeholders, and its HTML with them filled: the post whose page is rendered.
    content: Option<(PostId, Value)>,
    /// The queries that were run, in order, if they are watched.
    asked: Option<Vec<AskedQuery>>,
}

impl RenderContext {
    /// Returns the context of an output in a language that is not a post's page.
    #[must_use]
    pub(crate) fn new(data: Arc<RenderData>, locale: LocaleId) -> Arc<Self> {
        Self::with(data, locale, None, [].into())
    }

    /// Returns the context of the page of the post `this`, with its related posts.
    #[must_use]
    pub(crate) fn of_post(data: Arc<RenderData>, this: PostId, related: &[PostId]) -> Arc<Self> {
        let locale = data.site.locale_of(this);
        Self::with(data, locale, Some(this), related.into())
    }

    fn with(
        data: Arc<RenderData>,
        locale: LocaleId,
        this: Option<PostId>,
        related: Arc<[PostId]>,
    ) -> Arc<Self> {
        let page = Page {
            this,
            own_link: None,
            related,
            recorder: Recorder::default(),
            content: None,
            asked: None,
        };
        Arc::new(Self {
            limits: data.limits,
            data,
            locale,
            page: Mutex::new(page),
            last_read: AtomicU32::new(NONE),
        })
    }

    fn page(&self) -> MutexGuard<'_, Page> {
        locked(&self.page)
    }

    /// Returns the data that all outputs of its language share.
    pub(crate) fn local(&self) -> &LocaleData {
        self.data.of(self.locale)
    }

    /// Returns the settings of its language.
    pub(crate) fn settings(&self) -> &Locale {
        self.data.site.locale(self.locale)
    }

    /// Returns its language.
    pub(crate) fn language(&self) -> &Language {
        self.data.site.catalogue.language(self.locale)
    }

    /// Returns the post whose page is being rendered.
    pub(crate) fn this(&self) -> Option<PostId> {
        self.page().this
    }

    /// Notes that a template reads a field of a post.
    pub(super) fn note_read(&self, id: PostId) {
        self.last_read.store(id.0, Ordering::Relaxed);
    }

    /// Returns the last post of which a template read a field.
    pub(crate) fn last_read(&self) -> Option<PostId> {
        let last = self.last_read.load(Ordering::Relaxed);
        (last != NONE).then_some(PostId(last))
    }

    /// Returns true if a post is among the related posts of the page.
    pub(crate) fn is_related(&self, id: PostId) -> bool {
        self.page().related.contains(&id)
    }

    /// Begins to note the queries that are run.
    pub(crate) fn watch_queries(&self) {
        self.page().asked = Some(Vec::new());
    }

    /// Notes a query, if they are watched.
    pub(super) fn note_query(&self, asked: impl FnOnce() -> AskedQuery) {
        if self.page().asked.is_none() {
            return;
        }
        let asked = asked();
        self.page().asked.get_or_insert_default().push(asked);
    }

    /// Returns the queries that were noted, in the order in which they were run.
    pub(crate) fn take_queries(&self) -> Vec<AskedQuery> {
        self.page().asked.take().unwrap_or_default()
    }

    /// Records a dependency.
    pub(crate) fn track(&self, dependency: Dependency) {
        self.page().recorder.track(dependency);
    }

    /// Records several dependencies.
    pub(crate) fn track_all(&self, dependencies: &[Dependency]) {
        self.page().recorder.track_all(dependencies);
    }

    /// Records a dependency on a key.
    pub(crate) fn track_key(&self, key: Key) {
        self.track(self.data.dependencies.other(key));
    }

    /// Records a dependency on the front matter of a post.
    pub(crate) fn track_post(&self, id: PostId) {
        self.track(self.data.dependencies.post(id));
    }

    /// Records a dependency on a template, also on one that does not exist.
    pub(crate) fn track_template(&self, name: &str) {
        self.track(self.data.template_dependency(name));
    }

    /// Runs `work`, and returns its dependencies alone, without repetitions, in rising order.
    pub(crate) fn record<T>(&self, work: impl FnOnce() -> T) -> (T, Box<[Dependency]>) {
        self.page().recorder.begin();
        let made = work();
        let dependencies = self.page().recorder.end();
        (made, dependencies)
    }

    /// Runs `work` as a part of something that has all its dependencies, too; returns them.
    pub(crate) fn record_part<T>(&self, work: impl FnOnce() -> T) -> (T, Box<[Dependency]>) {
        let (made, dependencies) = self.record(work);
        self.track_all(&dependencies);
        (made, dependencies)
    }

    /// Returns the number of parts being rendered, one within the other, the output itself among them.
    pub(crate) fn depth(&self) -> usize {
        self.page().recorder.depth()
    }

    /// Runs `work` for something that other pages share, and that therefore has no post and no address of its own.
    pub(crate) fn without_page<T>(&self, work: impl FnOnce() -> T) -> T {
        let outer = self.page().this.take();
        let made = self.without_own_link(work);
        self.page().this = outer;
        made
    }

    /// Runs `work` for something that other pages of the post share, and that therefore marks no link as that of the
    /// page.
    pub(super) fn without_own_link<T>(&self, work: impl FnOnce() -> T) -> T {
        let outer = self.page().own_link.take();
        let made = work();
        self.page().own_link = outer;
        made
    }

    /// Sets the address of the page, or of the list that it is a page of.
    pub(crate) fn set_own_link(&self, link: &str) {
        self.page().own_link = Some(link.into());
    }

    /// Returns true if an address is that of the page, or of the list that it is a page of.
    pub(crate) fn is_own_link(&self, link: &str) -> bool {
        self.page().own_link.as_deref() == Some(link)
    }

    /// Runs `work` as on the page of another post, with its related posts.
    pub(crate) fn with_post<T>(
        &self,
        this: PostId,
        related: &[PostId],
        work: impl FnOnce() -> T,
    ) -> T {
        let swap = |this: Option<PostId>, related: Arc<[PostId]>| {
            let mut page = self.page();
            let outer = (page.this, Arc::clone(&page.related));
            (page.this, page.related) = (this, related);
            outer
        };
        let (outer, outer_related) = swap(Some(this), related.into());
        let made = work();
        swap(outer, outer_related);
        made
    }

    /// Sets the HTML of the post whose page is rendered, with its placeholders filled.
    pub(crate) fn set_content(&self, id: PostId, html: String) {
        self.page().content = Some((id, Value::from_safe_string(html)));
    }

    /// Returns the HTML of a post with its placeholders filled, if its page is rendered and it has any.
    pub(super) fn content(&self, id: PostId) -> Option<Value> {
        let page = self.page();
        // A part that several pages share has no post of its own.
        let content = page.content.as_ref().filter(|_| page.this == Some(id));
        let (of, html) = content?;
        (*of == id).then(|| html.clone())
    }

    /// Calls `work` with an owner of references whose lookups are recorded.
    pub(crate) fn with_lookups<T>(&self, owner: Owner<'_>, work: impl FnOnce(Owner<'_>) -> T) -> T {
        let on_lookup = |path: &str| self.track_key(Key::Address(path.to_owned()));
        let on_measure = |path: &str| self.track_key(Key::File(path.to_owned()));
        work(Owner {
            on_lookup: &on_lookup,
            on_measure: &on_measure,
            ..owner
        })
    }
}

/// The context of the output that an environment renders.
#[derive(Debug, Default)]
pub(super) struct CurrentContext(Mutex<Option<Arc<RenderContext>>>);

impl CurrentContext {
    /// Sets the context, and returns the one before.
    pub(super) fn set(&self, context: Option<Arc<RenderContext>>) -> Option<Arc<RenderContext>> {
        std::mem::replace(&mut *locked(&self.0), context)
    }

    /// Returns the context.
    ///
    /// # Errors
    /// If nothing is being rendered.
    pub(super) fn get(&self) -> Result<Arc<RenderContext>, Error> {
        let context = locked(&self.0).clone();
        context.ok_or_else(|| {
            let message = "no output is being rendered";
            Error::new(ErrorKind::InvalidOperation, message)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::plan;
    use crate::site::Site;
    use crate::tests::bench::Bench;

    fn data() -> Arc<RenderData> {
        let bench = Bench::new("")
            .with("posts/2026-03-01-a.md", "A\n")
            .with("posts/2026-03-02-b.md", "B\n");
        let mut diagnostics = Vec::new();
        let site = Site::read(&bench.sources, &bench.options(), &mut diagnostics).unwrap();
        let plan = plan(&site, &mut diagnostics);
        Arc::new(RenderData::new(site, plan))
    }

    fn keys(context: &RenderContext, dependencies: &[Dependency]) -> Vec<Key> {
        let data = &context.data;
        let key =
            |dependency: &Dependency| data.dependencies.key(*dependency, &data.site.catalogue);
        dependencies.iter().map(key).collect()
    }

    #[test]
    fn a_part_hands_its_dependencies_on() {
        let context = RenderContext::new(data(), LocaleId::SITE);
        let (part, whole) = context.record(|| {
            context.track_key(Key::Site(LocaleId::SITE));
            let ((), part) = context.record_part(|| context.track_template("parts/x.html"));
            part
        });
        let template = Key::Template("parts/x.html".to_owned());
        assert_eq!(keys(&context, &part), std::slice::from_ref(&template));
        let whole = keys(&context, &whole);
        assert!(
            whole.contains(&Key::Site(LocaleId::SITE)) && whole.contains(&template),
            "{whole:?}"
        );
        assert_eq!(whole.len(), 2);
    }

    #[test]
    fn what_pages_share_has_no_post_of_its_own() {
        let context = RenderContext::of_post(data(), PostId(1), &[PostId(0)]);
        assert_eq!(context.this(), Some(PostId(1)));
        assert!(context.is_related(PostId(0)) && !context.is_related(PostId(1)));
        assert_eq!(context.without_page(|| context.this()), None);
        assert_eq!(context.this(), Some(PostId(1)));
    }

    #[test]
    fn references_are_recorded_also_where_they_lead_nowhere() {
        let context = RenderContext::new(data(), LocaleId::SITE);
        let site = &context.data.site;
        let owner = site.owner(PostId(0));
        let (found, dependencies) = context
            .record(|| context.with_lookups(owner, |owner| site.resolve(owner, "missing.png")));
        assert!(found.is_some());
        let expected = Key::Address("posts/missing.png".to_owned());
        assert_eq!(keys(&context, &dependencies), [expected]);
    }

    #[test]
    fn an_environment_without_an_output_has_no_context() {
        assert!(CurrentContext::default().get().is_err());
    }
}
