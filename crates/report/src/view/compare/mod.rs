mod more;
mod tables;

use super::{dim, side_by_side};
use crate::View;
use crate::document::{Document, Line, Role, Span};
use crate::text::{bytes_human, bytes_signed, count_of, thousands};
use crate::wire::{CsvTable, pretty};
use tally_core::compare::{ApplicationSort, Comparison, PackageSort};
use tally_core::knowledge::{PartRules, Roles, matches};
use tally_core::model::{Kind, Menu, System};

/// The questions that can be asked of a comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CompareWhat {
    /// Headlines, parts, applications and the weightiest decisions: one screen or two.
    #[default]
    Headlines,
    /// All parts, unchanged ones too.
    Parts,
    /// All applications that changed.
    Applications,
    /// What opens what, where that changed.
    Defaults,
    /// All packages that changed.
    Packages,
    /// All decisions, with what followed from each.
    Decisions,
    /// Repositories that came, went, or changed.
    Repositories,
    /// Startup items that came or went.
    Startup,
    /// Sessions, themes, wallpapers and fonts that came, went, or changed.
    Looks,
    /// Weight by kind.
    Weight,
    /// Figures measured on both sides.
    Readings,
    /// All of that.
    All,
}

/// Which changes are shown; what is not asked for shows all.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    /// Kinds of packages.
    pub kinds: Vec<Kind>,
    /// Sorts of change, by stable name.
    pub sorts: Vec<String>,
    /// Package systems.
    pub systems: Vec<System>,
    /// Menus of applications.
    pub menus: Vec<Menu>,
    /// Pattern of names.
    pub name: Option<String>,
}

impl Filter {
    /// Whether it shows everything.
    pub fn is_empty(&self) -> bool {
        self.kinds.is_empty()
            && self.sorts.is_empty()
            && self.systems.is_empty()
            && self.menus.is_empty()
            && self.name.is_none()
    }

    fn sort(&self, sort: &str) -> bool {
        self.sorts.is_empty() || self.sorts.iter().any(|asked| asked == sort)
    }

    fn name(&self, names: &[Option<&str>]) -> bool {
        let asked = |pattern: &String| names.iter().flatten().any(|name| matches(pattern, name));
        self.name.as_ref().is_none_or(asked)
    }

    /// Programs have a menu and no kind; games are told by it.
    fn kind_of_program(&self, menu: Menu) -> bool {
        let kind = if menu == Menu::Games { Kind::Game } else { Kind::Application };
        self.kinds.is_empty() || self.kinds.contains(&kind)
    }

    fn system(&self, systems: &[System]) -> bool {
        self.systems.is_empty() || systems.iter().any(|system| self.systems.contains(system))
    }

    /// Leaves out of a comparison what is not asked for. Its totals stay those of the whole.
    pub fn apply(&self, comparison: &mut Comparison) {
        if self.is_empty() {
            return;
        }
        let side = |side: &'_ Option<tally_core::compare::Side>| side.as_ref().map(|side| side.name.clone());
        comparison.packages.retain(|change| {
            let (old, new) = (side(&change.old), side(&change.new));
            self.sort(change.sort.name())
                && (self.kinds.is_empty() || self.kinds.contains(&change.kind))
                && self.system(&[change.system])
                && self.menus.is_empty()
                && self.name(&[old.as_deref(), new.as_deref()])
        });
        comparison.applications.retain(|change| {
            let systems: Vec<System> =
                change.old_systems.iter().chain(&change.new_systems).copied().collect();
            self.sort(change.sort.name())
                && (self.menus.is_empty() || self.menus.contains(&change.menu))
                && self.system(&systems)
                && self.kind_of_program(change.menu)
                && self.name(&[Some(&change.id), Some(&change.name)])
        });
        let lists = self.kinds.is_empty() && self.systems.is_empty() && self.menus.is_empty();
        comparison.parts.retain(|change| {
            let names = [Some(change.part.as_str()), change.old_name.as_deref(), change.new_name.as_deref()];
            lists && self.sort(change.sort.name()) && self.name(&names)
        });
        comparison.defaults.retain(|change| {
            let names = [
                Some(change.role.as_str()),
                Some(&change.asked),
                change.old.as_deref(),
                change.new.as_deref(),
            ];
            lists && self.sort(change.sort.name()) && self.name(&names)
        });
        for list in [&mut comparison.repositories, &mut comparison.startup, &mut comparison.looks] {
            list.retain(|change| lists && self.sort(change.sort.name()) && self.name(&[Some(&change.name)]));
        }
        comparison.decisions.retain(|decision| {
            let names: Vec<Option<&str>> = std::iter::once(Some(decision.what.as_str()))
                .chain(decision.packages.iter().map(|p| Some(p.name())))
                .collect();
            lists && self.sort(decision.sort.name()) && self.name(&names)
        });
    }
}

