//! Templates: environments with the built-in theme and a site's own templates, their functions and
//! filters, the values that they see, and the context of an output.

mod arguments;
mod blocks;
mod card_store;
mod cards;
mod context;
mod data;
mod date_object;
mod diagnose;
mod environment;
mod escape;
mod fields;
mod filters;
mod functions;
mod limits;
mod list_object;
mod loads;
mod memo;
mod objects;
mod page_data;
mod parts;
mod paths;
mod queries;
mod query_error;
mod scope;
mod term_values;
mod terms;
mod theme;

pub(crate) use self::context::RenderContext;
pub(crate) use self::data::RenderData;
pub(crate) use self::date_object::date_value;
pub(crate) use self::diagnose::diagnose;
pub(crate) use self::environment::Environments;
pub use self::escape::escape;
pub(crate) use self::fields::has_maps;
pub(crate) use self::functions::feed_value;
pub(crate) use self::memo::Memo;
pub(crate) use self::objects::{PostObject, post_list};
pub(crate) use self::page_data::{PageData, Subject};
pub(crate) use self::queries::find_posts;
pub(crate) use self::scope::{ArchiveScope, PageScope, PagerScope, Scope, SiteScope, TermScope};
pub(crate) use self::terms::term_list;
pub(crate) use self::theme::unused;
pub(crate) use self::theme::{TEMPLATES, feed_style, script, style};
pub use self::theme::{ThemeFile, theme_files};
