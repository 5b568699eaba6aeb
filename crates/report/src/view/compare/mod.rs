mod rows;
mod sections;
mod tables;

pub(crate) use sections::{role_of, wallpapers};
pub(crate) use tables::{figures, headlines, key_versions, sides, step};

use super::dim;
use crate::View;
use crate::document::{Block, Document, Line, Role, Span};
use crate::text::{bytes_human, bytes_signed, count_of, thousands};
use crate::wire::{CsvTable, WithText, pretty};
use crate::words;
use serde::Serialize;
use tally_core::compare::{
    ApplicationChange, ApplicationChangeKind, Comparison, Decision, DefaultChange, Headline, KeyFigure,
    ListChange, NotRecorded, PackageChange, PackageChangeKind, PartChange, PictureChange, ReadingChange,
    Section, Totals,
};
use tally_core::knowledge::{PartRules, Roles, matches};
use tally_core::model::{Kind, Label, Menu, System};
use tally_core::vocabulary;

vocabulary! {
    /// The views of a comparison.
    pub enum CompareWhat {
        /// Headlines, parts, programs and the largest decisions: one screen or two.
        Headlines = "headlines",
        /// All parts, unchanged ones too.
        Parts = "parts",
        /// All programs that changed.
        Applications = "applications",
        /// Default apps that changed.
        Defaults = "defaults",
        /// All packages that changed.
        Packages = "packages",
        /// All decisions, with everything that followed from each.
        Decisions = "decisions",
        /// Repositories that were added, removed or changed.
        Repositories = "repositories",
        /// Startup items that were added or removed.
        Startup = "startup",
        /// Sessions, themes, wallpapers and fonts that changed.
        Looks = "looks",
        /// Which wallpapers and other pictures are new, kept, or gone.
        Pictures = "pictures",
        /// Which files came to open and play, or do not any more.
        Media = "media",
        /// Settings of new users that changed.
        Settings = "settings",
        /// Disk space by kind.
        Weight = "weight",
        /// Figures measured on both sides.
        Readings = "readings",
        /// What the repositories have come to offer, and offer no longer; told by [`crate::OfferChangeView`].
        Offer = "offer",
        /// All of that.
        All = "all",
    }
}

/// Which changes are shown; what is not asked for shows all.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    /// Kinds of packages.
    pub kinds: Vec<Kind>,
    /// Changes, by stable name.
    pub changes: Vec<String>,
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
            && self.changes.is_empty()
            && self.systems.is_empty()
            && self.menus.is_empty()
            && self.name.is_none()
    }

    fn change(&self, change: &str) -> bool {
        self.changes.is_empty() || self.changes.iter().any(|asked| asked == change)
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
        let side = |side: &'_ Option<tally_core::compare::NameAndVersion>| {
            side.as_ref().map(|side| side.name.clone())
        };
        comparison.packages.retain(|change| {
            let (old, new) = (side(&change.old), side(&change.new));
            self.change(change.change.name())
                && (self.kinds.is_empty() || self.kinds.contains(&change.kind))
                && self.system(&[change.system])
                && self.menus.is_empty()
                && self.name(&[old.as_deref(), new.as_deref()])
        });
        comparison.applications.retain(|change| {
            let systems: Vec<System> =
                change.old_systems.iter().chain(&change.new_systems).copied().collect();
            self.change(change.change.name())
                && (self.menus.is_empty() || self.menus.contains(&change.menu))
                && self.system(&systems)
                && self.kind_of_program(change.menu)
                && self.name(&[Some(&change.id), Some(&change.name)])
        });
        let lists = self.kinds.is_empty() && self.systems.is_empty() && self.menus.is_empty();
        comparison.parts.retain(|change| {
            let names = [Some(change.part.as_str()), change.old_name.as_deref(), change.new_name.as_deref()];
            lists && self.change(change.change.name()) && self.name(&names)
        });
        comparison.defaults.retain(|change| {
            let names = [
                Some(change.role.as_str()),
                Some(&change.asked),
                change.old.as_deref(),
                change.new.as_deref(),
            ];
            lists && self.change(change.change.name()) && self.name(&names)
        });
        for list in [
            &mut comparison.repositories,
            &mut comparison.startup,
            &mut comparison.looks,
            &mut comparison.settings,
            &mut comparison.media,
        ] {
            list.retain(|change| {
                lists && self.change(change.change.name()) && self.name(&[Some(&change.name)])
            });
        }
        comparison
            .pictures
            .retain(|change| lists && self.change(change.change.name()) && self.name(&[Some(&change.name)]));
        comparison.decisions.retain(|decision| {
            let names: Vec<Option<&str>> = decision
                .names
                .iter()
                .map(|name| Some(name.as_str()))
                .chain(decision.packages.iter().map(|p| Some(p.name())))
                .collect();
            lists && self.change(decision.kind.name()) && self.name(&names)
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
    /// Whether it begins with the sums.
    pub sums: bool,
    /// The command that gave this, for hints: `fresh-tally compare a b`.
    pub command: &'a str,
}

/// A comparison with the words for headlines and decisions.
#[derive(Serialize)]
struct ComparisonWire<'a> {
    schema_version: u32,
    old: &'a Label,
    new: &'a Label,
    key_figures: &'a [KeyFigure],
    headlines: Vec<WithText<&'a Headline>>,
    parts: &'a [PartChange],
    applications: &'a [ApplicationChange],
    defaults: &'a [DefaultChange],
    packages: &'a [PackageChange],
    decisions: Vec<WithText<&'a Decision>>,
    repositories: &'a [ListChange],
    startup: &'a [ListChange],
    looks: &'a [ListChange],
    settings: &'a [ListChange],
    media: &'a [ListChange],
    pictures: &'a [PictureChange],
    readings: &'a [ReadingChange],
    held_back: &'a [PackageChange],
    totals: &'a Totals,
    #[serde(skip_serializing_if = "NotRecorded::is_empty")]
    not_recorded: &'a NotRecorded,
}

