//! Names without what changes from series to series, and without what one family of distributions adds.

use crate::model::{System, Text};

/// A name with its series numbers taken out: runs of digits and dots become `#`, and the marks of the 64-bit time and
/// C++ library transitions (`t64`, `v5`) go.
///
/// ```
/// use tally_core::compare::stem;
/// assert_eq!(stem("linux-image-6.8.0-31-generic"), stem("linux-image-6.11.0-8-generic"));
/// assert_eq!(stem("libweir2"), stem("libweir3t64"));
/// assert_ne!(stem("libweir2"), stem("libweir-data"));
/// ```
pub fn stem(name: &str) -> Text {
    let mut stem = String::with_capacity(name.len());
    let bytes = name.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let rest = &name[at..];
        let ends = |length: usize| bytes.get(at + length).is_none_or(|byte| !byte.is_ascii_alphanumeric());
        // Marks of the 64-bit time transition and of the C++ library transition, which came and go with rebuilds.
        if rest.starts_with("t64") && at > 0 && ends(3) {
            at += 3;
        } else if rest.starts_with("v5") && stem.ends_with('#') && ends(2) {
            at += 2;
        } else if bytes[at].is_ascii_digit() {
            let run = bytes[at..].iter().take_while(|byte| byte.is_ascii_digit() || **byte == b'.').count();
            stem.push('#');
            at += run;
        } else {
            let length = rest.chars().next().map_or(1, char::len_utf8);
            stem.push_str(&rest[..length]);
            at += length;
        }
    }
    if !stem.contains('#') {
        return Text::from(stem);
    }
    // `6.8.0-31` and `6.12.41+deb13` are series alike, and so are `-2.5-0` and `2`.
    let mut stem = stem.replace("#+deb#", "#").replace("-#", "#");
    while stem.contains("##") {
        stem = stem.replace("##", "#");
    }
    Text::from(stem)
}

/// A source's name without its series: `cairomm` and `cairomm1.16` are one project, `gcc-12` and `gcc-14` too. A bare
/// number that ends a word belongs to the name: `libssh` and `libssh2` are two projects.
pub(super) fn source_stem(source: &str) -> Text {
    let mut stem = String::with_capacity(source.len());
    let mut rest = source;
    while let Some(start) = rest.find(|c: char| c.is_ascii_digit()) {
        let run = rest[start..].find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len() - start);
        let (word, number) = (&rest[..start], &rest[start..start + run]);
        let is_series = number.contains('.') || word.ends_with('-');
        stem.push_str(if is_series { word.trim_end_matches('-') } else { word });
        if !is_series {
            stem.push_str(number);
        }
        rest = &rest[start + run..];
    }
    stem.push_str(rest);
    stem.into()
}

/// What a package is called without the shapes that its family gives names: `libfoo-dev` and `foo-devel` are both
/// `foo-devel`, `python3-foo` and `python-foo` both `python-foo`.
pub fn family_name(system: System, name: &str) -> Text {
    let plain = name.replace("python3-", "python-");
    let (base, ending) = match plain.strip_suffix("-devel").or_else(|| plain.strip_suffix("-dev")) {
        Some(base) => (base, "-devel"),
        None => (plain.as_str(), ""),
    };
    let base = match system {
        // Debian's libraries carry `lib` and their series; most others are called like the project.
        System::Dpkg => base.strip_prefix("lib").unwrap_or(base),
        _ => base.strip_prefix("lib").filter(|_| ending.is_empty()).unwrap_or(base).trim_end_matches("-libs"),
    };
    format!("{}{ending}", base.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.' || c == '-')).into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_bare_number_is_part_of_a_projects_name() {
        for (a, b, same) in [
            ("cairomm", "cairomm1.16", true),
            ("gcc-12", "gcc-14", true),
            ("python3.11", "python3.13", true),
            ("libssh", "libssh2", false),
            ("pcre3", "pcre2", false),
            ("brook", "weir", false),
        ] {
            assert_eq!(source_stem(a) == source_stem(b), same, "{a} and {b}");
        }
    }
}
