//! Work shared out over the cores of the machine, with the same outcome whatever their number.

use std::panic::resume_unwind;
use std::thread::{ScopedJoinHandle, available_parallelism, scope};

/// Deal `count` places out in turn, one hand to each core, and gather what each place gives in order of place.
pub fn share_out<T: Send>(
    count: usize,
    work: impl Fn(&[usize]) -> Vec<(usize, T)> + Sync,
) -> Vec<T> {
    let cores = available_parallelism().map_or(1, usize::from);
    let hand = |core: usize| (core..count).step_by(cores).collect::<Vec<usize>>();
    let hands: Vec<Vec<usize>> = (0..cores).map(hand).collect();
    let mut found: Vec<(usize, T)> = scope(|scope| {
        let workers: Vec<_> = hands.iter().map(|h| scope.spawn(|| work(h))).collect();
        let join = |w: ScopedJoinHandle<'_, _>| w.join().unwrap_or_else(|p| resume_unwind(p));
        workers.into_iter().flat_map(join).collect()
    });
    found.sort_by_key(|f| f.0);
    found.into_iter().map(|f| f.1).collect()
}
