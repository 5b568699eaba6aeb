//! Which figures of a result make a chart.

use super::{Chart, Ink, NamedColumn, Rung, Shape, Stop, Tile};
use crate::text::{bytes_human, bytes_signed};
use crate::view::capital;
use crate::view::{edition_name, release_name, span_name};
use crate::words;
use jiff::Unit;
use jiff::civil::Date;
use std::collections::{BTreeMap, HashMap};
use tally_core::age::{Age, AgeSpan, age};
use tally_core::compare::{ApplicationChangeKind, Comparison, Decision, PartChangeKind, Section};
use tally_core::grid::{Grid, RowGroup, short_names};
use tally_core::knowledge::PartRules;
use tally_core::lag::{Lag, LagItem, day_that_counts};
use tally_core::model::{Label, MissingFact, PackageRef, Tally, Text};
use tally_core::trail::{Trail, TrailStep};
use tally_core::version::{Step, compare_plain};
use tally_core::weigh::choices;

/// Steps and tiles that can be told apart at a glance; the rest is one more.
const RUNGS: usize = 11;
const TILES: usize = 26;
/// Names in a column, and rows of a chart of versions or programs.
const NAMES: usize = 18;
const ROWS: usize = 18;
const PROGRAMS: usize = 24;

/// What one install holds, disk space by choice; and how old that was.
pub fn of_install(tally: &Tally) -> Vec<Chart> {
    let aged = day_that_counts(tally).and_then(|day| of_age(&age(tally, day)));
    of_choices(tally).into_iter().chain(aged).collect()
}

#[allow(clippy::cast_precision_loss, reason = "areas")]
fn of_choices(tally: &Tally) -> Option<Chart> {
    if tally.lacks(MissingFact::Sizes) {
        return None;
    }
    let found = choices(tally);
    let mut applications: HashMap<PackageRef, &str> = HashMap::new();
    for application in &tally.applications {
        for delivery in &application.delivered {
            applications.entry(delivery.reference()).or_insert(&application.name);
        }
    }
    let tile = |name: String, bytes: u64, is_rest| Tile {
        name,
        value: bytes as f64,
        shown: bytes_human(bytes),
        is_rest,
    };
    let mut tiles: Vec<Tile> = found
        .choices
        .iter()
        .filter(|choice| choice.bytes > 0)
        .map(|choice| {
            let app = applications.get(&choice.package).copied();
            tile(app.unwrap_or(choice.package.name()).to_owned(), choice.bytes, false)
        })
        .collect();
    let largest: Vec<String> = tiles.iter().take(3).map(|tile| tile.name.clone()).collect();
    if tiles.len() > TILES {
        let rest: f64 = tiles[TILES..].iter().map(|tile| tile.value).sum();
        let count = tiles.len() - TILES;
        tiles.truncate(TILES);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a sum of bytes")]
        tiles.push(tile(format!("{count} other choices"), rest as u64, true));
    }
    for (name, (_, bytes)) in [("needed by several", found.shared), ("not explained", found.unexplained)] {
        if bytes > 0 {
            tiles.push(tile(name.to_owned(), bytes, true));
        }
    }
    let chart = Chart {
        name: "choices",
        title: format!(
            "{} take the most of {} on disk",
            words::listed(&largest, 3),
            bytes_human(tally.installed_bytes())
        ),
        aside: format!(
            "{}, {}; what was installed explicitly, with what it alone brings",
            tally.label.title(),
            words::seen(tally.label.seen_as())
        ),
        shape: Shape::Treemap(tiles),
    };
    Some(chart).filter(|chart| !chart.is_empty())
}

/// What differs between two installs: disk space by decision, and how far versions moved.
pub fn of_comparison(comparison: &Comparison) -> Vec<Chart> {
    let (_, old, new) = crate::view::side_by_side(&comparison.old, &comparison.new);
    let seen = crate::view::both_seen(&comparison.old, &comparison.new);
    let aside = format!("{}; {seen}", crate::view::change_title(&comparison.old, &comparison.new));
    let mut charts = Vec::new();
    if !comparison.not_recorded.has(Section::Sizes) {
        charts.push(by_decision(comparison, (&old, &new), aside.clone()));
    }
    charts.push(by_step(comparison, &aside));
    charts.retain(|chart| !chart.is_empty());
    charts
}

