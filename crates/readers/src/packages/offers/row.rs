//! An offered package as a line: its name, a tabulator, and a JSON object with short keys. Lists that are no text of stanzas are
//! kept so in memory, and in files.

use serde::{Deserialize, Serialize};
use tally_core::model::{Alternatives, Dependency, Package, System, Text, VersionOp};
use tally_core::offer::{Conditional, Form, Offered, key};
use tally_core::systems::upstream;

/// A line each.
pub(crate) static LINES: Form = Form { name: "lines", package: name_of, read };

fn name_of(line: &[u8]) -> &[u8] {
    &line[..memchr::memchr(b'\t', line).unwrap_or(0)]
}

/// A need: the name, and where a version is asked for also how it compares and which.
type Need = smallvec::SmallVec<[Text; 3]>;

fn is_no(value: &bool) -> bool {
    !*value
}

fn is_optional(rank: &u8) -> bool {
    *rank == 3
}

const fn optional() -> u8 {
    3
}

/// What is kept of a package.
#[derive(Debug, Serialize, Deserialize)]
struct Row {
    #[serde(rename = "y")]
    system: System,
    #[serde(rename = "v")]
    version: Text,
    #[serde(rename = "a", default, skip_serializing_if = "Text::is_empty")]
    arch: Text,
    #[serde(rename = "s", default, skip_serializing_if = "Option::is_none")]
    source: Option<Text>,
    #[serde(rename = "t", default, skip_serializing_if = "Text::is_empty")]
    summary: Text,
    #[serde(rename = "c", default, skip_serializing_if = "Text::is_empty")]
    section: Text,
    #[serde(rename = "h", default, skip_serializing_if = "Text::is_empty")]
    homepage: Text,
    #[serde(rename = "i", default, skip_serializing_if = "Option::is_none")]
    installed: Option<u64>,
    #[serde(rename = "z", default, skip_serializing_if = "Option::is_none")]
    download: Option<u64>,
    #[serde(rename = "d", default, skip_serializing_if = "Vec::is_empty")]
    depends: Vec<Vec<Need>>,
    #[serde(rename = "r", default, skip_serializing_if = "Vec::is_empty")]
    recommends: Vec<Vec<Need>>,
    #[serde(rename = "u", default, skip_serializing_if = "Vec::is_empty")]
    suggests: Vec<Vec<Need>>,
    #[serde(rename = "x", default, skip_serializing_if = "Vec::is_empty")]
    conflicts: Vec<Need>,
    #[serde(rename = "p", default, skip_serializing_if = "Vec::is_empty")]
    provides: Vec<Need>,
    #[serde(rename = "o", default, skip_serializing_if = "Vec::is_empty")]
    replaces: Vec<Need>,
    #[serde(rename = "e", default, skip_serializing_if = "is_no")]
    essential: bool,
    #[serde(rename = "k", default = "optional", skip_serializing_if = "is_optional")]
    rank: u8,
    #[serde(rename = "f", default, skip_serializing_if = "Option::is_none")]
    phased: Option<u8>,
    #[serde(rename = "w", default, skip_serializing_if = "Vec::is_empty")]
    conditional: Vec<When>,
    #[serde(rename = "b", default, skip_serializing_if = "Vec::is_empty")]
    brought_by: Vec<Vec<Need>>,
}

/// A need under a condition.
#[derive(Debug, Serialize, Deserialize)]
struct When {
    need: Vec<Need>,
    weak: bool,
    when: Need,
    unless: bool,
}

fn need(one: &Dependency) -> Need {
    let mut need = Need::from_iter([one.name.clone()]);
    if let (Some(op), Some(version)) = (one.op, &one.version) {
        need.extend([op.name().into(), version.clone()]);
    }
    need
}

fn needs(list: &[Dependency]) -> Vec<Need> {
    list.iter().map(need).collect()
}

fn groups(list: &[Alternatives]) -> Vec<Vec<Need>> {
    list.iter().map(|group| needs(group)).collect()
}

fn relation(need: Need) -> Option<Dependency> {
    let mut parts = need.into_iter();
    let name = parts.next()?;
    let op = parts.next().as_deref().and_then(VersionOp::from_name);
    let version = parts.next().filter(|_| op.is_some());
    Some(Dependency { name, op: op.filter(|_| version.is_some()), version })
}

fn relations<L: FromIterator<Dependency>>(list: Vec<Need>) -> L {
    list.into_iter().filter_map(relation).collect()
}

fn alternatives(list: Vec<Vec<Need>>) -> Vec<Alternatives> {
    list.into_iter().map(relations).collect()
}

