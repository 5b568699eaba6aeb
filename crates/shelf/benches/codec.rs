//! A tally to bytes and back; give a real one with FRESH_TALLY_BENCH=FILE.

use divan::Bencher;
use std::path::Path;
use tally_core::model::{Alternatives, Dependency, Label, Medium, Package, System, Taken, Tally};
use tally_shelf::{decode, encode, read_tally, read_tally_in_brief};

/// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    divan::main();
}

fn tally() -> Tally {
    if let Some(bytes) = std::env::var_os("FRESH_TALLY_BENCH").and_then(|path| std::fs::read(path).ok())
        && let Ok(tally) = decode(Path::new("bench"), &bytes)
    {
        return tally;
    }
    let taken = Taken {
        at: "2031-05-02T10:00:00Z".into(),
        from: "bench".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let mut tally = Tally::new("bench", taken, Label::default());
    for i in 0..1500 {
        let mut package = Package::new(System::Dpkg, format!("marsh-package-{i}"), "1:3.2.1-2");
        package.summary = "a package made up for a benchmark, with a summary of usual length".into();
        package.purl = package.make_purl("saltmarsh");
        for j in 0..8 {
            let name = format!("libmarsh{}", (i + j) % 400);
            let one = Dependency { name: name.into(), op: None, version: None };
            package.depends.push(Alternatives::from_elem(one, 1));
        }
        tally.packages.push(package);
    }
    tally
}

#[divan::bench]
fn decoding(bencher: Bencher<'_, '_>) {
    let bytes = encode(&tally()).unwrap_or_default();
    bencher
        .counter(divan::counter::BytesCount::new(bytes.len()))
        .bench_local(|| decode(Path::new("bench"), &bytes));
}

/// A tally in a file.
fn kept() -> std::io::Result<(tempfile::NamedTempFile, usize)> {
    let bytes = encode(&tally())?;
    let file = tempfile::NamedTempFile::new()?;
    std::fs::write(&file, &bytes)?;
    Ok((file, bytes.len()))
}

#[divan::bench(args = [false, true])]
fn reading_a_file(bencher: Bencher<'_, '_>, brief: bool) {
    let Ok((file, length)) = kept() else { return };
    let read = if brief { read_tally_in_brief } else { read_tally };
    bencher.counter(divan::counter::BytesCount::new(length)).bench_local(|| read(file.path()));
}

#[divan::bench]
fn encoding(bencher: Bencher<'_, '_>) {
    let tally = tally();
    bencher.bench_local(|| encode(&tally));
}
