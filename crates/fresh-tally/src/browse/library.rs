//! What places hold: each section as the same document that a command shows.

use super::state::{Export, Place};
use crate::commands::{compared, grid_of, index, lag_of, offered_by_both, why_of};
use crate::error::CommandError;
use crate::install;
use crate::output;
use crate::settings::Settings;
use std::cell::OnceCell;
use tally_core::age::age;
use tally_core::compare::Comparison;
use tally_core::find::{SearchResult, answers, find};
use tally_core::grid::{Grid, RowGroup};
use tally_core::history::Moment;
use tally_core::knowledge::{PartRules, Roles, settings as setting_rules};
use tally_core::lag::{Lag, day_that_counts};
use tally_core::model::{Evidence, Package, PackageRef, Shelved, Tally, Text};
use tally_report::{
    AgeView, CompareView, CompareWhat, Document, FindView, Format, GridView, LagChangeView, LagView, Line,
    OfferChangeView, OfferView, RenderOptions, Role, ShelfFindView, ShelfView, ShowView, ShowWhat, Span,
    View, bytes_human, render, words,
};
use tally_shelf::Index;

/// A place that was opened.
pub(crate) enum Pages {
    Shelf { entries: Vec<Shelved>, folder: String, index: Box<Index> },
    Install(Box<InstallPages>),
    Comparison(Box<ComparisonPages>),
    Grid { grid: Box<Grid>, command: String },
    Why { install: String, document: Document, csv: Vec<u8> },
}

pub(crate) struct InstallPages {
    handle: String,
    tally: Tally,
    parts: PartRules,
    roles: Roles,
    /// Asks the whole shelf, so it is told only when it is looked at.
    lag: OnceCell<Option<Lag>>,
}

pub(crate) struct ComparisonPages {
    sides: (String, String),
    old: Tally,
    new: Tally,
    comparison: Comparison,
    parts: PartRules,
    roles: Roles,
    /// As that of an install, of both.
    lag: OnceCell<Option<(Lag, Lag)>>,
    /// Reads the lists of both, so it is told only when it is looked at.
    offer: OnceCell<Option<OfferChangeView>>,
}

/// A section of an install.
#[derive(Clone, Copy)]
enum OfInstall {
    Show(ShowWhat),
    Lag,
    Age,
    Offer,
}

impl OfInstall {
    /// The command or view that says the same.
    fn name(self) -> &'static str {
        match self {
            Self::Show(what) => what.name(),
            Self::Lag => "lag",
            Self::Age => "age",
            Self::Offer => "offer",
        }
    }
}

/// A section of a comparison.
#[derive(Clone, Copy)]
enum OfComparison {
    Compare(CompareWhat),
    Lag,
    Offer,
}

impl OfComparison {
    fn name(self) -> &'static str {
        match self {
            Self::Compare(what) => what.name(),
            Self::Lag => "lag",
            Self::Offer => "offer",
        }
    }
}

/// Sections of an install, in the order of a review.
const INSTALL: &[OfInstall] = &[
    OfInstall::Show(ShowWhat::Overview),
    OfInstall::Show(ShowWhat::Menu),
    OfInstall::Show(ShowWhat::Parts),
    OfInstall::Show(ShowWhat::Defaults),
    OfInstall::Show(ShowWhat::Settings),
    OfInstall::Show(ShowWhat::Looks),
    OfInstall::Show(ShowWhat::Media),
    OfInstall::Show(ShowWhat::Packages),
    OfInstall::Show(ShowWhat::Findings),
    OfInstall::Show(ShowWhat::Startup),
    OfInstall::Show(ShowWhat::Repositories),
    OfInstall::Offer,
    OfInstall::Show(ShowWhat::Weight),
    OfInstall::Lag,
    OfInstall::Age,
    OfInstall::Show(ShowWhat::Pictures),
    OfInstall::Show(ShowWhat::Readings),
];

