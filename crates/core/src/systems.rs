//! Package systems: one descriptor for each, with all that is particular to it.
//!
//! To add one: a word and a descriptor here, its order in `version/` if it has one of its own, a reader in `readers/src/packages/`, and a
//! line in the registry there.

use crate::model::{Dependency, VersionOp};
use crate::version::{self, upstream};
use crate::vocabulary;
use std::cmp::Ordering;

vocabulary! {
    /// A package system: who installed a package, and whose version order holds.
    pub enum System {
        /// Debian packages.
        Dpkg = "dpkg",
        /// RPM packages, whatever the resolver above them.
        Rpm = "rpm",
        /// Packages of the `alpm` database.
        Pacman = "pacman",
        /// Alpine packages.
        Apk = "apk",
        /// `eopkg` packages.
        Eopkg = "eopkg",
        /// FreeBSD packages.
        FreebsdPkg = "freebsd-pkg",
        /// Ebuilds merged by Portage.
        Portage = "portage",
        /// XBPS packages.
        Xbps = "xbps",
        /// Slackware packages.
        Slackware = "slackware",
        /// Store paths of Nix.
        Nix = "nix",
        /// Store paths of Guix.
        Guix = "guix",
        /// Snaps.
        Snap = "snap",
        /// Flatpak applications and runtimes.
        Flatpak = "flatpak",
        /// `AppImage` files.
        Appimage = "appimage",
    }
}

/// What is particular to a package system.
#[derive(Debug)]
pub struct Descriptor {
    /// The package-URL type (ECMA-427); `generic` where none is registered.
    pub purl_type: &'static str,
    /// Whether its own version order is implemented exactly; others follow the plain rule.
    pub exact_order: bool,
    /// Which of two versions is newer, as the system itself has it.
    pub compare: fn(&str, &str) -> Ordering,
    /// The same, total on all strings: for sorting.
    pub order: fn(&str, &str) -> Ordering,
    /// Bytes of a version whose plain order is `order`.
    pub key: fn(&str) -> Vec<u8>,
    /// The version of the program inside.
    pub upstream: fn(&str) -> &str,
    /// What it calls the architecture of packages that fit every machine; none where it has no word for them.
    pub neutral_architecture: &'static str,
    /// Whether it delivers single applications beside the native packages.
    pub is_sandbox: bool,
    /// Whether something provided without a version answers to a need for any version.
    pub unversioned_provides_fit: bool,
}

/// A native system with the plain order, as far as nothing else is said.
const NATIVE: Descriptor = Descriptor {
    purl_type: "generic",
    exact_order: false,
    compare: version::compare_plain,
    order: version::compare_plain,
    key: version::keys::plain,
    upstream: upstream::as_it_is,
    neutral_architecture: "",
    is_sandbox: false,
    unversioned_provides_fit: false,
};

/// A native system with an order of its own.
const fn ordered(
    compare: fn(&str, &str) -> Ordering,
    key: fn(&str) -> Vec<u8>,
    upstream: fn(&str) -> &str,
) -> Descriptor {
    Descriptor { exact_order: true, compare, order: compare, key, upstream, ..NATIVE }
}

/// Single applications beside the native packages.
const SANDBOX: Descriptor = Descriptor { is_sandbox: true, ..NATIVE };

const DPKG: Descriptor = Descriptor {
    purl_type: "deb",
    neutral_architecture: "all",
    ..ordered(version::compare_dpkg, version::keys::dpkg, upstream::of_dpkg)
};
const RPM: Descriptor = Descriptor {
    purl_type: "rpm",
    neutral_architecture: "noarch",
    unversioned_provides_fit: true,
    ..ordered(version::compare_rpm, version::keys::rpm, upstream::without_epoch_and_revision)
};
const PACMAN: Descriptor = Descriptor {
    purl_type: "alpm",
    neutral_architecture: "any",
    // By its own rule a version without a release is the same as that version with any release, and those differ from one another.
    order: version::order_pacman,
    ..ordered(version::compare_pacman, version::keys::pacman, upstream::without_epoch_and_revision)
};
const APK: Descriptor = Descriptor {
    purl_type: "apk",
    neutral_architecture: "noarch",
    ..ordered(version::compare_apk, version::keys::apk, upstream::without_r_revision)
};
const EOPKG: Descriptor = Descriptor {
    neutral_architecture: "noarch",
    ..ordered(version::compare_eopkg, version::keys::eopkg, upstream::without_revision)
};
const FREEBSD_PKG: Descriptor = Descriptor {
    neutral_architecture: "*",
    ..ordered(version::compare_freebsd, version::keys::freebsd, upstream::of_freebsd)
};
const PORTAGE: Descriptor =
    ordered(version::compare_portage, version::keys::portage, upstream::without_r_revision);
