//! Detached signatures as OpenSSH makes and checks them: `ssh-keygen -Y sign` and `ssh-keygen -Y verify`, found on the PATH. Agents,
//! hardware keys, certificates and every sort of key work as they do there. `NAME.sig` beside a file signs it, for the namespace `file`.

use crate::error::CommandError;
use std::fs::{File, Metadata};
use std::io::Write;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use tally_shelf::{open_file, read_file};

/// What a signature is for: any file. A signature that was made for something else does not count.
const NAMESPACE: &str = "file";
/// The program, of OpenSSH 8.2 or later.
const PROGRAM: &str = "ssh-keygen";
/// Bytes of a signature: 1 MiB.
const LIMIT: u64 = 1 << 20;

/// The signature beside a file.
pub(crate) fn beside(file: &Path) -> PathBuf {
    let mut name = file.as_os_str().to_owned();
    name.push(".sig");
    name.into()
}

/// What the program reads.
enum Input<'a> {
    Bytes(&'a [u8]),
    File(File),
}

/// Runs the program with something on its standard input.
fn run(command: &mut Command, input: Input<'_>) -> Result<Output, CommandError> {
    let fail = |error: std::io::Error| CommandError::NoSigner { program: PROGRAM, source: error };
    let (stdin, bytes) = match input {
        Input::Bytes(bytes) => (Stdio::piped(), bytes),
        Input::File(file) => (Stdio::from(file), &[][..]),
    };
    let mut child = command
        .env("TZ", "UTC")
        .env("LC_ALL", "C")
        .stdin(stdin)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(fail)?;
    // What it says is short; it may stop reading before the end, and its own word counts then.
    if let Some(mut stdin) = child.stdin.take() {
        _ = stdin.write_all(bytes);
    }
    child.wait_with_output().map_err(fail)
}

/// What the program said of a failure, in one line.
fn said(output: &Output) -> String {
    let text = String::from_utf8_lossy(&output.stderr);
    let text = if text.trim().is_empty() { String::from_utf8_lossy(&output.stdout) } else { text };
    let line = text.lines().map(str::trim).rfind(|line| !line.is_empty()).unwrap_or("no reason given");
    format!("{PROGRAM} says: {line}")
}

/// A key that signs: a private key, or a public one whose private half an agent or a device holds.
pub(crate) struct Signer {
    path: PathBuf,
}

impl Signer {
    /// A signer, which has signed once: a key that can't sign says so before anything is written.
    pub(crate) fn of(path: &Path) -> Result<Self, CommandError> {
        let signer = Self { path: path.to_owned() };
        signer.sign(b"")?;
        Ok(signer)
    }

    /// The signature of some bytes, as the content of a `.sig` file.
    pub(crate) fn sign(&self, content: &[u8]) -> Result<Vec<u8>, CommandError> {
        let mut command = Command::new(PROGRAM);
        command.args(["-Y", "sign", "-q", "-n", NAMESPACE, "-f"]).arg(&self.path);
        let output = run(&mut command, Input::Bytes(content))?;
        if output.status.success() && output.stdout.starts_with(b"-----BEGIN SSH SIGNATURE-----") {
            return Ok(output.stdout);
        }
        Err(CommandError::Key { path: self.path.clone(), why: format!("can't sign: {}", said(&output)) })
    }
}

/// Who may sign: a file of allowed signers, by ssh-keygen(1).
#[derive(Debug)]
pub(crate) struct Signers<'a> {
    file: &'a Path,
    /// The moment that counts, digits from the year down to the second, UTC.
    now: String,
}

impl<'a> Signers<'a> {
    /// The signers of a file; `now` is a moment of RFC 3339, UTC.
    pub(crate) fn of(file: &'a Path, now: &str) -> Result<Self, CommandError> {
        // It is the program's to read; whether it is there is said first.
        read_file(file, LIMIT).map_err(|error| CommandError::Key {
            path: file.into(),
            why: format!("can't be read: {error}"),
        })?;
        let now: String = now.chars().filter(char::is_ascii_digit).take(14).collect();
        Ok(Self { file, now })
    }

