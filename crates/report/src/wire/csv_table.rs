use crate::text::clean;
use serde::Serialize;
use std::borrow::Cow;

/// Comma-separated values by RFC 4180: a header and rows of text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CsvTable {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
}

impl CsvTable {
    /// A table of records: a column for every field, named as the field is.
    ///
    /// # Errors
    /// When a field has no form in a cell, as a map has none.
    pub fn of<R: Serialize + Default>(rows: impl IntoIterator<Item = R>) -> Result<Self, csv::Error> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        // A record with nothing in it brings the header also where there are no rows.
        writer.serialize(R::default())?;
        rows.into_iter().try_for_each(|row| writer.serialize(row))?;
        let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
        let mut reader = csv::Reader::from_reader(bytes.as_slice());
        let cells = |record: &csv::StringRecord| record.iter().map(ToOwned::to_owned).collect();
        let header = cells(reader.headers()?);
        let rows = reader.records().skip(1).map(|record| Ok(cells(&record?))).collect::<csv::Result<_>>()?;
        Ok(Self { header, rows })
    }

    /// A table whose columns are known only when it is made, as one with a column for every install.
    pub fn with_header(header: Vec<String>) -> Self {
        Self { header, rows: Vec::new() }
    }

    /// Adds a row, one cell a column.
    pub fn row(&mut self, cells: Vec<String>) {
        debug_assert_eq!(cells.len(), self.header.len());
        self.rows.push(cells);
    }

    /// Writes header and rows. A cell that a spreadsheet would take for a formula gets an apostrophe before it.
    ///
    /// # Errors
    /// None in practice: the writer is memory, and all rows have one length.
    pub fn into_bytes(mut self) -> Result<Vec<u8>, csv::Error> {
        let header = std::mem::take(&mut self.header);
        self.rows.insert(0, header);
        self.rows_into_bytes()
    }

    /// Writes the rows without the header, for a table that is written in parts.
    ///
    /// # Errors
    /// As [`Self::into_bytes`].
    pub fn rows_into_bytes(self) -> Result<Vec<u8>, csv::Error> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        for row in self.rows {
            writer.write_record(row.into_iter().map(disarm))?;
        }
        writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))
    }
}

/// Numbers with a sign stay numbers; control characters become visible, as the file may be looked at in a terminal.
pub(super) fn disarm(cell: String) -> String {
    let formula = cell.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']) && cell.parse::<f64>().is_err();
    let cell = if let Cow::Owned(cleaned) = clean(&cell) { cleaned } else { cell };
    if formula { format!("'{cell}") } else { cell }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Serialize, Default)]
    struct Row<'a> {
        name: &'a str,
        delta: &'a str,
    }

    #[test]
    fn a_table_without_rows_has_its_header() {
        let table = CsvTable::of::<Row<'_>>([]).unwrap();
        assert_eq!(String::from_utf8(table.into_bytes().unwrap()).unwrap(), "name,delta\n");
    }

    #[test]
    fn formulas_are_disarmed_and_numbers_kept() {
        let rows = [("=cmd()", "-12"), ("\u{1b}[2J", "\t@x"), ("two, \"words\"", "+x")];
        let table = CsvTable::of(rows.map(|(name, delta)| Row { name, delta }));
        let text = String::from_utf8(table.unwrap().into_bytes().unwrap()).unwrap();
        assert_eq!(text, "name,delta\n'=cmd(),-12\n<001B>[2J,' @x\n\"two, \"\"words\"\"\",'+x\n");
    }
}
