//! What the query commands of package systems print, a line at a time.

use tally_core::model::{KindFact, KindReason, MissingFact, Package, Reason, State, System, Text};
use tally_core::systems::upstream;

/// What a line says.
pub(super) enum Said {
    Package(Box<Package>),
    /// A title, a ruler, a warning: nothing to be missed.
    Heading,
    Nothing,
}

impl Said {
    pub(super) fn is_understood(&self) -> bool {
        !matches!(self, Self::Nothing)
    }

    pub(super) fn is_package(&self) -> bool {
        matches!(self, Self::Package(_))
    }
}

/// A command and how its lines are read.
pub(super) struct Format {
    pub(super) command: &'static str,
    /// What it does not tell beside what no list tells.
    pub(super) missing: &'static [MissingFact],
    headings: fn(&str) -> bool,
    package: fn(&str) -> Option<Package>,
}

impl Format {
    pub(super) fn line(&self, line: &str) -> Said {
        match (self.package)(line) {
            _ if (self.headings)(line) => Said::Heading,
            Some(mut package) => {
                package.upstream_version = upstream(package.system, &package.version).into();
                Said::Package(Box::new(package))
            }
            None => Said::Nothing,
        }
    }
}

const NAMES_ONLY: &[MissingFact] = &[MissingFact::Reasons, MissingFact::Dependencies, MissingFact::Sizes];

/// Those that can't be mistaken come first.
pub(super) static ALL: &[Format] = &[
    Format {
        command: "snap list",
        missing: NAMES_ONLY,
        headings: |line| line.starts_with("Name ") && line.contains(" Rev "),
        package: snap,
    },
    Format { command: "xbps-query -l", missing: NAMES_ONLY, headings: |_| false, package: xbps },
    Format {
        command: "dpkg -l",
        missing: NAMES_ONLY,
        headings: |line| {
            ["Desired=", "| Status=", "|/ Err?=", "||/ ", "+++-"].iter().any(|head| line.starts_with(head))
        },
        package: dpkg_table,
    },
    Format {
        command: "apt list",
        missing: &[MissingFact::Dependencies, MissingFact::Sizes],
        headings: |line| line.starts_with("Listing"),
        package: apt,
    },
    Format {
        command: "flatpak list",
        missing: NAMES_ONLY,
        headings: |line| line.starts_with("Name\t"),
        package: flatpak,
    },
    Format {
        command: "apk list",
        missing: NAMES_ONLY,
        headings: |line| line.starts_with("WARNING"),
        package: apk_list,
    },
    Format {
        command: "apk info -v",
        missing: NAMES_ONLY,
        headings: |line| line.starts_with("WARNING"),
        package: apk_info,
    },
    Format { command: "qlist -Iv", missing: NAMES_ONLY, headings: |_| false, package: qlist },
    Format {
        command: "dnf list",
        missing: NAMES_ONLY,
        headings: |line| {
            line.starts_with("Installed ")
                || line.starts_with("Last metadata")
                || line.starts_with("Loaded plugins")
        },
        package: dnf,
    },
    Format {
        command: "rpm -qa",
        missing: NAMES_ONLY,
        headings: |line| line.starts_with("gpg-pubkey-"),
        package: rpm,
    },
    Format { command: "ls /var/log/packages", missing: NAMES_ONLY, headings: |_| false, package: slackware },
    Format { command: "pkg info", missing: NAMES_ONLY, headings: |_| false, package: freebsd },
    Format { command: "pacman -Q", missing: NAMES_ONLY, headings: |_| false, package: pacman },
    Format { command: "dpkg-query -W", missing: NAMES_ONLY, headings: |_| false, package: manifest },
];

/// Architectures as rpm and Slackware name them.
const ARCHES: &[&str] = &[
    "x86_64", "noarch", "i386", "i486", "i586", "i686", "aarch64", "armv7hl", "armv7l", "ppc64le", "s390x",
    "riscv64", "src", "arm", "x86",
];

fn begins_with_digit(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_digit())
}

/// Whether a text could be a package's name.
fn is_name(text: &str) -> bool {
    let inner = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '+' | '.' | '_' | '@');
    !text.is_empty()
        && text.chars().all(inner)
        && text.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_')
}

