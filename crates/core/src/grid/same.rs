//! Applications that have another identifier in another family of distributions, and are the same.

use crate::compare::Menus;
use crate::compare::pairing::pair;
use crate::model::{System, Tally, Text};
use rustc_hash::FxHashMap;

/// For each install the identifiers of its applications that the first install of another family has under another one, with that.
pub(super) struct Same<'a>(Vec<FxHashMap<&'a Text, &'a Text>>);

impl<'a> Same<'a> {
    /// Each install is held against the first of each family that comes before it: work grows with the number of installs.
    pub(super) fn of(tallies: &[&'a Tally]) -> Self {
        let mut firsts: Vec<(Option<System>, usize)> = Vec::new();
        let mut same: Vec<FxHashMap<&Text, &Text>> = Vec::with_capacity(tallies.len());
        for (at, tally) in tallies.iter().enumerate() {
            let family = family(tally);
            let mut own: FxHashMap<&Text, &Text> = FxHashMap::default();
            for (_, first) in firsts.iter().filter(|(other, _)| *other != family) {
                let known = tallies[*first];
                let partners = pair(Menus::of(known), Menus::of(tally));
                for (application, partner) in known.applications.iter().zip(partners) {
                    let Some(partner) = partner.and_then(|j| tally.applications.get(j)) else { continue };
                    let shared = same[*first].get(&application.id).copied().unwrap_or(&application.id);
                    if *shared != partner.id {
                        own.entry(&partner.id).or_insert(shared);
                    }
                }
            }
            same.push(own);
            if firsts.iter().all(|(known, _)| *known != family) {
                firsts.push((family, at));
            }
        }
        Self(same)
    }

    /// The identifier that an application of an install goes by among all of them.
    pub(super) fn id<'t>(&self, install: usize, id: &'t Text) -> &'t Text
    where
        'a: 't,
    {
        self.0.get(install).and_then(|same| same.get(id)).copied().unwrap_or(id)
    }
}

/// The system of most packages.
fn family(tally: &Tally) -> Option<System> {
    let native = tally.counts.packages.iter().filter(|(system, _)| !system.is_sandbox());
    native.max_by_key(|(_, count)| **count).map(|(system, _)| *system)
}
