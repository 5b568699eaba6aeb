//! Feeds the target that `FUZZ_TARGET` names; writes seeds to the folder that `FUZZ_SEEDS` names, or prints the targets with
//! `FUZZ_LIST`.
#![no_main]

mod seeds;
mod targets;

use libfuzzer_sys::fuzz_target;
use std::sync::OnceLock;
use targets::{TARGETS, Target};

/// What is run after something else was asked for.
static NOTHING: Target = Target { name: "", run: |_, _| {}, is_risky: false };
static CHOSEN: OnceLock<&'static Target> = OnceLock::new();

fuzz_target!(|bytes: &[u8]| {
    let target = CHOSEN.get_or_init(|| {
        // A panic that is caught where it belongs is an answer; any other one is a finding.
        std::panic::set_hook(Box::new(|info| {
            if tally_trees::is_shielded() {
                eprintln!("shielded: {info}");
            } else {
                eprintln!("{info}\n{}", std::backtrace::Backtrace::force_capture());
                std::process::abort();
            }
        }));
        if let Some(folder) = std::env::var_os("FUZZ_SEEDS") {
            seeds::write(std::path::Path::new(&folder)).expect("seeds can be written");
            return &NOTHING;
        }
        if std::env::var_os("FUZZ_LIST").is_some() {
            TARGETS.iter().for_each(|target| println!("{} {}", target.name, if target.is_risky { "risky" } else { "plain" }));
            return &NOTHING;
        }
        let name = std::env::var("FUZZ_TARGET").unwrap_or_default();
        let found = TARGETS.iter().find(|target| target.name == name);
        found.unwrap_or_else(|| panic!("FUZZ_TARGET names no target: {name:?}"))
    });
    (target.run)(target.name, bytes);
});
