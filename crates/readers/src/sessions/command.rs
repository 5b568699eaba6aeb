//! What a session's command comes to: wrappers are followed as a shell would run them, as far as they are simple.

use super::PROGRAMS;
use crate::keyfile::KeyFile;
use crate::text::{lines, text};
use tally_core::knowledge::{Desktop, desktops};
use tally_core::model::Text;
use tally_trees::Tree;

/// Scripts that run each other, at most.
const DEEPEST: usize = 8;
/// The largest script that is looked into: 256 KiB.
const SCRIPT: u64 = 256 << 10;
/// The variable that names the desktop.
const VARIABLE: &str = "XDG_CURRENT_DESKTOP";

/// Programs that only run the command behind them.
const WRAPPERS: &[&str] = &[
    "env",
    "exec",
    "dbus-run-session",
    "dbus-launch",
    "plasma-dbus-run-session-if-needed",
    "systemd-cat",
    "ssh-agent",
    "nohup",
    "setsid",
    "nice",
];

/// A command: a program by its name without folders, its arguments, and the variables that are set for it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Command {
    pub(super) program: String,
    pub(super) arguments: Vec<String>,
    set: Vec<(String, String)>,
}

/// What a session's command tells of its desktop.
#[derive(Debug, Default)]
pub(super) struct Started {
    /// Values of the variable, as a file, a script or the desktop's own program sets it.
    pub(super) names: Vec<Text>,
    /// The desktop whose program is started in the end.
    pub(super) desktop: Option<&'static Desktop>,
}

impl Command {
    /// Reads a command line: words, quotes, assignments before the program; wrappers are taken off.
    pub(super) fn parse(line: &str) -> Self {
        let mut command = Self::default();
        let mut words = words(line).into_iter().peekable();
        while let Some(word) = words.next() {
            let name = word.rsplit('/').next().unwrap_or(&word);
            if let Some((key, value)) = word.split_once('=').filter(|(key, _)| is_variable(key)) {
                command.set.push((key.to_owned(), value.to_owned()));
            } else if matches!(name, "sh" | "bash" | "dash") {
                // `sh -c "weir --x"`: the words are in the argument.
                let given = words.find(|word| !word.starts_with('-')).unwrap_or_default();
                let inner = Self::parse(&given);
                command.set.extend(inner.set);
                (command.program, command.arguments) = (inner.program, inner.arguments);
                command.arguments.extend(words);
                break;
            } else if WRAPPERS.contains(&name) {
                // Their own options go with them.
                while words.next_if(|next| next.starts_with('-')).is_some() {}
            } else {
                command.program = name.to_owned();
                command.arguments = words.collect();
                break;
            }
        }
        command
    }

    /// Whether it runs the same program with the same arguments.
    pub(super) fn is_same(&self, other: &Self) -> bool {
        self.program == other.program && self.arguments == other.arguments
    }

    /// Follows the command through the scripts that it runs.
    pub(super) fn follow(&self, tree: &dyn Tree) -> Started {
        let mut started = Started::default();
        let mut command = self.clone();
        let mut seen: Vec<String> = Vec::new();
        loop {
            if let Some((_, value)) = command.set.iter().find(|(key, _)| key == VARIABLE) {
                started.names = names(value);
            }
            if let Some(value) = command.session_of_manager(tree) {
                started.names = value;
            }
            if let Some(known) = desktops().started_by(&command.program) {
                started.desktop = Some(known);
            }
            let done = !started.names.is_empty() || seen.len() >= DEEPEST || seen.contains(&command.program);
            if done {
                break;
            }
            seen.push(command.program.clone());
            let Some(script) = script(tree, &command.program) else { break };
            let (variable, next) = read_script(&script, &command.arguments);
            if let Some(value) = variable {
                started.names = names(&value);
                break;
            }
            let Some(next) = next else { break };
            command = next;
        }
        if started.names.is_empty() {
            let own = started.desktop.filter(|desktop| desktop.sets_names);
            started.names.extend(own.and_then(|desktop| desktop.names.first()).cloned());
        }
        started
    }

    /// The scripts that it runs, one after another.
    pub(super) fn scripts(&self, tree: &dyn Tree) -> Vec<Vec<u8>> {
        let mut scripts = Vec::new();
        let mut command = self.clone();
        while scripts.len() < DEEPEST
            && let Some(script) = script(tree, &command.program)
        {
            let next = read_script(&script, &command.arguments).1;
            scripts.push(script);
            let Some(next) = next else { break };
            command = next;
        }
        scripts
    }

