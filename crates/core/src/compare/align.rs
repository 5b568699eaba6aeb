//! Who is whom: which old package and which new one are the same, seen twice.

use super::stem::{family_name, numbered_source, source_stem, stem};
use crate::model::{Application, Package, System};
use crate::systems;
use rustc_hash::{FxBuildHasher, FxHashMap};
use std::cmp::{Ordering, Reverse};

/// How two packages were found to be the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Match {
    /// The same system and name.
    Same,
    /// The same source, and the same name once series numbers are taken out.
    Renumbered,
    /// The new one declares to take the place of the old one.
    Declared,
    /// The same application, in another package system.
    MovedFormat,
    /// The same project, in another family of distributions.
    Family,
}

/// An old and a new package that are the same, by position in the lists given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Pair {
    /// Position among the old packages.
    pub old: usize,
    /// Position among the new packages.
    pub new: usize,
    /// How it was found.
    pub how: Match,
}

/// Every old package and every new one, in exactly one place of its side: a pair; removed or added; or the further part
/// of one that was merged or split.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Alignment {
    /// The same package on both sides, in order of the old list.
    pub pairs: Vec<Pair>,
    /// Old packages without a partner.
    pub removed: Vec<usize>,
    /// New packages without a partner.
    pub added: Vec<usize>,
    /// New packages that took over part of an old one, which has a partner of its own; `old` is not counted here.
    pub split: Vec<Pair>,
    /// Old packages that went into a new one, which has a partner of its own; `new` is not counted here.
    pub merged: Vec<Pair>,
}

/// Two lists of packages to be aligned, with the applications that tell of a move to another format.
#[derive(Debug, Clone, Copy, Default)]
pub struct Sides<'a> {
    /// Old packages.
    pub old: &'a [&'a Package],
    /// New packages.
    pub new: &'a [&'a Package],
    /// Old applications.
    pub old_applications: &'a [Application],
    /// New applications.
    pub new_applications: &'a [Application],
}

/// Aligns two lists of packages; each step takes only what the earlier ones left.
///
/// 1. same system, name and architecture, and the same version where a name is installed several times; then in the
///    order of their versions;
/// 2. same system and name, another architecture;
/// 3. renumbered: the same name once series numbers are taken out (`libweir2`, `libweir3`), of the same source, else of sources that
///    are the same once theirs are (`weir2`, `weir3`);
/// 4. declared: the new one provides and replaces the old one's name, or replaces it and comes from the same source;
/// 5. moved format: the same application, delivered by another system;
/// 6. across families: the same name, as each family shapes it, where the two sides share no native system;
/// 7. split and merged: what remains and is declared to take over from, or to be taken over by, one that has a partner.
///
/// Never by the likeness of letters alone.
pub fn align(sides: &Sides<'_>) -> Alignment {
    let Sides { old, new, .. } = *sides;
    let mut work = Aligner {
        old,
        new,
        pairs: Vec::new(),
        free_old: vec![true; old.len()],
        free_new: vec![true; new.len()],
        claims: Vec::new(),
    };
    let all = |_: &Package| true;
    work.pair_singles();
    work.pair_by(Match::Same, all, |p| (p.system, p.name.as_str(), p.arch.as_str(), p.version.as_str()));
    work.pair_by(Match::Same, all, |p| (p.system, p.name.as_str(), p.arch.as_str()));
    work.pair_by(Match::Same, all, |p| (p.system, p.name.as_str()));
    let native = |package: &Package| !package.system.is_sandbox();
    // A source that stays goes before another one of the same project: GTK 3 is not what became of GTK 2.
    work.pair_by(Match::Renumbered, native, |p| (p.system, p.source(), stem(&p.name)));
    work.pair_by(Match::Renumbered, native, |p| (p.system, source_stem(p.source()), stem(&p.name)));
    let in_series = |package: &Package| native(package) && numbered_source(package.source()).is_some();
    work.pair_by(Match::Renumbered, in_series, |p| (p.system, numbered_source(p.source()), stem(&p.name)));
    work.declared();
    work.moved(sides.old_applications, sides.new_applications);
    if !share_a_system(old, new) {
        work.pair_by(Match::Family, native, |p| p.name.as_str());
        work.pair_by(Match::Family, native, |p| family_name(p.system, &p.name));
    }
    work.finish()
}

