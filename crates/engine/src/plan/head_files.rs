//! Styles and scripts that the settings name for the head of every page.

use std::collections::BTreeSet;

use tabulae_core::diagnostic::{Code, Diagnostic, Help, nearest};
use tabulae_core::route::{Link, decode};

use super::planner::Planner;

impl Planner<'_> {
    /// Reports the styles and scripts of `[site]` that no output has, once all others are planned. Where another program
    /// makes pages, it may make these as well.
    pub(super) fn check_head_files(&mut self) {
        let settings = &self.site.settings;
        let named = settings.site.styles.iter().chain(&settings.site.scripts);
        let named: Vec<_> = named.filter(|file| file.node.starts_with('/')).collect();
        if named.is_empty() || !settings.makes_all_pages() {
            return;
        }
        let outputs = self.plan.outputs.iter();
        let files: BTreeSet<&str> = outputs.map(|output| output.file.as_str()).collect();
        for name in named {
            let path = name.node.split(['?', '#']).next().unwrap_or_default();
            let link = Link::new(decode(path));
            if files.contains(link.file().as_str()) {
                continue;
            }
            let location = settings.source.location(name.span);
            let message = format!("`{}` leads nowhere: the site has no {path}", name.node);
            let near = nearest(link.plain.trim_start_matches('/'), files.iter().copied());
            let help = match near {
                Some(near) => Help::did_you_mean(&format!("/{near}")),
                None => format!("put the file at assets{path}").into(),
            };
            let warning = Diagnostic::warning(Code::BrokenLink, location, message);
            self.diagnostics.push(warning.help(help));
        }
    }
}
