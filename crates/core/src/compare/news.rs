//! What headlines say, as data.

use super::changes::{ApplicationChangeKind, DefaultChangeKind, ListItem, PartChangeKind};
use super::document::{DecisionKind, DecisionReason};
use crate::model::{AgentPurpose, System, Text};
use crate::version::Step;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A role or a part with the words that the rules have for it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Named {
    /// Stable name.
    pub name: Text,
    /// What it is called.
    pub label: Text,
}

/// Name and version of what fills a part.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Filling {
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Option<Text>,
}

/// How much a decision adds or removes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Weight {
    /// Packages.
    pub packages: u32,
    /// Change of the bytes on disk.
    pub bytes_delta: i64,
}

/// A version that people ask for first, on both sides.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct KeyFigure {
    /// `part:desktop`, `role:web-browser`, `session`.
    pub about: Text,
    /// What it is called.
    pub label: Text,
    /// What it was; `null` where there was none.
    pub was: Option<Filling>,
    /// What it is; `null` where there is none.
    pub is: Option<Filling>,
    /// Whether both are the same.
    pub same: bool,
}

/// A job that another application has now.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Succession {
    /// The role.
    pub role: Named,
    /// The application that had it.
    pub was: Text,
    /// The application that has it.
    pub is: Text,
}

/// What a headline says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "news", rename_all = "kebab-case")]
pub enum News {
    /// Wallpapers, compared by what they show.
    Wallpapers {
        /// New ones.
        new: u64,
        /// Those that were there before.
        kept: u64,
        /// Those that are not there any more.
        gone: u64,
    },
    /// A setting that a person sees at once.
    Setting {
        /// The setting.
        setting: Named,
        /// Its value before.
        was: Option<Text>,
        /// Its value.
        is: Option<Text>,
    },
    /// Another default app.
    Default {
        /// What happened.
        change: DefaultChangeKind,
        /// Applications that were the default.
        was: Vec<Text>,
        /// The application that is, if any.
        is: Option<Text>,
        /// The roles, the most important first.
        roles: Vec<Named>,
        /// What came along with it.
        #[serde(default)]
        weight: Weight,
    },
    /// Jobs that follow another desktop, whose own applications have them.
    DesktopApps {
        /// The desktop that was.
        was: Text,
        /// The desktop that is.
        is: Text,
        /// The jobs, the most important first.
        jobs: Vec<Succession>,
    },
    /// A new major version of an application that people know by its job.
    AppVersion {
        /// The job.
        role: Named,
        /// The application.
        name: Text,
        /// Its version before.
        was: Text,
        /// Its version now.
        is: Text,
    },
    /// What everybody sees on the screen: the session, the theme, the wallpaper.
    Look {
        /// What it is.
        item: ListItem,
        /// What it was.
        was: Option<Text>,
        /// What it is now.
        is: Option<Text>,
    },
    /// A part was replaced or has another version.
    Part {
        /// What happened.
        change: PartChangeKind,
        /// The part.
        part: Named,
        /// How far the version moved.
        step: Option<Step>,
        /// What filled it.
        was: Filling,
        /// What fills it.
        is: Filling,
    },
    /// Applications that were added, removed, or are delivered by another package system.
    Applications {
        /// What happened.
        change: ApplicationChangeKind,
        /// Their names.
        names: Vec<Text>,
        /// What they bring along or take with them.
        weight: Weight,
        /// Package systems before.
        old_systems: Vec<System>,
        /// Package systems now.
        new_systems: Vec<System>,
    },
    /// A decision with large consequences.
    Decision {
        /// What was decided.
        kind: DecisionKind,
        /// What it is about.
        names: Vec<Text>,
        /// What shows it.
        #[serde(flatten)]
        reason: DecisionReason,
        /// All that followed.
        weight: Weight,
        /// What fills parts among it: toolkits, frameworks.
        #[serde(default)]
        brings: Vec<Text>,
        /// The sandbox system that delivers it, if one does.
        system: Option<System>,
    },
    /// Games that were added or removed.
    Games {
        /// What happened.
        change: ApplicationChangeKind,
        /// Their names.
        names: Vec<Text>,
        /// What came or went with them.
        #[serde(default)]
        weight: Weight,
    },
    /// A repository that was not configured before.
    RepositoryAdded {
        /// Its name.
        repository: Text,
    },
    /// Programs of one package that start by themselves and report to their makers.
    AgentAdded {
        /// Their names.
        names: Vec<Text>,
        /// What they do.
        purpose: AgentPurpose,
    },
    /// Programs that start by themselves now.
    StartupAdded {
        /// Their names.
        names: Vec<Text>,
    },
    /// The whole install is larger or smaller.
    Size {
        /// Bytes on disk before.
        old_bytes: u64,
        /// Bytes on disk now.
        new_bytes: u64,
        /// Whether there are many more languages.
        more_languages: bool,
    },
}

/// One line of the headlines.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Headline {
    /// The rule of the scoring table.
    pub rule: Text,
    /// Its score, with what the rule adds for size.
    pub score: u32,
    /// What it says.
    #[serde(flatten)]
    pub news: News,
    /// What it is about: `role:...`, `part:...`, `application:...`, `decision:...`.
    pub about: Text,
}
