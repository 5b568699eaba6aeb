//! Names without what changes from series to series, and without what one family of distributions adds.

use crate::knowledge::names;
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
    let bytes = name.as_bytes();
    let mut stem = String::with_capacity(name.len());
    // What stands between `copied` and `at` goes into the stem as it is.
    let (mut copied, mut at) = (0, 0);
    while at < bytes.len() {
        let ends = |length: usize| bytes.get(at + length).is_none_or(|byte| !byte.is_ascii_alphanumeric());
        // Marks of the 64-bit time transition and of the C++ library transition, which came and go with rebuilds.
        let gone = match bytes[at] {
            b't' if at > 0 && bytes[at..].starts_with(b"t64") && ends(3) => 3,
            b'v' if copied == at && stem.ends_with('#') && bytes[at..].starts_with(b"v5") && ends(2) => 2,
            b'0'..=b'9' => {
                bytes[at..].iter().take_while(|byte| byte.is_ascii_digit() || **byte == b'.').count()
            }
            _ => {
                at += 1;
                continue;
            }
        };
        // Only bytes of ASCII are looked for, so that no letter is cut.
        stem.push_str(&name[copied..at]);
        if bytes[at].is_ascii_digit() {
            push_series(&mut stem);
        }
        at += gone;
        copied = at;
    }
    stem.push_str(&name[copied..]);
    Text::from(stem)
}

/// Ends a stem with a series; several in a row are one: `6.8.0-31` and `6.12.41+deb13` are alike, and so are `-2.5-0` and `2`.
fn push_series(stem: &mut String) {
    if stem.ends_with("#+deb") {
        stem.truncate(stem.len() - "+deb".len());
    } else if stem.ends_with('-') {
        stem.pop();
    }
    if !stem.ends_with('#') {
        stem.push('#');
    }
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

/// The project of a source that has the number of its series at the end of its name (`mozjs128`), where the table knows it as one.
pub(super) fn numbered_source(source: &str) -> Option<&str> {
    let plain = source.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
    (plain.len() < source.len() && names().series_in_source.iter().any(|own| own == plain)).then_some(plain)
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
    use proptest::prelude::*;

    #[test]
    fn series_and_marks_go() {
        for (name, expected) in [
            ("", ""),
            ("inkcap", "inkcap"),
            ("libweir3t64", "libweir#"),
            ("t64", "t#"),
            ("libt64ex", "libt#ex"),
            ("libweir2v5", "libweir#"),
            ("libweir-v5", "libweir-v#"),
            ("libweir2v52", "libweir#v#"),
            ("linux-image-6.12.41+deb13-amd64", "linux-image#-amd#"),
            ("linux-image-6.8.0-31-amd64", "linux-image#-amd#"),
            ("linux-image--6", "linux-image-#"),
            ("python3.11-marsh", "python#-marsh"),
            ("curlew2.5-0", "curlew#"),
            ("brücke2.0ß", "brücke#ß"),
        ] {
            assert_eq!(stem(name), expected, "{name}");
        }
    }

    /// The same, step by step: marks go, each run of digits is a series, and then what joins two of them.
    fn slowly(name: &str) -> String {
        let mut stem = String::new();
        let mut rest = name;
        while let Some(first) = rest.chars().next() {
            let ends =
                |mark: &str| !rest[mark.len()..].starts_with(|next: char| next.is_ascii_alphanumeric());
            let digits = rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
            let length = if rest.starts_with("t64") && rest.len() < name.len() && ends("t64") {
                3
            } else if rest.starts_with("v5") && stem.ends_with('#') && ends("v5") {
                2
            } else if first.is_ascii_digit() {
                stem.push('#');
                digits
            } else {
                stem.push(first);
                first.len_utf8()
            };
            rest = &rest[length..];
        }
        let mut stem = stem.replace("#+deb#", "#").replace("-#", "#");
        while stem.contains("##") {
            stem = stem.replace("##", "#");
        }
        stem
    }

    proptest! {
        #[test]
        fn one_pass_makes_what_several_do(name in "([a-cü𝄞+_~]|-|[0-9.]{1,3}|t64|v5){0,8}([+]deb1)?[a-z-]{0,3}") {
            prop_assert_eq!(stem(&name), slowly(&name));
        }
    }

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
