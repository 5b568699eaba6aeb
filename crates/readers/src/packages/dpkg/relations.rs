//! Relations between packages by deb-control(5): `a (>= 1) | b, c`.

use crate::text::text;
use tally_core::model::{Alternatives, Dependency, VersionOp};

/// Outer list: all of them; inner list: any one. Restrictions in brackets and qualifiers behind a colon are left out.
pub(super) fn groups(value: &[u8]) -> Vec<Alternatives> {
    let groups = value.split(|b| *b == b',');
    let mut found = Vec::with_capacity(memchr::memchr_iter(b',', value).count() + 1);
    found.extend(groups.filter_map(|group| {
        let alternatives: Alternatives = group.split(|b| *b == b'|').filter_map(one).collect();
        (!alternatives.is_empty()).then_some(alternatives)
    }));
    found
}

/// A flat list, as `Provides` and `Replaces` are.
pub(super) fn list(value: &[u8]) -> Vec<Dependency> {
    value.split(|b| *b == b',').filter_map(one).collect()
}

/// A flat list of what a package can't be beside: packages of another machine's (`a:i386`) are others.
pub(super) fn enemies(value: &[u8]) -> Vec<Dependency> {
    let of_any = |relation: &&[u8]| {
        let end = relation.iter().position(|b| matches!(b, b'(' | b'[' | b'<')).unwrap_or(relation.len());
        let qualifier = relation[..end].split(|b| *b == b':').nth(1).map(<[u8]>::trim_ascii);
        qualifier.is_none_or(|qualifier| matches!(qualifier, b"any" | b"native"))
    };
    value.split(|b| *b == b',').filter(of_any).filter_map(one).collect()
}

/// The names of a flat list, without reading the rest.
pub(super) fn names(value: &[u8]) -> impl Iterator<Item = &[u8]> {
    let name = |relation: &'_ [u8]| -> usize {
        relation.iter().position(|b| matches!(b, b' ' | b'\t' | b'(' | b':')).unwrap_or(relation.len())
    };
    value
        .split(|b| *b == b',')
        .map(<[u8]>::trim_ascii)
        .map(move |one| &one[..name(one)])
        .filter(|name| !name.is_empty())
}

fn one(relation: &[u8]) -> Option<Dependency> {
    let relation = relation.trim_ascii();
    let name_end =
        relation.iter().position(|b| matches!(b, b' ' | b'\t' | b'\n' | b'(' | b'[' | b'<' | b':'));
    let (name, rest) = relation.split_at(name_end.unwrap_or(relation.len()));
    if name.is_empty() {
        return None;
    }
    let (op, version) = match memchr::memchr(b'(', rest) {
        Some(open) => {
            let inside = &rest[open + 1..];
            constraint(&inside[..memchr::memchr(b')', inside).unwrap_or(inside.len())])
        }
        None => (None, None),
    };
    Some(Dependency { name: text(name), op, version })
}

fn constraint(inside: &[u8]) -> (Option<VersionOp>, Option<smol_str::SmolStr>) {
    let inside = inside.trim_ascii();
    let end = inside.iter().position(|b| !matches!(b, b'<' | b'>' | b'=')).unwrap_or(inside.len());
    let op = match &inside[..end] {
        b"<<" => VersionOp::Less,
        b">>" => VersionOp::More,
        // dpkg reads a lone sign as "or equal", as it always has.
        b"<" | b"<=" => VersionOp::AtMost,
        b">" | b">=" => VersionOp::AtLeast,
        _ => VersionOp::Exactly,
    };
    let version = text(&inside[end..]);
    if version.is_empty() { (None, None) } else { (Some(op), Some(version)) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn said(value: &str) -> String {
        let one = |d: &Dependency| match (&d.op, &d.version) {
            (Some(op), Some(version)) => format!("{}{op}{version}", d.name),
            _ => d.name.to_string(),
        };
        let groups = groups(value.as_bytes());
        groups.iter().map(|g| g.iter().map(one).collect::<Vec<_>>().join("|")).collect::<Vec<_>>().join(",")
    }

    #[test]
    fn what_another_machine_has_is_no_enemy() {
        let names: Vec<String> = enemies(b"a, b:i386, c:any (<< 2), d:x32 (>= 1:2), e (<< 1:3)")
            .iter()
            .map(|one| one.name.to_string())
            .collect();
        assert_eq!(names, ["a", "c", "e"]);
    }

    #[test]
    fn reads_alternatives_versions_and_qualifiers() {
        for (value, expected) in [
            (" a (>= 2.1) | b:any, c (<< 3),\n d [amd64] <!nocheck>", "a>=2.1|b,c<3,d"),
            ("a(=1)", "a=1"),
            ("a (>> 1), b (> 2)", "a>1,b>=2"),
            (", ,|,", ""),
            ("a (", "a"),
            ("", ""),
        ] {
            assert_eq!(said(value), expected, "{value}");
        }
    }
}
