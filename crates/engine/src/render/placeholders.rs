//! The texts of placeholders: in pages that another program made, and in posts and pages of the site.

use std::sync::Arc;

use minijinja::context;
use tabulae_core::archive::{ArchiveLayout, GroupTerm};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::query::{Query, Resolved};
use tabulae_core::settings::OverviewOrder;
use tabulae_core::source::{EmbeddedText, Span, Spanned};
use tabulae_core::term::{TermId, identity};
use tabulae_core::weave::{Ask, Page, Part, What};

use super::{Renderer, empty_text, fill_title, related_show};
use crate::incremental::{Key, Listing};
use crate::template::{
    Memo, PostObject, RenderContext, RenderData, diagnose, find_posts, post_list, term_list,
};

/// The part that renders a list of posts, if a placeholder names none.
const POSTS: &str = "parts/woven.html";
/// The part that renders terms, if a placeholder names none.
const TERMS: &str = "parts/woven-terms.html";
/// The part that renders related posts, if a placeholder names none.
const RELATED: &str = "parts/related.html";

/// Renders the texts of placeholders, on any thread.
pub(crate) struct Filler<'a> {
    renderer: &'a Renderer<'a>,
    data: &'a Arc<RenderData>,
    /// The queries of woven pages.
    queries: Memo<QueryKey, Arc<Query<Resolved>>>,
}

/// The page whose placeholders are filled.
#[derive(Clone, Copy)]
pub(crate) struct Host<'a> {
    /// The placeholders.
    pub(crate) page: &'a Page<'a>,
    /// The post whose page it is.
    pub(crate) this: Option<PostId>,
    /// The language of the page.
    pub(crate) locale: LocaleId,
    /// The context of the output that the page is rendered for, with the path of its source; `None` if another program
    /// made the page.
    pub(crate) output: Option<(&'a Arc<RenderContext>, &'a str)>,
}

/// A query's text, the language of the page, and whether it runs on a post's page.
type QueryKey = (String, LocaleId, bool);

/// The content of a placeholder.
struct Made {
    default: &'static str,
    posts: Vec<PostId>,
    /// Terms of a field with counts.
    terms: Option<(usize, Vec<(TermId, usize)>)>,
    this: Option<PostId>,
}

impl<'a> Filler<'a> {
    pub(crate) fn new(renderer: &'a Renderer<'a>) -> Self {
        Self {
            renderer,
            data: &renderer.data,
            queries: Memo::default(),
        }
    }

    /// Returns the texts of a page's placeholders, in order. One with an error is empty.
    pub(crate) fn texts(&self, host: Host<'_>, diagnostics: &mut Diagnostics) -> Vec<String> {
        let texts = host.page.placeholders.iter().map(|placeholder| {
            let made = self
                .made(host, &placeholder.ask, placeholder.span, diagnostics)
                .and_then(|made| self.text(host, &placeholder.ask, made));
            made.unwrap_or_else(|found| {
                diagnostics.extend(found);
                String::new()
            })
        });
        texts.collect()
    }

    fn made(
        &self,
        host: Host<'_>,
        ask: &Ask,
        span: Span,
        diagnostics: &mut Diagnostics,
    ) -> Result<Made, Diagnostics> {
        let posts = |default, posts, this| Made {
            default,
            posts,
            terms: None,
            this,
        };
        let Host {
            page, this, output, ..
        } = host;
        match &ask.what {
            What::Query(text) => {
                let found = match output {
                    Some((context, path)) => find_posts(context, path, text.text())
                        .map_err(|error| diagnose(&error, self.data.templates(), None))?
                        .to_vec(),
                    None => self.query(text, (this, host.locale), diagnostics)?,
                };
                Ok(posts(POSTS, found, this))
            }
            What::Related(of) => {
                let this = match of {
                    Some(of) => self.named(host, of)?,
                    None => this.ok_or_else(|| vec![no_post(page, span)])?,
                };
                let site = &self.data.site;
                if site.related.is_empty() {
                    let diagnostic = page.diagnostic(
                        span,
                        "the settings have no `[related]`",
                        "write `[related]` into tabulae.toml; no key is required",
                    );
                    return Err(vec![diagnostic]);
                }
                if let Some((context, _)) = output {
                    // The name of another post may be its slug.
                    context.track_post(this);
                    context.track(self.data.dependencies.related(this));
                }
                let related = site.related_to(this).to_vec();
                Ok(posts(RELATED, related, Some(this)))
            }
            What::Newest(archive, of) => Ok(posts(
                POSTS,
                self.newest(host, ask, archive, of.as_ref())?,
                this,
            )),
            What::Terms(field, order) => Ok(Made {
                default: TERMS,
                posts: Vec::new(),
                terms: Some(self.terms(host, ask, field, order.as_ref())?),
                this,
            }),
        }
    }

