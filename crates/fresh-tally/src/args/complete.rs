//! Completion of installs: handles on the shelf first, then paths.

use crate::config;
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate, PathCompleter, ValueCompleter};
use std::ffi::OsStr;

/// Completes an install.
pub(crate) fn handles() -> ArgValueCompleter {
    ArgValueCompleter::new(|typed: &OsStr| -> Vec<CompletionCandidate> {
        let begins = typed.to_string_lossy();
        let shelf = config::default_shelf().handles().unwrap_or_default();
        let mut candidates: Vec<CompletionCandidate> = shelf
            .into_iter()
            .filter(|handle| handle.starts_with(&*begins))
            .map(CompletionCandidate::new)
            .collect();
        candidates.extend(PathCompleter::any().complete(typed));
        candidates
    })
}
