//! Closed sets of words, each with its stable name in documents.

/// A closed set of words: what may be typed, written and read for something.
pub trait Word: Copy + Send + Sync + 'static {
    /// Every word of the set, in the order of the documentation.
    const ALL: &'static [Self];

    /// The stable name, as it is in documents.
    fn name(self) -> &'static str;

    /// What it means, as its documentation says.
    fn about(self) -> &'static str;

    /// A name that it had in schema 1, if it had another one.
    fn old_name(self) -> Option<&'static str>;

    /// The word for a stable name, or `None`.
    fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|word| word.name() == name)
    }
}

/// Declares an enum whose variants have stable names in every document, as a [`Word`]. A name after `was` is read, and never written:
/// documents of schema 1 have it.
#[macro_export]
macro_rules! vocabulary {
    ($(#[$meta:meta])* pub enum $name:ident {
        $($(#[doc = $about:literal])+ $variant:ident = $text:literal $(was $old:literal)?),+ $(,)?
    }) => {
        $(#[$meta])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord,
            serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        pub enum $name { $($(#[doc = $about])+ #[serde(rename = $text $(, alias = $old)?)] $variant),+ }

        impl $crate::vocabulary::Word for $name {
            const ALL: &'static [Self] = &[$(Self::$variant),+];

            fn name(self) -> &'static str {
                self.name()
            }

            fn about(self) -> &'static str {
                match self { $(Self::$variant => concat!($($about),+).trim().trim_end_matches('.')),+ }
            }

            fn old_name(self) -> Option<&'static str> {
                match self { $(Self::$variant => None::<&str>$(.or(Some($old)))?),+ }
            }
        }

        impl $name {
            /// Every word of this set, in the order of the documentation.
            pub const ALL: &'static [Self] = &[$(Self::$variant),+];

            /// The stable name, as it is in documents.
            pub const fn name(self) -> &'static str {
                match self { $(Self::$variant => $text),+ }
            }

            /// The word for a stable name, or `None`.
            pub fn from_name(name: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|word| word.name() == name)
            }

            /// The word for a stable name, or for one of schema 1, or `None`.
            pub fn from_any_name(name: &str) -> Option<Self> {
                use $crate::vocabulary::Word;
                let old = || Self::ALL.iter().copied().find(|word| Word::old_name(*word) == Some(name));
                Self::from_name(name).or_else(old)
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.pad(self.name())
            }
        }
    };
}
