use crate::text::clean;
use std::borrow::Cow;

/// Comma-separated values by RFC 4180: a header and rows of text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CsvTable {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
}

impl CsvTable {
    /// A table without rows.
    pub fn new(header: &[&'static str]) -> Self {
        Self::with_header(header.iter().map(ToString::to_string).collect())
    }

    /// A table whose columns are known only when it is made.
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
        writer.into_inner().map_err(|error| csv::Error::from(std::io::Error::other(error.to_string())))
    }
}

/// Numbers with a sign stay numbers; control characters become visible, as the file may be looked at in a terminal.
fn disarm(cell: String) -> String {
    let formula = cell.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']) && cell.parse::<f64>().is_err();
    let cell = if let Cow::Owned(cleaned) = clean(&cell) { cleaned } else { cell };
    if formula { format!("'{cell}") } else { cell }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_disarmed_and_numbers_kept() {
        let mut table = CsvTable::new(&["name", "delta"]);
        table.row(vec!["=cmd()".into(), "-12".into()]);
        table.row(vec!["\u{1b}[2J".into(), "\t@x".into()]);
        table.row(vec!["two, \"words\"".into(), "+x".into()]);
        let text = String::from_utf8(table.into_bytes().unwrap()).unwrap();
        assert_eq!(text, "name,delta\n'=cmd(),-12\n<001B>[2J,' @x\n\"two, \"\"words\"\"\",'+x\n");
    }
}
