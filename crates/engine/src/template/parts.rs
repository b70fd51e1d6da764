//! Parts of an output: templates that `once` and `card` render.

use minijinja::{Error, ErrorKind, State, Template, Value};

use super::context::RenderContext;

/// Renders a template as part of the page that `state` renders, and charges the page for its work.
///
/// # Errors
/// The template's, or if parts load each other too deep.
pub(super) fn render_part(
    context: &RenderContext,
    state: &State<'_, '_>,
    template: &Template<'_, '_>,
    values: Value,
) -> Result<String, Error> {
    let parts = context.limits.parts;
    if context.depth() > parts {
        let message =
            format!("`once` and `card` load templates that load each other more than {parts} deep");
        return Err(Error::new(ErrorKind::InvalidOperation, message));
    }
    let captured = template.render_captured(values)?;
    if let Some((consumed, _)) = captured.state().fuel_levels() {
        state.consume_fuel(consumed)?;
    }
    Ok(captured.output().to_owned())
}