const XBPS: Descriptor = Descriptor {
    neutral_architecture: "noarch",
    ..ordered(version::compare_xbps, version::keys::xbps, upstream::without_underscored_revision)
};
const SLACKWARE: Descriptor =
    Descriptor { neutral_architecture: "noarch", upstream: upstream::without_revision, ..NATIVE };

const NIX: Descriptor = ordered(version::compare_nix, version::keys::nix, upstream::as_it_is);

impl System {
    /// What is particular to it.
    pub const fn descriptor(self) -> &'static Descriptor {
        match self {
            Self::Dpkg => &DPKG,
            Self::Rpm => &RPM,
            Self::Pacman => &PACMAN,
            Self::Apk => &APK,
            Self::Eopkg => &EOPKG,
            Self::FreebsdPkg => &FREEBSD_PKG,
            Self::Portage => &PORTAGE,
            Self::Xbps => &XBPS,
            Self::Slackware => &SLACKWARE,
            Self::Nix => &NIX,
            Self::Guix => &NATIVE,
            Self::Snap | Self::Flatpak | Self::Appimage => &SANDBOX,
        }
    }

    /// Whether it delivers single applications beside the native packages.
    pub const fn is_sandbox(self) -> bool {
        self.descriptor().is_sandbox
    }

    /// The package-URL type (ECMA-427); `generic` where none is registered.
    pub const fn purl_type(self) -> &'static str {
        self.descriptor().purl_type
    }

    /// The system of a package-URL type that is its own.
    pub fn of_purl_type(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|system| system.purl_type() == name && name != NATIVE.purl_type)
    }

    /// Whether an architecture is one of this system's words for every machine.
    pub fn is_neutral(self, architecture: &str) -> bool {
        architecture.is_empty() || architecture == self.descriptor().neutral_architecture
    }
}

/// The systems whose own order is implemented exactly; others follow the plain rule.
pub fn exact() -> impl Iterator<Item = System> {
    System::ALL.iter().copied().filter(|system| system.descriptor().exact_order)
}

/// Orders the versions of one system, for sorting: as [`compare`] does, but total on all strings. What the system would refuse
/// gets a place, and of two versions that it takes for the same one is always the first.
pub fn order(system: System, a: &str, b: &str) -> Ordering {
    (system.descriptor().order)(a, b)
}

/// The sort key of a version: hexadecimal digits whose order as text is [`order`]. For engines that know nothing of versions.
pub fn sort_key(system: System, version: &str) -> String {
    version::sort_key(system.descriptor().key, version)
}

/// Compares two full versions of one system by that system's own rule: which of the two is newer.
///
/// For pacman this is no order to sort by: a version without a release is the same as that version with any release, and those
/// differ from one another. Whoever sorts asks [`order`].
pub fn compare(system: System, a: &str, b: &str) -> Ordering {
    (system.descriptor().compare)(a, b)
}

/// Whether a version answers to a need; `None` is something provided without one.
pub fn fits(system: System, wanted: &Dependency, version: Option<&str>) -> bool {
    let (Some(op), Some(asked)) = (wanted.op, &wanted.version) else { return true };
    let Some(version) = version else { return system.descriptor().unversioned_provides_fit };
    let order = compare(system, version, asked);
    match op {
        VersionOp::Less => order == Ordering::Less,
        VersionOp::AtMost => order != Ordering::Greater,
        VersionOp::Exactly => order == Ordering::Equal,
        VersionOp::AtLeast => order != Ordering::Less,
        VersionOp::More => order == Ordering::Greater,
    }
}

/// The version of the program inside: without epoch, packaging revision and repacking marks.
///
/// A version `X+reallyY` means `Y`. Snaps, flatpaks and AppImages keep their text.
///
/// ```
/// use tally_core::{model::System, systems::upstream};
/// assert_eq!(upstream(System::Dpkg, "1:3.2.1+dfsg1-2+b1"), "3.2.1");
/// assert_eq!(upstream(System::Dpkg, "4.0-1+really3.2-1"), "3.2");
/// ```
pub fn upstream(system: System, version: &str) -> &str {
    (system.descriptor().upstream)(version.trim_ascii())
}
