//! A tally to bytes and back; give a real one with FRESH_TALLY_BENCH=FILE.

use divan::Bencher;
use std::path::Path;
use tally_core::model::{Alternatives, Dependency, Label, Medium, Package, System, Taken, Tally};
use tally_shelf::{decode, encode};

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

#[divan::bench]
fn encoding(bencher: Bencher<'_, '_>) {
    let tally = tally();
    bencher.bench_local(|| encode(&tally));
}
