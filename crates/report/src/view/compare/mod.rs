mod tables;

use super::{AS_FOUND, side_by_side};
use crate::View;
use crate::document::{Document, Line, Role, Span};
use crate::text::{bytes_human, bytes_signed, count_of, thousands};
use crate::wire::{CsvTable, pretty};
use tally_core::compare::{ApplicationSort, Comparison, PackageSort};
use tally_core::knowledge::PartRules;

/// The questions that can be asked of a comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CompareWhat {
    /// Parts and applications, and the weightiest packages.
    #[default]
    Headlines,
    /// All parts, unchanged ones too.
    Parts,
    /// All applications that changed.
    Applications,
    /// All packages that changed.
    Packages,
    /// Parts, applications and packages, all of them.
    All,
}

/// A comparison, seen under one question.
#[derive(Debug, Clone, Copy)]
pub struct CompareView<'a> {
    /// The comparison.
    pub comparison: &'a Comparison,
    /// Rules for parts, for their names.
    pub rules: &'a PartRules,
    /// The question.
    pub what: CompareWhat,
    /// The command that gave this, for hints: `fresh-tally compare a b`.
    pub command: &'a str,
}

/// Packages that the first screen shows of each sort.
const FEW: usize = 8;

impl View for CompareView<'_> {
    fn document(&self) -> Document {
        let comparison = self.comparison;
        let mut document = Document::default();
        let (shared, old, new) = side_by_side(&comparison.old, &comparison.new);
        document.title(format!("{shared}: {old} to {new}"), format!("both {AS_FOUND}"));
        if comparison.is_empty() {
            document.paragraph("No package, application or part differs.");
            return document;
        }
        document.paragraph(self.sums());
        let what = self.what;
        if matches!(what, CompareWhat::Headlines | CompareWhat::Parts | CompareWhat::All) {
            tables::parts(&mut document, self, what != CompareWhat::Headlines);
        }
        if matches!(what, CompareWhat::Headlines | CompareWhat::Applications | CompareWhat::All) {
            tables::applications(&mut document, self);
        }
        if matches!(what, CompareWhat::Headlines | CompareWhat::Packages | CompareWhat::All) {
            let limit = if what == CompareWhat::Headlines { Some(FEW) } else { None };
            tables::packages(&mut document, self, limit);
        }
        document
    }

    fn csv(&self) -> CsvTable {
        let mut table = CsvTable::new(&[
            "what",
            "sort",
            "name",
            "system",
            "old_name",
            "old_version",
            "new_name",
            "new_version",
            "step",
            "kind",
            "menu",
            "bytes_delta",
        ]);
        if self.what != CompareWhat::Applications && self.what != CompareWhat::Packages {
            tables::parts_csv(&mut table, self.comparison);
        }
        if self.what != CompareWhat::Parts && self.what != CompareWhat::Packages {
            tables::applications_csv(&mut table, self.comparison);
        }
        if self.what != CompareWhat::Parts && self.what != CompareWhat::Applications {
            tables::packages_csv(&mut table, self.comparison);
        }
        table
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self.comparison)
    }
}

impl CompareView<'_> {
    /// The sums that everything below adds up to.
    fn sums(&self) -> Line {
        let totals = &self.comparison.totals;
        let came = |n: u32, word: &str| Span::new(Role::Came, format!("{} {word}", thousands(u64::from(n))));
        let went = |n: u32, word: &str| Span::new(Role::Went, format!("{} {word}", thousands(u64::from(n))));
        let changed =
            |n: u32, word: &str| Span::new(Role::Changed, format!("{} {word}", thousands(u64::from(n))));
        let programs = |sort| totals.applications_of(sort);
        let packages = |sort| totals.packages_of(sort);
        let delta = i64::try_from(totals.new_bytes).unwrap_or(i64::MAX)
            - i64::try_from(totals.old_bytes).unwrap_or(i64::MAX);
        let mut line = Line::from(Span::new(Role::Strong, "Programs "))
            .and(came(programs(ApplicationSort::New), "new"))
            .and(", ")
            .and(went(programs(ApplicationSort::Gone), "gone"))
            .and(", ")
            .and(changed(programs(ApplicationSort::Updated), "updated"));
        for (sort, word) in [
            (ApplicationSort::MovedFormat, "in another format"),
            (ApplicationSort::MovedMenu, "in another menu"),
        ] {
            if programs(sort) > 0 {
                line = line.and(", ").and(changed(programs(sort), word));
            }
        }
        line = line
            .and(format!(", {} same. ", totals.same_applications))
            .and(Span::new(Role::Strong, "Packages "))
            .and(came(packages(PackageSort::Added), "added"))
            .and(", ")
            .and(went(packages(PackageSort::Removed), "removed"))
            .and(", ")
            .and(changed(packages(PackageSort::Upgraded), "upgraded"));
        let more = [
            (PackageSort::Downgraded, "downgraded"),
            (PackageSort::Rebuilt, "rebuilt"),
            (PackageSort::ArchChanged, "for another architecture"),
            (PackageSort::ReasonChanged, "for another reason"),
        ];
        for (sort, word) in more.into_iter().filter(|(sort, _)| packages(*sort) > 0) {
            line = line.and(", ").and(changed(packages(sort), word));
        }
        line.and(format!(", {} same; ", thousands(u64::from(totals.unchanged))))
            .and(format!(
                "{} then, {} now. ",
                count_of(u64::from(totals.old_packages), "package"),
                thousands(u64::from(totals.new_packages)),
            ))
            .and(Span::new(Role::Strong, "Weight "))
            .and(format!(
                "{} to {} ({})",
                bytes_human(totals.old_bytes),
                bytes_human(totals.new_bytes),
                bytes_signed(delta)
            ))
    }
}