/// Disk space from the old side to the new one, by decision.
#[allow(clippy::cast_precision_loss, reason = "lengths of bars")]
fn by_decision(comparison: &Comparison, (old, new): (&str, &str), aside: String) -> Chart {
    let totals = &comparison.totals;
    let (was, is) = (totals.old_bytes as f64, totals.new_bytes as f64);
    let sum = |name: &str, bytes: u64| Rung {
        name: name.to_owned(),
        from: 0.0,
        to: bytes as f64,
        shown: bytes_human(bytes),
        ink: Ink::Plain,
    };
    let mut rungs = vec![sum(old, totals.old_bytes)];
    let mut at = was;
    let mut step = |name: String, delta: i64| {
        let from = at;
        at = (at + delta as f64).max(0.0);
        let ink = if delta > 0 { Ink::Came } else { Ink::Went };
        rungs.push(Rung { name, from, to: at, shown: bytes_signed(delta), ink });
    };
    let weighty: Vec<&Decision> = comparison.decisions.iter().filter(|one| one.bytes_delta != 0).collect();
    let (first, rest) = weighty.split_at(RUNGS.min(weighty.len()));
    for decision in first {
        step(words::decision_title(decision), decision.bytes_delta);
    }
    let more: i64 = rest.iter().map(|one| one.bytes_delta).sum();
    if more != 0 {
        step(format!("{} smaller decisions", rest.len()), more);
    }
    let decided: i64 = weighty.iter().map(|one| one.bytes_delta).fold(0, i64::saturating_add);
    let all = i64::try_from(i128::from(totals.new_bytes) - i128::from(totals.old_bytes)).unwrap_or(0);
    let other = all.saturating_sub(decided);
    if other != 0 {
        step("new versions of what stays".to_owned(), other);
    }
    rungs.push(sum(new, totals.new_bytes));
    let names: Vec<String> = first
        .iter()
        .filter(|one| (one.bytes_delta > 0) == (is > was))
        .take(3)
        .map(|one| words::decision_names(&one.names))
        .collect();
    let (was, is) = (bytes_human(totals.old_bytes), bytes_human(totals.new_bytes));
    let title = match totals.old_bytes.cmp(&totals.new_bytes) {
        std::cmp::Ordering::Less => format!("Disk space grew from {was} to {is}"),
        std::cmp::Ordering::Greater => format!("Disk space shrank from {was} to {is}"),
        std::cmp::Ordering::Equal => format!("Disk space is {is} as before"),
    };
    let most = if names.is_empty() {
        String::new()
    } else {
        format!(", most of all by {}", words::listed(&names, 3))
    };
    Chart { name: "decisions", title: format!("{title}{most}"), aside, shape: Shape::Waterfall(rungs) }
}

/// How far versions of parts and programs moved.
fn by_step(comparison: &Comparison, aside: &str) -> Chart {
    let mut moved: BTreeMap<Step, Vec<(String, Ink)>> = BTreeMap::new();
    for part in &comparison.parts {
        if let (PartChangeKind::Upgraded, Some(step), Some(name), Some(is)) =
            (part.change, part.step, &part.new_name, &part.new_version)
        {
            moved.entry(step).or_default().push((format!("{name} {is}"), Ink::Changed));
        }
    }
    for application in &comparison.applications {
        if let (ApplicationChangeKind::Updated, Some(step), Some(is)) =
            (application.change, application.step, &application.new_version)
        {
            moved.entry(step).or_default().push((format!("{} {is}", application.name), Ink::Came));
        }
    }
    let count = |step: Step| moved.get(&step).map_or(0, Vec::len);
    let all: usize = moved.values().map(Vec::len).sum();
    let title =
        format!("{} of {} new versions of parts and programs are major steps", count(Step::Major), all);
    let columns = [Step::Major, Step::Minor, Step::Patch, Step::Other].into_iter().filter_map(|step| {
        let names = moved.get(&step)?;
        Some(NamedColumn {
            title: format!("{} {}", capital(step.name()), names.len()),
            names: names.iter().take(NAMES).cloned().collect(),
            more: names.len().saturating_sub(NAMES),
        })
    });
    let aside = format!("{aside}; squares: parts, bars: programs");
    Chart { name: "steps", title, aside, shape: Shape::Columns(columns.collect()) }
}