fn package(system: System, name: &str, version: &str) -> Option<Package> {
    (is_name(name) && !version.is_empty()).then(|| Package::new(system, name, version))
}

/// `name-1.2`, split at the last hyphen that a digit follows, or before `-rN`.
fn name_and_version(word: &str) -> Option<(&str, &str)> {
    let split =
        |text: &str| text.rmatch_indices('-').map(|(at, _)| at).find(|at| begins_with_digit(&text[at + 1..]));
    let at = split(word)?;
    (at > 0).then(|| (&word[..at], &word[at + 1..]))
}

fn snap(line: &str) -> Option<Package> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let [name, version, revision, _, .., notes] = words[..] else { return None };
    let is_revision = revision.strip_prefix('x').unwrap_or(revision).bytes().all(|b| b.is_ascii_digit());
    let mut package = package(System::Snap, name, version).filter(|_| is_revision && words.len() >= 5)?;
    let notes: Vec<&str> = notes.split(',').collect();
    if ["base", "core", "snapd", "kernel", "gadget"].iter().any(|sort| notes.contains(sort)) {
        package.kind = tally_core::model::Kind::Runtime;
        let of = KindReason::of(KindFact::SnapType, Some(notes.join(",").into()));
        package.kind_because = of;
    }
    Some(package)
}

/// Two letters for what is wanted and what is; a third one when something is wrong.
fn dpkg_table(line: &str) -> Option<Package> {
    let mut words = line.split_whitespace();
    let state = words.next().filter(|state| matches!(state.len(), 2 | 3))?.as_bytes();
    if !b"uirph".contains(&state[0]) || !b"ncHUFWti".contains(&state[1]) {
        return None;
    }
    let (name, version) = (words.next()?, words.next()?);
    let (arch, summary) = (words.next()?, words.collect::<Vec<_>>().join(" "));
    let mut package = package(System::Dpkg, name.split(':').next()?, version)?;
    package.arch = arch.into();
    package.summary = summary.into();
    package.state = match state[1] {
        b'i' | b't' | b'W' => State::Installed,
        b'c' => State::RemovedConfig,
        b'n' => return None,
        _ => State::Half,
    };
    Some(package)
}

fn apt(line: &str) -> Option<Package> {
    // The flags may hold a space: `[installed,upgradable to: 2]`.
    let words: Vec<&str> = line.splitn(4, ' ').collect();
    let [name, version, arch, flags] = words[..] else { return None };
    let (name, suites) = name.split_once('/')?;
    let flags = flags.strip_prefix('[')?.strip_suffix(']')?;
    let mut package = package(System::Dpkg, name, version)
        .filter(|_| suites.contains("now") || flags.contains("installed"))?;
    package.arch = arch.into();
    package.reason =
        if flags.split(',').any(|flag| flag == "automatic") { Reason::Dependency } else { Reason::Explicit };
    Some(package)
}

/// Fields between tabs, with or without the name, the origin or the architecture.
fn flatpak(line: &str) -> Option<Package> {
    let fields: Vec<&str> = line.split('\t').map(str::trim).collect();
    let at = fields.iter().take(2).position(|field| field.split('.').count() >= 3 && !field.contains(' '))?;
    let [version, branch] = [fields.get(at + 1)?, fields.get(at + 2)?];
    let version = if version.is_empty() { branch } else { version };
    let mut package = package(System::Flatpak, fields[at], version)?;
    package.summary = fields.first().copied().filter(|_| at > 0).unwrap_or_default().into();
    Some(package)
}

fn xbps(line: &str) -> Option<Package> {
    let mut words = line.split_whitespace();
    let state = words.next().filter(|state| matches!(*state, "ii" | "uu" | "hr" | "??"))?;
    let (name, version) = name_and_version(words.next()?)?;
    let (_, revision) = version.rsplit_once('_')?;
    let mut package =
        package(System::Xbps, name, version).filter(|_| revision.bytes().all(|b| b.is_ascii_digit()))?;
    package.state = if state == "ii" { State::Installed } else { State::Half };
    package.summary = words.collect::<Vec<_>>().join(" ").into();
    Some(package)
}

