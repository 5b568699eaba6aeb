//! CycloneDX 1.4 and later, as JSON.

use super::purl::Purl;
use super::{Listing, NEVER_TOLD, bounded};
use crate::text::filled;
use rustc_hash::FxHashMap;
use serde::Deserialize;
use smallvec::smallvec;
use tally_core::model::{Dependency, Evidence, MissingFact, Package, Text, Unread};

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Bom {
    bom_format: Text,
    #[serde(default)]
    spec_version: Text,
    #[serde(default)]
    metadata: Metadata,
    #[serde(default, deserialize_with = "bounded")]
    components: Vec<Component>,
    #[serde(default, deserialize_with = "bounded")]
    dependencies: Vec<Needs>,
}

#[derive(Default, Deserialize)]
struct Metadata {
    component: Option<Component>,
}

#[derive(Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
struct Component {
    #[serde(default, rename = "type")]
    sort: Text,
    #[serde(default)]
    bom_ref: Text,
    #[serde(default)]
    name: Text,
    #[serde(default)]
    version: Option<Text>,
    #[serde(default)]
    purl: Option<Text>,
    #[serde(default)]
    description: Option<Text>,
    #[serde(default)]
    licenses: Vec<LicenseChoice>,
}

#[derive(Deserialize)]
struct LicenseChoice {
    license: Option<License>,
    expression: Option<Text>,
}

#[derive(Deserialize)]
struct License {
    id: Option<Text>,
    name: Option<Text>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Needs {
    #[serde(rename = "ref")]
    of: Text,
    #[serde(default)]
    depends_on: Vec<Text>,
}

pub(super) fn read(bytes: &[u8]) -> Option<Listing> {
    let bom: Bom = serde_json::from_slice(bytes).ok().filter(|bom: &Bom| bom.bom_format == "CycloneDX")?;
    let mut listing =
        Listing { format: format!("CycloneDX {}", bom.spec_version).into(), ..Listing::default() };
    let system = bom.components.iter().find(|component| component.sort == "operating-system");
    if let Some(about) = bom.metadata.component.as_ref().filter(|c| c.sort == "operating-system").or(system) {
        listing.label.distro = about.name.clone();
        listing.label.release = about.version.clone().and_then(filled);
    }
    let mut by_ref: FxHashMap<Text, usize> = FxHashMap::default();
    for component in bom.components {
        if component.sort == "operating-system" {
            continue;
        }
        let Some(purl) = component.purl.as_deref().and_then(Purl::parse) else {
            let what = component.purl.unwrap_or(component.name);
            listing
                .unread
                .push(Unread::whole(super::FILE, format!("{what} belongs to no known package system")));
            continue;
        };
        if listing.label.distro_id.is_empty() {
            listing.label.distro_id = purl.namespace.clone();
        }
        let mut package = purl.package();
        package.summary = component.description.unwrap_or_default();
        let stated = component.licenses.into_iter().filter_map(|one| {
            one.expression.or_else(|| one.license.and_then(|license| license.id.or(license.name)))
        });
        package.license = filled(stated.collect::<Vec<_>>().join(" AND ").into());
        package.evidence = Evidence::file(super::FILE);
        by_ref.insert(component.bom_ref, listing.packages.len());
        listing.packages.push(package);
    }
    let told = needs(&mut listing.packages, &by_ref, &bom.dependencies);
    listing.missing = NEVER_TOLD.to_vec();
    listing.missing.extend([MissingFact::Reasons, MissingFact::Sizes]);
    listing.missing.extend((!told).then_some(MissingFact::Dependencies));
    (!listing.packages.is_empty()).then_some(listing)
}

/// Writes down what needs what; whether anything was said.
fn needs(packages: &mut [Package], by_ref: &FxHashMap<Text, usize>, stated: &[Needs]) -> bool {
    let mut told = false;
    for one in stated {
        let Some(of) = by_ref.get(&one.of) else { continue };
        for target in one.depends_on.iter().filter_map(|target| by_ref.get(target)) {
            let name = packages[*target].name.clone();
            packages[*of].depends.push(smallvec![Dependency { name, op: None, version: None }]);
            told = true;
        }
    }
    told
}
