//! Bills of materials, for tools that ask for one.

mod cyclonedx;
mod spdx;

use crate::RenderError;
use rustc_hash::FxHashMap;
use tally_core::graph::{Graph, Ix};
use tally_core::model::{Package, Tally, Text};
use tally_core::vocabulary;

vocabulary! {
    /// A format of bills of materials.
    pub enum Sbom {
        /// CycloneDX 1.5, JSON.
        CycloneDx = "cyclonedx",
        /// SPDX 2.3, JSON.
        Spdx = "spdx",
    }
}

impl Sbom {
    /// The packages of a tally that are there, with what needs what, as one document.
    ///
    /// The same tally gives the same bytes: times are those of the tally, and no identifier is drawn by chance.
    ///
    /// # Errors
    /// None in practice: every value has a JSON form.
    pub fn of(self, tally: &Tally) -> Result<Vec<u8>, RenderError> {
        let graph = Graph::new(&tally.packages);
        let items = items(&graph, &tally.label.distro_id);
        let bytes = match self {
            Self::CycloneDx => super::pretty(&cyclonedx::document(tally, &graph, &items)),
            Self::Spdx => super::pretty(&spdx::document(tally, &graph, &items)),
        };
        bytes.map_err(RenderError::Json)
    }
}

/// A package and the name that the document knows it by.
struct Item<'a> {
    at: Ix,
    package: &'a Package,
    /// Its package URL, made anew: what an older tally keeps may say less.
    purl: Text,
    /// The same, with a number behind it where two have it.
    reference: String,
}

fn items<'a>(graph: &Graph<'a>, distro_id: &str) -> Vec<Item<'a>> {
    let mut seen: FxHashMap<Text, u32> = FxHashMap::default();
    graph
        .all()
        .map(|at| {
            let package = graph.package(at);
            let purl = package.make_purl(distro_id);
            let times = seen.entry(purl.clone()).or_default();
            *times += 1;
            let reference = if *times == 1 { purl.to_string() } else { format!("{purl}#{times}") };
            Item { at, package, purl, reference }
        })
        .collect()
}

/// An address that may be where a standard asks for one.
fn address(text: &str) -> Option<&str> {
    let plain =
        |c: char| c.is_ascii_graphic() && !matches!(c, '"' | '<' | '>' | '\\' | '^' | '`' | '{' | '|' | '}');
    let begins = text.starts_with("http://") || text.starts_with("https://");
    (begins && text.len() > 8 && text.chars().all(plain)).then_some(text)
}

/// Name and version of the program that wrote the tally.
fn tool(tally: &Tally) -> (&str, &str) {
    tally.program.split_once(' ').unwrap_or((&tally.program, ""))
}
