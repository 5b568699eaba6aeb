use crate::document::{Block, Document, Fact, Line, Role, Span};
use crate::text::{bytes_human, count_of, thousands};
use crate::view::{capital, dim, origin};
use crate::wire::{CsvTable, ShowWire, WithText, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{
    Application, Counts, Finding, FindingName, Kind, Medium, Menu, MissingFact, Package, Part, Phase, Reason,
    Scope, Seen, System, Taken, Tally, Unread,
};

/// Parts that the overview names, in this order.
const NAMED: &[&str] = &[
    "desktop",
    "kernel",
    "display-server",
    "display-manager",
    "graphics-stack",
    "sound-server",
    "init",
    "c-library",
    "toolkit",
    "sandbox-platform",
];

/// Findings shown in full: on a screen, and on a page.
const FINDINGS: usize = 5;
const NOTABLE: usize = 9;

pub(super) fn document(tally: &Tally, rules: &PartRules, roles: &Roles) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    document.paragraph(origin(tally));
    document.push(Block::Figures(install_figures(tally)));
    let versions = key_parts(tally, rules, roles);
    if !versions.is_empty() {
        document.push(Block::Sheet(versions));
    }
    findings(tally, &mut document);
    let mut facts = in_the_box(tally);
    facts.extend(startup(tally));
    facts.extend(since_installation(tally));
    facts.extend(not_recorded(tally));
    document.push(Block::Facts(facts));
    document
}

/// How much there is of what people count.
pub(crate) fn install_figures(tally: &Tally) -> Vec<Fact> {
    let total = tally.counts.packages.values().map(|n| u64::from(*n)).sum();
    let started = tally.startup.iter().filter(|item| item.enabled).count() as u64;
    let strong = |text: String| Line::from(Span::new(Role::Strong, text));
    let one = |name: &str, section: &'static str, value: Line| Fact {
        name: Span::from(name).leads_to(section),
        value,
        aside: Line::default(),
    };
    let mut facts = vec![one("Packages", "packages", strong(thousands(total)))];
    if !tally.lacks(MissingFact::Launchers) {
        facts.push(one("Programs", "programs", strong(thousands(tally.counts.applications.into()))));
    }
    let bytes = tally.installed_bytes();
    if !tally.lacks(MissingFact::Sizes) && bytes > 0 {
        facts.push(one("On disk", "weight", strong(bytes_human(bytes))));
    }
    if started > 0 {
        facts.push(one("Startup items", "startup", strong(thousands(started))));
    }
    if !tally.offers.is_empty() {
        let updates = tally.offers.iter().map(|offer| offer.updates.packages.len() as u64).sum();
        let on_offer = tally.offers.iter().map(|offer| u64::from(offer.packages)).sum();
        facts.push(one("On offer", "offer", strong(thousands(on_offer))));
        facts.push(one("Updates waiting", "offer", strong(thousands(updates))));
    }
    let found = Span::new(
        if tally.findings.is_empty() { Role::Strong } else { Role::LookTwice },
        thousands(tally.findings.len() as u64),
    );
    facts.push(one("Worth a second look", "findings", found.into()));
    facts
}

