use super::exchange::pictures_beside;
use crate::args::{LabelArgs, TakeArgs};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::install::TakeRequest;
use crate::settings::Settings;
use crate::signatures::{Signers, Unchanged};
use crate::{install, offers, output};
use std::sync::Mutex;
use tally_core::knowledge::PartRules;
use tally_core::model::{InstallDay, InstallDayCandidate, InstallDaySign, Medium, Tally};
use tally_readers::Overrides;
use tally_readers::Thumbnail;
use tally_report::{Format, ShowView, ShowWhat, bytes_human, clean, count_of, render};
use tally_shelf::{Replacing, encode, write_pictures};

pub(crate) fn run(args: TakeArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let rules = settings.own.parts()?;
    let mut signed = None;
    if let Some(keys) = &args.signed_by {
        if !args.source.is_file() {
            let why = format!("--signed-by: `{}` is not a file", args.source.display());
            return Err(CommandError::Usage(why));
        }
        let shown = args.source.display().to_string();
        let (who, checked) = Signers::of(keys, &settings.now)?.check_file(&args.source, &shown)?;
        output::status(settings, &format!("`{shown}` is signed by {who}."));
        signed = Some(checked);
    }
    if args.list_roots {
        output::show(&install::roots(&args.source, settings)?, settings)?;
        return Ok(Exit::Done);
    }
    if args.each_profile {
        return each_profile(args, signed.as_ref(), &rules, settings);
    }
    let tally = taken(args, signed.as_ref(), &rules, settings)?;
    say(tally, &rules, settings)?;
    Ok(Exit::Done)
}

/// A tally for each profile, on the shelf or in the folder of `-o`; a line for each, as JSON the tallies themselves.
fn each_profile(
    args: TakeArgs,
    signed: Option<&Unchanged>,
    rules: &PartRules,
    settings: &Settings,
) -> Result<Exit, CommandError> {
    check_date(args.label.release_date.as_deref())?;
    let sum = args.sha256.then(|| install::sha256(&args.source, settings)).transpose()?;
    let replacing = if args.replace { Replacing::Source } else { Replacing::Never };
    let mut tallies = install::take_each_profile(&args.source, &overrides(args.label), settings, rules)?;
    signed.map_or(Ok(()), Unchanged::holds)?;
    tallies.iter_mut().for_each(|tally| tally.taken.sha256.clone_from(&sum));
    let mut places = Vec::new();
    for tally in &mut tallies {
        if let Some(folder) = &settings.output {
            let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
            std::fs::create_dir_all(folder).map_err(fail)?;
            let path = folder.join(format!("{}.tally.json", tally.label.handle));
            output::tally(&path, tally)?;
            places.push(path.to_string_lossy().into_owned());
        }
        if settings.output.is_none() || settings.shelf_given {
            let put = settings.shelf.put(tally, replacing)?;
            places.push(put.handle.to_string());
        }
    }
    if settings.output.is_none() && settings.format() == Format::Json {
        tallies.iter().try_for_each(|tally| output::stdout(&encoded(tally)?))?;
        return Ok(Exit::Done);
    }
    if settings.quiet {
        return Ok(Exit::Done);
    }
    let line = |tally: &Tally| {
        format!(
            "{}: {}, {}, {}\n",
            tally.label.title(),
            count_of(tally.present().count() as u64, "package"),
            count_of(u64::from(tally.counts.applications), "program"),
            bytes_human(tally.installed_bytes()),
        )
    };
    let said: String = tallies.iter().map(line).collect();
    output::stdout(clean_lines(&said).as_bytes())?;
    if places.len() > 1 {
        output::status(settings, &format!("`fresh-tally grid {}` puts them side by side.", places.join(" ")));
    }
    Ok(Exit::Done)
}

/// Lines without what a terminal would obey.
fn clean_lines(lines: &str) -> String {
    lines.lines().map(|line| clean(line).into_owned() + "\n").collect()
}

fn taken(
    args: TakeArgs,
    signed: Option<&Unchanged>,
    rules: &PartRules,
    settings: &Settings,
) -> Result<Tally, CommandError> {
    if let Some(handle) = &args.handle {
        install::check_handle(handle)?;
    }
    check_date(args.label.release_date.as_deref())?;
    let medium = if args.live { Medium::Live } else { Medium::Installed };
    let installed = args.installed.as_deref().map(moment).transpose()?;
    let thumbnails = Mutex::new(Vec::new());
    if args.pictures && !tally_readers::DECODES_PICTURES {
        output::warn(&format!(
            "built without pictures: their names, sizes and hashes are told, and nothing is drawn; {WITH_PICTURES}"
        ));
    }
    let request = TakeRequest {
        medium,
        overrides: overrides(args.label),
        installed,
        installs: None,
        root: args.root.clone(),
        thumbnails: args.pictures.then_some(&thumbnails),
        all_dates: args.all_dates,
        settings,
        rules,
    };
    let sum = args.sha256.then(|| install::sha256(&args.source, settings)).transpose()?;
    let mut tally = install::take(&args.source, request)?;
    signed.map_or(Ok(()), Unchanged::holds)?;
    tally.taken.sha256 = sum;
    let replacing = match (args.replace, &args.handle) {
        (false, _) => Replacing::Never,
        (true, None) => Replacing::Source,
        (true, Some(_)) => Replacing::Handle,
    };
    if let Some(handle) = args.handle {
        tally.label.handle = handle.into();
    }
    if tally.taken.medium == Medium::Installed
        && let Some(not_known) = not_known(&tally.install_day)
    {
        output::status(settings, &not_known);
    }
    let offer = match args.keep_offer {
        true => offers::to_keep(&args.source.to_string_lossy(), &tally, settings)?,
        false => None,
    };
    let drawn = thumbnails.into_inner().unwrap_or_default();
    let beside = Beside { offer: offer.as_deref(), pictures: args.pictures.then_some(&drawn[..]), replacing };
    keep(&mut tally, &beside, settings)?;
    Ok(tally)
}

