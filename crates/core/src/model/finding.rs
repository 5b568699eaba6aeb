use super::{Evidence, System, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// Named rules for what is worth a second look.
    pub enum FindingName {
        /// A launcher that only opens a web page.
        WebPageLauncher = "web-page-launcher",
        /// A launcher whose program is missing.
        MissingProgram = "missing-program",
        /// A package that is not fully installed.
        HalfInstalled = "half-installed",
        /// Two visible launchers start the same program in the same way.
        TwoLaunchers = "two-launchers",
        /// Several applications could do a job, and no default is set.
        NoDefault = "no-default" was "double-in-role",
        /// Types of one family open in different applications.
        MixedDefaults = "mixed-defaults" was "mixed-openers",
        /// A default names a launcher that does not exist.
        BrokenDefault = "broken-default" was "default-points-nowhere",
        /// A type opens in an application that was made for another job.
        UnlikelyDefault = "unlikely-default",
        /// A theme or icon set that is set for new users and not installed.
        MissingLook = "missing-look",
        /// An application opens a type, and what decodes it is missing.
        NoDecoder = "no-decoder",
        /// A package that is in none of the configured repositories.
        InNoRepository = "in-no-repository",
        /// A repository that is not the distribution's own.
        ForeignRepository = "foreign-repository",
        /// A startup item that belongs to no package.
        UnownedStartup = "unowned-startup",
        /// A program that reports to its makers, or looks up where the machine is.
        ReportsHome = "reports-home",
        /// The installer is still installed.
        InstallerLeftBehind = "installer-left-behind",
        /// A transitional package.
        TransitionalPackage = "transitional-package",
        /// One application delivered by two package systems.
        TwoFormats = "two-formats",
        /// Games, their number and size.
        Games = "games",
        /// Configuration of a package that was removed.
        RemovedLeftovers = "removed-leftovers",
        /// A package list on the medium differs from the package database.
        ManifestDisagrees = "manifest-disagrees",
    }
}

vocabulary! {
    /// What an agent does without being asked.
    pub enum AgentPurpose {
        /// Sends usage statistics.
        UsageStatistics = "usage-statistics",
        /// Sends crash reports.
        CrashReports = "crash-reports",
        /// Looks up the machine's location online.
        Location = "location",
        /// Reports something else.
        Other = "other",
    }
}

/// An application that opens a type.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct TypeDefault {
    /// The MIME type.
    #[serde(rename = "type")]
    pub mime: Text,
    /// The application that opens it.
    pub application: Text,
}

/// What a rule found, with all that is needed to say it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "finding", rename_all = "kebab-case")]
#[allow(
    missing_docs,
    reason = "the names of the arguments say what they are; FindingName documents the rules"
)]
pub enum FindingDetails {
    WebPageLauncher {
        name: Text,
        url: Text,
    },
    MissingProgram {
        name: Text,
        program: Option<Text>,
    },
    HalfInstalled {
        package: Text,
    },
    TwoLaunchers {
        name: Text,
        program: Text,
        count: u32,
    },
    NoDefault {
        role: Text,
        asked: Text,
        candidates: Vec<Text>,
    },
    MixedDefaults {
        role: Text,
        defaults: Vec<TypeDefault>,
    },
    BrokenDefault {
        role: Text,
        asked: Text,
        launchers: Vec<Text>,
    },
    UnlikelyDefault {
        role: Text,
        asked: Text,
        application: Text,
        other_role: Text,
    },
    MissingLook {
        /// The stable name of the setting: `theme`, `icons`.
        setting: Text,
        name: Text,
    },
    NoDecoder {
        application: Text,
        framework: Text,
        /// Stable names of media.
        media: Vec<Text>,
    },
    InNoRepository {
        package: Text,
        version: Text,
    },
    ForeignRepository {
        repository: Text,
        uri: Text,
    },
    UnownedStartup {
        item: Text,
    },
    ReportsHome {
        package: Text,
        purpose: AgentPurpose,
        summary: Text,
    },
    InstallerLeftBehind {
        installer: Text,
    },
    TransitionalPackage {
        package: Text,
    },
    TwoFormats {
        name: Text,
        systems: Vec<System>,
    },
    Games {
        games: Vec<Text>,
        installed_bytes: Option<u64>,
    },
    RemovedLeftovers {
        package: Text,
    },
    ManifestDisagrees {
        file: Text,
        not_installed: Vec<Text>,
        not_listed: Vec<Text>,
        other_version: Vec<Text>,
    },
    /// What a tally of schema 1 says, as it says it.
    Legacy {
        rule: FindingName,
        legacy: Text,
    },
}

