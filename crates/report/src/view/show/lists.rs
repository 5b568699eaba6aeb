//! Views that are one list of records: parts, defaults, repositories, startup items, oddities.

use crate::document::{Block, Cell, Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, thousands};
use crate::view::{dim, optional};
use crate::wire::CsvTable;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{Evidence, Oddity, OddityName, PackageRef, Scope, StartupItem, Tally};

fn titled(tally: &Tally, first: impl Into<crate::document::Line>) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), tally.label.seen_as());
    document.paragraph(first);
    document
}

pub(super) fn parts(tally: &Tally, rules: &PartRules) -> Document {
    let mut document = titled(tally, format!("{} underneath", count_of(tally.parts.len() as u64, "part")));
    let mut table = Table::new(vec![
        Column::new("part").name(),
        Column::new("filled by").name(),
        Column::new("version"),
        Column::new("also there").sentence().drops(2),
        Column::new("read from").name().drops(1),
    ]);
    for part in &tally.parts {
        table.row(vec![
            rules.label(&part.part).into(),
            part.name.as_str().into(),
            part.version.as_deref().unwrap_or("unknown").into(),
            part.others.join(", ").into(),
            dim(part.evidence.place()),
        ]);
    }
    document.table_or(table, "Nothing that the rules for parts know was found.");
    document
}

pub(super) fn parts_csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&["part", "name", "version", "package", "others", "file", "line"]);
    for part in &tally.parts {
        table.row(vec![
            part.part.to_string(),
            part.name.to_string(),
            optional(part.version.as_deref()),
            optional(part.package.as_ref().map(PackageRef::as_str)),
            part.others.join("; "),
            part.evidence.file.to_string(),
            part.evidence.line.map(|line| line.to_string()).unwrap_or_default(),
        ]);
    }
    table
}

pub(super) fn defaults(tally: &Tally, roles: &Roles) -> Document {
    let answered = tally.defaults.iter().filter(|choice| choice.application.is_some()).count() as u64;
    let unsure = tally.defaults.iter().filter(|choice| !choice.sure && !choice.is_untold()).count() as u64;
    let first = format!(
        "{} of {} asked have an answer, {} of them with no choice set",
        thousands(answered),
        tally.defaults.len(),
        thousands(unsure)
    );
    let mut document = titled(tally, first);
    let mut table = Table::new(vec![
        Column::new("job").name(),
        Column::new("asked").name(),
        Column::new("opens with").name(),
        Column::new("because").sentence().drops(1),
    ]);
    let mut previous = "";
    for choice in &tally.defaults {
        let label = roles.label(&choice.role);
        let shown = if label == previous { "" } else { label };
        previous = label;
        let (answer, because) = match (&choice.application, choice.sure) {
            (Some(application), true) => (Cell::from(application.as_str()), dim(&choice.how)),
            (Some(application), false) => (
                Span::new(Role::LookTwice, format!("{application}?")),
                Span::new(Role::LookTwice, format!("none is set among {}", choice.candidates.join(", "))),
            ),
            (None, _) if choice.is_untold() => (dim("nothing is left"), dim(&choice.how)),
            (None, true) => (dim("nothing"), dim(&choice.how)),
            (None, false) => (
                Span::new(Role::LookTwice, "not told"),
                Span::new(Role::LookTwice, format!("none is chosen among {}", choice.candidates.join(", "))),
            ),
        };
        let asked = if ["Name=", "Exec="].iter().any(|key| choice.asked.starts_with(key)) {
            "by its name"
        } else {
            choice.asked.as_str()
        };
        table.row(vec![shown.into(), dim(asked), answer, because]);
    }
    document.table_or(table, "What opens what can't be told from this source.");
    if unsure > 0 {
        document.paragraph(dim("? several programs could, no file names one: the first in the list answers, and another install may differ."));
    }
    document
}

pub(super) fn defaults_csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&[
        "role",
        "asked",
        "application",
        "launcher",
        "sure",
        "how",
        "candidates",
        "shipped_application",
    ]);
    for choice in &tally.defaults {
        table.row(vec![
            choice.role.to_string(),
            choice.asked.to_string(),
            optional(choice.application.as_deref()),
            optional(choice.launcher.as_deref()),
            choice.sure.to_string(),
            choice.how.to_string(),
            choice.candidates.join("; "),
            optional(choice.shipped_application.as_deref()),
        ]);
    }
    table
}

pub(super) fn repositories(tally: &Tally) -> Document {
    let number = count_of(tally.repositories.len() as u64, "repository");
    let mut document = titled(tally, format!("{number} configured"));
    let mut table = Table::new(vec![
        Column::new("repository").name(),
        Column::new("packages").right(),
        Column::new("whose"),
        Column::new("components").sentence().drops(2),
        Column::new("address").name().drops(4),
        Column::new("signed by").name().drops(1),
        Column::new("read from").name().drops(0),
    ]);
    for repository in &tally.repositories {
        let whose = match (repository.enabled, repository.official) {
            (false, _) => dim("switched off"),
            (_, Some(true)) => "its own".into(),
            (_, Some(false)) => Span::new(Role::LookTwice, "somebody else's"),
            (_, None) => dim("can't be told"),
        };
        table.row(vec![
            repository.name.as_str().into(),
            repository.packages.map_or_else(|| "unknown".to_owned(), |n| thousands(u64::from(n))).into(),
            whose,
            repository.components.join(" ").into(),
            repository.uri.as_str().into(),
            dim(repository.signed_by.as_deref().unwrap_or_default()),
            dim(repository.evidence.place()),
        ]);
    }
    document.table_or(table, "No repository is configured.");
    let stray: Vec<&str> = tally
        .oddities
        .iter()
        .filter(|o| o.oddity.name() == "in-no-repository")
        .flat_map(|o| &o.about)
        .map(|a| a.as_str())
        .collect();
    if !stray.is_empty() {
        document.paragraph(Span::new(Role::LookTwice, format!("In no repository: {}", stray.join(", "))));
    }
    document
}

