//! The report of what changed between two installs.

use super::notes::{Notes, plain, section};
use super::sections::{open, page, without_headings, without_title};
use super::{Knowledge, Report, apps, data, decisions, defaults, origin, packages, tables};
use crate::View;
use crate::chart::{of_comparison, of_releases};
use crate::document::{Block, Column, Document, Line, Role, Section, Span, Table};
use crate::text::count_of;
use crate::view::{
    CompareView, CompareWhat, LagChangeView, ShowView, ShowWhat, TWO, capital, dim, figures, headlines,
    key_versions, lifetime, wallpapers,
};
use crate::words;
use tally_core::compare::{Comparison, PartChange, PartChangeKind};
use tally_core::lag::Lag;
use tally_core::model::{Evidence, Label, Tally};

impl<'a> Report<'a> {
    /// Of what changed between two installs.
    pub fn of_comparison(
        (old, new): (&'a Tally, &'a Tally),
        comparison: &'a Comparison,
        knowledge: &Knowledge<'a>,
    ) -> Self {
        let (rules, roles, command) = (knowledge.parts, knowledge.roles, knowledge.command);
        let view = move |what| CompareView {
            comparison,
            rules,
            roles,
            what,
            filtered: false,
            // Every view begins with the sums: on a page they stand once.
            sums: false,
            command,
        };
        let says = |what| without_headings(view(what).document());
        let by = |what: CompareWhat| format!("{command} --view {}", what.name());
        let mut charts = of_comparison(comparison);
        charts.extend(of_releases(&[old, new], rules));
        let mut news = Document::default();
        headlines(&mut news, &view(CompareWhat::Headlines));
        let mut versions = vec![Block::Sheet(key_versions(comparison))];
        if comparison.key_figures.is_empty() {
            versions = vec![Block::Paragraph(dim("No part that people ask for was found.").into())];
        }
        let changed = comparison.parts.iter().filter(|one| one.change != PartChangeKind::Same).count();
        let findings = ShowView { tally: new, what: ShowWhat::Findings, rules, roles, all: false };
        let sections = vec![
            Block::Beside(vec![
                open("headlines", "Headlines", news.blocks.clone()).by(command),
                open("versions", "Key versions", versions),
            ]),
            Block::Section(
                open(
                    "programs",
                    "Programs",
                    vec![Block::Cards(apps::of_comparison(
                        comparison,
                        new,
                        roles,
                        &knowledge.pictures.icons(&[new, old]),
                    ))],
                )
                .holds(apps::count(comparison))
                .by(by(CompareWhat::Applications)),
            ),
            Block::Section(
                open("defaults", "Default apps", defaults::of_comparison((old, new), comparison, knowledge))
                    .by(by(CompareWhat::Defaults)),
            ),
            Block::Section(
                open("parts", "Under the hood", vec![parts((old, new), comparison, knowledge)])
                    .with(&charts, "steps")
                    .holds(format!("{changed} changed, {} unchanged", comparison.parts.len() - changed))
                    .by(by(CompareWhat::Parts)),
            ),
            Block::Section(
                open("decisions", "Decisions", vec![Block::Folds(decisions::folds(comparison))])
                    .with(&charts, "decisions")
                    .holds(decisions::count(comparison))
                    .by(by(CompareWhat::Decisions)),
            ),
            Block::Section(
                open(
                    "looks",
                    "Looks",
                    wallpapers(comparison)
                        .map(|said| Block::Paragraph(said.into()))
                        .into_iter()
                        .chain(knowledge.pictures.of_comparison(comparison))
                        .chain(says(CompareWhat::Looks))
                        .collect(),
                )
                .by(by(CompareWhat::Looks)),
            ),
            Block::Section(
                open("media", "Opens and plays", says(CompareWhat::Media)).by(by(CompareWhat::Media)),
            ),
            Block::Section(
                open("settings", "Settings", says(CompareWhat::Settings)).by(by(CompareWhat::Settings)),
            ),
            Block::Section(
                open("startup", "Startup", says(CompareWhat::Startup)).by(by(CompareWhat::Startup)),
            ),
            Block::Section(
                open("repositories", "Repositories", says(CompareWhat::Repositories))
                    .by(by(CompareWhat::Repositories)),
            ),
            Block::Section(lag_section(knowledge.lags)),
            Block::Section(
                open("findings", "Worth a second look", without_title(findings.document()))
                    .holds(format!("in {}", new.label.title()))
                    .by(format!("fresh-tally show {} findings", new.label.handle)),
            ),
            Block::Section(
                open("weight", "Disk space", says(CompareWhat::Weight)).folded().by(by(CompareWhat::Weight)),
            ),
            Block::Section(
                open("readings", "Readings", says(CompareWhat::Readings))
                    .folded()
                    .by(by(CompareWhat::Readings)),
            ),
            Block::Section(
                open("packages", "Packages", packages::of_comparison((old, new), comparison))
                    .folded()
                    .holds(format!("{} changed", count_of(comparison.packages.len() as u64, "package")))
                    .by(by(CompareWhat::Packages)),
            ),
        ];
        // Without days there is nothing to tell.
        let is_told = |block: &Block| !matches!(block, Block::Section(section) if section.blocks.is_empty());
        let sections: Vec<Block> = sections.into_iter().filter(is_told).collect();
        let (title, mut top) = top(old, new, comparison);
        top.splice(0..0, knowledge.pictures.lead(new));
        let lines: Vec<Line> = match news.blocks.first() {
            Some(Block::Ranked(lines)) => lines.iter().map(plain).collect(),
            _ => Vec::new(),
        };
        let notes = move || {
            let says = |what| without_headings(view(what).document());
            Notes {
                title: title.clone(),
                figures: vec![Block::Figures(figures(comparison)), Block::Sheet(key_versions(comparison))],
                news: lines.clone(),
                sections: vec![
                    section("Programs", says(CompareWhat::Applications)),
                    section("Default apps", says(CompareWhat::Defaults)),
                    section("Under the hood", says(CompareWhat::Parts)),
                    section("Decisions", says(CompareWhat::Decisions)),
                ],
                origin: origin(&[old, new]),
            }
        };
        let data = move || {
            let wire = serde_json::to_value(view(CompareWhat::All).wire())?;
            data("comparison", &comparison.new, wire)
        };
        Self {
            page: page(top, sections, &[old, new]),
            charts,
            notes: Box::new(notes),
            tables: Box::new(move || tables(TABLES.iter().map(|(name, what)| (*name, view(*what).csv())))),
            data: Box::new(data),
        }
    }
}

