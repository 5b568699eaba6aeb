use super::Catalog;
use crate::knowledge::{Matcher, PartRules, matches};
use crate::model::{Package, Text};
use crate::systems;
use schemars::JsonSchema;
use serde::Serialize;
use std::cmp::Ordering;

/// Something that could fill a part: a kernel, a desktop, a driver.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct PartOnOffer {
    /// Stable name of the part.
    pub part: Text,
    /// What would fill it.
    pub name: Text,
    /// The package that stands for it: of flavours the newest.
    pub package: Text,
    /// Its version.
    pub version: Text,
    /// How many packages of it are offered: flavours of a kernel.
    pub packages: u32,
    /// The version that is installed, if any is.
    pub installed: Option<Text>,
}

/// What the lists have for the parts of which a reviewer asks what else there is, in the order of the rules.
pub fn parts_on_offer(packages: &[Package], catalog: &Catalog, rules: &PartRules) -> Vec<PartOnOffer> {
    struct Way<'r> {
        part: &'r Text,
        name: &'r Text,
        pattern: &'r Text,
        matcher: Matcher<'r>,
        flavours: bool,
    }
    /// The earlier a name is in a pattern, the more the package is what is meant: its version counts.
    fn place(pattern: &str, name: &str) -> usize {
        pattern.split('|').position(|one| matches(one, name)).unwrap_or(usize::MAX)
    }
    let asked = rules.part.iter().filter(|rule| rule.on_offer);
    let ways: Vec<Way<'_>> = asked
        .flat_map(|rule| rule.ways.iter().map(move |way| (rule, way)))
        .filter(|(_, way)| way.system.is_empty() || way.system.contains(&catalog.system))
        .filter_map(|(rule, way)| {
            let pattern = way.package.as_ref()?;
            Some(Way {
                part: &rule.part,
                name: way.name.as_ref()?,
                pattern,
                matcher: Matcher::new(pattern),
                flavours: way.flavours,
            })
        })
        .collect();
    let mut found: Vec<PartOnOffer> = Vec::new();
    for (name, _) in catalog.names() {
        for way in ways.iter().filter(|way| way.matcher.is_match(name)) {
            let installed = packages.iter().find(|package| {
                package.system == catalog.system && package.is_present() && package.name == name
            });
            let best = catalog.candidate(name, None).map(|(_, offered)| &offered.package);
            let Some(best) = best else { continue };
            let version = installed.map(|package| package.version.clone());
            let known = found.iter_mut().find(|one| one.part == *way.part && one.name == *way.name);
            let is_better = |known: &PartOnOffer| match way.flavours {
                true => systems::order(catalog.system, &best.version, &known.version) == Ordering::Greater,
                false => place(way.pattern, name) < place(way.pattern, &known.package),
            };
            match known {
                None => found.push(PartOnOffer {
                    part: way.part.clone(),
                    name: way.name.clone(),
                    package: best.name.clone(),
                    version: best.version.clone(),
                    packages: 1,
                    installed: version,
                }),
                Some(known) => {
                    known.packages = known.packages.saturating_add(1);
                    known.installed = known.installed.take().or(version);
                    if is_better(known) {
                        (known.package, known.version) = (best.name.clone(), best.version.clone());
                    }
                }
            }
        }
    }
    let order = |part: &Text| rules.part.iter().position(|rule| rule.part == *part);
    found.sort_by(|a, b| order(&a.part).cmp(&order(&b.part)).then_with(|| a.name.cmp(&b.name)));
    found
}
