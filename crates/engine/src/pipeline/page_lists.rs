//! The lists of posts on a page, and what makes each of them.

use std::sync::Arc;

use tabulae_core::archive::{By, Group};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::pager::Pager;
use tabulae_core::query::clause::{Clause, with_clause};
use tabulae_core::route::decode;
use tabulae_core::settings::Archive;
use tabulae_core::source::Location;

use crate::plan::{Output, OutputKind};
use crate::render::Renderer;
use crate::site::Site;
use crate::source::Sources;
use crate::template::{AskedQuery, Environments, RenderData};

/// A page of the site, and its lists.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PageLists {
    /// The path of the post whose page it is.
    pub this: Option<String>,
    /// The tag of its language, on a blog in several languages.
    pub language: Option<String>,
    /// The lists: the archive's or the related posts first, then those of queries in the order in which they run.
    pub lists: Vec<PageList>,
}

/// A list on a page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageList {
    /// The kind of its source.
    pub kind: ListKind,
    /// The name of the archive; empty for other lists.
    pub name: String,
    /// The place of the archive, the table or the query.
    pub location: Location,
    /// The query of its posts, if there is one: that of a page of an archive by terms or years has their condition.
    pub query: Option<String>,
    /// The addresses that pages link to, in order: of posts, or of the lists of an overview.
    pub links: Vec<String>,
}

/// The source of a list on a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ListKind {
    /// An archive.
    Archive,
    /// The overview of an archive's terms.
    Overview,
    /// The related posts.
    Related,
    /// A query of a template or a placeholder.
    Query,
}

impl ListKind {
    /// Returns the name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Archive => "archive",
            Self::Overview => "overview",
            Self::Related => "related",
            Self::Query => "query",
        }
    }
}

/// Returns the lists of the page at an address below the site's, with or without `index.html`; `None` if no page is
/// there. Renders the page.
pub(crate) fn page_lists(
    data: &Arc<RenderData>,
    sources: &dyn Sources,
    address: &str,
) -> Option<PageLists> {
    let plain = decode(address.strip_suffix("index.html").unwrap_or(address));
    let outputs = data.plan.outputs.iter();
    let output = outputs.rev().find(|output| output.link.plain == plain)?;
    let site = &data.site;
    let this = match output.kind {
        OutputKind::Post(id) => Some(site.catalogue.post(id).path.clone()),
        _ => None,
    };
    let locale = output.kind.locale(site, &data.plan);
    let language = site.catalogue.has_languages();
    let mut lists: Vec<PageList> = own_list(data, output).into_iter().collect();
    lists.extend(
        asked(data, sources, output)
            .into_iter()
            .map(|asked| PageList {
                kind: ListKind::Query,
                name: String::new(),
                location: asked.location,
                query: Some(asked.text),
                links: links(site, &asked.posts),
            }),
    );
    Some(PageLists {
        this,
        language: language.then(|| site.locale(locale).tag.clone()),
        lists,
    })
}

/// Returns the queries that templates and placeholders run while an output is rendered, each place once.
fn asked(data: &Arc<RenderData>, sources: &dyn Sources, output: &Output) -> Vec<AskedQuery> {
    // Its diagnostics are those of the build.
    let mut diagnostics = Diagnostics::new();
    let environments = Environments::new(data, &mut diagnostics);
    let renderer = Renderer::new(Arc::clone(data), environments, sources);
    let mut asked: Vec<AskedQuery> = Vec::new();
    for query in renderer.queries_of(output) {
        if !asked.contains(&query) {
            asked.push(query);
        }
    }
    asked
}

fn own_list(data: &RenderData, output: &Output) -> Option<PageList> {
    let site = &data.site;
    match output.kind {
        OutputKind::Post(id) => {
            site.related_list(id)?;
            let query = site.related_settings(id)?.query.as_ref();
            Some(PageList {
                kind: ListKind::Related,
                name: String::new(),
                location: related_table(site, id),
                query: query.map(|query| query.text().to_owned()),
                links: links(site, site.related_to(id)),
            })
        }
        OutputKind::List {
            archive,
            group,
            pager,
        } => {
            let layout = &data.plan.archives[archive];
            let settings = &site.settings.archives[archive];
            let group = &layout.groups[group];
            Some(PageList {
                kind: ListKind::Archive,
                name: settings.name.clone(),
                location: site.settings.source.location(settings.location),
                query: query_of(site, settings, layout.by.as_ref(), group),
                links: links(site, shown(&group.posts, pager)),
            })
        }
        OutputKind::Overview(archive) => {
            let settings = &site.settings.archives[archive];
            let groups = data.plan.archives[archive].groups.iter();
            Some(PageList {
                kind: ListKind::Overview,
                name: settings.name.clone(),
                location: site.settings.source.location(settings.location),
                query: settings.query.as_ref().map(|query| query.text().to_owned()),
                links: groups.map(|group| site.href(&group.link)).collect(),
            })
        }
        _ => None,
    }
}

/// Returns the posts of a page of a list.
fn shown(posts: &[PostId], pager: Pager) -> &[PostId] {
    &posts[pager.items()]
}

/// Returns the query of a list: the archive's, with the condition of the list.
fn query_of(site: &Site, archive: &Archive, by: Option<&By>, group: &Group) -> Option<String> {
    let text = archive.query.as_ref().map(|query| query.text().to_owned());
    let query = text.unwrap_or_default();
    let (Some(by), Some(term)) = (by, &group.term) else {
        return Some(query);
    };
    let quoted = |text: &str| format!("'{}'", text.replace('\'', "''"));
    let condition = match by {
        By::Term(field) => {
            let field = &site.catalogue.terms(*field).field.name;
            format!("{field} = {}", quoted(&term.name))
        }
        By::Year => format!("year = {}", term.day?.year()),
        By::Month => format!("date in {}", term.day?.strftime("%Y-%m")),
        By::Day => format!("date in {}", term.day?),
        By::Field(_) | By::Set => return None,
    };
    with_clause(&query, Clause::Where, &condition).ok()
}

/// Returns the place of the table of a post's related posts.
fn related_table(site: &Site, id: PostId) -> Location {
    let settings = &site.settings.source;
    match site.related_settings(id) {
        Some(related) => settings.location(related.location),
        None => settings.top(),
    }
}

fn links(site: &Site, posts: &[PostId]) -> Vec<String> {
    let links = posts.iter().map(|id| site.catalogue.link(*id));
    links.map(|link| site.href(link)).collect()
}
