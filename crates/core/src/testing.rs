//! A small site for tests.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::catalogue::Catalogue;
use crate::front_matter;
use crate::html::Html;
use crate::post::{Body, Include, assemble};
use crate::query::{Library, Query, Resolved, Scope};
use crate::settings::Settings;
use crate::source::{EmbeddedText, Source};
use crate::time::Moment;

/// Returns HTML, and how often it was made.
pub(crate) fn counted_html(html: &'static str) -> (Html, Arc<AtomicUsize>) {
    let made = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&made);
    let html = Html::made(move || {
        counter.fetch_add(1, Ordering::Relaxed);
        html.to_owned()
    });
    (html, made)
}

/// A site of the content sets that its settings name; the time is 1 June 2026.
pub(crate) struct Small {
    pub(crate) settings: Settings,
    pub(crate) catalogue: Catalogue,
    pub(crate) library: Library,
    pub(crate) moment: Moment,
}

impl Small {
    /// Settings below `[site]`, and posts: path, front matter, body as HTML.
    pub(crate) fn new<S: AsRef<str>>(more: &str, posts: &[(S, S, S)]) -> Self {
        let bodies = posts.iter().map(|(path, front, html)| {
            let body = Body {
                html: html.as_ref().to_owned().into(),
                ..Body::default()
            };
            (path.as_ref(), front.as_ref(), body)
        });
        Self::with_bodies(more, bodies.collect())
    }

    /// Creates a site of posts whose bodies have notes.
    pub(crate) fn with_bodies(more: &str, posts: Vec<(&str, &str, Body)>) -> Self {
        let site = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";
        let settings = Settings::read(&Source::new("tabulae.toml", &format!("{site}{more}")));
        assert_eq!(settings.diagnostics, []);
        let settings = settings.output;
        let moment = Moment {
            now: "2026-06-01T12:00:00Z".parse().unwrap(),
            zone: settings.site.timezone.clone(),
        };
        let read = posts.into_iter().map(|(path, front, body)| {
            let source = Source::new(path, &format!("---\n{front}\n---\n"));
            let front = front_matter::read(&source, &moment.zone).output;
            let below = |folder: &str| path.starts_with(&format!("{folder}/"));
            let set = settings.content.iter().position(|set| below(&set.folder));
            let set = set.unwrap();
            let set = (set, &settings.content[set]);
            let made = assemble(path, set, &settings, &moment, &source, front, body);
            assert_eq!(made.diagnostics, []);
            made.output
        });
        let today = moment.today();
        let include = Include::default();
        let catalogue = Catalogue::new(read, Vec::new(), &settings, include, today);
        assert_eq!(catalogue.diagnostics, []);
        let library = Library::new(&settings, &catalogue.output, &moment);
        assert_eq!(library.diagnostics, []);
        Self {
            catalogue: catalogue.output,
            library: library.output,
            settings,
            moment,
        }
    }

    pub(crate) fn scope(&self) -> Scope<'_> {
        Scope::new(&self.catalogue, &self.library, &self.moment).on_page(true)
    }

    /// A query without errors.
    pub(crate) fn query(&self, text: &str) -> Query<Resolved> {
        let query = Query::parse(&EmbeddedText::command_line(text));
        let resolved = query.unwrap().resolve(self.scope());
        assert_eq!(resolved.diagnostics, [], "{text}");
        resolved.output.unwrap()
    }
}
