//! Metadata of pages for search engines and social networks: the image, and JSON-LD by the vocabulary of schema.org.

use std::sync::Arc;

use minijinja::Value;
use serde_json::{Value as Json, json};
use tabulae_core::catalogue::PostId;
use tabulae_core::route::Link;
use tabulae_core::term::TermId;

use super::Renderer;
use crate::template::{RenderContext, RenderData};

/// A step of the way from the home page to a page: name and address.
type Step = (String, String);

impl Renderer<'_> {
    /// Returns the absolute address of a post's image, or that of the site's.
    pub(super) fn image_of(&self, context: &RenderContext, id: PostId) -> Option<String> {
        let site = &self.data.site;
        let own = site.catalogue.post(id).image.as_ref();
        let own = own.map(|image| {
            let owner = site.owner(id);
            let found = context.with_lookups(owner, |owner| site.absolute_address(owner, image));
            found.unwrap_or_else(|| image.clone())
        });
        own.or_else(|| self.image_of_site())
    }

    /// Returns the absolute address of the site's image.
    pub(super) fn image_of_site(&self) -> Option<String> {
        let settings = &self.data.site.settings.site;
        let image = settings.image.as_ref()?;
        Some(match image.starts_with('/') {
            true => settings
                .address
                .absolute(&format!("{}{image}", settings.address.path)),
            false => image.clone(),
        })
    }

    /// Returns the JSON-LD of a post's page: `BlogPosting`, of an undated one `Article`, and the way to it.
    pub(super) fn json_ld_of_post(&self, context: &Arc<RenderContext>, id: PostId) -> Value {
        let site = &self.data.site;
        let post = site.catalogue.post(id);
        let locale = context.settings();
        let link = site.absolute(site.catalogue.link(id));
        let mut posting = json!({
            "@context": CONTEXT,
            "@type": if post.date.is_some() { "BlogPosting" } else { "Article" },
            "headline": &*post.title,
            "url": link,
            "mainEntityOfPage": link,
            "inLanguage": locale.tag,
            "author": self.authors(context, id),
            "publisher": self.publisher(context),
        });
        let mut set = |name: &str, value: Option<Json>| {
            if let Some(value) = value {
                posting[name] = value;
            }
        };
        set("datePublished", post.date.map(|date| date.iso().into()));
        set("dateModified", post.updated.map(|date| date.iso().into()));
        set(
            "description",
            post.summary.as_ref().map(|text| (**text).into()),
        );
        set("image", self.image_of(context, id).map(Json::from));
        set("articleSection", self.names(context, id, "category"));
        set("keywords", self.names(context, id, "tag"));
        let way = self.way_to_post(context, id, &link);
        shown(&[posting, breadcrumbs(&way)])
    }

    /// Returns the JSON-LD of a list or an overview, `CollectionPage`, or of another page, `WebPage`, and the way to it.
    pub(super) fn json_ld_of_page(
        &self,
        context: &RenderContext,
        kind: &str,
        title: &str,
        link: &Link,
        above: Option<Step>,
    ) -> Value {
        let site = &self.data.site;
        let locale = context.settings();
        let home = site.absolute(&locale.link("/"));
        let address = site.absolute(link);
        let is_list = matches!(kind, "list" | "overview");
        let mut page = json!({
            "@context": CONTEXT,
            "@type": if is_list { "CollectionPage" } else { "WebPage" },
            "name": title,
            "url": address,
            "inLanguage": locale.tag,
            "isPartOf": { "@type": "WebSite", "name": locale.title, "url": home },
        });
        if let Some(description) = &locale.description {
            page["description"] = description.as_str().into();
        }
        if address == home {
            return shown(&[page]);
        }
        let mut way = vec![(locale.title.clone(), home)];
        way.extend(above);
        way.push((title.to_owned(), address));
        shown(&[page, breadcrumbs(&way)])
    }

    /// Returns the way to a post: the home page, the page of its first category if there is one, and the post.
    fn way_to_post(&self, context: &RenderContext, id: PostId, link: &str) -> Vec<Step> {
        let RenderData { site, plan, .. } = &*self.data;
        let locale = context.settings();
        let mut way = vec![(locale.title.clone(), site.absolute(&locale.link("/")))];
        let category = site.catalogue.term_field("category").and_then(|field| {
            let term = *site.catalogue.terms_of(id, field).first()?;
            context.track(self.data.dependencies.term(field, term));
            let page = plan.term_pages.get(&(context.locale, field, term))?;
            let name = site
                .catalogue
                .terms(field)
                .term(term)
                .name_in(context.locale);
            Some((name.to_owned(), site.absolute(page)))
        });
        way.extend(category);
        way.push((site.catalogue.post(id).title.to_string(), link.to_owned()));
        way
    }

    /// Returns the names of a post's terms of a field; `None` if it has none.
    fn names(&self, context: &RenderContext, id: PostId, field: &str) -> Option<Json> {
        let terms = self.terms(context, id, field);
        (!terms.is_empty()).then(|| terms.into_iter().map(|(name, _)| name).collect())
    }

    /// Returns the names of a post's terms of a field, each with the address of its page.
    fn terms(
        &self,
        context: &RenderContext,
        id: PostId,
        field: &str,
    ) -> Vec<(String, Option<String>)> {
        let RenderData { site, plan, .. } = &*self.data;
        let Some(field) = site.catalogue.term_field(field) else {
            return Vec::new();
        };
        let terms = site.catalogue.terms_of(id, field).iter();
        let terms = terms.map(|term: &TermId| {
            context.track(self.data.dependencies.term(field, *term));
            let page = plan.term_pages.get(&(context.locale, field, *term));
            let name = site
                .catalogue
                .terms(field)
                .term(*term)
                .name_in(context.locale);
            (name.to_owned(), page.map(|page| site.absolute(page)))
        });
        terms.collect()
    }

    /// Returns the authors of a post: those that it names, else the site's, else the site.
    fn authors(&self, context: &RenderContext, id: PostId) -> Json {
        let person = |name: &str, link: Option<String>| match link {
            Some(link) => json!({ "@type": "Person", "name": name, "url": link }),
            None => json!({ "@type": "Person", "name": name }),
        };
        let own = self.terms(context, id, "author");
        if !own.is_empty() {
            return own
                .into_iter()
                .map(|(name, link)| person(&name, link))
                .collect();
        }
        let settings = &self.data.site.settings.site;
        let author = settings.author.as_ref();
        match author.and_then(|author| Some((author.name.as_ref()?, author.link.as_ref()))) {
            Some((name, link)) => {
                let absolute = |link: &String| match link.starts_with('/') {
                    true => settings
                        .address
                        .absolute(&format!("{}{link}", settings.address.path)),
                    false => link.clone(),
                };
                person(name, link.map(absolute))
            }
            None => self.publisher(context),
        }
    }

    fn publisher(&self, context: &RenderContext) -> Json {
        let site = &self.data.site;
        let locale = context.settings();
        let home = site.absolute(&locale.link("/"));
        json!({ "@type": "Organization", "name": locale.title, "url": home })
    }
}

/// The vocabulary.
const CONTEXT: &str = "https://schema.org";

/// Returns the way to a page as a `BreadcrumbList`.
fn breadcrumbs(way: &[Step]) -> Json {
    let items = way.iter().zip(1..).map(|((name, link), position)| {
        json!({ "@type": "ListItem", "position": position, "name": name, "item": link })
    });
    json!({
        "@context": CONTEXT,
        "@type": "BreadcrumbList",
        "itemListElement": items.collect::<Vec<Json>>(),
    })
}

/// Returns JSON for a script element, in which `<` ends nothing (HTML, "Restrictions for contents of script elements").
fn shown(data: &[Json]) -> Value {
    let text = match data {
        [one] => serde_json::to_string(one),
        several => serde_json::to_string(several),
    };
    let mut text = text.expect("JSON has a form");
    for (sign, escaped) in [('<', "\\u003c"), ('>', "\\u003e")] {
        if text.contains(sign) {
            text = text.replace(sign, escaped);
        }
    }
    Value::from_safe_string(text)
}
