//! Views that are one list of records: parts, defaults, repositories, startup items, findings.

use crate::document::{Block, Cell, Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, thousands};
use crate::view::dim;
use crate::wire::{CsvTable, WithText};
use crate::words;
use serde::Serialize;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{
    DecidedBy, DefaultChoice, Evidence, Finding, FindingName, PackageRef, Scope, StartupItem, Tally,
};

fn titled(tally: &Tally, first: impl Into<crate::document::Line>) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    document.paragraph(first);
    document
}

pub(super) fn parts(tally: &Tally, rules: &PartRules) -> Document {
    let mut document = titled(tally, count_of(tally.parts.len() as u64, "part"));
    let mut table = Table::new(vec![
        Column::new("part").name(),
        Column::new("name").name(),
        Column::new("version"),
        Column::new("also installed").sentence().drops(2),
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
    document.table_or(table, "None of the known parts was found.");
    document
}

pub(super) fn parts_csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        part: &'a str,
        name: &'a str,
        version: Option<&'a str>,
        package: Option<&'a str>,
        others: String,
        file: &'a str,
        line: Option<u32>,
    }
    CsvTable::of(tally.parts.iter().map(|part| Row {
        part: &part.part,
        name: &part.name,
        version: part.version.as_deref(),
        package: part.package.as_ref().map(PackageRef::as_str),
        others: part.others.join("; "),
        file: &part.evidence.file,
        line: part.evidence.line,
    }))
}

pub(super) fn defaults(tally: &Tally, roles: &Roles) -> Document {
    let (besides, asked): (Vec<&DefaultChoice>, Vec<&DefaultChoice>) =
        tally.defaults.iter().partition(|choice| choice.also);
    let answered = asked.iter().filter(|choice| choice.application.is_some()).count() as u64;
    let unsure = asked.iter().filter(|choice| !choice.sure && !choice.is_not_recorded()).count() as u64;
    let mut first = format!("{} of {} types and roles have an app", thousands(answered), asked.len());
    if unsure > 0 {
        first.push_str(&format!("; {} with several candidates and no default", thousands(unsure)));
    }
    let mut document = titled(tally, first);
    let mut table = Table::new(vec![
        Column::new("role").name(),
        Column::new("type").name(),
        Column::new("app").name(),
        Column::new("decided by").sentence().drops(1),
    ]);
    let mut previous = "";
    for choice in asked {
        let label = roles.label(&choice.role);
        let shown = if label == previous { "" } else { label };
        previous = label;
        let decided = dim(words::decided(&choice.decided));
        let by_type =
            roles.role.iter().find(|role| role.role == choice.role).is_none_or(|role| !role.is_by_launcher());
        let names: Vec<&str> = choice.candidates.iter().map(|id| tally.holder(id).0).collect();
        let several = || Span::new(Role::LookTwice, format!("no default among {}", words::listed(&names, 8)));
        let (answer, because) = match (&choice.application, choice.sure) {
            (Some(application), true) => (Cell::from(tally.holder(application).0), decided),
            (Some(application), false) => {
                (Span::new(Role::LookTwice, format!("{}?", tally.holder(application).0)), several())
            }
            (None, _) if choice.is_not_recorded() => (dim("not known"), decided),
            (None, true) => (dim("none"), decided),
            (None, false) if !by_type => (Cell::from(words::listed(&names, 4)), dim("several apps do this")),
            (None, false) => (Span::new(Role::LookTwice, "no default"), several()),
        };
        table.row(vec![shown.into(), dim(words::asked(&choice.asked)), answer, because]);
    }
    document.table_or(table, "Default apps are not recorded in this source.");
    if unsure > 0 {
        document.paragraph(dim(
            "? no default is set: the first of several apps opens it, and another install may differ.",
        ));
    }
    further_defaults(tally, roles, &besides, &mut document);
    document
}

