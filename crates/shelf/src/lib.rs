//! shelf
