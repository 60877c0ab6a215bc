//! How often somebody may try to sign in: a few times at once, then with a growing delay.

use chrono::{DateTime, Duration, Utc};
use std::collections::HashMap;
use std::collections::hash_map::RandomState;
use std::hash::BuildHasher;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::{Mutex as Turns, MutexGuard};

/// Wrong passwords for one name from one address before the first delay.
const FREE: u32 = 5;

/// The same from one address for whatever names: a whole firm may sign in from one office.
const FREE_FROM_ADDRESS: u32 = 40;

/// The longest delay.
const LONGEST: Duration = Duration::minutes(15);

/// After so long without a try nothing is held against anybody.
const FORGOTTEN: Duration = Duration::hours(1);

/// At most so many names and addresses are remembered.
const MOST: usize = 20_000;

/// A name at an address, or an address alone.
type Door = (Option<String>, Option<IpAddr>);

struct Tries {
    count: u32,
    last: DateTime<Utc>,
}

impl Tries {
    /// When the next try is let through: the delay doubles from one second on.
    fn open_at(&self, free: u32) -> DateTime<Utc> {
        match self.count.checked_sub(free) {
            None => self.last,
            Some(over) => self.last + Duration::seconds(1i64 << over.min(20)).min(LONGEST),
        }
    }
}

/// So many queues before the doors: who shares one waits for the other, and no memory grows.
const QUEUES: usize = 64;

/// The doors of one server; copies share them.
#[derive(Clone)]
pub(crate) struct Doors(Arc<Inside>);

struct Inside {
    tries: Mutex<HashMap<Door, Tries>>,
    queues: [Turns<()>; QUEUES],
    queue_of: RandomState,
}

impl Default for Doors {
    fn default() -> Doors {
        Doors(Arc::new(Inside {
            tries: Mutex::default(),
            queues: std::array::from_fn(|_| Turns::new(())),
            queue_of: RandomState::new(),
        }))
    }
}

impl Doors {
    /// Waits for a turn at a door. Whoever holds it is alone there, so many at once are as many in a row: wrong ones run into the
    /// delay, and right ones all come in.
    pub async fn turn(&self, name: &str, from: Option<IpAddr>) -> MutexGuard<'_, ()> {
        let queue = self.0.queue_of.hash_one((name, from)) as usize % QUEUES;
        self.0.queues[queue].lock().await
    }

    /// Counts a try, or tells how long to wait before the next one. One that turns out right takes its count back.
    ///
    /// # Errors
    /// The seconds to wait.
    pub fn knock(&self, name: &str, from: Option<IpAddr>, now: DateTime<Utc>) -> Result<(), i64> {
        let mut all = self.0.tries.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= MOST {
            all.retain(|_, t| now - t.last < FORGOTTEN);
            if all.len() >= MOST {
                all.clear();
            }
        }
        let own: Door = (Some(name.chars().take(200).collect()), from);
        let doors = [(own, FREE), ((None, from), FREE_FROM_ADDRESS)];
        for (door, free) in &doors {
            let Some(tries) = all.get(door).filter(|t| now - t.last < FORGOTTEN) else { continue };
            let open = tries.open_at(*free);
            if tries.count >= *free && now < open {
                return Err((open - now).num_seconds().max(0) + 1);
            }
        }
        // What has no address cannot be told apart by it.
        for (door, _) in doors.into_iter().filter(|(d, _)| d.0.is_some() || d.1.is_some()) {
            let tries = all.entry(door).or_insert(Tries { count: 0, last: now });
            tries.count = if now - tries.last < FORGOTTEN { tries.count + 1 } else { 1 };
            tries.last = now;
        }
        Ok(())
    }

    /// The password was right: nothing is held against the name here any more.
    pub fn opened(&self, name: &str, from: Option<IpAddr>) {
        let mut all = self.0.tries.lock().unwrap_or_else(PoisonError::into_inner);
        all.remove(&(Some(name.chars().take(200).collect()), from));
        if let Some(tries) = all.get_mut(&(None, from)) {
            tries.count = tries.count.saturating_sub(1);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{Doors, FREE, FREE_FROM_ADDRESS};
    use chrono::{DateTime, Duration, Utc};
    use std::net::IpAddr;

    fn at(seconds: i64) -> DateTime<Utc> {
        DateTime::<Utc>::UNIX_EPOCH + Duration::seconds(seconds)
    }

    #[test]
    fn the_delay_grows_by_name_and_address_and_is_over_after_a_right_password() {
        let doors = Doors::default();
        let (thief, office) = (Some(IpAddr::from([10, 0, 0, 9])), Some(IpAddr::from([10, 0, 0, 1])));
        for _ in 0..FREE {
            assert_eq!(doors.knock("mara", thief, at(0)), Ok(()));
        }
        // Then 1, 2, 4 ... seconds, each from the try before, never more than a quarter of an hour.
        let mut now = 0;
        let mut waited = Vec::new();
        for _ in 0..14 {
            let wait = doors.knock("mara", thief, at(now)).expect_err("has to wait");
            waited.push(wait);
            now += wait;
            assert_eq!(doors.knock("mara", thief, at(now)), Ok(()), "after {wait} s");
        }
        assert!(waited.windows(2).all(|w| w[1] >= w[0]) && waited[0] <= 2 && waited[13] <= 901, "{waited:?}");
        assert!(waited.iter().sum::<i64>() > 3_000, "fourteen guesses take the better part of an hour: {waited:?}");
        // Who guesses keeps nobody else out: not the owner of the name elsewhere, not another name.
        assert_eq!(doors.knock("mara", office, at(now)), Ok(()));
        assert_eq!(doors.knock("jon", thief, at(now)), Ok(()));
        doors.opened("mara", thief);
        assert_eq!(doors.knock("mara", thief, at(now)), Ok(()));
        // An hour later all is forgotten.
        assert_eq!(doors.knock("mara", thief, at(now + 3_700)), Ok(()));
    }

    #[test]
    fn many_names_from_one_address_wait_as_well_and_memory_stays_small() {
        let doors = Doors::default();
        let thief = Some(IpAddr::from([10, 0, 0, 9]));
        let through = (0..100).filter(|n| doors.knock(&format!("name{n}"), thief, at(0)).is_ok()).count();
        assert_eq!(through, FREE_FROM_ADDRESS as usize);
        for n in 0..60_000u32 {
            let from = Some(IpAddr::from(n.to_be_bytes()));
            let _ = doors.knock("x", from, at(0));
        }
        assert!(doors.0.tries.lock().expect("lock").len() <= super::MOST + 2);
    }
}
