//! Rules by which built-in archives, the built-in feed and the implicit content set give way to others.

use std::collections::BTreeMap;

use crate::diagnostic::{Code, Diagnostic};
use crate::id::LocaleId;
use crate::query::{Query, name_text};
use crate::route::{Pattern, decode};
use crate::settings::{Archive, ContentSet, FeedFormat, Settings};
use crate::source::{EmbeddedText, Spanned};

/// The addresses that sources of the site have, each with the source in words: `/` of `` `pages/index.md` ``.
pub type Claims = BTreeMap<String, String>;

/// Returns the addresses below a folder, from there.
fn within(claims: &Claims, folder: &str) -> Claims {
    let below = claims.iter().filter_map(|(address, who)| {
        let below = address
            .strip_prefix(folder)
            .filter(|below| below.starts_with('/'))?;
        Some((below.to_owned(), who.clone()))
    });
    below.collect()
}

impl Settings {
    /// Decides whether the implicit content set `posts` exists beside others: if its folder does.
    ///
    /// # Errors
    /// If it exists and a named query has its name.
    pub fn settle_content(&mut self, has_folder: bool) -> Result<(), Box<Diagnostic>> {
        let is_beside_others = self.content.len() > 1;
        self.content
            .retain(|set| !set.is_implicit || has_folder || !is_beside_others);
        let Some(set) = self.content.iter().find(|set| set.is_implicit) else {
            return Ok(());
        };
        let Some((name, _)) = self.queries.iter().find(|(name, _)| name.node == set.name) else {
            return Ok(());
        };
        let message = format!(
            "`{0}` is the name of the content set of the folder `{0}/`",
            name.node
        );
        let diagnostic =
            Diagnostic::error(Code::NameConflict, self.source.location(name.span), message);
        Err(Box::new(diagnostic.help("give the query another name")))
    }

    /// Returns the dated content sets; all, if none is dated.
    pub fn dated_sets(&self) -> impl Iterator<Item = &ContentSet> {
        let is_any_dated = self.content.iter().any(|set| set.dated);
        let sets = self.content.iter();
        sets.filter(move |set| set.dated || !is_any_dated)
    }

    /// Settles what the built-in archives and the built-in feed are on this site: of which content sets, and
    /// where. They yield to what the settings or its sources have in their place; [`Settings::yields`] then
    /// says so. Content sets are settled before.
    ///
    /// Each archive and feed then is that of one language: those of the site's language in the order written,
    /// then those of the next language, with its prefix before their addresses.
    pub fn settle(&mut self, claims: &Claims) {
        if !self.locales.are_several() {
            return self.settle_language(claims);
        }
        let written = self.clone();
        self.settle_language(claims);
        let is_in =
            |only: &Option<Vec<LocaleId>>, id| only.as_ref().is_none_or(|only| only.contains(&id));
        self.archives
            .retain(|archive| is_in(&archive.locales, LocaleId::SITE));
        self.feeds
            .retain(|feed| is_in(&feed.locales, LocaleId::SITE));
        for (id, locale) in written.locales.iter().skip(1) {
            let mut own = written.clone();
            own.settle_language(&within(claims, &locale.prefix));
            let archives = own
                .archives
                .iter()
                .filter(|archive| is_in(&archive.locales, id));
            self.archives
                .extend(archives.map(|archive| archive.within(id, locale)));
            let feeds = own.feeds.iter().filter(|feed| is_in(&feed.locales, id));
            self.feeds.extend(feeds.map(|feed| feed.within(id, locale)));
            for sentence in own.yields {
                if !self.yields.contains(&sentence) {
                    self.yields.push(format!("in `{}`, {sentence}", locale.tag));
                }
            }
        }
    }

    /// Settles the archives and feeds of one language, whose sources have some of its addresses.
    fn settle_language(&mut self, claims: &Claims) {
        let query = self.dated_query();
        for archive in &mut self.archives {
            if archive.inherited.query {
                archive.query.clone_from(&query);
            }
        }
        for feed in &mut self.feeds {
            if feed.query.is_none() {
                feed.query.clone_from(&query);
            }
        }
        self.yield_undated();
        self.yield_to_alike();
        self.yield_addresses(claims);
        self.yield_feed(claims);
    }

