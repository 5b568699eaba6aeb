//! Who is whom: which old package and which new one are the same, seen twice.

use crate::model::{Package, System};
use crate::version;
use rustc_hash::FxHashMap;

/// An old and a new package that are the same, by position in the lists given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Pair {
    /// Position among the old packages.
    pub old: usize,
    /// Position among the new packages.
    pub new: usize,
}

/// Every package of both sides, in exactly one of three places.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Alignment {
    /// The same package on both sides, in order of the old list.
    pub pairs: Vec<Pair>,
    /// Old packages without a partner.
    pub removed: Vec<usize>,
    /// New packages without a partner.
    pub added: Vec<usize>,
}

/// Aligns two lists of packages; each step takes only what the earlier ones left.
///
/// 1. same system, name and architecture, and the same version where a name is installed several times;
/// 2. same system, name and architecture, in the order of their versions;
/// 3. same system and name, another architecture.
pub fn align(old: &[&Package], new: &[&Package]) -> Alignment {
    let mut work = Work {
        old,
        new,
        pairs: Vec::new(),
        free_old: vec![true; old.len()],
        free_new: vec![true; new.len()],
    };
    work.pair_by(|p| (p.system, p.name.as_str(), p.arch.as_str(), p.version.as_str()));
    work.pair_by(|p| (p.system, p.name.as_str(), p.arch.as_str()));
    work.pair_by(|p| (p.system, p.name.as_str()));
    work.finish()
}

struct Work<'a> {
    old: &'a [&'a Package],
    new: &'a [&'a Package],
    pairs: Vec<Pair>,
    free_old: Vec<bool>,
    free_new: Vec<bool>,
}

impl<'a> Work<'a> {
    /// Pairs what is free on both sides and has the same key; several of one key pair in version order.
    fn pair_by<K: std::hash::Hash + Eq>(&mut self, key: impl Fn(&'a Package) -> K) {
        let mut waiting: FxHashMap<K, Vec<usize>> = FxHashMap::default();
        for i in free(&self.free_old) {
            waiting.entry(key(self.old[i])).or_default().push(i);
        }
        if waiting.is_empty() {
            return;
        }
        for list in waiting.values_mut().filter(|list| list.len() > 1) {
            // The last is taken first below, so the oldest stands last.
            list.sort_by(|a, b| by_version(self.old[*b], self.old[*a]).then(b.cmp(a)));
        }
        let mut candidates: Vec<usize> = free(&self.free_new).collect();
        candidates.sort_by(|a, b| {
            let (x, y) = (self.new[*a], self.new[*b]);
            (x.system, &x.name).cmp(&(y.system, &y.name)).then_with(|| by_version(x, y)).then(a.cmp(b))
        });
        for j in candidates {
            if let Some(i) = waiting.get_mut(&key(self.new[j])).and_then(Vec::pop) {
                self.pairs.push(Pair { old: i, new: j });
                (self.free_old[i], self.free_new[j]) = (false, false);
            }
        }
    }

    fn finish(mut self) -> Alignment {
        self.pairs.sort_unstable();
        Alignment {
            pairs: self.pairs,
            removed: free(&self.free_old).collect(),
            added: free(&self.free_new).collect(),
        }
    }
}

fn free(flags: &[bool]) -> impl Iterator<Item = usize> + '_ {
    flags.iter().enumerate().filter(|(_, free)| **free).map(|(i, _)| i)
}

fn by_version(a: &Package, b: &Package) -> std::cmp::Ordering {
    let system: System = a.system;
    version::compare(system, &a.version, &b.version).then_with(|| a.arch.cmp(&b.arch))
}

#[cfg(test)]
mod tests {
    use super::*;
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

    #[test]
    fn several_versions_of_one_name_keep_their_own() {
        let old = [package("k", "1", "a"), package("k", "2", "a")];
        let new = [package("k", "2", "a"), package("k", "3", "a")];
        let alignment = align(&old.iter().collect::<Vec<_>>(), &new.iter().collect::<Vec<_>>());
        assert_eq!(names(&alignment), (vec![(0, 1), (1, 0)], 0, 0));
    }

    #[test]
    fn another_architecture_is_the_same_package() {
        let (old, new) = (package("x", "1", "amd64"), package("x", "1", "all"));
        let alignment = align(&[&old], &[&new]);
        assert_eq!(names(&alignment), (vec![(0, 0)], 0, 0));
    }

    pub(crate) fn some_packages() -> impl Strategy<Value = Vec<Package>> {
        let one =
            ("[a-c]{1,2}", "[0-9](\\.[0-9])?(-[12])?", prop::sample::select(vec!["amd64", "i386", "all"]));
        prop::collection::vec(one.prop_map(|(n, v, a)| package(&n, &v, a)), 0..12)
    }

    proptest! {
        #[test]
        fn nothing_is_lost(old in some_packages(), new in some_packages()) {
            let (old, new): (Vec<_>, Vec<_>) = (old.iter().collect(), new.iter().collect());
            let alignment = align(&old, &new);
            let mut seen_old: Vec<usize> = alignment.pairs.iter().map(|p| p.old).chain(alignment.removed.clone()).collect();
            let mut seen_new: Vec<usize> = alignment.pairs.iter().map(|p| p.new).chain(alignment.added.clone()).collect();
            seen_old.sort_unstable();
            seen_new.sort_unstable();
            prop_assert_eq!(seen_old, (0..old.len()).collect::<Vec<_>>());
            prop_assert_eq!(seen_new, (0..new.len()).collect::<Vec<_>>());
        }

        #[test]
        fn the_mirror_image_is_mirrored(old in some_packages(), new in some_packages()) {
            let (old, new): (Vec<_>, Vec<_>) = (old.iter().collect(), new.iter().collect());
            let forth = align(&old, &new);
            let back = align(&new, &old);
            let said = |pairs: &[Pair]| -> Vec<String> {
                let mut said: Vec<String> = pairs.iter().map(|p| {
                    format!("{} {} {}|{} {}", old[p.old].name, old[p.old].version, old[p.old].arch,
                        new[p.new].version, new[p.new].arch)
                }).collect();
                said.sort();
                said
            };
            let mirrored: Vec<Pair> = back.pairs.iter().map(|p| Pair { old: p.new, new: p.old }).collect();
            prop_assert_eq!(said(&forth.pairs), said(&mirrored));
            prop_assert_eq!(forth.removed.len(), back.added.len());
        }
    }
}
