use super::Text;
use crate::vocabulary;
use schemars::JsonSchema;
use serde::de::value::MapAccessDeserializer;
use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};

vocabulary! {
    /// Something that a package's files show.
    pub enum Trait {
        /// A program in a `bin` folder.
        Programs = "programs",
        /// A program in an `sbin` folder.
        AdminPrograms = "admin-programs",
        /// A program in a `games` folder.
        GamePrograms = "game-programs",
        /// A shared library in a library folder.
        Libraries = "libraries",
        /// Headers, static libraries, `pkgconfig` files.
        Headers = "headers",
        /// Translations.
        Translations = "translations",
        /// Fonts.
        Fonts = "fonts",
        /// Icons.
        Icons = "icons",
        /// Themes of widgets, windows, login and boot screens.
        Themes = "themes",
        /// Wallpapers.
        Wallpapers = "wallpapers",
        /// Sounds.
        Sounds = "sounds",
        /// System service units or init scripts.
        Services = "services",
        /// User service units.
        UserServices = "user-services",
        /// Kernel modules.
        Modules = "modules",
        /// Firmware.
        Firmware = "firmware",
        /// Files in `boot`.
        Boot = "boot",
        /// Modules of a language interpreter.
        InterpreterModules = "interpreter-modules",
        /// Plug-ins of another program or library.
        Plugins = "plugins",
        /// Plug-ins that decode or encode media.
        MediaPlugins = "media-plugins",
        /// Engines that turn keys into the characters of a script.
        InputMethods = "input-methods",
        /// Programs that other programs start, in a `libexec` folder.
        Helpers = "helpers",
        /// Services that the system's message bus starts.
        BusServices = "bus-services",
        /// Sources of kernel modules or of the kernel.
        Sources = "sources",
        /// Drivers for graphics, printers, scanners.
        Drivers = "drivers",
        /// Spelling, hyphenation, thesaurus.
        Dictionaries = "dictionaries",
        /// Sessions for the login screen.
        Sessions = "sessions",
        /// Desktop portals.
        Portals = "portals",
        /// Desktop entries.
        Launchers = "launchers",
        /// Handbooks and help pages (the `copyright` file is none).
        Manuals = "manuals",
        /// Configuration.
        Configuration = "configuration",
        /// Anything else below `usr/share`.
        Shared = "shared",
        /// Anything else.
        Other = "other",
    }
}

vocabulary! {
    /// A fact that speaks for the kind of a package.
    pub enum KindFact {
        /// What its launcher is, in the menu; `detail` names the launcher.
        Launcher = "launcher",
        /// What its files show; `files` lists it.
        Files = "files",
        /// Its section.
        Section = "section",
        /// Its name.
        Name = "name",
        /// Its summary.
        Summary = "summary",
        /// It has no files of its own.
        NoFiles = "no-files",
        /// The system refuses to remove it.
        Essential = "essential",
        /// No other rule applied.
        LastResort = "last-resort",
        /// No rule applied at all.
        NoRule = "no-rule",
        /// It extends a sandbox runtime; `detail` names it.
        ExtensionOf = "extension-of",
        /// It is a sandbox runtime.
        SandboxRuntime = "sandbox-runtime",
        /// The type that the snap states; `detail` has it.
        SnapType = "snap-type",
        /// Other snaps use its content.
        ContentSnap = "content-snap",
        /// What a tally of schema 1 says; `legacy` has its words.
        Legacy = "legacy",
    }
}

/// Why a package is of its kind: a rule, and the facts that it rests on.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct KindReason {
    /// The facts, all of which hold.
    pub because: smallvec::SmallVec<[KindFact; 4]>,
    /// The rule: `kinds:42` is the 42nd of `rules kinds`, `own:3` the third of the reviewer's own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<Text>,
    /// What the files show.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<Trait>,
    /// The launcher, the runtime or the type that a fact is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub detail: Option<Text>,
    /// Words of schema 1 that no fact of this schema says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub legacy: Option<Text>,
}

impl KindReason {
    /// A single fact.
    pub fn of(fact: KindFact, detail: Option<Text>) -> Self {
        Self { because: smallvec::smallvec![fact], detail, ..Self::default() }
    }

