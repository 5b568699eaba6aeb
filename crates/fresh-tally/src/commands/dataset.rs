//! `shelf export --dataset`: the shelf as files of tables that any engine of data reads.

use crate::error::CommandError;
use crate::output;
use crate::settings::Settings;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::fs::{File, TryLockError};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use tally_core::model::{Tally, Text, slug};
use tally_report::{
    DATASET, DATASET_SCHEMA, DataForm, DataTable, DataValue, TableFile, WRITES_PARQUET, count_of,
};
use tally_shelf::{PACKED_ENDING, ShelfError};

/// The file that says what a dataset is.
const ABOUT: &str = "dataset.json";
/// The folder of whole tallies, partitioned as the tables are.
pub(super) const WHOLE: &str = "tallies";
/// Bytes of one file, after which the next is begun.
const FILE_BYTES: u64 = 256 << 20;

/// Tallies that are read side by side.
const AT_ONCE: usize = 8;

/// What a dataset says of itself.
#[derive(Debug, Serialize, Deserialize)]
struct About {
    schema_version: u32,
    form: String,
    /// Columns and what their values are, by table; written for who reads the files, and not read again.
    #[serde(default)]
    tables: serde_json::Value,
    #[serde(default)]
    exports: Vec<Exported>,
}

/// A time that it was written to.
#[derive(Debug, Serialize, Deserialize)]
struct Exported {
    at: String,
    program: String,
    since: Option<String>,
    tallies: u64,
}

/// Writes tallies into a dataset, made anew or added to; `since` leaves out those that were taken before.
pub(super) fn export(
    handles: &[String],
    form: DataForm,
    whole: bool,
    since: Option<&str>,
    settings: &Settings,
) -> Result<(), CommandError> {
    if form == DataForm::Parquet && !WRITES_PARQUET {
        let why = "--dataset parquet: this program was built without it; `cargo build --release --features dataset` adds it";
        return Err(CommandError::Usage(why.into()));
    }
    let Some(folder) = settings.output.as_deref() else {
        return Err(CommandError::Usage("--dataset: `-o DIR` names the folder of the dataset".into()));
    };
    let after = match since.map(|since| (since, moment(since))) {
        Some((since, None)) => {
            let why = format!(
                "--since: `{since}` is neither a time such as 2031-05-02T18:30:00Z nor a date such as 2031-05-02"
            );
            return Err(CommandError::Usage(why));
        }
        since => since.and_then(|(_, after)| after),
    };
    let mut about = about(folder, form)?;
    if let (Some(last), None) = (about.exports.last(), since) {
        return Err(CommandError::Usage(format!(
            "`{}` is a dataset already: `--since {}` adds what was taken after it was written last",
            folder.display(),
            last.at
        )));
    }
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    std::fs::create_dir_all(folder).map_err(fail)?;
    // One export at a time: what another one has not finished yet would count as left over.
    let lock = File::open(folder).map_err(fail)?;
    if matches!(lock.try_lock(), Err(TryLockError::WouldBlock)) {
        let why = "another export into this dataset is under way";
        return Err(CommandError::Source { path: folder.into(), why: why.into() });
    }
    // Said before anything else is written: an export that is interrupted leaves a dataset, and the next one clears away its files.
    about.write(folder)?;
    let cleared = about.clear(folder);
    if cleared > 0 {
        output::status(
            settings,
            &format!("Removed {} of an export that was interrupted.", count_of(cleared, "file")),
        );
    }
    let index = super::shelf::index(settings)?;
    // One distribution after the other, so that few files are open.
    let mut wanted: Vec<(Text, String)> = index
        .installs()?
        .into_iter()
        .filter(|entry| handles.contains(&entry.handle))
        .filter(|entry| {
            // A day is before every moment of it; at a moment itself the last export was.
            after.is_none_or(|after| {
                entry.taken_at.as_deref().and_then(moment).is_some_and(|taken| taken > after)
            })
        })
        .map(|entry| (entry.label.map(|label| label.distro_id).unwrap_or_default(), entry.handle))
        .collect();
    wanted.sort();
    let stamp = stamp_of(&settings.now);
    let exported = written(&wanted, &Target { folder, stamp: &stamp, form, whole }, settings);
    let tallies = exported.inspect_err(|_| _ = about.clear(folder))?;
    about.exports.push(Exported {
        at: settings.now.clone(),
        program: crate::install::PROGRAM.to_owned(),
        since: since.map(ToOwned::to_owned),
        tallies,
    });
    about.write(folder)?;
    output::status(
        settings,
        &format!("Wrote {} to the dataset `{}`.", count_of(tallies, "install"), folder.display()),
    );
    Ok(())
}