/// A claim, with its sort key first: claims are paired in ascending order of strength, whether the kinds differ, names, positions.
type Claim<'a> = (Reverse<u8>, bool, &'a str, &'a str, usize, usize);

/// Positions of packages by system and name; those of one name follow each other.
struct ByName<'a> {
    first: FxHashMap<(System, &'a str), usize>,
    next: Vec<Option<usize>>,
}

impl<'a> ByName<'a> {
    fn of(packages: &[&'a Package]) -> Self {
        let mut first = FxHashMap::with_capacity_and_hasher(packages.len(), FxBuildHasher);
        let mut next = vec![None; packages.len()];
        for (i, package) in packages.iter().enumerate().rev() {
            next[i] = first.insert((package.system, package.name.as_str()), i);
        }
        Self { first, next }
    }

    fn get(&self, system: System, name: &str) -> impl Iterator<Item = usize> + '_ {
        std::iter::successors(self.first.get(&(system, name)).copied(), |at| self.next[*at])
    }
}

/// Which packages of one side claim the place of which of the other, and how strongly; only where at least one of the two is free.
fn claims_on(
    from: &[&Package],
    from_free: &[bool],
    on: &[&Package],
    on_free: &[bool],
) -> Vec<(usize, usize, u8)> {
    let by_name = ByName::of(on);
    let mut claims = Vec::new();
    let mut named: Vec<(&str, u8)> = Vec::new();
    for (j, package) in from.iter().enumerate() {
        named.clear();
        for (list, how) in
            [(&package.replaces, REPLACES), (&package.provides, PROVIDES), (&package.conflicts, CONFLICTS)]
        {
            named.extend(list.iter().map(|claimed| (claimed.name.as_str(), how)));
        }
        named.sort_unstable();
        for group in named.chunk_by(|a, b| a.0 == b.0) {
            let how = group.iter().fold(0, |all, (_, how)| all | how);
            // Who is only in conflict claims no place.
            if how == CONFLICTS {
                continue;
            }
            for i in by_name.get(package.system, group[0].0).filter(|i| from_free[j] || on_free[*i]) {
                let strength = strength(how, package.source() == on[i].source());
                if strength > 0 {
                    claims.push((j, i, strength));
                }
            }
        }
    }
    claims
}

/// How a package names another one.
const REPLACES: u8 = 1;
const PROVIDES: u8 = 2;
const CONFLICTS: u8 = 4;

/// How strongly a package says that it takes the place of another one, which may come from the same source; 0 is not at all.
fn strength(how: u8, related: bool) -> u8 {
    let is = |what: u8| how & what != 0;
    match (is(REPLACES), is(PROVIDES), is(CONFLICTS)) {
        (true, true, _) => 4,
        (true, _, true) if related => 3,
        (_, true, true) => 2,
        (true, _, _) if related => 1,
        _ => 0,
    }
}

fn share_a_system(old: &[&Package], new: &[&Package]) -> bool {
    let systems = |list: &[&Package]| -> Vec<System> {
        let mut systems: Vec<System> = list.iter().map(|p| p.system).filter(|s| !s.is_sandbox()).collect();
        systems.sort_unstable();
        systems.dedup();
        systems
    };
    let (old, new) = (systems(old), systems(new));
    old.is_empty() || new.is_empty() || old.iter().any(|system| new.contains(system))
}