/// Sections of a comparison, in the order of a review.
const COMPARISON: &[OfComparison] = &[
    OfComparison::Compare(CompareWhat::Headlines),
    OfComparison::Compare(CompareWhat::Decisions),
    OfComparison::Compare(CompareWhat::Applications),
    OfComparison::Compare(CompareWhat::Parts),
    OfComparison::Compare(CompareWhat::Defaults),
    OfComparison::Compare(CompareWhat::Settings),
    OfComparison::Compare(CompareWhat::Looks),
    OfComparison::Compare(CompareWhat::Media),
    OfComparison::Compare(CompareWhat::Packages),
    OfComparison::Compare(CompareWhat::Startup),
    OfComparison::Compare(CompareWhat::Repositories),
    OfComparison::Compare(CompareWhat::Weight),
    OfComparison::Lag,
    OfComparison::Offer,
    OfComparison::Compare(CompareWhat::Pictures),
    OfComparison::Compare(CompareWhat::Readings),
];

impl Pages {
    /// Opens a place, as shipped or as found.
    ///
    /// # Errors
    /// When an install is not there, or can't be read.
    pub(crate) fn open(place: &Place, seen: Moment, settings: &Settings) -> Result<Self, CommandError> {
        let settings = &settings.seen_as(seen);
        Ok(match place {
            Place::Shelf => {
                let index = index(settings)?;
                let folder = settings.shelf.folder().to_string_lossy().into_owned();
                Self::Shelf { entries: index.installs()?, folder, index: Box::new(index) }
            }
            Place::Install(asked) => {
                let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
                let tally = install::find(asked, settings, &parts)?;
                let pages = InstallPages { handle: asked.clone(), tally, parts, roles, lag: OnceCell::new() };
                Self::Install(Box::new(pages))
            }
            Place::Comparison(old, new) => {
                let compared = compared(old, new, &[], settings, install::find)?;
                Self::Comparison(Box::new(ComparisonPages {
                    sides: (old.clone(), new.clone()),
                    old: compared.old,
                    new: compared.new,
                    comparison: compared.comparison,
                    parts: compared.parts,
                    roles: compared.roles,
                    lag: OnceCell::new(),
                    offer: OnceCell::new(),
                }))
            }
            Place::Grid(asked) => {
                let command = format!("fresh-tally grid {}", asked.join(" "));
                Self::Grid { grid: Box::new(grid_of(asked, &[], None, settings)?), command }
            }
            Place::Why(asked, package) => {
                let view = why_of(asked, package, true, settings)?;
                let csv = render(&view, Format::Csv, RenderOptions::default())?;
                Self::Why { install: asked.clone(), document: view.document(), csv }
            }
        })
    }

    /// What it is about.
    pub(crate) fn title(&self) -> (String, String) {
        let both = |tally: &Tally| (tally.label.title(), words::seen(tally.label.seen_as()).to_owned());
        match self {
            Self::Shelf { folder, .. } => ("The shelf".to_owned(), folder.clone()),
            Self::Install(pages) => both(&pages.tally),
            Self::Comparison(pages) => (format!("{} → {}", pages.sides.0, pages.sides.1), both(&pages.new).1),
            Self::Grid { grid, .. } => (
                format!("{} side by side", tally_report::count_of(grid.installs.len() as u64, "install")),
                String::new(),
            ),
            Self::Why { install, .. } => (format!("Why it is in {install}"), String::new()),
        }
    }

