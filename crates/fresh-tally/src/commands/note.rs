use crate::args::NoteArgs;
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use std::path::Path;
use tally_core::model::{Conditions, MEASURES, Measure, Note, Reading, Tally, bytes_of};
use tally_report::ShowWhat;
use tally_shelf::{encode, read_tally};

pub(crate) fn run(args: &NoteArgs, settings: &Settings) -> Result<Exit, Failure> {
    if args.words.is_empty() {
        return super::show::run(&args.install, ShowWhat::Readings, settings);
    }
    let (mut tally, file) = if settings.shelf.has(&args.install) {
        (settings.shelf.get(&args.install)?, None)
    } else if Path::new(&args.install).is_file() {
        (read_tally(Path::new(&args.install))?, Some(Path::new(&args.install)))
    } else {
        return Err(install::unknown(&args.install, settings));
    };
    let said = write(&mut tally, args, settings)?;
    match file {
        None => settings.shelf.keep(&args.install, &tally)?,
        Some(path) => {
            let bytes =
                encode(&tally).map_err(|error| Failure::Render(tally_report::RenderError::Json(error)))?;
            output::file(path, &bytes)?;
        }
    }
    output::status(settings, &format!("Noted in `{}`: {said}.", args.install));
    Ok(Exit::Done)
}

/// Adds what was typed, and says what it was taken for.
fn write(tally: &mut Tally, args: &NoteArgs, settings: &Settings) -> Result<String, Failure> {
    let figures: Vec<(&str, &str)> = args.words.iter().filter_map(|word| word.split_once('=')).collect();
    if figures.len() < args.words.len() || args.ask.is_some() {
        let text = args.words.join(" ");
        let ask = args.ask.as_deref().map(Into::into);
        tally.notes.push(Note { at: settings.now.as_str().into(), ask, text: text.as_str().into() });
        return Ok("a remark".into());
    }
    let readings: Vec<Reading> =
        figures.iter().map(|(name, value)| reading(name, value, args)).collect::<Result<_, _>>()?;
    let names: Vec<&str> = readings.iter().map(|reading| reading.what.as_str()).collect();
    let said = names.join(", ");
    tally.readings.extend(readings);
    Ok(said)
}

fn reading(name: &str, value: &str, args: &NoteArgs) -> Result<Reading, Failure> {
    let Some(measure) = Measure::named(name) else {
        let known: Vec<&str> = MEASURES.iter().map(|measure| measure.short).collect();
        return Err(Failure::Usage(format!(
            "`{name}` is nothing that is measured; known: {}",
            known.join(", ")
        )));
    };
    let number = match measure.unit {
        #[allow(clippy::cast_precision_loss, reason = "sizes are checked to be far below 2^63")]
        "bytes" => bytes_of(value).map(|bytes| bytes as f64),
        _ => value.parse::<f64>().map_err(|_| "no number".to_owned()),
    };
    let value = number
        .and_then(
            |number| if number.is_finite() && number >= 0.0 { Ok(number) } else { Err("no figure".into()) },
        )
        .map_err(|why| Failure::Usage(format!("{name}={value}: {why}")))?;
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
