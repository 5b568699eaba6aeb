//! The full-screen view, driven through a pseudo-terminal: what is on its screen, and what is left of it.

use crate::harness::{Place, names};
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use rustix::process::Signal;
use std::io::{Read, Write};
use std::num::NonZero;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

const OLD: &str = "saltmarsh-4.0-reedbed";
const NEW: &str = "saltmarsh-5.0-reedbed";

fn sides(of: u16) -> NonZero<u16> {
    NonZero::new(of).unwrap()
}

/// A terminal window with the program in it.
struct Window {
    parser: Arc<Mutex<vt100::Parser>>,
    keys: Box<dyn Write + Send>,
    child: Box<dyn Child + Send + Sync>,
    master: Box<dyn MasterPty + Send>,
}

impl Window {
    fn open(place: &Place, line: &str, (columns, rows): (u16, u16), environment: &[(&str, &str)]) -> Self {
        let size = PtySize { rows, cols: columns, pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).unwrap();
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_fresh-tally"));
        command.args(line.split_whitespace());
        command.env_clear();
        command.env("FRESH_TALLY_SHELF", place.path("shelf"));
        command.env("TERM", "xterm-256color");
        environment.iter().for_each(|(name, value)| command.env(name, value));
        command.cwd(place.path(""));
        let child = pair.slave.spawn_command(command).unwrap();
        drop(pair.slave);
        let parser = Arc::new(Mutex::new(vt100::Parser::new(sides(rows), sides(columns), 0)));
        let (mut output, screen) = (pair.master.try_clone_reader().unwrap(), Arc::clone(&parser));
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(read @ 1..) = output.read(&mut buffer) {
                screen.lock().unwrap().process(&buffer[..read]);
            }
        });
        let keys = pair.master.take_writer().unwrap();
        Self { parser, keys, child, master: pair.master }
    }

    fn screen(&self) -> String {
        self.parser.lock().unwrap().screen().contents()
    }

    /// Waits until something is on the screen.
    fn until(&self, what: &str) -> String {
        self.waits(&|screen| screen.contains(what), what)
    }

    fn waits(&self, holds: &dyn Fn(&str) -> bool, what: &str) -> String {
        let begin = Instant::now();
        loop {
            let screen = self.screen();
            if holds(&screen) {
                return screen;
            }
            assert!(begin.elapsed() < Duration::from_secs(60), "no `{what}` on\n{screen}");
            std::thread::sleep(Duration::from_millis(10));
        }
    }

    fn press(&mut self, keys: &str) {
        self.keys.write_all(keys.as_bytes()).unwrap();
        self.keys.flush().unwrap();
    }

    /// Waits until it ends; what is left of the screen is what was there before.
    fn ends(mut self) -> u32 {
        let status = self.child.wait().unwrap();
        self.waits(&|_| !self.parser.lock().unwrap().screen().alternate_screen(), "the screen from before");
        assert!(!self.parser.lock().unwrap().screen().hide_cursor(), "the cursor is back");
        status.exit_code()
    }
}

fn shelf() -> Place {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    for key in ["4.0", "5.0"] {
        assert_eq!(place.run(&format!("take root-{key}-reedbed -q")).code, 0);
    }
    place
}

#[test]
fn a_comparison_is_walked_from_a_decision_to_why_and_back() {
    let place = shelf();
    let mut window = Window::open(&place, &format!("browse {OLD} {NEW}"), (110, 34), &[]);
    let first = window.until("Headlines");
    assert!(first.contains("4.0 \"Avocet\" → 5.0 \"Bittern\"") && first.contains("as shipped"), "{first}");
    window.press("2");
    let decisions = window.until("decisions explain");
    assert!(!decisions.contains("brackwater-core"), "{decisions}");
    window.press("/brackw");
    window.waits(&|screen| screen.contains("/brackw") && !screen.contains("Marshlight"), "brackwater alone");
    window.press("\r");
    window.press("\r");
    let open = window.until("brackwater-core");
    assert!(open.contains("+275 MB"), "{open}");
    while !window.screen().contains("brackwater-core 7.5.1-1") {
        window.press("j");
        std::thread::sleep(Duration::from_millis(60));
    }
    assert!(window.screen().contains("read from var/lib/dpkg/status:"), "{}", window.screen());
    window.press("w");
    let why = window.until("Why it is installed");
    assert!(why.contains("reedbed-desktop → brackwater"), "{why}");
    window.press("\x7f");
    window.until("brackwater-core");
    window.press("q");
    assert_eq!(window.ends(), 0);
}