    /// `cinnamon-session --session cinnamon`: what the session manager's own file says of that session.
    fn session_of_manager(&self, tree: &dyn Tree) -> Option<Vec<Text>> {
        let mut arguments = self.arguments.iter();
        let session = loop {
            let argument = arguments.next()?;
            match argument.strip_prefix("--session") {
                Some("") => break arguments.next()?.as_str(),
                Some(value) => break value.strip_prefix('=')?,
                None => {}
            }
        };
        if session.contains('/') {
            return None;
        }
        let file = format!("usr/share/{}/sessions/{session}.session", self.program);
        let bytes = tree.read(&file).ok()?;
        let parsed = KeyFile::parse(&file, &bytes);
        let value = parsed.groups().find_map(|group| group.string("DesktopName"))?;
        // Some write a name for people there.
        Some(names(&value)).filter(|names| names.iter().all(|name| !name.contains(' ')))
    }
}

fn names(value: &str) -> Vec<Text> {
    value.split([':', ';']).filter(|name| !name.is_empty() && !name.contains('$')).map(Text::from).collect()
}

fn is_variable(key: &str) -> bool {
    !key.is_empty() && key.bytes().all(|byte| byte == b'_' || byte.is_ascii_alphanumeric())
}

/// The text of a program that is a script.
fn script(tree: &dyn Tree, program: &str) -> Option<Vec<u8>> {
    if program.is_empty() || program.contains('$') {
        return None;
    }
    let folders = PROGRAMS.iter().copied().chain(["usr/libexec", "usr/lib"]);
    let mut bytes = Vec::new();
    for folder in folders {
        let path = format!("{folder}/{program}");
        let small = tree.node(std::path::Path::new(&path), true).is_ok_and(|node| node.size <= SCRIPT);
        if small && tree.read_into(std::path::Path::new(&path), SCRIPT, &mut bytes).is_ok() {
            return bytes.starts_with(b"#!").then_some(bytes);
        }
    }
    None
}

/// A condition that is open: whether its branch holds, where that is known, and whether an earlier one of it did.
struct Branch {
    holds: Option<bool>,
    held: bool,
}

/// What a script sets as the desktop, and the command that it ends as: the first `exec` that is certain to be reached, else the last
/// one that its conditions on the first argument let through.
fn read_script(script: &[u8], arguments: &[String]) -> (Option<String>, Option<Command>) {
    let (mut variable, mut next) = (None, None);
    // Only one kind of condition is understood: whether the first argument is a certain word.
    let mut open: Vec<Branch> = Vec::new();
    for (_, line) in lines(script) {
        let line = text(line);
        let line = line.trim();
        match line.split([' ', ';', '\t']).next() {
            Some("if") => {
                open.push(Branch { holds: asks_first_argument(line, arguments), held: false });
                continue;
            }
            Some(word @ ("elif" | "else")) => {
                if let Some(last) = open.last_mut() {
                    last.held |= last.holds == Some(true);
                    let asked = if word == "elif" {
                        asks_first_argument(line, arguments)
                    } else {
                        last.holds.map(|_| true)
                    };
                    last.holds = if last.held { Some(false) } else { asked };
                }
                continue;
            }
            Some("fi") => {
                open.pop();
                continue;
            }
            _ => {}
        }
        if open.iter().any(|branch| branch.holds == Some(false)) {
            continue;
        }
        let set = line.strip_prefix("export ").unwrap_or(line).trim();
        if let Some(value) = set.strip_prefix(VARIABLE).and_then(|rest| rest.strip_prefix('=')) {
            let value = words(value).into_iter().next().unwrap_or_default();
            if !value.is_empty() && !value.contains('$') {
                variable = Some(value.trim_end_matches(';').to_owned());
            }
        } else if let Some(command) = line.strip_prefix("exec ") {
            let mut command = Command::parse(command);
            // The script's own arguments go on where it says so.
            if let Some(at) = command.arguments.iter().position(|one| one == "$@" || one == "$*") {
                command.arguments.splice(at..=at, arguments.iter().cloned());
            }
            if !command.program.is_empty() {
                next = Some(command);
                if open.iter().all(|branch| branch.holds == Some(true)) {
                    break;
                }
            }
        }
    }
    (variable, next)
}