    /// The views that its sections are, as the command line names them.
    fn views(&self) -> Vec<&'static str> {
        match self {
            Self::Shelf { .. } => vec!["installs"],
            Self::Install(_) => INSTALL.iter().map(|section| section.name()).collect(),
            Self::Comparison(_) => COMPARISON.iter().map(|section| section.name()).collect(),
            Self::Grid { .. } => {
                std::iter::once("all").chain(RowGroup::ALL.iter().map(|group| group.name())).collect()
            }
            Self::Why { .. } => vec!["why"],
        }
    }

    /// The names of its sections.
    pub(crate) fn sections(&self) -> Vec<String> {
        self.views().into_iter().map(words::view_title).collect()
    }

    /// Installs of the shelf, the oldest release first.
    pub(crate) fn in_time(&self, mut handles: Vec<String>) -> Vec<String> {
        if let Self::Shelf { entries, .. } = self {
            let day = |handle: &String| {
                let entry = entries.iter().find(|entry| entry.handle == *handle)?;
                let label = entry.label.as_ref()?;
                Some((label.release_date.clone(), label.release.clone()))
            };
            handles.sort_by_cached_key(|handle| (day(handle), handle.clone()));
        }
        handles
    }

    /// The section that tells what a page has under a name.
    pub(crate) fn section_of(&self, place: &str) -> Option<usize> {
        let name = match place {
            _ if place.starts_with("decision") => "decisions",
            "apps" | "programs" => "applications",
            "hood" => "parts",
            "wallpapers" => "pictures",
            other => other,
        };
        self.views().iter().position(|known| *known == name)
    }

    /// What a section says.
    pub(crate) fn document(&self, section: usize, settings: &Settings) -> Document {
        if let Self::Comparison(pages) = self
            && matches!(COMPARISON.get(section), Some(OfComparison::Compare(CompareWhat::Decisions)))
        {
            return tally_report::publish::decisions(&pages.comparison);
        }
        let mut document = Document::default();
        self.with_view(section, settings, &mut |view| document = view.document());
        if let Self::Why { document: known, .. } = self {
            document.clone_from(known);
        }
        if document.blocks.is_empty() {
            document.paragraph("Nothing is known of this.");
        }
        document
    }

    /// A section as a file: what a person chose of the document, or all of it as a table.
    pub(crate) fn export(
        &self,
        section: usize,
        form: Export,
        chosen: &Document,
        settings: &Settings,
    ) -> Result<Vec<u8>, CommandError> {
        if form == Export::Markdown {
            return Ok(tally_report::markdown(chosen).into_bytes());
        }
        let mut bytes = Ok(Vec::new());
        if let Self::Why { csv, .. } = self {
            return Ok(csv.clone());
        }
        self.with_view(section, settings, &mut |view| {
            bytes = render(view, Format::Csv, RenderOptions::default());
        });
        Ok(bytes?)
    }

    fn with_view(&self, section: usize, settings: &Settings, then: &mut dyn FnMut(&dyn View)) {
        match self {
            Self::Shelf { entries, folder, .. } => {
                then(&ShelfView { folder: folder.clone(), of: entries.len(), entries: entries.clone() });
            }
            Self::Install(pages) => pages.with_view(section, settings, then),
            Self::Comparison(pages) => pages.with_view(section, settings, then),
            Self::Grid { grid, command } => {
                let groups: Vec<RowGroup> = match section.checked_sub(1) {
                    None => Vec::new(),
                    Some(at) => RowGroup::ALL.get(at).copied().into_iter().collect(),
                };
                then(&GridView { grid, only_differing: false, groups: &groups, command });
            }
            Self::Why { .. } => {}
        }
    }

    /// Where a search that finds nothing in a section is answered: all of the install, or the whole shelf.
    pub(crate) fn elsewhere(&self, asked: &str) -> Option<Document> {
        match self {
            Self::Shelf { index, .. } => {
                let sightings = index.find(asked).ok()?;
                Some(ShelfFindView { asked: asked.to_owned(), sightings }.document())
            }
            Self::Install(pages) => Some(found_in(&pages.tally, asked, &pages.parts, &pages.roles)),
            Self::Comparison(pages) => Some(found_in(&pages.new, asked, &pages.parts, &pages.roles)),
            _ => None,
        }
    }

    /// The place that a line leads to.
    pub(crate) fn follow(&self, name: &str, settings: &Settings) -> Option<Place> {
        match self {
            Self::Shelf { .. } => settings.shelf.has(name).then(|| Place::Install(name.to_owned())),
            Self::Grid { .. } => None,
            _ => self.why(name),
        }
    }

    /// Where it is told why something is there.
    pub(crate) fn why(&self, name: &str) -> Option<Place> {
        match self {
            Self::Install(pages) => {
                package_of(&pages.tally, name).map(|found| Place::Why(pages.handle.clone(), found))
            }
            Self::Comparison(pages) => {
                let of = |tally: &Tally, side: &String| {
                    package_of(tally, name).map(|found| Place::Why(side.clone(), found))
                };
                of(&pages.new, &pages.sides.1).or_else(|| of(&pages.old, &pages.sides.0))
            }
            Self::Why { install, .. } => {
                // Lines are paths of packages: the last one is what a line is about.
                let last = name.rsplit([' ', '→']).find(|word| !word.is_empty())?;
                Some(Place::Why(install.clone(), last.to_owned()))
            }
            _ => None,
        }
    }

    /// What is known of something, and where it was read.
    pub(crate) fn evidence(&self, name: &str) -> Vec<Line> {
        if name.is_empty() {
            return Vec::new();
        }
        match self {
            Self::Install(pages) => evidence(&pages.tally, name),
            Self::Comparison(pages) => {
                let is = evidence(&pages.new, name);
                let was = if is.len() < 3 { evidence(&pages.old, name) } else { Vec::new() };
                let side = |text: &str| Line::from(Span::new(Role::Dim, text));
                let (old, new) = (side("in the old one:"), side("in the new one:"));
                let with = |head: Line, lines: Vec<Line>| {
                    let head = (!lines.is_empty()).then_some(head);
                    head.into_iter().chain(lines).collect::<Vec<_>>()
                };
                if is.is_empty() { with(old, was) } else { with(new, is) }
            }
            Self::Shelf { entries, .. } => {
                entries.iter().find(|entry| entry.handle == name).map(shelved).unwrap_or_default()
            }
            _ => Vec::new(),
        }
    }
}

