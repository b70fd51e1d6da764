//! Entries of front matter as templates see them. One that a post lacks and others have is nothing,
//! also within a map; one that no post has is not known.

use std::fmt;
use std::sync::Arc;

use minijinja::Value;
use minijinja::value::{Enumerator, Object};
use tabulae_core::catalogue::{Catalogue, FieldProfile};
use tabulae_core::value::{Map, Value as Written};

use super::context::RenderContext;
use super::date_object::date_value;
use super::list_object::Listed;
use crate::incremental::Key;

/// The front matter of a post, by name.
pub(super) fn whole(front: &Map, context: &Arc<RenderContext>) -> Value {
    entries(front, "", context)
}

/// The value of the field `name`, which is dotted within maps.
pub(super) fn own_value(value: &Written, name: &str, context: &Arc<RenderContext>) -> Value {
    match value {
        Written::Null => Value::from(()),
        Written::Text(text) => Value::from(text.as_str()),
        #[expect(
            clippy::cast_possible_truncation,
            reason = "only whole numbers of a safe size"
        )]
        Written::Number(number, _) if number.fract() == 0.0 && number.abs() < 9e15 => {
            Value::from(*number as i64)
        }
        Written::Number(number, _) => Value::from(*number),
        Written::Flag(flag, _) => Value::from(*flag),
        Written::Date(stamp, _) => date_value(**stamp),
        Written::List(items) => {
            let items = items.iter();
            let values = items.map(|item| own_value(&item.node, name, context));
            Value::from_object(Listed(values.collect()))
        }
        Written::Map(map) => entries(map, name, context),
    }
}

/// The value of a field that a post lacks: nothing, or a map of nothing where it is a map in
/// others; `None` where no post has it.
pub(super) fn lacking(name: &str, context: &Arc<RenderContext>) -> Option<Value> {
    context.track_key(Key::Field(name.to_owned()));
    Some(if has_maps(name, &context.data.site.catalogue)? {
        entries(&Map::default(), name, context)
    } else {
        Value::from(())
    })
}

/// Returns true if a field is a map in any post, or in any list; `None` if no post has it.
pub(crate) fn has_maps(name: &str, catalogue: &Catalogue) -> Option<bool> {
    let field = catalogue.profile(name, &catalogue.every_set());
    let in_lists = catalogue.profile_in_lists(name);
    let known = field.iter().chain(in_lists);
    known.map(FieldProfile::has_maps).reduce(|a, b| a || b)
}

fn entries(map: &Map, name: &str, context: &Arc<RenderContext>) -> Value {
    let entries = map.entries.iter().map(|entry| {
        let key = &entry.key.node;
        let value = own_value(&entry.value.node, &within(name, key), context);
        (key.clone(), value)
    });
    Value::from_object(Entries {
        entries: entries.collect(),
        name: name.to_owned(),
        context: Arc::clone(context),
    })
}

/// The name of an entry of a map.
fn within(name: &str, key: &str) -> String {
    if name.is_empty() {
        key.to_owned()
    } else {
        format!("{name}.{key}")
    }
}

/// The entries of a map in front matter.
#[derive(Debug)]
struct Entries {
    /// In the order written.
    entries: Vec<(String, Value)>,
    /// The map's own name; empty for the whole front matter.
    name: String,
    context: Arc<RenderContext>,
}

impl Object for Entries {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, key: &str) -> Option<Value> {
        let own = self.entries.iter().find(|(name, _)| name == key);
        let own = own.map(|(_, value)| value.clone());
        own.or_else(|| lacking(&within(&self.name, key), &self.context))
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        let names = self
            .entries
            .iter()
            .map(|(name, _)| Value::from(name.as_str()));
        Enumerator::Values(names.collect())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.entries.is_empty() {
            return Ok(());
        }
        let entries = self.entries.iter().cloned();
        let plain = Value::from_pairs(entries.map(|(name, value)| (Value::from(name), value)));
        write!(f, "{plain}")
    }
}
