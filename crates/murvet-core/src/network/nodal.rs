//! The nodal solver: voltages from conductances and injected currents.

use nalgebra::DMatrix;
use nalgebra_sparse::factorization::CscCholesky;
use nalgebra_sparse::{CooMatrix, CscMatrix};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};

/// A resistor between two nodes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Resistor {
    /// One node.
    pub a: usize,
    /// Other node.
    pub b: usize,
    /// Resistance, ohm; must be above zero (contract joints before).
    pub ohm: f64,
}

/// Node voltages.
#[derive(Debug, Clone, PartialEq)]
pub struct Solution {
    /// Volts of each node against the reference.
    pub volts: Vec<f64>,
}

/// Why a network has no solution.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum NodalError {
    /// Some node has no path to a fixed voltage.
    #[error("a part of the network has no path to a source")]
    Floating,
    /// A resistance is zero, negative or not a number.
    #[error("a resistance is not above zero")]
    BadResistance,
}

/// A network whose conductance matrix has been factored once, to be asked for many load cases.
#[derive(Debug, Clone)]
pub struct Factor {
    volts: Vec<f64>,
    free: Vec<usize>,
    place: Vec<usize>,
    injected: Vec<f64>,
    cholesky: Option<CscCholesky<f64>>,
}

/// An order of elimination in which a node with fewest neighbours left always comes next. Wiring is nearly a tree:
/// leaves go first and leave no fill behind, so the factor of a tree has no more entries than its matrix.
/// O(n log n) on a tree.
fn order(free: &[usize], place: &[usize], resistors: &[Resistor]) -> Vec<usize> {
    let mut near: Vec<std::collections::BTreeSet<usize>> = vec![Default::default(); free.len()];
    for r in resistors {
        let (a, b) = (place[r.a], place[r.b]);
        if a != b && a != usize::MAX && b != usize::MAX {
            near[a].insert(b);
            near[b].insert(a);
        }
    }
    let mut heap: BinaryHeap<Reverse<(usize, usize)>> =
        near.iter().enumerate().map(|(n, s)| Reverse((s.len(), n))).collect();
    let mut done = vec![false; free.len()];
    let mut order = Vec::with_capacity(free.len());
    while let Some(Reverse((degree, node))) = heap.pop() {
        if done[node] || degree != near[node].len() {
            continue;
        }
        done[node] = true;
        order.push(node);
        let around: Vec<usize> = std::mem::take(&mut near[node]).into_iter().collect();
        for &a in &around {
            near[a].remove(&node);
            // Eliminating a node joins its neighbours to each other.
            near[a].extend(around.iter().copied().filter(|&b| b != a));
            heap.push(Reverse((near[a].len(), a)));
        }
    }
    order
}

impl Factor {
    /// Sets up G v = i for the nodes whose voltage is not fixed.
    ///
    /// `fixed` are nodes with a known voltage (at least one). The conductance matrix of the free nodes
    /// is symmetric and, when every one of them has a path to a fixed node, positive definite, so a
    /// Cholesky factor exists and is unique, in whatever order the nodes are eliminated. Complexity: about
    /// linear in the free nodes for wiring, which is nearly a tree; O(n³) if every node met every other.
    ///
    /// # Errors
    /// A bad resistance, or a part without a path to a fixed node.
    pub fn new(nodes: usize, resistors: &[Resistor], fixed: &[(usize, f64)]) -> Result<Factor, NodalError> {
        if resistors.iter().any(|r| !(r.ohm > 0.0 && r.ohm.is_finite())) {
            return Err(NodalError::BadResistance);
        }
        let mut volts = vec![f64::NAN; nodes];
        for &(node, v) in fixed {
            volts[node] = v;
        }
        let mut free: Vec<usize> = (0..nodes).filter(|&n| volts[n].is_nan()).collect();
        let mut place = vec![usize::MAX; nodes];
        let number = |free: &[usize], place: &mut Vec<usize>| {
            for (i, &n) in free.iter().enumerate() {
                place[n] = i;
            }
        };
        number(&free, &mut place);
        free = order(&free, &place, resistors).into_iter().map(|i| free[i]).collect();
        number(&free, &mut place);
        let mut g: BTreeMap<(usize, usize), f64> = (0..free.len()).map(|i| ((i, i), 0.0)).collect();
        let mut injected = vec![0.0; free.len()];
        for r in resistors {
            let siemens = 1.0 / r.ohm;
            for (here, there) in [(r.a, r.b), (r.b, r.a)] {
                if place[here] == usize::MAX {
                    continue;
                }
                *g.entry((place[here], place[here])).or_default() += siemens;
                if place[there] == usize::MAX {
                    injected[place[here]] += siemens * volts[there];
                } else {
                    *g.entry((place[here], place[there])).or_default() -= siemens;
                }
            }
        }
        let cholesky = if free.is_empty() {
            None
        } else {
            let mut coo = CooMatrix::new(free.len(), free.len());
            for ((row, column), siemens) in g {
                coo.push(row, column, siemens);
            }
            Some(CscCholesky::factor(&CscMatrix::from(&coo)).map_err(|_| NodalError::Floating)?)
        };
        Ok(Factor { volts, free, place, injected, cholesky })
    }

    /// Node voltages with constant currents taken out of nodes (negative to inject). Linear in the entries of the
    /// factor.
    ///
    /// # Errors
    /// When a part floats so nearly that the numbers are not finite.
    pub fn solve(&self, draws: &[(usize, f64)]) -> Result<Solution, NodalError> {
        let mut volts = self.volts.clone();
        let Some(cholesky) = &self.cholesky else { return Ok(Solution { volts }) };
        let mut v = DMatrix::from_column_slice(self.injected.len(), 1, &self.injected);
        for &(node, amps) in draws {
            if self.place[node] != usize::MAX {
                v[(self.place[node], 0)] -= amps;
            }
        }
        cholesky.solve_mut(&mut v);
        for (k, &n) in self.free.iter().enumerate() {
            if !v[(k, 0)].is_finite() {
                return Err(NodalError::Floating);
            }
            volts[n] = v[(k, 0)];
        }
        Ok(Solution { volts })
    }
}

/// Sets up and solves in one step; see [`Factor`].
///
/// # Errors
/// A bad resistance, or a floating part.
///
/// ```
/// use murvet_core::network::{Resistor, solve};
/// // 12 V, 0.1 ohm out and 0.1 ohm back, 10 A.
/// let r = [Resistor { a: 0, b: 1, ohm: 0.1 }, Resistor { a: 2, b: 3, ohm: 0.1 }];
/// let s = solve(4, &r, &[(0, 12.0), (3, 0.0)], &[(1, 10.0), (2, -10.0)]).unwrap();
/// assert!((s.volts[1] - s.volts[2] - 10.0).abs() < 1e-9);
/// ```
pub fn solve(
    nodes: usize,
    resistors: &[Resistor],
    fixed: &[(usize, f64)],
    draws: &[(usize, f64)],
) -> Result<Solution, NodalError> {
    Factor::new(nodes, resistors, fixed)?.solve(draws)
}
