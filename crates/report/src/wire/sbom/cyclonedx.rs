//! CycloneDX 1.5.

use super::{Item, address, tool};
use serde::Serialize;
use tally_core::graph::Graph;
use tally_core::model::{Kind, Package, Tally};

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
pub(super) struct Bom<'a> {
    bom_format: &'static str,
    spec_version: &'static str,
    version: u32,
    metadata: Metadata<'a>,
    components: Vec<Component<'a>>,
    dependencies: Vec<Needs<'a>>,
}

#[derive(Serialize)]
struct Metadata<'a> {
    timestamp: &'a str,
    tools: Tools<'a>,
    component: Component<'a>,
}

#[derive(Serialize)]
struct Tools<'a> {
    components: Vec<Component<'a>>,
}

#[derive(Serialize, Default)]
#[serde(rename_all = "kebab-case")]
struct Component<'a> {
    #[serde(rename = "type")]
    sort: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    bom_ref: Option<&'a str>,
    name: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    version: Option<&'a str>,
    #[serde(skip_serializing_if = "str::is_empty")]
    description: &'a str,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    licenses: Vec<LicenseChoice<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    purl: Option<&'a str>,
    #[serde(rename = "externalReferences", skip_serializing_if = "Vec::is_empty")]
    references: Vec<Reference<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    properties: Vec<Property<'a>>,
}

#[derive(Serialize)]
struct LicenseChoice<'a> {
    license: License<'a>,
}

#[derive(Serialize)]
struct License<'a> {
    name: &'a str,
}

#[derive(Serialize)]
struct Reference<'a> {
    #[serde(rename = "type")]
    sort: &'static str,
    url: &'a str,
}

#[derive(Serialize)]
struct Property<'a> {
    name: &'static str,
    value: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Needs<'a> {
    #[serde(rename = "ref")]
    of: &'a str,
    depends_on: Vec<&'a str>,
}

pub(super) fn document<'a>(tally: &'a Tally, graph: &Graph<'_>, items: &'a [Item<'_>]) -> Bom<'a> {
    let (program, version) = tool(tally);
    let tool =
        Component { sort: "application", name: program, version: Some(version), ..Component::default() };
    let label = &tally.label;
    let system = Component {
        sort: "operating-system",
        bom_ref: Some("operating-system"),
        name: if label.distro.is_empty() { "unknown" } else { &label.distro },
        version: label.release.as_deref(),
        ..Component::default()
    };
    let needs = items.iter().map(|item| {
        let mut on: Vec<&str> = graph.needs(item.at).map(|at| items[at.0].reference.as_str()).collect();
        on.sort_unstable();
        on.dedup();
        Needs { of: &item.reference, depends_on: on }
    });
    Bom {
        bom_format: "CycloneDX",
        spec_version: "1.5",
        version: 1,
        metadata: Metadata {
            timestamp: &tally.taken.at,
            tools: Tools { components: vec![tool] },
            component: system,
        },
        components: items.iter().map(component).collect(),
        dependencies: needs.collect(),
    }
}

fn component<'a>(item: &'a Item<'_>) -> Component<'a> {
    let package: &Package = item.package;
    let license = package.license.as_deref().map(|name| LicenseChoice { license: License { name } });
    let reference = address(&package.homepage).map(|url| Reference { sort: "website", url });
    let stated = [
        ("fresh-tally:system", package.system.name()),
        ("fresh-tally:kind", package.kind.name()),
        ("fresh-tally:reason", package.reason.name()),
        ("fresh-tally:evidence", package.evidence.file.as_str()),
    ];
    Component {
        sort: sort(package.kind),
        bom_ref: Some(&item.reference),
        name: &package.name,
        version: Some(&package.version),
        description: &package.summary,
        licenses: license.into_iter().collect(),
        purl: Some(&item.purl),
        references: reference.into_iter().collect(),
        properties: stated.into_iter().map(|(name, value)| Property { name, value }).collect(),
    }
}

/// The nearest of the types that the standard knows.
const fn sort(kind: Kind) -> &'static str {
    match kind {
        Kind::Library | Kind::Runtime | Kind::Codec | Kind::Plugin => "library",
        Kind::Font | Kind::Artwork | Kind::Language | Kind::Documentation | Kind::Data => "data",
        _ => "application",
    }
}
