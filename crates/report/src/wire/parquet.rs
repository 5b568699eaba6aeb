//! Tables as files of Apache Parquet, version 2 of its format, compressed with zstd.

use super::dataset::{ColumnType, DataTable, DataValue};
use parquet::basic::{Compression, LogicalType, Repetition, Type as Physical, ZstdLevel};
use parquet::data_type::{BoolType, ByteArray, ByteArrayType, DataType, Int64Type};
use parquet::errors::ParquetError;
use parquet::file::properties::{WriterProperties, WriterVersion};
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::types::Type;
use std::io::{self, Write};
use std::sync::Arc;

/// Bytes of rows that are kept before they are written as a row group: 16 MiB.
const GROUP_BYTES: usize = 16 << 20;
/// How hard zstd tries.
const LEVEL: i32 = 6;

/// A file of a table that is being written.
pub(super) struct ParquetFile<W: Write + Send> {
    table: &'static DataTable,
    writer: SerializedFileWriter<W>,
    /// Values by column.
    waiting: Vec<Vec<DataValue>>,
    waiting_bytes: usize,
}

fn failed(error: ParquetError) -> io::Error {
    match error {
        ParquetError::External(inner) => match inner.downcast::<io::Error>() {
            Ok(error) => *error,
            Err(other) => io::Error::other(other),
        },
        other => io::Error::other(other),
    }
}

impl<W: Write + Send> ParquetFile<W> {
    pub(super) fn new(table: &'static DataTable, out: W) -> io::Result<Self> {
        let column = |name: &str, of: ColumnType| {
            let (physical, logical) = match of {
                ColumnType::Text => (Physical::BYTE_ARRAY, Some(LogicalType::String)),
                ColumnType::Integer => (Physical::INT64, None),
                ColumnType::Boolean => (Physical::BOOLEAN, None),
            };
            Type::primitive_type_builder(name, physical)
                .with_repetition(Repetition::OPTIONAL)
                .with_logical_type(logical)
                .build()
                .map(Arc::new)
        };
        let columns: Result<Vec<_>, ParquetError> =
            table.columns.iter().map(|one| column(one.name, one.of)).collect();
        let schema = columns
            .and_then(|fields| Type::group_type_builder(table.name).with_fields(fields).build())
            .map_err(failed)?;
        let level = ZstdLevel::try_new(LEVEL).map_err(failed)?;
        let properties = WriterProperties::builder()
            .set_compression(Compression::ZSTD(level))
            .set_writer_version(WriterVersion::PARQUET_2_0)
            .set_created_by(concat!("fresh-tally ", env!("CARGO_PKG_VERSION")).to_owned())
            .build();
        let writer =
            SerializedFileWriter::new(out, Arc::new(schema), Arc::new(properties)).map_err(failed)?;
        let waiting = table.columns.iter().map(|_| Vec::new()).collect();
        Ok(Self { table, writer, waiting, waiting_bytes: 0 })
    }

    pub(super) fn add(&mut self, row: Vec<DataValue>) -> io::Result<()> {
        for (column, value) in self.waiting.iter_mut().zip(row) {
            self.waiting_bytes += match &value {
                DataValue::Text(text) => size_of::<DataValue>() + text.len(),
                _ => size_of::<DataValue>(),
            };
            column.push(value);
        }
        if self.waiting_bytes < GROUP_BYTES { Ok(()) } else { self.write().map_err(failed) }
    }

    /// Bytes that are written; rows that wait count as they are in memory, divided by what compression saves of them at the least.
    pub(super) fn bytes(&self) -> u64 {
        self.writer.bytes_written() as u64 + self.waiting_bytes as u64 / 4
    }

    pub(super) fn finish(mut self) -> io::Result<W> {
        self.write().map_err(failed)?;
        self.writer.into_inner().map_err(failed)
    }

