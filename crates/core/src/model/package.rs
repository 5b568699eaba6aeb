use super::{Evidence, KindReason, System, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// What a package is; exactly one for each.
    pub enum Kind {
        /// A graphical program, started by a person.
        Application = "application",
        /// A game.
        Game = "game",
        /// A program that a person starts in a terminal.
        Command = "command",
        /// Shell, panel, settings, session, applet, portal of a desktop.
        Desktop = "desktop",
        /// A daemon.
        Service = "service",
        /// Kernel, boot loader, initramfs.
        Kernel = "kernel",
        /// Drivers and firmware.
        Driver = "driver",
        /// The base userland.
        System = "system",
        /// Package managers, stores, installers, updaters.
        Packaging = "packaging",
        /// A shared library.
        Library = "library",
        /// Language interpreters and their modules, sandbox runtimes and bases.
        Runtime = "runtime",
        /// Decoders and encoders of media.
        Codec = "codec",
        /// A plug-in of a program, toolkit, database or service that is no codec.
        Plugin = "plugin",
        /// Translations, dictionaries, input methods.
        Language = "language",
        /// Fonts.
        Font = "font",
        /// Themes, icons, wallpapers, sounds, branding.
        Artwork = "artwork",
        /// Manuals and help.
        Documentation = "documentation",
        /// Headers, compilers, debuggers.
        Development = "development",
        /// Companion data of something else.
        Data = "data",
        /// A package that only pulls in others.
        Metapackage = "metapackage",
        /// An empty package that eases a renaming.
        Transitional = "transitional",
        /// No rule fired.
        Unknown = "unknown",
    }
}

vocabulary! {
    /// Why a package is there, as its system records it.
    pub enum Reason {
        /// Installed explicitly: by hand, by the installer, or as part of a task.
        Explicit = "explicit" was "chosen",
        /// Installed as a dependency of something else.
        Dependency = "dependency" was "followed",
        /// The system keeps no record.
        Unknown = "unknown",
    }
}

vocabulary! {
    /// How far a package is installed.
    pub enum State {
        /// Unpacked and configured.
        Installed = "installed",
        /// Unpacked, or in the middle of an installation that did not end.
        Half = "half",
        /// Removed, its configuration files left behind.
        RemovedConfig = "removed-config",
        /// Gone altogether; a log or a list tells that it was there.
        Removed = "removed",
    }
}

vocabulary! {
    /// When a package came, as against the install day.
    pub enum Phase {
        /// Came with the install.
        Shipped = "shipped",
        /// Was added after the install day.
        AddedLater = "added-later",
        /// Came with the install, and was updated after it.
        UpdatedLater = "updated-later",
        /// Came with the install, and was removed after it.
        RemovedLater = "removed-later",
        /// Is on the live medium only; the installer leaves it out.
        LiveOnly = "live-only",
    }
}

vocabulary! {
    /// How a relation compares versions.
    pub enum VersionOp {
        /// Earlier.
        Less = "<",
        /// Earlier or equal.
        AtMost = "<=",
        /// Equal.
        Exactly = "=",
        /// Later or equal.
        AtLeast = ">=",
        /// Later.
        More = ">",
    }
}

/// Alternatives of a relation, any one of which will do; nearly always a single one.
pub type Alternatives = smallvec::SmallVec<[Dependency; 1]>;

/// One alternative of a relation: a package (or virtual) name, and the version asked for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Dependency {
    /// Name of a package or of something provided; an architecture qualifier is left out.
    pub name: Text,
    /// Absent when any version will do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub op: Option<VersionOp>,
    /// The version beside `op`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<Text>,
}

