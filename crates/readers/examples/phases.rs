//! Times the stages of reading an install, for whoever wants to make one faster. Run as `phases ROOT`.

use std::time::Instant;
use tally_readers::packages::{self, WantedPaths};
use tally_trees::{Folder, Tree};

/// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let root = std::env::args_os().nth(1).ok_or("usage: phases ROOT")?;
    tally_trees::start_threads(None);
    let folder = Folder::open(root.as_ref())?;
    // As in a take, by one of the threads that share the work: whoever is none of them waits for one to wake.
    rayon::scope(|_| time_stages(&folder));
    Ok(())
}

#[allow(clippy::print_stdout, reason = "this is a program of its own")]
fn time_stages(tree: &dyn Tree) {
    for _ in 0..6 {
        let mut last = Instant::now();
        let mut lap = |what: &str| {
            println!("{what:20} {:7.2} ms", last.elapsed().as_secs_f64() * 1e3);
            last = Instant::now();
        };
        let menu = tally_readers::launchers::read(tree, &[]);
        lap("launchers");
        let mut wanted = WantedPaths::new(true);
        menu.launchers.iter().for_each(|launcher| wanted.add(launcher.evidence.file.as_bytes()));
        for system in packages::present(tree) {
            let name = system.system().name();
            let facts = system.read(tree);
            lap(&format!("{name} packages"));
            system.scan_file_lists(tree, &facts.packages, &wanted);
            lap(&format!("{name} owners"));
        }
        drop(menu);
    }
}
