//! Earlier addresses: of posts and pages, of archives and feeds, of terms and their other spellings.

use tabulae_core::archive::{By, GroupTerm, spelling_links, term_link, unfit_link};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::id::LocaleId;
use tabulae_core::note::TermNote;
use tabulae_core::route::{Link, Pattern, decode, folder_unless_file};
use tabulae_core::settings::FeedFormat;
use tabulae_core::source::{Location, Spanned};

use super::feed_plan::Origin;
use super::output::OutputKind;
use super::planner::Planner;

impl Planner<'_> {
    /// Plans a page at each earlier address that leads to the present one; feeds stay at theirs.
    pub(super) fn redirects(&mut self) {
        let site = self.site;
        let posts = site.catalogue.all().filter(|id| site.has_page(*id));
        let posts = posts.map(|id: PostId| (site.catalogue.post(id), site.catalogue.link(id)));
        let pages = site.pages.iter().map(|page| (&page.post, &page.link));
        for (post, link) in posts.chain(pages) {
            for old in &post.moved_from {
                let location = post.source.location(old.span);
                self.redirect(&moved_from(&old.node), link, &post.path, location);
            }
        }
        for at in 0..site.settings.archives.len() {
            self.archive_redirects(at);
        }
        for (number, feed) in site.settings.feeds.iter().enumerate() {
            for old in &feed.moved_from {
                let at = Link::new(decode(&old.node));
                self.stay(Origin::Named(number), feed.format, &at);
            }
        }
        for note in &site.notes {
            self.note_redirects(note);
        }
        // A page that the site has at the address of another spelling is no mistake.
        for note in &site.notes {
            self.spelling_redirects(note);
        }
    }

    fn redirect(&mut self, from: &Link, to: &Link, who: &str, location: Location) {
        if from != to {
            let key = (from.plain.clone(), to.plain.clone());
            let origin = (who.to_owned(), location);
            self.plan.redirects.insert(key, origin);
            self.add(from.clone(), OutputKind::Redirect(to.clone()));
        }
    }

    /// Plans a feed at an earlier address as well.
    fn stay(&mut self, origin: Origin, format: FeedFormat, at: &Link) {
        let feeds = self.plan.feeds.iter();
        let number = feeds
            .enumerate()
            .find(|(_, feed)| feed.of == origin && feed.format == format && feed.part.number == 1);
        if let Some((number, _)) = number {
            self.add(at.clone(), OutputKind::Feed(number));
        }
    }

    /// Plans redirects from the earlier address of a list; its feeds stay below it, unless something else is
    /// there.
    fn move_list(
        &mut self,
        from: &Link,
        archive: usize,
        group: usize,
        who: &str,
        location: Location,
    ) {
        let to = self.plan.archives[archive].groups[group].link.clone();
        self.redirect(from, &to, who, location);
        let origin = Origin::List { archive, group };
        for format in &self.site.settings.archives[archive].feeds {
            let at = from.below(format.file_name());
            if !self.outputs.has(&at.file()) {
                self.stay(origin, *format, &at);
            }
        }
    }

    fn archive_redirects(&mut self, at: usize) {
        let site = self.site;
        let archive = &site.settings.archives[at];
        let who = format!("[archive.{}]", archive.name);
        if archive.locale != LocaleId::SITE && self.plan.archives[at].groups.is_empty() {
            return;
        }
        for old in &archive.moved_from {
            let location = || site.settings.source.location(old.span);
            let is_split = self.plan.archives[at].by.is_some();
            if !is_split || old.node.variables().next().is_some() {
                for group in 0..self.plan.archives[at].groups.len() {
                    match self.earlier(old, at, group) {
                        Ok(from) => self.move_list(&from, at, group, &who, location()),
                        Err(diagnostic) => {
                            self.diagnostics.push(*diagnostic);
                            break;
                        }
                    }
                }
                continue;
            }
            let from = Link::new(decode(old.node.text()));
            match self.plan.overviews[at].clone() {
                Some(overview) => self.redirect(&from, &overview, &who, location()),
                None => {
                    let message = "this archive has no overview that an old address could lead to";
                    let help = format!(
                        "write `overview = \"/{}/\"`, or an old address with a variable, as its link has",
                        archive.name
                    );
                    let diagnostic =
                        Diagnostic::error(Code::InvalidLinkPattern, location(), message);
                    self.diagnostics.push(diagnostic.help(help));
                }
            }
        }
    }

    /// Returns the earlier address of a list of an archive, by a pattern of its `moved_from`.
    fn earlier(
        &self,
        old: &Spanned<Pattern>,
        at: usize,
        group: usize,
    ) -> Result<Link, Box<Diagnostic>> {
        let archive = &self.site.settings.archives[at];
        let laid = &self.plan.archives[at];
        let link = match (&laid.by, &laid.groups[group].term) {
            (Some(by), Some(term)) => term_link(&old.node, archive, by, term, &self.site.catalogue),
            _ => old.node.expand(|_| None),
        };
        link.map_err(|missing| {
            let location = self.site.settings.source.location(old.span);
            Box::new(unfit_link(archive, missing, location))
        })
    }

    /// Plans redirects from the addresses that a note says its term had.
    fn note_redirects(&mut self, note: &TermNote) {
        let table = self.site.catalogue.terms(note.field);
        let to = table
            .find(note.title.as_ref().map_or(&note.name, |title| &title.node))
            .or_else(|| table.find(&note.name))
            .and_then(|id| {
                let locales = self.site.settings.locales.ids();
                let mut locales = [note.locale].into_iter().chain(locales);
                let page = |locale| self.plan.term_pages.get(&(locale, note.field, id));
                locales.find_map(page).cloned()
            });
        for old in &note.moved_from {
            let location = note.source.location(old.span);
            let path = location.file.as_deref().unwrap_or_default().to_owned();
            match &to {
                Some(to) => self.redirect(&moved_from(&old.node), to, &path, location),
                None => {
                    let message = format!(
                        "the old address {} leads nowhere: this term has no page",
                        old.node
                    );
                    let help = "give a post the term, or delete the address";
                    let warning = Diagnostic::warning(Code::AddressLost, location, message);
                    self.diagnostics.push(warning.help(help));
                }
            }
        }
    }

    /// Plans redirects from the addresses that a term's lists, in the language of the note, would have by its other
    /// spellings.
    fn spelling_redirects(&mut self, note: &TermNote) {
        let site = self.site;
        let table = site.catalogue.terms(note.field);
        let spellings = || note.spellings.iter().map(|spelling| &spelling.node);
        let id = spellings().find_map(|spelling| table.find(spelling));
        for (at, archive) in site.settings.archives.iter().enumerate() {
            let laid = &self.plan.archives[at];
            if laid.by != Some(By::Term(note.field)) || archive.locale != note.locale {
                continue;
            }
            let is_of_note = |term: &GroupTerm| term.id.map(|(_, id)| id) == id && id.is_some();
            let mut groups = laid.groups.iter();
            let found = groups.position(|group| group.term.as_ref().is_some_and(is_of_note));
            let (Some(group), Some(by)) = (found, laid.by.clone()) else {
                continue;
            };
            let Some(term) = laid.groups[group].term.clone() else {
                continue;
            };
            let links = spelling_links(&note.spellings, archive, &by, &term, &site.catalogue);
            for (spelling, from) in links {
                let location = note.source.location(spelling.span);
                let path = location.file.as_deref().unwrap_or_default().to_owned();
                if !self.outputs.has(&from.file()) {
                    self.move_list(&from, at, group, &path, location);
                }
            }
        }
    }
}

/// The address that a post or page had before: a folder, unless a file's name is written.
fn moved_from(old: &str) -> Link {
    Link::new(folder_unless_file(&decode(old)))
}
