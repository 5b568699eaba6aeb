//! The kit in a root that was made by somebody who wishes its user ill.

use crate::harness::Place;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

/// What lies outside the root, and may appear nowhere.
const SECRET: &str = "0uts1de";

/// A shell that is on this machine, and the only programs it may run.
struct Shell {
    name: &'static str,
    program: PathBuf,
    arguments: Vec<&'static str>,
    path: String,
}

/// Shells that differ; `busybox` with nothing but its own tools.
fn shells(place: &Place) -> Vec<Shell> {
    let system = std::env::var("PATH").unwrap();
    let find =
        |name: &str| system.split(':').map(|folder| Path::new(folder).join(name)).find(|file| file.exists());
    let mut found: Vec<Shell> = ["sh", "dash", "bash"]
        .into_iter()
        .filter_map(|name| {
            Some(Shell { name, program: find(name)?, arguments: Vec::new(), path: system.clone() })
        })
        .collect();
    if let Some(busybox) = find("busybox") {
        let tools = place.path("tools");
        fs::create_dir_all(&tools).unwrap();
        let listed = Command::new(&busybox).arg("--list").output().unwrap();
        for tool in String::from_utf8(listed.stdout).unwrap().lines() {
            symlink(&busybox, tools.join(tool)).unwrap();
        }
        // Some builds of it have a tar that takes no list; the system's own stands in for that.
        let usage = Command::new(&busybox).args(["tar", "--help"]).output().unwrap();
        if !String::from_utf8_lossy(&usage.stderr).contains("-T") {
            fs::remove_file(tools.join("tar")).unwrap();
            symlink(find("tar").unwrap(), tools.join("tar")).unwrap();
        }
        let path = tools.to_str().unwrap().to_owned();
        found.push(Shell { name: "busybox", program: busybox, arguments: vec!["sh"], path });
    }
    assert!(!found.is_empty());
    found
}

