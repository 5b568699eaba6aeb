//! readers
