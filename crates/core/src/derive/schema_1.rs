//! Tallies of schema 1 made into tallies of the current schema.
//!
//! Renamed keys and words are read by the model itself. What schema 1 kept as a sentence is derived anew from the facts of the
//! tally, and where those do not suffice the sentence is kept under `legacy`.

use super::derive_findings;
use crate::knowledge::{Agents, Roles};
use crate::model::{Finding, FindingDetails, FindingName, SCHEMA, Tally, Text};
use rustc_hash::FxHashMap;

/// Brings a tally that was read from a document of an earlier schema up to the current one.
pub fn upgrade(tally: &mut Tally) {
    tally.schema_version = SCHEMA;
    let derived: FxHashMap<(FindingName, Vec<Text>), Finding> = derive_findings(
        tally,
        &Agents::built_in().unwrap_or_default(),
        &Roles::built_in().unwrap_or_default(),
    )
    .into_iter()
    .map(|finding| ((finding.name(), finding.about.clone()), finding))
    .collect();
    let versions: FxHashMap<String, Text> = tally
        .packages
        .iter()
        .map(|package| (package.reference().to_string(), package.version.clone()))
        .collect();
    for finding in &mut tally.findings {
        let FindingDetails::Legacy { rule, .. } = &finding.details else { continue };
        if let Some(known) = derived.get(&(*rule, finding.about.clone())) {
            finding.details = known.details.clone();
        } else if let (FindingName::InNoRepository, [about]) = (rule, &finding.about[..])
            && let (Some(version), Some((_, name))) = (versions.get(about.as_str()), about.split_once(':'))
        {
            finding.details =
                FindingDetails::InNoRepository { package: name.into(), version: version.clone() };
        }
    }
    tally.findings.sort_by(Finding::order);
}
