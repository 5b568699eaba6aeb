//! What fills each part: the ways of the rules held against the packages and the answers of the tree.

use super::desktops::Desktop;
use super::names::names;
use super::parts::{PartRule, PartRules, PartWay, Probe, ProbeKind, Probes};
use super::pattern::{Pattern, matches};
use crate::model::{Evidence, Package, PackageRef, Part, System, Text};
use crate::systems;
use crate::version;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;

impl PartRules {
    /// What fills each part, in the order of the rules; of several the one that the session's desktop brings.
    pub fn apply(&self, packages: &[Package], probes: &Probes, session: Option<&Desktop>) -> Vec<Part> {
        let index = NameIndex::of(packages);
        let names =
            session.into_iter().flat_map(|desktop| [Some(&desktop.name), desktop.window_manager.as_ref()]);
        let led: Vec<&Text> = names.flatten().collect();
        self.part.iter().flat_map(|rule| rule.apply(&index, probes, &led)).collect()
    }
}

/// What one way found.
#[derive(Debug, Clone, PartialEq, Eq)]
struct FoundPart {
    name: Text,
    version: Option<Text>,
    package: Option<PackageRef>,
    evidence: Evidence,
}

impl PartRule {
    fn apply(&self, index: &NameIndex<'_>, probes: &Probes, led: &[&Text]) -> Vec<Part> {
        let mut found: Vec<FoundPart> = Vec::new();
        for way in &self.ways {
            if way.fallback && !found.is_empty() {
                continue;
            }
            for mut answer in way.apply(index, probes) {
                if way.name.is_none() {
                    self.name_properly(&mut answer, index);
                }
                let same = |known: &FoundPart| {
                    known.name == answer.name || (known.package.is_some() && known.package == answer.package)
                };
                if !found.iter().any(same) {
                    found.push(answer);
                }
            }
        }
        found.sort_by_key(|one| !led.contains(&&one.name));
        if self.many {
            return found.into_iter().map(|answer| self.part_of(answer, Vec::new())).collect();
        }
        let mut found = found.into_iter();
        let Some(first) = found.next() else { return Vec::new() };
        let others = found.map(|other| other.name).collect();
        vec![self.part_of(first, others)]
    }

    /// Gives what was found the name that another way has for its package; where no package is called so, name and package of the way
    /// that knows what was found as one of its own.
    fn name_properly(&self, found: &mut FoundPart, index: &NameIndex<'_>) {
        let called =
            found.package.as_ref().map_or_else(|| found.name.to_lowercase().into(), |p| Text::from(p.name()));
        let fits = |way: &&PartWay| way.package.as_deref().is_some_and(|pattern| matches(pattern, &called));
        let Some(way) = self.ways.iter().find(fits) else { return };
        if found.package.is_none()
            && let Some(package) = newest(index.matching(way.package.as_deref().unwrap_or_default()))
        {
            let known = way.found_in_package(index, package);
            (found.package, found.version) = (known.package, known.version);
        }
        if let Some(name) = &way.name {
            found.name = name.clone();
        }
    }

    fn part_of(&self, found: FoundPart, others: Vec<Text>) -> Part {
        let FoundPart { name, version, package, evidence } = found;
        Part { part: self.part.clone(), name, version, package, others, evidence }
    }
}

impl PartWay {
    fn apply(&self, index: &NameIndex<'_>, probes: &Probes) -> Vec<FoundPart> {
        if let Some(pattern) = &self.package {
            let found: Vec<&Package> =
                index.matching(pattern).into_iter().filter(|package| self.counts(package)).collect();
            let mut by_flavour: BTreeMap<Option<&str>, Vec<&Package>> = BTreeMap::new();
            for package in found {
                let flavour = if self.flavours { flavour_in(package.plain_name()) } else { None };
                by_flavour.entry(flavour).or_default().push(package);
            }
            let found = by_flavour.into_values().filter_map(newest);
            return found.map(|package| self.found_in_package(index, package)).collect();
        }
        if let Some(virtual_name) = &self.provides {
            return index
                .providing(virtual_name)
                .filter(|package| self.counts(package))
                .map(|package| self.found_in_package(index, package))
                .collect();
        }
        let Some(probe) = self.probe() else { return Vec::new() };
        let answers = probes.get(&probe).map_or(&[][..], Vec::as_slice);
        if probe.kind != ProbeKind::Entries {
            // What every shell is called by, and none of them.
            let own =
                probe.path.rsplit('/').next().and_then(|name| name.split('.').next()).unwrap_or_default();
            let says = |answer: &&Text| match probe.kind {
                // A link that is only asked whether it is there.
                ProbeKind::Link if self.name.is_some() => true,
                // openSUSE's link leads to a unit that is called like it, and starts what a file names.
                ProbeKind::Link => own.is_empty() || !last_component(answer).starts_with(own),
                _ => !self.names || last_component(answer) != "sh",
            };
            let first = answers.first().filter(says);
            return first.into_iter().map(|answer| self.found_in_tree(index, &probe, answer)).collect();
        }
        let mut entries: Vec<&Text> =
            answers.iter().filter(|entry| leading_version(entry).is_some()).collect();
        entries.sort_by(|a, b| version::compare_plain(b, a));
        entries.truncate(if self.flavours { entries.len() } else { 1 });
        entries.into_iter().map(|entry| self.found_in_tree(index, &probe, entry)).collect()
    }

