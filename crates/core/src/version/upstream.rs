//! The version of the program inside a package version.

/// Marks that packagers append to an upstream version of the dpkg family when they repack or rebuild.
const DPKG_MARKS: &[&str] = &[
    "+dfsg", "~dfsg", ".dfsg", "-dfsg", "+ds", "~ds", ".ds", "+repack", "~repack", "+deb", "~deb", "~bpo",
    "+nmu", "+b",
];

/// The whole version, for systems that keep upstream's text.
pub fn as_it_is(version: &str) -> &str {
    version
}

/// Without an epoch before a colon and a revision behind the last hyphen: `1:3.2-4` is `3.2`.
pub fn without_epoch_and_revision(version: &str) -> &str {
    without_revision(without_epoch(version))
}

/// Without a revision `-rN`: `3.2-r4` is `3.2`.
pub fn without_r_revision(version: &str) -> &str {
    without_numbered(version, "-r")
}

/// Without a revision `_N`: `3.2_4` is `3.2`.
pub fn without_underscored_revision(version: &str) -> &str {
    without_numbered(version, "_")
}

/// Without a revision `_N` and an epoch `,N`: `3.2_4,1` is `3.2`.
pub fn of_freebsd(version: &str) -> &str {
    without_numbered(version.split(',').next().unwrap_or(version), "_")
}

/// Without epoch, revision and the marks of repacking; `X+reallyY` is `Y`.
pub fn of_dpkg(version: &str) -> &str {
    let mut version = without_epoch(version);
    if let Some((_, real)) = version.split_once("+really") {
        version = without_epoch(real);
    }
    let version = without_revision(version);
    let end = (1..version.len()).find(|at| is_mark(&version.as_bytes()[*at..])).unwrap_or(version.len());
    &version[..end]
}

/// Whether a packager's mark begins here, and only packaging talk (digits, `u`, dots) follows it, no word of upstream's.
fn is_mark(rest: &[u8]) -> bool {
    if !matches!(rest[0], b'+' | b'~' | b'.' | b'-') {
        return false;
    }
    DPKG_MARKS.iter().any(|mark| {
        let after = rest.strip_prefix(mark.as_bytes());
        after.is_some_and(|after| {
            after.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'u' | b'+' | b'~'))
        })
    })
}

fn without_epoch(version: &str) -> &str {
    match version.split_once(':') {
        Some((epoch, rest)) if epoch.bytes().all(|b| b.is_ascii_digit()) => rest,
        _ => version,
    }
}

/// Without a revision behind the last hyphen: `3.2-4` is `3.2`.
pub fn without_revision(version: &str) -> &str {
    match version.rsplit_once('-') {
        Some((upstream, _)) if !upstream.is_empty() => upstream,
        _ => version,
    }
}

/// Cuts off a mark and the digits behind it, where they are the end.
fn without_numbered<'a>(version: &'a str, mark: &str) -> &'a str {
    match version.rsplit_once(mark) {
        Some((upstream, number)) if !number.is_empty() && number.bytes().all(|b| b.is_ascii_digit()) => {
            upstream
        }
        _ => version,
    }
}

#[cfg(test)]
mod tests {
    use crate::model::System;
    use crate::systems::upstream;
    use proptest::prelude::*;

    #[test]
    fn each_system_marks_its_revisions_in_its_own_way() {
        for (system, version, expected) in [
            (System::Rpm, "2:3.2.1-4.fc40", "3.2.1"),
            (System::Apk, "3.2.1_rc1-r4", "3.2.1_rc1"),
            (System::Portage, "3.2.1_p4-r1", "3.2.1_p4"),
            (System::Xbps, "3.2.1_4", "3.2.1"),
            (System::FreebsdPkg, "3.2.1_4,1", "3.2.1"),
            (System::FreebsdPkg, "3.2.1,1", "3.2.1"),
            (System::Eopkg, "3.2.1-45", "3.2.1"),
            (System::Slackware, "3.2.1-2_SBo", "3.2.1"),
            (System::Flatpak, "3.2.1-4", "3.2.1-4"),
        ] {
            assert_eq!(upstream(system, version), expected, "{version}");
        }
    }

    #[test]
    fn strips_what_packagers_add() {
        for (version, expected) in [
            ("3.2.1-2", "3.2.1"),
            ("2:21.1.7-3+deb12u12", "21.1.7"),
            ("3.134", "3.134"),
            ("12.4+deb12u5", "12.4"),
            ("1.5.4+dfsg2-5", "1.5.4"),
            ("1:4.16.0-2+really2.41.5-0+x", "2.41.5"),
            ("0~git20230101.abc-1", "0~git20230101.abc"),
            ("2.0.1+debug", "2.0.1+debug"),
            ("1-2-3", "1-2"),
            ("", ""),
        ] {
            assert_eq!(upstream(System::Dpkg, version), expected, "{version}");
        }
    }

    proptest! {
        #[test]
        fn is_always_a_piece_of_the_version(version in "\\PC{0,20}") {
            prop_assert!(version.contains(upstream(System::Dpkg, &version)));
        }
    }
}
