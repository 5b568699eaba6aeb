//! SPDX 2.x, as JSON.

use super::purl::Purl;
use super::{Listing, NEVER_TOLD, bounded};
use crate::text::filled;
use rustc_hash::FxHashMap;
use serde::Deserialize;
use smallvec::smallvec;
use tally_core::model::{Dependency, Evidence, MissingFact, Text, Unread};

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Document {
    spdx_version: Text,
    #[serde(default, deserialize_with = "bounded")]
    packages: Vec<Item>,
    #[serde(default, deserialize_with = "bounded")]
    relationships: Vec<Relationship>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Item {
    #[serde(default, rename = "SPDXID")]
    id: Text,
    #[serde(default)]
    name: Text,
    #[serde(default)]
    version_info: Option<Text>,
    #[serde(default)]
    summary: Option<Text>,
    #[serde(default)]
    homepage: Option<Text>,
    #[serde(default)]
    license_declared: Option<Text>,
    #[serde(default)]
    primary_package_purpose: Option<Text>,
    #[serde(default)]
    external_refs: Vec<Reference>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Reference {
    #[serde(default)]
    reference_type: Text,
    #[serde(default)]
    reference_locator: Text,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Relationship {
    spdx_element_id: Text,
    related_spdx_element: Text,
    relationship_type: Text,
}

/// What the standard writes where nothing is said.
fn said(value: Option<Text>) -> Option<Text> {
    value.and_then(filled).filter(|value| value != "NOASSERTION" && value != "NONE")
}

pub(super) fn read(bytes: &[u8]) -> Option<Listing> {
    let document: Document = serde_json::from_slice(bytes)
        .ok()
        .filter(|document: &Document| document.spdx_version.starts_with("SPDX-2"))?;
    let mut listing =
        Listing { format: document.spdx_version.replace('-', " ").into(), ..Listing::default() };
    let mut by_id: FxHashMap<Text, usize> = FxHashMap::default();
    for item in document.packages {
        let purl = item.external_refs.iter().filter(|one| one.reference_type == "purl");
        let Some(purl) = purl.filter_map(|one| Purl::parse(&one.reference_locator)).next() else {
            if item.primary_package_purpose.as_deref() == Some("OPERATING-SYSTEM")
                || item.primary_package_purpose.as_deref() == Some("OPERATING_SYSTEM")
            {
                listing.label.distro = item.name;
                listing.label.release = said(item.version_info);
            } else {
                listing.unread.push(Unread::whole(
                    super::FILE,
                    format!("{} belongs to no known package system", item.name),
                ));
            }
            continue;
        };
        if listing.label.distro_id.is_empty() {
            listing.label.distro_id = purl.namespace.clone();
        }
        let mut package = purl.package();
        package.summary = said(item.summary).unwrap_or_default();
        package.homepage = said(item.homepage).unwrap_or_default();
        package.license = said(item.license_declared);
        package.evidence = Evidence::file(super::FILE);
        by_id.insert(item.id, listing.packages.len());
        listing.packages.push(package);
    }
    let mut told = false;
    for one in document.relationships {
        let (of, target) = match one.relationship_type.as_str() {
            "DEPENDS_ON" => (&one.spdx_element_id, &one.related_spdx_element),
            "DEPENDENCY_OF" => (&one.related_spdx_element, &one.spdx_element_id),
            _ => continue,
        };
        if let (Some(of), Some(target)) = (by_id.get(of), by_id.get(target)) {
            let name = listing.packages[*target].name.clone();
            listing.packages[*of].depends.push(smallvec![Dependency { name, op: None, version: None }]);
            told = true;
        }
    }
    listing.missing = NEVER_TOLD.to_vec();
    listing.missing.extend([MissingFact::Reasons, MissingFact::Sizes]);
    listing.missing.extend((!told).then_some(MissingFact::Dependencies));
    (!listing.packages.is_empty()).then_some(listing)
}
