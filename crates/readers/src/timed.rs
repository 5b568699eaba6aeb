//! Which reader ran, and how long it took, for whoever listens.

use std::time::Instant;
use tracing::Level;

/// Does something, and says how long it took if anybody listens.
pub(crate) fn timed<T>(reader: &str, work: impl FnOnce() -> T) -> T {
    if !tracing::enabled!(Level::INFO) {
        return work();
    }
    let began = Instant::now();
    let done = work();
    tracing::info!(took = ?began.elapsed(), "{reader}");
    done
}
