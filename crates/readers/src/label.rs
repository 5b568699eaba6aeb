//! Whose install it is: os-release and its older relatives.

use crate::text::{lines, text};
use smol_str::SmolStr;
use tally_core::knowledge::names;
use tally_core::model::{Evidence, Kind, Label, Package, Reason, Unread};
use tally_trees::Tree;

/// What the release files say, and what in them could not be read.
#[derive(Debug, Default)]
pub struct LabelFacts {
    /// The label, without edition from packages, architecture and handle.
    pub label: Label,
    /// Whether any release file was there.
    pub found: bool,
    /// Lines that could not be read.
    pub unread: Vec<Unread>,
}

/// Label fields given by hand; they win over what was read.
#[derive(Debug, Clone, Default)]
pub struct Overrides {
    /// Name of the distribution.
    pub distro: Option<String>,
    /// Release.
    pub release: Option<String>,
    /// Code name.
    pub codename: Option<String>,
    /// Edition.
    pub edition: Option<String>,
    /// Profile.
    pub profile: Option<String>,
    /// Architecture.
    pub arch: Option<String>,
    /// Day of the release, `YYYY-MM-DD`.
    pub release_date: Option<String>,
}

/// Reads the label: os-release(5), else `etc/lsb-release`, else a one-line release file, else `etc/debian_version`.
pub fn read(tree: &dyn Tree) -> LabelFacts {
    let mut facts = LabelFacts::default();
    // Nix and Guix make `etc` when the system starts, from what its profile has.
    let profiles = ["nix/var/nix/profiles/system/etc/os-release", "var/guix/profiles/system/etc/os-release"];
    for path in ["etc/os-release", "usr/lib/os-release"].into_iter().chain(profiles) {
        if let Ok(bytes) = tree.read(path) {
            facts.found = true;
            os_release(path, &bytes, &mut facts);
            break;
        }
    }
    if !facts.found || facts.label.distro.is_empty() {
        older_relatives(tree, &mut facts);
    }
    if facts.label.release.is_none() {
        // A rolling or unreleased Debian states no VERSION_ID; this file names its state.
        facts.label.release = tree.read("etc/debian_version").ok().and_then(|bytes| first_line(&bytes));
    }
    facts
}

fn os_release(path: &str, bytes: &[u8], facts: &mut LabelFacts) {
    let label = &mut facts.label;
    let mut pretty = None;
    let mut build = None;
    for (line, raw) in lines(bytes) {
        let content = raw.trim_ascii();
        if content.is_empty() || content[0] == b'#' {
            continue;
        }
        let Some(equals) = memchr::memchr(b'=', content) else {
            facts.unread.push(Unread::at(path, line, "is not a `KEY=value` line"));
            continue;
        };
        let value = unquote(&content[equals + 1..]);
        let some = || Some(value.clone()).filter(|v| !v.is_empty());
        match &content[..equals] {
            b"NAME" => label.distro = value,
            b"PRETTY_NAME" => pretty = some(),
            b"ID" => label.distro_id = value,
            b"ID_LIKE" => label.base_id = value.split_ascii_whitespace().map(SmolStr::from).collect(),
            b"VERSION_ID" => label.release = some(),
            b"VERSION_CODENAME" => label.codename = some().map(|name| capitalised(&name)),
            b"VERSION" if label.codename.is_none() => label.codename = bracketed(&value),
            b"BUILD_ID" | b"IMAGE_VERSION" if value != "rolling" => build = some(),
            b"VARIANT" => label.edition = some(),
            b"SUPPORT_END" => {
                label.support_end = some();
                label.support_end_from = some().map(|_| Evidence::line(path, line));
            }
            _ => {}
        }
    }
    // `43 (Workstation Edition)`: some name the edition where others have a code name.
    if label.codename.as_ref().zip(label.edition.as_ref()).is_some_and(|(code, edition)| code == edition) {
        label.codename = None;
    }
    if label.distro.is_empty() {
        label.distro = pretty.unwrap_or_default();
    }
    if label.release.is_none() {
        label.release = build;
    }
}