/// What is not known about the end of the installation, the moments that are likely, and how to set one; `None` where it is recorded.
fn not_known(day: &InstallDay) -> Option<String> {
    if day.sure {
        return None;
    }
    if day.candidates.is_empty() {
        return Some("Nothing records when it was installed, so it is shown as found.".to_owned());
    }
    let why = |one: &InstallDayCandidate| match (one.sign, &one.command) {
        (InstallDaySign::FirstStart, _) => "before the first start".to_owned(),
        (InstallDaySign::Pause, _) => "before a pause of an hour".to_owned(),
        (_, Some(command)) => format!("before `{command}`"),
        (InstallDaySign::Asked, None) => "before the first request of a user".to_owned(),
        (InstallDaySign::AfterLastTask, None) => "after the last task or desktop".to_owned(),
    };
    let likely: Vec<String> = day
        .candidates
        .iter()
        .map(|one| {
            let later = count_of(u64::from(one.later), "package");
            format!("{} ({}; {later} since)", one.ended, why(one))
        })
        .collect();
    Some(format!(
        "Nothing records when the installation ended, so it is shown as found. Likely moments: {}. `--installed MOMENT` takes one.",
        likely.join(", ")
    ))
}

fn overrides(args: LabelArgs) -> Overrides {
    let LabelArgs { distro, release, codename, edition, profile, arch, release_date } = args;
    Overrides { distro, release, codename, edition, profile, arch, release_date }
}

/// A moment as seconds since 1970 UTC: RFC 3339, or a day, of which the last second counts.
fn moment(text: &str) -> Result<i64, CommandError> {
    let no_moment = || {
        CommandError::Usage(format!(
            "--installed: `{text}` is neither a time such as 2031-05-02T18:30:00Z nor a date such as 2031-05-02"
        ))
    };
    if let Ok(moment) = text.parse::<jiff::Timestamp>() {
        return Ok(moment.as_second());
    }
    let day: jiff::civil::Date = text.parse().map_err(|_| no_moment())?;
    let end = day.at(23, 59, 59, 0).to_zoned(jiff::tz::TimeZone::UTC).map_err(|_| no_moment())?;
    Ok(end.timestamp().as_second())
}

fn check_date(day: Option<&str>) -> Result<(), CommandError> {
    match day.map(str::parse::<jiff::civil::Date>) {
        Some(Err(_)) => Err(CommandError::Usage(format!(
            "--release-date: `{}` is not a date such as 2031-05-02",
            day.unwrap_or_default()
        ))),
        _ => Ok(()),
    }
}

/// What is kept beside a tally.
struct Beside<'a> {
    offer: Option<&'a [u8]>,
    pictures: Option<&'a [Thumbnail]>,
    /// Whose place it may take on the shelf.
    replacing: Replacing,
}

/// How a program with pictures is had.
const WITH_PICTURES: &str = "`cargo install --path crates/fresh-tally --features pictures` draws them";

fn named(pictures: &[Thumbnail]) -> Vec<(&str, &[u8])> {
    pictures.iter().map(|one| (one.name.as_str(), one.bytes.as_slice())).collect()
}

/// Puts the tally where it belongs: the file of `-o`, the shelf, or both.
fn keep(tally: &mut Tally, beside: &Beside<'_>, settings: &Settings) -> Result<(), CommandError> {
    if settings.output.is_none() || settings.shelf_given {
        let put = settings.shelf.put(tally, beside.replacing)?;
        settings.shelf.keep_offer(&put.handle, beside.offer)?;
        settings.shelf.keep_pictures(&put.handle, beside.pictures.map(named).as_deref())?;
        let verb = if put.replaced { "Replaced the earlier tally" } else { "Added to the shelf" };
        output::status(settings, &format!("{verb} as `{}`.", put.handle));
        if let Some(earlier) = put.earlier {
            let said = format!(
                "`{earlier}` is of the same source, and another install: it stays; `--replace` takes its place."
            );
            output::status(settings, &said);
        }
    }
    if let Some(path) = &settings.output {
        output::tally(path, tally)?;
        beside.offer.map_or(Ok(()), |bytes| output::file(&offers::beside(path), bytes))?;
        if let Some(pictures) = beside.pictures {
            write_pictures(&pictures_beside(path), &named(pictures))?;
        }
        output::status(settings, &format!("Wrote the tally to `{}`.", path.display()));
    }
    Ok(())
}

/// One screen of what was found; as JSON the tally itself.
fn say(tally: Tally, rules: &PartRules, settings: &Settings) -> Result<(), CommandError> {
    let format = if settings.output.is_some() { Format::Table } else { settings.format() };
    if settings.output.is_some() && settings.quiet {
        return Ok(());
    }
    let bytes = match format {
        Format::Json => encoded(&tally)?,
        format => {
            let tally = settings.seen.of(tally);
            let roles = settings.own.roles()?;
            let view = ShowView { tally: &tally, what: ShowWhat::Overview, rules, roles: &roles, all: false };
            render(&view, format, settings.options)?
        }
    };
    output::stdout(&bytes)
}

fn encoded(tally: &Tally) -> Result<Vec<u8>, CommandError> {
    encode(tally).map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))
}
