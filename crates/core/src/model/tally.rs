use super::{
    Application, Counts, DefaultChoice, Evidence, Finding, FindingName, Label, Launcher, Looks, MediaAnswer,
    Note, Package, Part, Picture, Reading, Reduced, ReleaseHistory, Repository, Setting, StartupItem,
    Storage, System, Text,
};
use crate::offer::OfferSummary;
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The schema number that this program writes. It reads all up to that.
pub const SCHEMA: u32 = 2;

vocabulary! {
    /// What the source was.
    pub enum Medium {
        /// An installed system, on a disk or in a folder.
        Installed = "installed",
        /// A running live session.
        Live = "live",
        /// An image file.
        Image = "image",
        /// A list of packages.
        Listing = "listing",
    }
}

vocabulary! {
    /// How the install day was found.
    pub enum InstallDayHow {
        /// The installer's own records.
        InstallerLog = "installer-log" was "installer log",
        /// The time of the first packages, up to a pause.
        FirstPackage = "first-package" was "first package",
        /// The first start of the installed system.
        FirstStart = "first-start" was "first start",
        /// The first thing that a person asked the package manager for.
        Asked = "first-request" was "first request",
        /// The package manager's history: what came up to the last task or desktop.
        History = "package-history" was "package history",
        /// Someone who knows it said so.
        ByHand = "by-hand" was "by hand",
        /// The day of a published listing.
        Listing = "listing",
        /// Nothing tells.
        Unknown = "unknown",
    }
}

vocabulary! {
    /// What speaks for a moment at which an installation ended, what says most first.
    pub enum InstallDaySign {
        /// The installed system was started for the first time.
        FirstStart = "first-start" was "first start",
        /// A person asked the package manager for something.
        Asked = "first-request" was "first request",
        /// Something was typed after the last task or desktop had been put in place.
        AfterLastTask = "after-last-task" was "after the last task",
        /// Nothing happened for an hour.
        Pause = "pause",
    }
}

impl InstallDaySign {
    /// How an install day was found that rests on this sign.
    pub const fn how(self) -> InstallDayHow {
        match self {
            Self::FirstStart => InstallDayHow::FirstStart,
            Self::Asked => InstallDayHow::Asked,
            Self::AfterLastTask => InstallDayHow::History,
            Self::Pause => InstallDayHow::FirstPackage,
        }
    }
}

vocabulary! {
    /// A fact that a source can't tell.
    pub enum MissingFact {
        /// Why packages are there.
        Reasons = "reasons",
        /// What packages need.
        Dependencies = "dependencies",
        /// How big packages are.
        Sizes = "sizes",
        /// What is in the menu.
        Launchers = "launchers",
        /// Which file belongs to which package.
        Owners = "owners",
        /// Whether programs are there.
        Programs = "programs",
        /// Which repositories are configured, and what they offer.
        Repositories = "repositories",
        /// What logs and installers tell of the past.
        History = "history",
        /// What is set in `etc`.
        Settings = "settings",
        /// What a session starts by entries in `etc`.
        Autostart = "autostart",
    }
}

/// Reads a long list into room for a whole install, instead of moving it time and again as it grows.
fn roomy<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Vec<Package>, D::Error> {
    struct Roomy;
    impl<'de> serde::de::Visitor<'de> for Roomy {
        type Value = Vec<Package>;

        fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            f.write_str("a list of packages")
        }

        fn visit_seq<A: serde::de::SeqAccess<'de>>(self, mut list: A) -> Result<Vec<Package>, A::Error> {
            let mut packages = Vec::with_capacity(2048);
            while let Some(package) = list.next_element()? {
                packages.push(package);
            }
            Ok(packages)
        }
    }
    deserializer.deserialize_seq(Roomy)
}

/// When and from what a tally was taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Taken {
    /// Moment of the reading, RFC 3339 UTC.
    pub at: Text,
    /// The source as it was given.
    pub from: Text,
    /// What it was.
    pub medium: Medium,
    /// The layer of a layered medium.
    #[serde(default)]
    pub layer: Option<Text>,
    /// SHA-256 of an image file.
    #[serde(default)]
    pub sha256: Option<Text>,
    /// Which root of a disk it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub root: Option<TakenRoot>,
}

/// Which root of a disk was taken, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct TakenRoot {
    /// The number of a partition, a logical volume as `vg/lv`, the path of a subvolume, or a deployment.
    pub name: Text,
    /// Why it was taken.
    pub because: RootReason,
    /// The names of the others that could have been.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub others: Vec<Text>,
}

