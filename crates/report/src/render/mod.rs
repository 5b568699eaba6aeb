//! One small file per format.

pub(crate) mod html;
pub(crate) mod markdown;
pub(crate) mod terminal;

pub use terminal::{Laid, Subject, lay_out};

use crate::{Palette, View};
use tally_core::vocabulary;

vocabulary! {
    /// The forms that a view can be asked for.
    pub enum Format {
        /// Aligned columns, for a terminal or a plain file.
        Table = "table",
        /// Markdown, ready to paste.
        Markdown = "markdown",
        /// One self-contained HTML page.
        Html = "html",
        /// Comma-separated values (RFC 4180).
        Csv = "csv",
        /// JSON (RFC 8259).
        Json = "json",
    }
}

#[allow(clippy::derivable_impls, reason = "the vocabulary derives what all words have")]
impl Default for Format {
    fn default() -> Self {
        Self::Table
    }
}

impl Format {
    /// How names of files in this form end.
    pub fn endings(self) -> &'static [&'static str] {
        match self {
            Self::Table => &["txt"],
            Self::Markdown => &["md", "markdown"],
            Self::Html => &["html", "htm"],
            Self::Csv => &["csv"],
            Self::Json => &["json"],
        }
    }

    /// The form of a file whose name ends so.
    pub fn of_ending(ending: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|format| format.endings().contains(&ending))
    }
}

/// What the terminal can show; only [`Format::Table`] asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct RenderOptions {
    /// Columns of the terminal; `None` for a pipe or a file: no limit.
    pub width: Option<usize>,
    /// Colours.
    pub palette: Palette,
    /// Whether the terminal shows ASCII only: arrows become `to`, and what is cut ends in `~`. Names stay as they are.
    pub ascii: bool,
}

/// Why a view has no bytes.
#[derive(Debug)]
pub enum RenderError {
    /// A value has no JSON form.
    Json(serde_json::Error),
    /// A row has no CSV form.
    Csv(csv::Error),
}

impl From<serde_json::Error> for RenderError {
    fn from(error: serde_json::Error) -> Self {
        Self::Json(error)
    }
}

impl From<csv::Error> for RenderError {
    fn from(error: csv::Error) -> Self {
        Self::Csv(error)
    }
}

impl std::fmt::Display for RenderError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Json(error) => write!(f, "the answer can't be written as JSON: {error}"),
            Self::Csv(error) => write!(f, "the answer can't be written as CSV: {error}"),
        }
    }
}

impl std::error::Error for RenderError {}

/// A view as bytes; text ends with a line end.
///
/// # Errors
/// When a value has no form in the format asked for.
pub fn render(view: &dyn View, format: Format, options: RenderOptions) -> Result<Vec<u8>, RenderError> {
    match format {
        Format::Table if options.ascii => {
            let mut document = view.document();
            for span in document.spans() {
                span.text = span.text.replace('→', "to");
            }
            Ok(terminal::render(&document, options).replace('…', "~").into_bytes())
        }
        Format::Table => Ok(terminal::render(&view.document(), options).into_bytes()),
        Format::Markdown => Ok(markdown::render(&view.document()).into_bytes()),
        Format::Html => Ok(html::render(&view.document()).into_bytes()),
        Format::Csv => view.csv().and_then(crate::CsvTable::into_bytes).map_err(RenderError::Csv),
        Format::Json => view.json().map_err(RenderError::Json),
    }
}

/// A document as Markdown, ready to paste.
pub fn markdown(document: &crate::Document) -> String {
    markdown::render(document)
}
