//! The plan: every output with its address and kind, decided before anything is rendered. Pure.

mod addresses;
mod alternates;
mod conflicts;
mod exports;
mod feed_ids;
mod feed_plan;
mod feeds;
mod head_files;
mod maker;
mod model;
mod output;
mod planner;
mod prefixes;
mod redirects;
mod search;
mod undated;

pub(crate) use self::addresses::{addresses, changes};
pub(crate) use self::exports::export_fields;
pub(crate) use self::feed_ids::{entry_id, in_feeds};
pub(crate) use self::feed_plan::{FeedPlan, Origin, Part};
pub(crate) use self::maker::maker;
pub(crate) use self::model::{Alternate, Plan};
pub(crate) use self::output::{
    FacetOf, Output, OutputKind, SCRIPT, SEARCH, SEARCH_SCRIPT, STYLE, SearchFile, has_titles,
    titles,
};
pub(crate) use self::planner::plan;
