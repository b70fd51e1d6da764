//! Pages of one language among those of another.

use std::collections::BTreeSet;

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::id::LocaleId;
use tabulae_core::source::Span;

use super::output::{Output, OutputKind};
use super::planner::Planner;

impl Planner<'_> {
    /// Returns the language among whose pages an output is, if it is a page of another language.
    pub(super) fn among(&self, output: &Output) -> Option<LocaleId> {
        let locales = &self.site.settings.locales;
        if !locales.are_several() || !output.kind.is_own_page() {
            return None;
        }
        let among = locales.of_link(&output.link.plain);
        (among != output.kind.locale(self.site, &self.plan)).then_some(among)
    }

    /// Notes the pages of one language that are among those of another, for [`Planner::report_prefixes`].
    pub(super) fn note_intruders<'o>(
        &mut self,
        outputs: impl IntoIterator<Item = &'o Output>,
    ) -> bool {
        let before = self.intruders.len();
        for output in outputs {
            if let Some(among) = self.among(output) {
                self.intruders.push((among, output.clone()));
            }
        }
        self.intruders.len() > before
    }

    /// Reports pages of one language among those of another: one error for the lists and posts below a prefix, and one
    /// for each page.
    pub(super) fn report_prefixes(&mut self) {
        if !self.site.settings.locales.are_several() {
            return;
        }
        let planned = self.plan.outputs.iter();
        let found = planned.filter_map(|output| Some((self.among(output)?, output.clone())));
        let found: Vec<_> = found.collect();
        self.intruders.extend(found);
        let mut intruders = std::mem::take(&mut self.intruders);
        // What the settings place there says most, then the posts.
        intruders.sort_by_key(|(_, output)| match output.kind {
            OutputKind::Post(_) => 1,
            OutputKind::Page(_) => 2,
            _ => 0,
        });
        let mut reported: BTreeSet<(LocaleId, Option<String>)> = BTreeSet::new();
        for (among, output) in intruders {
            let source = match output.kind {
                OutputKind::Post(id) => Some(self.site.catalogue.post(id)),
                OutputKind::Page(at) => Some(&self.site.pages[at].post),
                _ => None,
            };
            let source = source.map(|post| post.path.clone());
            // Of lists and posts one is enough: they have one cause.
            let is_page = matches!(output.kind, OutputKind::Page(_));
            if reported.insert((among, source.clone().filter(|_| is_page))) {
                let diagnostic = self.intruder(among, &output, source.as_deref());
                self.diagnostics.push(diagnostic);
            }
        }
    }

    fn intruder(&self, among: LocaleId, output: &Output, source: Option<&str>) -> Diagnostic {
        let locale = self.site.locale(among);
        let own = &self
            .site
            .locale(output.kind.locale(self.site, &self.plan))
            .tag;
        let maker = self.maker(&output.link, &output.kind);
        let (tag, link) = (&locale.tag, &output.link.plain);
        match source {
            Some(path) => {
                let message = format!(
                    "{} is at {link}, among the pages in `{tag}`, and its own language is `{own}`",
                    maker.what
                );
                let name = path.rsplit('/').next().unwrap_or(path);
                let name = name.split('.').next().unwrap_or(name);
                let ending = path.rsplit('.').next().unwrap_or_default();
                let help = match output.kind {
                    OutputKind::Page(_) => format!(
                        "if it is in `{tag}`, move it to pages/{name}.{tag}.{ending}, which is at {}; else give it another address",
                        locale.below(&format!("/{name}/"))
                    ),
                    _ => {
                        format!("give it another address, or the pages in `{tag}` another `prefix`")
                    }
                };
                Diagnostic::error(Code::AddressConflict, maker.location, message).help(help)
            }
            None => {
                let location = self.site.settings.source.location(locale.location);
                let message = format!(
                    "the prefix \"{}\" of the pages in `{tag}` holds a page in `{own}`: {link}, {}",
                    locale.below("/"),
                    maker.what
                );
                let mut found =
                    Diagnostic::error(Code::AddressConflict, location, message).help(format!(
                        "give [locale.{tag}] another prefix, such as `prefix = \"/{}/\"`",
                        tag.to_lowercase()
                    ));
                if maker.location != self.site.settings.source.location(Span::default()) {
                    found.other = Some((maker.location, "it comes from here".to_owned()));
                }
                found
            }
        }
    }
}