/// What was found; what went wrong is said.
fn told<T>(found: Result<T, CommandError>) -> Option<T> {
    found.map_err(|error| output::warn(&error.to_string())).ok()
}

impl InstallPages {
    fn with_view(&self, section: usize, settings: &Settings, then: &mut dyn FnMut(&dyn View)) {
        let Self { tally, parts, roles, .. } = self;
        match INSTALL.get(section).copied().unwrap_or(INSTALL[0]) {
            OfInstall::Show(what) => {
                then(&ShowView { tally, what, rules: parts, roles, all: what == ShowWhat::Settings });
            }
            OfInstall::Offer => then(&OfferView::kept(tally, parts)),
            OfInstall::Age => {
                // Without a day no package has an age.
                if let Some(day) = day_that_counts(tally) {
                    then(&AgeView { age: &age(tally, day), all: true });
                }
            }
            OfInstall::Lag => {
                let lag = self.lag.get_or_init(|| told(lag_of(tally, settings)).flatten());
                if let Some(lag) = lag {
                    then(&LagView { lag, by_file: false });
                }
            }
        }
    }
}

impl ComparisonPages {
    fn with_view(&self, section: usize, settings: &Settings, then: &mut dyn FnMut(&dyn View)) {
        let what = match COMPARISON.get(section).copied().unwrap_or(COMPARISON[0]) {
            OfComparison::Compare(what) => what,
            OfComparison::Lag => {
                let of = |tally: &Tally| told(lag_of(tally, settings)).flatten();
                if let Some((old, new)) = self.lag.get_or_init(|| of(&self.old).zip(of(&self.new))) {
                    then(&LagChangeView { old, new });
                }
                return;
            }
            OfComparison::Offer => {
                let both = || told(offered_by_both(&self.sides.0, &self.sides.1, settings));
                if let Some(view) = self.offer.get_or_init(both) {
                    then(view);
                }
                return;
            }
        };
        let command = format!("fresh-tally compare {} {}", self.sides.0, self.sides.1);
        then(&CompareView {
            comparison: &self.comparison,
            rules: &self.parts,
            roles: &self.roles,
            what,
            filtered: false,
            sums: true,
            command: &command,
        });
    }
}

fn found_in(tally: &Tally, asked: &str, parts: &PartRules, roles: &Roles) -> Document {
    let result = SearchResult { answers: answers(tally, asked, parts, roles), ..find(tally, asked) };
    FindView { label: tally.label.clone(), result }.document()
}

/// The package that a name is of: itself, or what brings the program, the part or the startup item.
fn package_of(tally: &Tally, name: &str) -> Option<String> {
    let is = |text: &Text| text.eq_ignore_ascii_case(name);
    let package = |reference: &PackageRef| reference.name().to_owned();
    let itself = tally.packages.iter().find(|package| package.name == name).map(|one| one.name.to_string());
    let application = || {
        let found = tally.applications.iter().find(|one| is(&one.name) || is(&one.id))?;
        found.delivered.first().map(|delivery| package(&delivery.reference()))
    };
    let part =
        || tally.parts.iter().find(|one| is(&one.name) || is(&one.part))?.package.as_ref().map(package);
    let item = || tally.startup.iter().find(|one| is(&one.name))?.package.as_ref().map(package);
    itself.or_else(application).or_else(part).or_else(item)
}

