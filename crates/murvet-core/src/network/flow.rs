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
    /// The next arc that leaves the same node, or [`NONE`].
    next: u32,
}

/// No arc, or not reached.
const NONE: u32 = u32::MAX;

/// An undirected graph with capacities, re-usable for many questions.
#[derive(Debug, Clone)]
pub struct FlowGraph {
    arcs: Vec<Arc>,
    /// The first arc that leaves each node; the others follow it in a list.
    first: Vec<u32>,
    source: usize,
    /// Steps from the source, and the arc each node tries next: kept between questions to save their making.
    level: Vec<u32>,
    trying: Vec<u32>,
    queue: Vec<usize>,
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
        let empty = || vec![NONE; n + 1];
        FlowGraph { arcs: Vec::new(), first: empty(), source: n, level: empty(), trying: empty(), queue: Vec::new() }
    }

    fn arc(&mut self, from: usize, to: usize, forward: f64, backward: f64) -> usize {
        let handle = self.arcs.len() as u32;
        let next = std::mem::replace(&mut self.first[from], handle);
        self.arcs.push(Arc { to, capacity: forward, left: forward, next });
        let next = std::mem::replace(&mut self.first[to], handle + 1);
        self.arcs.push(Arc { to: from, capacity: backward, left: backward, next });
        handle as usize / 2
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

    /// Gives an edge another capacity, in both directions.
    pub fn set_capacity(&mut self, handle: usize, capacity: f64) {
        for arc in [2 * handle, 2 * handle + 1] {
            self.arcs[arc].capacity = capacity.min(INFINITE);
        }
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
            self.levels();
            let level = &self.level;
            if level[sink] == NONE {
                let cut = (0..self.arcs.len() / 2)
                    .filter(|&h| {
                        let (a, b) = (level[self.arcs[2 * h + 1].to], level[self.arcs[2 * h].to]);
                        !deleted.contains(&h) && (a == NONE) != (b == NONE)
                            // The arc that leaves the source's side must be full, not merely closed.
                            && self.arcs[if b == NONE { 2 * h } else { 2 * h + 1 }].capacity > 0.0
                    })
                    .collect::<Vec<_>>();
                // Where one arc at the sink's side holds as much as several at the source's, that one is named.
                if cut.len() > 1
                    && let Some(one) = self.single_cut(sink, deleted, amps)
                {
                    return Flow { amps, cut: vec![one] };
                }
                return Flow { amps, cut };
            }
            self.trying.clone_from(&self.first);
            loop {
                let pushed = self.push(self.source, sink, INFINITE);
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

    /// The minimum cut nearest to the sink after a flow, where it is a single arc: what can still reach the sink along
    /// arcs with something left is its side (max-flow min-cut theorem). O(E).
    fn single_cut(&self, sink: usize, deleted: &[usize], amps: f64) -> Option<usize> {
        let mut behind = vec![false; self.first.len()];
        behind[sink] = true;
        let mut stack = vec![sink];
        while let Some(node) = stack.pop() {
            let mut at = self.first[node];
            while at != NONE {
                let out = at as usize;
                at = self.arcs[out].next;
                let from = self.arcs[out].to;
                if self.arcs[out ^ 1].left > 1e-9 && !behind[from] {
                    behind[from] = true;
                    stack.push(from);
                }
            }
        }
        let mut crossing = (0..self.arcs.len() / 2).filter(|&h| {
            let (a, b) = (self.arcs[2 * h + 1].to, self.arcs[2 * h].to);
            let inward = if behind[b] { 2 * h } else { 2 * h + 1 };
            !deleted.contains(&h) && behind[a] != behind[b] && self.arcs[inward].capacity > 0.0
        });
        let one = crossing.next().filter(|_| crossing.next().is_none())?;
        let inward = if behind[self.arcs[2 * one].to] { 2 * one } else { 2 * one + 1 };
        ((self.arcs[inward].capacity - amps).abs() <= 1e-9 * amps.max(1.0)).then_some(one)
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
        let mut at = self.first[node];
        while at != NONE {
            let out = at as usize;
            at = self.arcs[out].next;
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

    /// Steps from the source to each node along arcs with something left, breadth first.
    fn levels(&mut self) {
        self.level.fill(NONE);
        self.level[self.source] = 0;
        self.queue.clear();
        self.queue.push(self.source);
        let mut head = 0;
        while let Some(&node) = self.queue.get(head) {
            head += 1;
            let mut at = self.first[node];
            while at != NONE {
                let arc = &self.arcs[at as usize];
                if arc.left > 1e-9 && self.level[arc.to] == NONE {
                    self.level[arc.to] = self.level[node] + 1;
                    self.queue.push(arc.to);
                }
                at = arc.next;
            }
        }
    }

    /// One augmenting path, found depth first along the levels with an explicit stack, so that a long
    /// chain cannot exhaust the thread's stack.
    fn push(&mut self, from: usize, sink: usize, most: f64) -> f64 {
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
            while let Some(arc) = self.arcs.get(self.trying[node] as usize) {
                if arc.left > 1e-9 && self.level[arc.to] == self.level[node].wrapping_add(1) {
                    break;
                }
                self.trying[node] = arc.next;
            }
            match self.trying[node] {
                NONE => {
                    let Some(arc) = path.pop() else { return 0.0 };
                    node = self.arcs[arc ^ 1].to;
                    self.trying[node] = self.arcs[arc].next;
                }
                arc => {
                    path.push(arc as usize);
                    node = self.arcs[arc as usize].to;
                }
            }
        }
    }
}
