//! Threads are moved apart as they start, and not held where they were moved to.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use rustix::thread::sched_getaffinity;
use tally_trees::start_threads;

#[test]
fn each_thread_may_run_where_the_process_may() {
    let allowed = sched_getaffinity(None).unwrap();
    start_threads(Some(2));
    // Once is enough: whoever comes later finds those that are there.
    start_threads(None);
    let own = rayon::broadcast(|_| sched_getaffinity(None).unwrap());
    assert_eq!(own.len(), (allowed.count() as usize).min(2));
    assert!(own.iter().all(|cpus| *cpus == allowed), "a thread is held where it was moved to");
    let (a, b) = rayon::join(|| (1..1000_u64).sum::<u64>(), || (1..10_u64).product::<u64>());
    assert_eq!((a, b), (499_500, 362_880), "and they do what they are asked");
}