    /// Whether the guards let a package count.
    fn counts(&self, package: &Package) -> bool {
        let version = self.version.as_deref();
        // A snap fills a part only where the rule says so: most are programs that bring their own surroundings.
        let of_system = match &self.system[..] {
            [] => package.system != System::Snap,
            systems => systems.contains(&package.system),
        };
        of_system && version.is_none_or(|pattern| matches(pattern, &package.upstream_version))
    }

    fn found_in_package(&self, index: &NameIndex<'_>, package: &Package) -> FoundPart {
        let of =
            self.version_of.as_ref().and_then(|pattern| newest(index.matching(pattern))).unwrap_or(package);
        FoundPart {
            name: self.named(package.plain_name(), || display_name(package.plain_name())),
            version: Some(of.upstream_version.clone()).filter(|version| !version.is_empty()),
            package: Some(of.reference()),
            evidence: of.evidence.clone(),
        }
    }

    /// The name that this way gives, with the flavour that a name of what was found tells.
    fn named(&self, found: &str, own: impl FnOnce() -> Text) -> Text {
        let name = self.name.clone().unwrap_or_else(own);
        match flavour_in(found).filter(|_| self.flavours) {
            Some(flavour) => format!("{name} ({flavour})").into(),
            None => name,
        }
    }

    /// A part from what the tree said: the package of that name, if one is there, gives the version.
    fn found_in_tree(&self, index: &NameIndex<'_>, probe: &Probe, answer: &str) -> FoundPart {
        let file = probe.path.split(' ').next().unwrap_or_default();
        if probe.kind == ProbeKind::Setting && !self.names {
            return FoundPart {
                name: self.name.clone().unwrap_or_else(|| answer.into()),
                version: Some(answer.into()),
                package: None,
                evidence: Evidence::file(file),
            };
        }
        let last = last_component(answer);
        let stem = [".service", ".target", ".plymouth"]
            .iter()
            .find_map(|end| last.strip_suffix(end))
            .unwrap_or(last);
        let pattern = self.version_of.as_ref().map_or_else(|| stem.to_owned(), |p| p.replace("{}", stem));
        let own_version = (probe.kind == ProbeKind::Entries).then(|| leading_version(stem)).flatten();
        // Of several kernels the package that has the number of this one.
        let of_series = |package: &&Package| {
            own_version.as_ref().is_none_or(|version| {
                let rest = package.upstream_version.strip_prefix(version.as_str());
                rest.is_some_and(|rest| !rest.starts_with(|c: char| c.is_ascii_digit()))
            })
        };
        let all = index.matching(&pattern);
        let package = newest(all.iter().copied().filter(of_series).collect())
            .or_else(|| newest(all).filter(|_| !self.flavours));
        let name = self.named(stem, || display_name(package.map_or(stem, Package::plain_name)));
        FoundPart {
            name,
            version: package
                .map(|p| p.upstream_version.clone())
                .filter(|version| !version.is_empty())
                .or(own_version),
            package: package.map(Package::reference),
            evidence: Evidence::file(file),
        }
    }
}

fn last_component(path: &str) -> &str {
    path.rsplit('/').find(|part| !part.is_empty()).unwrap_or(path)
}