    /// Whether nothing is known.
    pub fn is_empty(&self) -> bool {
        self.because.is_empty()
    }

    /// The words of schema 1, as far as they have one meaning; otherwise they are kept.
    fn of_schema_1(words: &str) -> Self {
        let mut reason = Self::default();
        let mut strange = words.is_empty();
        for word in words.split("; ") {
            let fact = match word {
                "brings no files of its own" => KindFact::NoFiles,
                "essential" => KindFact::Essential,
                "nothing else fired" => KindFact::LastResort,
                "no rule fired" => KindFact::NoRule,
                "a runtime that applications stand on" => KindFact::SandboxRuntime,
                "gives its content to other snaps" => KindFact::ContentSnap,
                _ => match word.split_once(' ') {
                    Some(("section", _)) => KindFact::Section,
                    Some(("named", _)) => KindFact::Name,
                    Some(("says", _)) => KindFact::Summary,
                    Some(("launcher", rest)) => {
                        reason.detail = rest.split(',').next().map(Text::from);
                        KindFact::Launcher
                    }
                    _ => {
                        let shown = word.strip_prefix("its files show ").and_then(Trait::from_name);
                        let extended = word.strip_prefix("an extension of ");
                        let stated = word.strip_prefix("a snap of type ");
                        reason.files.extend(shown);
                        match (shown, extended.or(stated)) {
                            (Some(_), _) => KindFact::Files,
                            (None, Some(of)) => {
                                reason.detail = Some(of.into());
                                if extended.is_some() { KindFact::ExtensionOf } else { KindFact::SnapType }
                            }
                            (None, None) => {
                                strange = true;
                                continue;
                            }
                        }
                    }
                },
            };
            if !reason.because.contains(&fact) {
                reason.because.push(fact);
            }
        }
        if strange && !words.is_empty() {
            return Self { legacy: Some(words.into()), ..Self::of(KindFact::Legacy, None) };
        }
        reason
    }
}

/// The fields of a reason as a document of this schema has them.
#[derive(Deserialize)]
struct Stored {
    because: smallvec::SmallVec<[KindFact; 4]>,
    #[serde(default)]
    rule: Option<Text>,
    #[serde(default)]
    files: Vec<Trait>,
    #[serde(default)]
    detail: Option<Text>,
    #[serde(default)]
    legacy: Option<Text>,
}

/// A reason of this schema is an object, one of schema 1 a sentence. There is one in each package, so it is read without being put
/// aside first, as an untagged enum would.
impl<'de> Deserialize<'de> for KindReason {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Either;
        impl<'de> Visitor<'de> for Either {
            type Value = KindReason;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a reason")
            }

            fn visit_str<E: serde::de::Error>(self, words: &str) -> Result<KindReason, E> {
                Ok(KindReason::of_schema_1(words))
            }

            fn visit_map<A: MapAccess<'de>>(self, fields: A) -> Result<KindReason, A::Error> {
                let stored = Stored::deserialize(MapAccessDeserializer::new(fields))?;
                let Stored { because, rule, files, detail, legacy } = stored;
                Ok(KindReason { because, rule, files, detail, legacy })
            }
        }
        from.deserialize_any(Either)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_of_schema_1_are_mapped_and_strange_ones_kept() {
        let read = |words: &str| serde_json::from_value::<KindReason>(words.into()).unwrap();
        let mapped = read("its files show libraries; section libs; named libweir");
        assert_eq!(mapped.because.as_slice(), [KindFact::Files, KindFact::Section, KindFact::Name]);
        assert_eq!(mapped.files, [Trait::Libraries]);
        assert_eq!(read("launcher reed.desktop, Categories=Utility").detail.as_deref(), Some("reed.desktop"));
        assert_eq!(read("no rule fired"), KindReason::of(KindFact::NoRule, None));
        assert!(read("").is_empty());
        let strange = read("section libs; a coin was thrown");
        assert_eq!(strange.legacy.as_deref(), Some("section libs; a coin was thrown"));
        let again: KindReason = serde_json::from_value(serde_json::to_value(&strange).unwrap()).unwrap();
        assert_eq!(again, strange);
    }
}