vocabulary! {
    /// Why a root of a disk was taken.
    pub enum RootReason {
        /// It was asked for.
        Asked = "asked",
        /// There is no other.
        Only = "only",
        /// The boot loader's first entry starts it.
        BootEntry = "boot-entry",
        /// It is the default subvolume.
        DefaultSubvolume = "default-subvolume",
        /// Its own table of mounts names it as the root, and no other's does.
        OwnTable = "own-table",
        /// It is called as root subvolumes are.
        UsualName = "usual-name",
    }
}

/// The day that the install was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct InstallDay {
    /// First moment, RFC 3339 UTC.
    pub began: Option<Text>,
    /// Last moment, RFC 3339 UTC.
    pub ended: Option<Text>,
    /// How it was found.
    pub how: InstallDayHow,
    /// Whether the installer's own records say so, or someone who knows.
    pub sure: bool,
    /// The file that says so: what the installer wrote last, the journal, the history of a package manager.
    #[serde(default)]
    pub evidence: Evidence,
    /// Moments at which the installation may have ended, where nothing says so, the earliest first. One of them was taken.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub candidates: Vec<InstallDayCandidate>,
}

/// A moment at which the installation may have ended.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct InstallDayCandidate {
    /// The moment, RFC 3339 UTC: `--installed` takes it.
    pub ended: Text,
    /// What speaks for it.
    pub sign: InstallDaySign,
    /// What was asked for then, where a log keeps it.
    #[serde(default)]
    pub command: Option<Reduced>,
    /// Where that was read.
    #[serde(default)]
    pub evidence: Evidence,
    /// Packages that came, changed or went after it.
    pub later: u32,
}

impl Default for InstallDay {
    fn default() -> Self {
        Self {
            began: None,
            ended: None,
            how: InstallDayHow::Unknown,
            sure: false,
            evidence: Evidence::default(),
            candidates: Vec::new(),
        }
    }
}

/// Something that could not be read; the rest was kept.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Unread {
    /// Path inside the install.
    pub file: Text,
    /// Line, counted from 1.
    #[serde(default)]
    pub line: Option<u32>,
    /// What is wrong with it.
    pub why: Reduced,
}

impl Unread {
    /// A problem with a line of a file.
    pub fn at(file: impl Into<Text>, line: u32, why: impl AsRef<str>) -> Self {
        Self { file: file.into(), line: Some(line), why: Reduced::reason(why.as_ref()) }
    }

    /// A problem with a whole file.
    pub fn whole(file: impl Into<Text>, why: impl AsRef<str>) -> Self {
        Self { file: file.into(), line: None, why: Reduced::reason(why.as_ref()) }
    }
}

/// The record of one install. Lists are sorted; facts are as found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Tally {
    /// Schema number, [`SCHEMA`]; documents of schema 1 call it `tally`.
    #[serde(alias = "tally")]
    pub schema_version: u32,
    /// Program and version that wrote it.
    pub program: Text,
    /// When and from what.
    pub taken: Taken,
    /// Whose install it is.
    pub label: Label,
    /// When it was installed.
    #[serde(default)]
    pub install_day: InstallDay,
    /// What happened since then; `null` if the install day is not known.
    #[serde(default)]
    pub since_install: Option<SinceInstall>,
    /// All packages, by system, name, architecture and version.
    #[serde(default, deserialize_with = "roomy")]
    pub packages: Vec<Package>,
    /// CRC-32 of the lines of the packages from `suggests` on, as they are written: who reads only what is before learns by it
    /// whether the rest is in order. Kept in files alone; a file without it is read in full.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub packages_crc32: Option<u32>,
    /// All launchers, by ID.
    #[serde(default)]
    pub launchers: Vec<Launcher>,
    /// All applications, by identifier.
    #[serde(default)]
    pub applications: Vec<Application>,
    /// Default applications, by role and type.
    #[serde(default)]
    pub defaults: Vec<DefaultChoice>,
    /// Parts, in the order of the rules.
    #[serde(default)]
    pub parts: Vec<Part>,
    /// Parts as shipped, where any differs from what was found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shipped_parts: Option<Vec<Part>>,
    /// Repositories.
    #[serde(default)]
    pub repositories: Vec<Repository>,
    /// What the repositories offer, in figures: one entry for each package system whose lists were there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub offers: Vec<OfferSummary>,
    /// Startup items.
    #[serde(default)]
    pub startup: Vec<StartupItem>,
    /// Sessions, themes, wallpapers, fonts.
    #[serde(default)]
    pub looks: Looks,
    /// What is set for new users and for the install, in the order of the rules; native ones last.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub settings: Vec<Setting>,
    /// What can be opened and played, in the order of the rules.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub media: Vec<MediaAnswer>,
    /// Wallpapers, logos, icons and the like, where they were asked for; by what they are for, and by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pictures: Vec<Picture>,
    /// What programs and parts say of their own releases, by component.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub releases: Vec<ReleaseHistory>,
    /// The disk.
    #[serde(default)]
    pub storage: Storage,
    /// Figures measured on the running install.
    #[serde(default)]
    pub readings: Vec<Reading>,
    /// The reviewer's remarks.
    #[serde(default)]
    pub notes: Vec<Note>,
    /// What is worth a second look.
    #[serde(default, alias = "oddities")]
    pub findings: Vec<Finding>,
    /// What could not be read.
    #[serde(default)]
    pub unread: Vec<Unread>,
    /// Facts that this source can't tell.
    #[serde(default)]
    pub missing_facts: Vec<MissingFact>,
    /// The figures a review quotes.
    #[serde(default)]
    pub counts: Counts,
}