    /// Who signed these bytes, by the signature beside the file that they were read from.
    pub(crate) fn check(&self, content: &[u8], file: &Path, shown: &str) -> Result<String, CommandError> {
        self.checked(Input::Bytes(content), file, shown)
    }

    /// Who signed a file of any size; and what tells later whether it is still as it was checked.
    pub(crate) fn check_file(&self, file: &Path, shown: &str) -> Result<(String, Unchanged), CommandError> {
        let wrong = |error: std::io::Error| CommandError::Signature {
            shown: shown.to_owned(),
            why: error.to_string(),
        };
        let opened = open_file(file).map_err(wrong)?;
        let before = Unchanged { file: file.into(), stamp: stamp(&opened.metadata().map_err(wrong)?) };
        let who = self.checked(Input::File(opened), file, shown)?;
        before.holds()?;
        Ok((who, before))
    }

    fn checked(&self, content: Input<'_>, file: &Path, shown: &str) -> Result<String, CommandError> {
        let wrong = |why: String| CommandError::Signature { shown: shown.to_owned(), why };
        let beside = beside(file);
        let name = beside.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        // A copy is checked: what is beside the file may change meanwhile.
        let bytes = match read_file(&beside, LIMIT) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Err(wrong(format!("there is no `{name}` beside it")));
            }
            Err(error) => return Err(wrong(error.to_string())),
        };
        let copy = tempfile::NamedTempFile::new()
            .and_then(|mut copy| copy.write_all(&bytes).map(|()| copy))
            .map_err(|error| wrong(error.to_string()))?;
        let time = format!("-Overify-time={}", self.now);
        let mut find = Command::new(PROGRAM);
        find.args(["-Y", "find-principals", &time, "-f"]).arg(self.file).arg("-s").arg(copy.path());
        let found = run(&mut find, Input::Bytes(b""))?;
        let principals = String::from_utf8_lossy(&found.stdout).into_owned();
        let who = principals.lines().flat_map(|line| line.split(',')).map(str::trim);
        let who = who.into_iter().find(|name| !name.is_empty() && !name.starts_with('!'));
        let Some(who) = who.filter(|_| found.status.success()) else {
            let file = self.file.display();
            return Err(wrong(format!("nobody in `{file}` may have made it; {}", said(&found))));
        };
        let mut verify = Command::new(PROGRAM);
        verify
            .args(["-Y", "verify", &time, "-n", NAMESPACE, "-I", who, "-f"])
            .arg(self.file)
            .arg("-s")
            .arg(copy.path());
        let verified = run(&mut verify, content)?;
        if !verified.status.success() {
            return Err(wrong(said(&verified)));
        }
        // `Good "file" signature for NAME with ED25519 key SHA256:...`
        let text = String::from_utf8_lossy(&verified.stdout).into_owned();
        let key = text.split_whitespace().find(|word| word.starts_with("SHA256:"));
        Ok(key.map_or_else(|| who.to_owned(), |key| format!("{who} ({key})")))
    }
}

/// A file as it was when its signature was checked.
pub(crate) struct Unchanged {
    file: PathBuf,
    stamp: Stamp,
}

/// Device, number, size, and the times of the last change to content and to anything.
type Stamp = (u64, u64, u64, (i64, i64), (i64, i64));

fn stamp(data: &Metadata) -> Stamp {
    (
        data.dev(),
        data.ino(),
        data.size(),
        (data.mtime(), data.mtime_nsec()),
        (data.ctime(), data.ctime_nsec()),
    )
}

impl Unchanged {
    /// Whether what was read since is what was checked.
    ///
    /// # Errors
    /// When the file is another one by now, or was written to.
    pub(crate) fn holds(&self) -> Result<(), CommandError> {
        let now = std::fs::metadata(&self.file).map(|data| stamp(&data));
        if now.is_ok_and(|now| now == self.stamp) {
            return Ok(());
        }
        let shown = self.file.display().to_string();
        Err(CommandError::Signature { shown, why: "it changed after it was checked".into() })
    }
}
