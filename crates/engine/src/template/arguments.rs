//! Arguments of functions and filters. The engine takes an undefined name for an omitted argument; here it
//! is an error, as anywhere else in a template.

use std::ops::RangeInclusive;

use minijinja::value::Kwargs;
use minijinja::{Error, ErrorKind, Value};

/// The diagnostic of a function or filter that cannot do what it is asked for.
pub(super) fn wrong(message: impl Into<String>) -> Error {
    Error::new(ErrorKind::InvalidOperation, message.into())
}

/// A value that is known, if only as nothing.
///
/// # Errors
/// The name is that of nothing.
pub(super) fn known(value: &Value) -> Result<&Value, Error> {
    if !value.is_undefined() {
        return Ok(value);
    }
    // The engine knows the name, and hands it on with errors of its own alone.
    match value.get_attr("") {
        Err(error) => Err(error),
        Ok(_) => Err(Error::from(ErrorKind::UndefinedError)),
    }
}

/// The arguments that are given by name, in the order given, each with a value that is known.
pub(super) fn named(given: &Kwargs) -> Result<Vec<(&str, Value)>, Error> {
    let names = given.args();
    let pairs = names.map(|name| Ok((name, known(&given.get::<Value>(name)?)?.clone())));
    pairs.collect()
}

/// A text.
pub(super) fn text(value: &Value) -> Result<&str, Error> {
    let text = known(value)?.as_str();
    text.ok_or_else(|| wrong(format!("this takes a text, and got {}", value.kind())))
}

/// The one argument that may be left out; nothing is the same as leaving it out.
pub(super) fn optional(rest: &[Value]) -> Result<Option<&Value>, Error> {
    match rest {
        [] => Ok(None),
        [value] => Ok(Some(known(value)?).filter(|value| !value.is_none())),
        _ => Err(Error::from(ErrorKind::TooManyArguments)),
    }
}

/// The two arguments that may be left out.
pub(super) fn optional_pair(rest: &[Value]) -> Result<[Option<&Value>; 2], Error> {
    let (first, second) = rest.split_at(rest.len().min(1));
    Ok([optional(first)?, optional(second)?])
}

/// A whole number of these.
pub(super) fn number(value: &Value, range: RangeInclusive<usize>) -> Result<usize, Error> {
    let number = value.as_usize().filter(|number| range.contains(number));
    number.ok_or_else(|| {
        let most = match *range.end() {
            usize::MAX => "on".to_owned(),
            most => format!("to {most}"),
        };
        let first = range.start();
        let got = if value.is_number() {
            value.to_string()
        } else {
            value.kind().to_string()
        };
        wrong(format!(
            "this takes a whole number from {first} {most}, and got {got}"
        ))
    })
}