impl Tally {
    /// The same as it is given to others: where it was taken from is a place on the reviewer's machine.
    #[must_use]
    pub fn for_others(mut self) -> Self {
        self.taken.from = Text::default();
        self
    }
}

/// What happened to an install between its install day and the reading.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SinceInstall {
    /// Packages that were added.
    pub added: u32,
    /// Packages that were updated.
    pub updated: u32,
    /// Packages that were removed.
    pub removed: u32,
    /// Whether nothing speaks against it.
    pub sure: bool,
    /// What does; empty when nothing does.
    #[serde(default, alias = "because", deserialize_with = "doubts")]
    pub doubts: Vec<Doubt>,
}

/// What speaks against a statement about the time since installation.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "doubt", rename_all = "kebab-case")]
pub enum Doubt {
    /// The install day itself is a guess.
    InstallDayGuessed,
    /// A package system has neither logs nor times.
    NoHistory {
        /// The package system.
        system: System,
    },
    /// The logs of a package system begin later.
    LogsBeginLater {
        /// The package system.
        system: System,
        /// Days after the installation.
        days: u32,
    },
    /// Logs and database disagree.
    LogsDisagree {
        /// The package system.
        system: System,
        /// How often.
        times: u32,
    },
    /// Only file times tell that packages were added or updated later, not the versions.
    OnlyTimes {
        /// The package system.
        system: System,
        /// How many packages.
        packages: u32,
    },
    /// What a tally of schema 1 says, as it says it.
    Legacy {
        /// Its words.
        legacy: Text,
    },
}

/// Doubts of this schema, or the sentence of schema 1.
fn doubts<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Vec<Doubt>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Stored {
        Known(Vec<Doubt>),
        Legacy(Text),
    }
    Ok(match Stored::deserialize(deserializer)? {
        Stored::Known(doubts) => doubts,
        Stored::Legacy(words) if words.is_empty() => Vec::new(),
        Stored::Legacy(words) => vec![Doubt::Legacy { legacy: words }],
    })
}

impl Tally {
    /// An empty tally: nothing found yet.
    pub fn new(program: impl Into<Text>, taken: Taken, label: Label) -> Self {
        Self {
            schema_version: SCHEMA,
            program: program.into(),
            taken,
            label,
            install_day: InstallDay::default(),
            since_install: None,
            packages: Vec::new(),
            packages_crc32: None,
            launchers: Vec::new(),
            applications: Vec::new(),
            defaults: Vec::new(),
            parts: Vec::new(),
            shipped_parts: None,
            repositories: Vec::new(),
            offers: Vec::new(),
            startup: Vec::new(),
            looks: Looks::default(),
            settings: Vec::new(),
            media: Vec::new(),
            pictures: Vec::new(),
            releases: Vec::new(),
            storage: Storage::default(),
            readings: Vec::new(),
            notes: Vec::new(),
            findings: Vec::new(),
            unread: Vec::new(),
            missing_facts: Vec::new(),
            counts: Counts::default(),
        }
    }

    /// The JSON Schema of a tally (draft 2020-12), as `docs/tally.schema.json` holds it.
    pub fn schema() -> schemars::Schema {
        schemars::schema_for!(Self)
    }

    /// Packages whose files are there.
    pub fn present(&self) -> impl Iterator<Item = &Package> {
        self.packages.iter().filter(|package| package.is_present())
    }