struct Aligner<'a> {
    old: &'a [&'a Package],
    new: &'a [&'a Package],
    pairs: Vec<Pair>,
    free_old: Vec<bool>,
    free_new: Vec<bool>,
    /// Old and new packages of which one claims the other's place, and how strongly; at least one of them is still free.
    claims: Vec<(usize, usize, u8)>,
}

impl<'a> Aligner<'a> {
    fn take(&mut self, old: usize, new: usize, how: Match) {
        self.pairs.push(Pair { old, new, how });
        (self.free_old[old], self.free_new[new]) = (false, false);
    }

    /// Pairs what stands once on each side with the same system, name and architecture: nearly everything, found by walking both
    /// lists in step.
    fn pair_singles(&mut self) {
        let in_step = |packages: &[&'a Package]| {
            let mut order: Vec<usize> = (0..packages.len()).collect();
            if !packages.is_sorted_by(|a, b| by_key(a, b).is_le()) {
                order.sort_by(|a, b| by_key(packages[*a], packages[*b]));
            }
            order
        };
        let (old_order, new_order) = (in_step(self.old), in_step(self.new));
        let (old, new) = (self.old, self.new);
        let (mut i, mut j) = (0, 0);
        while i < old_order.len() && j < new_order.len() {
            match by_key(old[old_order[i]], new[new_order[j]]) {
                Ordering::Less => i += 1,
                Ordering::Greater => j += 1,
                Ordering::Equal => {
                    let (olds, news) = (run(&old_order[i..], old), run(&new_order[j..], new));
                    if (olds, news) == (1, 1) {
                        self.take(old_order[i], new_order[j], Match::Same);
                    }
                    (i, j) = (i + olds, j + news);
                }
            }
        }
    }