impl FindingDetails {
    /// The rule that found it.
    pub const fn name(&self) -> FindingName {
        match self {
            Self::WebPageLauncher { .. } => FindingName::WebPageLauncher,
            Self::MissingProgram { .. } => FindingName::MissingProgram,
            Self::HalfInstalled { .. } => FindingName::HalfInstalled,
            Self::TwoLaunchers { .. } => FindingName::TwoLaunchers,
            Self::NoDefault { .. } => FindingName::NoDefault,
            Self::MixedDefaults { .. } => FindingName::MixedDefaults,
            Self::BrokenDefault { .. } => FindingName::BrokenDefault,
            Self::UnlikelyDefault { .. } => FindingName::UnlikelyDefault,
            Self::MissingLook { .. } => FindingName::MissingLook,
            Self::NoDecoder { .. } => FindingName::NoDecoder,
            Self::InNoRepository { .. } => FindingName::InNoRepository,
            Self::ForeignRepository { .. } => FindingName::ForeignRepository,
            Self::UnownedStartup { .. } => FindingName::UnownedStartup,
            Self::ReportsHome { .. } => FindingName::ReportsHome,
            Self::InstallerLeftBehind { .. } => FindingName::InstallerLeftBehind,
            Self::TransitionalPackage { .. } => FindingName::TransitionalPackage,
            Self::TwoFormats { .. } => FindingName::TwoFormats,
            Self::Games { .. } => FindingName::Games,
            Self::RemovedLeftovers { .. } => FindingName::RemovedLeftovers,
            Self::ManifestDisagrees { .. } => FindingName::ManifestDisagrees,
            Self::Legacy { rule, .. } => *rule,
        }
    }
}

impl FindingName {
    /// The order in which a reader with little time wants to hear of them: what is broken, what touches privacy and trust,
    /// what surprises in use, what is merely untidy.
    pub const BY_WEIGHT: &[Self] = &[
        Self::HalfInstalled,
        Self::ManifestDisagrees,
        Self::MissingProgram,
        Self::BrokenDefault,
        Self::ReportsHome,
        Self::ForeignRepository,
        Self::InNoRepository,
        Self::UnownedStartup,
        Self::TwoFormats,
        Self::UnlikelyDefault,
        Self::NoDecoder,
        Self::MissingLook,
        Self::NoDefault,
        Self::MixedDefaults,
        Self::WebPageLauncher,
        Self::TwoLaunchers,
        Self::InstallerLeftBehind,
        Self::Games,
        Self::RemovedLeftovers,
        Self::TransitionalPackage,
    ];
}

/// Something in one install that is worth a second look.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(from = "Stored")]
pub struct Finding {
    /// What was found.
    #[serde(flatten)]
    pub details: FindingDetails,
    /// What it is about: `launcher:...`, `dpkg:...`, `role:...`.
    pub about: Vec<Text>,
    /// Where it shows.
    #[serde(default)]
    pub evidence: Evidence,
}

impl Finding {
    /// The rule that found it.
    pub const fn name(&self) -> FindingName {
        self.details.name()
    }

    /// The order of findings in a document.
    pub fn order(a: &Self, b: &Self) -> std::cmp::Ordering {
        (a.name(), &a.about, &a.details).cmp(&(b.name(), &b.about, &b.details))
    }
}

/// A finding as a document of this schema or of schema 1 has it.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
enum Stored {
    Known {
        #[serde(flatten)]
        details: FindingDetails,
        about: Vec<Text>,
        #[serde(default)]
        evidence: Evidence,
    },
    Legacy {
        oddity: FindingName,
        about: Vec<Text>,
        why: Text,
        #[serde(default)]
        evidence: Evidence,
    },
}

impl From<Stored> for Finding {
    fn from(stored: Stored) -> Self {
        match stored {
            Stored::Known { details, about, evidence } => Self { details, about, evidence },
            Stored::Legacy { oddity, about, why, evidence } => {
                Self { details: FindingDetails::Legacy { rule: oddity, legacy: why }, about, evidence }
            }
        }
    }
}

/// A remark by the reviewer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Note {
    /// When it was written, RFC 3339 UTC.
    pub at: Text,
    /// The question it answers, where it answers one.
    #[serde(default)]
    pub ask: Option<Text>,
    /// What was written.
    pub text: Text,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_rule_has_its_weight_once() {
        let mut named = FindingName::BY_WEIGHT.to_vec();
        named.sort_unstable();
        let mut all = FindingName::ALL.to_vec();
        all.sort_unstable();
        assert_eq!(named, all);
    }
}
