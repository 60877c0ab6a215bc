//! The nodal solver: voltages from conductances and injected currents.

use nalgebra::{DMatrix, DVector};

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
    injected: DVector<f64>,
    cholesky: Option<nalgebra::Cholesky<f64, nalgebra::Dyn>>,
}

impl Factor {
    /// Sets up G v = i for the nodes whose voltage is not fixed.
    ///
    /// `fixed` are nodes with a known voltage (at least one). The conductance matrix of the free nodes
    /// is symmetric and, when every one of them has a path to a fixed node, positive definite, so a
    /// Cholesky factor exists and is unique. Complexity O(n³) for n free nodes, once.
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
        let free: Vec<usize> = (0..nodes).filter(|&n| volts[n].is_nan()).collect();
        let mut place = vec![usize::MAX; nodes];
        for (i, &n) in free.iter().enumerate() {
            place[n] = i;
        }
        let mut g = DMatrix::<f64>::zeros(free.len(), free.len());
        let mut injected = DVector::<f64>::zeros(free.len());
        for r in resistors {
            let siemens = 1.0 / r.ohm;
            for (here, there) in [(r.a, r.b), (r.b, r.a)] {
                if place[here] == usize::MAX {
                    continue;
                }
                g[(place[here], place[here])] += siemens;
                if place[there] == usize::MAX {
                    injected[place[here]] += siemens * volts[there];
                } else {
                    g[(place[here], place[there])] -= siemens;
                }
            }
        }
        let cholesky = if free.is_empty() { None } else { Some(g.cholesky().ok_or(NodalError::Floating)?) };
        Ok(Factor { volts, free, place, injected, cholesky })
    }

    /// Node voltages with constant currents taken out of nodes (negative to inject). O(n²).
    ///
    /// # Errors
    /// When a part floats so nearly that the numbers are not finite.
    pub fn solve(&self, draws: &[(usize, f64)]) -> Result<Solution, NodalError> {
        let mut volts = self.volts.clone();
        let Some(cholesky) = &self.cholesky else { return Ok(Solution { volts }) };
        let mut i = self.injected.clone();
        for &(node, amps) in draws {
            if self.place[node] != usize::MAX {
                i[self.place[node]] -= amps;
            }
        }
        let v = cholesky.solve(&i);
        for (k, &n) in self.free.iter().enumerate() {
            if !v[k].is_finite() {
                return Err(NodalError::Floating);
            }
            volts[n] = v[k];
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