    /// Returns the query for the posts of all dated sets; `None` if those are all posts.
    fn dated_query(&self) -> Option<EmbeddedText> {
        let sets: Vec<&ContentSet> = self.dated_sets().collect();
        let names: Vec<String> = sets.iter().map(|set| name_text(&set.name)).collect();
        let text = format!("from {}", names.join(", "));
        (sets.len() < self.content.len()).then(|| EmbeddedText::command_line(&text))
    }

    /// Leaves out the built-in archive by year and the built-in feed if no content set is dated: both would be
    /// empty.
    fn yield_undated(&mut self) {
        if self.content.iter().any(|set| set.dated) {
            return;
        }
        let yields = &mut self.yields;
        let mut leave_out = |what: &str, name: &str| {
            yields.push(format!(
                "the built-in {what} `{name}` is left out: no content set is dated"
            ));
        };
        self.archives.retain(|archive| {
            let is_by_year = archive.by.as_ref().is_some_and(|by| by.node == "year");
            let stays = !(archive.inherited.whole && is_by_year);
            if !stays {
                leave_out("archive", &archive.name);
            }
            stays
        });
        self.feeds.retain(|feed| {
            if feed.inherited.whole {
                leave_out("feed", &feed.name);
            }
            !feed.inherited.whole
        });
    }

    /// Leaves out built-in archives that are split as one of the settings is, over the same posts.
    fn yield_to_alike(&mut self) {
        let alike = |archive: &Archive| {
            let by = archive.by.as_ref().filter(|_| archive.inherited.whole)?;
            let mut written = self.archives.iter();
            written.find(|other| {
                !other.inherited.whole
                    && other.by.as_ref().is_some_and(|own| self.is_same(by, own))
                    && self.is_of_all(other)
            })
        };
        let yields: Vec<(String, String)> = self
            .archives
            .iter()
            .filter_map(|archive| {
                let other = alike(archive)?;
                let by = archive.by.as_ref().map_or("", |by| by.node.as_str());
                let sentence = format!(
                    "the built-in archive `{}` is left out: [archive.{}] is split by `{by}` as well",
                    archive.name, other.name
                );
                Some((archive.name.clone(), sentence))
            })
            .collect();
        for (name, sentence) in yields {
            self.archives.retain(|archive| archive.name != name);
            self.yields.push(sentence);
        }
    }

    /// Returns true if two names are of one field.
    fn is_same(&self, one: &Spanned<String>, other: &Spanned<String>) -> bool {
        let mut fields = self.term_fields.iter();
        one.node == other.node || fields.any(|field| field.is(&one.node) && field.is(&other.node))
    }

    /// Returns true if an archive is of all posts of the dated content sets at least.
    fn is_of_all(&self, archive: &Archive) -> bool {
        let Some(query) = &archive.query else {
            return true;
        };
        let Ok(query) = Query::parse(query) else {
            return false;
        };
        let statement = query.statement();
        let is_from = |set: &ContentSet| statement.from.iter().any(|from| from.node == set.name);
        statement.condition.is_none()
            && statement.limit.is_none()
            && statement.offset.is_none()
            && (statement.from.is_empty() || self.dated_sets().all(is_from))
    }

    /// Moves the journal away from an address that something else has, and leaves out overviews at such
    /// addresses.
    fn yield_addresses(&mut self, claims: &Claims) {
        let mut claims = claims.clone();
        for archive in &self.archives {
            claims.extend(written_addresses(archive));
        }
        let mut left_out = Vec::new();
        for archive in &mut self.archives {
            let name = &archive.name;
            if let Some(overview) = archive
                .overview
                .as_ref()
                .filter(|_| archive.inherited.overview)
                && let Some(who) = claims.get(&*decode(&overview.node))
            {
                self.yields.push(format!(
                    "the overview of the built-in archive `{name}` is left out: {who} is at {}",
                    overview.node
                ));
                archive.overview = None;
            }
            if !archive.inherited.link || archive.by.is_some() {
                continue;
            }
            let Some(who) = claims.get(archive.link.text()) else {
                continue;
            };
            let other = format!("/{name}/");
            let at = archive.link.text();
            match claims.get(&other) {
                Some(second) => {
                    self.yields.push(format!(
                        "the built-in archive `{name}` is left out: {who} is at {at}, and {second} at {other}"
                    ));
                    left_out.push(name.clone());
                }
                None => {
                    self.yields.push(format!(
                        "the built-in archive `{name}` is at {other}: {who} is at {at}"
                    ));
                    archive.link = Pattern::fixed(&other);
                }
            }
        }
        self.archives
            .retain(|archive| !left_out.contains(&archive.name));
    }

