use super::vocabulary::vocabulary;
use super::{Evidence, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// Named rules for things that deserve a second look.
    pub enum OddityName {
        /// A launcher that only opens a web page.
        WebPageLauncher = "web-page-launcher",
        /// A launcher whose program is not there.
        MissingProgram = "missing-program",
        /// A package that is not installed in full.
        HalfInstalled = "half-installed",
        /// Two shown launchers start the same program in the same way.
        TwoLaunchers = "two-launchers",
        /// Several applications could do a job, and none is chosen.
        DoubleInRole = "double-in-role",
        /// Types of one family are opened by different programs.
        MixedOpeners = "mixed-openers",
        /// A default names a launcher that is not there.
        DefaultPointsNowhere = "default-points-nowhere",
        /// A job is done by a program that was made for another one.
        UnlikelyDefault = "unlikely-default",
        /// A package that no repository has.
        InNoRepository = "in-no-repository",
        /// A repository that is not the distribution's own.
        ForeignRepository = "foreign-repository",
        /// A startup item that no package owns.
        UnownedStartup = "unowned-startup",
        /// A program that reports home or tells where the machine is.
        ReportsHome = "reports-home",
        /// The installer is still there.
        InstallerLeftBehind = "installer-left-behind",
        /// A package that only eases a renaming.
        TransitionalPackage = "transitional-package",
        /// One application delivered by two package systems.
        TwoFormats = "two-formats",
        /// Games, their number and weight.
        Games = "games",
        /// Configuration of a package that was removed.
        RemovedLeftovers = "removed-leftovers",
        /// A list on the medium says otherwise than the package database.
        ManifestDisagrees = "manifest-disagrees",
    }
}

impl OddityName {
    /// The order in which a reader with little time wants to hear of them: what is broken, what touches privacy and trust,
    /// what surprises in use, what is merely untidy.
    pub const BY_WEIGHT: &[Self] = &[
        Self::HalfInstalled,
        Self::ManifestDisagrees,
        Self::MissingProgram,
        Self::DefaultPointsNowhere,
        Self::ReportsHome,
        Self::ForeignRepository,
        Self::InNoRepository,
        Self::UnownedStartup,
        Self::TwoFormats,
        Self::UnlikelyDefault,
        Self::DoubleInRole,
        Self::MixedOpeners,
        Self::WebPageLauncher,
        Self::TwoLaunchers,
        Self::InstallerLeftBehind,
        Self::Games,
        Self::RemovedLeftovers,
        Self::TransitionalPackage,
    ];
}

/// Something in one install that deserves a second look.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Oddity {
    /// Which rule.
    pub oddity: OddityName,
    /// What it is about: `launcher:...`, `dpkg:...`, `role:...`.
    pub about: Vec<Text>,
    /// One sentence.
    pub why: Text,
    /// Where it shows.
    #[serde(default)]
    pub evidence: Evidence,
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
        let mut named = OddityName::BY_WEIGHT.to_vec();
        named.sort_unstable();
        let mut all = OddityName::ALL.to_vec();
        all.sort_unstable();
        assert_eq!(named, all);
    }
}
