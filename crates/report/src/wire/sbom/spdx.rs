//! SPDX 2.3.

use super::{Item, address, tool};
use serde::Serialize;
use tally_core::graph::Graph;
use tally_core::model::Tally;

/// What the standard writes where nothing is said.
const NOT_SAID: &str = "NOASSERTION";
/// The identifier of the install as a whole.
const SYSTEM: &str = "SPDXRef-OperatingSystem";

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
pub(super) struct Document<'a> {
    #[serde(rename = "SPDXID")]
    id: &'static str,
    spdx_version: &'static str,
    data_license: &'static str,
    name: &'a str,
    document_namespace: String,
    creation_info: CreationInfo<'a>,
    packages: Vec<Package<'a>>,
    relationships: Vec<Relationship>,
}

#[derive(Serialize)]
struct CreationInfo<'a> {
    created: &'a str,
    creators: Vec<String>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Package<'a> {
    #[serde(rename = "SPDXID")]
    id: String,
    name: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    version_info: Option<&'a str>,
    download_location: &'static str,
    files_analyzed: bool,
    license_concluded: &'static str,
    license_declared: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    license_comments: Option<String>,
    copyright_text: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    homepage: Option<&'a str>,
    #[serde(skip_serializing_if = "str::is_empty")]
    summary: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    primary_package_purpose: Option<&'static str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    external_refs: Vec<Reference<'a>>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Reference<'a> {
    reference_category: &'static str,
    reference_type: &'static str,
    reference_locator: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Relationship {
    spdx_element_id: String,
    relationship_type: &'static str,
    related_spdx_element: String,
}

impl Relationship {
    fn new(of: impl Into<String>, relationship_type: &'static str, to: impl Into<String>) -> Self {
        Self { spdx_element_id: of.into(), relationship_type, related_spdx_element: to.into() }
    }
}

pub(super) fn document<'a>(tally: &'a Tally, graph: &Graph<'_>, items: &'a [Item<'_>]) -> Document<'a> {
    let (program, version) = tool(tally);
    let label = &tally.label;
    let id = |at: usize| format!("SPDXRef-Package-{}", at + 1);
    let system = Package {
        id: SYSTEM.to_owned(),
        name: if label.distro.is_empty() { "unknown" } else { &label.distro },
        version_info: label.release.as_deref(),
        download_location: NOT_SAID,
        files_analyzed: false,
        license_concluded: NOT_SAID,
        license_declared: NOT_SAID,
        license_comments: None,
        copyright_text: NOT_SAID,
        homepage: None,
        summary: "",
        primary_package_purpose: Some("OPERATING-SYSTEM"),
        external_refs: Vec::new(),
    };
    let mut relationships = vec![Relationship::new("SPDXRef-DOCUMENT", "DESCRIBES", SYSTEM)];
    for (at, item) in items.iter().enumerate() {
        relationships.push(Relationship::new(SYSTEM, "CONTAINS", id(at)));
        let mut needs: Vec<usize> = graph.needs(item.at).map(|target| target.0).collect();
        needs.sort_unstable();
        needs.dedup();
        relationships
            .extend(needs.into_iter().map(|target| Relationship::new(id(at), "DEPENDS_ON", id(target))));
    }
    let packages = items.iter().enumerate().map(|(at, item)| package(id(at), item));
    Document {
        id: "SPDXRef-DOCUMENT",
        spdx_version: "SPDX-2.3",
        data_license: "CC0-1.0",
        name: &label.handle,
        document_namespace: namespace(tally),
        creation_info: CreationInfo {
            created: &tally.taken.at,
            creators: vec![format!("Tool: {program}-{version}")],
        },
        packages: std::iter::once(system).chain(packages).collect(),
        relationships,
    }
}

/// An address of the document's own, the same for the same tally.
fn namespace(tally: &Tally) -> String {
    let at: String = tally.taken.at.chars().filter(char::is_ascii_digit).collect();
    format!("https://spdx.org/spdxdocs/{}-{at}", tally_core::model::slug(&tally.label.handle))
}

fn package<'a>(id: String, item: &'a Item<'_>) -> Package<'a> {
    let package = item.package;
    Package {
        id,
        name: &package.name,
        version_info: Some(&package.version),
        download_location: NOT_SAID,
        files_analyzed: false,
        license_concluded: NOT_SAID,
        // Package systems have words of their own for licences; only SPDX expressions may be declared.
        license_declared: NOT_SAID,
        license_comments: package.license.as_ref().map(|license| format!("The package states: {license}")),
        copyright_text: NOT_SAID,
        homepage: address(&package.homepage),
        summary: &package.summary,
        primary_package_purpose: None,
        external_refs: vec![Reference {
            reference_category: "PACKAGE-MANAGER",
            reference_type: "purl",
            reference_locator: &item.purl,
        }],
    }
}