/// A comparison, seen under one question.
#[derive(Debug, Clone, Copy)]
pub struct CompareView<'a> {
    /// The comparison.
    pub comparison: &'a Comparison,
    /// Rules for parts, for their names.
    pub rules: &'a PartRules,
    /// Roles, for their names.
    pub roles: &'a Roles,
    /// The question.
    pub what: CompareWhat,
    /// Whether some changes were left out.
    pub filtered: bool,
    /// The command that gave this, for hints: `fresh-tally compare a b`.
    pub command: &'a str,
}

/// Decisions that the first screen shows.
const FEW: usize = 10;

impl View for CompareView<'_> {
    fn document(&self) -> Document {
        let comparison = self.comparison;
        let mut document = Document::default();
        let (shared, old, new) = side_by_side(&comparison.old, &comparison.new);
        document
            .title(format!("{shared}: {old} to {new}"), super::both_seen(&comparison.old, &comparison.new));
        if comparison.is_empty() && !self.filtered {
            document.paragraph(
                "Nothing differs: no package, application, default, part, repository or startup item.",
            );
            self.untold(&mut document);
            return document;
        }
        let what = self.what;
        let one = |wanted: CompareWhat| {
            (what == wanted || what == CompareWhat::All) && !self.says_nothing_of(wanted)
        };
        let first = |wanted: CompareWhat| {
            one(wanted) || (what == CompareWhat::Headlines && !self.says_nothing_of(wanted))
        };
        // Headlines speak of the whole.
        if first(CompareWhat::Headlines) && !self.filtered {
            tables::headlines(&mut document, self);
        }
        document.paragraph(self.sums());
        self.untold(&mut document);
        if self.filtered {
            document.paragraph(dim("Only what was asked for is shown; the sums are those of the whole."));
        }
        if first(CompareWhat::Parts) {
            tables::parts(&mut document, self, what != CompareWhat::Headlines);
        }
        if first(CompareWhat::Applications) {
            tables::applications(&mut document, self);
        }
        if one(CompareWhat::Defaults) {
            more::defaults(&mut document, self);
        }
        if first(CompareWhat::Decisions) {
            more::decisions(&mut document, self, (what == CompareWhat::Headlines).then_some(FEW));
        }
        for (wanted, title, nothing, list) in [
            (CompareWhat::Repositories, "Repositories", "No repository differs.", &comparison.repositories),
            (CompareWhat::Startup, "Starts itself", "No startup item differs.", &comparison.startup),
            (CompareWhat::Looks, "Looks", "Nothing differs in looks.", &comparison.looks),
        ] {
            if one(wanted) {
                more::list(&mut document, title, self.none(nothing), list);
            }
        }
        if one(CompareWhat::Weight) {
            more::weight(&mut document, self);
        }
        if one(CompareWhat::Readings) {
            more::readings(&mut document, self);
        }
        if one(CompareWhat::Packages) {
            tables::packages(&mut document, self);
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
            "decision",
            "inherited",
        ]);
        let all = matches!(self.what, CompareWhat::All | CompareWhat::Headlines);
        let one = |wanted: CompareWhat| all || self.what == wanted;
        if one(CompareWhat::Parts) {
            tables::parts_csv(&mut table, self.comparison);
        }
        if one(CompareWhat::Applications) {
            tables::applications_csv(&mut table, self.comparison);
        }
        more::csv(&mut table, self.comparison, one);
        if one(CompareWhat::Packages) {
            tables::packages_csv(&mut table, self.comparison);
        }
        table
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self.comparison)
    }
}

