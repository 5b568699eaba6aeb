//! From a header to a package.

use super::header::{Header, tag};
use crate::text::{day_text, filled, text, time_text};
use rustc_hash::FxHashSet;
use smallvec::smallvec;
use tally_core::model::{Alternatives, Dependency, Evidence, Package, System, Text, VersionOp};
use tally_core::systems::upstream;

/// The package that a header describes; none where it has no name or version.
pub(super) fn package(header: Header<'_>, file: &str) -> Option<Package> {
    let get = |tag| header.string(tag).map(text).unwrap_or_default();
    let name = filled(get(tag::NAME))?;
    let version = full_version(header)?;
    let mut package = Package::new(System::Rpm, name, version);
    package.upstream_version = upstream(System::Rpm, &package.version).into();
    package.arch = get(tag::ARCH);
    package.source = source_name(&get(tag::SOURCE_RPM)).filter(|source| *source != package.name);
    package.summary = get(tag::SUMMARY);
    package.section = filled(get(tag::GROUP)).filter(|group| group != "Unspecified").unwrap_or_default();
    package.homepage = get(tag::URL);
    package.license = filled(get(tag::LICENSE));
    package.installed_bytes = header.number(tag::LONG_SIZE).or_else(|| header.number(tag::SIZE));
    let time = |tag| header.number(tag).and_then(|seconds| i64::try_from(seconds).ok());
    package.installed_at = time(tag::INSTALL_TIME).and_then(time_text);
    package.built = time(tag::BUILD_TIME).and_then(day_text);
    package.depends = needs(header, tag::REQUIRES);
    package.recommends = needs(header, tag::RECOMMENDS);
    package.suggests = needs(header, tag::SUGGESTS);
    package.provides = relations(header, tag::PROVIDES).map(|(_, one)| one).collect();
    package.replaces = relations(header, tag::OBSOLETES).map(|(_, one)| one).collect();
    package.conflicts = relations(header, tag::CONFLICTS).map(|(_, one)| one).collect();
    package.evidence = Evidence::file(file);
    Some(package)
}

/// `[epoch:]version-release`; an epoch of 0 is not written.
fn full_version(header: Header<'_>) -> Option<Text> {
    let version = filled(header.string(tag::VERSION).map(text)?)?;
    let epoch = header.number(tag::EPOCH).filter(|epoch| *epoch != 0);
    let release = header.string(tag::RELEASE).map(text).and_then(filled);
    Some(match (epoch, release) {
        (None, None) => version,
        (None, Some(release)) => smol_str::format_smolstr!("{version}-{release}"),
        (Some(epoch), None) => smol_str::format_smolstr!("{epoch}:{version}"),
        (Some(epoch), Some(release)) => smol_str::format_smolstr!("{epoch}:{version}-{release}"),
    })
}

/// `weir-4.0-1.src.rpm` is the source `weir`.
pub(crate) fn source_name(file: &str) -> Option<Text> {
    let stem = file.strip_suffix(".src.rpm").or_else(|| file.strip_suffix(".nosrc.rpm"))?;
    stem.rsplitn(3, '-').nth(2).map(Text::from)
}

/// Relations with their flags.
fn relations(
    header: Header<'_>,
    [names, flags, versions]: [u32; 3],
) -> impl Iterator<Item = (u64, Dependency)> {
    let mut flags = header.numbers(flags);
    let mut versions = header.strings(versions);
    header.strings(names).map(move |name| {
        let flags = flags.next().unwrap_or_default();
        let version = versions.next().map(text).and_then(filled);
        let op = version.as_ref().and(op(flags));
        (flags, Dependency { name: text(name), version: op.and(version), op })
    })
}

/// How a version compares: three bits that add up.
fn op(flags: u64) -> Option<VersionOp> {
    match flags >> 1 & 7 {
        1 => Some(VersionOp::Less),
        2 => Some(VersionOp::More),
        4 => Some(VersionOp::Exactly),
        5 => Some(VersionOp::AtMost),
        6 => Some(VersionOp::AtLeast),
        _ => None,
    }
}