/// Who has which program: those that not all have, the most common first; of equals those that do a job by default, in the order of
/// the jobs.
fn who_has(grid: &Grid, tallies: &[&Tally]) -> Chart {
    let names: Vec<String> = short_names(&grid.installs).iter().map(ToString::to_string).collect();
    let mut jobs: HashMap<&Text, usize> = HashMap::new();
    for tally in tallies {
        for (at, choice) in tally.defaults.iter().enumerate().filter(|(_, choice)| !choice.also) {
            if let Some(id) = &choice.application {
                jobs.entry(id).and_modify(|first| *first = at.min(*first)).or_insert(at);
            }
        }
    }
    let job = |id: &Text| jobs.get(id).copied().unwrap_or(usize::MAX);
    type Program = ((std::cmp::Reverse<usize>, usize, String), Vec<Option<String>>);
    let mut rows: Vec<Program> = grid
        .rows
        .iter()
        .filter(|row| row.group == RowGroup::Programs && row.cells.iter().any(tally_core::grid::Cell::is_no))
        .map(|row| {
            let has = |cell: &tally_core::grid::Cell| {
                (!cell.is_no()).then(|| cell.value.as_deref().unwrap_or("yes").to_owned())
            };
            let cells: Vec<Option<String>> = row.cells.iter().map(has).collect();
            let count = std::cmp::Reverse(cells.iter().flatten().count());
            ((count, job(&row.row), words::row_label(&row.label).into_owned()), cells)
        })
        .filter(|((count, ..), _)| count.0 > 0)
        .collect();
    rows.sort();
    let all = rows.len();
    rows.truncate(PROGRAMS);
    let shown = if all > PROGRAMS { format!("{PROGRAMS} of them") } else { "the most common".to_owned() };
    let verb = if all == 1 { "is" } else { "are" };
    let common = match grid.shared_applications {
        0 => "none in all".to_owned(),
        n => format!("{n} more in all"),
    };
    Chart {
        name: "apps",
        title: format!(
            "{} {verb} in some of {} installs and not in others",
            crate::text::count_of(all as u64, "program"),
            names.len()
        ),
        aside: format!("{shown}, default apps first; {common}"),
        shape: Shape::Matrix {
            columns: names,
            rows: rows.into_iter().map(|((.., name), cells)| (name, cells)).collect(),
        },
    }
}

/// The two that are most alike, of three and more.
fn most_alike(grid: &Grid, names: &[Text]) -> Option<String> {
    let pairs = (0..names.len()).flat_map(|a| (a + 1..names.len()).map(move |b| (a, b)));
    let share =
        |(a, b): &(usize, usize)| grid.alike.get(*a).and_then(|row| row.get(*b)).copied().unwrap_or(0.0);
    let (a, b) = pairs.max_by(|one, other| share(one).total_cmp(&share(other)))?;
    let what = crate::view::likeness_by(grid.alike_by);
    Some(format!(
        "{} and {} are most alike: they share {:.0}% of their {what}",
        names[a],
        names[b],
        share(&(a, b)) * 100.0
    ))
}

/// How alike installs are.
pub fn of_grid(grid: &Grid, tallies: &[&Tally]) -> Vec<Chart> {
    let names = short_names(&grid.installs);
    let order = &grid.side_by_side;
    let chart = Chart {
        name: "likeness",
        title: most_alike(grid, &names).unwrap_or_default(),
        aside: format!("share of {} that both have, in percent", crate::view::likeness_by(grid.alike_by)),
        shape: Shape::Likeness {
            names: order.iter().filter_map(|at| names.get(*at)).map(ToString::to_string).collect(),
            alike: order
                .iter()
                .filter_map(|row| grid.alike.get(*row))
                .map(|row| order.iter().filter_map(|at| row.get(*at)).copied().collect())
                .collect(),
        },
    };
    [who_has(grid, tallies), chart].into_iter().filter(|chart| !chart.is_empty()).collect()
}