    /// Everything but the packages, which make up most of a tally: who writes them apart needs no copy of them.
    #[must_use]
    pub fn without_packages(&self) -> Self {
        Self {
            schema_version: self.schema_version,
            program: self.program.clone(),
            taken: self.taken.clone(),
            label: self.label.clone(),
            install_day: self.install_day.clone(),
            since_install: self.since_install.clone(),
            packages: Vec::new(),
            packages_crc32: None,
            launchers: self.launchers.clone(),
            applications: self.applications.clone(),
            defaults: self.defaults.clone(),
            parts: self.parts.clone(),
            shipped_parts: self.shipped_parts.clone(),
            repositories: self.repositories.clone(),
            offers: self.offers.clone(),
            startup: self.startup.clone(),
            looks: self.looks.clone(),
            settings: self.settings.clone(),
            media: self.media.clone(),
            pictures: self.pictures.clone(),
            releases: self.releases.clone(),
            storage: self.storage.clone(),
            readings: self.readings.clone(),
            notes: self.notes.clone(),
            findings: self.findings.clone(),
            unread: self.unread.clone(),
            missing_facts: self.missing_facts.clone(),
            counts: self.counts.clone(),
        }
    }

    /// The first launcher of an application.
    pub fn launcher_of(&self, application: &Application) -> Option<&Launcher> {
        self.launchers.iter().find(|launcher| application.launchers.contains(&launcher.id))
    }

    /// What holds a role, by the identifier in `defaults`: its name and version. A settings panel holds a role, and is no
    /// application of its own: it is called like its launcher. Nor is a desktop's own program, which has no launcher.
    pub fn holder<'a>(&'a self, id: &'a str) -> (&'a str, Option<&'a str>) {
        if let Some(known) = self.applications.iter().find(|application| application.id == id) {
            return (&known.name, known.version.as_deref());
        }
        let named = |launcher: &&Launcher| launcher.id.strip_suffix(".desktop") == Some(id);
        let meant = |launcher: &&Launcher| crate::derive::application_id(&launcher.id) == id;
        let launcher = self.launchers.iter().find(named).or_else(|| self.launchers.iter().find(meant));
        if let (None, Some(name)) = (launcher, crate::knowledge::desktops().name_of_program(id)) {
            let package = self.packages.iter().find(|package| package.name == id);
            return (name, package.map(|one| crate::systems::upstream(one.system, &one.version)));
        }
        (
            launcher.map_or(id, |launcher| launcher.name.as_str()),
            launcher.and_then(|launcher| launcher.version.as_deref()),
        )
    }

    /// Whether the source could not tell this fact.
    pub fn lacks(&self, fact: MissingFact) -> bool {
        self.missing_facts.contains(&fact)
    }

    /// Whether a finding would have been found if there was one: whether this source tells what its rule asks.
    pub fn looks_for(&self, finding: FindingName) -> bool {
        let is_list = self.taken.medium == Medium::Listing;
        match finding {
            FindingName::MissingProgram => {
                !self.lacks(MissingFact::Launchers) && !self.lacks(MissingFact::Programs)
            }
            FindingName::WebPageLauncher
            | FindingName::TwoLaunchers
            | FindingName::TwoFormats
            | FindingName::NoDefault
            | FindingName::MixedDefaults
            | FindingName::BrokenDefault
            | FindingName::NoDecoder
            | FindingName::UnlikelyDefault => !self.lacks(MissingFact::Launchers),
            // By what packages say of themselves, their files and what lies beside them; most lists have none of it.
            FindingName::InstallerLeftBehind
            | FindingName::TransitionalPackage
            | FindingName::Games
            | FindingName::MissingLook
            | FindingName::HalfInstalled
            | FindingName::InNoRepository
            | FindingName::ForeignRepository
            | FindingName::UnownedStartup
            | FindingName::RemovedLeftovers
            | FindingName::ManifestDisagrees => !is_list,
            FindingName::ReportsHome => true,
        }
    }

    /// Bytes on disk of all packages that are there.
    pub fn installed_bytes(&self) -> u64 {
        self.present().filter_map(|p| p.installed_bytes).fold(0, u64::saturating_add)
    }

    /// Puts every list in its stated order.
    pub fn sort(&mut self) {
        self.packages.sort_by(|a, b| {
            (a.system, &a.name, &a.arch, &a.version).cmp(&(b.system, &b.name, &b.arch, &b.version))
        });
        self.launchers.sort_by(|a, b| (&a.id, &a.evidence.file).cmp(&(&b.id, &b.evidence.file)));
        self.applications.sort_by(|a, b| (&a.id, &a.launchers).cmp(&(&b.id, &b.launchers)));
        self.startup.sort_by(|a, b| (a.scope, a.kind, &a.name).cmp(&(b.scope, b.kind, &b.name)));
        self.unread.sort();
        self.unread.dedup();
        self.missing_facts.sort();
    }
}