/// A few lines on something: what it is, how large, why it is there, where that was read.
fn evidence(tally: &Tally, name: &str) -> Vec<Line> {
    let is = |text: &str| text.eq_ignore_ascii_case(name);
    let strong = |text: &str| Span::new(Role::Strong, text);
    let read = |from: &Evidence| Line::from(Span::new(Role::Dim, "read from ")).and(from.place());
    let named = |name: &str, more: String| Line::from(strong(name)).and(format!("  {more}"));
    if let Some(application) = tally.applications.iter().find(|one| is(&one.name) || is(&one.id)) {
        let version = application.version.as_deref().unwrap_or_default();
        let from: Vec<&str> = application.delivered.iter().map(|one| one.package.as_str()).collect();
        let size = application.bytes.map(|bytes| format!(", {}", bytes_human(bytes))).unwrap_or_default();
        let mut lines = vec![named(&application.name, format!("{version}  from {}{size}", from.join(", ")))];
        lines.extend(tally.launcher_of(application).map(|launcher| read(&launcher.evidence)));
        let package = from.first().and_then(|name| tally.packages.iter().find(|one| one.name == *name));
        lines.extend(package.map(about));
        return lines;
    }
    if let Some(package) = tally.packages.iter().find(|one| one.name == name) {
        return vec![about(package), summary(package), read(&package.evidence)];
    }
    if let Some(part) = tally.parts.iter().find(|one| is(&one.name) || is(&one.part)) {
        let package = part.package.as_ref().map(|one| format!("from {}", one.name())).unwrap_or_default();
        let version = part.version.as_deref().unwrap_or_default();
        return vec![named(&part.name, format!("{version}  {package}")), read(&part.evidence)];
    }
    if let Some(item) = tally.startup.iter().find(|one| is(&one.name)) {
        return vec![named(&item.name, String::new()), read(&item.evidence)];
    }
    let label = |key: &str| setting_rules().of(key).map(|rule| rule.label.clone());
    if let Some(setting) =
        tally.settings.iter().find(|one| is(&one.key) || label(&one.key).is_some_and(|label| is(&label)))
    {
        return vec![named(&setting.key, setting.value.to_string()), read(&setting.evidence)];
    }
    if let Some(repository) = tally.repositories.iter().find(|one| is(&one.name)) {
        return vec![named(&repository.name, repository.uri.to_string()), read(&repository.evidence)];
    }
    Vec::new()
}

fn about(package: &Package) -> Line {
    let size = package.installed_bytes.map(|bytes| format!(", {}", bytes_human(bytes))).unwrap_or_default();
    let built = package.built.as_ref().map(|day| format!(", built {day}")).unwrap_or_default();
    Line::from(Span::new(Role::Strong, &package.name)).and(format!(
        " {}  {} package, {}{size}, {}{built}",
        package.version,
        package.system.name(),
        package.kind.name(),
        package.reason.name()
    ))
}

fn summary(package: &Package) -> Line {
    let home = if package.homepage.is_empty() { String::new() } else { format!("  {}", package.homepage) };
    Line::from(package.summary.as_str()).and(Span::new(Role::Dim, home))
}

fn shelved(entry: &Shelved) -> Vec<Line> {
    let title = entry.label.as_ref().map(tally_core::model::Label::title).unwrap_or_default();
    let taken = entry.taken_at.as_deref().unwrap_or_default();
    let mut lines = vec![
        Line::from(Span::new(Role::Strong, title)),
        Line::from(format!(
            "taken {taken}; {} packages, {} programs, {}",
            entry.packages,
            entry.applications,
            bytes_human(entry.installed_bytes)
        )),
    ];
    lines.extend(entry.problem.as_ref().map(|problem| Line::from(Span::new(Role::LookTwice, problem))));
    lines
}