    /// Writes what waits as a row group.
    fn write(&mut self) -> Result<(), ParquetError> {
        if self.waiting_bytes == 0 {
            return Ok(());
        }
        let mut group = self.writer.next_row_group()?;
        for (values, column) in self.waiting.iter_mut().zip(self.table.columns) {
            let values = std::mem::take(values);
            match column.of {
                ColumnType::Text => {
                    write_column::<ByteArrayType, _>(&mut group, values, |value| match value {
                        DataValue::Text(text) => Some(ByteArray::from(text.into_bytes())),
                        _ => None,
                    })
                }
                ColumnType::Integer => {
                    write_column::<Int64Type, _>(&mut group, values, |value| match value {
                        DataValue::Integer(number) => Some(number),
                        _ => None,
                    })
                }
                ColumnType::Boolean => write_column::<BoolType, _>(&mut group, values, |value| match value {
                    DataValue::Boolean(truth) => Some(truth),
                    _ => None,
                }),
            }?;
        }
        group.close()?;
        self.waiting_bytes = 0;
        Ok(())
    }
}

/// Writes the next column of a row group; a value of another sort counts as missing.
fn write_column<T: DataType, W: Write + Send>(
    group: &mut SerializedRowGroupWriter<'_, W>,
    values: Vec<DataValue>,
    of: impl Fn(DataValue) -> Option<T::T>,
) -> Result<(), ParquetError> {
    let values: Vec<Option<T::T>> = values.into_iter().map(of).collect();
    let there: Vec<i16> = values.iter().map(|value| i16::from(value.is_some())).collect();
    let values: Vec<T::T> = values.into_iter().flatten().collect();
    let missing = || ParquetError::General("the row group has no further column".to_owned());
    let mut column = group.next_column()?.ok_or_else(missing)?;
    column.typed::<T>().write_batch(&values, Some(&there), None)?;
    column.close()
}

#[cfg(test)]
mod tests {
    use super::super::dataset::DATASET;
    use super::super::table_file::{DataForm, TableFile};
    use super::*;
    use parquet::file::reader::{FileReader, SerializedFileReader};
    use parquet::record::Field;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn what_is_written_is_read_by_column(rows in prop::collection::vec((prop::option::of("\\PC{0,12}"), prop::option::of(any::<i64>()), prop::option::of(any::<bool>())), 0..40)) {
            let table = DATASET.iter().find(|table| table.name == "startup").unwrap();
            let mut file = TableFile::new(DataForm::Parquet, table, Vec::new()).unwrap();
            for (text, number, truth) in &rows {
                let row = table.columns.iter().map(|column| match column.of {
                    ColumnType::Text => text.clone().map_or(DataValue::Missing, DataValue::Text),
                    ColumnType::Integer => number.map_or(DataValue::Missing, DataValue::Integer),
                    ColumnType::Boolean => truth.map_or(DataValue::Missing, DataValue::Boolean),
                });
                file.add(row.collect()).unwrap();
            }
            let bytes = file.finish().unwrap();
            prop_assert!(bytes.starts_with(b"PAR1"));
            let mut on_disk = tempfile::tempfile().unwrap();
            on_disk.write_all(&bytes).unwrap();
            let reader = SerializedFileReader::new(on_disk).unwrap();
            let mut read = 0;
            for (record, (text, _, truth)) in reader.get_row_iter(None).unwrap().zip(&rows) {
                for (column, (name, field)) in table.columns.iter().zip(record.unwrap().get_column_iter()) {
                    prop_assert_eq!(column.name, name);
                    let expected = match column.of {
                        ColumnType::Text => text.clone().map_or(Field::Null, Field::Str),
                        ColumnType::Integer => Field::Null,
                        ColumnType::Boolean => truth.map_or(Field::Null, Field::Bool),
                    };
                    prop_assert_eq!(&expected, field);
                }
                read += 1;
            }
            prop_assert_eq!(read, rows.len());
        }
    }
}