/// Versions that people ask for first: parts, the session, and the apps that have the jobs of most weight.
pub(crate) fn key_parts(tally: &Tally, rules: &PartRules, roles: &Roles) -> Vec<Fact> {
    let mut facts: Vec<Fact> = Vec::new();
    let mut previous = String::new();
    let mut add = |label: String, section: &'static str, value: Line| {
        let name = if label == previous { String::new() } else { label.clone() };
        previous = label;
        facts.push(Fact { name: Span::from(name).leads_to(section), value, aside: Line::default() });
    };
    for named in NAMED {
        for part in tally.parts.iter().filter(|part| part.part == *named) {
            let version =
                part.version.as_deref().map(|version| Span::new(Role::Strong, format!(" {version}")));
            let value = Line::from(part.name.as_str());
            add(
                capital(rules.label(named)),
                "parts",
                version.map_or(value.clone(), |version| value.and(version)),
            );
        }
        if *named == "desktop"
            && let Some(session) = words::session(&tally.looks)
        {
            add("Session".to_owned(), "looks", session.into());
        }
    }
    for role in ROLES {
        let Some(choice) = tally.defaults.iter().find(|choice| choice.role == *role) else { continue };
        let Some(id) = choice.holder(&tally.defaults) else { continue };
        let (name, version) = tally.holder(id);
        let doubt = if choice.sure { "" } else { "?" };
        let value = Line::from(format!("{name}{doubt}"));
        let version = version.map(|version| Span::new(Role::Strong, format!(" {version}")));
        add(
            capital(roles.label(role)),
            "defaults",
            version.map_or(value.clone(), |version| value.and(version)),
        );
    }
    facts
}

/// The findings of most weight, one of each sort first, each leading to all.
pub(crate) fn notable(tally: &Tally) -> Vec<Line> {
    let line =
        |finding: &Finding| Line::from(Span::from(words::finding(&finding.details)).leads_to("findings"));
    weightiest(&tally.findings).take(NOTABLE).map(line).collect()
}

fn fact(name: &str, value: impl Into<Line>, aside: impl Into<Line>) -> Fact {
    Fact { name: name.into(), value: value.into(), aside: aside.into() }
}

/// What the packages and programs are.
fn in_the_box(tally: &Tally) -> Vec<Fact> {
    let mut asides: Vec<String> = vec![by_system(&tally.counts)];
    asides.extend(by_reason(tally));
    let mut facts = vec![fact("Packages", asides.join("; "), Line::default())];
    if tally.lacks(MissingFact::Launchers) {
        facts.push(fact("Programs", dim("not recorded: this source has no menu entries"), Line::default()));
    } else {
        facts.push(fact("Programs", by_menu(&tally.applications), Line::default()));
    }
    if tally.lacks(MissingFact::Sizes) || tally.installed_bytes() == 0 {
        facts.push(fact(
            "On disk",
            dim("not recorded: this source has no sizes of packages"),
            Line::default(),
        ));
    }
    facts
}

