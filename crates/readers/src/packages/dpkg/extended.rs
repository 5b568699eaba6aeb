//! `extended_states`: which packages were installed automatically.

use super::control::stanzas;
use crate::packages::PackageFacts;
use rustc_hash::FxHashSet;
use tally_core::model::{Reason, Unread};

/// Sets the reason of every dpkg package: followed when marked automatic, else chosen.
///
/// The file names a package of architecture `all` under the native architecture.
pub(super) fn apply(file: &str, bytes: &[u8], facts: &mut PackageFacts) {
    let mut automatic: FxHashSet<(&[u8], &[u8])> = FxHashSet::default();
    for stanza in stanzas(bytes, 1) {
        let (mut name, mut arch, mut auto) = (&b""[..], &b""[..], false);
        for field in stanza.fields() {
            match field.name {
                Some(b"Package") => name = field.first_line(),
                Some(b"Architecture") => arch = field.first_line(),
                Some(b"Auto-Installed") => auto = field.first_line() == b"1",
                Some(_) => {}
                None => facts.unread.push(Unread::at(file, field.line, "is not a `Field: value` line")),
            }
        }
        if auto {
            automatic.insert((name, arch));
        }
    }
    let native = facts.native_arch.clone().unwrap_or_default();
    for package in &mut facts.packages {
        let arch = if package.arch == "all" { native.as_bytes() } else { package.arch.as_bytes() };
        let name = package.name.as_bytes();
        let is_automatic = automatic.contains(&(name, arch)) || automatic.contains(&(name, &b""[..]));
        package.reason = if is_automatic { Reason::Dependency } else { Reason::Explicit };
    }
}
