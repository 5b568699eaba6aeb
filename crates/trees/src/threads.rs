//! Threads that are at work from the first moment.

use rustix::thread::{CpuSet, sched_getaffinity, sched_setaffinity};

/// Starts the threads that share the work of this process, each on a processor of its own.
///
/// Some kernels start a thread where its parent runs, and move it only when they next balance: 4 ms and more, in which a
/// comparison could be over. `most` limits how many are started, for work that can't be shared by more. Once is enough: who
/// comes later finds those that are there.
pub fn start_threads(most: Option<usize>) {
    let mut builder = rayon::ThreadPoolBuilder::new().start_handler(apart);
    if let Some(most) = most {
        // What a group of processes may use is found in files; a limit as low as this needs no reading of them.
        let there = sched_getaffinity(None).map_or(1, |allowed| allowed.count() as usize);
        builder = builder.num_threads(most.min(there.max(1)));
    }
    // If they can't be had, what is first asked of them starts others.
    _ = builder.build_global();
}

/// Moves the thread that calls to the processor of its number, and lets it run anywhere from then on.
fn apart(number: usize) {
    let Ok(allowed) = sched_getaffinity(None) else { return };
    let count = allowed.count() as usize;
    let one = (0..CpuSet::MAX_CPU)
        .filter(|cpu| allowed.is_set(*cpu))
        .nth(number.checked_rem(count).unwrap_or_default());
    if let Some(one) = one.filter(|_| count > 1) {
        let mut only = CpuSet::new();
        only.set(one);
        _ = sched_setaffinity(None, &only).and_then(|()| sched_setaffinity(None, &allowed));
    }
}
