//! The report of one install.

use super::notes::{Notes, plain, section};
use super::sections::{open, page, without_title};
use super::{Knowledge, Report, apps, data, origin, packages, tables};
use crate::View;
use crate::chart::{of_install, of_lag};
use crate::document::{Block, Line, Role, Section, Span};
use crate::text::count_of;
use crate::view::{
    AgeView, LagView, OfferView, ShowView, ShowWhat, capital, dim, findings_with_text, install_figures,
    key_parts, lifetime, notable,
};
use crate::words;
use tally_core::age::age;
use tally_core::lag::{Lag, day_that_counts};
use tally_core::model::{MissingFact, Tally};

impl<'a> Report<'a> {
    /// Of one install.
    pub fn of_install(tally: &'a Tally, knowledge: &Knowledge<'a>) -> Self {
        let (rules, roles) = (knowledge.parts, knowledge.roles);
        let view = move |what| ShowView { tally, what, rules, roles, all: false };
        let says = |what| without_title(view(what).document());
        let mut charts = of_install(tally);
        charts.extend(knowledge.lags.first().and_then(of_lag));
        let one = |id: &'static str, title: &str, what: ShowWhat, blocks: Vec<Block>| -> Section {
            open(id, title, blocks).by(format!("{} {}", knowledge.command, what.name()))
        };
        let noted = notable(tally);
        let looked = match noted.is_empty() {
            true => vec![Block::Paragraph("Nothing is worth a second look.".into())],
            false => vec![Block::Ranked(noted.clone())],
        };
        let programs = match tally.lacks(MissingFact::Launchers) {
            true => vec![Block::Paragraph(dim("The menu is not recorded in this source.").into())],
            false if tally.applications.is_empty() => {
                vec![Block::Paragraph(dim("The menu is empty.").into())]
            }
            false => vec![Block::Cards(apps::of_install(
                tally,
                knowledge.roles,
                &knowledge.pictures.icons(&[tally]),
            ))],
        };
        let versions = key_parts(tally, knowledge.parts, knowledge.roles);
        let folded = |section: Section| Block::Section(section.folded());
        let mut sections = vec![
            Block::Beside(vec![
                one("notable", "Worth a second look", ShowWhat::Overview, looked)
                    .holds(count_of(tally.findings.len() as u64, "finding")),
                one("versions", "Key versions", ShowWhat::Parts, vec![Block::Sheet(versions.clone())]),
            ]),
            Block::Section(
                one("programs", "Programs", ShowWhat::Menu, programs)
                    .holds(count_of(tally.applications.len() as u64, "program")),
            ),
            Block::Section(one("defaults", "Default apps", ShowWhat::Defaults, says(ShowWhat::Defaults))),
            Block::Section(one("parts", "Under the hood", ShowWhat::Parts, says(ShowWhat::Parts))),
            Block::Section(
                one("weight", "Disk space", ShowWhat::Weight, says(ShowWhat::Weight))
                    .with(&charts, "choices"),
            ),
            Block::Section(one(
                "looks",
                "Looks",
                ShowWhat::Looks,
                knowledge.pictures.of_install(tally).into_iter().chain(says(ShowWhat::Looks)).collect(),
            )),
            folded(one("media", "Opens and plays", ShowWhat::Media, says(ShowWhat::Media))),
            Block::Section(one("settings", "Settings", ShowWhat::Settings, says(ShowWhat::Settings))),
            folded(age_section(tally).with(&charts, "age")),
            folded(one("startup", "Startup", ShowWhat::Startup, says(ShowWhat::Startup))),
            folded(one("repositories", "Repositories", ShowWhat::Repositories, says(ShowWhat::Repositories))),
            folded(
                one("findings", "All findings", ShowWhat::Findings, says(ShowWhat::Findings))
                    .holds(count_of(tally.findings.len() as u64, "finding")),
            ),
            folded(one("readings", "Readings and notes", ShowWhat::Readings, says(ShowWhat::Readings))),
            folded(
                one("packages", "Packages", ShowWhat::Packages, packages::of_install(tally))
                    .holds(count_of(tally.present().count() as u64, "package")),
            ),
        ];
        if let Some(lag) = knowledge.lags.first().filter(|lag| !lag.items.is_empty()) {
            let at = sections.len().saturating_sub(6);
            sections.insert(at, folded(lag_section(lag).with(&charts, "lag")));
        }
        // Before the findings, the readings and the packages; an install without lists offers nothing.
        if !tally.offers.is_empty() {
            sections.insert(sections.len().saturating_sub(3), folded(offer(tally, knowledge)));
        }
        let (title, mut top) = top(tally);
        top.splice(0..0, knowledge.pictures.lead(tally));
        let notes = move || {
            let says = |what| without_title(view(what).document());
            Notes {
                title: title.clone(),
                figures: vec![Block::Figures(install_figures(tally)), Block::Sheet(versions.clone())],
                news: noted.iter().map(plain).collect(),
                sections: vec![
                    section("Programs", says(ShowWhat::Menu)),
                    section("Default apps", says(ShowWhat::Defaults)),
                    section("Under the hood", says(ShowWhat::Parts)),
                ],
                origin: origin(&[tally]),
            }
        };
        let data = move || {
            let mut data = data("install", &tally.label, serde_json::to_value(tally)?)?;
            data["install"]["findings"] = serde_json::to_value(findings_with_text(tally))?;
            Ok(data)
        };
        Self {
            page: page(top, sections, &[tally]),
            charts,
            notes: Box::new(notes),
            tables: Box::new(move || {
                tables(ShowWhat::ALL.iter().map(|what| (what.name(), view(*what).csv())))
            }),
            data: Box::new(data),
        }
    }
}

