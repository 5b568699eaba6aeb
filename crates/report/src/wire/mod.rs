//! Forms for programs: CSV and JSON, from the typed result.

mod csv_table;
mod dataset;
mod package_rows;
#[cfg(feature = "dataset")]
mod parquet;
mod sbom;
mod table_file;

pub use csv_table::CsvTable;
pub use dataset::{ColumnType, DATASET, DATASET_SCHEMA, DataColumn, DataTable, DataValue};
pub use package_rows::PackageRows;
pub use sbom::Sbom;
pub use table_file::{DataForm, TableFile, WRITES_PARQUET};

use serde::Serialize;
use tally_core::model::Label;

/// The JSON of `show`: which view of which install, and its records.
#[derive(Serialize)]
pub(crate) struct ShowWire<'a, T: Serialize> {
    pub(crate) schema_version: u32,
    pub(crate) view: &'a str,
    pub(crate) install: &'a Label,
    #[serde(flatten)]
    pub(crate) content: T,
}

/// Data with the words for it, made when it is written.
#[derive(Serialize)]
pub(crate) struct WithText<T: Serialize> {
    #[serde(flatten)]
    pub(crate) data: T,
    /// What it says in English.
    pub(crate) text: String,
}

/// JSON for people who look at it now and then: indented, with a line end.
pub(crate) fn pretty(value: &impl Serialize) -> serde_json::Result<Vec<u8>> {
    let mut bytes = serde_json::to_vec_pretty(value)?;
    bytes.push(b'\n');
    Ok(crate::text::escaped_json(bytes))
}
