use super::{PartChange, PartChangeKind};
use crate::model::Part;
use crate::version;

/// Every part of both sides, unchanged ones included, in the order of the new side, then what went.
///
/// A part that several things fill (toolkits) is compared thing by thing. A part that one thing filled and
/// another fills now is `replaced`: one line, never one that went and one that came; so is the first of several
/// that went, when another one came first.
pub(super) fn changes(old: &[Part], new: &[Part]) -> Vec<PartChange> {
    let mut changes = Vec::new();
    let mut used = vec![false; old.len()];
    for part in new {
        let same_name = old.iter().position(|o| o.part == part.part && o.name == part.name);
        let first_of_both = || {
            let is_first = new.iter().find(|p| p.part == part.part).is_some_and(|p| p.name == part.name);
            let at = old.iter().position(|o| o.part == part.part)?;
            let stays = new.iter().any(|p| p.part == part.part && p.name == old[at].name);
            (is_first && !stays && !used[at]).then_some(at)
        };
        let partner = same_name.or_else(first_of_both);
        if let Some(i) = partner {
            used[i] = true;
        }
        changes.push(change(partner.map(|i| &old[i]), Some(part)));
    }
    for (part, _) in old.iter().zip(&used).filter(|(_, used)| !**used) {
        let at = changes.iter().rposition(|c| c.part == part.part).map_or(changes.len(), |i| i + 1);
        changes.insert(at, change(Some(part), None));
    }
    changes
}

/// Whether a version is a day, as `20251111`.
fn is_dated(version: &str) -> bool {
    let digits = version.split(|c: char| !c.is_ascii_digit()).next().unwrap_or_default();
    digits.len() == 8 && ["19", "20"].iter().any(|century| digits.starts_with(century))
}

fn change(old: Option<&Part>, new: Option<&Part>) -> PartChange {
    let step = match (old.and_then(|o| o.version.as_deref()), new.and_then(|n| n.version.as_deref())) {
        (Some(old), Some(new)) => version::step(old, new),
        _ => None,
    };
    let change = match (old, new) {
        (None, _) => PartChangeKind::Added,
        (_, None) => PartChangeKind::Removed,
        (Some(old), Some(new)) if old.name != new.name => PartChangeKind::Replaced,
        (Some(old), Some(new)) => match (old.version.as_deref(), new.version.as_deref()) {
            (Some(a), Some(b)) if is_dated(a) != is_dated(b) => PartChangeKind::OtherNumbering,
            (Some(a), Some(b)) if version::compare_plain(a, b).is_lt() => PartChangeKind::Upgraded,
            (Some(a), Some(b)) if version::compare_plain(a, b).is_gt() => PartChangeKind::Downgraded,
            _ => PartChangeKind::Same,
        },
    };
    PartChange {
        change,
        part: new.or(old).map(|p| p.part.clone()).unwrap_or_default(),
        old_name: old.map(|p| p.name.clone()),
        old_version: old.and_then(|p| p.version.clone()),
        new_name: new.map(|p| p.name.clone()),
        new_version: new.and_then(|p| p.version.clone()),
        step: if matches!(
            change,
            PartChangeKind::Replaced | PartChangeKind::OtherNumbering | PartChangeKind::Same
        ) {
            None
        } else {
            step
        },
        package: new.or(old).and_then(|p| p.package.clone()),
        inherited: None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Evidence;

    fn part(part: &str, name: &str, version: &str) -> Part {
        let evidence = Evidence::default();
        Part {
            part: part.into(),
            name: name.into(),
            version: Some(version.into()),
            package: None,
            others: vec![],
            evidence,
        }
    }

    #[test]
    fn a_day_and_a_number_have_no_order() {
        let part = |version: &str| Part {
            part: "firmware".into(),
            name: "Marsh microcode".into(),
            version: Some(version.into()),
            package: None,
            others: Vec::new(),
            evidence: crate::model::Evidence::default(),
        };
        let told = |old: &str, new: &str| {
            let one = change(Some(&part(old)), Some(&part(new)));
            (one.change, one.step.is_some())
        };
        assert_eq!(told("20251111", "2.1"), (PartChangeKind::OtherNumbering, false));
        assert_eq!(told("2.1", "20251111"), (PartChangeKind::OtherNumbering, false));
        assert_eq!(told("20251111", "20251201"), (PartChangeKind::Upgraded, true));
        assert_eq!(told("2.1", "3"), (PartChangeKind::Upgraded, true));
    }

    #[test]
    fn a_replaced_part_is_one_line() {
        let changes = changes(&[part("sound", "Ripple", "14")], &[part("sound", "Brook", "1.1")]);
        assert_eq!(changes.len(), 1);
        assert_eq!((changes[0].change, changes[0].step), (PartChangeKind::Replaced, None));
    }

    #[test]
    fn the_first_of_several_is_replaced_by_the_first() {
        let old = [part("desktop", "Weir", "4"), part("desktop", "Lapwing", "1")];
        let new = [part("desktop", "Reed", "2")];
        let sorts: Vec<_> = changes(&old, &new).iter().map(|c| (c.change, c.old_name.clone())).collect();
        assert_eq!(
            sorts,
            [
                (PartChangeKind::Replaced, Some("Weir".into())),
                (PartChangeKind::Removed, Some("Lapwing".into()))
            ]
        );
        let back: Vec<_> = changes(&new, &old).iter().map(|c| c.change).collect();
        assert_eq!(back, [PartChangeKind::Replaced, PartChangeKind::Added]);
    }

    #[test]
    fn parts_with_several_entries_compare_thing_by_thing() {
        let old = [part("toolkit", "Two", "2"), part("toolkit", "Three", "3.1")];
        let new = [part("toolkit", "Three", "3.2"), part("toolkit", "Four", "4")];
        let sorts: Vec<_> = changes(&old, &new).iter().map(|c| c.change).collect();
        assert_eq!(sorts, [PartChangeKind::Upgraded, PartChangeKind::Added, PartChangeKind::Removed]);
    }
}
