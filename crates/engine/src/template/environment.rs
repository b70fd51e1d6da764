//! Template environments: the templates of a site, compiled once, with our functions and filters.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};

use minijinja::{AutoEscape, Environment, Output, State, UndefinedBehavior, Value};
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::source::Source;

use super::blocks::{Dropped, blocks, dropped, extended};
use super::context::{CurrentContext, RenderContext};
use super::data::RenderData;
use super::diagnose::diagnose;
use super::escape::{escape, printed};
use super::filters::FILTERS;
use super::functions::FUNCTIONS;
use super::limits;
use super::queries::queries_of_template;
use super::theme::{Templates, own_source, sources};
use crate::site::{Site, did_you_mean};
use crate::threads::locked;

/// Environments for rendering on any thread. Each renders one output at a time, and knows its context,
/// as the engine calls functions and loads templates without handing one on.
#[derive(Debug)]
pub(crate) struct Environments {
    base: Environment<'static>,
    idle: Mutex<Vec<Slot>>,
}

#[derive(Debug)]
struct Slot {
    env: Environment<'static>,
    current: Arc<CurrentContext>,
}

impl Environments {
    /// Compiles the templates of a site. Those that are not well formed are reported.
    #[must_use]
    pub(crate) fn new(data: &Arc<RenderData>, diagnostics: &mut Diagnostics) -> Self {
        Self {
            base: environment(data, diagnostics),
            idle: Mutex::default(),
        }
    }

    /// Calls `work` with an environment that renders in `context`.
    pub(crate) fn with<T>(
        &self,
        context: &Arc<RenderContext>,
        work: impl FnOnce(&Environment<'static>) -> T,
    ) -> T {
        let idle = locked(&self.idle).pop();
        let mut slot = idle.unwrap_or_else(|| self.slot());
        slot.env.set_fuel(Some(context.limits.fuel));
        let outer = slot.current.set(Some(Arc::clone(context)));
        debug_assert!(
            outer.is_none(),
            "an environment renders one output at a time"
        );
        let made = work(&slot.env);
        slot.current.set(None);
        locked(&self.idle).push(slot);
        made
    }

    fn slot(&self) -> Slot {
        let current = Arc::new(CurrentContext::default());
        let mut env = self.base.clone();
        let loading = Arc::clone(&current);
        // The engine calls this for each template that it loads, whatever its name was computed from.
        env.set_path_join_callback(move |name, _| {
            if let Ok(context) = loading.get() {
                context.track_template(name);
            }
            name.into()
        });
        for (name, add) in FUNCTIONS {
            add(&mut env, name, Arc::clone(&current));
        }
        for (name, add) in FILTERS {
            add(&mut env, name, Arc::clone(&current));
        }
        Slot { env, current }
    }
}

/// Returns the environment with everything that does not depend on an output.
fn environment(data: &Arc<RenderData>, diagnostics: &mut Diagnostics) -> Environment<'static> {
    let mut env = Environment::new();
    env.set_undefined_behavior(UndefinedBehavior::Strict);
    env.set_debug(true);
    env.set_recursion_limit(limits::RECURSION);
    env.set_auto_escape_callback(|_| AutoEscape::Html);
    env.set_formatter(write_value);
    let templates = data.templates();
    let dropped = data.sources.values();
    diagnostics.extend(dropped.filter_map(|source| dropped_text(source, &data.sources)));
    for name in data.sources.keys() {
        diagnostics.extend(add(&mut env, name, templates));
    }
    env
}

/// Returns the diagnostics of a template that can be found without rendering a page: of its syntax, of text that it drops, and
/// of the queries in it. A build reports the same. Takes time in proportion to the texts of all templates.
pub(crate) fn template_findings(site: &Site, name: &str, text: &str) -> Diagnostics {
    let mut sources = sources(site);
    let source = own_source(name, text);
    sources.insert(name.to_owned(), source.clone());
    let templates = Templates {
        site,
        sources: &sources,
    };
    let mut found = add(&mut Environment::new(), name, templates);
    found.extend(dropped_text(&source, &sources));
    found.extend(queries_of_template(site, &source));
    found
}

/// Compiles a template. Returns its errors.
fn add(env: &mut Environment<'static>, name: &str, templates: Templates<'_>) -> Diagnostics {
    let Some(source) = templates.sources.get(name) else {
        return Diagnostics::new();
    };
    let longest = limits::longest_tag(source.text());
    let (tag, tokens) = longest.unwrap_or_default();
    if tokens > limits::TOKENS {
        let message = format!(
            "this has {tokens} words and signs, of at most {}",
            limits::TOKENS
        );
        let diagnostic = Diagnostic::error(Code::TemplateSyntax, source.location(tag), message);
        return vec![diagnostic.help("put parts of it in variables, with {% set … %}")];
    }
    let Err(error) = limits::add_template(env, name, source.text(), tokens) else {
        return Diagnostics::new();
    };
    let found = diagnose(&error, templates, None).into_iter();
    let found = found.map(|diagnostic| Diagnostic {
        code: Code::TemplateSyntax,
        ..diagnostic
    });
    found.collect()
}

/// Returns a warning for a template with text that it drops, as it extends another.
fn dropped_text(source: &Source, sources: &BTreeMap<String, Source>) -> Option<Diagnostic> {
    let base = extended(source.text()).and_then(|name| sources.get(name))?;
    // The template that is extended, what that one extends, and so on.
    let above = std::iter::successors(Some(base), |base| sources.get(extended(base.text())?));
    let known: BTreeSet<&str> = above
        .take(sources.len())
        .flat_map(|base| blocks(base.text()).map(|(name, _)| name))
        .collect();
    let shown: Vec<String> = known.iter().map(|name| format!("`{name}`")).collect();
    let shown = shown.join(", ");
    let (span, message, help) = match dropped(source.text(), &|name| known.contains(name)) {
        Some(Dropped::Text(span)) => (
            span,
            "no page shows this: the template extends another, and this is in no block".to_owned(),
            format!(
                "put it into a block, such as `{{% block main %}}…{{% endblock %}}`; there are {shown}"
            ),
        ),
        Some(Dropped::Block(name, span)) => (
            span,
            format!("no page shows this: the extended template has no block `{name}`"),
            did_you_mean(name, known.iter().copied())
                .unwrap_or_else(|| format!("the blocks are {shown}")),
        ),
        None => return None,
    };
    let location = source.location(span);
    Some(Diagnostic::warning(Code::DroppedTemplateText, location, message).help(help))
}

/// Writes a value as HTML; nothing for what is missing.
fn write_value(
    out: &mut Output<'_>,
    state: &mut State<'_, '_>,
    value: &Value,
) -> Result<(), minijinja::Error> {
    if value.is_undefined() {
        return minijinja::escape_formatter(out, state, value);
    }
    if value.is_none() {
        return Ok(());
    }
    let failed =
        |_| minijinja::Error::new(minijinja::ErrorKind::WriteFailure, "cannot write the page");
    if value.is_number() {
        return std::fmt::Write::write_fmt(out, format_args!("{value}")).map_err(failed);
    }
    match value.as_str() {
        Some(text) if value.is_safe() => out.write_str(text).map_err(failed),
        Some(text) => out.write_str(&escape(text)).map_err(failed),
        None => out.write_str(&escape(&printed(value))).map_err(failed),
    }
}
