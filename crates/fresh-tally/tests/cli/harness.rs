//! Runs the program with a cleared environment and a fixed width, and says everything it said.

use saltmarsh::World;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use tempfile::TempDir;

/// A temporary folder to run in.
pub(crate) struct Place {
    dir: TempDir,
}

/// What the program said, and how it ended.
pub(crate) struct Outcome {
    pub(crate) stdout: String,
    pub(crate) stderr: String,
    pub(crate) code: i32,
}

impl Place {
    pub(crate) fn new() -> Self {
        // Installs are thousands of small files: in memory they are written in a fraction of the time, where there is room.
        let memory = Path::new("/dev/shm");
        let room = rustix::fs::statvfs(memory).map_or(0, |disk| disk.f_bavail.saturating_mul(disk.f_frsize));
        let in_memory = (room > 2 << 30).then(|| tempfile::tempdir_in(memory).ok()).flatten();
        Self { dir: in_memory.unwrap_or_else(|| tempfile::tempdir().unwrap()) }
    }

    /// A place with an install of the made-up world below `root-KEY` for each key.
    pub(crate) fn with_installs(keys: &[&str]) -> Self {
        let place = Self::new();
        let world = World::load().unwrap();
        for key in keys {
            saltmarsh::write_install(
                &world,
                world.install(key).unwrap(),
                &place.path(&format!("root-{key}")),
            )
            .unwrap();
        }
        place
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.dir.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, content: impl AsRef<[u8]>) -> PathBuf {
        let path = self.path(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, content).unwrap();
        path
    }

    pub(crate) fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    /// Runs the program in this place, words divided by spaces.
    pub(crate) fn run(&self, line: &str) -> Outcome {
        self.run_with(line, b"", &[])
    }

    fn command(&self, line: &str) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_fresh-tally"));
        command
            .args(line.split_whitespace())
            .env_clear()
            .env("FRESH_TALLY_SHELF", self.path("shelf"))
            .env("SOURCE_DATE_EPOCH", "1935568800")
            .env("TMPDIR", self.dir.path())
            .current_dir(self.dir.path());
        command
    }

    /// Starts the program, and does not wait for it.
    pub(crate) fn spawn(&self, line: &str) -> std::process::Child {
        let quiet = || Stdio::null();
        self.command(line).stdin(quiet()).stdout(quiet()).stderr(quiet()).spawn().unwrap()
    }

    pub(crate) fn run_with(&self, line: &str, stdin: &[u8], environment: &[(&str, &str)]) -> Outcome {
        let mut child = self
            .command(line)
            .envs(environment.iter().copied())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // A program that does not read its input closes it, which is no failure of the test.
        _ = child.stdin.take().unwrap().write_all(stdin);
        let output = child.wait_with_output().unwrap();
        Outcome {
            stdout: self.mask(&output.stdout),
            stderr: self.mask(&output.stderr),
            code: output.status.code().unwrap_or(-1),
        }
    }

    /// Replaces the temporary folder by a fixed word.
    fn mask(&self, bytes: &[u8]) -> String {
        let text = String::from_utf8(bytes.to_vec()).expect("the program speaks UTF-8");
        let real = std::fs::canonicalize(self.dir.path()).unwrap();
        text.replace(&*real.to_string_lossy(), "PLACE").replace(&*self.dir.path().to_string_lossy(), "PLACE")
    }
}

impl Outcome {
    /// Everything at once, for a snapshot.
    pub(crate) fn all(&self) -> String {
        format!("exit: {}\n--- stdout\n{}--- stderr\n{}", self.code, self.stdout, self.stderr)
    }

    /// Standard output, when the program ended well and said nothing else.
    pub(crate) fn plain(self) -> String {
        assert_eq!((self.code, self.stderr.as_str()), (0, ""), "{}", self.stdout);
        self.stdout
    }

    /// The answer as JSON.
    pub(crate) fn json(self) -> serde_json::Value {
        serde_json::from_str(&self.plain()).unwrap()
    }
}

/// The names in a folder, sorted.
pub(crate) fn names(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}