fn older_relatives(tree: &dyn Tree, facts: &mut LabelFacts) {
    let label = &mut facts.label;
    if let Ok(bytes) = tree.read("etc/lsb-release") {
        facts.found = true;
        for (_, line) in lines(&bytes) {
            let Some((key, value)) =
                line.iter().position(|b| *b == b'=').map(|at| (&line[..at], unquote(&line[at + 1..])))
            else {
                continue;
            };
            match key {
                b"DISTRIB_ID" => label.distro = value,
                b"DISTRIB_RELEASE" => label.release = Some(value),
                b"DISTRIB_CODENAME" => label.codename = Some(capitalised(&value)),
                _ => {}
            }
        }
    }
    if label.distro.is_empty() {
        let released =
            |name: &str| name.ends_with("-release") && !matches!(name, "os-release" | "lsb-release");
        let entries = tree.names("etc");
        let mut files = entries.iter().filter_map(|e| e.name.to_str()).filter(|name| released(name));
        let line =
            files.find_map(|name| tree.read(format!("etc/{name}")).ok().and_then(|bytes| first_line(&bytes)));
        if let Some(line) = line {
            facts.found = true;
            one_line(&line, label);
        }
    }
    if label.distro.is_empty() && tree.exists("etc/debian_version") {
        facts.found = true;
        label.distro = "Debian GNU/Linux".into();
        label.distro_id = "debian".into();
    }
    // FreeBSD writes its os-release when it starts; the base system's own script knows its release.
    if label.distro.is_empty()
        && let Some(release) =
            tree.read("bin/freebsd-version").ok().and_then(|bytes| userland_version(&bytes))
    {
        facts.found = true;
        label.distro = "FreeBSD".into();
        label.release = Some(release);
    }
    if label.distro_id.is_empty() {
        let first = label.distro.split(' ').next().unwrap_or_default();
        label.distro_id = tally_core::model::slug(first).into();
    }
}

/// `USERLAND_VERSION="14.1-RELEASE-p3"` of a shell script.
fn userland_version(bytes: &[u8]) -> Option<SmolStr> {
    let value = lines(bytes).find_map(|(_, line)| line.strip_prefix(b"USERLAND_VERSION="))?;
    crate::text::filled(unquote(value))
}

/// `Fenland Linux release 7.2 (Heron)`.
fn one_line(line: &str, label: &mut Label) {
    let (name, rest) = line.split_once(" release ").unwrap_or((line, ""));
    label.distro = name.trim().into();
    label.release = rest.split_ascii_whitespace().next().map(SmolStr::from);
    label.codename = bracketed(rest);
}

fn bracketed(text: &str) -> Option<SmolStr> {
    let (_, rest) = text.split_once('(')?;
    let (inside, _) = rest.split_once(')')?;
    Some(capitalised(inside.trim())).filter(|name| !name.is_empty())
}

fn capitalised(name: &str) -> SmolStr {
    let mut chars = name.chars();
    chars.next().map(|first| first.to_uppercase().chain(chars).collect()).unwrap_or_default()
}

fn first_line(bytes: &[u8]) -> Option<SmolStr> {
    crate::text::filled(text(bytes.split(|b| *b == b'\n').next()?))
}

/// A value by the rules of os-release: optional quotes, backslash before `$`, quote, backslash and backtick.
fn unquote(bytes: &[u8]) -> SmolStr {
    let value = text(bytes);
    for quote in ['"', '\''] {
        if let Some(inner) = value.strip_prefix(quote).and_then(|v| v.strip_suffix(quote)) {
            if quote == '\'' || !inner.contains('\\') {
                return inner.into();
            }
            let mut plain = String::new();
            let mut escaped = false;
            for c in inner.chars() {
                if c == '\\' && !escaped {
                    escaped = true;
                } else {
                    plain.push(c);
                    escaped = false;
                }
            }
            return plain.into();
        }
    }
    value
}

/// The edition, when no release file names one: the installed desktop or edition metapackage.
///
/// A chosen package counts before one that followed; a package from one source only of several is no proof, so two
/// different answers of equal rank give none.
pub fn edition_from_packages(packages: &[Package], distro_id: &str) -> Option<SmolStr> {
    let mut best: Vec<(u8, SmolStr)> = Vec::new();
    for package in packages.iter().filter(|p| p.is_present()) {
        // Kinds are not known yet.
        let is_library = package.name.starts_with("lib") || package.section == "libs";
        let empty = package.installed_bytes.is_none_or(|bytes| bytes < 200 << 10) && !is_library
            || package.kind == Kind::Metapackage
            || matches!(package.section.as_str(), "metapackages" | "tasks");
        if !empty {
            continue;
        }
        for (rank, named) in (0_u8..).zip(&names().edition) {
            let middle = package.name.strip_prefix(named.before.as_str());
            let middle = middle.and_then(|rest| rest.strip_suffix(named.after.as_str()));
            let Some(middle) = middle.filter(|m| !m.is_empty() && *m != distro_id && *m != "task") else {
                continue;
            };
            let followed = u8::from(package.reason != Reason::Explicit) * 100;
            best.push((rank + followed, capitalised(middle)));
            break;
        }
    }
    let rank = best.iter().map(|(rank, _)| *rank).min()?;
    let mut names: Vec<&SmolStr> = best.iter().filter(|(r, _)| *r == rank).map(|(_, name)| name).collect();
    names.sort_unstable();
    names.dedup();
    match names[..] {
        [only] => Some(only.clone()),
        _ => None,
    }
}