fn with_text<T: Serialize>(list: &[T], text: impl Fn(&T) -> String) -> Vec<WithText<&T>> {
    list.iter().map(|data| WithText { data, text: text(data) }).collect()
}

/// Decisions that the first screen shows.
const FEW: usize = 10;

impl View for CompareView<'_> {
    fn document(&self) -> Document {
        let comparison = self.comparison;
        let mut document = Document::default();
        let seen = super::both_seen(&comparison.old, &comparison.new);
        document.title(super::change_title(&comparison.old, &comparison.new), seen);
        if comparison.is_empty() && !self.filtered {
            document.paragraph(
                "Nothing differs: no package, program, default app, part, repository or startup item.",
            );
            self.not_recorded(&mut document);
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
            document.push(Block::Figures(figures(comparison)));
            document.push(Block::Sheet(key_versions(comparison)));
            document.heading("Headlines");
            headlines(&mut document, self);
        }
        if self.sums {
            document.paragraph(self.sums());
        }
        self.not_recorded(&mut document);
        if self.filtered {
            document.paragraph(dim(
                "Only changes that match the filter are shown; the sums are those of all changes.",
            ));
        }
        if first(CompareWhat::Parts) {
            tables::parts(&mut document, self, what != CompareWhat::Headlines);
        }
        if first(CompareWhat::Applications) {
            tables::applications(&mut document, self);
        }
        if one(CompareWhat::Defaults) {
            sections::defaults(&mut document, self);
        }
        if first(CompareWhat::Decisions) {
            sections::decisions(&mut document, self, (what == CompareWhat::Headlines).then_some(FEW));
        }
        for (wanted, title, nothing, list) in [
            (CompareWhat::Repositories, "Repositories", "No repository differs.", &comparison.repositories),
            (CompareWhat::Startup, "Startup", "No startup item differs.", &comparison.startup),
            (CompareWhat::Looks, "Looks", "No session, theme, wallpaper or font differs.", &comparison.looks),
            (CompareWhat::Media, "Opens and plays", "The same opens and plays.", &comparison.media),
            (CompareWhat::Settings, "Settings", "No setting differs.", &comparison.settings),
        ] {
            if one(wanted) {
                sections::list(&mut document, title, self.none(nothing), list);
            }
        }
        if one(CompareWhat::Pictures) {
            sections::pictures(&mut document, comparison);
        }
        if one(CompareWhat::Weight) {
            sections::weight(&mut document, self);
        }
        if one(CompareWhat::Readings) {
            sections::readings(&mut document, self);
        }
        if one(CompareWhat::Packages) {
            tables::packages(&mut document, self);
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        CsvTable::of(rows::rows(self.comparison, self.what))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(&self.wire())
    }
}

