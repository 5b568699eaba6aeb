//! Options that take a word of a closed set: names, help and completion come from the vocabulary itself.

use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::error::{ContextKind, ContextValue, ErrorKind};
use std::ffi::OsStr;
use std::marker::PhantomData;
use tally_core::model::Word;

/// Reads a word of a vocabulary.
#[derive(Debug)]
pub(crate) struct OneOf<T>(PhantomData<T>);

impl<T> Clone for OneOf<T> {
    fn clone(&self) -> Self {
        Self(PhantomData)
    }
}

impl<T: Word> OneOf<T> {
    pub(crate) const fn new() -> Self {
        Self(PhantomData)
    }
}

impl<T: Word> TypedValueParser for OneOf<T> {
    type Value = T;

    fn parse_ref(
        &self,
        command: &clap::Command,
        arg: Option<&clap::Arg>,
        value: &OsStr,
    ) -> Result<T, clap::Error> {
        let typed = value.to_string_lossy();
        let known =
            T::ALL.iter().copied().find(|word| word.name() == typed || word.old_name() == Some(&typed));
        known.ok_or_else(|| {
            let mut error = clap::Error::new(ErrorKind::InvalidValue).with_cmd(command);
            let mut tell = |kind, value| _ = error.insert(kind, value);
            if let Some(arg) = arg {
                tell(ContextKind::InvalidArg, ContextValue::String(arg.to_string()));
            }
            tell(ContextKind::InvalidValue, ContextValue::String(typed.into_owned()));
            let names = T::ALL.iter().map(|word| word.name().to_owned()).collect();
            tell(ContextKind::ValidValue, ContextValue::Strings(names));
            error
        })
    }

    fn possible_values(&self) -> Option<Box<dyn Iterator<Item = PossibleValue> + '_>> {
        Some(Box::new(T::ALL.iter().map(|word| PossibleValue::new(word.name()).help(word.about()))))
    }
}

/// Reads one of some names.
pub(super) fn one_of_words(words: impl Iterator<Item = &'static str>) -> PossibleValuesParser {
    PossibleValuesParser::new(words.collect::<Vec<_>>())
}
