//! One small file per format.

pub(crate) mod html;
pub(crate) mod markdown;
pub(crate) mod terminal;

use crate::{Palette, View};

/// The forms that a view can be asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Format {
    /// Aligned columns, for a terminal or a plain file.
    #[default]
    Table,
    /// Markdown, to be pasted as it is.
    Markdown,
    /// One page of HTML that needs nothing else.
    Html,
    /// Comma-separated values by RFC 4180.
    Csv,
    /// JSON by RFC 8259.
    Json,
}

/// How wide and how colourful; only [`Format::Table`] asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Canvas {
    /// Columns of the terminal; `None` for a pipe or a file: no limit.
    pub width: Option<usize>,
    /// Colours.
    pub palette: Palette,
}

/// Why a view has no bytes.
#[derive(Debug)]
pub enum RenderError {
    /// A value has no JSON form.
    Json(serde_json::Error),
    /// A row has no CSV form.
    Csv(csv::Error),
}

impl std::fmt::Display for RenderError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Json(error) => write!(f, "the answer has no JSON form: {error}"),
            Self::Csv(error) => write!(f, "the answer has no CSV form: {error}"),
        }
    }
}

impl std::error::Error for RenderError {}

/// A view as bytes; text ends with a line end.
///
/// # Errors
/// When a value has no form in the format asked for.
pub fn render(view: &dyn View, format: Format, canvas: Canvas) -> Result<Vec<u8>, RenderError> {
    match format {
        Format::Table => Ok(terminal::render(&view.document(), canvas).into_bytes()),
        Format::Markdown => Ok(markdown::render(&view.document()).into_bytes()),
        Format::Html => Ok(html::render(&view.document()).into_bytes()),
        Format::Csv => view.csv().into_bytes().map_err(RenderError::Csv),
        Format::Json => view.json().map_err(RenderError::Json),
    }
}
