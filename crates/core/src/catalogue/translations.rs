//! Translations: the posts that are the same in several languages.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::{LocaleId, PostId, number};
use crate::language::check_tag;
use crate::post::{Post, State};
use crate::settings::Settings;
use crate::source::Location;

/// The groups of posts that are translations of each other, with one post of each language at most.
#[derive(Debug, Default)]
pub(super) struct Translations {
    /// The listed posts of each group, by language.
    groups: Vec<Vec<PostId>>,
    group_of: BTreeMap<PostId, usize>,
}

impl Translations {
    /// Groups the posts that share the value of `translation`, or whose files have the same path but for
    /// language and ending. A second post of one language in a group is an error; a draft whose
    /// translation is listed, and a file in a language that the site does not have, are warnings.
    pub(super) fn of(
        posts: &[Arc<Post>],
        listed: &[bool],
        settings: &Settings,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let mut translations = Self::default();
        if !settings.locales.are_several() {
            return translations;
        }
        for group in groups(posts) {
            let mut by_locale: BTreeMap<LocaleId, PostId> = BTreeMap::new();
            for id in group {
                let post = &posts[id.0 as usize];
                match by_locale.get(&post.locale) {
                    Some(first) => {
                        diagnostics.push(twice(post, &posts[first.0 as usize], settings));
                    }
                    None => {
                        by_locale.insert(post.locale, id);
                    }
                }
            }
            let is_listed = |id: &PostId| listed[id.0 as usize];
            let (public, others): (Vec<_>, Vec<_>) = by_locale.into_values().partition(is_listed);
            if let Some(first) = public.first() {
                let drafts = others.iter().map(|id| &posts[id.0 as usize]);
                let drafts = drafts.filter(|post| post.state() == State::Draft);
                let first = &posts[first.0 as usize];
                diagnostics.extend(drafts.map(|post| unpublished(post, first, settings)));
            }
            translations.add(public);
        }
        diagnostics.extend(undeclared(posts, settings));
        translations
    }

    fn add(&mut self, group: Vec<PostId>) {
        if group.len() > 1 {
            let number = self.groups.len();
            self.group_of.extend(group.iter().map(|id| (*id, number)));
            self.groups.push(group);
        }
    }

    /// Returns the listed posts that are the same in several languages, a post itself among them, in the order
    /// of the languages; none if it has no translation.
    pub(super) fn of_post(&self, id: PostId) -> &[PostId] {
        let group = self.group_of.get(&id);
        group.map_or(&[], |number| &self.groups[*number])
    }
}

/// The name by which posts are joined to a group.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Name<'a> {
    Stated(&'a str),
    Path(&'a str),
}

/// Returns the posts that share names, directly or through others, group by group (union-find, with path
/// halving). Both posts and groups are in the order of posts; posts without a translation are left out.
fn groups(posts: &[Arc<Post>]) -> Vec<Vec<PostId>> {
    let mut first: BTreeMap<Name<'_>, usize> = BTreeMap::new();
    let mut parents: Vec<usize> = (0..posts.len()).collect();
    for (at, post) in posts.iter().enumerate() {
        let stated = post.translation.as_ref();
        let stated = stated.map(|name| Name::Stated(&name.node));
        for name in [Some(Name::Path(&post.untranslated)), stated]
            .into_iter()
            .flatten()
        {
            let other = *first.entry(name).or_insert(at);
            let roots = [root(&mut parents, at), root(&mut parents, other)];
            parents[roots[0].max(roots[1])] = roots[0].min(roots[1]);
        }
    }
    let mut groups: BTreeMap<usize, Vec<PostId>> = BTreeMap::new();
    for at in 0..posts.len() {
        let group = groups.entry(root(&mut parents, at)).or_default();
        group.push(PostId(number(at)));
    }
    groups
        .into_values()
        .filter(|group| group.len() > 1)
        .collect()
}

fn root(parents: &mut [usize], mut at: usize) -> usize {
    while parents[at] != at {
        parents[at] = parents[parents[at]];
        at = parents[at];
    }
    at
}

/// Returns the location of what makes a post a translation.
fn location(post: &Post) -> Location {
    match &post.translation {
        Some(name) => post.source.location(name.span),
        None => Location::top_of(&post.path),
    }
}

/// Returns the error of a post that is the same translation as another of its language.
fn twice(post: &Post, first: &Post, settings: &Settings) -> Diagnostic {
    let tag = &settings.locales.get(post.locale).tag;
    let message = match &post.translation {
        Some(name) => format!(
            "two posts in `{tag}` are the translation \"{}\": this one and {}",
            name.node, first.path
        ),
        None => format!(
            "two posts in `{tag}` are the same translation: this one and {}",
            first.path
        ),
    };
    Diagnostic::error(Code::TranslationConflict, location(post), message).help(
        "give one of them another language, by `language` or before the ending of its file, or another `translation`",
    )
}

/// Returns the warning of a draft whose translation is in lists.
fn unpublished(post: &Post, public: &Post, settings: &Settings) -> Diagnostic {
    let tag = |post: &Post| settings.locales.get(post.locale).tag.as_str();
    let message = format!(
        "this translation of {} into `{}` is a draft: no page in `{}` leads to it",
        public.path,
        tag(post),
        tag(public),
    );
    Diagnostic::warning(Code::UnpublishedTranslation, location(post), message)
        .help("publish it, or look at it with `--include drafts`")
}

/// Returns a warning for each post whose file has a language before its ending that the site does not have, if
/// a file without it is beside it.
fn undeclared<'a>(
    posts: &'a [Arc<Post>],
    settings: &'a Settings,
) -> impl Iterator<Item = Diagnostic> + 'a {
    let paths: BTreeSet<&str> = posts
        .iter()
        .map(|post| post.untranslated.as_str())
        .collect();
    posts.iter().filter_map(move |post| {
        let (untranslated, tag) = post.untranslated.rsplit_once('.')?;
        let is_translation = paths.contains(untranslated) && check_tag(tag).is_ok();
        is_translation.then(|| {
            let message =
                format!("the file's name says `{tag}`, and the blog has no such language");
            let tags: Vec<&str> = settings.locales.tags().collect();
            Diagnostic::warning(Code::UnknownLanguage, Location::top_of(&post.path), message).help(
                format!(
                    "declare it by a table `[locale.{tag}]` in tabulae.toml; the blog has {}",
                    tags.join(", ")
                ),
            )
        })
    })
}