/// Whether `if [ "$1" = "--wayland" ]` holds; `None` for any other condition.
fn asks_first_argument(line: &str, arguments: &[String]) -> Option<bool> {
    let words = words(line);
    let at = words.iter().position(|word| matches!(word.as_str(), "$1" | "x$1"))?;
    let [_, sign, value, ..] = &words[at..] else { return None };
    let value = value.strip_prefix('x').filter(|_| words[at] == "x$1").unwrap_or(value);
    matches!(sign.as_str(), "=" | "==").then(|| arguments.first().is_some_and(|first| first == value))
}

/// Words of a line, quotes taken off; a comment ends it.
fn words(line: &str) -> Vec<String> {
    let (mut words, mut word, mut quote, mut started) = (Vec::new(), String::new(), None, false);
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match (quote, c) {
            (Some(open), _) if c == open => quote = None,
            (None, '\'' | '"') => (quote, started) = (Some(c), true),
            (Some('\''), _) => word.push(c),
            (_, '\\') => word.extend(chars.next()),
            (None, '#') if word.is_empty() && !started => break,
            (None, _) if c.is_whitespace() => {
                if started || !word.is_empty() {
                    words.push(std::mem::take(&mut word));
                }
                started = false;
            }
            _ => word.push(c),
        }
    }
    if started || !word.is_empty() {
        words.push(word);
    }
    words
}