    /// Leaves out the built-in feed if the journal names feeds of its own, or something else is at its
    /// address.
    fn yield_feed(&mut self, claims: &Claims) {
        let Some(at) = self.feeds.iter().position(|feed| feed.inherited.link) else {
            return;
        };
        let feed = &self.feeds[at];
        let mut archives = self.archives.iter();
        let journal =
            archives.find(|archive| archive.name == "journal" && !archive.inherited.feeds);
        let journal = journal.filter(|_| feed.inherited.whole);
        let journal = journal.map(|_| "[archive.journal] has `feeds` of its own".to_owned());
        let others = self.feeds.iter().enumerate();
        let mut others = others.filter(|(number, other)| *number != at && other.link == feed.link);
        let other = others
            .next()
            .map(|(_, other)| format!("[feed.{}]", other.name));
        let of_archive = self.archives.iter().find(|archive| {
            let own =
                |format: &FeedFormat| format!("{}{}", archive.link.text(), format.file_name());
            archive.by.is_none() && archive.feeds.iter().any(|format| own(format) == feed.link)
        });
        let of_archive = of_archive.map(|archive| format!("a feed of [archive.{}]", archive.name));
        let claim = claims.get(&feed.link).cloned().or(other).or(of_archive);
        let claim = claim.map(|who| format!("{who} is at {}", feed.link));
        if let Some(why) = journal.or(claim) {
            let sentence = format!("the built-in feed `{}` is left out: {why}", feed.name);
            self.yields.push(sentence);
            self.feeds.remove(at);
        }
    }
}