    /// Pairs what is free on both sides and has the same key; several of one key pair in version order.
    fn pair_by<K: std::hash::Hash + Eq>(
        &mut self,
        how: Match,
        counts: impl Fn(&Package) -> bool,
        key: impl Fn(&'a Package) -> K,
    ) {
        let mut waiting: FxHashMap<K, Vec<usize>> = FxHashMap::default();
        for i in free(&self.free_old).filter(|i| counts(self.old[*i])) {
            waiting.entry(key(self.old[i])).or_default().push(i);
        }
        if waiting.is_empty() {
            return;
        }
        let mut candidates: FxHashMap<K, Vec<usize>> = FxHashMap::default();
        for j in free(&self.free_new).filter(|j| counts(self.new[*j])) {
            let key = key(self.new[j]);
            if waiting.contains_key(&key) {
                candidates.entry(key).or_default().push(j);
            }
        }
        let mut found: Vec<(usize, usize)> = Vec::new();
        // Both sides stand in one and the same order, so that it does not matter which of them is the old one.
        #[allow(clippy::iter_over_hash_type, reason = "what is found is sorted below")]
        for (key, mut new) in candidates {
            let Some(old) = waiting.get_mut(&key) else { continue };
            in_order(old, self.old);
            in_order(&mut new, self.new);
            found.extend(old.iter().copied().zip(new));
        }
        found.sort_unstable();
        found.into_iter().for_each(|(i, j)| self.take(i, j, how));
    }

    /// Pairs each old package that is free with the new one that claims its place most strongly, or whose place it claims
    /// (a comparison may run backwards). Of equals the one of the same kind, then the first by name.
    fn declared(&mut self) {
        let forth = claims_on(self.new, &self.free_new, self.old, &self.free_old);
        let back = claims_on(self.old, &self.free_old, self.new, &self.free_new);
        self.claims = forth.into_iter().map(|(j, i, strength)| (i, j, strength)).chain(back).collect();
        let mut claims: Vec<Claim<'a>> = Vec::new();
        for (i, j, strength) in &self.claims {
            if self.free_old[*i] && self.free_new[*j] {
                let (old, new) = (self.old[*i], self.new[*j]);
                claims.push((Reverse(*strength), old.kind != new.kind, &old.name, &new.name, *i, *j));
            }
        }
        claims.sort_unstable();
        for (_, _, _, _, i, j) in claims {
            if self.free_old[i] && self.free_new[j] {
                self.take(i, j, Match::Declared);
            }
        }
    }

    /// Pairs the packages of an application that came by one system before and by another one now.
    fn moved(&mut self, old: &[Application], new: &[Application]) {
        // Where all come by one and the same system nothing can have moved.
        let mut systems = self.old.iter().chain(self.new).map(|package| package.system);
        let first = systems.next();
        if systems.all(|system| Some(system) == first) {
            return;
        }
        let positions = |packages: &[&'a Package], flags: &[bool]| -> FxHashMap<(System, &'a str), usize> {
            free(flags).map(|i| ((packages[i].system, packages[i].name.as_str()), i)).collect()
        };
        let (old_at, new_at) = (positions(self.old, &self.free_old), positions(self.new, &self.free_new));
        let by_id: FxHashMap<&str, &Application> = new.iter().map(|a| (a.id.as_str(), a)).collect();
        for before in old {
            let Some(after) = by_id.get(before.id.as_str()) else { continue };
            for delivery in &before.delivered {
                let Some(i) = old_at.get(&(delivery.system, delivery.package.as_str())) else { continue };
                let target = after
                    .delivered
                    .iter()
                    .filter(|other| other.system != delivery.system)
                    .find_map(|other| new_at.get(&(other.system, other.package.as_str())));
                if let Some(j) = target.filter(|j| self.free_old[*i] && self.free_new[**j]) {
                    self.take(*i, *j, Match::MovedFormat);
                }
            }
        }
    }

    /// What is free and declared to take over from, or to be taken over by, one that has a partner.
    fn split_and_merged(&mut self) -> (Vec<Pair>, Vec<Pair>) {
        let (mut split, mut merged) = (Vec::new(), Vec::new());
        for (i, j, strength) in &self.claims {
            // Whoever provides a name besides replacing it may come from elsewhere.
            if *strength < 4 && source_stem(self.old[*i].source()) != source_stem(self.new[*j].source()) {
                continue;
            }
            match (self.free_old[*i], self.free_new[*j]) {
                (false, true) => split.push((*j, Reverse(*strength), *i)),
                (true, false) => merged.push((*i, Reverse(*strength), *j)),
                _ => {}
            }
        }
        // Of several that are claimed the one that is claimed most strongly, then the first.
        let strongest = |mut claims: Vec<(usize, Reverse<u8>, usize)>| {
            claims.sort_unstable();
            claims.dedup_by_key(|(part, ..)| *part);
            claims.into_iter().map(|(part, _, whole)| (part, whole))
        };
        let how = Match::Declared;
        let split: Vec<Pair> = strongest(split).map(|(new, old)| Pair { old, new, how }).collect();
        let merged: Vec<Pair> = strongest(merged).map(|(old, new)| Pair { old, new, how }).collect();
        split.iter().for_each(|pair| self.free_new[pair.new] = false);
        merged.iter().for_each(|pair| self.free_old[pair.old] = false);
        (split, merged)
    }

    fn finish(mut self) -> Alignment {
        let (split, merged) = self.split_and_merged();
        self.pairs.sort_unstable();
        Alignment {
            split,
            merged,
            pairs: self.pairs,
            removed: free(&self.free_old).collect(),
            added: free(&self.free_new).collect(),
        }
    }
}

/// Order of the lists of a tally.
fn by_key(a: &Package, b: &Package) -> Ordering {
    (a.system, a.name.as_str(), a.arch.as_str()).cmp(&(b.system, b.name.as_str(), b.arch.as_str()))
}

/// How many packages from the first on have its key.
fn run(order: &[usize], packages: &[&Package]) -> usize {
    let first = packages[order[0]];
    order.iter().take_while(|at| by_key(packages[**at], first).is_eq()).count()
}

fn free(flags: &[bool]) -> impl Iterator<Item = usize> + '_ {
    flags.iter().enumerate().filter(|(_, free)| **free).map(|(i, _)| i)
}

