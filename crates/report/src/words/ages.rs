use tally_core::lag::{FirstNewer, HeldBy, KnownBy, ReleaseSource};

/// Who says that a release was made.
pub fn release_source(source: &ReleaseSource) -> String {
    let install = source.install.as_deref().unwrap_or_default();
    match source.by {
        KnownBy::UpstreamFile => "your file".to_owned(),
        KnownBy::Metainfo => format!("AppStream in {install}"),
        KnownBy::Shipped => format!("shipped by {install}"),
    }
}

/// The release from which days are counted, as a sentence without its end.
pub fn first_newer(first: &FirstNewer) -> String {
    let FirstNewer { version, released, source } = first;
    match source.by {
        KnownBy::UpstreamFile | KnownBy::Metainfo => {
            format!("{version} on {released} ({})", release_source(source))
        }
        KnownBy::Shipped => {
            format!("{} had {version} on {released}", source.install.as_deref().unwrap_or_default())
        }
    }
}

/// What keeps a version back.
pub const fn held_by(by: HeldBy) -> &'static str {
    match by {
        HeldBy::Base => "the base has it too",
        HeldBy::Makers => "the base has a newer one",
    }
}

/// Days as a person says them: `12 days`, `7 months`, `2.5 years`.
pub fn days(days: u32) -> String {
    match days {
        1 => "1 day".to_owned(),
        0..=89 => format!("{days} days"),
        90..=729 => format!("{} months", (f64::from(days) / 30.44).round()),
        _ => format!("{:.1} years", f64::from(days) / 365.25),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_are_said_as_a_person_says_them() {
        let said: Vec<String> = [0, 1, 89, 90, 365, 730, 4000].into_iter().map(days).collect();
        assert_eq!(said, ["0 days", "1 day", "89 days", "3 months", "12 months", "2.0 years", "11.0 years"]);
    }
}