#[test]
fn each_question_of_the_guide_takes_six_keys_at_most() {
    let place = shelf();
    // Where it begins; keys, one after the other, what is typed to be found as one; what must be on the screen then, and what not.
    let both = format!("{OLD} {NEW}");
    let asked: &[(&str, &[&str], &str, &str)] = &[
        (&both, &["2", "j", "j", "\r"], "brackwater-core", ""),
        (&both, &["/Lapwing replaces", "\r", "j", "\r"], "›5 Default apps", "›1 Headlines"),
        (&both, &["3", "f", "\r"], "only updated", "replaced  "),
        (&both, &["9", "s", "s", "S"], "backwards", ""),
        (&both, &["/torrent", "\r"], "Torrent Client", ""),
        (&both, &["\t"], "both as found", ""),
        (&both, &["9", "l", "l", "l", "l"], "further behind", "›9 Packages"),
        (&both, &["x", "m"], "Written to `", ""),
        (&both, &["p"], "Packages 158", "›1 Headlines"),
        (&both, &["?"], "forward", ""),
    ];
    for (at, keys, answer, not) in asked {
        let mut window = Window::open(&place, &format!("browse {at}"), (110, 34), &[]);
        window.until("›1 ");
        assert!(keys.len() <= 6, "{answer}");
        for key in *keys {
            window.press(key);
            // Directly after another one a key may be read before its screen is drawn, as a fast hand would.
            std::thread::sleep(Duration::from_millis(60));
        }
        window.waits(&|screen| screen.contains(answer) && (not.is_empty() || !screen.contains(not)), answer);
        window.press("\x03");
        assert_eq!(window.ends(), 0, "{answer}");
    }
}

#[test]
fn the_shelf_leads_to_installs_and_comparisons_and_views_are_written() {
    let place = shelf();
    let mut window = Window::open(&place, "browse", (100, 30), &[]);
    window.until("2 installs on the shelf");
    window.press("/4.0\r");
    window.until("/4.0   Esc: everything");
    while !window.screen().contains("taken ") {
        window.press("j");
        std::thread::sleep(Duration::from_millis(60));
    }
    window.press("\r");
    window.until("Overview");
    window.press("8");
    window.until("package   ");
    window.press("xm");
    let written = window.until("Written to `saltmarsh-4.0-reedbed-packages.md`.");
    assert!(written.contains("Packages"), "{written}");
    window.press("xc");
    window.until("Written to `saltmarsh-4.0-reedbed-packages.csv`.");
    window.press("xm");
    window.until("Written to `saltmarsh-4.0-reedbed-packages-2.md`.");
    // What no row has is looked for in all of the install.
    window.press("2");
    window.until("›2 Programs");
    window.press("/systemd\r");
    window.until("not in this section");
    window.press("q");
    assert_eq!(window.ends(), 0);
    assert!(place.read("saltmarsh-4.0-reedbed-packages.md").contains("| adduser"));
    assert!(place.read("saltmarsh-4.0-reedbed-packages.csv").contains("var/lib/dpkg/status"));
    assert!(names(&place.path("")).contains(&"saltmarsh-4.0-reedbed-packages-2.md".to_owned()));
}

#[test]
fn what_a_section_can_not_tell_is_said_below_it_and_again_at_the_end() {
    let place = shelf();
    // Without their roots, tallies have no lists.
    std::fs::remove_dir_all(place.path("root-5.0-reedbed")).unwrap();
    let mut window = Window::open(&place, &format!("browse {OLD} {NEW}"), (110, 30), &[]);
    window.until("Headlines");
    window.press("9llll");
    window.until("›  How far behind");
    window.until("further behind");
    window.press("l");
    window.until("›  On offer");
    // Nothing but the last line says so: the frame is as it should be.
    let told = window.until("has no lists of its repositories");
    assert!(told.lines().last().unwrap().contains("no lists"), "{told}");
    assert!(told.contains("Nothing is known of this."));
    window.press("q");
    let after = window.until("warning: ");
    assert!(after.contains("has no lists of its repositories"), "{after}");
    assert_eq!(window.ends(), 0);
}