/// `name-version-rN`.
fn apk_word(word: &str) -> Option<Package> {
    let (rest, revision) = word.rsplit_once("-r")?;
    if revision.is_empty() || !revision.bytes().all(|b| b.is_ascii_digit()) || rest.contains('/') {
        return None;
    }
    let (name, _) = name_and_version(rest)?;
    package(System::Apk, name, &word[name.len() + 1..])
}

fn apk_list(line: &str) -> Option<Package> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let [first, arch, origin, ..] = words[..] else { return None };
    let origin = origin.strip_prefix('{')?.strip_suffix('}')?;
    let mut package = apk_word(first)?;
    package.arch = arch.into();
    package.source = Some(Text::from(origin)).filter(|origin| *origin != package.name);
    Some(package)
}

fn apk_info(line: &str) -> Option<Package> {
    let (word, summary) = line.split_once(" - ").unwrap_or((line, ""));
    let mut package = apk_word(word.trim())?;
    package.summary = summary.trim().into();
    Some(package)
}

fn qlist(line: &str) -> Option<Package> {
    let (category, rest) = line.split_once('/')?;
    let rest = rest.split([':', ' ']).next()?;
    let (name, version) = crate::packages::portage::split(rest)?;
    if !is_name(category) || !is_name(name) {
        return None;
    }
    let mut package = Package::new(System::Portage, format!("{category}/{name}"), version);
    package.section = category.into();
    Some(package)
}

fn dnf(line: &str) -> Option<Package> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let [name, version, from] = words[..] else { return None };
    let (name, arch) = name.rsplit_once('.').filter(|(_, arch)| ARCHES.contains(arch))?;
    let mut package = package(System::Rpm, name, version).filter(|_| version.contains('-'))?;
    package.arch = arch.into();
    package.repository = Some(from.trim_start_matches('@').into()).filter(|from: &Text| !from.is_empty());
    Some(package)
}

fn rpm(line: &str) -> Option<Package> {
    let (rest, arch) = line.rsplit_once('.').filter(|(_, arch)| ARCHES.contains(arch))?;
    let mut parts = rest.rsplitn(3, '-');
    let (release, version, name) = (parts.next()?, parts.next()?, parts.next()?);
    let mut package = package(System::Rpm, name, &format!("{version}-{release}"))?;
    package.arch = arch.into();
    Some(package)
}

fn slackware(line: &str) -> Option<Package> {
    let mut parts = line.rsplitn(4, '-');
    let (build, arch, version, name) = (parts.next()?, parts.next()?, parts.next()?, parts.next()?);
    let fits = ARCHES.contains(&arch) && begins_with_digit(build) && !line.contains(' ');
    let mut package = package(System::Slackware, name, &format!("{version}-{build}")).filter(|_| fits)?;
    package.arch = arch.into();
    Some(package)
}

/// Name and version, spaces, a line of description.
fn freebsd(line: &str) -> Option<Package> {
    let (word, summary) = line.split_once(' ').filter(|(_, rest)| !rest.trim().is_empty())?;
    let (name, version) = name_and_version(word)?;
    let mut package = package(System::FreebsdPkg, name, version)?;
    package.summary = summary.trim().into();
    Some(package)
}

/// A name, one space, a version that always has a release, which is a number.
fn pacman(line: &str) -> Option<Package> {
    let (name, version) = line.split_once(' ').filter(|(_, version)| !version.contains([' ', '\t']))?;
    let (_, release) = version.rsplit_once('-')?;
    let is_release = !release.is_empty() && release.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    package(System::Pacman, name, version).filter(|_| is_release)
}

/// The list that is published beside images: a name, a tab or a space, a version; snaps among them have a channel and a
/// revision.
fn manifest(line: &str) -> Option<Package> {
    let words: Vec<&str> = line.split_whitespace().collect();
    if let [snap, channel, .., revision] = words[..]
        && let Some(name) = snap.strip_prefix("snap:")
    {
        let mut package = package(System::Snap, name, revision)?;
        package.repository = Some(channel.into());
        return Some(package);
    }
    let [name, version] = words[..] else { return None };
    let (name, arch) = name.split_once(':').unwrap_or((name, ""));
    let has_digit = version.bytes().any(|b| b.is_ascii_digit());
    let mut package = package(System::Dpkg, name, version).filter(|_| has_digit)?;
    package.arch = arch.into();
    Some(package)
}
