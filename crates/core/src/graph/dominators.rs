//! Dominators: through which node every way leads.

/// For each node of a graph with several starts, the one that every way to it leads through last.
///
/// The starts are below a root that is no node. Computed by the iterative method of Cooper, Harvey and Kennedy over
/// a reverse postorder; work grows with edges times the depth of the tree, which is small in practice.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dominators {
    above: Vec<Above>,
    /// Every node that is reached, each after the one above it.
    downwards: Vec<usize>,
}

/// What is directly above a node in the tree of dominators.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Above {
    /// Nothing leads there from any start.
    Unreached,
    /// No single node: it is a start, or several ways lead there.
    Root,
    /// That node.
    Node(usize),
}

impl Dominators {
    /// The tree of a graph given by the targets of each node.
    pub fn new(targets: &[Vec<usize>], starts: &[usize]) -> Self {
        let count = targets.len();
        let order = postorder(targets, starts);
        // Places in the order, the root's the highest of all.
        let root = order.len();
        let mut place = vec![usize::MAX; count];
        for (at, node) in order.iter().enumerate() {
            place[*node] = at;
        }
        let mut sources: Vec<Vec<usize>> = vec![Vec::new(); count];
        for node in &order {
            targets[*node].iter().for_each(|target| sources[*target].push(*node));
        }
        let mut is_start = vec![false; count];
        starts.iter().for_each(|start| is_start[*start] = true);
        let mut above = vec![usize::MAX; order.len() + 1];
        above[root] = root;
        let mut changed = true;
        while changed {
            changed = false;
            for at in (0..order.len()).rev() {
                let node = order[at];
                let mut new = if is_start[node] { root } else { usize::MAX };
                for source in sources[node].iter().map(|source| place[*source]) {
                    if source != usize::MAX && above[source] != usize::MAX {
                        new = if new == usize::MAX { source } else { meet(&above, new, source) };
                    }
                }
                if new != usize::MAX && above[at] != new {
                    above[at] = new;
                    changed = true;
                }
            }
        }
        let of = |node: usize| match place[node] {
            usize::MAX => Above::Unreached,
            at if above[at] == root => Above::Root,
            at => Above::Node(order[above[at]]),
        };
        let above = (0..count).map(of).collect();
        Self { above, downwards: order.iter().rev().copied().collect() }
    }

    /// What is directly above a node.
    pub fn above(&self, node: usize) -> Above {
        self.above[node]
    }

    /// For each node the highest one above it, itself where nothing but the root is; `None` where nothing leads.
    pub fn highest(&self) -> Vec<Option<usize>> {
        self.downwards(|node, above, of_above| if above.is_none() { Some(node) } else { of_above })
    }

    /// For each node the nearest of some nodes above it; `None` where there is none.
    pub fn nearest(&self, is: &[bool]) -> Vec<Option<usize>> {
        self.downwards(|_, above, of_above| above.filter(|above| is[*above]).or(of_above))
    }

    /// An answer for each node, made from the node above and its answer: once for each, however deep the tree is.
    fn downwards(
        &self,
        answer: impl Fn(usize, Option<usize>, Option<usize>) -> Option<usize>,
    ) -> Vec<Option<usize>> {
        let mut answers = vec![None; self.above.len()];
        for node in &self.downwards {
            answers[*node] = match self.above[*node] {
                Above::Unreached => None,
                Above::Root => answer(*node, None, None),
                Above::Node(above) => answer(*node, Some(above), answers[above]),
            };
        }
        answers
    }
}

fn meet(above: &[usize], mut a: usize, mut b: usize) -> usize {
    while a != b {
        while a < b {
            a = above[a];
        }
        while b < a {
            b = above[b];
        }
    }
    a
}

/// Nodes that are reached, each after everything first reached through it.
fn postorder(targets: &[Vec<usize>], starts: &[usize]) -> Vec<usize> {
    let mut seen = vec![false; targets.len()];
    let mut order = Vec::new();
    for start in starts {
        if std::mem::replace(&mut seen[*start], true) {
            continue;
        }
        let mut path = vec![(*start, 0)];
        while let Some((node, next)) = path.last_mut() {
            match targets[*node].get(*next) {
                Some(target) => {
                    *next += 1;
                    if !std::mem::replace(&mut seen[*target], true) {
                        path.push((*target, 0));
                    }
                }
                None => {
                    order.push(*node);
                    path.pop();
                }
            }
        }
    }
    order
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Whether a node is reached when another one is taken out.
    fn reached(targets: &[Vec<usize>], starts: &[usize], without: Option<usize>) -> Vec<bool> {
        let mut seen = vec![false; targets.len()];
        let mut queue: Vec<usize> = starts.iter().copied().filter(|start| Some(*start) != without).collect();
        queue.iter().for_each(|at| seen[*at] = true);
        while let Some(at) = queue.pop() {
            for target in &targets[at] {
                if Some(*target) != without && !std::mem::replace(&mut seen[*target], true) {
                    queue.push(*target);
                }
            }
        }
        seen
    }

    proptest! {
        #[test]
        fn a_node_dominates_what_is_lost_without_it(
            edges in prop::collection::vec((0_usize..9, 0_usize..9), 0..24), starts in prop::collection::vec(0_usize..9, 1..4)
        ) {
            let mut targets = vec![Vec::new(); 9];
            edges.iter().for_each(|(a, b)| targets[*a].push(*b));
            let tree = Dominators::new(&targets, &starts);
            let all = reached(&targets, &starts, None);
            for (node, reached_at_all) in all.iter().copied().enumerate() {
                prop_assert_eq!(reached_at_all, tree.above(node) != Above::Unreached);
                for other in (0..9).filter(|other| *other != node) {
                    let lost = reached_at_all && !reached(&targets, &starts, Some(other))[node];
                    let mut at = node;
                    let mut dominated = false;
                    while let Above::Node(next) = tree.above(at) {
                        dominated |= next == other;
                        at = next;
                    }
                    prop_assert_eq!(lost, dominated, "{} above {}", other, node);
                }
                let way: Vec<usize> = std::iter::successors(Some(node), |at| match tree.above(*at) {
                    Above::Node(next) => Some(next),
                    _ => None,
                }).collect();
                prop_assert_eq!(tree.highest()[node], reached_at_all.then(|| way[way.len() - 1]));
                let odd: Vec<bool> = (0..9).map(|at| at % 2 == 1).collect();
                prop_assert_eq!(tree.nearest(&odd)[node], way[1..].iter().copied().find(|at| odd[*at]));
            }
        }
    }
}