/// What is also asked, where there is an answer: types of a role that one app opens in one line.
fn further_defaults(tally: &Tally, roles: &Roles, besides: &[&DefaultChoice], document: &mut Document) {
    let mut lines: Vec<(&str, Vec<&str>, String)> = Vec::new();
    // What opens it as it opens any text is no answer worth a line.
    let by_parent = |choice: &DefaultChoice| matches!(choice.decided.by, DecidedBy::ParentType { .. });
    for choice in besides.iter().filter(|choice| !by_parent(choice)) {
        let label = roles.label(&choice.role);
        let answer = match &choice.application {
            Some(application) => tally.holder(application).0.to_owned(),
            None if choice.candidates.is_empty() => continue,
            None => {
                let names: Vec<&str> = choice.candidates.iter().map(|id| tally.holder(id).0).collect();
                words::listed(&names, 8)
            }
        };
        let asked = if choice.asked.contains('/') { choice.asked.as_str() } else { "" };
        match lines.iter_mut().find(|(known, _, app)| *known == label && *app == answer) {
            Some((_, types, _)) => types.push(asked),
            None => lines.push((label, vec![asked], answer)),
        }
    }
    if lines.is_empty() {
        return;
    }
    document.heading("Further types and roles");
    let mut table = Table::new(vec![
        Column::new("role").name(),
        Column::new("app").name(),
        Column::new("types").sentence().drops(1),
    ]);
    let mut previous = "";
    for (label, types, answer) in lines {
        let shown = if label == previous { "" } else { label };
        previous = label;
        table.row(vec![shown.into(), answer.into(), dim(types.join(", "))]);
    }
    document.table_or(table, "");
}

pub(super) fn defaults_csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        role: &'a str,
        asked: &'a str,
        also: bool,
        application: Option<&'a str>,
        launcher: Option<&'a str>,
        sure: bool,
        decided: String,
        candidates: String,
        shipped_application: Option<&'a str>,
    }
    CsvTable::of(tally.defaults.iter().map(|choice| Row {
        role: &choice.role,
        asked: &choice.asked,
        also: choice.also,
        application: choice.application.as_deref(),
        launcher: choice.launcher.as_deref(),
        sure: choice.sure,
        decided: words::decided(&choice.decided),
        candidates: choice.candidates.join("; "),
        shipped_application: choice.shipped_application.as_deref(),
    }))
}

pub(super) fn repositories(tally: &Tally) -> Document {
    let number = count_of(tally.repositories.len() as u64, "repository");
    let mut document = titled(tally, format!("{number} configured"));
    let mut table = Table::new(vec![
        Column::new("repository").name(),
        Column::new("packages").right(),
        Column::new("official"),
        Column::new("components").sentence().drops(2),
        Column::new("address").name().drops(4),
        Column::new("signed by").name().drops(1),
        Column::new("read from").name().drops(0),
    ]);
    for repository in &tally.repositories {
        let official = match (repository.enabled, repository.official) {
            (false, _) => dim("disabled"),
            (_, Some(true)) => "yes".into(),
            (_, Some(false)) => Span::new(Role::LookTwice, "no"),
            (_, None) => dim("unknown"),
        };
        table.row(vec![
            repository.name.as_str().into(),
            repository.packages.map_or_else(|| "unknown".to_owned(), |n| thousands(u64::from(n))).into(),
            official,
            repository.components.join(" ").into(),
            repository.uri.as_str().into(),
            dim(repository.signed_by.as_deref().map(words::key).unwrap_or_default()),
            dim(repository.evidence.place()),
        ]);
    }
    document.table_or(table, "No repository is configured.");
    let stray: Vec<&str> = tally
        .findings
        .iter()
        .filter(|finding| finding.name() == FindingName::InNoRepository)
        .flat_map(|finding| &finding.about)
        .map(|about| about.as_str())
        .collect();
    if !stray.is_empty() {
        document
            .paragraph(Span::new(Role::LookTwice, format!("In none of them: {}", words::listed(&stray, 20))));
    }
    document
}

pub(super) fn repositories_csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        system: &'a str,
        name: &'a str,
        uri: &'a str,
        suite: Option<&'a str>,
        components: String,
        enabled: bool,
        official: Option<bool>,
        signed_by: Option<&'a str>,
        packages: Option<u32>,
        file: &'a str,
        line: Option<u32>,
    }
    CsvTable::of(tally.repositories.iter().map(|repository| Row {
        system: repository.system.name(),
        name: &repository.name,
        uri: &repository.uri,
        suite: repository.suite.as_deref(),
        components: repository.components.join(" "),
        enabled: repository.enabled,
        official: repository.official,
        signed_by: repository.signed_by.as_deref(),
        packages: repository.packages,
        file: &repository.evidence.file,
        line: repository.evidence.line,
    }))
}

