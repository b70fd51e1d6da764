//! The addresses of a plan that readers notice.

use std::cell::LazyCell;
use std::collections::BTreeMap;

use rustc_hash::FxHashSet;
use tabulae_core::addresses::{Address, AddressChanges, AddressKind, AddressList};

use super::feed_ids::{entry_id, in_feeds};
use super::model::Plan;
use super::output::{Output, OutputKind};
use crate::site::Site;

/// Returns the addresses that readers notice: not those of further pages of lists and feeds, nor of files.
#[must_use]
pub(crate) fn addresses(site: &Site, plan: &Plan) -> AddressList {
    let addresses = plan.all_outputs().filter_map(|output| {
        let address = address(site, plan, output)?;
        Some((output.link.plain.clone(), address))
    });
    let ids = in_feeds(plan).into_iter().map(|id| {
        let path = site.catalogue.post(id).path.clone();
        (path, entry_id(id, site))
    });
    AddressList {
        addresses: addresses.collect::<BTreeMap<_, _>>(),
        feed_ids: ids.collect(),
    }
}

/// Returns the changes from earlier addresses to those of a plan.
#[must_use]
pub(crate) fn changes(before: &AddressList, now: &AddressList, plan: &Plan) -> AddressChanges {
    // Gathered only if an address is gone.
    let taken: LazyCell<FxHashSet<&str>, _> = LazyCell::new(|| {
        let outputs = plan.all_outputs();
        outputs.map(|output| output.link.plain.as_str()).collect()
    });
    before.changes_to(now, &|at| taken.contains(at))
}

fn address(site: &Site, plan: &Plan, output: &Output) -> Option<Address> {
    let kind = match &output.kind {
        OutputKind::Post(_) => AddressKind::Post,
        OutputKind::Page(_) | OutputKind::Overview(_) => AddressKind::Page,
        OutputKind::Search(_) | OutputKind::Feeds(_) => AddressKind::Page,
        OutputKind::List { pager, .. } if pager.number == 1 => AddressKind::Page,
        OutputKind::Feed(number) if plan.feeds[*number].part.number == 1 => AddressKind::Feed,
        OutputKind::Export(_) => AddressKind::Export,
        OutputKind::Redirect(_) => AddressKind::Redirect,
        _ => return None,
    };
    let post = match output.kind {
        OutputKind::Post(id) => Some(site.catalogue.post(id).path.clone()),
        _ => None,
    };
    Some(Address { kind, post })
}
