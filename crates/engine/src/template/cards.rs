//! The function `card` of templates.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};

use minijinja::{Environment, Error, State, Value, context};
use tabulae_core::catalogue::PostId;
use tabulae_core::settings::SHOWS;

use super::arguments::wrong;
use super::card_store::Cards;
use super::context::RenderContext;
use super::data::RenderData;
use super::loads::CARD;
use super::objects::{PostList, PostObject};
use super::parts::render_part;
use super::scope::CardScope;
use crate::threads::locked;

/// Returns a post's card, or those of a list, each on a line of its own: `parts/card.html`, or the part that `show`
/// names. It is made once for all lists that show the post, if it asks for nothing that differs between them.
pub(super) fn card(
    context: &Arc<RenderContext>,
    state: &State<'_, '_>,
    posts: &Value,
    level: Option<usize>,
    show: Option<&str>,
) -> Result<Value, Error> {
    let level = level.unwrap_or(2);
    let part = show.filter(|show| *show != SHOWS[0]).unwrap_or(CARD);
    let data = &context.data;
    let make = |part: &String| names_of_card(data, state.env(), part).into();
    let names = data.card_names.get_or_insert(part.to_owned(), make);
    let outer = names.iter();
    let outer = outer.filter_map(|name| Some((Value::from(name.as_str()), state.lookup(name)?)));
    let outer: Vec<_> = outer.collect();
    let cards = CardMaker {
        context,
        state,
        part,
        level,
        kept: context.local().cards(part, level),
        same_everywhere: outer.is_empty() && context.this().is_none(),
        outer,
    };
    let mut text = String::new();
    if let Some(post) = posts.downcast_object_ref::<PostObject>() {
        cards.push(post.id, &mut text)?;
    } else if let Some(list) = posts.downcast_object_ref::<PostList>() {
        cards.push_all(list.ids().iter().copied(), &mut text)?;
    } else {
        let ids: Vec<PostId> = posts
            .try_iter()?
            .map(|post| id_of(&post))
            .collect::<Result<_, _>>()?;
        cards.push_all(ids.into_iter(), &mut text)?;
    }
    Ok(Value::from_safe_string(text))
}

fn id_of(post: &Value) -> Result<PostId, Error> {
    let post = post.downcast_object_ref::<PostObject>();
    post.map(|post| post.id)
        .ok_or_else(|| wrong("`card` takes a post, or a list of posts"))
}

/// Room for a card in a list, in bytes: a card with a summary and some terms.
const ROOM: usize = 1 << 10;

/// Makes the cards of one list.
struct CardMaker<'a> {
    context: &'a Arc<RenderContext>,
    state: &'a State<'a, 'a>,
    part: &'a str,
    level: usize,
    kept: Arc<Mutex<Cards>>,
    /// The values that cards look up and that the list knows.
    outer: Vec<(Value, Value)>,
    /// Set if the cards are the same in any list.
    same_everywhere: bool,
}

impl CardMaker<'_> {
    fn push_all(
        &self,
        posts: impl ExactSizeIterator<Item = PostId>,
        out: &mut String,
    ) -> Result<(), Error> {
        out.reserve(posts.len() * ROOM);
        for (at, post) in posts.enumerate() {
            if at > 0 {
                out.push('\n');
            }
            self.push(post, out)?;
        }
        Ok(())
    }

    fn push(&self, post: PostId, out: &mut String) -> Result<(), Error> {
        if self.same_everywhere
            && let Some((known, dependencies)) = locked(&self.kept).get(post)
        {
            self.context.track_all(dependencies);
            out.push_str(known);
            return Ok(());
        }
        let (text, dependencies) = self.context.record_part(|| self.make(post));
        let text = text?;
        out.push_str(&text);
        if self.same_everywhere {
            locked(&self.kept).insert(post, &text, &dependencies);
        }
        Ok(())
    }

    fn make(&self, post: PostId) -> Result<String, Error> {
        let own = CardScope {
            site: self.state.lookup("site").unwrap_or_default(),
            post: PostObject::value(post, self.context),
            below: self.level.into(),
        };
        let template = self.state.get_template(self.part)?;
        let values = match self.outer.is_empty() {
            true => own.into(),
            false => {
                let outer = Value::from_pairs(self.outer.iter().cloned());
                context! { ..Value::from(own), ..outer }
            }
        };
        self.context
            .without_own_link(|| render_part(self.context, self.state, &template, values))
    }
}

/// Returns the names that a part and the parts that it loads ask for, and that may differ between lists that know
/// them.
fn names_of_card(data: &RenderData, env: &Environment<'_>, part: &str) -> Vec<String> {
    let mut names = BTreeSet::new();
    let parts = data.loaded_by(part).into_iter();
    for template in parts.filter_map(|part| env.get_template(part).ok()) {
        names.extend(template.undeclared_variables(false));
    }
    let is_the_same = |name: &str| {
        CardScope::NAMES.contains(&name) || env.globals().any(|(global, _)| global == name)
    };
    names.retain(|name| !is_the_same(name));
    names.into_iter().collect()
}