/// One package of one system, as its database describes it.
///
/// What two installs are compared by is first, up to `conflicts`: a comparison reads no further.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Package {
    /// The package system.
    pub system: System,
    /// Name in that system.
    pub name: Text,
    /// Full version, the database's own text.
    pub version: Text,
    /// The version of the program inside, without epoch and packaging revision.
    #[serde(default)]
    pub upstream_version: Text,
    /// Architecture in the system's own words.
    #[serde(default)]
    pub arch: Text,
    /// Source package, or `null`.
    #[serde(default, alias = "made_from")]
    pub source: Option<Text>,
    /// Bytes on disk, as the system states them.
    #[serde(default)]
    pub installed_bytes: Option<u64>,
    /// Why it is there.
    #[serde(default = "unknown_reason")]
    pub reason: Reason,
    /// Whether the system refuses to remove it.
    #[serde(default)]
    pub essential: bool,
    /// Whether the system never clears it by itself, though it may be removed: apt does so with the priority `required`.
    #[serde(default, skip_serializing_if = "is_false")]
    pub kept: bool,
    /// Whether its version is to stay: it was put on hold.
    #[serde(default, skip_serializing_if = "is_false")]
    pub held: bool,
    /// How far it is installed.
    #[serde(default = "installed")]
    pub state: State,
    /// What it is.
    #[serde(default = "unknown_kind")]
    pub kind: Kind,
    /// The package whose companion this is.
    #[serde(default)]
    pub companion_of: Option<Text>,
    /// When it came.
    #[serde(default = "shipped")]
    pub phase: Phase,
    /// The version that was shipped, where it differs.
    #[serde(default)]
    pub shipped_version: Option<Text>,
    /// Outer list: all of them; inner list: any one.
    #[serde(default)]
    pub depends: Vec<Alternatives>,
    /// As `depends`, but not compelling.
    #[serde(default)]
    pub recommends: Vec<Alternatives>,
    /// What it provides besides its name.
    #[serde(default)]
    pub provides: Vec<Dependency>,
    /// What it declares to replace.
    #[serde(default)]
    pub replaces: Vec<Dependency>,
    /// What it can't is beside.
    #[serde(default)]
    pub conflicts: Vec<Dependency>,
    /// The day that its makers built it, `YYYY-MM-DD`; of dpkg, the day of its last change.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub built: Option<Text>,
    /// As `recommends`, but no more than a hint; package systems keep what is suggested and there.
    #[serde(default)]
    pub suggests: Vec<Alternatives>,
    /// Section, group or category of the archive.
    #[serde(default)]
    pub section: Text,
    /// The section a repository list files this version under, where the package itself names another. Package managers go by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub archive_section: Option<Text>,
    /// Package URL (ECMA-427).
    #[serde(default)]
    pub purl: Text,
    /// One line of description.
    #[serde(default)]
    pub summary: Text,
    /// The project's page.
    #[serde(default)]
    pub homepage: Text,
    /// Licence expression, where the system records one.
    #[serde(default)]
    pub license: Option<Text>,
    /// Bytes to download, if a repository list has it.
    #[serde(default)]
    pub download_bytes: Option<u64>,
    /// The rule and the facts behind `kind`.
    #[serde(default)]
    pub kind_because: KindReason,
    /// When it was installed, RFC 3339 UTC.
    #[serde(default)]
    pub installed_at: Option<Text>,
    /// The repository it came from.
    #[serde(default)]
    pub repository: Option<Text>,
    /// Where all this was read.
    #[serde(default)]
    pub evidence: Evidence,
    /// Whether it may be installed for several architectures at once (`Multi-Arch: same`); not kept in the document.
    #[serde(skip)]
    pub beside_itself: bool,
    /// Whether lists of repositories were there, and none of them names it; not kept in the document.
    #[serde(skip)]
    pub in_no_repository: bool,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for a reference")]
fn is_false(value: &bool) -> bool {
    !*value
}

fn unknown_reason() -> Reason {
    Reason::Unknown
}

fn installed() -> State {
    State::Installed
}

fn unknown_kind() -> Kind {
    Kind::Unknown
}

pub(super) fn shipped() -> Phase {
    Phase::Shipped
}

impl Kind {
    /// Whether a package of this kind, of which little more than the name is known, may be in the menu.
    pub const fn may_have_programs(self) -> bool {
        matches!(self, Self::Application | Self::Game | Self::Desktop | Self::Packaging | Self::Unknown)
    }
}

impl Phase {
    /// Whether it came with the install; what is left out of the document then.
    pub fn is_shipped(&self) -> bool {
        *self == Self::Shipped
    }
}

impl Package {
    /// A package of which only system, name and version are known.
    pub fn new(system: System, name: impl Into<Text>, version: impl Into<Text>) -> Self {
        Self {
            system,
            name: name.into(),
            version: version.into(),
            upstream_version: Text::default(),
            arch: Text::default(),
            purl: Text::default(),
            source: None,
            summary: Text::default(),
            section: Text::default(),
            archive_section: None,
            homepage: Text::default(),
            license: None,
            installed_bytes: None,
            download_bytes: None,
            reason: Reason::Unknown,
            essential: false,
            kept: false,
            held: false,
            state: State::Installed,
            kind: Kind::Unknown,
            kind_because: KindReason::default(),
            companion_of: None,
            phase: Phase::Shipped,
            shipped_version: None,
            installed_at: None,
            built: None,
            repository: None,
            depends: Vec::new(),
            recommends: Vec::new(),
            suggests: Vec::new(),
            provides: Vec::new(),
            replaces: Vec::new(),
            conflicts: Vec::new(),
            evidence: Evidence::default(),
            beside_itself: false,
            in_no_repository: false,
        }
    }

    /// Whether its files are there: installed in full or half.
    pub fn is_present(&self) -> bool {
        !matches!(self.state, State::RemovedConfig | State::Removed)
    }

    /// The package as it was on the install day; `None` when it was not there.
    #[must_use]
    pub fn as_shipped(&self) -> Option<Self> {
        let mut package = match self.phase {
            Phase::AddedLater | Phase::LiveOnly => return None,
            _ => self.clone(),
        };
        if package.phase == Phase::RemovedLater {
            package.state = State::Installed;
        }
        if let Some(version) = package.shipped_version.take() {
            package.upstream_version = crate::systems::upstream(package.system, &version).into();
            package.version = version;
        }
        Some(package)
    }

