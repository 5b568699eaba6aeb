//! The comparison alone, at four sizes: the time a package must not grow with their number. Give two real tallies with
//! FRESH_TALLY_BENCH_OLD=FILE and FRESH_TALLY_BENCH_NEW=FILE.

use divan::Bencher;
use tally_core::compare::compare;
use tally_core::knowledge::PartRules;
use tally_core::model::{Alternatives, Dependency, Label, Medium, Package, Reason, System, Taken, Tally};
use tally_core::version::compare_dpkg;

/// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    divan::main();
}

fn tally(packages: usize, release: usize) -> Tally {
    let taken = Taken {
        at: "2031-05-02T10:00:00Z".into(),
        from: "bench".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let mut tally = Tally::new("bench", taken, Label::default());
    // A tenth leaves, a tenth comes, half are upgraded.
    for i in (packages / 10 * release)..(packages + packages / 10 * release) {
        let version = format!("1:{}.{}-{}", 1 + i % 7, if i % 2 == 0 { release } else { 3 }, 1 + i % 3);
        let mut package = Package::new(System::Dpkg, format!("libmarsh-package-{i}"), version.as_str());
        package.arch = "amd64".into();
        package.upstream_version = tally_core::systems::upstream(System::Dpkg, &version).into();
        package.reason = Reason::Dependency;
        package.installed_bytes = Some(1000 * i as u64);
        let one = |name: String| Dependency { name: name.into(), op: None, version: None };
        // Towards the first, as packages lean on libraries; every fifth answers to its name in the other release.
        package.depends = (1..6)
            .map(|j| Alternatives::from_elem(one(format!("libmarsh-package-{}", i / (j + 1))), 1))
            .collect();
        if i % 5 == 0 {
            let before = one(format!("libmarsh-package-{}", i.saturating_sub(packages / 10)));
            (package.replaces, package.provides, package.conflicts) =
                (vec![before.clone()], vec![before.clone()], vec![before]);
        }
        tally.packages.push(package);
    }
    tally
}

#[divan::bench(args = [1_000, 3_000, 10_000, 30_000])]
fn two_releases(bencher: Bencher<'_, '_>, packages: usize) {
    let (old, new) = (tally(packages, 0), tally(packages, 1));
    bencher.counter(divan::counter::ItemsCount::new(packages)).bench_local(|| compare(&old, &new));
}

#[divan::bench]
#[allow(clippy::disallowed_methods, reason = "a benchmark has to get its input from somewhere")]
fn two_real_installs(bencher: Bencher<'_, '_>) {
    let read = |variable: &str| -> Option<Tally> {
        serde_json::from_slice(&std::fs::read(std::env::var_os(variable)?).ok()?).ok()
    };
    if let (Some(old), Some(new)) = (read("FRESH_TALLY_BENCH_OLD"), read("FRESH_TALLY_BENCH_NEW")) {
        bencher.bench_local(|| compare(&old, &new));
    }
}

#[divan::bench]
fn order_of_two_versions(bencher: Bencher<'_, '_>) {
    bencher.bench_local(|| {
        compare_dpkg(divan::black_box("2:21.1.7-3+deb12u12"), divan::black_box("2:21.1.7-3+deb12u9"))
    });
}

#[divan::bench]
fn reading_the_rules_for_parts() -> PartRules {
    PartRules::built_in().unwrap_or_default()
}