fn by_system(counts: &Counts) -> String {
    let one = |(system, n): (&System, &u32)| {
        let platform = counts.platform_packages.get(system).copied().unwrap_or(0);
        let own = thousands(u64::from(n - platform.min(*n)));
        match platform {
            0 => format!("{own} {system}"),
            1 => format!("{own} {system} (plus 1 platform)"),
            _ => format!("{own} {system} (plus {platform} platforms)"),
        }
    };
    counts.packages.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn by_reason(tally: &Tally) -> Option<String> {
    let count = |reason| tally.present().filter(|p| p.reason == reason).count() as u64;
    let (explicit, dependencies) = (count(Reason::Explicit), count(Reason::Dependency));
    if tally.lacks(MissingFact::Reasons) {
        let unknown = count(Reason::Unknown);
        return match unknown {
            0 => None,
            all if all == tally.present().count() as u64 => {
                Some("why they are installed is not recorded".into())
            }
            1 => Some("why one of them is installed is not recorded".into()),
            some => Some(format!("why {} of them are installed is not recorded", thousands(some))),
        };
    }
    (explicit + dependencies > 0).then(|| {
        let as_dependencies = if dependencies == 1 { "as a dependency" } else { "as dependencies" };
        format!("{} installed explicitly, {} {as_dependencies}", thousands(explicit), thousands(dependencies))
    })
}

/// `Accessories 25, Internet 9`: the fullest menus first.
fn by_menu(applications: &[Application]) -> String {
    let mut counts: BTreeMap<Menu, usize> = BTreeMap::new();
    for application in applications {
        *counts.entry(application.menu).or_default() += 1;
    }
    let mut counts: Vec<(Menu, usize)> = counts.into_iter().collect();
    counts.sort_by_key(|(menu, n)| (std::cmp::Reverse(*n), *menu));
    counts.iter().map(|(menu, n)| format!("{} {n}", capital(menu.name()))).collect::<Vec<_>>().join(", ")
}

/// Roles that the overview names.
const ROLES: &[&str] = &[
    "web-browser",
    "mail",
    "file-manager",
    "text-editor",
    "document-viewer",
    "image-viewer",
    "music-player",
    "video-player",
    "terminal",
];

fn startup(tally: &Tally) -> Option<Fact> {
    let on = |scope| tally.startup.iter().filter(|item| item.enabled && item.scope == scope).count() as u64;
    let (system, login) = (on(Scope::System), on(Scope::User) + on(Scope::Session));
    (system + login > 0).then(|| {
        fact("Startup", format!("{} at boot, {login} at login", count_of(system, "item")), Line::default())
    })
}

/// What happened since the install day, and what speaks against it; what the live medium has beyond what it installs.
fn since_installation(tally: &Tally) -> Vec<Fact> {
    let mut facts = Vec::new();
    let on_medium = tally.packages.iter().filter(|package| package.phase == Phase::LiveOnly).count();
    if on_medium > 0 {
        let count = count_of(on_medium as u64, "package");
        facts.push(fact(
            "Medium",
            format!("{count} of these {} on the live medium only", words::are(on_medium)),
            Line::default(),
        ));
    }
    let Some(since) = &tally.since_install else { return facts };
    let day = tally.install_day.ended.as_deref().and_then(|moment| moment.get(..10)).unwrap_or_default();
    let unchanged = (since.added, since.updated, since.removed) == (0, 0, 0);
    let said = match (since.added, since.updated, since.removed) {
        (0, 0, 0) => "nothing added, updated or removed".to_owned(),
        (added, updated, removed) => {
            format!("{} added, {updated} updated, {removed} removed", count_of(u64::from(added), "package"))
        }
    };
    let mut line = Line::from(format!("{said} after {day}"));
    if tally.label.seen_as() != Seen::AsFound && !unchanged {
        line = line.and(Span::from(" (`--as found` shows it)").on_screen());
    }
    facts.push(fact("Since installation", line, Line::default()));
    if !since.sure {
        let doubts: Vec<String> = since.doubts.iter().map(words::doubt).collect();
        let said = format!("not certain: {}", doubts.join("; "));
        facts.push(fact("", Span::new(Role::LookTwice, said), Line::default()));
    }
    facts
}

fn findings(tally: &Tally, document: &mut Document) {
    document.heading("Worth a second look");
    if tally.findings.is_empty() {
        document.paragraph(if super::lists::not_looked_for(tally).is_empty() {
            "Nothing."
        } else {
            "Nothing in what this source records."
        });
        return;
    }
    let shown = weightiest(&tally.findings).take(FINDINGS);
    document.push(Block::Ranked(shown.map(|finding| words::finding(&finding.details).into()).collect()));
    if tally.findings.len() > FINDINGS {
        let more = dim(format!("and {} more", tally.findings.len() - FINDINGS));
        let command = dim(format!(": `fresh-tally show {} findings`", tally.label.handle)).on_screen();
        document.paragraph(Line::from(more).and(command));
    }
}

/// The first of each rule, then the second of each, and so on; within such a round by weight.
fn weightiest(findings: &[Finding]) -> impl Iterator<Item = &Finding> {
    let mut rounds: BTreeMap<FindingName, usize> = BTreeMap::new();
    let mut order: Vec<(usize, Option<usize>, &Finding)> = findings
        .iter()
        .map(|finding| {
            let round = rounds.entry(finding.name()).or_default();
            *round += 1;
            (*round, FindingName::BY_WEIGHT.iter().position(|name| *name == finding.name()), finding)
        })
        .collect();
    order.sort_by_key(|(round, weight, _)| (*round, *weight));
    order.into_iter().map(|(_, _, finding)| finding)
}

/// What this source does not record, and what could not be read.
fn not_recorded(tally: &Tally) -> Vec<Fact> {
    let mut facts = Vec::new();
    if !tally.missing_facts.is_empty() {
        let names: Vec<&str> = tally.missing_facts.iter().map(|fact| words::missing_fact(*fact)).collect();
        let way = if tally.taken.medium == Medium::Listing {
            "; take the disk, the image or a kit archive to know it"
        } else {
            ""
        };
        facts.push(fact("Not recorded", format!("{}{way}", names.join(", ")), Line::default()));
    }
    if let Some(first) = tally.unread.first() {
        let place =
            first.line.map_or_else(|| first.file.to_string(), |line| format!("{}:{line}", first.file));
        let number = Span::new(Role::LookTwice, count_of(tally.unread.len() as u64, "place"));
        let said = Line::from(number).and(format!(" could not be read; the first is {place}: {}", first.why));
        facts.push(fact("Unread", said, Line::default()));
    }
    facts
}

/// One figure a row.
pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        group: &'a str,
        item: &'a str,
        value: String,
        version: Option<&'a str>,
    }
    let row = |group, item, value: String| Row { group, item, value, version: None };
    let label = &tally.label;
    let mut rows = vec![row("label", "distro", label.distro.to_string())];
    rows.extend(
        [
            ("release", &label.release),
            ("codename", &label.codename),
            ("edition", &label.edition),
            ("profile", &label.profile),
            ("arch", &label.arch),
            ("release_date", &label.release_date),
            ("support_end", &label.support_end),
        ]
        .map(|(item, value)| row("label", item, value.as_deref().unwrap_or_default().to_owned())),
    );
    rows.extend(
        tally.counts.packages.iter().map(|(system, n)| row("packages", system.name(), n.to_string())),
    );
    rows.extend(tally.counts.by_kind.iter().map(|(kind, n)| row("kinds", kind.name(), n.to_string())));
    rows.extend([
        row("menu", "applications", tally.counts.applications.to_string()),
        row("menu", "launchers_shown", tally.counts.launchers_shown.to_string()),
        row("weight", "installed_bytes", tally.installed_bytes().to_string()),
    ]);
    rows.extend(tally.parts.iter().map(|part| Row {
        group: "parts",
        item: &part.part,
        value: part.name.to_string(),
        version: part.version.as_deref(),
    }));
    rows.extend(
        tally
            .findings
            .iter()
            .map(|finding| row("findings", finding.name().name(), words::finding(&finding.details))),
    );
    CsvTable::of(rows)
}

