//! Maximum flow: the current that no device will interrupt.
//!
//! Capacities are device ratings and port limits. With the conductor under question deleted, the
//! maximum flow from all sources to one of its ends is the greatest current that can stand at that end
//! without any device being asked to carry more than its rating; whatever is above can only be cleared
//! by a device that the minimum cut names (max-flow min-cut theorem). It is an upper bound on what
//! Kirchhoff's laws allow, so no hazard is missed by it.

/// Stands for a current without limit, A. Far above any rating, far below the loss of precision.
pub const INFINITE: f64 = 1e9;

/// A directed arc in the residual graph; arc `i ^ 1` is its reverse.
#[derive(Debug, Clone)]
struct Arc {
    to: usize,
    capacity: f64,
    left: f64,
}

/// An undirected graph with capacities, re-usable for many questions.
#[derive(Debug, Clone)]
pub struct FlowGraph {
    arcs: Vec<Arc>,
    out: Vec<Vec<u32>>,
    source: usize,
}

/// An answer.
#[derive(Debug, Clone, PartialEq)]
pub struct Flow {
    /// The flow; [`INFINITE`] or more when nothing limits it.
    pub amps: f64,
    /// Edges of the minimum cut, by the handle [`FlowGraph::edge`] gave; empty when nothing limits it.
    pub cut: Vec<usize>,
}

impl Flow {
    /// Whether no device and no port limit stands in the way.
    pub fn unlimited(&self) -> bool {
        self.amps >= INFINITE * 0.5
    }
}

impl FlowGraph {
    /// A graph of `n` nodes and one super-source that feeds all sources.
    pub fn new(n: usize) -> FlowGraph {
        FlowGraph { arcs: Vec::new(), out: vec![Vec::new(); n + 1], source: n }
    }

    fn arc(&mut self, from: usize, to: usize, forward: f64, backward: f64) -> usize {
        let handle = self.arcs.len();
        self.arcs.push(Arc { to, capacity: forward, left: forward });
        self.arcs.push(Arc { to: from, capacity: backward, left: backward });
        self.out[from].push(handle as u32);
        self.out[to].push(handle as u32 + 1);
        handle / 2
    }

    /// Joins two nodes with a capacity in both directions and gives a handle.
    pub fn edge(&mut self, a: usize, b: usize, capacity: f64) -> usize {
        self.arc(a, b, capacity.min(INFINITE), capacity.min(INFINITE))
    }

    /// Joins two nodes with a capacity from `a` to `b` only.
    pub fn one_way(&mut self, a: usize, b: usize, capacity: f64) -> usize {
        self.arc(a, b, capacity.min(INFINITE), 0.0)
    }

    /// Feeds a node from the super-source with a limit.
    pub fn feed(&mut self, node: usize, limit: f64) -> usize {
        self.one_way(self.source, node, limit)
    }

    /// The greatest flow from all fed nodes to `sink` with some edges deleted.
    ///
    /// Dinic's algorithm: O(V² E) in general; the networks here are nearly trees and need two or three
    /// phases. Augmentation stops once the flow counts as infinite.
    ///
    /// ```
    /// use murvet_core::network::FlowGraph;
    /// // battery - fuse 30 A - node 1 - fuse 20 A - node 2, and a charger limited to 15 A on node 2.
    /// let mut g = FlowGraph::new(3);
    /// g.feed(0, f64::INFINITY);
    /// g.edge(0, 1, 30.0);
    /// g.edge(1, 2, 20.0);
    /// g.feed(2, 15.0);
    /// assert_eq!(g.max_flow(2, &[]).amps, 35.0);
    /// assert_eq!(g.max_flow(1, &[]).amps, 45.0);
    /// assert!(g.max_flow(0, &[]).unlimited());
    /// ```
    pub fn max_flow(&mut self, sink: usize, deleted: &[usize]) -> Flow {
        for arc in &mut self.arcs {
            arc.left = arc.capacity;
        }
        for &handle in deleted {
            self.arcs[2 * handle].left = 0.0;
            self.arcs[2 * handle + 1].left = 0.0;
        }
        let mut amps = 0.0;
        loop {
            let level = self.levels();
            if level[sink] == u32::MAX {
                let cut = (0..self.arcs.len() / 2)
                    .filter(|&h| {
                        let (a, b) = (level[self.arcs[2 * h + 1].to], level[self.arcs[2 * h].to]);
                        !deleted.contains(&h) && (a == u32::MAX) != (b == u32::MAX)
                            // The arc that leaves the source's side must be full, not merely closed.
                            && self.arcs[if b == u32::MAX { 2 * h } else { 2 * h + 1 }].capacity > 0.0
                    })
                    .collect();
                return Flow { amps, cut };
            }
            let mut next = vec![0usize; self.out.len()];
            loop {
                let pushed = self.push(self.source, sink, INFINITE, &level, &mut next);
                if pushed <= 0.0 {
                    break;
                }
                amps += pushed;
                if amps >= INFINITE {
                    return Flow { amps: INFINITE, cut: Vec::new() };
                }
            }
        }
    }