/// What a package needs, once each. What rpm itself must be able to do is no need of the install's, and the many versions
/// of symbols of one library are one need.
fn needs(header: Header<'_>, tags: [u32; 3]) -> Vec<Alternatives> {
    /// `rpmlib(...)`.
    const OF_RPM: u64 = 1 << 24;
    let mut all: Vec<Dependency> = relations(header, tags)
        .filter(|(flags, one)| flags & OF_RPM == 0 && !one.name.starts_with("rpmlib("))
        .map(|(_, one)| one)
        .collect();
    let libraries: FxHashSet<Text> =
        all.iter().filter(|one| one.name.contains("()")).map(|one| library(&one.name).into()).collect();
    all.retain(|one| !has_symbols(&one.name) || !libraries.contains(library(&one.name)));
    let mut seen = FxHashSet::default();
    let once = all.into_iter().filter(|one| seen.insert((one.name.clone(), one.version.clone())));
    once.flat_map(|one| if one.name.starts_with('(') { rich(&one.name) } else { vec![smallvec![one]] })
        .collect()
}

/// `libweir.so.2(WEIR_2.0)(64bit)`: a library, and which symbols of it.
fn has_symbols(name: &str) -> bool {
    name.contains(".so") && name.find('(').is_some_and(|at| !name[at..].starts_with("()"))
}

fn library(name: &str) -> &str {
    name.split('(').next().unwrap_or(name)
}

/// The words of a need that holds only under a condition, and whether it is one that must not be there.
pub(super) const CONDITIONS: [(&str, bool); 2] = [(" if ", false), (" unless ", true)];

/// A rich need: `(a or b)`, `(a and b)`, `(a >= 1 with a < 2)`. One that holds only `if` something else is there compels
/// nothing by itself, and is left out.
pub(super) fn rich(text: &str) -> Vec<Alternatives> {
    let inner = text.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')).unwrap_or(text);
    if inner.contains(" if ") || inner.contains(" unless ") {
        return Vec::new();
    }
    let plain = |one: &str| {
        let one = one.split(" with ").next().unwrap_or_default();
        let mut words = one.trim_matches(['(', ' ']).split(' ').filter(|word| !word.is_empty());
        let name = words.next()?;
        // A closing bracket belongs to the name only where one was opened in it.
        let name = if name.contains('(') { name } else { name.trim_end_matches(')') };
        let op = words.next().and_then(VersionOp::from_name);
        let version = words.next().map(|version| Text::from(version.trim_end_matches(')')));
        Some(Dependency { name: name.into(), version: op.and(version.clone()), op: version.and(op) })
    };
    if inner.contains(" or ") {
        let any: Alternatives = inner.split(" or ").filter_map(plain).collect();
        return if any.is_empty() { Vec::new() } else { vec![any] };
    }
    inner.split(" and ").filter_map(plain).map(|one| smallvec![one]).collect()
}

/// Leaves out of what packages provide the symbols of libraries, unless someone here needs just them, and their own names.
pub(super) fn leave_what_nobody_asks(packages: &mut [Package]) {
    let asked: FxHashSet<Text> = packages
        .iter()
        .flat_map(|package| package.depends.iter().chain(&package.recommends).chain(&package.suggests))
        .flatten()
        .filter(|need| need.name.contains('('))
        .map(|need| need.name.clone())
        .collect();
    for package in packages {
        let Package { name, provides, .. } = package;
        provides.retain(|one| one.name != *name && (!one.name.contains('(') || asked.contains(&one.name)));
        provides.shrink_to_fit();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sources_are_named_before_version_and_release() {
        assert_eq!(source_name("weir-tools-4.0-1.el9.src.rpm").as_deref(), Some("weir-tools"));
        assert_eq!(source_name("(none)"), None);
        assert_eq!(source_name("odd.src.rpm"), None);
    }

    #[test]
    fn rich_needs_become_alternatives() {
        let said = |text: &str| -> Vec<Vec<String>> {
            let show = |one: &Dependency| {
                format!(
                    "{}{}",
                    one.name,
                    one.op.map_or(String::new(), |op| format!(
                        "{}{}",
                        op.name(),
                        one.version.as_deref().unwrap_or("?")
                    ))
                )
            };
            rich(text).iter().map(|any| any.iter().map(show).collect()).collect()
        };
        assert_eq!(said("(inkcap or inkcap-lite)"), [["inkcap", "inkcap-lite"]]);
        assert_eq!(said("(weir >= 4 with weir < 5)"), [["weir>=4"]]);
        assert_eq!(said("(weir(x) and reed)"), [["weir(x)"], ["reed"]]);
        assert!(said("(inkcap-lang if inkcap)").is_empty());
    }

    #[test]
    fn versions_of_symbols_are_told_from_libraries() {
        assert!(has_symbols("libweir.so.2(WEIR_2.0)(64bit)"));
        assert!(!has_symbols("libweir.so.2()(64bit)"));
        assert!(!has_symbols("perl(Weir)"));
    }
}
