//! The comparison alone, at four sizes: the time a package must not grow with their number.

use divan::Bencher;
use tally_core::compare::compare;
use tally_core::knowledge::PartRules;
use tally_core::model::{Label, Medium, Package, Reason, System, Taken, Tally};
use tally_core::version::compare_dpkg;

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
    };
    let mut tally = Tally::new("bench", taken, Label::default());
    // A tenth leaves, a tenth comes, half are upgraded.
    for i in (packages / 10 * release)..(packages + packages / 10 * release) {
        let version = format!("1:{}.{}-{}", 1 + i % 7, if i % 2 == 0 { release } else { 3 }, 1 + i % 3);
        let mut package = Package::new(System::Dpkg, format!("libmarsh-package-{i}"), version.as_str());
        package.arch = "amd64".into();
        package.upstream_version = tally_core::version::upstream(System::Dpkg, &version).into();
        package.reason = Reason::Followed;
        package.installed_bytes = Some(1000 * i as u64);
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
fn order_of_two_versions(bencher: Bencher<'_, '_>) {
    bencher.bench_local(|| {
        compare_dpkg(divan::black_box("2:21.1.7-3+deb12u12"), divan::black_box("2:21.1.7-3+deb12u9"))
    });
}

#[divan::bench]
fn reading_the_rules_for_parts() -> PartRules {
    PartRules::built_in().unwrap_or_default()
}