#[test]
fn what_vanishes_or_is_damaged_is_said_and_the_walk_goes_on() {
    let place = shelf();
    let mut window = Window::open(&place, "browse", (100, 30), &[("NO_COLOR", "1")]);
    window.until("2 installs");
    std::fs::remove_file(place.path(&format!("shelf/{OLD}.tally.json"))).unwrap();
    window.press("/4.0\r");
    window.until("/4.0   Esc: everything");
    while !window.screen().contains("taken ") {
        window.press("j");
        std::thread::sleep(Duration::from_millis(60));
    }
    window.press("\r");
    window.until("leads nowhere");
    // Directly before a letter it would be another key.
    window.press("\x1b");
    std::thread::sleep(Duration::from_millis(200));
    window.press("r");
    window.until("1 install on the shelf");
    std::fs::write(place.path(&format!("shelf/{NEW}.tally.json")), "{\"schema_version\": 2, broken").unwrap();
    window.press("/5.0\r");
    window.until("/5.0   Esc: everything");
    while !window.screen().contains("taken ") {
        window.press("j");
        std::thread::sleep(Duration::from_millis(60));
    }
    window.press("\r");
    window.until("is not a tally");
    window.press("\x03");
    assert_eq!(window.ends(), 0);
}

#[test]
fn a_terminal_changes_its_size_and_is_given_back_when_the_program_is_ended() {
    let place = shelf();
    let mut window = Window::open(&place, &format!("browse {NEW}"), (100, 30), &[]);
    window.until("Overview");
    for (columns, rows) in [(40, 10), (1, 1), (500, 200), (80, 24)] {
        window.parser.lock().unwrap().screen_mut().set_size(sides(rows), sides(columns));
        window.master.resize(PtySize { rows, cols: columns, pixel_width: 0, pixel_height: 0 }).unwrap();
        std::thread::sleep(Duration::from_millis(50));
        window.press("jlh?\x1bpp");
    }
    window.until("Overview");
    assert_eq!(ended_by(window, Signal::TERM), 143);
    for (signal, code) in
        [(Signal::QUIT, 131), (Signal::ALARM, 142), (Signal::USR1, 138), (Signal::ABORT, 134)]
    {
        let window = Window::open(&place, &format!("browse {NEW}"), (100, 30), &[]);
        window.until("Overview");
        assert_eq!(ended_by(window, signal), code, "{signal:?}");
    }
}

/// How the program ends that gets a signal; the terminal is as it was before.
fn ended_by(window: Window, signal: Signal) -> u32 {
    let process = rustix::process::Pid::from_raw(window.child.process_id().unwrap().cast_signed()).unwrap();
    rustix::process::kill_process(process, signal).unwrap();
    window.ends()
}

#[test]
fn a_terminal_that_says_it_is_without_bounds_is_refused() {
    let place = shelf();
    let mut window = Window::open(&place, &format!("browse {NEW}"), (100, 30), &[]);
    window.until("Overview");
    window.master.resize(PtySize { rows: 65_535, cols: 65_535, pixel_width: 0, pixel_height: 0 }).unwrap();
    window.press("j");
    assert_eq!(window.ends(), 3);
}

#[test]
fn without_a_terminal_it_says_what_to_use() {
    let place = Place::new();
    let said = |line: &str| {
        let outcome = place.run(line);
        assert_eq!((outcome.code, outcome.stdout.as_str()), (2, ""), "{}", outcome.all());
        outcome.stderr
    };
    assert!(said("browse").contains("`browse` needs a terminal; `shelf` prints the same"));
    assert!(said("browse a b").contains("`compare a b`"));
    assert!(said("browse a b c").contains("`grid a b c`"));
}