    /// `system:name`, the way other records refer to it.
    pub fn reference(&self) -> PackageRef {
        PackageRef::new(self.system, &self.name)
    }

    /// The name without the category that Portage puts before it.
    pub fn plain_name(&self) -> &str {
        match self.system {
            System::Portage => self.name.rsplit('/').next().unwrap_or(&self.name),
            _ => &self.name,
        }
    }

    /// The source package; its own name when it was made from a source of the same name.
    pub fn source(&self) -> &str {
        self.source.as_deref().unwrap_or(&self.name)
    }

    /// Builds the package URL from system, distribution, name, version and architecture.
    ///
    /// Follows ECMA-427: `pkg:deb/saltmarsh/inkcap@3.2.1-2?arch=amd64`. The namespace is left out when
    /// `distro_id` is empty. The epoch of an rpm package is a qualifier, as its type asks; systems without a type of their
    /// own are `generic`, and named in the qualifier `system`.
    pub fn make_purl(&self, distro_id: &str) -> Text {
        let mut url = String::with_capacity(48);
        url.push_str("pkg:");
        url.push_str(self.system.purl_type());
        url.push('/');
        if !distro_id.is_empty() {
            encode_into(&mut url, distro_id);
            url.push('/');
        }
        encode_into(&mut url, &self.name);
        let (epoch, version) = match self.version.split_once(':') {
            Some((epoch, version)) if self.system == System::Rpm => (epoch, version),
            _ => ("", self.version.as_str()),
        };
        url.push('@');
        encode_into(&mut url, version);
        let system = if self.system.purl_type() == "generic" { self.system.name() } else { "" };
        let mut mark = '?';
        // Qualifiers stand in the order of their names.
        for (key, value) in [("arch", self.arch.as_str()), ("epoch", epoch), ("system", system)] {
            if !value.is_empty() {
                url.push(mark);
                url.push_str(key);
                url.push('=');
                encode_into(&mut url, value);
                mark = '&';
            }
        }
        Text::from(url)
    }
}

/// Percent-encodes what a package URL can't hold as it is.
fn encode_into(url: &mut String, text: &str) {
    const HEX: &[u8; 16] = b"0123456789ABCDEF";
    for byte in text.bytes() {
        if byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-' | b'_' | b'~' | b':') {
            url.push(char::from(byte));
        } else {
            url.push('%');
            url.push(char::from(HEX[usize::from(byte >> 4)]));
            url.push(char::from(HEX[usize::from(byte & 15)]));
        }
    }
}

/// `system:name`, as launchers, findings and decisions name a package.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct PackageRef(Text);

impl PackageRef {
    /// The reference of a package of this system and name.
    pub fn new(system: System, name: &str) -> Self {
        Self(smol_str::format_smolstr!("{}:{name}", system.name()))
    }

    /// The whole reference.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// System and name, where the system is one we know.
    pub fn parts(&self) -> Option<(System, &str)> {
        let (system, name) = self.0.split_once(':')?;
        Some((System::from_name(system)?, name))
    }

    /// The name without its system.
    pub fn name(&self) -> &str {
        self.0.split_once(':').map_or(self.0.as_str(), |(_, name)| name)
    }
}

impl std::fmt::Display for PackageRef {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_purl_encodes_what_the_standard_asks_for() {
        let mut package = Package::new(System::Dpkg, "libweir2+extra", "1:2.0~rc1+b1");
        package.arch = "amd64".into();
        assert_eq!(
            package.make_purl("saltmarsh"),
            "pkg:deb/saltmarsh/libweir2%2Bextra@1:2.0~rc1%2Bb1?arch=amd64"
        );
    }

    #[test]
    fn an_epoch_of_rpm_is_a_qualifier_and_a_system_without_a_type_is_named() {
        let mut package = Package::new(System::Rpm, "weir", "2:4.0-1");
        package.arch = "noarch".into();
        assert_eq!(package.make_purl("marsh"), "pkg:rpm/marsh/weir@4.0-1?arch=noarch&epoch=2");
        assert_eq!(
            Package::new(System::Xbps, "weir", "4.0_1").make_purl(""),
            "pkg:generic/weir@4.0_1?system=xbps"
        );
    }

    #[test]
    fn a_reference_splits_at_its_first_colon() {
        let reference = PackageRef::new(System::Flatpak, "org.marsh:odd");
        assert_eq!(reference.parts(), Some((System::Flatpak, "org.marsh:odd")));
    }

    #[test]
    fn names_of_every_vocabulary_are_unique() {
        let names: std::collections::BTreeSet<_> = Kind::ALL.iter().map(|k| k.name()).collect();
        assert_eq!(names.len(), Kind::ALL.len());
        assert!(Kind::ALL.iter().all(|k| Kind::from_name(k.name()) == Some(*k)));
    }
}