impl CompareView<'_> {
    /// The comparison with its sentences, as JSON has it.
    pub(crate) fn wire(&self) -> impl Serialize + '_ {
        let comparison = self.comparison;
        ComparisonWire {
            schema_version: comparison.schema_version,
            old: &comparison.old,
            new: &comparison.new,
            key_figures: &comparison.key_figures,
            headlines: with_text(&comparison.headlines, |one| words::headline(&one.news)),
            parts: &comparison.parts,
            applications: &comparison.applications,
            defaults: &comparison.defaults,
            packages: &comparison.packages,
            decisions: with_text(&comparison.decisions, words::decision_reason),
            repositories: &comparison.repositories,
            startup: &comparison.startup,
            looks: &comparison.looks,
            settings: &comparison.settings,
            media: &comparison.media,
            pictures: &comparison.pictures,
            readings: &comparison.readings,
            held_back: &comparison.held_back,
            totals: &comparison.totals,
            not_recorded: &comparison.not_recorded,
        }
    }

    /// How much of it came with the base, when one was given.
    fn base_said(&self) -> String {
        let totals = &self.comparison.totals;
        let n = |count: u32| thousands(u64::from(count));
        match (totals.inherited, totals.held_back) {
            (Some(inherited), Some(held)) => {
                format!(
                    " {} of the changes are inherited from the base; {} changes of the base were not taken over.",
                    n(inherited),
                    n(held)
                )
            }
            (Some(inherited), None) => format!(" {} of the changes match the base.", n(inherited)),
            _ => String::new(),
        }
    }

    /// What is said where there is nothing: of a part of the changes only that there is none of what was asked for.
    fn none<'n>(&self, nothing: &'n str) -> &'n str {
        if self.filtered { "None that matches the filter." } else { nothing }
    }

    /// Names what is not compared.
    fn not_recorded(&self, document: &mut Document) {
        if !self.comparison.not_recorded.is_empty() {
            let said = words::not_recorded(&self.comparison.not_recorded);
            document.paragraph(Span::new(Role::LookTwice, said));
        }
    }

    /// Whether one of the two does not record this.
    fn lacks(&self, section: Section) -> bool {
        self.comparison.not_recorded.has(section)
    }

    /// Whether a view has nothing to say, because one of the two does not record it.
    fn says_nothing_of(&self, what: CompareWhat) -> bool {
        let section = match what {
            CompareWhat::Applications | CompareWhat::Defaults => Section::Programs,
            CompareWhat::Decisions => Section::Decisions,
            CompareWhat::Repositories => Section::Repositories,
            CompareWhat::Startup => Section::Startup,
            CompareWhat::Looks | CompareWhat::Settings | CompareWhat::Media | CompareWhat::Pictures => {
                Section::Looks
            }
            CompareWhat::Weight => Section::Sizes,
            CompareWhat::Readings => Section::Readings,
            CompareWhat::Headlines
            | CompareWhat::Parts
            | CompareWhat::Packages
            | CompareWhat::Offer
            | CompareWhat::All => {
                return false;
            }
        };
        self.lacks(section)
    }

    /// The sums that everything below adds up to.
    fn sums(&self) -> Line {
        let totals = &self.comparison.totals;
        let mut line = Line::default();
        if !self.lacks(Section::Programs) {
            let changes = ApplicationChangeKind::ALL.iter().map(|change| {
                let always = matches!(
                    change,
                    ApplicationChangeKind::Added
                        | ApplicationChangeKind::Removed
                        | ApplicationChangeKind::Updated
                );
                (words::application_change(*change), totals.applications_of(*change), always)
            });
            line = add_sums(line, "Programs", changes);
            line = line.and(format!(", {} unchanged. ", thousands(u64::from(totals.same_applications))));
        }
        let changes = PackageChangeKind::ALL.iter().map(|change| {
            let always = matches!(
                change,
                PackageChangeKind::Added | PackageChangeKind::Removed | PackageChangeKind::Upgraded
            );
            (words::package_change(*change), totals.packages_of(*change), always)
        });
        line = add_sums(line, "Packages", changes)
            .and(format!(
                ", {} unchanged; {} → {}.",
                thousands(u64::from(totals.unchanged)),
                thousands(u64::from(totals.old_packages)),
                count_of(u64::from(totals.new_packages), "package"),
            ))
            .and(self.base_said());
        if self.lacks(Section::Sizes) {
            return line;
        }
        let delta = i64::try_from(totals.new_bytes).unwrap_or(i64::MAX)
            - i64::try_from(totals.old_bytes).unwrap_or(i64::MAX);
        line.and(" ").and(Span::new(Role::Strong, "Disk space ")).and(format!(
            "{} → {} ({}).",
            bytes_human(totals.old_bytes),
            bytes_human(totals.new_bytes),
            bytes_signed(delta)
        ))
    }
}

/// Adds `Packages 3 added, 2 removed`; changes that did not occur are left out but for those that are `always` told.
fn add_sums(
    line: Line,
    what: &str,
    changes: impl Iterator<Item = ((Role, &'static str), u32, bool)>,
) -> Line {
    let mut line = line.and(Span::new(Role::Strong, format!("{what} ")));
    let shown = changes.filter(|(_, count, always)| *always || *count > 0);
    for (at, ((role, word), count, _)) in shown.enumerate() {
        if at > 0 {
            line = line.and(", ");
        }
        line = line.and(Span::new(role, format!("{} {word}", thousands(u64::from(count)))));
    }
    line
}