impl Overrides {
    /// Puts what was given in place of what was read.
    pub fn apply(&self, label: &mut Label) {
        let some = |value: &Option<String>| value.as_deref().map(SmolStr::from);
        if let Some(distro) = some(&self.distro) {
            label.distro_id = tally_core::model::slug(&distro).into();
            label.distro = distro;
        }
        for (given, field) in [
            (&self.release, &mut label.release),
            (&self.codename, &mut label.codename),
            (&self.edition, &mut label.edition),
            (&self.profile, &mut label.profile),
            (&self.arch, &mut label.arch),
            (&self.release_date, &mut label.release_date),
        ] {
            if given.is_some() {
                *field = some(given);
            }
        }
        if self.release_date.is_some() {
            label.release_date_from = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_core::model::System;
    use tally_trees::MemoryTree;

    fn label_of(tree: &MemoryTree) -> Label {
        read(tree as &dyn Tree).label
    }

    #[test]
    fn os_release_is_read_through_its_link() {
        let tree = MemoryTree::new().link("etc/os-release", "../usr/lib/os-release").file(
            "usr/lib/os-release",
            "NAME='Saltmarsh Linux'\nID=saltmarsh\nID_LIKE=\"fenland other\"\nVERSION_ID=\"5.0\"\nVERSION=\"5.0 (bittern)\"\nVARIANT=Reed\\\nbed\nSUPPORT_END=2029-04-30\n",
        );
        let facts = read(&tree as &dyn Tree);
        assert_eq!(facts.label.distro, "Saltmarsh Linux");
        assert_eq!(facts.label.codename.as_deref(), Some("Bittern"));
        assert_eq!(facts.label.base_id, ["fenland", "other"]);
        assert_eq!(facts.label.support_end.as_deref(), Some("2029-04-30"));
        assert_eq!(facts.unread, [Unread::at("etc/os-release", 7, "is not a `KEY=value` line")]);
    }

    #[test]
    fn an_edition_in_brackets_is_no_code_name() {
        let text = "NAME=Saltmarsh\nVERSION=\"5.0 (Reedbed Edition)\"\nVARIANT=\"Reedbed Edition\"\n";
        let label = label_of(&MemoryTree::new().file("etc/os-release", text));
        assert_eq!((label.codename, label.edition.as_deref()), (None, Some("Reedbed Edition")));
    }

    #[test]
    fn older_relatives_answer_when_os_release_is_missing() {
        let lsb = MemoryTree::new()
            .file("etc/lsb-release", "DISTRIB_ID=Fenland\nDISTRIB_RELEASE=9\nDISTRIB_CODENAME=heron\n");
        assert_eq!(label_of(&lsb).title(), "Fenland 9 \"Heron\"");
        let one_line = MemoryTree::new().file("etc/fenland-release", "Fenland Linux release 7.2 (Heron)\n");
        assert_eq!(label_of(&one_line).title(), "Fenland Linux 7.2 \"Heron\"");
        assert_eq!(label_of(&one_line).distro_id, "fenland");
        let ancient = MemoryTree::new().file("etc/debian_version", "3.1\n");
        assert_eq!(label_of(&ancient).release.as_deref(), Some("3.1"));
        assert!(!read(&MemoryTree::new() as &dyn Tree).found);
        let bsd = MemoryTree::new()
            .file("bin/freebsd-version", "#!/bin/sh\nUSERLAND_VERSION=\"14.1-RELEASE-p3\"\n");
        assert_eq!(
            (label_of(&bsd).title().as_str(), label_of(&bsd).distro_id.as_str()),
            ("FreeBSD 14.1-RELEASE-p3", "freebsd")
        );
    }

    #[test]
    fn an_edition_is_only_told_when_one_answer_stands_out() {
        let package = |name: &str, reason| {
            let mut package = Package::new(System::Dpkg, name, "1");
            package.reason = reason;
            package
        };
        let mut packages =
            vec![package("reedbed-desktop", Reason::Explicit), package("other-desktop", Reason::Dependency)];
        assert_eq!(edition_from_packages(&packages, "saltmarsh").as_deref(), Some("Reedbed"));
        packages.push(package("mudflat-desktop", Reason::Explicit));
        assert_eq!(edition_from_packages(&packages, "saltmarsh"), None);
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..120)) {
            read(&MemoryTree::new().file("etc/os-release", bytes.clone()) as &dyn Tree);
            read(&MemoryTree::new().file("etc/x-release", bytes) as &dyn Tree);
        }
    }
}
