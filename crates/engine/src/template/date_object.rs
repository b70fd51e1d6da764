//! Dates in templates.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use minijinja::value::{DynObject, Object, ObjectRepr};
use minijinja::{Error, ErrorKind, State, Value};
use tabulae_core::time::ZonedDate;

/// A date in a template. Prints by ISO 8601; `|date` writes it in words.
#[derive(Debug)]
pub(super) struct DateObject {
    pub(super) stamp: ZonedDate,
}

/// A date as a value.
#[must_use]
pub(crate) fn date_value(stamp: ZonedDate) -> Value {
    Value::from_object(DateObject { stamp })
}

impl Object for DateObject {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Plain
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        let day = self.stamp.day;
        Some(match key.as_str()? {
            "year" => Value::from(day.year()),
            "month" => Value::from(day.month()),
            "day" => Value::from(day.day()),
            _ => return None,
        })
    }

    fn custom_cmp(self: &Arc<Self>, other: &DynObject) -> Option<Ordering> {
        other
            .downcast_ref::<Self>()
            .map(|other| self.stamp.at.cmp(&other.stamp.at))
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.stamp.iso())
    }

    fn call_method(
        self: &Arc<Self>,
        _state: &mut State<'_, '_>,
        method: &str,
        _args: &[Value],
    ) -> Result<Value, Error> {
        Err(Error::new(
            ErrorKind::UnknownMethod,
            format!("a date has no method `{method}`; write it as a filter: `|date(\"%Y\")`"),
        ))
    }
}
