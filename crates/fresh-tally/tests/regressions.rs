//! Every file that ever broke something, through the decoder that it broke: none panics, none takes longer than it may.
//!
//! `fuzz/regressions/TARGET/FILE`; what `scripts/fuzz` finds is put there.

#![allow(clippy::unwrap_used, reason = "tests may fail")]

#[path = "../../../fuzz/src/targets.rs"]
mod targets;

use std::path::Path;
use std::time::{Duration, Instant};

#[test]
fn no_file_breaks_its_decoder_again() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/regressions");
    let mut files = 0;
    for target in targets::TARGETS {
        for entry in std::fs::read_dir(folder.join(target.name)).into_iter().flatten() {
            let path = entry.unwrap().path();
            let began = Instant::now();
            (target.run)(target.name, &std::fs::read(&path).unwrap());
            let took = began.elapsed();
            println!("{}: {took:?}", path.display());
            assert!(took < Duration::from_secs(10), "{}: {took:?}", path.display());
            files += 1;
        }
    }
    assert!(files >= 8, "{files} files: the folder is not where it was");
}

#[test]
fn targets_are_sorted_and_have_places() {
    assert!(targets::TARGETS.is_sorted_by_key(|target| target.name));
    for (name, place) in targets::PLACES {
        assert!(targets::TARGETS.iter().any(|target| target.name == *name), "{name}");
        assert!(!place.starts_with('/'), "{place}");
    }
}
