//! The function `card` of templates.

use std::collections::BTreeSet;
use std::sync::Arc;

use minijinja::{Environment, Error, State, Value, context};
use tabulae_core::catalogue::PostId;

use super::arguments::wrong;
use super::context::RenderContext;
use super::data::RenderData;
use super::loads::CARD;
use super::objects::{PostList, PostObject};
use super::parts::render_part;
use super::scope::CardScope;

/// A post's card, or those of a list, each on a line of its own: `parts/card.html`, which is made
/// once for all lists that show the post, where it asks for nothing that differs between them.
pub(super) fn card(
    context: &Arc<RenderContext>,
    state: &State<'_, '_>,
    posts: &Value,
    level: Option<usize>,
) -> Result<Value, Error> {
    let level = level.unwrap_or(2);
    let data = &context.data;
    let names = data
        .card_names
        .get_or_init(|| names_of_card(data, state.env()));
    let outer = names.iter();
    let outer = outer.filter_map(|name| Some((Value::from(name.as_str()), state.lookup(name)?)));
    let outer: Vec<_> = outer.collect();
    let cards = CardMaker {
        context,
        state,
        level,
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
    level: usize,
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
            && let Some((known, dependencies)) = self.context.local().cards(self.level).get(post)
        {
            self.context.track_all(dependencies);
            out.push_str(known);
            return Ok(());
        }
        let (text, dependencies) = self.context.record_part(|| self.make(post));
        let text = text?;
        out.push_str(&text);
        if self.same_everywhere {
            self.context
                .local()
                .cards(self.level)
                .insert(post, &text, &dependencies);
        }
        Ok(())
    }

    fn make(&self, post: PostId) -> Result<String, Error> {
        let own = CardScope {
            site: self.state.lookup("site").unwrap_or_default(),
            post: PostObject::value(post, self.context),
            below: self.level.into(),
        };
        let template = self.state.get_template(CARD)?;
        if self.outer.is_empty() {
            return render_part(self.context, self.state, &template, own.into());
        }
        let outer = Value::from_pairs(self.outer.iter().cloned());
        render_part(
            self.context,
            self.state,
            &template,
            context! { ..Value::from(own), ..outer },
        )
    }
}

/// The names that the card and the parts that it loads ask for, and that may differ between lists,
/// where a list knows them.
fn names_of_card(data: &RenderData, env: &Environment<'_>) -> Vec<String> {
    let mut names = BTreeSet::new();
    let parts = data.loaded_by(CARD).into_iter();
    for template in parts.filter_map(|part| env.get_template(part).ok()) {
        names.extend(template.undeclared_variables(false));
    }
    let is_the_same = |name: &str| {
        CardScope::NAMES.contains(&name) || env.globals().any(|(global, _)| global == name)
    };
    names.retain(|name| !is_the_same(name));
    names.into_iter().collect()
}