/// The flavour of a kernel that a name tells: `lts` of `6.12.58-1-lts`, `zen` of `linux-zen`.
fn flavour_in(name: &str) -> Option<&'static str> {
    let words =
        name.split(['-', '.', '_', '+']).map(|word| word.trim_end_matches(|c: char| c.is_ascii_digit()));
    let mut known = words.filter_map(|word| names().kernel_flavours.iter().find(|one| *one == word));
    known.next().map(Text::as_str)
}

/// `6.9.2` of `6.9.2-amd64`.
fn leading_version(text: &str) -> Option<Text> {
    let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
    let version = text[..end].trim_end_matches('.');
    (!version.is_empty()).then(|| version.into())
}

/// `network-brook` becomes `Network-brook`: the package's own name with a capital. A desktop is called like its session,
/// without the word.
fn display_name(name: &str) -> Text {
    let name = name.strip_suffix("-session").unwrap_or(name);
    let mut chars = name.chars();
    chars.next().map(|first| first.to_uppercase().chain(chars).collect::<String>().into()).unwrap_or_default()
}

fn newest(packages: Vec<&Package>) -> Option<&Package> {
    packages.into_iter().reduce(|best, next| {
        if systems::order(best.system, &next.version, &best.version).is_gt() { next } else { best }
    })
}

/// Packages that are there, by name and by what they provide.
struct NameIndex<'p> {
    names: Vec<&'p str>,
    by_name: FxHashMap<&'p str, Vec<&'p Package>>,
    by_provided: FxHashMap<&'p str, Vec<&'p Package>>,
}

impl<'p> NameIndex<'p> {
    fn of(packages: &'p [Package]) -> Self {
        let mut by_name: FxHashMap<&str, Vec<&Package>> = FxHashMap::default();
        let mut by_provided: FxHashMap<&str, Vec<&Package>> = FxHashMap::default();
        for package in packages.iter().filter(|package| package.is_present()) {
            by_name.entry(package.plain_name()).or_default().push(package);
            for provided in &package.provides {
                by_provided.entry(&provided.name).or_default().push(package);
            }
        }
        let mut names: Vec<&str> = by_name.keys().copied().collect();
        names.sort_unstable();
        names.dedup();
        Self { names, by_name, by_provided }
    }