impl CompareView<'_> {
    /// How much of it came with the base, when one was given.
    fn base_said(&self) -> String {
        let totals = &self.comparison.totals;
        let n = |count: u32| thousands(u64::from(count));
        match (totals.inherited, totals.held_back) {
            (Some(inherited), Some(held)) => {
                format!(
                    " {} of the changes came with the base, and {} of the base's were held back.",
                    n(inherited),
                    n(held)
                )
            }
            (Some(inherited), None) => format!(" {} of the changes are as the base has it.", n(inherited)),
            _ => String::new(),
        }
    }

    /// What is said where there is nothing: of a part of the changes only that there is none of what was asked for.
    fn none<'n>(&self, nothing: &'n str) -> &'n str {
        if self.filtered { "None that was asked for." } else { nothing }
    }

    /// Names what is not compared.
    fn untold(&self, document: &mut Document) {
        if !self.comparison.untold.is_empty() {
            let words = self.comparison.untold.join(", ");
            let said = format!("Not compared, since one of the two can't tell: {words}.");
            document.paragraph(Span::new(Role::LookTwice, said));
        }
    }

    /// Whether one of the two can't tell this.
    fn is_untold(&self, word: &str) -> bool {
        self.comparison.untold.iter().any(|untold| untold == word)
    }

    /// Whether a section has nothing to say, because one of the two can't tell.
    fn says_nothing_of(&self, what: CompareWhat) -> bool {
        let word = match what {
            CompareWhat::Applications | CompareWhat::Defaults => "programs",
            CompareWhat::Decisions => "decisions",
            CompareWhat::Repositories => "repositories",
            CompareWhat::Startup => "startup",
            CompareWhat::Looks => "looks",
            CompareWhat::Weight => "weight",
            CompareWhat::Readings => "readings",
            _ => return false,
        };
        self.is_untold(word)
    }

    /// How programs differ.
    fn sums_of_programs(&self) -> Line {
        let totals = &self.comparison.totals;
        let came = |n: u32, word: &str| Span::new(Role::Came, format!("{} {word}", thousands(u64::from(n))));
        let went = |n: u32, word: &str| Span::new(Role::Went, format!("{} {word}", thousands(u64::from(n))));
        let changed =
            |n: u32, word: &str| Span::new(Role::Changed, format!("{} {word}", thousands(u64::from(n))));
        let programs = |sort| totals.applications_of(sort);
        let mut line = Line::from(Span::new(Role::Strong, "Programs "))
            .and(came(programs(ApplicationSort::New), "new"))
            .and(", ")
            .and(went(programs(ApplicationSort::Gone), "gone"))
            .and(", ")
            .and(changed(programs(ApplicationSort::Updated), "updated"));
        for (sort, word) in [
            (ApplicationSort::Replaced, "replaced"),
            (ApplicationSort::MovedFormat, "in another format"),
            (ApplicationSort::MovedMenu, "in another menu"),
            (ApplicationSort::Shown, "shown now"),
            (ApplicationSort::Hidden, "hidden now"),
        ] {
            if programs(sort) > 0 {
                line = line.and(", ").and(changed(programs(sort), word));
            }
        }
        line.and(format!(", {} same. ", totals.same_applications))
    }

    /// The sums that everything below adds up to.
    fn sums(&self) -> Line {
        let totals = &self.comparison.totals;
        let came = |n: u32, word: &str| Span::new(Role::Came, format!("{} {word}", thousands(u64::from(n))));
        let went = |n: u32, word: &str| Span::new(Role::Went, format!("{} {word}", thousands(u64::from(n))));
        let changed =
            |n: u32, word: &str| Span::new(Role::Changed, format!("{} {word}", thousands(u64::from(n))));
        let packages = |sort| totals.packages_of(sort);
        let delta = i64::try_from(totals.new_bytes).unwrap_or(i64::MAX)
            - i64::try_from(totals.old_bytes).unwrap_or(i64::MAX);
        let mut line = if self.is_untold("programs") { Line::default() } else { self.sums_of_programs() };
        line = line
            .and(Span::new(Role::Strong, "Packages "))
            .and(came(packages(PackageSort::Added), "added"))
            .and(", ")
            .and(went(packages(PackageSort::Removed), "removed"))
            .and(", ")
            .and(changed(packages(PackageSort::Upgraded), "upgraded"));
        let more = [
            (PackageSort::Downgraded, "downgraded"),
            (PackageSort::Rebuilt, "rebuilt"),
            (PackageSort::Renumbered, "renumbered"),
            (PackageSort::Renamed, "renamed"),
            (PackageSort::Split, "split off"),
            (PackageSort::Merged, "merged"),
            (PackageSort::MovedFormat, "in another format"),
            (PackageSort::ArchChanged, "for another architecture"),
            (PackageSort::ReasonChanged, "for another reason"),
        ];
        for (sort, word) in more.into_iter().filter(|(sort, _)| packages(*sort) > 0) {
            line = line.and(", ").and(changed(packages(sort), word));
        }
        line = line
            .and(format!(", {} same; ", thousands(u64::from(totals.unchanged))))
            .and(format!(
                "{} then, {} now.",
                count_of(u64::from(totals.old_packages), "package"),
                thousands(u64::from(totals.new_packages)),
            ))
            .and(self.base_said());
        if self.is_untold("weight") {
            return line;
        }
        line.and(" ").and(Span::new(Role::Strong, "Weight ")).and(format!(
            "{} to {} ({})",
            bytes_human(totals.old_bytes),
            bytes_human(totals.new_bytes),
            bytes_signed(delta)
        ))
    }
}