/// Where an export goes.
struct Target<'d> {
    folder: &'d Path,
    stamp: &'d str,
    form: DataForm,
    whole: bool,
}

/// Writes the tallies of an export, by distribution and handle, and returns how many there were.
fn written(wanted: &[(Text, String)], into: &Target<'_>, settings: &Settings) -> Result<u64, CommandError> {
    let Target { folder, stamp, form, whole } = *into;
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    let mut written = 0;
    let mut writer: Option<Writer<'_>> = None;
    let read = |(_, handle): &(Text, String)| {
        let tally = settings.seen.of(settings.shelf.get(handle)?.for_others());
        Ok::<_, ShelfError>((rows_of(&tally), tally))
    };
    for several in wanted.chunks(AT_ONCE) {
        let tallies: Vec<_> = several.par_iter().map(read).collect();
        for ((distro, handle), tally) in several.iter().zip(tallies) {
            let (rows, tally) = match tally {
                Ok(read) => read,
                Err(error) => {
                    output::warn(&format!("left out: {error}"));
                    continue;
                }
            };
            if writer.as_ref().is_none_or(|open| open.distro != *distro)
                && let Some(done) = writer.replace(Writer::new(folder, distro, stamp, form))
            {
                done.finish().map_err(fail)?;
            }
            if let Some(writer) = &mut writer {
                writer.take(rows).map_err(fail)?;
            }
            if whole {
                let above = folder.join(WHOLE).join(partition(distro));
                std::fs::create_dir_all(&above).map_err(fail)?;
                output::tally(&above.join(format!("{handle}{PACKED_ENDING}")), &tally)?;
            }
            written += 1;
        }
    }
    if let Some(done) = writer {
        done.finish().map_err(fail)?;
    }
    Ok(written)
}

/// A moment of RFC 3339, or the begin of a day, UTC.
fn moment(text: &str) -> Option<jiff::Timestamp> {
    let day = || text.parse::<jiff::civil::Date>().ok()?.to_zoned(jiff::tz::TimeZone::UTC).ok();
    text.parse().ok().or_else(|| day().map(|day| day.timestamp()))
}

/// How the names of an export's files begin.
fn stamp_of(moment: &str) -> String {
    moment.chars().filter(char::is_ascii_alphanumeric).collect()
}

impl About {
    fn write(&self, folder: &Path) -> Result<(), CommandError> {
        let text = serde_json::to_vec_pretty(self)
            .map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))?;
        output::file(&folder.join(ABOUT), &text)
    }

    /// Removes what belongs to no export that was finished, and returns how many files.
    fn clear(&self, folder: &Path) -> u64 {
        let finished: Vec<String> = self.exports.iter().map(|export| stamp_of(&export.at)).collect();
        let is_ours = |name: &str| {
            let (stamp, number) = name.strip_prefix("._").unwrap_or(name).split_once('-')?;
            let is_one = stamp.len() >= 15 && number.ends_with(&format!(".{}", self.form));
            (is_one && (name.starts_with("._") || !finished.iter().any(|known| known == stamp))).then_some(())
        };
        let mut cleared = 0;
        for table in DATASET {
            let partitions = std::fs::read_dir(folder.join(table.name)).into_iter().flatten().flatten();
            for file in
                partitions.flat_map(|one| std::fs::read_dir(one.path()).into_iter().flatten().flatten())
            {
                if file.file_name().to_str().and_then(is_ours).is_some()
                    && std::fs::remove_file(file.path()).is_ok()
                {
                    cleared += 1;
                }
            }
        }
        cleared
    }
}

/// Whether a folder is a dataset; one that this program can't use is an error.
pub(super) fn is_dataset(folder: &Path) -> Result<bool, CommandError> {
    Ok(folder.join(ABOUT).exists() && read(&folder.join(ABOUT)).map(|_| true)?)
}

/// The error of a dataset that has nothing but tables.
pub(super) fn not_whole(folder: &Path) -> CommandError {
    let why = "it is a dataset of tables, which do not hold all of a tally: export it with --whole";
    CommandError::Source { path: folder.into(), why: why.into() }
}