/// Runs the kit, and ends it where it takes longer than it may.
fn collect(place: &Place, shell: &Shell, words: &[&str]) -> Output {
    fs::create_dir_all(place.path("tmp")).unwrap();
    let mut child = Command::new(&shell.program)
        .args(&shell.arguments)
        .arg("kit.sh")
        .args(words)
        .current_dir(place.path("."))
        .env("TMPDIR", place.path("tmp"))
        .env("PATH", &shell.path)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let began = Instant::now();
    while child.try_wait().unwrap().is_none() {
        if began.elapsed() > Duration::from_secs(60) {
            child.kill().unwrap();
            unreachable!("{}: it hangs", shell.name);
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    let output = child.wait_with_output().unwrap();
    assert_eq!(
        fs::read_dir(place.path("tmp")).unwrap().count(),
        0,
        "{}: it left something behind",
        shell.name
    );
    output
}

struct Root(PathBuf);

impl Root {
    fn path(&self, name: &[u8]) -> PathBuf {
        let path = self.0.join(OsStr::from_bytes(name));
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        path
    }

    fn file(&self, name: impl AsRef<[u8]>, content: &str) {
        fs::write(self.path(name.as_ref()), content).unwrap();
    }

    fn link(&self, name: impl AsRef<[u8]>, target: impl AsRef<Path>) {
        symlink(target, self.path(name.as_ref())).unwrap();
    }

    fn pipe(&self, name: &str) {
        rustix::fs::mkfifoat(rustix::fs::CWD, self.path(name.as_bytes()), rustix::fs::Mode::RUSR).unwrap();
    }
}

/// A root with every kind of name and node, and what of it is to be in the archive.
fn hostile(place: &Place) -> Vec<Vec<u8>> {
    let outside = place.path("secret");
    fs::create_dir_all(&outside).unwrap();
    for name in ["plain", "id_rsa", "x.AppImage", "a.list"] {
        fs::write(outside.join(name), SECRET).unwrap();
        fs::set_permissions(outside.join(name), fs::Permissions::from_mode(0o644)).unwrap();
    }
    let root = Root(place.path("r"));
    let mut expected: Vec<Vec<u8>> = Vec::new();
    let mut taken = |name: &[u8]| expected.push(name.to_vec());

    root.file("etc/os-release", "ID=x\n");
    taken(b"etc/os-release");
    // Names that a tool could take for something else.
    let folder = "usr/share/mate-panel/layouts";
    let names: [&[u8]; 12] = [
        b"-C",
        b"-rf",
        b"--checkpoint-action=exec=sh x",
        b"~",
        b"plain~",
        b" leading",
        b"trailing ",
        b"quote'\"`$(id)",
        b"[abc]*?",
        b"back\\slash\\056\\056",
        b"esc\x1b[31m",
        b"not\xff\xfeutf8",
    ];
    for name in names {
        let path = [folder.as_bytes(), b"/", name].concat();
        root.file(&path, "inside\n");
        taken(&path);
    }
    // What GNU tar would read as `..`, and as an option with its argument in the next line.
    let up = format!("{folder}/\\056\\056/\\056\\056/\\056\\056/\\056\\056/\\056\\056/secret/plain");
    root.file(&up, "inside\n");
    taken(up.as_bytes());
    root.file([folder.as_bytes(), b"/y\n-C\n/inner"].concat(), "");
    let broken = [folder.as_bytes(), b"/x\n", outside.join("id_rsa").as_os_str().as_bytes()].concat();
    root.file(&broken, "decoy");
    root.file("usr/bin/tool\nwith a break", "");
    // The names that the script uses itself.
    for name in ["kit-left-out", "kit-names", "kit-entries", "kit-first-start", "proc"] {
        root.link(name, outside.join("plain"));
        root.link(format!("usr/bin/{name}"), format!("/{name}"));
        taken(format!("usr/bin/{name}").as_bytes());
    }
    // Entries of a menu: what a command is given stays behind, and links are not followed.
    root.file(
        "usr/share/applications/word.desktop",
        "[Desktop Entry]\nName=Word\nExec=env A=0uts1de word --with 0uts1de\n",
    );
    root.file(
        "usr/share/applications/a=b.desktop",
        "[Desktop Entry]\nName=Equal\nExec=equal\nURL=https://0uts1de\n",
    );
    root.link("usr/share/applications/out.desktop", "../../../../secret/plain");
    root.pipe("usr/share/applications/pipe.desktop");
    // Links to what lies outside, last and on the way, absolute and by way of `..`; they are taken as links, or not at all.
    for (name, target) in
        [("etc/localtime", "usr/../../secret/plain"), ("usr/share/gnome-shell/modes/away", "/etc")]
    {
        root.link(name, target);
        taken(name.as_bytes());
    }
    root.link("usr/share/wayland-sessions", &outside);
    root.link("var/lib/dpkg/info", &outside);
    root.link("var/lib/pacman", &outside);
    root.link("usr/local", &outside);
    root.link("opt", &outside);
    root.file("home/reed/.local/share/applications/own.desktop", SECRET);
    root.file("etc/apt/sources.list", SECRET);
    root.file("etc/systemd/system/agent.service", SECRET);
    root.link(
        "etc/systemd/system/multi-user.target.wants/agent@0uts1de.service",
        "/usr/lib/systemd/system/agent@.service",
    );
    root.link(
        "etc/systemd/system/multi-user.target.wants/agent.service",
        "/etc/systemd/system/agent.service",
    );
    taken(b"etc/systemd/system/multi-user.target.wants/agent.service");
    // What never ends, or is no file.
    root.pipe("usr/share/gnome-shell/modes/pipe");
    let listener = std::os::unix::net::UnixListener::bind(root.path(b"usr/share/gnome-shell/modes/socket"));
    drop(listener.unwrap());
    let device = rustix::fs::makedev(1, 5);
    let made = rustix::fs::mknodat(
        rustix::fs::CWD,
        root.path(b"usr/share/gnome-shell/modes/zero"),
        rustix::fs::FileType::CharacterDevice,
        rustix::fs::Mode::RUSR,
        device,
    );
    // Only root may make one.
    _ = made;
    // More than anybody has: holes.
    fs::File::create(root.path(b"var/lib/dpkg/status")).unwrap().set_len(1 << 40).unwrap();
    // A folder as deep as a path may be.
    let deep = format!("{folder}/{}/f", vec!["d"; 1500].join("/"));
    deep_file(&root.0, &deep);
    taken(deep.as_bytes());
    expected.sort();
    expected
}

/// Makes a file whose path is longer than one call may name.
fn deep_file(root: &Path, path: &str) {
    use rustix::fs::{CWD, Mode, OFlags, mkdirat, openat};
    let folder = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let mut here = openat(CWD, root, folder, Mode::empty()).unwrap();
    let (above, name) = path.rsplit_once('/').unwrap();
    for part in above.split('/') {
        _ = mkdirat(&here, part, Mode::RWXU);
        here = openat(&here, part, folder, Mode::empty()).unwrap();
    }
    openat(&here, name, OFlags::CREATE | OFlags::WRONLY, Mode::RUSR | Mode::WUSR | Mode::ROTH).unwrap();
}

/// Every file and link of both archives, and all their content.
fn unpacked(archive: &Path) -> (Vec<Vec<u8>>, Vec<u8>) {
    let (mut names, mut content) = (Vec::new(), Vec::new());
    let mut reader = tar::Archive::new(fs::File::open(archive).unwrap());
    reader.set_ignore_zeros(true);
    for entry in reader.entries().unwrap() {
        let mut entry = entry.unwrap();
        std::io::Read::read_to_end(&mut entry, &mut content).unwrap();
        if !entry.header().entry_type().is_dir() {
            let path = entry.path_bytes().into_owned();
            names.push(path.strip_prefix(b"./").unwrap_or(&path).to_vec());
        }
    }
    names.sort();
    (names, content)
}

#[test]
fn nothing_from_outside_a_hostile_root_is_taken_or_written_and_nothing_hangs() {
    let place = Place::new();
    let expected = hostile(&place);
    place.run("kit -o kit.sh");
    for shell in shells(&place) {
        let said = collect(&place, &shell, &["--root", "r", "-o", "out.tar"]);
        let stderr = String::from_utf8_lossy(&said.stderr).into_owned();
        assert!(said.status.success(), "{}: {stderr}", shell.name);
        assert!(!said.stderr.contains(&0x1b), "{}: a control character reaches the terminal", shell.name);
        let (names, content) = unpacked(&place.path("out.tar"));
        let text = String::from_utf8_lossy(&content);
        assert!(!text.contains(SECRET), "{}: something from outside is in the archive: {text}", shell.name);
        assert!(
            text.contains("Name=Word\nExec=word \n") && text.contains("Exec=equal \n"),
            "{}: {text}",
            shell.name
        );
        let told = |names: &[Vec<u8>]| -> Vec<String> {
            names.iter().map(|name| name.escape_ascii().to_string()).collect()
        };
        let own = names.iter().filter(|name| !name.starts_with(b"kit-")).cloned().collect::<Vec<_>>();
        let differs = |one: &[Vec<u8>], other: &[Vec<u8>]| {
            told(&one.iter().filter(|name| !other.contains(name)).cloned().collect::<Vec<_>>())
        };
        assert_eq!(
            (differs(&own, &expected), differs(&expected, &own)),
            (Vec::new(), Vec::new()),
            "{}: too much, too little; {stderr}",
            shell.name
        );
        for what in
            ["gnome-shell/modes/pipe", "gnome-shell/modes/socket", "var/lib/dpkg/status", "layouts/y\n-C"]
        {
            assert!(text.contains(what), "{}: {what} is not named as left out", shell.name);
        }
        for name in ["plain", "id_rsa", "x.AppImage", "a.list"] {
            let file = place.path("secret").join(name);
            let mode = fs::metadata(&file).unwrap().permissions().mode();
            assert_eq!(mode & 0o777, 0o644, "{}: the mode of a file outside was changed", shell.name);
            assert_eq!(
                fs::read_to_string(&file).unwrap(),
                SECRET,
                "{}: a file outside was written",
                shell.name
            );
        }
        assert_eq!(fs::read_dir(place.path("secret")).unwrap().count(), 4, "{}", shell.name);
        let listed = collect(&place, &shell, &["--root", "r", "--list"]);
        assert!(listed.status.success() && !listed.stdout.contains(&0x1b), "{}", shell.name);
        assert!(!String::from_utf8_lossy(&listed.stdout).contains("id_rsa"), "{}", shell.name);
        // Whoever reads the archive is told, and reads no more.
        let taken = place.run("take out.tar -q -o taken.tally.json");
        assert_eq!(taken.code, 0, "{}: {}", shell.name, taken.stderr);
        let tally = place.read("taken.tally.json");
        assert!(
            tally.contains("left out by the kit") && tally.contains("\"Word\""),
            "{}: {tally}",
            shell.name
        );
        assert!(!tally.contains(SECRET), "{}", shell.name);
        fs::remove_file(place.path("out.tar")).unwrap();
        fs::remove_file(place.path("taken.tally.json")).unwrap();
    }
}

#[test]
fn of_nothing_nothing_is_written() {
    let place = Place::new();
    place.run("kit -o kit.sh");
    fs::create_dir_all(place.path("empty/etc")).unwrap();
    symlink("/", place.path("empty/usr")).unwrap();
    for shell in shells(&place) {
        for root in ["empty", "empty/etc"] {
            let said = collect(&place, &shell, &["--root", root, "-o", "out.tar.gz"]);
            assert_eq!(said.status.code(), Some(3), "{}", shell.name);
            let stderr = String::from_utf8(said.stderr).unwrap();
            assert!(stderr.contains("found nothing to take") && !stderr.contains("wrote"), "{stderr}");
        }
    }
    assert!(!place.path("out.tar.gz").exists());
    let left: Vec<_> =
        fs::read_dir(place.path(".")).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    assert!(left.iter().all(|name| !name.to_string_lossy().starts_with("out")), "{left:?}");
}

#[test]
fn what_cannot_be_written_is_said_and_nothing_is_left() {
    let place = Place::new();
    place.run("kit -o kit.sh");
    place.write("r/etc/os-release", "ID=x\n");
    symlink(place.path("victim"), place.path("link.tar")).unwrap();
    for shell in shells(&place) {
        for out in ["nowhere/out.tar", "link.tar", "/dev/full"] {
            let said = collect(&place, &shell, &["--root", "r", "-o", out]);
            assert_eq!(said.status.code(), Some(3), "{}: {out}", shell.name);
            let stderr = String::from_utf8(said.stderr).unwrap();
            assert!(stderr.contains("kit: can't") && !stderr.contains("wrote"), "{}: {stderr}", shell.name);
        }
    }
    assert!(!place.path("victim").exists() && Path::new("/dev/full").exists());
}
