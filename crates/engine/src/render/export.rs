//! Exports: plan to data.

use tabulae_core::catalogue::PostId;
use tabulae_core::export::{self, ExportField, ExportSource};
use tabulae_core::term::TermId;

use super::feed::content;
use crate::incremental::Key;
use crate::site::Site;
use crate::template::RenderContext;

/// Returns the data of an export, by its number.
pub(super) fn export(at: usize, context: &RenderContext) -> String {
    let site = &context.data.site;
    let plan = &context.data.plan.exports[at];
    let settings = &site.settings.exports[at];
    context.track_key(Key::Settings);
    context.track_key(Key::Export(settings.name.clone()));
    let looks_into_texts = plan
        .fields
        .iter()
        .any(|(_, field)| field.looks_into_texts());
    let source = Source { context, site };
    let rows = plan.posts.iter().map(|id| {
        context.track_post(*id);
        if looks_into_texts {
            context.track(context.data.dependencies.text(*id));
        }
        let fields = plan.fields.iter();
        let value = |field: &ExportField| field.value(*id, &site.catalogue, &source);
        fields.map(|(_, field)| value(field)).collect()
    });
    export::write(settings.format, &plan.fields, rows)
}

struct Source<'a> {
    context: &'a RenderContext,
    site: &'a Site,
}

impl ExportSource for Source<'_> {
    fn link(&self, post: PostId) -> String {
        self.site.absolute(self.site.owner(post).link)
    }

    fn term_link(&self, post: PostId, field: usize, term: TermId) -> Option<String> {
        let data = &self.context.data;
        self.context.track(data.dependencies.term(field, term));
        let locale = self.site.locale_of(post);
        let page = data.plan.term_pages.get(&(locale, field, term))?;
        Some(self.site.absolute(page))
    }

    fn related(&self, post: PostId) -> Vec<PostId> {
        self.context
            .track(self.context.data.dependencies.related(post));
        let related = self.site.related_to(post);
        related.iter().for_each(|id| self.context.track_post(*id));
        related.to_vec()
    }

    fn content(&self, post: PostId) -> String {
        content(post, self.context)
    }
}
