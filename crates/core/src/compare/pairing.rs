//! Which applications of two installs are the same, whatever their packages and launchers are called.

use super::applications::Menus;
use super::stem::{source_stem, stem};
use crate::derive::application_id;
use crate::model::{Application, Delivery, Launcher, Package, PackageRef, System, Text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, VecDeque};
use std::hash::Hash;

/// For each old application the position of the new one that is the same.
pub(crate) type Partners = Vec<Option<usize>>;

/// Pairs applications by what can be trusted most: by identifier; by AppStream component; by name, of packages that are called alike, as
/// two others of one system hold two programs; by name across systems; across systems by source, then by homepage, where both have one
/// left of it; then the only ones that are left of a package, whatever they are called now.
pub(crate) fn pair(before: Menus<'_>, after: Menus<'_>) -> Partners {
    let (old, new) = (before.applications, after.applications);
    let mut work = Pairing { old, new, partners: vec![None; old.len()], taken: vec![false; new.len()] };
    let first = |a: &Application| a.delivered.first().map(|first| (first.system, stem(&first.package)));
    work.by(|a| a.id.to_lowercase());
    work.by_component(&components(before), &components(after));
    work.by(|a| (a.name.to_lowercase(), first(a)));
    work.across_systems();
    for of in [Projects::by_source, Projects::by_homepage] {
        work.by_project(&of(before), &of(after));
    }
    work.alone_in_package();
    work.partners
}

struct Pairing<'a> {
    old: &'a [Application],
    new: &'a [Application],
    partners: Partners,
    taken: Vec<bool>,
}

impl Pairing<'_> {
    fn free_old(&self) -> Vec<usize> {
        (0..self.old.len()).filter(|i| self.partners[*i].is_none()).collect()
    }

    fn free_new(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.new.len()).filter(|j| !self.taken[*j])
    }

    fn take(&mut self, old: usize, new: usize) {
        (self.partners[old], self.taken[new]) = (Some(new), true);
    }

    /// Pairs what has one key, in the order of the lists.
    fn by<K: Hash + Eq>(&mut self, key: impl Fn(&Application) -> K) {
        let mut waiting: FxHashMap<K, VecDeque<usize>> = FxHashMap::default();
        self.free_new().for_each(|j| waiting.entry(key(&self.new[j])).or_default().push_back(j));
        for i in self.free_old() {
            if let Some(j) = waiting.get_mut(&key(&self.old[i])).and_then(VecDeque::pop_front) {
                self.take(i, j);
            }
        }
    }

    /// Pairs what is called the same and is delivered by different systems, or by none.
    fn across_systems(&mut self) {
        let mut waiting: FxHashMap<String, BTreeMap<Option<System>, VecDeque<usize>>> = FxHashMap::default();
        for j in self.free_new() {
            let of_name = waiting.entry(self.new[j].name.to_lowercase()).or_default();
            of_name.entry(system(&self.new[j])).or_default().push_back(j);
        }
        for i in self.free_old() {
            let own = system(&self.old[i]);
            let Some(of_name) = waiting.get_mut(&self.old[i].name.to_lowercase()) else { continue };
            let mut others = of_name.iter_mut().filter(|(other, _)| own.is_none() || **other != own);
            if let Some(j) = others.find_map(|(_, others)| others.pop_front()) {
                self.take(i, j);
            }
        }
    }

    /// Pairs what one component says of itself that it is or was: the one that answers to a name of the other.
    fn by_component(&mut self, old: &Components<'_>, new: &Components<'_>) {
        let names = |of: &Application, components: &Components<'_>| -> Vec<Text> {
            std::iter::once(&of.id)
                .chain(components.get(of.id.as_str()).into_iter().flatten())
                .cloned()
                .collect()
        };
        let mut waiting: FxHashMap<Text, Vec<usize>> = FxHashMap::default();
        for j in self.free_new() {
            for name in names(&self.new[j], new) {
                waiting.entry(name).or_default().push(j);
            }
        }
        for i in self.free_old() {
            let known = names(&self.old[i], old).into_iter().filter_map(|name| waiting.get(&name)).flatten();
            let mut free: Vec<usize> = known.copied().filter(|j| !self.taken[*j]).collect();
            free.dedup();
            if let [only] = free[..] {
                self.take(i, only);
            }
        }
    }

    /// Pairs what is left of one project on both sides, where different systems deliver it.
    fn by_project(&mut self, old: &Projects, new: &Projects) {
        let mut left: FxHashMap<&Text, (Vec<usize>, Vec<usize>)> = FxHashMap::default();
        for (i, project) in self.free_old().into_iter().filter_map(|i| Some((i, old.of(&self.old[i])?))) {
            left.entry(project).or_default().0.push(i);
        }
        for (j, project) in self.free_new().filter_map(|j| Some((j, new.of(&self.new[j])?))) {
            left.entry(project).or_default().1.push(j);
        }
        for i in self.free_old() {
            if let Some((olds, news)) = old.of(&self.old[i]).and_then(|project| left.get(project))
                && let ([_], [j]) = (&olds[..], &news[..])
                && system(&self.old[i]) != system(&self.new[*j])
                && self.old[i].menu == self.new[*j].menu
            {
                self.take(i, *j);
            }
        }
    }

    /// Pairs the one that is left of a package with the one that is left of it on the other side.
    fn alone_in_package(&mut self) {
        let package = |a: &Application| a.delivered.first().map(Delivery::reference);
        let mut left: FxHashMap<PackageRef, (Vec<usize>, Vec<usize>)> = FxHashMap::default();
        for (i, package) in self.free_old().into_iter().filter_map(|i| Some((i, package(&self.old[i])?))) {
            left.entry(package).or_default().0.push(i);
        }
        for (j, package) in self.free_new().filter_map(|j| Some((j, package(&self.new[j])?))) {
            left.entry(package).or_default().1.push(j);
        }
        for i in self.free_old() {
            if let Some((old, new)) = package(&self.old[i]).and_then(|package| left.get(&package))
                && let ([_], [j]) = (&old[..], &new[..])
            {
                self.take(i, *j);
            }
        }
    }
}