/// Versions of parts and programs through releases, given oldest first; what changed most often is first.
pub fn of_releases(tallies: &[&Tally], parts: &PartRules) -> Vec<Chart> {
    let mut names: Vec<(String, Text)> = Vec::new();
    let mut versions: BTreeMap<Text, Vec<Option<String>>> = BTreeMap::new();
    let mut note = |key: Text, label: String, at: usize, version: String| {
        let row = versions.entry(key.clone()).or_insert_with(|| {
            names.push((label, key));
            vec![None; tallies.len()]
        });
        if row[at].is_none() {
            row[at] = Some(version);
        }
    };
    for (at, tally) in tallies.iter().enumerate() {
        for part in &tally.parts {
            if let Some(version) = &part.version {
                let label = capital(parts.label(&part.part));
                note(format!("part:{}", part.part).into(), label, at, format!("{} {version}", part.name));
            }
        }
        for application in &tally.applications {
            if let Some(version) = &application.version {
                note(application.id.clone(), application.name.to_string(), at, version.to_string());
            }
        }
    }
    let changes = |row: &[Option<String>]| row.windows(2).filter(|pair| pair[0] != pair[1]).count();
    let mut rows: Vec<(usize, String, bool, Vec<Option<String>>)> = names
        .into_iter()
        .filter_map(|(label, key)| {
            versions.remove(&key).map(|row| (changes(&row), label, key.starts_with("part:"), row))
        })
        .filter(|(changes, ..)| *changes > 0)
        .collect();
    rows.sort_by_key(|(changes, ..)| std::cmp::Reverse(*changes));
    let all = rows.len();
    // Both parts and programs have their place.
    let (mut parts, mut programs): (Vec<_>, Vec<_>) = rows.into_iter().partition(|(.., is_part, _)| *is_part);
    parts.truncate(ROWS - programs.len().min(ROWS * 2 / 5));
    programs.truncate(ROWS - parts.len());
    let rows: Vec<_> = parts.into_iter().chain(programs).collect();
    let labels: Vec<_> = tallies.iter().map(|tally| tally.label.clone()).collect();
    let chart = Chart {
        name: "releases",
        title: "Versions through releases".to_owned(),
        aside: if all > ROWS {
            format!("parts and programs; the first {ROWS} of {all} that changed")
        } else {
            "parts and programs that changed".to_owned()
        },
        shape: Shape::Releases {
            columns: short_names(&labels).iter().map(ToString::to_string).collect(),
            rows: rows.into_iter().map(|(_, label, _, row)| (label, row)).collect(),
        },
    };
    Some(chart).filter(|chart| !chart.is_empty()).into_iter().collect()
}

/// One thing through the releases of an edition: of several editions the one with most of them. `None` where there are less than two.
pub fn of_trail(trails: &[Trail]) -> Option<Chart> {
    let trail = trails.iter().max_by_key(|trail| trail.steps.len())?;
    let version = |step: &TrailStep| {
        let found = step.found.first()?;
        Some(found.version.as_deref().unwrap_or(found.name.as_str()).to_owned())
    };
    let mut versions: Vec<String> = trail.steps.iter().filter_map(version).collect();
    versions.sort_by(|a, b| compare_plain(a, b));
    versions.dedup();
    let days: Option<Vec<f64>> =
        trail.steps.iter().map(|step| day_number(step.label.release_date.as_deref()?)).collect();
    // A day earlier than the one before would go back in time.
    let days = days.filter(|days| days.windows(2).all(|two| two[0] <= two[1]) && days.first() < days.last());
    #[allow(clippy::cast_precision_loss, reason = "places")]
    let place = |at: usize| match &days {
        Some(days) => (days[at] - days[0]) / (days[days.len() - 1] - days[0]).max(1.0),
        None => at as f64 / (trail.steps.len().max(2) - 1) as f64,
    };
    let stop = |(at, step): (usize, &TrailStep)| Stop {
        release: release_name(&step.label),
        place: place(at),
        version: version(step).map(|version| {
            let rank = versions.iter().position(|known| *known == version).unwrap_or(0);
            (version, rank)
        }),
    };
    let stops: Vec<Stop> = trail.steps.iter().enumerate().map(stop).collect();
    let there = || stops.iter().filter_map(|stop| stop.version.as_ref());
    let name =
        trail.steps.iter().rev().find_map(|step| step.found.first()).map(|found| found.name.to_string())?;
    let (first, last) = (there().next()?.0.clone(), there().next_back()?.0.clone());
    let releases = crate::text::count_of(stops.len() as u64, "release");
    let title = match first == last {
        true => format!("{name} stayed at {first} through {releases}"),
        false => format!("{name} moved from {first} to {last} in {releases}"),
    };
    let mut aside = vec![edition_name(&trail.steps.first()?.label)];
    if days.is_none() {
        aside.push("the days of the releases are not recorded: steps stand side by side".to_owned());
    }
    if trails.len() > 1 {
        aside.push(format!("{} more know it", crate::text::count_of(trails.len() as u64 - 1, "edition")));
    }
    let chart = Chart { name: "trail", title, aside: aside.join("; "), shape: Shape::Steps(stops) };
    Some(chart).filter(|chart| !chart.is_empty())
}

