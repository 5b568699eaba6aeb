//! Threads that are at work from the first moment.

/// Starts the threads that share the work of this process. `most` limits how many are started, for work that can't be shared by more.
/// Once is enough: who comes later finds those that are there.
pub fn start_threads(most: Option<usize>) {
    let mut builder = rayon::ThreadPoolBuilder::new();
    if let Some(most) = most {
        let there = std::thread::available_parallelism().map_or(1, usize::from);
        builder = builder.num_threads(most.min(there));
    }
    // If they can't be had, what is first asked of them starts others.
    _ = builder.build_global();
}
