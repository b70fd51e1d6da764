//! Sessions of builds.

use std::sync::Arc;

use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::post::Include;

use super::{Workspace, attach};
use crate::error::Error;
use crate::options::{BuildOptions, Clock};
use crate::pipeline::Session;
use crate::pipeline::page_lists::PageLists;
use crate::publish::Destination;
use crate::report::BuildReport;
use crate::source::Sources;

/// Builds of one site in one process, as a preview makes them: each starts from the site that the last one
/// read. The outputs are the same as without a session.
#[derive(Debug)]
pub struct BuildSession {
    sources: Arc<dyn Sources>,
    clock: Clock,
    include: Include,
    session: Option<Session>,
}

impl BuildSession {
    pub(super) fn new(workspace: &Workspace) -> Self {
        Self {
            sources: Arc::clone(&workspace.sources),
            clock: workspace.clock,
            include: workspace.include,
            session: Some(Session::default()),
        }
    }

    /// States that nobody else writes to the output folder: as long as its manifest is as the last build left
    /// it, its files are not looked at, and the folder may be within the site's state folder.
    #[must_use]
    pub fn exclusive(mut self) -> Self {
        self.session = Some(Session::exclusive());
        self
    }

    /// Sets the reference time of the next builds.
    pub fn set_clock(&mut self, clock: Clock) {
        self.clock = clock;
    }

    /// States that at most these files changed since the last build, by their paths below the site's folder,
    /// with `/`. The next build looks at no others.
    pub fn only_changed(&mut self, files: Vec<String>) {
        if let Some(session) = &mut self.session {
            session.only_changed(files);
        }
    }

    /// Returns the lists of the page at an address below the site's, as it was last built, and what makes each of them.
    /// `None` if there is no such page. Renders the page.
    #[must_use]
    pub fn page_lists(&mut self, address: &str) -> Option<PageLists> {
        let options = BuildOptions::default().of_site(self.clock, self.include);
        let session = self.session.as_mut()?;
        session.page_lists(&*self.sources, &options, address)
    }

    /// Builds the site, as [`Workspace::build`] does.
    ///
    /// # Errors
    /// As [`Workspace::build`].
    pub fn build(
        &mut self,
        output: &mut dyn Destination,
        options: BuildOptions<'_>,
    ) -> Result<BuildReport, Error> {
        attach(&*self.sources, output);
        let options = options.of_site(self.clock, self.include);
        let session = self.session.get_or_insert_default();
        let (built, is_done) = session.build(&*self.sources, output, &options);
        let (mut report, diagnostics) = (built.output, built.diagnostics);
        let has_errors = diagnostics.iter().any(Diagnostic::is_error);
        if has_errors && !(options.keep_going && is_done) {
            return Err(Error::with_report(diagnostics, report));
        }
        report.diagnostics = diagnostics;
        Ok(report)
    }
}

impl Drop for BuildSession {
    fn drop(&mut self) {
        let session = self.session.take();
        // Dropped in the background: freeing thousands of posts takes a while.
        rayon::spawn(move || drop(session));
    }
}