/// Figures beside one another, each from 0.
fn bars(named: impl Iterator<Item = (String, u32, String)>, ink: Ink) -> Shape {
    Shape::Bars(
        named
            .map(|(name, value, shown)| Rung { name, from: 0.0, to: f64::from(value), shown, ink })
            .collect(),
    )
}

/// In which years the packages of an install were built. `None` where too little is known.
pub fn of_age(age: &Age) -> Option<Chart> {
    let median = words::days(age.median_days?);
    let when = if age.day_is_release { "the day of its release".to_owned() } else { age.day.to_string() };
    let bar = |span: &AgeSpan| (span_name(span), span.packages, span.packages.to_string());
    let unknown = match u64::from(age.unknown) {
        0 => String::new(),
        unknown => format!("; {} without a day", crate::text::count_of(unknown, "package")),
    };
    let what = crate::view::half_of(age);
    let chart = Chart {
        name: "age",
        title: format!(
            "Half of {what} of {} were built {median} or longer before {when}",
            short_name(&age.install)
        ),
        aside: format!("packages by the year that they were built in, {}{unknown}", age.day),
        shape: bars(age.spans.iter().map(bar), Ink::Plain),
    };
    Some(chart).filter(|chart| !chart.is_empty())
}

/// What is furthest behind its makers. `None` where less than three things are.
pub fn of_lag(lag: &Lag) -> Option<Chart> {
    const MOST: usize = 14;
    let behind: Vec<&LagItem> = lag.items.iter().filter(|item| item.newest.releases > 0).collect();
    let first = behind.first()?;
    let least = if lag.items.iter().any(|item| item.at_least) { "at least " } else { "" };
    let bar = |item: &&LagItem| {
        let shown = format!("{} ({} → {})", words::days(item.newest.days), item.version, item.newest.version);
        (item.name.to_string(), item.newest.days, shown)
    };
    let number = behind.len();
    let more =
        if behind.len() > MOST { format!("; the first {MOST} of {}", behind.len()) } else { String::new() };
    let chart = Chart {
        name: "lag",
        title: format!(
            "{} of {} was {least}{} behind on {}",
            first.name,
            short_name(&lag.install),
            words::days(first.newest.days),
            lag.day
        ),
        aside: format!("{number} programs and parts behind: days since the first newer release{more}"),
        shape: bars(behind.iter().take(MOST).map(bar), Ink::Changed),
    };
    Some(chart).filter(|chart| !chart.is_empty())
}

/// A distribution and its release.
fn short_name(label: &Label) -> String {
    [Some(&label.distro), label.release.as_ref()]
        .into_iter()
        .flatten()
        .map(Text::as_str)
        .collect::<Vec<_>>()
        .join(" ")
}

/// The number of a day, `YYYY-MM-DD`.
fn day_number(day: &str) -> Option<f64> {
    let date: Date = day.parse().ok()?;
    let since = date.since((Unit::Day, Date::constant(1970, 1, 1))).ok()?;
    Some(f64::from(since.get_days()))
}
