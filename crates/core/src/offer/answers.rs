use super::Catalog;
use crate::find::{MATCH, NameScore};
use crate::model::{Package, System, Text};
use crate::version;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;

/// A program that a catalogue of programs (AppStream) describes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Program {
    /// Its component ID, without `.desktop`.
    pub id: Text,
    /// Its name.
    pub name: Text,
    /// One line of description.
    pub summary: Text,
    /// The package system that delivers it.
    pub system: System,
    /// The package, or the ID of the bundle.
    pub package: Text,
    /// The newest version that the catalogue names, where it names any.
    pub version: Option<Text>,
    /// The repository or remote.
    pub repository: Text,
}

/// One place that something can be had from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct OfferSource {
    /// The package system.
    pub system: System,
    /// The repository.
    pub repository: Text,
    /// The package.
    pub package: Text,
    /// Its version; `null` where the catalogue does not say.
    pub version: Option<Text>,
    /// The program in it, by its AppStream ID.
    pub program: Option<Text>,
    /// One line of description.
    pub summary: Text,
    /// Bytes to download of the package alone.
    pub download_bytes: Option<u64>,
    /// Bytes on disk of the package alone.
    pub installed_bytes: Option<u64>,
    /// The version that is installed, if it is.
    pub installed: Option<Text>,
    /// Whether none of the others is newer, where versions can be compared and differ.
    pub newest: bool,
}

/// Whether something can be had.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct OfferAnswer {
    /// What was asked for.
    pub asked: Text,
    /// Every place that it can be had from, what fits best first.
    pub sources: Vec<OfferSource>,
    /// How many more there are that fit less well.
    pub more: u32,
    /// Where there is none: the names that come nearest.
    pub near: Vec<Text>,
}

/// Sources that are told, and near names.
const MOST: usize = 12;
const NEAREST: usize = 5;

/// Names that fit worse than this are not near either.
const NEAR: f64 = 0.4;

/// Where something can be had from: by the name of a package, or the name or ID of a program.
pub fn answer(installed: &[Package], catalogs: &[Catalog], programs: &[Program], asked: &str) -> OfferAnswer {
    let score = NameScore::of(asked);
    let mut found: Vec<(f64, OfferSource)> = Vec::new();
    let mut near: Vec<(f64, Text)> = Vec::new();
    for program in programs {
        let last = program.id.rsplit('.').next().unwrap_or_default();
        let fits = [&program.name, &program.id, last]
            .map(|name| score.of_name(name))
            .into_iter()
            .fold(0.0, f64::max);
        consider(fits, &program.name, &mut near, || {
            found.push((fits, of_program(installed, catalogs, program)));
        });
    }
    // What is there as a snap or an AppImage is told as well; no list offers those.
    let has_catalog = |system: System| catalogs.iter().any(|catalog| catalog.system == system);
    for package in installed.iter().filter(|package| package.is_present() && package.system.is_sandbox()) {
        if !has_catalog(package.system) {
            let fits = score.of_name(&package.name);
            consider(fits, &package.name, &mut near, || found.push((fits, of_installed(package))));
        }
    }
    for catalog in catalogs {
        for (name, _) in catalog.names() {
            let fits = score.of_name(name);
            consider(fits, name, &mut near, || {
                if let Some(source) = of_package(installed, catalog, name) {
                    found.push((fits, source));
                }
            });
        }
    }
    found.sort_by(|(a, one), (b, other)| {
        b.total_cmp(a).then_with(|| (one.system, &one.package).cmp(&(other.system, &other.package)))
    });
    // A program and its package are one source; the program says more.
    let mut sources: Vec<OfferSource> = Vec::new();
    for (_, source) in found {
        let same = |known: &OfferSource| {
            known.system == source.system
                && known.package == source.package
                && known.repository == source.repository
        };
        if !sources.iter().any(same) {
            sources.push(source);
        }
    }
    // An exact name is all that was meant, with what delivers the same program elsewhere.
    let exact = sources.iter().any(|source| is_exact(source, asked));
    if exact {
        let ids: Vec<Text> = sources
            .iter()
            .filter(|source| is_exact(source, asked))
            .filter_map(|source| source.program.clone())
            .collect();
        sources.retain(|source| {
            is_exact(source, asked) || source.program.as_ref().is_some_and(|id| ids.contains(id))
        });
        let is_same = |package: &&Package| package.provides.iter().any(|one| ids.contains(&one.name));
        let alone = |package: &&Package| {
            package.is_present() && package.system.is_sandbox() && !has_catalog(package.system)
        };
        for package in installed.iter().filter(alone).filter(is_same) {
            if !sources.iter().any(|known| known.system == package.system && known.package == package.name) {
                sources.push(of_installed(package));
            }
        }
        for program in programs.iter().filter(|program| ids.contains(&program.id)) {
            let source = of_program(installed, catalogs, program);
            if !sources.iter().any(|known| {
                known.system == source.system
                    && known.package == source.package
                    && known.repository == source.repository
            }) {
                sources.push(source);
            }
        }
    }
    let more = u32::try_from(sources.len().saturating_sub(MOST)).unwrap_or(u32::MAX);
    sources.truncate(MOST);
    mark_newest(&mut sources);
    near.sort_by(|(a, one), (b, other)| b.total_cmp(a).then_with(|| one.cmp(other)));
    near.dedup_by(|a, b| a.1.eq_ignore_ascii_case(&b.1));
    let near = if sources.is_empty() {
        near.into_iter().take(NEAREST).map(|(_, name)| name).collect()
    } else {
        Vec::new()
    };
    OfferAnswer { asked: asked.into(), sources, more, near }
}

