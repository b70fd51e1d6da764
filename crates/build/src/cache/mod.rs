//! What a build leaves for the next one, so that only what changed is made again.
//!
//! The files of the site (`scan`), what was read of them and written to each output (`store`), what
//! a page asked for while it was made (`need`), what it would get now (`world`, of what posts say:
//! `hashes`), and so which pages are made again, and why (`since`).

mod bytes;
mod hashes;
mod need;
mod scan;
mod since;
mod store;
mod world;

pub(crate) use self::bytes::Bytes;
pub(crate) use self::hashes::Hashes;
pub(crate) use self::need::{Key, Listing, Need, Needs, need, needs_of, nesting, record, recorded};
pub(crate) use self::scan::Scan;
pub(crate) use self::since::{Since, leave};
pub(crate) use self::store::{Kept, KeptPosts, Page, Parsed, Quiet, Store};
pub(crate) use self::world::World;