    /// Whether the flow to `sink` certainly stays within a limit, seen from the arcs around it alone.
    ///
    /// What arrives at a node is no more than the sum over its arcs of each arc's capacity, or of what arrives at
    /// the arc's other end by the rest of its arcs, whichever is less. That holds in any graph, so `true` is certain;
    /// `false` says nothing. Looks a few arcs far and stops as soon as the limit is passed: nearly constant time.
    pub fn within(&self, sink: usize, deleted: &[usize], limit: f64) -> bool {
        self.arriving(sink, deleted, usize::MAX, limit, 8) <= limit
    }

    fn arriving(&self, node: usize, deleted: &[usize], from: usize, limit: f64, depth: u8) -> f64 {
        let mut sum = 0.0;
        for &out in &self.out[node] {
            let out = out as usize;
            // The arc of the pair that leads here.
            let arc = &self.arcs[out ^ 1];
            if out / 2 == from || arc.capacity <= 0.0 || deleted.contains(&(out / 2)) {
                continue;
            }
            let tail = self.arcs[out].to;
            let far = if arc.capacity <= limit || tail == self.source || depth == 0 {
                arc.capacity
            } else {
                self.arriving(tail, deleted, out / 2, limit, depth - 1).min(arc.capacity)
            };
            sum += far;
            if sum > limit {
                return f64::INFINITY;
            }
        }
        sum
    }

    fn levels(&self) -> Vec<u32> {
        let mut level = vec![u32::MAX; self.out.len()];
        level[self.source] = 0;
        let mut queue = std::collections::VecDeque::from([self.source]);
        while let Some(node) = queue.pop_front() {
            for &arc in &self.out[node] {
                let arc = &self.arcs[arc as usize];
                if arc.left > 1e-9 && level[arc.to] == u32::MAX {
                    level[arc.to] = level[node] + 1;
                    queue.push_back(arc.to);
                }
            }
        }
        level
    }

    /// One augmenting path, found depth first along the levels with an explicit stack, so that a long
    /// chain cannot exhaust the thread's stack.
    fn push(&mut self, from: usize, sink: usize, most: f64, level: &[u32], next: &mut [usize]) -> f64 {
        let mut path: Vec<usize> = Vec::new();
        let mut node = from;
        loop {
            if node == sink {
                let amount = path.iter().map(|&a| self.arcs[a].left).fold(most, f64::min);
                for &arc in &path {
                    self.arcs[arc].left -= amount;
                    self.arcs[arc ^ 1].left += amount;
                }
                return amount;
            }
            let step = self.out[node][next[node]..].iter().position(|&arc| {
                let arc = &self.arcs[arc as usize];
                arc.left > 1e-9 && level[arc.to] == level[node].wrapping_add(1)
            });
            match step {
                Some(skip) => {
                    next[node] += skip;
                    let arc = self.out[node][next[node]] as usize;
                    path.push(arc);
                    node = self.arcs[arc].to;
                }
                None => {
                    next[node] = self.out[node].len();
                    let Some(arc) = path.pop() else { return 0.0 };
                    node = self.arcs[arc ^ 1].to;
                    next[node] += 1;
                }
            }
        }
    }
}