    fn matching(&self, pattern: &str) -> Vec<&'p Package> {
        let names = Pattern::new(pattern).find(&self.names);
        names.into_iter().filter_map(|name| self.by_name.get(name)).flatten().copied().collect()
    }

    fn providing(&self, name: &str) -> impl Iterator<Item = &'p Package> + use<'_, 'p> {
        self.by_provided.get(name).into_iter().flatten().copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn package(name: &str, version: &str) -> Package {
        let mut package = Package::new(System::Dpkg, name, version);
        package.upstream_version = systems::upstream(System::Dpkg, version).into();
        package
    }

    #[test]
    fn the_first_way_wins_and_the_rest_are_named() {
        let rules = PartRules::parse(
            "[[part]]\npart='sound'\nlabel='Sound'\nways=[{name='Brook',package='brook'},{name='Ripple',package='ripple'}]",
        )
        .unwrap();
        let parts =
            rules.apply(&[package("ripple", "14.2-1"), package("brook", "1.1-3")], &Probes::new(), None);
        assert_eq!(parts.len(), 1);
        assert_eq!((parts[0].name.as_str(), parts[0].version.as_deref()), ("Brook", Some("1.1")));
        assert_eq!(parts[0].others, ["Ripple"]);
    }

    #[test]
    fn the_newest_of_several_packages_counts() {
        let rules = PartRules::parse(
            "[[part]]\npart='kernel'\nlabel='Kernel'\nways=[{name='Linux',package='linux-image-#-*'}]",
        )
        .unwrap();
        let found = rules.apply(
            &[package("linux-image-6.9.2-a", "6.9.2-1"), package("linux-image-6.10.1-a", "6.10.1-1")],
            &Probes::new(),
            None,
        );
        assert_eq!(found[0].version.as_deref(), Some("6.10.1"));
    }

    #[test]
    fn a_link_names_what_fills_the_part() {
        let rules = PartRules::parse("[[part]]\npart='dm'\nlabel='DM'\nways=[{link='etc/dm'}]").unwrap();
        let probe = Probe { kind: ProbeKind::Link, path: "etc/dm".into() };
        assert_eq!(rules.probes(), std::slice::from_ref(&probe));
        let probes = Probes::from([(probe, vec!["/usr/lib/systemd/system/jetty.service".into()])]);
        let parts = rules.apply(&[package("jetty", "2.0-1")], &probes, None);
        assert_eq!((parts[0].name.as_str(), parts[0].version.as_deref()), ("Jetty", Some("2.0")));
        let named = "[[part]]\npart='dm'\nlabel='DM'\nways=[{link='etc/dm'},{name='JETty',package='jetty'}]";
        let parts = PartRules::parse(named).unwrap().apply(&[package("jetty", "2.0-1")], &probes, None);
        assert_eq!((parts.len(), parts[0].name.as_str(), parts[0].others.len()), (1, "JETty", 0));
    }

    #[test]
    fn each_kernel_is_told_with_its_flavour_and_the_number_of_its_own_package() {
        let rules = PartRules::built_in().unwrap();
        let probe = Probe { kind: ProbeKind::Entries, path: "usr/lib/modules".into() };
        let entries = ["6.12.58-1-lts", "6.17.9-arch1-1", "6.17.8-zen1-1-zen", "extramodules"];
        let probes = Probes::from([(probe, entries.map(Text::from).to_vec())]);
        let packages = [
            package("linux", "6.17.9.arch1-1"),
            package("linux-lts", "6.12.58-1"),
            package("linux-zen", "6.17.8-1"),
        ];
        let parts = rules.apply(&packages, &probes, None);
        let told: Vec<(&str, Option<&str>)> = parts
            .iter()
            .filter(|part| part.part == "kernel")
            .map(|part| (part.name.as_str(), part.package.as_ref().map(|package| package.name())))
            .collect();
        assert_eq!(
            told,
            [
                ("Linux", Some("linux")),
                ("Linux (zen)", Some("linux-zen")),
                ("Linux (lts)", Some("linux-lts"))
            ]
        );
    }

    #[test]
    fn what_the_session_brings_goes_first_and_the_shell_is_that_of_new_users() {
        let rules = PartRules::built_in().unwrap();
        let packages = [
            package("gnome-shell", "48.0-1"),
            package("libmutter-16-0", "48.0-1"),
            package("xfce4-session", "4.20-1"),
            package("xfwm4", "4.20-1"),
            package("bash", "5.2-1"),
            package("fish", "4.0-1"),
        ];
        let said = |probes: &Probes, session: Option<&str>| -> Vec<String> {
            let session = session.and_then(|name| super::super::desktops().called(name));
            let parts = rules.apply(&packages, probes, session);
            let wanted = ["desktop", "window-manager", "shell"];
            wanted
                .iter()
                .filter_map(|part| parts.iter().find(|one| one.part == *part))
                .map(|part| part.name.to_string())
                .collect()
        };
        assert_eq!(said(&Probes::new(), None), ["GNOME", "Mutter", "Bash"]);
        assert_eq!(said(&Probes::new(), Some("Xfce")), ["Xfce", "Xfwm", "Bash"]);
        let shell = |path: &str| {
            let probe = Probe { kind: ProbeKind::Setting, path: "etc/default/useradd SHELL".into() };
            Probes::from([(probe, vec![path.into()])])
        };
        assert_eq!(said(&shell("/usr/bin/fish"), None)[2], "fish");
        assert_eq!(said(&shell("/bin/sh"), None)[2], "Bash", "what every shell is called by tells none");
    }

    #[test]
    fn a_link_to_a_unit_of_its_own_name_tells_nothing() {
        let rules = PartRules::built_in().unwrap();
        let link = Probe { kind: ProbeKind::Link, path: "etc/systemd/system/display-manager.service".into() };
        let setting =
            Probe { kind: ProbeKind::Setting, path: "etc/sysconfig/displaymanager DISPLAYMANAGER".into() };
        let probes = Probes::from([
            (link, vec!["/usr/lib/systemd/system/display-manager-legacy.service".into()]),
            (setting, vec!["sddm".into()]),
        ]);
        let parts = rules.apply(&[package("sddm", "0.21.0-1"), package("gdm", "48-1")], &probes, None);
        let manager = parts.iter().find(|part| part.part == "display-manager").unwrap();
        assert_eq!((manager.name.as_str(), manager.version.as_deref()), ("SDDM", Some("0.21.0")));
        assert_eq!(manager.others, ["GDM"]);
    }
}