/// Folders that a script puts before and behind the folders of configuration (`XDG_CONFIG_DIRS`).
pub(crate) fn config_folders_set_in(script: &[u8]) -> (Vec<String>, Vec<String>) {
    let (mut before, mut behind) = (Vec::new(), Vec::new());
    for (_, line) in lines(script) {
        let line = text(line);
        let line = line.trim().strip_prefix("export ").unwrap_or(line.trim());
        let Some(value) = line.strip_prefix("XDG_CONFIG_DIRS=") else { continue };
        let value = words(value).into_iter().next().unwrap_or_default();
        // What stands behind the variable itself goes behind the folders that it had.
        let mut own_seen = false;
        for part in value.split(':').map(|part| part.trim_end_matches('/')) {
            match part.strip_prefix('/') {
                Some(folder) if folder.bytes().all(|byte| !matches!(byte, b'$' | b'{' | b'}' | b'`')) => {
                    let into = if own_seen { &mut behind } else { &mut before };
                    if !into.iter().any(|known| known == folder) {
                        into.push(folder.to_owned());
                    }
                }
                _ => own_seen |= part.contains('$'),
            }
        }
    }
    (before, behind)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn a_command_is_read_as_a_shell_reads_it() {
        let command = Command::parse(
            "env A=1 XDG_CURRENT_DESKTOP='Weir:GNOME' /usr/bin/dbus-run-session -- /usr/bin/weir --session \"a b\"",
        );
        assert_eq!(
            (command.program.as_str(), &command.arguments[..]),
            ("weir", &["--session".to_owned(), "a b".into()][..])
        );
        assert_eq!(command.follow(&MemoryTree::new()).names, ["Weir", "GNOME"]);
        assert!(Command::parse("startweir").is_same(&Command::parse("/usr/bin/startweir")));
        assert!(!Command::parse("startweir").is_same(&Command::parse("startweir --wayland")));
    }

    #[test]
    fn scripts_are_followed_and_never_in_circles() {
        let script = |text: &str| format!("#!/bin/sh\n{text}\n");
        let tree = MemoryTree::new()
            .file("usr/bin/round", script("exec about"))
            .file("usr/bin/about", script("exec round \"$@\""))
            .file("usr/bin/weir-wayland", script("if [ \"$1\" = \"--wayland\" ]; then\n  exec weir-session --session weir-w\nelse\n  exec weir-session --session weir \"$@\"\nfi"))
            .file("usr/share/weir-session/sessions/weir.session", "[Weir]\nName=Weir\nDesktopName=X-Weir\n")
            .file("usr/share/weir-session/sessions/weir-w.session", "[Weir]\nDesktopName=X-Weir-Wayland\n")
            .file("usr/bin/sets", script("if [ -z $XDG_CURRENT_DESKTOP ]; then\n  export XDG_CURRENT_DESKTOP=\"Weir\"\nfi\nexec something"))
            .file("usr/bin/binary", [0x7f, b'E', b'L', b'F'])
            .file("usr/bin/endless", script(&"exec endless\n".repeat(1000)));
        let names = |line: &str| Command::parse(line).follow(&tree).names.join(":");
        assert_eq!(
            (names("round").as_str(), names("endless").as_str(), names("binary").as_str()),
            ("", "", "")
        );
        assert_eq!(
            (names("weir-wayland").as_str(), names("weir-wayland --wayland").as_str()),
            ("X-Weir", "X-Weir-Wayland")
        );
        assert_eq!(names("sets"), "Weir");
        assert_eq!(names("sh -c 'exec weir-wayland --wayland'"), "X-Weir-Wayland");
        let chain = "if [ \"$1\" = a ]; then\n exec weir-session --session weir\nelif [ \"$1\" = b ]; then\n exec none\nelse\n exec weir-session --session weir-w\nfi\nexec none";
        let tree = tree.file("usr/bin/chain", script(chain));
        let names = |line: &str| Command::parse(line).follow(&tree).names.join(":");
        assert_eq!((names("chain a").as_str(), names("chain c").as_str()), ("X-Weir", "X-Weir-Wayland"));
        assert_eq!(names("chain b"), "");
        assert_eq!(Command::parse("round").scripts(&tree).len(), DEEPEST);
    }

    /// Wrappers that Debian's sessions run, as far as they tell of a desktop.
    const SCRIPTS: &[(&str, &str)] = &[
        ("startlxde", "export XDG_CURRENT_DESKTOP=\"LXDE\"\nexec /usr/bin/lxsession -s LXDE -e LXDE"),
        ("openbox-gnome-session", "exec gnome-session --session=openbox-gnome"),
        ("openbox-kde-session", "export KDEWM=\"/usr/bin/openbox\"\nexec startplasma-x11 \"$@\""),
        (
            "cinnamon-session-cinnamon",
            "if [ \"$1\" = \"--wayland\" ]; then\n    exec cinnamon-session --session cinnamon-wayland\nelse\n    exec cinnamon-session --session cinnamon \"$@\"\nfi",
        ),
        ("cinnamon-session-cinnamon2d", "exec cinnamon-session --session cinnamon2d \"$@\""),
        ("sxmo_xinit.sh", "envvars() {\n\texport XDG_CURRENT_DESKTOP=dwm\n}"),
        ("sxmo_winit.sh", "envvars() {\n\texport XDG_CURRENT_DESKTOP=sway\n}"),
    ];

    #[test]
    fn every_session_of_debian_13_is_of_its_desktop() {
        let mut tree = MemoryTree::new().file(
            "usr/share/gnome-session/sessions/openbox-gnome.session",
            "[GNOME Session]\nName=GNOME/Openbox\nDesktopName=GNOME\n",
        );
        for name in ["cinnamon", "cinnamon2d", "cinnamon-wayland"] {
            let file = format!("usr/share/cinnamon-session/sessions/{name}.session");
            tree = tree.file(file, "[Cinnamon Session]\nDesktopName=X-Cinnamon\n");
        }
        for (name, script) in SCRIPTS {
            tree = tree.file(format!("usr/bin/{name}"), format!("#!/bin/sh\n{script}\n"));
        }
        let table = include_str!("../../tests/data/sessions-of-debian-13.tsv");
        let rows: Vec<[&str; 4]> = table
            .lines()
            .filter(|line| !line.starts_with('#'))
            .map(|line| line.split('\t').collect::<Vec<_>>().try_into().unwrap())
            .collect();
        for [path, exec, names, _] in &rows {
            let names = if *names == "-" { "" } else { names };
            tree = tree.file(*path, format!("[Desktop Entry]\nName=x\nExec={exec}\nDesktopNames={names}\n"));
        }
        let read = super::super::read(&tree);
        assert_eq!(read.len(), rows.len());
        let mut wrong = Vec::new();
        for [path, _, _, truth] in &rows {
            let session = &read.iter().find(|file| file.session.evidence.file == *path).unwrap().session;
            let told = if session.desktops.is_empty() { "-".to_owned() } else { session.desktops.join(" ") };
            if told != *truth {
                wrong.push(format!("{path}: {told}, not {truth}"));
            }
        }
        assert!(wrong.is_empty(), "{wrong:#?}");
    }
}