fn consider(fits: f64, name: &str, near: &mut Vec<(f64, Text)>, found: impl FnOnce()) {
    if fits >= MATCH {
        found();
    } else if fits >= NEAR {
        near.push((fits, name.into()));
    }
}

fn is_exact(source: &OfferSource, asked: &str) -> bool {
    let id = source.program.as_deref().unwrap_or_default();
    let last = id.rsplit('.').next().unwrap_or_default();
    [source.package.as_str(), id, last]
        .iter()
        .any(|name| !name.is_empty() && name.eq_ignore_ascii_case(asked))
}

fn version_of(installed: &[Package], system: System, name: &str) -> Option<Text> {
    let own = |package: &&Package| package.system == system && package.is_present() && package.name == name;
    installed.iter().find(own).map(|package| package.version.clone())
}

fn of_package(installed: &[Package], catalog: &Catalog, name: &str) -> Option<OfferSource> {
    let (at, offered) = catalog.candidate(name, None)?;
    let package = &offered.package;
    Some(OfferSource {
        system: catalog.system,
        repository: catalog
            .lists
            .get(catalog.list(at))
            .map(|list| list.repository.clone())
            .unwrap_or_default(),
        package: package.name.clone(),
        version: Some(package.version.clone()),
        program: None,
        summary: package.summary.clone(),
        download_bytes: package.download_bytes,
        installed_bytes: package.installed_bytes,
        installed: version_of(installed, catalog.system, name),
        newest: false,
    })
}

/// Something that is installed, and that no list offers.
fn of_installed(package: &Package) -> OfferSource {
    OfferSource {
        system: package.system,
        repository: package.repository.clone().unwrap_or_default(),
        package: package.name.clone(),
        version: Some(package.version.clone()),
        // A snap provides the component that it is.
        program: package.provides.first().map(|one| one.name.clone()),
        summary: package.summary.clone(),
        download_bytes: package.download_bytes,
        installed_bytes: package.installed_bytes,
        installed: Some(package.version.clone()),
        newest: false,
    }
}

fn of_program(installed: &[Package], catalogs: &[Catalog], program: &Program) -> OfferSource {
    let native = catalogs
        .iter()
        .filter(|catalog| catalog.system == program.system)
        .find_map(|catalog| of_package(installed, catalog, &program.package));
    let bundle = || OfferSource {
        system: program.system,
        repository: program.repository.clone(),
        package: program.package.clone(),
        version: program.version.clone(),
        program: None,
        summary: program.summary.clone(),
        download_bytes: None,
        installed_bytes: None,
        installed: version_of(installed, program.system, &program.package),
        newest: false,
    };
    OfferSource { program: Some(program.id.clone()), ..native.unwrap_or_else(bundle) }
}

/// Marks the newest of several sources of one program.
fn mark_newest(sources: &mut [OfferSource]) {
    let upstream = |source: &OfferSource| {
        source.version.as_ref().map(|version| Text::from(crate::systems::upstream(source.system, version)))
    };
    let versions: Vec<Option<Text>> = sources.iter().map(upstream).collect();
    for at in 0..sources.len() {
        let Some(own) = &versions[at] else { continue };
        let same = |other: &usize| {
            *other != at
                && sources[*other].program.is_some()
                && sources[*other].program == sources[at].program
        };
        let others: Vec<Ordering> = (0..sources.len())
            .filter(same)
            .filter_map(|other| versions[other].as_ref().map(|version| version::compare_plain(own, version)))
            .collect();
        sources[at].newest = others.contains(&Ordering::Greater) && !others.contains(&Ordering::Less);
    }
}
