//! Tables of a dataset as files: CSV, JSON Lines, Parquet.

use super::csv_table::disarm;
use super::dataset::{DataTable, DataValue};
use crate::text::escaped_json;
use std::io::{self, Write};
use tally_core::vocabulary;

vocabulary! {
    /// What the files of a dataset are.
    pub enum DataForm {
        /// Comma-separated values by RFC 4180, with a header; what is missing is empty.
        Csv = "csv",
        /// A JSON object a line; what is missing is left out.
        JsonLines = "jsonl",
        /// Apache Parquet, compressed with zstd.
        Parquet = "parquet",
    }
}

/// Whether this program writes Parquet: the feature `dataset`.
pub const WRITES_PARQUET: bool = cfg!(feature = "dataset");

/// A file of a table that is being written.
pub struct TableFile<W: Write + Send> {
    table: &'static DataTable,
    into: Into<W>,
}

enum Into<W: Write + Send> {
    Csv(Counted<W>),
    JsonLines(Counted<W>),
    #[cfg(feature = "dataset")]
    Parquet(Box<super::parquet::ParquetFile<W>>),
}

/// A writer that counts.
struct Counted<W> {
    out: W,
    bytes: u64,
}

impl<W: Write> Counted<W> {
    fn add(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.bytes += bytes.len() as u64;
        self.out.write_all(bytes)
    }
}

impl<W: Write + Send> TableFile<W> {
    /// Begins a file.
    ///
    /// # Errors
    /// What the writer says; and for Parquet in a program that does not write it.
    pub fn new(form: DataForm, table: &'static DataTable, out: W) -> io::Result<Self> {
        let mut out = Counted { out, bytes: 0 };
        let into = match form {
            DataForm::Csv => {
                let names: Vec<&str> = table.columns.iter().map(|column| column.name).collect();
                out.add((names.join(",") + "\n").as_bytes())?;
                Into::Csv(out)
            }
            DataForm::JsonLines => Into::JsonLines(out),
            #[cfg(feature = "dataset")]
            DataForm::Parquet => Into::Parquet(Box::new(super::parquet::ParquetFile::new(table, out.out)?)),
            #[cfg(not(feature = "dataset"))]
            DataForm::Parquet => return Err(io::ErrorKind::Unsupported.into()),
        };
        Ok(Self { table, into })
    }

    /// Adds a row: a value for each column.
    ///
    /// # Errors
    /// What the writer says.
    #[cfg_attr(not(feature = "dataset"), allow(clippy::needless_pass_by_value, reason = "columns keep them"))]
    pub fn add(&mut self, row: Vec<DataValue>) -> io::Result<()> {
        let mut line = Vec::new();
        match &mut self.into {
            Into::Csv(out) => {
                csv_row(&row, &mut line);
                out.add(&line)
            }
            Into::JsonLines(out) => {
                json_row(self.table, &row, &mut line);
                out.add(&line)
            }
            #[cfg(feature = "dataset")]
            Into::Parquet(file) => file.add(row),
        }
    }

    /// Bytes so far.
    pub fn bytes(&self) -> u64 {
        match &self.into {
            Into::Csv(out) | Into::JsonLines(out) => out.bytes,
            #[cfg(feature = "dataset")]
            Into::Parquet(file) => file.bytes(),
        }
    }

    /// Ends the file.
    ///
    /// # Errors
    /// What the writer says.
    pub fn finish(self) -> io::Result<W> {
        match self.into {
            Into::Csv(mut out) | Into::JsonLines(mut out) => out.out.flush().map(|()| out.out),
            #[cfg(feature = "dataset")]
            Into::Parquet(file) => file.finish(),
        }
    }
}

fn csv_row(row: &[DataValue], out: &mut Vec<u8>) {
    for (at, value) in row.iter().enumerate() {
        if at > 0 {
            out.push(b',');
        }
        match value {
            DataValue::Missing => {}
            DataValue::Text(text) => quoted(text, out),
            DataValue::Integer(number) => out.extend(number.to_string().into_bytes()),
            DataValue::Boolean(truth) => out.extend(truth.to_string().into_bytes()),
        }
    }
    out.push(b'\n');
}

fn json_row(table: &DataTable, row: &[DataValue], out: &mut Vec<u8>) {
    out.push(b'{');
    let there = table.columns.iter().zip(row).filter(|(_, value)| **value != DataValue::Missing);
    for (at, (column, value)) in there.enumerate() {
        if at > 0 {
            out.push(b',');
        }
        out.extend(format!("\"{}\":", column.name).into_bytes());
        // A text, a number or a truth always has a form.
        out.extend(escaped_json(serde_json::to_vec(value).unwrap_or_else(|_| b"null".to_vec())));
    }
    out.extend(b"}\n");
}

/// A field in quotes where it must be, without what a spreadsheet or a terminal would act on. Line breaks become spaces: not every engine
/// reads records that go over lines.
fn quoted(text: &str, out: &mut Vec<u8>) {
    let plain = disarm(text.to_owned());
    if plain.contains([',', '"']) || plain.is_empty() {
        out.push(b'"');
        out.extend(plain.replace('"', "\"\"").into_bytes());
        out.push(b'"');
    } else {
        out.extend(plain.into_bytes());
    }
}

#[cfg(test)]
mod tests {
    use super::super::dataset::DATASET;
    use super::super::dataset::tests::tally;
    use super::*;
    use proptest::prelude::*;

    fn written(table: &'static DataTable, form: DataForm) -> String {
        let mut file = TableFile::new(form, table, Vec::new()).unwrap();
        table.rows(&tally(), &mut |row| file.add(row).unwrap());
        let bytes = file.bytes();
        let out = file.finish().unwrap();
        assert_eq!(out.len() as u64, bytes);
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn both_forms_say_the_same() {
        let packages = DATASET.iter().find(|table| table.name == "packages").unwrap();
        let csv = written(packages, DataForm::Csv);
        let mut reader = csv::Reader::from_reader(csv.as_bytes());
        let record = reader.records().next().unwrap().unwrap();
        let json: serde_json::Value = serde_json::from_str(&written(packages, DataForm::JsonLines)).unwrap();
        for (column, field) in packages.columns.iter().zip(&record) {
            let told = &json[column.name];
            let text = told.as_str().map_or_else(|| told.to_string(), |text| text.replace('\n', " "));
            assert_eq!(if told.is_null() { String::new() } else { text }, field, "{}", column.name);
        }
        assert_eq!(json["name"], "ink,cap");
    }

    proptest! {
        #[test]
        fn any_text_is_read_as_it_was_but_for_line_breaks(texts in prop::collection::vec("\\PC{0,8}|[,\"\n\r =@\u{1b}]{0,4}", 1..5)) {
            let mut out = Vec::new();
            let row: Vec<DataValue> = texts.iter().cloned().map(DataValue::Text).collect();
            csv_row(&row, &mut out);
            let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(out.as_slice());
            let record = reader.records().next().unwrap().unwrap();
            let expected: Vec<String> = texts.iter().cloned().map(disarm).collect();
            prop_assert_eq!(record.iter().collect::<Vec<_>>(), expected);
            let acts = record.iter().any(|cell| cell.starts_with(['=', '@', '\u{1b}']));
            prop_assert!(!acts);
        }
    }
}
