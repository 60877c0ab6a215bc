//! Disjoint sets of nodes.

/// Disjoint sets with path halving and union by size; a find costs amortised inverse Ackermann time.
///
/// ```
/// let mut sets = murvet_core::network::Union::new(3);
/// sets.join(0, 2);
/// assert!(sets.same(2, 0) && !sets.same(0, 1));
/// ```
#[derive(Debug, Clone)]
pub struct Union {
    parent: Vec<u32>,
    size: Vec<u32>,
}

impl Union {
    /// `n` sets of one node.
    pub fn new(n: usize) -> Union {
        Union { parent: (0..n as u32).collect(), size: vec![1; n] }
    }

    /// The representative of a node's set.
    pub fn find(&mut self, node: usize) -> usize {
        let mut at = node as u32;
        while self.parent[at as usize] != at {
            let up = self.parent[self.parent[at as usize] as usize];
            self.parent[at as usize] = up;
            at = up;
        }
        at as usize
    }

    /// Joins two sets.
    pub fn join(&mut self, a: usize, b: usize) {
        let (mut a, mut b) = (self.find(a), self.find(b));
        if a == b {
            return;
        }
        if self.size[a] < self.size[b] {
            std::mem::swap(&mut a, &mut b);
        }
        self.parent[b] = a as u32;
        self.size[a] += self.size[b];
    }

    /// Whether two nodes are in one set.
    pub fn same(&mut self, a: usize, b: usize) -> bool {
        self.find(a) == self.find(b)
    }

    /// The representative of every node.
    pub fn into_labels(mut self) -> Vec<u32> {
        (0..self.parent.len()).map(|n| self.find(n) as u32).collect()
    }
}
