//! Templates that the settings and front matter name.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use tabulae_core::post::Post;
use tabulae_core::source::Spanned;

use super::Renderer;
use crate::template::{RenderContext, RenderData};

impl Renderer<'_> {
    /// Returns the template of a post's or page's own page: the one that its front matter names if there is one of
    /// this name, else that of its content set, else `default`.
    pub(super) fn template_of<'n>(
        &self,
        post: &'n Post,
        of_set: Option<&'n Spanned<String>>,
        default: &'n str,
        context: &RenderContext,
    ) -> &'n str {
        let own = post.template.as_ref();
        if let Some(own) = own {
            context.track_template(&own.node);
        }
        let named = own.filter(|own| self.data.sources.contains_key(&own.node));
        named.or(of_set).map_or(default, |name| &name.node)
    }
}

/// Reports templates that do not exist: those that the settings name as errors, those that front matter names as
/// warnings, each once.
pub(crate) fn check_templates(data: &RenderData, diagnostics: &mut Diagnostics) {
    let is_there = |name: &str| data.sources.contains_key(name);
    let known = || data.sources.keys().map(String::as_str);
    let named = data.site.settings.templates();
    let named: BTreeSet<_> = named.map(|name| (name.span, &name.node)).collect();
    for (span, name) in named.into_iter().filter(|(_, name)| !is_there(name)) {
        let location = data.site.settings.source.location(span);
        let message = format!("there is no template `{name}`");
        let found = Diagnostic::error(Code::TemplateError, location, message);
        diagnostics.push(found.suggest(name, known()));
    }
    let catalogue = &data.site.catalogue;
    let posts = catalogue.all().map(|id| catalogue.post(id));
    let posts = posts.chain(data.site.pages.iter().map(|page| &page.post));
    let mut lacking: BTreeMap<&str, (&Post, &Spanned<String>, usize)> = BTreeMap::new();
    for post in posts {
        let name = post.template.as_ref();
        if let Some(name) = name.filter(|name| !is_there(&name.node)) {
            lacking.entry(&name.node).or_insert((post, name, 0)).2 += 1;
        }
    }
    for (name, (post, written, count)) in lacking {
        let location = post.source.location(written.span);
        let message = match count {
            1 => format!("there is no template `{name}`"),
            count => format!("there is no template `{name}`; {count} posts name it"),
        };
        let found = Diagnostic::warning(Code::TemplateError, location, message);
        diagnostics.push(match nearest(name, known()) {
            Some(near) => found.help(Help::did_you_mean(near)),
            None => found.help(format!(
                "write the file templates/{name}, or leave the key out"
            )),
        });
    }
}
