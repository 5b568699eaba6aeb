use crate::args::WhyArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::find::find;
use tally_core::graph::{Graph, Ix};
use tally_core::model::{MissingFact, PackageRef, Tally};
use tally_report::WhyView;

pub(crate) fn run(args: &WhyArgs, settings: &Settings) -> Result<Exit, CommandError> {
    output::show(&why_of(&args.install, &args.package, args.all, settings)?, settings)?;
    Ok(Exit::Done)
}

/// Why a package is in an install, by one way or by all.
pub(crate) fn why_of(
    install: &str,
    package: &str,
    all: bool,
    settings: &Settings,
) -> Result<WhyView, CommandError> {
    let tally = install::find(install, settings, &settings.own.parts()?)?;
    let graph = Graph::new(&tally.packages);
    let Some(at) = graph.named(package).first().copied().or_else(|| but_for_case(&graph, package)) else {
        return Err(CommandError::NoSuchPackage {
            asked: package.to_owned(),
            install: install.to_owned(),
            near: near(&tally, package),
        });
    };
    let reference = |at: &Ix| graph.package(*at).reference();
    let mut paths: Vec<Vec<PackageRef>> =
        graph.paths_to(at).iter().map(|path| path.iter().map(reference).collect()).collect();
    let more_paths = if all { 0 } else { paths.len().saturating_sub(1) as u64 };
    paths.truncate(paths.len() - usize::try_from(more_paths).unwrap_or(0));
    let leaving = graph.leaves_with(at);
    Ok(WhyView {
        schema_version: 2,
        label: tally.label.clone(),
        package: reference(&at),
        reason: graph.package(at).reason,
        paths,
        more_paths,
        leaves_with: leaving.iter().map(reference).collect(),
        leaves_bytes: graph.bytes(leaving.iter().copied().chain([at])),
        suggested_by: by_name(graph.suggested_by(at).iter().map(reference).collect()),
        needed_by: by_name(graph.needed_by(at).iter().map(reference).collect()),
        not_recorded: NEEDED.into_iter().filter(|fact| tally.lacks(*fact)).collect(),
    })
}

/// Facts without which nothing tells why a package is installed.
const NEEDED: [MissingFact; 2] = [MissingFact::Dependencies, MissingFact::Reasons];

/// The only package whose name differs in nothing but capitals.
fn but_for_case(graph: &Graph<'_>, asked: &str) -> Option<Ix> {
    let fits = |at: &Ix| {
        let package = graph.package(*at);
        package.name.eq_ignore_ascii_case(asked) || package.reference().as_str().eq_ignore_ascii_case(asked)
    };
    let mut fitting = graph.all().filter(fits);
    let first = fitting.next()?;
    fitting.all(|at| graph.package(at).name == graph.package(first).name).then_some(first)
}

fn by_name(mut packages: Vec<PackageRef>) -> Vec<PackageRef> {
    packages.sort_unstable();
    packages.dedup();
    packages
}

/// Names of packages that come near.
fn near(tally: &Tally, asked: &str) -> Vec<String> {
    let findings = find(tally, asked);
    let hits =
        findings.hits.iter().filter_map(|hit| hit.package.as_ref()).map(|package| package.name().to_owned());
    hits.chain(findings.nearest.iter().map(ToString::to_string)).take(3).collect()
}
