//! What an addition costs, in download and on disk.

use super::dim;
use crate::View;
use crate::document::{Block, Column, Document, Fact, Line, Role, Span, Table};
use crate::text::{bytes_human, megabytes, thousands};
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use tally_core::model::{Label, Text};
use tally_core::offer::{Added, Because, Cost, CostOf, Fit, Missing};

/// What an addition costs.
#[derive(Debug, Clone)]
pub struct CostView {
    /// The install.
    pub label: Label,
    /// The answer.
    pub cost: Cost,
}

/// Packages that the screen names for each addition, those asked for and the largest first.
const SHOWN: usize = 15;

/// Bytes that may be fewer than none.
fn signed(bytes: i64) -> String {
    let plain = bytes_human(bytes.unsigned_abs());
    if bytes < 0 { format!("-{plain}") } else { plain }
}

fn signed_megabytes(bytes: i64) -> String {
    let plain = megabytes(bytes.unsigned_abs());
    if bytes < 0 { format!("-{plain}") } else { plain }
}

/// Names, the last joined by "and".
fn listed(names: &[Text]) -> String {
    match names {
        [] => String::new(),
        [one] => one.to_string(),
        [all @ .., last] => format!("{} and {last}", all.join(", ")),
    }
}

impl CostView {
    fn account(&self, document: &mut Document) {
        let cost = &self.cost;
        let plan = &cost.plan;
        let counts_image = cost.image_bytes.is_some();
        let mut download: Vec<String> =
            cost.image_bytes.map(|bytes| format!("{} image", bytes_human(bytes))).into_iter().collect();
        download.push(bytes_human(plan.download_bytes));
        let mut disk =
            vec![format!("{} installed", bytes_human(cost.installed_bytes)), signed(plan.disk_bytes)];
        if cost.plus_bytes > 0 {
            let plus = format!("{} on top", bytes_human(cost.plus_bytes));
            if !counts_image {
                disk.push(plus.clone());
            }
            download.push(plus);
        }
        let sum = |parts: Vec<String>| if parts.len() > 1 { parts.join(" + ") } else { String::new() };
        let fact = |name: &str, bytes: u64, parts: Vec<String>, counts: bool| Fact {
            name: name.into(),
            value: Line::from(Span::new(Role::Strong, bytes_human(bytes))),
            aside: match cost.limit_bytes.filter(|_| counts) {
                None => dim(sum(parts)).into(),
                Some(limit) => {
                    let said = Line::from(dim(format!("{}; limit {}: ", sum(parts), bytes_human(limit))));
                    match cost.over_bytes {
                        0 => said.and(Span::new(Role::Came, "it fits")),
                        over => said.and(Span::new(Role::LookTwice, format!("{} over", bytes_human(over)))),
                    }
                }
            },
        };
        document.push(Block::Facts(vec![
            fact("Download", cost.download_sum, download, counts_image),
            fact("On disk", cost.disk_sum, disk, !counts_image),
            Fact {
                name: "New packages".into(),
                value: thousands(plan.added.len() as u64).into(),
                aside: dim(self.other_way()).into(),
            },
        ]));
    }

    /// What it would be with recommended packages, or without them: whichever was not asked for.
    fn other_way(&self) -> String {
        let (plan, other) = (&self.cost.plan, &self.cost.otherwise);
        let (now, then) = match plan.recommends {
            true => ("with recommended packages", "without them"),
            false => ("without recommended packages", "with them"),
        };
        let same = (u64::from(other.packages), other.download_bytes)
            == (plan.added.len() as u64, plan.download_bytes);
        match same {
            true => String::new(),
            false => format!(
                "{now}; {then} {}, {} to download",
                thousands(other.packages.into()),
                bytes_human(other.download_bytes)
            ),
        }
    }

    fn problems(&self, document: &mut Document) {
        for missing in &self.cost.plan.missing {
            document.paragraph(Span::new(Role::LookTwice, said_missing(missing)));
        }
        let names: Vec<Text> = self.cost.plan.present.iter().map(|package| package.name().into()).collect();
        if !names.is_empty() {
            document.paragraph(format!("Installed already: {}.", listed(&names)));
        }
        for removed in &self.cost.plan.removed {
            let said = format!(
                "{} would be removed: it can't stay beside {}.",
                removed.package.name(),
                removed.because_of
            );
            document.paragraph(Span::new(Role::LookTwice, said));
        }
        if !self.cost.plan.may_differ.is_empty() {
            let said =
                format!("The package system may choose otherwise at {}.", listed(&self.cost.plan.may_differ));
            document.paragraph(dim(said));
        }
    }

    fn fits(&self, document: &mut Document) {
        let cost = |cost: &CostOf| {
            let sum = match self.cost.image_bytes {
                Some(image) => image.saturating_add(cost.download_bytes).saturating_add(self.cost.plus_bytes),
                None => {
                    let on_disk = self.cost.installed_bytes.saturating_add_signed(cost.disk_bytes);
                    on_disk.saturating_add(self.cost.plus_bytes)
                }
            };
            format!("{} in all", bytes_human(sum))
        };
        for fit in &self.cost.fits {
            let said = match fit {
                Fit::WithoutRecommended { cost: of } => {
                    format!("Without recommended packages it fits: {}.", cost(of))
                }
                Fit::WithRecommended { cost: of } => {
                    format!("Recommended packages would fit as well: {}.", cost(of))
                }
                Fit::LeaveOut { names, cost: of } => {
                    format!("Without {} it fits: {}.", listed(names), cost(of))
                }
            };
            document.paragraph(Span::new(Role::Came, said));
        }
        if self.cost.over_bytes > 0 && self.cost.fits.is_empty() {
            document.paragraph(match self.cost.each.len() {
                0 | 1 => "It does not fit.",
                _ => "None of them fits by itself.",
            });
        }
    }

