use super::compare::{Compared, compared};
use super::exchange::pictures_beside;
use super::lag::lag_of;
use crate::args::ReportArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use std::collections::BTreeMap;
use std::path::Path;
use tally_core::grid::{GridRules, Likeness, grid};
use tally_core::lag::Lag;
use tally_core::model::Tally;
use tally_report::chart::{Chart, Size};
use tally_report::publish::{Knowledge, NotesForm, Report, Tables, Thumbnails, fill};
use tally_report::{Format, RenderError, Sbom, Theme};
use tally_shelf::FolderDraft;
use tally_shelf::read_pictures;

pub(crate) fn run(args: &ReportArgs, settings: &Settings) -> Result<Exit, CommandError> {
    if let Some(standard) = args.sbom {
        bill_of_materials(args, standard, settings)?;
        return Ok(Exit::Done);
    }
    if args.site {
        super::site::write(args.url.as_deref(), settings)?;
        return Ok(Exit::Done);
    }
    if args.url.is_some() {
        return Err(CommandError::Usage("--url: only a site has an address; `--site` writes one".into()));
    }
    with_report(args, settings, |report| write(report, args, settings))?;
    Ok(Exit::Done)
}

fn write(report: &Report<'_>, args: &ReportArgs, settings: &Settings) -> Result<(), CommandError> {
    if let Some(folder) = &args.template {
        let configured = settings.config.templates.as_ref().filter(|_| !folder.exists());
        let folder = configured.map_or_else(|| folder.clone(), |above| above.join(folder));
        return templates(report, &folder, settings);
    }
    let form = Form::of(args, settings)?;
    let are_notes = matches!(form, Form::Text(Format::Markdown | Format::Table));
    if (args.short || args.timestamps) && !are_notes {
        let why = "--short and --timestamps: only show notes have them: name them .md or .txt";
        return Err(CommandError::Usage(why.into()));
    }
    let paper = ChartStyle {
        size: args.size,
        theme: if args.dark { Theme::Dark } else { Theme::Light },
        transparent: args.transparent,
    };
    match form {
        Form::Folder(folder) => whole(report, folder, paper, settings),
        form => {
            let notes = NotesForm { short: args.short, timestamps: args.timestamps };
            output::answer(&one(report, &form, notes, args.chart.as_deref(), paper)?, settings)
        }
    }
}

fn bill_of_materials(args: &ReportArgs, standard: Sbom, settings: &Settings) -> Result<(), CommandError> {
    let [asked] = &args.installs[..] else {
        return Err(CommandError::Usage("a bill of materials is of one install".into()));
    };
    let tally = install::find(asked, settings, &settings.own.parts()?)?;
    output::answer(&standard.of(&tally)?, settings)
}

/// Thumbnails that are kept beside the tallies that were asked for.
pub(super) fn thumbnails<'a>(asked: impl IntoIterator<Item = &'a String>, settings: &Settings) -> Thumbnails {
    let folder = |asked: &String| match settings.shelf.has(asked) {
        true => settings.shelf.pictures_folder(asked),
        false => pictures_beside(Path::new(asked)),
    };
    let all = asked.into_iter().flat_map(|asked| read_pictures(&folder(asked)));
    Thumbnails::new(all)
}

