//! From a result to a document, and from a document to bytes.
//!
//! A [`View`] is a question with its answer. For people it becomes a neutral [`Document`], which one small
//! renderer per format turns into bytes; for programs it becomes JSON or CSV straight from the typed result, in full
//! precision. Colours, widths and formats are values that the caller decides.

pub mod chart;
mod document;
pub mod publish;
mod render;
mod style;
mod text;
mod view;
mod wire;
pub mod words;

pub use document::{
    Align, Block, Card, CardGroup, Cell, Column, Document, Fact, Fold, Line, Role, Row, Section, Shrink,
    Span, Table,
};
pub use render::{Format, Laid, RenderError, RenderOptions, Subject, lay_out, markdown, render};
pub use style::{Colour, Palette, Theme};
pub use text::{bytes_human, clean, count_of, shorten, thousands, width};
pub use view::{
    AgeView, CheckView, CompareView, CompareWhat, CostView, Filter, FindView, GridView, LagChangeView,
    LagView, OfferChangeView, OfferView, OwnedFile, OwnerView, PackageFilter, PictureFindView, RootRow,
    RootsView, ShelfFindView, ShelfView, ShowView, ShowWhat, SourcesView, TrailView, WeighView, WhyView,
    touched,
};
pub use wire::{
    ColumnType, CsvTable, DATASET, DATASET_SCHEMA, DataColumn, DataForm, DataTable, DataValue, PackageRows,
    Sbom, TableFile, WRITES_PARQUET,
};

/// A question with its answer, in every form that it can take.
pub trait View {
    /// For people.
    fn document(&self) -> Document;

    /// For tables: a header and rows, cells in full precision.
    ///
    /// # Errors
    /// None in practice: every cell has a form.
    fn csv(&self) -> csv::Result<CsvTable>;

    /// For programs.
    ///
    /// # Errors
    /// When a number has no JSON form.
    fn json(&self) -> serde_json::Result<Vec<u8>>;
}