    fn query(
        &self,
        text: &EmbeddedText,
        (this, locale): (Option<PostId>, LocaleId),
        diagnostics: &mut Diagnostics,
    ) -> Result<Vec<PostId>, Diagnostics> {
        let site = &self.data.site;
        let key = (text.text().to_owned(), locale, this.is_some());
        let resolved = match self.queries.get(&key) {
            Some(known) => known,
            None => {
                let scope = site.scope().within(locale).on_page(this.is_some());
                let written = Query::parse(text).map_err(|diagnostic| vec![*diagnostic])?;
                let mut found = Diagnostics::new();
                let resolved = written.resolve(scope).into_output(&mut found);
                let Some(resolved) = resolved.filter(|_| !found.iter().any(Diagnostic::is_error))
                else {
                    return Err(found);
                };
                let is_told = resolved.needs_this() || written.is_empty_by(&found);
                if !is_told && resolved.first(&site.catalogue, this).is_empty() {
                    // A test that finds posts in another language is no slip.
                    found.extend(written.slip(site.scope()));
                }
                diagnostics.extend(found);
                let resolved = Arc::new(resolved);
                self.queries.insert(key, Arc::clone(&resolved));
                resolved
            }
        };
        Ok(resolved.first(&site.catalogue, this))
    }

    fn named(&self, host: Host<'_>, name: &Spanned<String>) -> Result<PostId, Diagnostics> {
        let found = self.data.site.find(&name.node, host.locale);
        found.map_err(|help| {
            let message = format!("there is no post `{}`", name.node);
            vec![host.page.diagnostic(name.span, message, &help)]
        })
    }

    /// The first posts of an archive, or of one of its terms: as many as a page of it has, if
    /// the placeholder does not say.
    fn newest(
        &self,
        Host {
            page,
            output,
            locale,
            ..
        }: Host<'_>,
        ask: &Ask,
        name: &Spanned<String>,
        of: Option<&Spanned<String>>,
    ) -> Result<Vec<PostId>, Diagnostics> {
        let RenderData { site, plan, .. } = &**self.data;
        let archives = site.settings.archives.iter().zip(&plan.archives);
        let mut archives = archives.filter(|(archive, _)| archive.locale == locale);
        let Some((archive, laid)) = archives.find(|(archive, _)| archive.name == name.node) else {
            let message = format!("there is no archive `{}`", name.node);
            let known = site.settings.archives.iter();
            let known = known.filter(|archive| archive.locale == locale);
            let known = known.map(|archive| archive.name.as_str());
            return Err(unknown(page, name, message, known));
        };
        if let Some((context, _)) = output {
            context.track_key(Key::Groups(archive.name.clone(), locale));
            let links = laid.groups.iter().map(|group| group.link.plain.clone());
            links.for_each(|link| context.track_key(Key::List(link)));
        }
        let mut posts = match of {
            Some(of) => of_term(page, laid, of)?,
            None => of_all(laid),
        };
        if let Some(per_page) = archive.per_page.filter(|_| ask.limit.is_none()) {
            posts.truncate(per_page.get());
        }
        Ok(posts)
    }

    fn terms(
        &self,
        Host {
            page,
            output,
            locale,
            ..
        }: Host<'_>,
        ask: &Ask,
        field: &Spanned<String>,
        order: Option<&Spanned<String>>,
    ) -> Result<(usize, Vec<(TermId, usize)>), Diagnostics> {
        let catalogue = &self.data.site.catalogue;
        let Some(at) = catalogue.term_field(&field.node) else {
            let known = catalogue.term_tables().iter();
            let known = known.map(|table| table.field.name.as_str());
            let message = format!("`{}` is not a term field", field.node);
            return Err(unknown(page, field, message, known));
        };
        let order = match order {
            None => OverviewOrder::default(),
            Some(name) => OverviewOrder::named(&name.node).ok_or_else(|| {
                let message = format!("terms cannot be ordered by \"{}\"", name.node);
                let help = "write `order name`, `order count` or `order newest`";
                vec![page.diagnostic(name.span, message, help)]
            })?,
        };
        if let Some((context, _)) = output {
            let listing = Listing {
                locale,
                field: field.node.clone(),
                order,
                limit: ask.limit,
                query: None,
            };
            context.track_key(Key::Terms(Box::new(listing)));
        }
        let terms = self.data.listed_terms((at, locale), order, ask.limit, None);
        Ok((at, terms))
    }

