//! The threads that share the work.

use tally_trees::start_threads;

#[test]
fn as_many_threads_start_as_are_asked_for_and_there_is_room_for() {
    let room = std::thread::available_parallelism().map_or(1, usize::from);
    start_threads(Some(2));
    // Once is enough: whoever comes later finds those that are there.
    start_threads(None);
    assert_eq!(rayon::current_num_threads(), room.min(2));
    let (a, b) = rayon::join(|| (1..1000_u64).sum::<u64>(), || (1..10_u64).product::<u64>());
    assert_eq!((a, b), (499_500, 362_880), "and they do what they are asked");
}