pub(super) fn repositories_csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&[
        "system",
        "name",
        "uri",
        "suite",
        "components",
        "enabled",
        "official",
        "signed_by",
        "packages",
        "file",
        "line",
    ]);
    for repository in &tally.repositories {
        table.row(vec![
            repository.system.name().into(),
            repository.name.to_string(),
            repository.uri.to_string(),
            optional(repository.suite.as_deref()),
            repository.components.join(" "),
            repository.enabled.to_string(),
            repository.official.map(|official| official.to_string()).unwrap_or_default(),
            optional(repository.signed_by.as_deref()),
            repository.packages.map(|n| n.to_string()).unwrap_or_default(),
            repository.evidence.file.to_string(),
            repository.evidence.line.map(|line| line.to_string()).unwrap_or_default(),
        ]);
    }
    table
}

pub(super) fn startup(tally: &Tally) -> Document {
    let on = |scope| tally.startup.iter().filter(|item| item.enabled && item.scope == scope).count();
    let first = format!(
        "{} start with the machine, {} with each user, {} with the desktop session",
        on(Scope::System),
        on(Scope::User),
        on(Scope::Session)
    );
    let mut document = titled(tally, first);
    let mut table = Table::new(vec![
        Column::new("item").name(),
        Column::new("package").name().drops(3),
        Column::new("what it is").sentence().drops(2),
        Column::new("").sentence().drops(1),
    ]);
    for (scope, title) in [
        (Scope::System, "With the machine"),
        (Scope::User, "With each user"),
        (Scope::Session, "With the desktop session"),
    ] {
        let items: Vec<&StartupItem> = tally.startup.iter().filter(|item| item.scope == scope).collect();
        if items.is_empty() {
            continue;
        }
        table.group(title);
        for item in items {
            let owner = item
                .package
                .as_ref()
                .map_or_else(|| Span::new(Role::LookTwice, "no package"), |p| p.name().into());
            let off = item
                .off_because
                .as_ref()
                .map(|because| dim(format!("stays off: {because}")))
                .unwrap_or_default();
            table.row(vec![
                item.name.as_str().into(),
                owner,
                dim(item.says.as_deref().unwrap_or_default()),
                off,
            ]);
        }
    }
    document.table_or(table, "Nothing starts by itself, as far as the files tell.");
    document
}

pub(super) fn startup_csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&[
        "scope",
        "sort",
        "name",
        "enabled",
        "off_because",
        "package",
        "runs",
        "says",
        "file",
    ]);
    for item in &tally.startup {
        table.row(vec![
            item.scope.name().into(),
            item.sort.name().into(),
            item.name.to_string(),
            item.enabled.to_string(),
            optional(item.off_because.as_deref()),
            optional(item.package.as_ref().map(PackageRef::as_str)),
            optional(item.runs.as_deref()),
            optional(item.says.as_deref()),
            item.evidence.file.to_string(),
        ]);
    }
    table
}

pub(super) fn odd(tally: &Tally) -> Document {
    let first = Span::new(Role::LookTwice, count_of(tally.oddities.len() as u64, "oddity"));
    let mut document = titled(tally, first);
    if tally.oddities.is_empty() {
        document.paragraph("Nothing stands out.");
    }
    for rule in OddityName::ALL {
        let of_rule = tally.oddities.iter().filter(|oddity| oddity.oddity == *rule);
        let line = |oddity: &Oddity| Line::from(oddity.why.as_str()).and(dim(place(&oddity.evidence)));
        let lines: Vec<Line> = of_rule.map(line).collect();
        if !lines.is_empty() {
            document.heading(Span::new(Role::LookTwice, rule.name()));
            document.push(Block::Ranked(lines));
        }
    }
    let not_looked_for = not_looked_for(tally);
    if !not_looked_for.is_empty() {
        let names = not_looked_for.join(", ");
        document.paragraph(format!(
            "Not looked for, or only in part, since this source tells too little: {names}."
        ));
    }
    document
}

/// Names of the rules that ask for more than the source tells, and by which nothing was found.
pub(super) fn not_looked_for(tally: &Tally) -> Vec<&'static str> {
    let is_found = |rule: &OddityName| tally.oddities.iter().any(|oddity| oddity.oddity == *rule);
    let rules = OddityName::ALL.iter().filter(|rule| !tally.looks_for(**rule) && !is_found(rule));
    rules.map(|rule| rule.name()).collect()
}

fn place(evidence: &Evidence) -> String {
    if evidence.file.is_empty() { String::new() } else { format!("  {}", evidence.place()) }
}

pub(super) fn odd_csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&["oddity", "about", "why", "file", "line"]);
    for oddity in &tally.oddities {
        table.row(vec![
            oddity.oddity.name().into(),
            oddity.about.join("; "),
            oddity.why.to_string(),
            oddity.evidence.file.to_string(),
            oddity.evidence.line.map(|line| line.to_string()).unwrap_or_default(),
        ]);
    }
    table
}