/// Reads what a dataset says of itself.
fn read(path: &Path) -> Result<About, CommandError> {
    let wrong = |why: String| CommandError::Source { path: path.into(), why: why.into() };
    let about: About =
        serde_json::from_str(&output::text(path)?).map_err(|error| wrong(error.to_string()))?;
    if about.schema_version != DATASET_SCHEMA {
        let found = about.schema_version;
        return Err(wrong(format!(
            "it is of schema {found}, and this program knows schema {DATASET_SCHEMA}"
        )));
    }
    for table in DATASET {
        let told = about.tables[table.name].as_array().map(Vec::as_slice).unwrap_or_default();
        let missing = table.columns.iter().find(|column| {
            !told.iter().any(|told| told["name"] == column.name && told["type"] == column.of.name())
        });
        if let Some(column) = missing {
            let of = column.of.name();
            return Err(wrong(format!("its table `{}` has no column `{}` ({of})", table.name, column.name)));
        }
    }
    Ok(about)
}

/// What a folder says of the dataset in it; one that is not there yet, or empty, becomes one.
fn about(folder: &Path, form: DataForm) -> Result<About, CommandError> {
    let path = folder.join(ABOUT);
    if !path.exists() {
        let is_used = std::fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some());
        if is_used {
            let why = format!("it is a folder with other things in it, and no dataset: it has no `{ABOUT}`");
            return Err(CommandError::Source { path: folder.into(), why: why.into() });
        }
        let tables: serde_json::Map<String, serde_json::Value> = DATASET
            .iter()
            .map(|table| (table.name.to_owned(), serde_json::to_value(table.columns).unwrap_or_default()))
            .collect();
        return Ok(About {
            schema_version: DATASET_SCHEMA,
            form: form.name().to_owned(),
            tables: tables.into(),
            exports: Vec::new(),
        });
    }
    let about = read(&path)?;
    if about.form != form.name() {
        let why = format!("its files are {}, not {}", about.form, form.name());
        return Err(CommandError::Source { path, why: why.into() });
    }
    Ok(about)
}

/// The folder of a distribution below that of a table, as engines read partitions.
fn partition(distro: &Text) -> String {
    match slug(distro) {
        empty if empty.is_empty() => "distro=unknown".to_owned(),
        distro => format!("distro={distro}"),
    }
}

/// Rows of a table.
type Rows = Vec<Vec<DataValue>>;

/// What each table has of a tally.
fn rows_of(tally: &Tally) -> Vec<Rows> {
    let of = |table: &DataTable| {
        let mut rows = Rows::new();
        table.rows(tally, &mut |row| rows.push(row));
        rows
    };
    DATASET.iter().map(of).collect()
}

/// The files of one distribution.
struct Writer<'d> {
    folder: &'d Path,
    distro: Text,
    stamp: &'d str,
    form: DataForm,
    open: Vec<Option<Part>>,
}

/// A file that is being written, under a name that no engine reads.
struct Part {
    draft: PathBuf,
    path: PathBuf,
    file: TableFile<BufWriter<File>>,
}

impl<'d> Writer<'d> {
    fn new(folder: &'d Path, distro: &Text, stamp: &'d str, form: DataForm) -> Self {
        let open = DATASET.iter().map(|_| None).collect();
        Self { folder, distro: distro.clone(), stamp, form, open }
    }

    fn take(&mut self, tables: Vec<Rows>) -> std::io::Result<()> {
        for (at, (table, rows)) in DATASET.iter().zip(tables).enumerate() {
            let mut part = match self.open[at].take() {
                Some(part) => part,
                None if rows.is_empty() => continue,
                None => self.begin(table)?,
            };
            for row in rows {
                part.file.add(row)?;
            }
            if part.file.bytes() > FILE_BYTES {
                part.finish()?;
            } else {
                self.open[at] = Some(part);
            }
        }
        Ok(())
    }

    fn begin(&self, table: &'static DataTable) -> std::io::Result<Part> {
        let folder = self.folder.join(table.name).join(partition(&self.distro));
        std::fs::create_dir_all(&folder)?;
        let name = |number: u32| format!("{}-{number:04}.{}", self.stamp, self.form.name());
        let free = (0..).map(name).find(|name| !folder.join(name).exists()).unwrap_or_default();
        // Engines pass over names that begin with a point or a line.
        let draft = folder.join(format!("._{free}"));
        let file = TableFile::new(self.form, table, BufWriter::new(File::create(&draft)?))?;
        Ok(Part { draft, path: folder.join(free), file })
    }

    fn finish(self) -> std::io::Result<()> {
        self.open.into_iter().flatten().try_for_each(Part::finish)
    }
}

impl Part {
    fn finish(self) -> std::io::Result<()> {
        let mut out = self.file.finish()?;
        out.flush()?;
        out.get_ref().sync_all()?;
        std::fs::rename(&self.draft, &self.path)
    }
}