/// Tables, and the views that they are of.
const TABLES: &[(&str, CompareWhat)] = &[
    ("changes", CompareWhat::All),
    ("parts", CompareWhat::Parts),
    ("programs", CompareWhat::Applications),
    ("defaults", CompareWhat::Defaults),
    ("decisions", CompareWhat::Decisions),
    ("packages", CompareWhat::Packages),
];

/// Which gaps to the makers grew, and which shrank; empty where that is not known.
fn lag_section(lags: &[Lag]) -> Section {
    let [old, new] = lags else { return open("lag", "How far behind", Vec::new()) };
    open("lag", "How far behind", without_title(LagChangeView { old, new }.document()))
        .folded()
        .by(format!("fresh-tally lag {} {}", old.install.handle, new.install.handle))
}

/// The title of the notes, and what a page begins with.
fn top(old: &Tally, new: &Tally, comparison: &Comparison) -> (Block, Vec<Block>) {
    let (shared, was, is) = crate::view::side_by_side(&comparison.old, &comparison.new);
    let seen = crate::view::both_seen(&comparison.old, &comparison.new);
    // What stands first is the name, where both have one.
    let (name, rest) = match comparison.old.distro == comparison.new.distro {
        true => shared.split_once(", ").unwrap_or((&shared, "")),
        false => ("", if shared == TWO { "" } else { shared.as_str() }),
    };
    let aside: Vec<&str> = [rest, &seen].into_iter().filter(|text| !text.is_empty()).collect();
    let title = Block::Title {
        text: if name.is_empty() { Line::default() } else { Line::from(name).and(" ") }
            .and(Span::new(Role::Strong, format!("{was} → {is}"))),
        aside: dim(aside.join("; ")),
    };
    let mut blocks = vec![title.clone()];
    let lived = |label: &Label| lifetime(label).join("; ");
    let said = match (lived(&old.label), lived(&new.label)) {
        (old, new) if old == new => new,
        (old, new) if old.is_empty() => format!("{is}: {new}"),
        (old, new) if new.is_empty() => format!("{was}: {old}"),
        (old, new) => format!("{was}: {old}. {is}: {new}."),
    };
    if !said.is_empty() {
        blocks.push(Block::Paragraph(dim(capital(&said)).into()));
    }
    if !comparison.not_recorded.is_empty() {
        let missing = words::not_recorded(&comparison.not_recorded);
        blocks.push(Block::Paragraph(Span::new(Role::LookTwice, missing).into()));
    }
    blocks.push(Block::Figures(figures(comparison)));
    (title, blocks)
}

/// Parts with the file that each was read from.
fn parts((old, new): (&Tally, &Tally), comparison: &Comparison, knowledge: &Knowledge<'_>) -> Block {
    let mut table = Table::new(vec![
        Column::new("part").name(),
        Column::new("change"),
        Column::new("was"),
        Column::new("is"),
        Column::new("read from").name(),
    ]);
    table.filters = vec!["change"];
    let place = |tally: &Tally, change: &PartChange, name: Option<&str>| {
        let found =
            tally.parts.iter().find(|part| part.part == change.part && Some(part.name.as_str()) == name);
        found.map(|part| Evidence::place(&part.evidence))
    };
    for change in &comparison.parts {
        let said = |name: &Option<tally_core::model::Text>, version: &Option<tally_core::model::Text>| {
            let both = [name.as_deref(), version.as_deref()];
            both.into_iter().flatten().collect::<Vec<_>>().join(" ")
        };
        let (was, is) =
            (said(&change.old_name, &change.old_version), said(&change.new_name, &change.new_version));
        let (role, word) = words::part_change(change.change);
        let word = match change.change {
            PartChangeKind::Upgraded => change.step.map_or(word, tally_core::version::Step::name),
            PartChangeKind::Same => "unchanged",
            _ => word,
        };
        let read = place(new, change, change.new_name.as_deref())
            .or_else(|| place(old, change, change.old_name.as_deref()));
        table.row(vec![
            knowledge.parts.label(&change.part).into(),
            Span::new(if change.change == PartChangeKind::Same { Role::Dim } else { role }, word),
            dim(match (change.change, was.is_empty()) {
                (PartChangeKind::Same, _) => String::new(),
                (_, true) => "none".to_owned(),
                (_, false) => was,
            }),
            if is.is_empty() { dim("none") } else { is.into() },
            dim(read.unwrap_or_default()),
        ]);
    }
    if table.rows.is_empty() {
        return Block::Paragraph(dim("None of the known parts was found.").into());
    }
    Block::Table(table)
}