pub(super) fn startup(tally: &Tally) -> Document {
    let on = |scope| tally.startup.iter().filter(|item| item.enabled && item.scope == scope).count();
    let first = format!(
        "{} start at boot, {} with each user's login, {} with the desktop session",
        on(Scope::System),
        on(Scope::User),
        on(Scope::Session)
    );
    let mut document = titled(tally, first);
    let mut table = Table::new(vec![
        Column::new("item").name(),
        Column::new("package").name().drops(3),
        Column::new("description").sentence().drops(2),
        Column::new("").sentence().drops(1),
    ]);
    for (scope, title) in [
        (Scope::System, "At boot"),
        (Scope::User, "With each user's login"),
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
            let off =
                item.off_because.as_ref().map(|line| dim(format!("not started: {line}"))).unwrap_or_default();
            table.row(vec![
                item.name.as_str().into(),
                owner,
                dim(item.says.as_deref().unwrap_or_default()),
                off,
            ]);
        }
    }
    document.table_or(table, "Nothing starts by itself.");
    document
}

pub(super) fn startup_csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        scope: &'a str,
        kind: &'a str,
        name: &'a str,
        enabled: bool,
        off_because: Option<&'a str>,
        package: Option<&'a str>,
        runs: Option<&'a str>,
        description: Option<&'a str>,
        file: &'a str,
    }
    CsvTable::of(tally.startup.iter().map(|item| Row {
        scope: item.scope.name(),
        kind: item.kind.name(),
        name: &item.name,
        enabled: item.enabled,
        off_because: item.off_because.as_deref(),
        package: item.package.as_ref().map(PackageRef::as_str),
        runs: item.runs.as_deref(),
        description: item.says.as_deref(),
        file: &item.evidence.file,
    }))
}

pub(super) fn findings(tally: &Tally) -> Document {
    let first = Span::new(Role::LookTwice, count_of(tally.findings.len() as u64, "finding"));
    let mut document = titled(tally, first);
    if tally.findings.is_empty() {
        document.paragraph("Nothing is worth a second look.");
    }
    for rule in FindingName::ALL {
        let of_rule = tally.findings.iter().filter(|finding| finding.name() == *rule);
        let line = |finding: &Finding| {
            Line::from(words::finding(&finding.details)).and(dim(place(&finding.evidence)))
        };
        let lines: Vec<Line> = of_rule.map(line).collect();
        if !lines.is_empty() {
            let title = Span::new(Role::LookTwice, words::finding_title(*rule));
            document.heading(Line::from(title).and(dim(format!("  {rule}"))));
            document.push(Block::Ranked(lines));
        }
    }
    let not_looked_for = not_looked_for(tally);
    if !not_looked_for.is_empty() {
        let names = not_looked_for.join(", ");
        document.paragraph(format!(
            "Not checked, or only in part, since this source does not record enough: {names}."
        ));
    }
    document
}

/// Names of the rules that need more than the source records, and by which nothing was found.
pub(super) fn not_looked_for(tally: &Tally) -> Vec<&'static str> {
    let is_found = |rule: &FindingName| tally.findings.iter().any(|finding| finding.name() == *rule);
    let rules = FindingName::ALL.iter().filter(|rule| !tally.looks_for(**rule) && !is_found(rule));
    rules.map(|rule| words::finding_title(*rule)).collect()
}

fn place(evidence: &Evidence) -> String {
    if evidence.file.is_empty() { String::new() } else { format!("  {}", evidence.place()) }
}

pub(super) fn findings_csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        finding: &'a str,
        about: String,
        text: String,
        file: &'a str,
        line: Option<u32>,
    }
    CsvTable::of(tally.findings.iter().map(|finding| Row {
        finding: finding.name().name(),
        about: finding.about.join("; "),
        text: words::finding(&finding.details),
        file: &finding.evidence.file,
        line: finding.evidence.line,
    }))
}

/// Findings, each with its sentence.
pub(crate) fn findings_with_text(tally: &Tally) -> Vec<WithText<&Finding>> {
    tally
        .findings
        .iter()
        .map(|finding| WithText { data: finding, text: words::finding(&finding.details) })
        .collect()
}
