//! Corners in which what was not seen meets: every choice of each value, and as many pairs of choices as the corners
//! allow.
//!
//! A hazard may need two answers that are neither both at their worst nor both at their best: a bond here and none there.
//! Turning each value by itself from a few whole corners never sets such a pair. A list in which each pair of choices
//! occurs at least once grows with the logarithm of the number of values, so a handful of corners more holds most pairs.
//! Built one corner at a time, each value taking the choice that meets the most pairs not met before; the method is that
//! of D. M. Cohen, S. R. Dalal, M. L. Fredman and G. C. Patton, *The AETG System*, IEEE Transactions on Software
//! Engineering 23 (1997), recalled from memory.

/// More choices than this are not paired: the table of pairs would be too large. Each choice still occurs.
const MOST_CHOICES: usize = 1_500;

/// Lists of choices, at most so many, for values with so many choices each. `met` are lists that are there already. Each
/// choice occurs in `met` or in the first lists, as far as there are so many; then pairs, until none is left.
///
/// Complexity: the number of choices times the number of values for each list.
pub(crate) fn covering(choices: &[usize], met: &[Vec<usize>], most: usize) -> Vec<Vec<usize>> {
    let first: Vec<usize> = choices
        .iter()
        .scan(0, |at, n| {
            let own = *at;
            *at += n;
            Some(own)
        })
        .collect();
    let total: usize = choices.iter().sum();
    let widest = choices.iter().copied().max().unwrap_or(0);
    if total > MOST_CHOICES {
        let shifted = |c: usize| choices.iter().enumerate().map(|(i, n)| (i + c) % n).collect();
        return (0..widest.min(most)).map(shifted).collect();
    }
    let mut open = Pairs { met: vec![false; total * total], total };
    let mut alone = vec![false; total];
    for list in met {
        open.meet(&first, list);
        list.iter().enumerate().for_each(|(v, c)| alone[first[v] + c] = true);
    }
    let mut out: Vec<Vec<usize>> = Vec::new();
    while out.len() < most {
        let mut list: Vec<Option<usize>> = vec![None; choices.len()];
        let mut gained = false;
        // Each list starts with another value, so that no value is always the last to choose.
        for step in 0..choices.len() {
            let v = (step + out.len()) % choices.len();
            let worth = |c: &usize| {
                let own = first[v] + c;
                let chosen = list.iter().enumerate().filter_map(|(o, c)| Some(first[o] + (*c)?));
                let pairs = chosen.filter(|other| !open.has(own, *other)).count();
                // A choice that never occurred comes first; then what meets most now, then what is left to meet.
                (!alone[own], pairs, open.left(own), std::cmp::Reverse(*c))
            };
            let Some(best) = (0..choices[v]).max_by_key(worth) else { continue };
            let (new, pairs, ..) = worth(&best);
            gained |= new || pairs > 0;
            list[v] = Some(best);
        }
        if !gained {
            break;
        }
        let list: Vec<usize> = list.into_iter().map(Option::unwrap_or_default).collect();
        open.meet(&first, &list);
        list.iter().enumerate().for_each(|(v, c)| alone[first[v] + c] = true);
        out.push(list);
    }
    out
}

/// Which two choices have met.
struct Pairs {
    met: Vec<bool>,
    total: usize,
}

impl Pairs {
    fn has(&self, a: usize, b: usize) -> bool {
        self.met[a * self.total + b]
    }

    /// How many a choice has not met, those of its own value with them: these are the same for all choices of a value.
    fn left(&self, a: usize) -> usize {
        self.met[a * self.total..(a + 1) * self.total].iter().filter(|m| !**m).count()
    }

    fn meet(&mut self, first: &[usize], list: &[usize]) {
        for (v, c) in list.iter().enumerate() {
            for (o, d) in list.iter().enumerate().filter(|(o, _)| *o != v) {
                self.met[(first[v] + c) * self.total + first[o] + d] = true;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::covering;
    use proptest::prelude::*;

    proptest! {
        /// Each choice occurs in as many lists as the widest value has choices, and with room enough each pair of choices.
        #[test]
        fn each_choice_occurs_and_each_pair(choices in proptest::collection::vec(1usize..6, 1..24)) {
            let widest = choices.iter().copied().max().unwrap_or(0);
            let few = covering(&choices, &[], widest);
            let all = covering(&choices, &[], 1_000);
            for (v, n) in choices.iter().enumerate() {
                for c in 0..*n {
                    prop_assert!(few.iter().any(|l| l[v] == c), "{choices:?}: {v} is never {c}");
                    for (o, m) in choices.iter().enumerate().skip(v + 1) {
                        for d in 0..*m {
                            prop_assert!(all.iter().any(|l| l[v] == c && l[o] == d), "{v}={c} never meets {o}={d}");
                        }
                    }
                }
            }
            // A pair needs at least as many lists as the two widest have choices together; no list is there in vain.
            prop_assert!(all.len() <= 100, "{} lists", all.len());
        }
    }
}
