//! Closed sets of words, each with its stable name in documents.

/// Declares an enum whose variants have stable names in every document, with `ALL`, `name` and parsing.
macro_rules! vocabulary {
    ($(#[$meta:meta])* pub enum $name:ident { $($(#[$note:meta])* $variant:ident = $text:literal),+ $(,)? }) => {
        $(#[$meta])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord,
            serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        pub enum $name { $($(#[$note])* #[serde(rename = $text)] $variant),+ }

        impl $name {
            /// Every word of this set, in the order of the documentation.
            pub const ALL: &'static [Self] = &[$(Self::$variant),+];

            /// The stable name, as it stands in documents.
            pub const fn name(self) -> &'static str {
                match self { $(Self::$variant => $text),+ }
            }

            /// The word for a stable name, or `None`.
            pub fn from_name(name: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|word| word.name() == name)
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.pad(self.name())
            }
        }
    };
}

pub(crate) use vocabulary;