/// Writes the line of a package, without its end.
pub(super) fn write(offered: &Offered, into: &mut Vec<u8>) -> serde_json::Result<()> {
    let Offered { package, rank, conditional, brought_by, phased } = offered;
    let row = Row {
        system: package.system,
        version: package.version.clone(),
        arch: package.arch.clone(),
        source: package.source.clone(),
        summary: package.summary.clone(),
        section: package.section.clone(),
        homepage: package.homepage.clone(),
        installed: package.installed_bytes,
        download: package.download_bytes,
        depends: groups(&package.depends),
        recommends: groups(&package.recommends),
        suggests: groups(&package.suggests),
        conflicts: needs(&package.conflicts),
        provides: needs(&package.provides),
        replaces: needs(&package.replaces),
        essential: package.essential,
        rank: *rank,
        phased: *phased,
        conditional: conditional
            .iter()
            .map(|one| When {
                need: needs(&one.need),
                weak: one.weak,
                when: need(&one.when),
                unless: one.unless,
            })
            .collect(),
        brought_by: brought_by.iter().map(|all| needs(all)).collect(),
    };
    into.extend_from_slice(package.name.as_bytes());
    into.push(b'\t');
    serde_json::to_writer(into, &row)
}

/// Keys of what a line provides, and whether something else may bring it.
pub(super) fn provided(line: &[u8]) -> (Vec<u64>, bool) {
    let Some(offered) = read(line) else { return (Vec::new(), false) };
    let keys = offered.package.provides.iter().map(|one| key(one.name.as_bytes()));
    (keys.collect(), !offered.brought_by.is_empty())
}

fn read(line: &[u8]) -> Option<Offered> {
    let at = memchr::memchr(b'\t', line)?;
    let row: Row = serde_json::from_slice(&line[at + 1..]).ok()?;
    let name = std::str::from_utf8(&line[..at]).ok()?;
    let mut package = Package::new(row.system, name, row.version);
    package.upstream_version = upstream(row.system, &package.version).into();
    package.arch = row.arch;
    package.source = row.source;
    package.summary = row.summary;
    package.section = row.section;
    package.homepage = row.homepage;
    package.installed_bytes = row.installed;
    package.download_bytes = row.download;
    package.depends = alternatives(row.depends);
    package.recommends = alternatives(row.recommends);
    package.suggests = alternatives(row.suggests);
    package.conflicts = relations(row.conflicts);
    package.provides = relations(row.provides);
    package.replaces = relations(row.replaces);
    package.essential = row.essential;
    let conditional = |one: When| {
        Some(Conditional {
            need: relations(one.need),
            weak: one.weak,
            when: relation(one.when)?,
            unless: one.unless,
        })
    };
    Some(Offered {
        package,
        rank: row.rank,
        conditional: row.conditional.into_iter().filter_map(conditional).collect(),
        brought_by: row.brought_by.into_iter().map(relations).collect(),
        phased: row.phased,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn dependency() -> impl Strategy<Value = Dependency> {
        let version = proptest::option::of((prop::sample::select(VersionOp::ALL.to_vec()), "[0-9.:-]{1,6}"));
        ("[a-z(). ]{1,8}", version).prop_map(|(name, asked)| {
            let (op, version) = asked.map_or((None, None), |(op, version)| (Some(op), Some(version.into())));
            Dependency { name: name.into(), op, version }
        })
    }

    proptest! {
        #[test]
        fn a_line_comes_back_as_it_was(
            needs in prop::collection::vec(prop::collection::vec(dependency(), 1..3), 0..4), when in dependency(), bytes: Option<u64>
        ) {
            let mut package = Package::new(System::Rpm, "weir tools", "1:2-3");
            package.upstream_version = "2".into();
            package.depends = needs.iter().map(|any| any.iter().cloned().collect()).collect();
            package.provides = needs.iter().flatten().cloned().collect();
            package.download_bytes = bytes;
            let conditional = needs.iter().map(|any| Conditional {
                need: any.iter().cloned().collect(), weak: true, when: when.clone(), unless: false,
            });
            let offered = Offered { conditional: conditional.collect(), brought_by: needs, ..Offered::of(package) };
            let mut line = Vec::new();
            write(&offered, &mut line).unwrap();
            prop_assert_eq!(name_of(&line), b"weir tools");
            prop_assert_eq!(read(&line), Some(offered));
        }

        #[test]
        fn any_line_will_do(line in "[a-z\\t{}\":\\[\\],0-9]{0,60}") {
            _ = read(line.as_bytes());
            _ = name_of(line.as_bytes());
        }
    }
}