pub(super) fn json(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    #[derive(Serialize)]
    struct Overview<'a> {
        taken: &'a Taken,
        counts: &'a Counts,
        installed_bytes: u64,
        parts: &'a [Part],
        findings: Vec<WithText<&'a Finding>>,
        unread: &'a [Unread],
        missing_facts: &'a [MissingFact],
        largest: Vec<Largest<'a>>,
    }
    #[derive(Serialize)]
    struct Largest<'a> {
        name: &'a str,
        kind: Kind,
        installed_bytes: u64,
    }
    let mut packages: Vec<&Package> = tally.present().filter(|p| p.installed_bytes.is_some()).collect();
    packages.sort_by_key(|p| std::cmp::Reverse(p.installed_bytes));
    let largest = packages.iter().take(10).map(|p| Largest {
        name: &p.name,
        kind: p.kind,
        installed_bytes: p.installed_bytes.unwrap_or(0),
    });
    let content = Overview {
        taken: &tally.taken,
        counts: &tally.counts,
        installed_bytes: tally.installed_bytes(),
        parts: &tally.parts,
        findings: super::lists::findings_with_text(tally),
        unread: &tally.unread,
        missing_facts: &tally.missing_facts,
        largest: largest.collect(),
    };
    pretty(&ShowWire { schema_version: 2, view: "overview", install: &tally.label, content })
}
