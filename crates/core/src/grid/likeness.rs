//! How alike installs are: what both of a pair have, as a share of what either has (Jaccard's measure).

use super::same::Same;
use crate::model::Tally;
use crate::vocabulary;
use rustc_hash::FxHashMap;

vocabulary! {
    /// By what likeness is measured.
    pub enum Likeness {
        /// Applications, each counted once.
        Applications = "applications",
        /// Packages, each counted once.
        Packages = "packages",
        /// Packages, each counted with its bytes on disk.
        Weight = "weight",
    }
}

/// Likeness of every pair, from 0 to 1; two installs that both have nothing are alike.
pub(super) fn likeness(tallies: &[&Tally], by: Likeness, same: &Same<'_>) -> Vec<Vec<f64>> {
    // Names become numbers once, so that pairs are compared by walking two sorted lists.
    let mut numbers: FxHashMap<String, u32> = FxHashMap::default();
    let lists: Vec<Vec<(u32, u64)>> = tallies
        .iter()
        .enumerate()
        .map(|(at, tally)| {
            let mut list: Vec<(u32, u64)> = things((at, tally), by, same)
                .map(|(name, weight)| {
                    let next = u32::try_from(numbers.len()).unwrap_or(u32::MAX);
                    (*numbers.entry(name).or_insert(next), weight)
                })
                .collect();
            list.sort_unstable();
            list.dedup_by_key(|(number, _)| *number);
            list
        })
        .collect();
    lists.iter().map(|a| lists.iter().map(|b| share(a, b)).collect()).collect()
}

fn things<'t>(
    (at, tally): (usize, &'t Tally),
    by: Likeness,
    same: &'t Same<'_>,
) -> Box<dyn Iterator<Item = (String, u64)> + 't> {
    match by {
        Likeness::Applications => {
            Box::new(tally.applications.iter().map(move |a| (same.id(at, &a.id).to_string(), 1)))
        }
        Likeness::Packages => Box::new(tally.present().map(|p| (p.reference().to_string(), 1))),
        Likeness::Weight => {
            Box::new(tally.present().map(|p| (p.reference().to_string(), p.installed_bytes.unwrap_or(0))))
        }
    }
}

/// What both have weighs the lesser of its two weights, what either has the greater.
#[allow(clippy::cast_precision_loss, reason = "a share needs no more digits")]
fn share(a: &[(u32, u64)], b: &[(u32, u64)]) -> f64 {
    let (mut both, mut either) = (0_u64, 0_u64);
    let (mut i, mut j) = (0, 0);
    loop {
        let (lesser, greater) = match (a.get(i), b.get(j)) {
            (None, None) => break,
            (Some(x), Some(y)) if x.0 == y.0 => {
                (i, j) = (i + 1, j + 1);
                (x.1.min(y.1), x.1.max(y.1))
            }
            (Some(x), Some(y)) if x.0 < y.0 => {
                i += 1;
                (0, x.1)
            }
            (Some(x), None) => {
                i += 1;
                (0, x.1)
            }
            (_, Some(y)) => {
                j += 1;
                (0, y.1)
            }
        };
        both = both.saturating_add(lesser);
        either = either.saturating_add(greater);
    }
    if either == 0 { 1.0 } else { both as f64 / either as f64 }
}

/// An order that puts likes side by side: from the two most alike outwards, each next one at the end that it is liker to.
pub fn side_by_side(alike: &[Vec<f64>]) -> Vec<usize> {
    let count = alike.len();
    let pairs = (0..count).flat_map(|i| (i + 1..count).map(move |j| (i, j)));
    let Some((a, b)) =
        pairs.reduce(|best, next| if alike[next.0][next.1] > alike[best.0][best.1] { next } else { best })
    else {
        return (0..count).collect();
    };
    let mut order = std::collections::VecDeque::from([a, b]);
    let mut left: Vec<usize> = (0..count).filter(|i| *i != a && *i != b).collect();
    while !left.is_empty() {
        let (Some(&first), Some(&last)) = (order.front(), order.back()) else { break };
        let ends = left
            .iter()
            .enumerate()
            .flat_map(|(at, i)| [(alike[*i][first], at, true), (alike[*i][last], at, false)]);
        let best = ends.reduce(|best, next| if next.0 > best.0 { next } else { best });
        let Some((_, at, front)) = best else { break };
        let i = left.remove(at);
        if front { order.push_front(i) } else { order.push_back(i) }
    }
    // Read from the end that the first install given stands nearer to.
    let at = order.iter().position(|i| *i == 0).unwrap_or(0);
    if at * 2 > count.saturating_sub(1) { order.into_iter().rev().collect() } else { order.into() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn shares_are_of_what_either_has() {
        let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
        assert!(close(share(&[(1, 1), (2, 1)], &[(2, 1), (3, 1)]), 1.0 / 3.0));
        assert!(close(share(&[(1, 10)], &[(1, 30)]), 1.0 / 3.0), "the same thing at another weight");
        assert!(close(share(&[], &[]), 1.0));
        assert!(close(share(&[(1, 1)], &[]), 0.0));
    }

    #[test]
    fn likes_stand_together() {
        let alike = vec![
            vec![1.0, 0.1, 0.9, 0.2],
            vec![0.1, 1.0, 0.2, 0.8],
            vec![0.9, 0.2, 1.0, 0.3],
            vec![0.2, 0.8, 0.3, 1.0],
        ];
        assert_eq!(side_by_side(&alike), [0, 2, 3, 1]);
    }

    proptest! {
        #[test]
        fn every_install_stands_once(values in proptest::collection::vec(0.0_f64..1.0, 49)) {
            let alike: Vec<Vec<f64>> = values.chunks(7).map(<[f64]>::to_vec).collect();
            let mut order = side_by_side(&alike);
            order.sort_unstable();
            prop_assert_eq!(order, (0..7).collect::<Vec<_>>());
        }
    }
}