/// Makes a report of one install, of two compared, or of several side by side, and does something with it.
fn with_report(
    args: &ReportArgs,
    settings: &Settings,
    publish: impl FnOnce(&Report<'_>) -> Result<(), CommandError>,
) -> Result<(), CommandError> {
    let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
    let words = args.installs.join(" ");
    let pictures = thumbnails(&args.installs, settings);
    let known = Knowledge { parts: &parts, roles: &roles, command: "", pictures: &pictures, lags: &[] };
    match &args.installs[..] {
        [only] => {
            let tally = install::find(only, settings, &parts)?.for_others();
            let lags: Vec<Lag> = lag_of(&tally, settings)?.into_iter().collect();
            let command = format!("fresh-tally show {words}");
            let knowledge = Knowledge { command: &command, lags: &lags, ..known };
            publish(&Report::of_install(&tally, &knowledge))
        }
        [old, new] if !args.side_by_side => {
            let Compared { old, new, comparison, .. } = compared(old, new, &[], settings, install::find)?;
            let (old, new) = (old.for_others(), new.for_others());
            let both = lag_of(&old, settings)?.zip(lag_of(&new, settings)?);
            let lags: Vec<Lag> = both.into_iter().flat_map(|(old, new)| [old, new]).collect();
            let command = format!("fresh-tally compare {words}");
            let knowledge = Knowledge { command: &command, lags: &lags, ..known };
            publish(&Report::of_comparison((&old, &new), &comparison, &knowledge))
        }
        several => {
            let tallies: Vec<Tally> = several
                .iter()
                .map(|asked| install::find(asked, settings, &parts).map(Tally::for_others))
                .collect::<Result<_, _>>()?;
            let tallies: Vec<&Tally> = tallies.iter().collect();
            let rules =
                GridRules { parts: &parts, roles: &roles, asked: &[], likeness: Likeness::Applications };
            let grid = grid(&tallies, &rules);
            let command = format!("fresh-tally grid {words}");
            let knowledge = Knowledge { command: &command, ..known };
            publish(&Report::of_editions(&tallies, &grid, &knowledge))
        }
    }
}

/// What is asked for: a folder of everything, or one file.
enum Form<'a> {
    Folder(&'a Path),
    Text(Format),
    Svg,
    Png,
}

impl<'a> Form<'a> {
    fn of(args: &ReportArgs, settings: &'a Settings) -> Result<Self, CommandError> {
        let ending = settings.output.as_deref().and_then(Path::extension).and_then(|ending| ending.to_str());
        let form = match (settings.format, ending, settings.output.as_deref()) {
            (None, Some("svg"), _) => Self::Svg,
            (None, Some("png"), _) => Self::Png,
            (Some(format), ..) => Self::Text(format),
            (None, _, None) if args.chart.is_none() => Self::Text(Format::Markdown),
            (None, _, None) => Self::Svg,
            (None, None, Some(folder)) => Self::Folder(folder),
            (None, Some(_), Some(folder)) if folder.is_dir() => Self::Folder(folder),
            (None, Some(other), _) => {
                let known = "html, md, csv, json, txt, svg, png";
                return Err(CommandError::Usage(format!(
                    "-o: a report can't be written as `.{other}`; valid endings are {known}, and a name without an ending is a folder"
                )));
            }
        };
        match form {
            Self::Svg | Self::Png => Ok(form),
            Self::Folder(_) if args.chart.is_some() => {
                Err(CommandError::Usage("--chart: -o names one file, ending with .svg or .png".into()))
            }
            _ if args.chart.is_some() => {
                Err(CommandError::Usage("--chart makes a picture: name it .svg or .png".into()))
            }
            form => Ok(form),
        }
    }
}

/// How charts that are files are drawn.
#[derive(Debug, Clone, Copy)]
struct ChartStyle {
    size: Size,
    theme: Theme,
    transparent: bool,
}

impl ChartStyle {
    fn svg(self, chart: &Chart) -> Vec<u8> {
        chart.svg(self.size, self.theme, self.transparent).into_bytes()
    }

    fn png(self, chart: &Chart) -> Result<Vec<u8>, CommandError> {
        chart.png(self.size, self.theme, self.transparent).map_err(CommandError::Picture)
    }
}

fn one(
    report: &Report<'_>,
    form: &Form<'_>,
    notes: NotesForm,
    chart: Option<&str>,
    paper: ChartStyle,
) -> Result<Vec<u8>, CommandError> {
    Ok(match form {
        Form::Text(Format::Html) => report.html().into_bytes(),
        Form::Text(Format::Markdown) | Form::Folder(_) => report.markdown(notes).into_bytes(),
        Form::Text(Format::Table) => report.plain(notes).into_bytes(),
        Form::Text(Format::Csv) => csv(tables(report)?.first())?,
        Form::Text(Format::Json) => data(report)?,
        Form::Svg => paper.svg(asked(report, chart)?),
        Form::Png => paper.png(asked(report, chart)?)?,
    })
}

/// The chart of a name, or the first one.
fn asked<'r>(report: &'r Report<'_>, chart: Option<&str>) -> Result<&'r Chart, CommandError> {
    let known = || report.charts.iter().map(|chart| chart.name).collect::<Vec<_>>().join(", ");
    match chart {
        Some(name) => report.charts.iter().find(|chart| chart.name == name).ok_or_else(|| {
            CommandError::Usage(format!("--chart: this report has no chart `{name}`; it has: {}", known()))
        }),
        None => report
            .charts
            .first()
            .ok_or_else(|| CommandError::Usage("there is nothing that a chart could show".into())),
    }
}

fn csv(table: Option<&(&'static str, tally_report::CsvTable)>) -> Result<Vec<u8>, CommandError> {
    table.map_or(Ok(Vec::new()), |(_, table)| {
        table.clone().into_bytes().map_err(|error| CommandError::Render(RenderError::Csv(error)))
    })
}

fn tables(report: &Report<'_>) -> Result<Tables, CommandError> {
    report.tables().map_err(|error| CommandError::Render(RenderError::Csv(error)))
}

fn data(report: &Report<'_>) -> Result<Vec<u8>, CommandError> {
    let mut bytes = report
        .data()
        .and_then(|data| serde_json::to_vec_pretty(&data))
        .map_err(|error| CommandError::Render(RenderError::Json(error)))?;
    bytes.push(b'\n');
    Ok(bytes)
}

/// Everything, in a folder: a page, show notes, data, tables, charts.
fn whole(
    report: &Report<'_>,
    folder: &Path,
    paper: ChartStyle,
    settings: &Settings,
) -> Result<(), CommandError> {
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    let draft = FolderDraft::new(folder).map_err(fail)?;
    let mut written = 0_u64;
    let mut put = |name: &str, bytes: Vec<u8>| {
        written += 1;
        draft.add(name, &bytes).map_err(fail)
    };
    put("index.html", report.html().into_bytes())?;
    put("show-notes.md", report.markdown(NotesForm::default()).into_bytes())?;
    put("show-notes-short.md", report.markdown(NotesForm { short: true, timestamps: false }).into_bytes())?;
    put("report.json", data(report)?)?;
    for table in &tables(report)? {
        put(&format!("tables/{}.csv", table.0), csv(Some(table))?)?;
    }
    for chart in &report.charts {
        put(&format!("charts/{}.svg", chart.name), paper.svg(chart))?;
        put(&format!("charts/{}.png", chart.name), paper.png(chart)?)?;
    }
    draft.finish().map_err(fail)?;
    let files = tally_report::count_of(written, "file");
    output::status(
        settings,
        &format!(
            "Wrote {files} to `{}`; begin with `{}`.",
            folder.display(),
            folder.join("index.html").display()
        ),
    );
    Ok(())
}

/// Writes the report into each template of a folder, as a file of the same name.
fn templates(report: &Report<'_>, folder: &Path, settings: &Settings) -> Result<(), CommandError> {
    let Some(out) = settings.output.as_deref() else {
        return Err(CommandError::Usage("--template: -o names the folder that is written to".into()));
    };
    let fail = |error: std::io::Error| CommandError::Source { path: folder.into(), why: error.into() };
    let mut texts = BTreeMap::new();
    for entry in std::fs::read_dir(folder).map_err(fail)? {
        let path = entry.map_err(fail)?.path();
        let Some(name) =
            path.file_name().and_then(|name| name.to_str()).filter(|name| !name.starts_with('.'))
        else {
            continue;
        };
        if path.is_file() {
            let text = output::text(&path)?;
            texts.insert(name.to_owned(), text);
        }
    }
    if texts.is_empty() {
        return Err(CommandError::Source { path: folder.into(), why: "it contains no template".into() });
    }
    let data = report.data().map_err(|error| CommandError::Render(RenderError::Json(error)))?;
    let written =
        fill(&texts, &data).map_err(|source| CommandError::Template { folder: folder.into(), source })?;
    let fail = |source| CommandError::Output { to: format!("`{}`", out.display()), source };
    let draft = FolderDraft::new(out).map_err(fail)?;
    written.iter().try_for_each(|(name, text)| draft.add(name, text.as_bytes())).map_err(fail)?;
    draft.finish().map_err(fail)?;
    let files = tally_report::count_of(written.len() as u64, "file");
    output::status(settings, &format!("Wrote {files} to `{}`.", out.display()));
    Ok(())
}
