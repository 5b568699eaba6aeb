//! saltmarsh