    fn text(&self, host: Host<'_>, ask: &Ask, mut made: Made) -> Result<String, Diagnostics> {
        let page = host.page;
        if let Some(limit) = ask.limit {
            made.posts.truncate(limit);
        }
        if let Some(Part::Whole(part) | Part::Each(part)) = &ask.part
            && !self.data.sources.contains_key(&part.node)
        {
            let known = self.data.sources.keys().map(String::as_str);
            let message = format!("there is no template `{}`", part.node);
            return Err(unknown(page, part, message, known));
        }
        match (host.output, made.this) {
            (Some((context, _)), Some(this)) if host.this != made.this => {
                context.with_post(this, &made.posts, || self.with_part(context, ask, &made))
            }
            (Some((context, _)), _) => self.with_part(context, ask, &made),
            (None, Some(this)) => {
                let context = RenderContext::of_post(Arc::clone(self.data), this, &made.posts);
                self.with_part(&context, ask, &made)
            }
            (None, None) => {
                let context = RenderContext::new(Arc::clone(self.data), host.locale);
                self.with_part(&context, ask, &made)
            }
        }
    }

    /// Returns the text that the template part of a placeholder makes.
    fn with_part(
        &self,
        context: &Arc<RenderContext>,
        ask: &Ask,
        made: &Made,
    ) -> Result<String, Diagnostics> {
        match &ask.part {
            Some(Part::Each(part)) => {
                let posts = made.posts.iter();
                let each = posts.map(|id| self.render(context, &part.node, made, Some(*id)));
                Ok(each.collect::<Result<Vec<_>, _>>()?.join("\n"))
            }
            Some(Part::Whole(part)) => self.render(context, &part.node, made, made.this),
            None => self.render(context, made.default, made, made.this),
        }
    }

    fn render(
        &self,
        context: &Arc<RenderContext>,
        name: &str,
        made: &Made,
        post: Option<PostId>,
    ) -> Result<String, Diagnostics> {
        let site = &self.data.site;
        let listed = match made.this {
            Some(this) => site.related_settings(this),
            None => site.settings.related.as_ref(),
        };
        let posts = post_list(made.posts.clone(), context);
        let terms = made.terms.as_ref();
        let values = context! {
            posts => posts.clone(),
            related => posts,
            terms => terms.map(|(field, terms)| term_list(context, *field, terms)),
            related_show => related_show(listed),
            empty_text => listed.and_then(|related| empty_text(related, context)),
            fill_title => made.this.and_then(|this| fill_title(this, context)),
            post => post.map(|id| PostObject::value(id, context)),
        };
        self.renderer.part(context, name, values)
    }
}

fn no_post(page: &Page<'_>, span: Span) -> Diagnostic {
    page.diagnostic(
        span,
        "no post has this page's address, so that nothing is related to it",
        "name the post: `related of \"posts/lime.md\"`",
    )
}

/// The posts of one of an archive's terms, by name or slug.
fn of_term(
    page: &Page<'_>,
    laid: &ArchiveLayout,
    of: &Spanned<String>,
) -> Result<Vec<PostId>, Diagnostics> {
    let wanted = identity(&of.node);
    let is_it = |term: &GroupTerm| identity(&term.name) == wanted || term.slug == of.node;
    let mut groups = laid.groups.iter();
    match groups.find(|group| group.term.as_ref().is_some_and(is_it)) {
        Some(group) => Ok(group.posts.clone()),
        None => {
            let terms = laid.groups.iter().filter_map(|group| group.term.as_ref());
            let message = format!("there is no term `{}`", of.node);
            Err(unknown(
                page,
                of,
                message,
                terms.map(|term| term.name.as_str()),
            ))
        }
    }
}

/// The posts of an archive, in its order; of one that is split, each once in the default order.
fn of_all(laid: &ArchiveLayout) -> Vec<PostId> {
    let groups = laid.groups.iter();
    let mut posts: Vec<PostId> = groups.flat_map(|group| group.posts.clone()).collect();
    if laid.groups.len() > 1 {
        posts.sort_unstable();
        posts.dedup();
    }
    posts
}

fn unknown<'k>(
    page: &Page<'_>,
    name: &Spanned<String>,
    message: String,
    known: impl IntoIterator<Item = &'k str>,
) -> Diagnostics {
    let location = page.source.location(name.span);
    let diagnostic = Diagnostic::error(Code::InvalidPlaceholder, location, message);
    vec![diagnostic.suggest(&name.node, known)]
}
