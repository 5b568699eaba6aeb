//! Default apps by their names, before and after.

use super::Knowledge;
use crate::document::{Block, Column, Span, Table};
use crate::view::{capital, dim};
use crate::words;
use tally_core::compare::{Comparison, DefaultChange, DefaultChangeKind};
use tally_core::model::{Tally, Text};

/// Types that one row names; the rest is counted.
const TYPES: usize = 6;

/// Changes of one role that are the same for several types.
struct Group<'c> {
    change: &'c DefaultChange,
    types: Vec<&'c str>,
}

/// One row for each role and what became of it.
pub(super) fn of_comparison(
    (old, new): (&Tally, &Tally),
    comparison: &Comparison,
    knowledge: &Knowledge<'_>,
) -> Vec<Block> {
    let mut groups: Vec<Group<'_>> = Vec::new();
    for change in &comparison.defaults {
        let same = |group: &&mut Group<'_>| {
            let one = group.change;
            (&one.role, &one.old, &one.new, one.change)
                == (&change.role, &change.old, &change.new, change.change)
        };
        match groups.iter_mut().find(same) {
            Some(group) => group.types.push(words::asked(&change.asked)),
            None => groups.push(Group { change, types: vec![words::asked(&change.asked)] }),
        }
    }
    if groups.is_empty() {
        return vec![Block::Paragraph(dim("No default app changed.").into())];
    }
    let mut table = Table::new(vec![
        Column::new("role").name(),
        Column::new("was").name(),
        Column::new("is").name(),
        Column::new("change"),
        Column::new("types").sentence(),
        Column::new("decided by").sentence(),
    ]);
    let name = |tally: &Tally, id: &Option<Text>| {
        id.as_deref().map(|id| {
            let (name, version) = tally.holder(id);
            [Some(name), version].into_iter().flatten().collect::<Vec<_>>().join(" ")
        })
    };
    for Group { change, types } in groups {
        let (role, word) = words::default_change(change.change);
        let is = name(new, &change.new);
        let nothing = if change.change == DefaultChangeKind::Ambiguous { "no default" } else { "none" };
        table.row(vec![
            capital(knowledge.roles.label(&change.role)).into(),
            dim(name(old, &change.old).as_deref().unwrap_or("none")),
            is.map_or_else(|| dim(nothing), |is| Span::new(crate::document::Role::Strong, is)),
            Span::new(role, word),
            dim(words::listed(&types, TYPES)),
            dim(words::decided(&change.decided)),
        ]);
    }
    vec![Block::Table(table)]
}