/// The system that delivers an application first.
fn system(application: &Application) -> Option<System> {
    application.delivered.first().map(|first| first.system)
}

/// Identifiers that an application would have by the names of its AppStream component, by its own.
type Components<'a> = FxHashMap<&'a str, Vec<Text>>;

fn components(of: Menus<'_>) -> Components<'_> {
    let known = of.launchers.iter().filter(|launcher| !launcher.appstream.is_empty());
    let by_launcher: FxHashMap<&Text, &Launcher> = known.map(|launcher| (&launcher.id, launcher)).collect();
    let named = |a: &Application| -> Vec<Text> {
        let launchers = a.launchers.iter().filter_map(|id| by_launcher.get(id));
        launchers.flat_map(|launcher| launcher.appstream.iter().map(|id| application_id(id))).collect()
    };
    of.applications.iter().map(|a| (a.id.as_str(), named(a))).filter(|(_, ids)| !ids.is_empty()).collect()
}

/// What packages tell of the project that they are made from.
#[derive(Default)]
struct Projects(FxHashMap<PackageRef, Text>);

impl Projects {
    fn of(&self, application: &Application) -> Option<&Text> {
        self.0.get(&application.delivered.first()?.reference())
    }

    fn by_source(of: Menus<'_>) -> Self {
        Self::of_delivering(of, |package| {
            (!package.system.is_sandbox()).then(|| source_stem(package.source()))
        })
    }

    /// A homepage that packages of several sources share is no project's own.
    fn by_homepage(of: Menus<'_>) -> Self {
        let mut sources: FxHashMap<Text, Option<&str>> = FxHashMap::default();
        for package in
            of.packages.iter().filter(|package| package.is_present() && !package.homepage.is_empty())
        {
            let source = package.source();
            let known = sources.entry(homepage(&package.homepage)).or_insert(Some(source));
            *known = known.filter(|known| *known == source);
        }
        Self::of_delivering(of, |package| {
            let page = homepage(&package.homepage);
            sources.get(&page).is_some_and(Option::is_some).then_some(page)
        })
    }

    fn of_delivering(of: Menus<'_>, project: impl Fn(&Package) -> Option<Text>) -> Self {
        let delivering: FxHashSet<PackageRef> =
            of.applications.iter().filter_map(|a| Some(a.delivered.first()?.reference())).collect();
        let told = of.packages.iter().filter_map(|package| {
            let reference = package.reference();
            delivering.contains(&reference).then(|| Some((reference, project(package)?))).flatten()
        });
        Self(told.collect())
    }
}

/// An address without what differs for one and the same page: scheme, `www.`, a slash at the end, case.
fn homepage(address: &str) -> Text {
    let plain = address.split_once("://").map_or(address, |(_, rest)| rest).to_lowercase();
    plain.strip_prefix("www.").unwrap_or(&plain).trim_end_matches('/').into()
}
