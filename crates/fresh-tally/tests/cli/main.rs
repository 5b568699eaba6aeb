//! The built program, run on files in a temporary folder: one file per command.

mod bad_input;
mod compare;
mod demo;
mod harness;
mod rules;
mod schema;
mod shelf;
mod show;
mod take;