/// Puts positions in the order of versions; of equals the first by name.
fn in_order(positions: &mut [usize], packages: &[&Package]) {
    if positions.len() > 1 {
        positions.sort_by(|a, b| {
            let (x, y) = (packages[*a], packages[*b]);
            by_version(x, y).then_with(|| (&x.name, a).cmp(&(&y.name, b)))
        });
    }
}

fn by_version(a: &Package, b: &Package) -> Ordering {
    let system: System = a.system;
    systems::order(system, &a.version, &b.version).then_with(|| a.arch.cmp(&b.arch))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Dependency;
    use proptest::prelude::*;

    fn package(name: &str, version: &str, arch: &str) -> Package {
        let mut package = Package::new(System::Dpkg, name, version);
        package.arch = arch.into();
        package
    }

    fn names(alignment: &Alignment) -> (Vec<(usize, usize)>, usize, usize) {
        let pairs = alignment.pairs.iter().map(|p| (p.old, p.new)).collect();
        (pairs, alignment.removed.len(), alignment.added.len())
    }

    fn aligned<'a>(old: &'a [&'a Package], new: &'a [&'a Package]) -> Alignment {
        align(&Sides { old, new, ..Sides::default() })
    }

    fn source(source: &str, name: &str) -> Package {
        let mut package = package(name, "1", "amd64");
        package.source = Some(source.into());
        package
    }

    fn declares(mut package: Package, replaces: &[&str], provides: &[&str]) -> Package {
        let all = |names: &[&str]| -> Vec<Dependency> {
            names.iter().map(|name| Dependency { name: (*name).into(), op: None, version: None }).collect()
        };
        (package.replaces, package.provides) = (all(replaces), all(provides));
        package
    }

    fn said(alignment: &Alignment) -> Vec<(usize, usize, Match)> {
        alignment.pairs.iter().map(|p| (p.old, p.new, p.how)).collect()
    }

    #[test]
    fn series_numbers_do_not_make_another_package() {
        let old = [
            source("weir", "libweir2"),
            source("linux-6.8", "linux-image-6.8.0-31-generic"),
            source("x", "libx1"),
        ];
        let new = [
            source("weir", "libweir3t64"),
            source("linux-6.11", "linux-image-6.11.0-8-generic"),
            source("y", "libx2"),
        ];
        let alignment = aligned(&old.iter().collect::<Vec<_>>(), &new.iter().collect::<Vec<_>>());
        assert_eq!(said(&alignment), [(0, 0, Match::Renumbered), (1, 1, Match::Renumbered)]);
        assert_eq!(
            (&alignment.removed[..], &alignment.added[..]),
            (&[2][..], &[2][..]),
            "another source is another project"
        );
    }

    #[test]
    fn the_strongest_claim_takes_the_place_and_the_rest_is_split_or_merged() {
        let old = [source("brook", "brook"), source("brook", "brook-extra")];
        let new = [
            declares(source("brook", "brook-libs"), &["brook"], &[]),
            declares(source("brook", "brook-ng"), &["brook", "brook-extra"], &["brook"]),
        ];
        let alignment = aligned(&old.iter().collect::<Vec<_>>(), &new.iter().collect::<Vec<_>>());
        assert_eq!(said(&alignment), [(0, 1, Match::Declared)]);
        let pairs = |list: &[Pair]| list.iter().map(|p| (p.old, p.new)).collect::<Vec<_>>();
        assert_eq!((pairs(&alignment.split), pairs(&alignment.merged)), (vec![(0, 0)], vec![(1, 1)]));
        assert!(alignment.removed.is_empty() && alignment.added.is_empty());
    }

    #[test]
    fn families_meet_by_the_shape_of_names() {
        let old = [package("libreed-dev", "1", "amd64"), package("python3-marsh", "1", "all")];
        let new = ["reed-devel", "python-marsh"].map(|name| Package::new(System::Rpm, name, "1"));
        let alignment = aligned(&old.iter().collect::<Vec<_>>(), &new.iter().collect::<Vec<_>>());
        assert_eq!(said(&alignment), [(0, 0, Match::Family), (1, 1, Match::Family)]);
    }

    #[test]
    fn several_versions_of_one_name_keep_their_own() {
        let old = [package("k", "1", "a"), package("k", "2", "a")];
        let new = [package("k", "2", "a"), package("k", "3", "a")];
        let alignment = aligned(&old.iter().collect::<Vec<_>>(), &new.iter().collect::<Vec<_>>());
        assert_eq!(names(&alignment), (vec![(0, 1), (1, 0)], 0, 0));
    }

    #[test]
    fn another_architecture_is_the_same_package() {
        let (old, new) = (package("x", "1", "amd64"), package("x", "1", "all"));
        let alignment = aligned(&[&old], &[&new]);
        assert_eq!(names(&alignment), (vec![(0, 0)], 0, 0));
    }

    type Drawn = (String, String, &'static str, Vec<String>, Vec<String>);

    pub(crate) fn some_packages() -> impl Strategy<Value = Vec<Package>> {
        let one = (
            "[a-c]{1,2}[12]?",
            "[0-9](\\.[0-9])?(-[12])?",
            prop::sample::select(vec!["amd64", "i386", "all"]),
            prop::collection::vec("[a-c]{1,2}", 0..2),
            prop::collection::vec("[a-c]{1,2}", 0..2),
        );
        let names = |list: &[String]| -> Vec<Dependency> {
            list.iter().map(|n| Dependency { name: n.as_str().into(), op: None, version: None }).collect()
        };
        let make = move |(name, version, arch, replaces, provides): Drawn| {
            let mut package = package(&name, &version, arch);
            package.source = Some(name[..1].into());
            (package.replaces, package.provides) = (names(&replaces), names(&provides));
            package
        };
        prop::collection::vec(one.prop_map(make), 0..12)
    }

    proptest! {
        #[test]
        fn nothing_is_lost(old in some_packages(), new in some_packages()) {
            let (old, new): (Vec<_>, Vec<_>) = (old.iter().collect(), new.iter().collect());
            let alignment = aligned(&old, &new);
            let mut seen_old: Vec<usize> = alignment.pairs.iter().chain(&alignment.merged).map(|p| p.old).chain(alignment.removed.clone()).collect();
            let mut seen_new: Vec<usize> = alignment.pairs.iter().chain(&alignment.split).map(|p| p.new).chain(alignment.added.clone()).collect();
            seen_old.sort_unstable();
            seen_new.sort_unstable();
            prop_assert_eq!(seen_old, (0..old.len()).collect::<Vec<_>>());
            prop_assert_eq!(seen_new, (0..new.len()).collect::<Vec<_>>());
        }

        #[test]
        fn the_mirror_image_is_mirrored(old in some_packages(), new in some_packages()) {
            let (old, new): (Vec<_>, Vec<_>) = (old.iter().collect(), new.iter().collect());
            let forth = aligned(&old, &new);
            let back = aligned(&new, &old);
            let said = |pairs: &[Pair]| -> Vec<String> {
                let mut said: Vec<String> = pairs.iter().map(|p| {
                    format!("{} {} {}|{} {}", old[p.old].name, old[p.old].version, old[p.old].arch,
                        new[p.new].version, new[p.new].arch)
                }).collect();
                said.sort();
                said
            };
            let mirrored: Vec<Pair> = back.pairs.iter().map(|p| Pair { old: p.new, new: p.old, how: p.how }).collect();
            prop_assert_eq!(said(&forth.pairs), said(&mirrored));
            prop_assert_eq!(forth.removed.len(), back.added.len());
        }
    }
}