/// Returns the addresses that an archive has by its table, not by inheritance.
fn written_addresses(archive: &Archive) -> Vec<(String, String)> {
    let who = format!("[archive.{}]", archive.name);
    let link = (!archive.inherited.link && archive.by.is_none()).then(|| archive.link.text());
    let overview = archive.overview.as_ref();
    let overview = overview.filter(|_| !archive.inherited.overview);
    let overview = overview.map(|link| link.node.as_str());
    let addresses = link.into_iter().chain(overview);
    addresses
        .map(|link| (decode(link).into_owned(), who.clone()))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Source;
    use rstest::rstest;

    const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

    fn settled(text: &str, claims: &[&str]) -> Settings {
        let read = Settings::read(&Source::new("tabulae.toml", &format!("{SITE}{text}")));
        assert_eq!(read.diagnostics, []);
        let mut settings = read.output;
        settings.settle_content(true).unwrap();
        let claims = claims
            .iter()
            .map(|at| ((*at).to_owned(), "`a page`".to_owned()));
        settings.settle(&claims.collect());
        settings
    }

    /// Name, link and overview of each archive.
    fn archives(settings: &Settings) -> String {
        let lines = settings.archives.iter().map(|archive| {
            let overview = archive.overview.as_ref().map_or("-", |link| &link.node);
            format!("{} {} {overview}", archive.name, archive.link.text())
        });
        lines.collect::<Vec<_>>().join("; ")
    }

    const TAGS: &str = "tags /tags/{tag}/ /tags/";
    const CATEGORIES: &str = "categories /categories/{category}/ /categories/";
    const YEARS: &str = "years /{year}/ /archive/";

    #[rstest]
    #[case::nothing("", &[], "journal / -; TAGS; CATEGORIES; YEARS", &[])]
    #[case::another("[archive.flours]\nby = \"flour\"\n", &[], "journal / -; TAGS; CATEGORIES; YEARS; flours /flours/{flour}/ -", &[])]
    #[case::a_key("[archive.tags]\nper_page = 3\n", &[], "journal / -; TAGS; CATEGORIES; YEARS", &[])]
    #[case::the_order_written("[archive.years]\n[archive.x]\n[archive.journal]\n", &[], "years /{year}/ /archive/; x /x/ -; journal / -; TAGS; CATEGORIES", &[])]
    #[case::no_overview("[archive.tags]\noverview = false\n", &[], "journal / -; tags /tags/{tag}/ -; CATEGORIES; YEARS", &[])]
    #[case::another_by("[archive.tags]\nby = \"flour\"\n", &[], "journal / -; tags /tags/{flour}/ -; CATEGORIES; YEARS", &[])]
    #[case::turned_off("[archive.tags]\nenabled = false\n[archive.years]\nenabled = false\n", &[], "journal / -; CATEGORIES", &[])]
    #[case::the_home_page("", &["/"], "journal /journal/ -; TAGS; CATEGORIES; YEARS", &["the built-in archive `journal` is at /journal/: `a page` is at /"])]
    #[case::both_taken("", &["/", "/journal/"], "TAGS; CATEGORIES; YEARS", &["the built-in archive `journal` is left out: `a page` is at /, and `a page` at /journal/"])]
    #[case::an_archive_at_home("[archive.all]\nlink = \"/\"\n", &[], "journal /journal/ -; TAGS; CATEGORIES; YEARS; all / -", &["the built-in archive `journal` is at /journal/: [archive.all] is at /"])]
    #[case::changed_and_moved("[archive.journal]\nper_page = 5\n", &["/"], "journal /journal/ -; TAGS; CATEGORIES; YEARS", &["the built-in archive `journal` is at /journal/: `a page` is at /"])]
    #[case::an_overview("", &["/tags/"], "journal / -; tags /tags/{tag}/ -; CATEGORIES; YEARS", &["the overview of the built-in archive `tags` is left out: `a page` is at /tags/"])]
    #[case::an_overview_of_another("[archive.flours]\nby = \"flour\"\noverview = \"/tags/\"\n", &[], "journal / -; tags /tags/{tag}/ -; CATEGORIES; YEARS; flours /flours/{flour}/ /tags/", &["the overview of the built-in archive `tags` is left out: [archive.flours] is at /tags/"])]
    #[case::the_same_by("[archive.topics]\nby = \"tags\"\n", &[], "journal / -; CATEGORIES; YEARS; topics /topics/{tags}/ -", &["the built-in archive `tags` is left out: [archive.topics] is split by `tag` as well"])]
    #[case::the_same_by_of_all("[archive.topics]\nby = \"tag\"\nquery = \"from posts order by title\"\n", &[], "journal / -; CATEGORIES; YEARS; topics /topics/{tag}/ -", &["the built-in archive `tags` is left out: [archive.topics] is split by `tag` as well"])]
    #[case::the_same_by_of_some("[archive.topics]\nby = \"tag\"\nquery = \"where year = 2026\"\n", &[], "journal / -; TAGS; CATEGORIES; YEARS; topics /topics/{tag}/ -", &[])]
    #[case::none_is_dated("[content.pots]\ndated = false\n[content.posts]\ndated = false\n", &[], "journal / -; TAGS; CATEGORIES", &["the built-in archive `years` is left out: no content set is dated", "the built-in feed `atom` is left out: no content set is dated"])]
    #[case::the_first_of_some("[archive.topics]\nby = \"tag\"\nquery = \"limit 3\"\n", &[], "journal / -; TAGS; CATEGORIES; YEARS; topics /topics/{tag}/ -", &[])]
    fn built_in_archives_stay_unless_something_has_their_place(
        #[case] text: &str,
        #[case] claims: &[&str],
        #[case] expected: &str,
        #[case] yields: &[&str],
    ) {
        let settings = settled(text, claims);
        let expected = expected.replace("TAGS", TAGS).replace("YEARS", YEARS);
        assert_eq!(
            archives(&settings),
            expected.replace("CATEGORIES", CATEGORIES)
        );
        assert_eq!(settings.yields, yields);
    }

    #[test]
    fn without_defaults_only_what_is_written_exists() {
        let text = "defaults = false\n[archive.tags]\nby = \"tag\"\n[content.pots]\n";
        let settings = settled(text, &[]);
        assert_eq!(archives(&settings), "tags /tags/{tag}/ -");
        assert_eq!(settings.feeds.len(), 0);
        assert_eq!(settings.content.len(), 1);
    }

    #[rstest]
    #[case::nothing("", &[], "atom /atom.xml T")]
    #[case::another("[feed.works]\n", &[], "atom /atom.xml T; works /works.xml -")]
    #[case::a_key("[feed.atom]\ncontent = \"full\"\n", &[], "atom /atom.xml T")]
    #[case::another_format("[feed.atom]\nformat = \"rss\"\n", &[], "atom /atom.xml -")]
    #[case::turned_off("[feed.atom]\nenabled = false\n", &[], "")]
    #[case::at_its_address("[feed.x]\nlink = \"/atom.xml\"\n", &[], "x /atom.xml -")]
    #[case::a_file("", &["/atom.xml"], "")]
    #[case::of_an_archive("[archive.all]\nlink = \"/\"\nfeeds = [\"atom\"]\n", &[], "")]
    #[case::the_journals_own("[archive.journal]\nfeeds = [\"rss\"]\n", &[], "")]
    #[case::the_journals_none("[archive.journal]\nfeeds = []\n", &[], "")]
    #[case::the_journal_moves("[archive.journal]\nlink = \"/journal/\"\n", &[], "atom /atom.xml T")]
    #[case::no_journal("[archive.journal]\nenabled = false\n", &[], "atom /atom.xml T")]
    #[case::no_dates("[content.posts]\ndated = false\n", &[], "")]
    #[case::no_dates_but_written("[content.posts]\ndated = false\n[feed.atom]\n", &[], "atom /atom.xml T")]
    fn the_built_in_feed_stays_unless_something_has_its_place(
        #[case] text: &str,
        #[case] claims: &[&str],
        #[case] expected: &str,
    ) {
        let settings = settled(text, claims);
        let feeds = settings.feeds.iter().map(|feed| {
            let title = feed.title.as_deref().unwrap_or("-");
            format!("{} {} {title}", feed.name, feed.link)
        });
        assert_eq!(feeds.collect::<Vec<_>>().join("; "), expected);
    }

    #[rstest]
    #[case::one("", true, "posts", None)]
    #[case::beside_its_folder("[content.pots]\n", true, "posts pots", None)]
    #[case::without_its_folder("[content.pots]\n", false, "pots", None)]
    #[case::its_folder_has_a_set("[content.pots]\nfolder = \"posts\"\n", true, "pots", None)]
    #[case::dated_ones(
        "[content.pots]\ndated = false\n",
        true,
        "posts pots",
        Some("from posts")
    )]
    #[case::none_is_dated("[content.pots]\ndated = false\n", false, "pots", None)]
    #[case::some_are_dated(
        "[content.\"my pots\"]\n[content.x]\ndated = false\n",
        true,
        "posts my pots x",
        Some("from posts, `my pots`")
    )]
    fn built_in_archives_are_of_the_dated_sets(
        #[case] text: &str,
        #[case] has_folder: bool,
        #[case] sets: &str,
        #[case] query: Option<&str>,
    ) {
        let read = Settings::read(&Source::new("tabulae.toml", &format!("{SITE}{text}")));
        let mut settings = read.output;
        settings.settle_content(has_folder).unwrap();
        settings.settle(&Claims::new());
        let names: Vec<_> = settings
            .content
            .iter()
            .map(|set| set.name.as_str())
            .collect();
        assert_eq!(names.join(" "), sets);
        for archive in &settings.archives {
            assert_eq!(archive.query.as_ref().map(EmbeddedText::text), query);
        }
        for feed in &settings.feeds {
            assert_eq!(feed.query.as_ref().map(EmbeddedText::text), query);
        }
    }
}
