//! Incremental builds: keys and their fingerprints, dependencies, invalidation, the cache.
//!
//! While an output is rendered, a [`Recorder`] collects its dependencies. The [`BuildCache`] keeps them with
//! the fingerprints of their keys. The next build compares those with the current fingerprints
//! ([`Invalidation`]), and renders only outputs of which a dependency changed. Nothing here knows how
//! fingerprints are computed or outputs rendered.

mod cache;
mod dependency;
mod invalidation;
mod key;
mod reason;

pub(crate) use self::cache::{BuildCache, CachedOutput, UnchangedReport};
pub(crate) use self::dependency::{Dependency, DependencyTable, Recorder};
pub(crate) use self::invalidation::{Invalidation, NextKeys, RebuildReason};
pub(crate) use self::key::{Key, Listing, QueryPlace};
pub(crate) use self::reason::Posts;
