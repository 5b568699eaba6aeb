//! The built program, run on files in a temporary folder: one file per command.

#![allow(clippy::unwrap_used, reason = "helpers of tests fail as tests do")]

mod bad_input;
mod browse;
mod check;
mod compare;
mod demo;
mod exchange;
mod family;
mod find;
mod grid;
mod guide;
mod harness;
mod hostile;
mod kept;
mod kit;
mod kit_hostile;
mod lag;
mod listing;
mod note;
mod offer;
mod phases;
mod pictures;
mod report;
mod roots;
mod rules;
mod schema;
mod secrets;
mod settings;
mod shelf;
mod shelf_index;
mod show;
mod take;
mod trail;
mod why;
