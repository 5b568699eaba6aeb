//! Dependency specifications of the Package Manager Specification: atoms, groups, conditions on USE switches.

use super::split;
use crate::text::filled;
use rustc_hash::FxHashSet;
use smallvec::smallvec;
use std::str::SplitWhitespace;
use tally_core::model::{Alternatives, Dependency, Text, VersionOp};

/// Groups that may be inside one another.
const DEPTH_LIMIT: usize = 32;

/// What a specification asks for under some switches.
#[derive(Debug, Default)]
pub(super) struct Needs {
    pub(super) all: Vec<Alternatives>,
    pub(super) enemies: Vec<Dependency>,
}

/// Reads a specification; what is not understood asks for nothing.
pub(super) fn read(text: &str, switches: &FxHashSet<&str>) -> Needs {
    let mut needs = Needs::default();
    group(&mut text.split_whitespace(), switches, true, 0, &mut needs);
    needs
}

/// Reads up to the closing bracket. What is left out by a condition is read, and dropped.
fn group(
    words: &mut SplitWhitespace<'_>,
    switches: &FxHashSet<&str>,
    counts: bool,
    depth: usize,
    needs: &mut Needs,
) {
    let mut condition = true;
    let mut any = false;
    while let Some(word) = words.next() {
        match word {
            ")" => return,
            "||" | "^^" | "??" => any = true,
            "(" if depth == DEPTH_LIMIT => return,
            "(" => {
                let mut inner = Needs::default();
                group(words, switches, counts && condition, depth.saturating_add(1), &mut inner);
                if any && inner.all.len() > 1 {
                    let one: Alternatives = inner.all.into_iter().flatten().collect();
                    needs.all.push(one);
                } else {
                    needs.all.append(&mut inner.all);
                }
                needs.enemies.append(&mut inner.enemies);
                (condition, any) = (true, false);
            }
            _ => match word.strip_suffix('?') {
                Some(switch) => {
                    condition = match switch.strip_prefix('!') {
                        Some(switch) => !switches.contains(switch),
                        None => switches.contains(switch),
                    };
                }
                None if !counts => {}
                None => match word.trim_start_matches('!') {
                    enemy if enemy.len() < word.len() => needs.enemies.extend(atom(enemy)),
                    word => needs.all.extend(atom(word).map(|one| smallvec![one])),
                },
            },
        }
    }
}

/// `>=category/name-1.2:slot[switches]`.
fn atom(word: &str) -> Option<Dependency> {
    let word = word.split(['[', ':']).next()?;
    let (op, rest) = match word.as_bytes() {
        [b'>', b'=', ..] => (Some(VersionOp::AtLeast), &word[2..]),
        [b'<', b'=', ..] => (Some(VersionOp::AtMost), &word[2..]),
        [b'>', ..] => (Some(VersionOp::More), &word[1..]),
        [b'<', ..] => (Some(VersionOp::Less), &word[1..]),
        [b'=' | b'~', ..] => (Some(VersionOp::Exactly), &word[1..]),
        _ => (None, word),
    };
    let (category, inside) = rest.split_once('/')?;
    let (name, version) = match op.and_then(|_| split(inside)) {
        Some((name, version)) => {
            (format!("{category}/{name}").into(), filled(Text::from(version.trim_end_matches('*'))))
        }
        None => (Text::from(rest), None),
    };
    Some(Dependency { name, op: op.filter(|_| version.is_some()), version })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn said(text: &str, switches: &[&str]) -> Vec<String> {
        let needs = read(text, &switches.iter().copied().collect());
        needs
            .all
            .iter()
            .map(|any| any.iter().map(|one| one.name.as_str()).collect::<Vec<_>>().join("|"))
            .collect()
    }

    #[test]
    fn conditions_alternatives_and_enemies() {
        assert_eq!(
            said("a/x || ( a/y a/z ) gtk? ( a/g !qt? ( a/n ) )", &["gtk"]),
            ["a/x", "a/y|a/z", "a/g", "a/n"]
        );
        assert_eq!(said("gtk? ( a/g || ( a/h a/i ) ) a/x", &[]), ["a/x"]);
        let needs = read("!<a/old-2 =a/x-1.2*:0/1=[y]", &FxHashSet::default());
        assert_eq!(
            (needs.enemies[0].name.as_str(), needs.enemies[0].version.as_deref()),
            ("a/old", Some("2"))
        );
        assert_eq!((needs.all[0][0].name.as_str(), needs.all[0][0].version.as_deref()), ("a/x", Some("1.2")));
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in "([a-z]/[a-z]-?[0-9]? |[|(!] |[)?a] ){0,40}", wild in "\\PC{0,60}") {
            read(&text, &FxHashSet::default());
            read(&wild, &FxHashSet::default());
        }
    }
}
