//! Lists in templates.

use std::fmt;
use std::sync::Arc;

use minijinja::Value;
use minijinja::value::{Enumerator, Object, ObjectRepr};

use super::escape::printed;

/// A post's terms, or the values of a field: a list, which prints with commas between.
#[derive(Debug)]
pub(super) struct Listed(pub(super) Vec<Value>);

impl Object for Listed {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Seq
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.0.get(key.as_usize()?).cloned()
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Seq(self.0.len())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let texts: Vec<_> = self.0.iter().map(printed).collect();
        f.write_str(&texts.join(", "))
    }
}
