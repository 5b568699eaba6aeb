use crate::args::NoteArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use std::path::Path;
use tally_core::model::{Conditions, MEASURES, Measure, Note, Reading, Tally, bytes_of};
use tally_report::{PackageFilter, ShowWhat};
use tally_shelf::{Lock, encode, read_tally};

pub(crate) fn run(args: &NoteArgs, settings: &Settings) -> Result<Exit, CommandError> {
    if args.words.is_empty() {
        return super::show::view(
            &args.install,
            (ShowWhat::Readings, false),
            &PackageFilter::default(),
            settings,
        );
    }
    let said = if settings.shelf.has(&args.install) {
        let noted = Noted::of(args, settings)?;
        settings.shelf.change(&args.install, |tally| noted.add_to(tally))?;
        noted.said()
    } else if Path::new(&args.install).is_file() {
        let path = Path::new(&args.install);
        let noted = Noted::of(args, settings)?;
        let _lock =
            Lock::of(path.parent().filter(|above| !above.as_os_str().is_empty()).unwrap_or(Path::new(".")))
                .map_err(|source| CommandError::Output { to: format!("`{}`", path.display()), source })?;
        let mut tally = read_tally(path)?;
        noted.add_to(&mut tally);
        let bytes =
            encode(&tally).map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))?;
        output::file(path, &bytes)?;
        noted.said()
    } else {
        return Err(install::unknown(&args.install, settings));
    };
    output::status(settings, &format!("Noted in `{}`: {said}.", args.install));
    Ok(Exit::Done)
}

/// What was typed.
enum Noted {
    Remark(Note),
    Figures(Vec<Reading>),
}

impl Noted {
    fn of(args: &NoteArgs, settings: &Settings) -> Result<Self, CommandError> {
        let figures: Vec<(&str, &str)> = args.words.iter().filter_map(|word| word.split_once('=')).collect();
        if figures.len() < args.words.len() || args.ask.is_some() {
            let text = args.words.join(" ");
            let ask = args.ask.as_deref().map(Into::into);
            let at = settings.now.as_str().into();
            return Ok(Self::Remark(Note { at, ask, text: text.as_str().into() }));
        }
        let readings = figures.iter().map(|(name, value)| reading(name, value, args));
        readings.collect::<Result<_, _>>().map(Self::Figures)
    }

    fn add_to(&self, tally: &mut Tally) {
        match self {
            Self::Remark(note) => tally.notes.push(note.clone()),
            Self::Figures(readings) => tally.readings.extend(readings.iter().cloned()),
        }
    }

    /// What it was taken for.
    fn said(&self) -> String {
        match self {
            Self::Remark(_) => "a remark".into(),
            Self::Figures(readings) => {
                readings.iter().map(|reading| reading.what.as_str()).collect::<Vec<_>>().join(", ")
            }
        }
    }
}

fn reading(name: &str, value: &str, args: &NoteArgs) -> Result<Reading, CommandError> {
    let Some(measure) = Measure::named(name) else {
        let known: Vec<&str> = MEASURES.iter().map(|measure| measure.short).collect();
        return Err(CommandError::Usage(format!(
            "`{name}` is nothing that is measured; known: {}",
            known.join(", ")
        )));
    };
    let number = match measure.unit {
        #[allow(clippy::cast_precision_loss, reason = "sizes are checked to be far below 2^63")]
        "bytes" => bytes_of(value).map(|bytes| bytes as f64),
        _ => value.parse::<f64>().map_err(|_| "not a number".to_owned()),
    };
    let value = number
        .and_then(|number| {
            if number.is_finite() && number >= 0.0 { Ok(number) } else { Err("not a valid figure".into()) }
        })
        .map_err(|why| CommandError::Usage(format!("{name}={value}: {why}")))?;
    Ok(Reading {
        what: measure.what.into(),
        value,
        unit: measure.unit.into(),
        method: args.method.as_str().into(),
        when: args.when.as_str().into(),
        conditions: Conditions {
            ram_bytes: args.ram,
            virtual_: None,
            medium: Some(if args.live { "live" } else { "installed" }.into()),
            uptime_s: None,
        },
        by: "hand".into(),
    })
}
