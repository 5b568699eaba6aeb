//! The `Exec` key: what a launcher really starts.

use smol_str::SmolStr;

/// An `Exec` line, understood.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub(super) struct Exec {
    /// The command as written: what must be there.
    pub(super) command: Option<SmolStr>,
    /// The program behind wrappers, without its folder.
    pub(super) program: Option<SmolStr>,
    /// An address among the arguments.
    pub(super) url: Option<SmolStr>,
    /// Whether the program only hands something over to whatever opens it.
    pub(super) opens: bool,
}

/// Commands that only prepare what they start.
const WRAPPERS: &[&str] = &[
    "env",
    "nice",
    "ionice",
    "setsid",
    "dbus-launch",
    "dbus-run-session",
    "pkexec",
    "sudo",
    "gksu",
    "gksudo",
    "kdesu",
    "lxqt-sudo",
    "exec",
    "nohup",
    "start-pulseaudio-x11",
];

/// Commands that open whatever they are given.
const OPENERS: &[&str] = &[
    "xdg-open",
    "gio",
    "gvfs-open",
    "exo-open",
    "kde-open",
    "kde-open5",
    "sensible-browser",
    "x-www-browser",
    "www-browser",
];

const SHELLS: &[&str] = &["sh", "bash", "dash"];

impl Exec {
    /// Understands an `Exec` value by the quoting rules of the Desktop Entry Specification.
    pub(super) fn parse(line: &str) -> Self {
        let words = words(line);
        let mut exec = Self { command: words.first().map(SmolStr::from), ..Self::default() };
        exec.url = words.iter().find_map(|word| url_in(word));
        let mut rest = words.iter().peekable();
        while let Some(word) = rest.next() {
            let name = word.rsplit('/').next().unwrap_or(word);
            if WRAPPERS.contains(&name) {
                while rest.peek().is_some_and(|next| next.starts_with('-') || next.contains('=')) {
                    rest.next();
                }
                continue;
            }
            if SHELLS.contains(&name) && rest.peek().is_some_and(|next| *next == "-c") {
                let script = rest.nth(1).map(|script| Self::parse(script)).unwrap_or_default();
                exec.program = script.program;
                exec.opens = script.opens;
                return exec;
            }
            if name == "flatpak" && rest.peek().is_some_and(|next| *next == "run") {
                exec.program = rest.skip(1).find(|next| !next.starts_with('-')).map(SmolStr::from);
                return exec;
            }
            exec.program = Some(name.into());
            exec.opens =
                OPENERS.contains(&name) && (name != "gio" || rest.peek().is_some_and(|next| *next == "open"));
            return exec;
        }
        exec
    }
}

/// An address, alone or behind an option's equals sign.
fn url_in(word: &str) -> Option<SmolStr> {
    let word =
        word.split_once('=').filter(|(option, _)| option.starts_with('-')).map_or(word, |(_, value)| value);
    (word.starts_with("http://") || word.starts_with("https://")).then(|| word.into())
}

/// Splits a line in words: double quotes with backslash escapes; single quotes as many files use them.
fn words(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut quote = None;
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match (quote, c) {
            (Some('"') | None, '\\') => word.get_or_insert_default().extend(chars.next()),
            (Some(open), c) if c == open => quote = None,
            (Some(_), c) => word.get_or_insert_default().push(c),
            (None, '"' | '\'') => {
                quote = Some(c);
                word.get_or_insert_default();
            }
            (None, c) if c.is_whitespace() => words.extend(word.take()),
            (None, c) => word.get_or_insert_default().push(c),
        }
    }
    words.extend(word);
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_program_stands_behind_its_wrappers() {
        for (line, program) in [
            ("/usr/bin/inkcap --new %F", Some("inkcap")),
            ("env LANG=C GTK_THEME=x inkcap", Some("inkcap")),
            ("pkexec --disable-internal-agent /usr/sbin/ferry", Some("ferry")),
            ("sh -c \"inkcap -x\"", Some("inkcap")),
            ("\"/opt/my app/run\" %u", Some("run")),
            (
                "/usr/bin/flatpak run --branch=stable --arch=x86_64 org.marsh.Heron @@u %u @@",
                Some("org.marsh.Heron"),
            ),
            ("", None),
            ("env A=b", None),
        ] {
            assert_eq!(Exec::parse(line).program.as_deref(), program, "{line}");
        }
    }

    #[test]
    fn openers_are_told_from_programs() {
        assert!(Exec::parse("xdg-open /usr/share/doc").opens);
        assert!(Exec::parse("gio open x").opens);
        assert!(!Exec::parse("gio mount x").opens);
        assert_eq!(
            Exec::parse("lapwing --app=https://m.example/").url.as_deref(),
            Some("https://m.example/")
        );
        assert_eq!(Exec::parse("inkcap 'two words'").command.as_deref(), Some("inkcap"));
    }
}