    fn each(&self, document: &mut Document) {
        if self.cost.each.len() < 2 {
            return;
        }
        document.heading("Each by itself");
        let mut table = Table::new(vec![
            Column::new("addition").name(),
            Column::new("packages").right(),
            Column::new("download MB").right(),
            Column::new("disk MB").right(),
        ]);
        for one in &self.cost.each {
            table.row(vec![
                listed(&one.names).into(),
                one.packages.to_string().into(),
                megabytes(one.download_bytes).into(),
                signed_megabytes(one.disk_bytes).into(),
            ]);
        }
        document.push(Block::Table(table));
    }

    fn packages(&self, document: &mut Document) {
        let plan = &self.cost.plan;
        if plan.added.is_empty() && plan.upgraded.is_empty() {
            return;
        }
        document.heading("What is installed for each");
        let mut table = Table::new(vec![
            Column::new("package").name(),
            Column::new("version").name().drops(1),
            Column::new("download MB").right(),
            Column::new("disk MB").right(),
            Column::new("because of").sentence().drops(2),
        ]);
        let root = |added: &Added| match added.brought.because {
            Because::Asked => added.package.name().into(),
            _ => added.brought.path.first().cloned().unwrap_or_default(),
        };
        // In the order in which they were asked for; what a group or a provided name stands for comes behind.
        let mut roots: Vec<Text> = plan
            .asked
            .iter()
            .filter(|name| plan.added.iter().any(|added| root(added) == **name))
            .cloned()
            .collect();
        for added in &plan.added {
            let root = root(added);
            if !roots.contains(&root) {
                roots.push(root);
            }
        }
        for of in roots {
            let mut own: Vec<&Added> = plan.added.iter().filter(|added| root(added) == of).collect();
            own.sort_by_key(|added| {
                (
                    added.brought.because != Because::Asked,
                    std::cmp::Reverse(added.download_bytes),
                    &added.package,
                )
            });
            table.group(format!("For {of}"));
            let more = own.split_off(own.len().min(SHOWN));
            for added in own {
                table.row(vec![
                    added.package.name().into(),
                    added.version.as_str().into(),
                    added.download_bytes.map(megabytes).unwrap_or_default().into(),
                    added.installed_bytes.map(megabytes).unwrap_or_default().into(),
                    dim(said_because(added)),
                ]);
            }
            if !more.is_empty() {
                let sum = |of: fn(&Added) -> Option<u64>| {
                    megabytes(more.iter().filter_map(|added| of(added)).fold(0, u64::saturating_add))
                };
                table.row(vec![
                    dim(format!("{} more", thousands(more.len() as u64))),
                    Span::default(),
                    sum(|added| added.download_bytes).into(),
                    sum(|added| added.installed_bytes).into(),
                    dim("--format csv lists all"),
                ]);
            }
        }
        if !plan.upgraded.is_empty() {
            table.group("Updated along with it");
            for one in &plan.upgraded {
                table.row(vec![
                    one.package.name().into(),
                    format!("{} → {}", one.old, one.new).into(),
                    one.download_bytes.map(megabytes).unwrap_or_default().into(),
                    signed_megabytes(one.grows_bytes).into(),
                    dim(one.brought.path.join(" → ")),
                ]);
            }
        }
        document.push(Block::Table(table));
    }
}

/// Why a package comes, in a few words.
fn said_because(added: &Added) -> String {
    let brought = &added.brought;
    let by = brought.path.last().map(Text::as_str).unwrap_or_default();
    let instead = match brought.instead.as_slice() {
        [] => String::new(),
        few if few.len() <= 3 => format!("; or {}", few.join(", ")),
        [one, rest @ ..] => format!("; or {one} and {} others", rest.len()),
    };
    match brought.because {
        Because::Asked => "asked for".to_owned(),
        Because::Needed => format!("{by} needs it{instead}"),
        Because::Recommended => format!("{by} recommends it{instead}"),
        Because::ComesAlong => format!("comes along with {by}"),
    }
}

/// What can't be done, and why.
fn said_missing(missing: &Missing) -> String {
    match missing {
        Missing::NotOffered { asked, providers } if providers.is_empty() => format!("{asked} is in no list."),
        Missing::NotOffered { asked, providers } => {
            format!(
                "{asked} is provided by several packages, of which one is to be named: {}.",
                listed(providers)
            )
        }
        Missing::Need { path, need } => format!("{} needs {need}, which can't be had.", path.join(" → ")),
        Missing::Conflict { path, with } => format!("{} can't be installed beside {with}.", path.join(" → ")),
    }
}

impl View for CostView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        self.account(&mut document);
        self.problems(&mut document);
        self.fits(&mut document);
        self.each(&mut document);
        self.packages(&mut document);
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            package: &'a str,
            version: &'a str,
            repository: &'a str,
            because: &'a str,
            path: String,
            download_bytes: Option<u64>,
            installed_bytes: Option<u64>,
        }
        CsvTable::of(self.cost.plan.added.iter().map(|added| Row {
            package: added.package.as_str(),
            version: &added.version,
            repository: &added.repository,
            because: added.brought.because.name(),
            path: added.brought.path.join(" > "),
            download_bytes: added.download_bytes,
            installed_bytes: added.installed_bytes,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(&self.cost)
    }
}