/// How old what is in it was on the day that counts.
fn age_section(tally: &Tally) -> Section {
    let age = age(tally, day_that_counts(tally).unwrap_or_default());
    let aside = age.median_days.map(|median| format!("half of it {} or older", words::days(median)));
    let view = AgeView { age: &age, all: false };
    open("age", "Age", without_title(view.document()))
        .holds(aside.unwrap_or_default())
        .by(format!("fresh-tally age {}", tally.label.handle))
}

/// How far behind its makers it was, as far as is known.
fn lag_section(lag: &Lag) -> Section {
    let behind = lag.items.iter().filter(|item| item.newest.releases > 0).count();
    open("lag", "How far behind", without_title(LagView { lag, by_file: false }.document()))
        .holds(format!("{behind} of {} programs and parts behind on {}", lag.items.len(), lag.day))
        .by(format!("fresh-tally lag {}", lag.install.handle))
}

/// What the repositories offer, and which updates wait.
fn offer(tally: &Tally, knowledge: &Knowledge<'_>) -> Section {
    let updates = tally.offers.iter().map(|offer| offer.updates.packages.len() as u64).sum();
    let view = OfferView::kept(tally, knowledge.parts);
    let command = format!("fresh-tally offer {}", tally.label.handle);
    open("offer", "On offer", without_title(view.document())).by(command).holds(count_of(updates, "update"))
}

/// The title of the notes, and what a page begins with.
fn top(tally: &Tally) -> (Block, Vec<Block>) {
    let title = tally.label.title();
    let (name, rest) = title.split_once(", ").unwrap_or((&title, ""));
    let seen = words::seen(tally.label.seen_as());
    let aside: Vec<&str> = [rest, seen].into_iter().filter(|text| !text.is_empty()).collect();
    let title =
        Block::Title { text: Line::from(Span::new(Role::Strong, name)), aside: dim(aside.join("; ")) };
    let mut blocks = vec![title.clone()];
    let lived = lifetime(&tally.label);
    if !lived.is_empty() {
        blocks.push(Block::Paragraph(dim(capital(&lived.join("; "))).into()));
    }
    if !tally.missing_facts.is_empty() {
        let missing: Vec<&str> = tally.missing_facts.iter().map(|fact| words::missing_fact(*fact)).collect();
        let said = format!("Not recorded in this source: {}", missing.join(", "));
        blocks.push(Block::Paragraph(Span::new(Role::LookTwice, said).into()));
    }
    blocks.push(Block::Figures(install_figures(tally)));
    (title, blocks)
}
