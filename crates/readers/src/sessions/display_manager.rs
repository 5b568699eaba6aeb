//! Which session starts when nothing is chosen: by the display manager that is enabled, each by its own rule and configuration.

use super::SessionFile;
use super::command::Command;
use crate::keyfile::KeyFile;
use crate::text::{lines, name_text, text};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::model::{Evidence, Looks, Text};
use tally_trees::Tree;

/// What starts when the install has started.
#[derive(Debug, Clone, Default)]
pub(crate) struct Start {
    /// The display manager.
    pub(crate) manager: Option<Text>,
    /// The session's ID.
    pub(crate) session: Option<Text>,
    /// How it draws.
    pub(crate) display: Option<Text>,
    /// The file that says so.
    pub(crate) evidence: Option<Evidence>,
}

/// Display managers whose services are looked for by name, where no link names one.
const KNOWN: &[&str] = &[
    "gdm",
    "sddm",
    "lightdm",
    "plasmalogin",
    "lxdm",
    "greetd",
    "ly",
    "xdm",
    "slim",
    "wdm",
    "nodm",
    "emptty",
    "lemurs",
    "cosmic-greeter",
    "entrance",
];

/// Folders of services that start at boot, in the init systems that know no link for the display manager.
const SERVICES: &[&str] = &[
    "etc/systemd/system/graphical.target.wants",
    "etc/systemd/system/multi-user.target.wants",
    "etc/runlevels/default",
    "etc/runit/runsvdir/default",
    "etc/dinit.d/boot.d",
];

impl Start {
    /// Writes down what starts.
    pub(crate) fn note(self, looks: &mut Looks) {
        looks.default_session = self.session;
        looks.default_display = self.display;
        looks.display_manager = self.manager;
        looks.evidence.extend(self.evidence.filter(|one| !looks.evidence.contains(one)));
    }
}

/// Looks up the display manager, and asks it.
pub(crate) fn start(tree: &dyn Tree, sessions: &[SessionFile]) -> Start {
    let Some((manager, file)) = enabled(tree) else { return Start::default() };
    let rule = Rule { tree, sessions };
    let found = rule.ask(&manager);
    let mut start = Start {
        manager: Some(manager.as_str().into()),
        evidence: Some(Evidence::file(file)),
        ..Start::default()
    };
    if let Some(Chosen { file: session, evidence }) = found {
        start.session = Some(session.session.id.clone());
        start.display = Some(session.session.display.clone());
        start.evidence = evidence.map(Evidence::file).or(start.evidence);
    }
    start
}

/// The display manager that starts, and the file that says so.
fn enabled(tree: &dyn Tree) -> Option<(String, String)> {
    let named = |link: &str| {
        let target = tree.read_link(Path::new(link)).ok()?;
        let name = text(target.file_name()?.as_bytes());
        let name = name.strip_suffix(".service").unwrap_or(&name).to_owned();
        (name != "null").then_some((name, link.to_owned()))
    };
    let by_file = |file: &str| {
        let bytes = tree.read(file).ok()?;
        let (_, first) = lines(&bytes).find(|(_, line)| !line.trim_ascii().is_empty())?;
        let name = text(first.trim_ascii());
        Some((name.rsplit('/').next()?.to_owned(), file.to_owned()))
    };
    let by_variable = |file: &str, key: &str| {
        let bytes = tree.read(file).ok()?;
        let value = lines(&bytes).filter_map(|(_, line)| assignment(&text(line), key)).last()?;
        (!value.is_empty())
            .then(|| (value.rsplit('/').next().unwrap_or_default().to_owned(), file.to_owned()))
    };
    let link = named("etc/systemd/system/display-manager.service");
    // A service that only starts whatever another file names.
    let indirect = |(name, _): &(String, String)| {
        !matches!(name.as_str(), "display-manager" | "display-manager-legacy" | "xdm")
    };
    let found = link
        .clone()
        .filter(indirect)
        .or_else(|| by_file("etc/X11/default-display-manager"))
        .or_else(|| named("etc/alternatives/default-displaymanager"))
        .or_else(|| by_variable("etc/sysconfig/displaymanager", "DISPLAYMANAGER"))
        .or_else(|| by_variable("etc/sysconfig/desktop", "DISPLAYMANAGER"))
        .or_else(|| {
            let starts = ["etc/runlevels/default/display-manager", "etc/runlevels/default/xdm"].into_iter();
            starts.into_iter().any(|link| tree.node(Path::new(link), false).is_ok()).then_some(())?;
            by_variable("etc/conf.d/display-manager", "DISPLAYMANAGER")
                .or_else(|| by_variable("etc/conf.d/xdm", "DISPLAYMANAGER"))
        })
        .or_else(|| by_service(tree))
        .or_else(|| {
            KNOWN.iter().find_map(|name| {
                let (value, file) = by_variable("etc/rc.conf", &format!("{name}_enable"))?;
                value.eq_ignore_ascii_case("yes").then(|| ((*name).to_owned(), file))
            })
        })
        .or(link);
    found.map(|(name, file)| {
        let name = name.to_lowercase();
        let plain = name.strip_suffix(".sh").unwrap_or(&name).split('@').next().unwrap_or(&name);
        (if plain == "gdm3" { "gdm" } else { plain }.to_owned(), file)
    })
}

/// A service of a known name that starts at boot.
fn by_service(tree: &dyn Tree) -> Option<(String, String)> {
    SERVICES.iter().find_map(|folder| {
        tree.names(folder).into_iter().find_map(|entry| {
            let name = name_text(&entry.name);
            let plain = name.strip_suffix(".service").unwrap_or(&name);
            let plain = plain.split('@').next().unwrap_or(plain);
            let plain = if plain == "gdm3" { "gdm" } else { plain };
            let held_back = tree.exists(format!("{folder}/{name}/down"));
            (KNOWN.contains(&plain) && !held_back).then(|| (plain.to_owned(), format!("{folder}/{name}")))
        })
    })
}

/// The value of `KEY=value` or `KEY="value"`.
fn assignment(line: &str, key: &str) -> Option<String> {
    let value = line.trim().strip_prefix(key)?.trim_start().strip_prefix('=')?;
    Some(value.trim().trim_matches(['"', '\'']).to_owned())
}

/// The session that a display manager chooses, and the file that made it do so.
struct Chosen<'a> {
    file: &'a SessionFile,
    evidence: Option<String>,
}

struct Rule<'a> {
    tree: &'a dyn Tree,
    sessions: &'a [SessionFile],
}

impl<'a> Rule<'a> {
    fn ask(&self, manager: &str) -> Option<Chosen<'a>> {
        match manager {
            "gdm" => self.gdm(),
            "sddm" | "plasmalogin" => self.sddm(manager),
            "lightdm" => self.lightdm(),
            "lxdm" => self.lxdm(),
            "greetd" => self.greetd(),
            "cosmic-greeter" => self.of_id("cosmic").map(plain).or_else(|| self.only()),
            "xdm" | "wdm" | "slim" | "nodm" => self.by_alternative().or_else(|| self.only()),
            _ => self.only().or_else(|| self.by_alternative()),
        }
    }

    fn of_id(&self, id: &str) -> Option<&'a SessionFile> {
        self.sessions.iter().find(|one| one.session.id == id)
    }

    fn of_display(&self, id: &str, display: &str) -> Option<&'a SessionFile> {
        self.sessions.iter().find(|one| one.session.id == id && one.session.display == display)
    }

    fn only(&self) -> Option<Chosen<'a>> {
        if let [only] = self.sessions { Some(plain(only)) } else { None }
    }

    /// GDM: the session called `gnome`, else the first by ID; Wayland unless it is switched off.
    fn gdm(&self) -> Option<Chosen<'a>> {
        let files = ["etc/gdm3/daemon.conf", "etc/gdm3/custom.conf", "etc/gdm/custom.conf"];
        let said = |key: &str| {
            files.iter().find_map(|file| Some((self.value(file, &["daemon"], key)?, (*file).to_owned())))
        };
        let no_wayland = said("WaylandEnable").filter(|(value, _)| value.eq_ignore_ascii_case("false"));
        let display = if no_wayland.is_some() { ["x11", "x11"] } else { ["wayland", "x11"] };
        let named = |id: &str| display.iter().find_map(|display| self.of_display(id, display));
        if let Some((id, file)) = said("DefaultSession")
            && let Some(session) = named(id.trim_end_matches(".desktop"))
        {
            return Some(Chosen { file: session, evidence: Some(file) });
        }
        let template = "usr/share/accountsservice/user-templates/standard";
        let by_template = self.value(template, &["User"], "Session").and_then(|id| named(&id));
        let first = || {
            let mut ids: Vec<&Text> = self.sessions.iter().map(|one| &one.session.id).collect();
            ids.sort_unstable();
            ids.into_iter().find_map(|id| named(id))
        };
        let file = by_template.or_else(|| named("ubuntu")).or_else(|| named("gnome")).or_else(first)?;
        Some(Chosen { file, evidence: no_wayland.map(|(_, file)| file) })
    }

    /// SDDM: the session of the automatic login, else the first of its list, in which Wayland sessions go before those of X11.
    fn sddm(&self, manager: &str) -> Option<Chosen<'a>> {
        let mut files = self.drop_ins(&format!("usr/lib/{manager}/{manager}.conf.d"));
        files.extend(self.drop_ins(&format!("etc/{manager}.conf.d")));
        files.push(format!("etc/{manager}.conf"));
        let last = |key: &str| {
            files.iter().rev().find_map(|file| Some((self.value(file, &["Autologin"], key)?, file.clone())))
        };
        if let (Some((session, file)), Some(_)) = (last("Session"), last("User")) {
            let id = session.rsplit('/').next().unwrap_or(&session).trim_end_matches(".desktop").to_owned();
            if let Some(session) = self.of_id(&id) {
                return Some(Chosen { file: session, evidence: Some(file) });
            }
        }
        let wayland = self.sessions.iter().find(|one| one.session.display == "wayland");
        wayland.or_else(|| self.sessions.first()).map(plain)
    }

    /// LightDM: `user-session` (with an automatic login its own), else what the program was built with; where that session is not there,
    /// the first of the greeter's list, which is sorted by name.
    fn lightdm(&self) -> Option<Chosen<'a>> {
        let mut files = Vec::new();
        for folder in [
            "usr/share/lightdm/lightdm.conf.d",
            "etc/xdg/lightdm/lightdm.conf.d",
            "etc/lightdm/lightdm.conf.d",
        ] {
            files.extend(self.drop_ins(folder));
        }
        files.push("etc/lightdm/lightdm.conf".to_owned());
        let last = |key: &str| {
            let groups = ["Seat:*", "SeatDefaults", "Seat:seat0"];
            files.iter().rev().find_map(|file| Some((self.value(file, &groups, key)?, file.clone())))
        };
        let automatic = last("autologin-user").and_then(|_| last("autologin-session"));
        for (id, file) in automatic.into_iter().chain(last("user-session")) {
            if let Some(chosen) = self.of_id(&id) {
                return self.started(chosen, Some(file));
            }
        }
        let built_in = self.of_id("lightdm-xsession").or_else(|| self.of_id("default"));
        let by_greeter = || {
            let greeter = self.tree.read_link(Path::new("etc/alternatives/lightdm-greeter")).ok();
            let slick = greeter.is_some_and(|target| target.to_string_lossy().contains("slick"));
            let own = ["cinnamon", "mate", "xfce", "plasma", "gnome"];
            slick.then(|| own.iter().find_map(|id| self.of_display(id, "x11"))).flatten()
        };
        let first = || self.sessions.iter().min_by(|a, b| a.session.name.cmp(&b.session.name));
        self.started(built_in.or_else(by_greeter).or_else(first)?, None)
    }

    /// A session that starts whatever the system's session manager is comes to another one.
    fn started(&self, chosen: &'a SessionFile, evidence: Option<String>) -> Option<Chosen<'a>> {
        if matches!(chosen.command.program.as_str(), "default" | "Xsession" | "x-session-manager") {
            return Some(self.by_alternative().unwrap_or(Chosen { file: chosen, evidence }));
        }
        Some(Chosen { file: chosen, evidence })
    }

    /// LXDM: `session` in its configuration names a program or a session, else the alternative.
    fn lxdm(&self) -> Option<Chosen<'a>> {
        let files = ["etc/lxdm/lxdm.conf", "etc/lxdm/default.conf"];
        let said =
            files.iter().find_map(|file| Some((self.value(file, &["base"], "session")?, (*file).to_owned())));
        let by_config = said.and_then(|(value, file)| {
            let command = Command::parse(&value);
            let found = self.sessions.iter().find(|one| one.command.is_same(&command));
            Some(Chosen { file: found.or_else(|| self.of_id(&command.program))?, evidence: Some(file) })
        });
        by_config.or_else(|| self.by_alternative()).or_else(|| self.only())
    }

    /// greetd: the command of the first session, else the one that the greeter is told to start.
    fn greetd(&self) -> Option<Chosen<'a>> {
        let file = "etc/greetd/config.toml";
        let bytes = self.tree.read(file).ok()?;
        let config: toml::Table = toml::from_str(&text(&bytes)).ok()?;
        let command = |table: &str| config.get(table)?.get("command")?.as_str().map(ToOwned::to_owned);
        let told = command("initial_session").or_else(|| {
            let line = Command::parse(&command("default_session")?);
            let mut words = line.arguments.into_iter();
            words.find(|word| matches!(word.as_str(), "--cmd" | "-c" | "--command"))?;
            words.next()
        });
        let told_something = told.is_some();
        let by_config = told.map(|line| Command::parse(&line)).and_then(|command| {
            let same = self.sessions.iter().find(|one| one.command.is_same(&command));
            let program = || self.sessions.iter().find(|one| one.command.program == command.program);
            Some(Chosen { file: same.or_else(program)?, evidence: Some(file.to_owned()) })
        });
        // What it is told to start is no session: a login shell, say.
        if told_something { by_config } else { by_config.or_else(|| self.only()) }
    }

    /// The session of the program that the system's alternatives name as session manager: the one that runs just that, else one of X11 of
    /// the same desktop.
    fn by_alternative(&self) -> Option<Chosen<'a>> {
        // As /etc/X11/Xsession asks them: a window manager starts where there is no session manager.
        let links = ["etc/alternatives/x-session-manager", "etc/alternatives/x-window-manager"];
        links.into_iter().find_map(|link| self.by_link(link))
    }

    fn by_link(&self, link: &str) -> Option<Chosen<'a>> {
        let target = self.tree.read_link(Path::new(link)).ok()?;
        let command = Command::parse(&target.to_string_lossy());
        let x11 = || self.sessions.iter().filter(|one| one.session.display == "x11");
        let same = x11().find(|one| one.command.is_same(&command));
        let of_desktop = || {
            let names = command.follow(self.tree).names;
            x11().find(|one| !names.is_empty() && one.session.desktops.first() == names.first())
        };
        Some(Chosen { file: same.or_else(of_desktop)?, evidence: Some(link.to_owned()) })
    }

    fn drop_ins(&self, folder: &str) -> Vec<String> {
        let names = self.tree.names(folder).into_iter().map(|entry| name_text(&entry.name));
        names.filter(|name| name.ends_with(".conf")).map(|name| format!("{folder}/{name}")).collect()
    }

    fn value(&self, file: &str, groups: &[&str], key: &str) -> Option<String> {
        let bytes = self.tree.read(file).ok()?;
        let parsed = KeyFile::parse(file, &bytes);
        groups.iter().find_map(|group| Some(parsed.group(group)?.string(key)?.to_string()))
    }
}

fn plain(file: &SessionFile) -> Chosen<'_> {
    Chosen { file, evidence: None }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn session(tree: MemoryTree, path: &str, name: &str, exec: &str) -> MemoryTree {
        tree.file(format!("usr/share/{path}.desktop"), format!("[Desktop Entry]\nName={name}\nExec={exec}\n"))
    }

    fn sessions() -> MemoryTree {
        let tree = session(MemoryTree::new(), "wayland-sessions/weir-w", "Weir (Wayland)", "weir --wayland");
        let tree = session(tree, "xsessions/weir", "Weir", "weir");
        session(tree, "xsessions/alder", "Zz Alder", "alder")
    }

    fn manager(tree: MemoryTree, name: &str) -> MemoryTree {
        tree.link(
            "etc/systemd/system/display-manager.service",
            format!("/usr/lib/systemd/system/{name}.service"),
        )
    }

    fn starts(tree: &MemoryTree) -> (Option<String>, Option<String>, Option<String>) {
        let text = |text: Option<Text>| text.map(|text| text.to_string());
        let start = super::super::read_all(tree).1;
        (text(start.manager), text(start.session), text(start.display))
    }

    fn is(tree: &MemoryTree, wanted: (&str, &str, &str)) {
        let some = |text: &str| (!text.is_empty()).then(|| text.to_owned());
        assert_eq!(starts(tree), (some(wanted.0), some(wanted.1), some(wanted.2)));
    }

    #[test]
    fn each_display_manager_has_its_own_rule() {
        is(&sessions(), ("", "", ""));
        let gdm = manager(sessions(), "gdm3");
        is(&gdm, ("gdm", "alder", "x11"));
        let gnome = session(
            session(gdm, "wayland-sessions/gnome", "GNOME", "gnome-session"),
            "xsessions/gnome",
            "GNOME",
            "gnome-session",
        );
        is(&gnome, ("gdm", "gnome", "wayland"));
        is(&gnome.file("etc/gdm3/daemon.conf", "[daemon]\nWaylandEnable=false\n"), ("gdm", "gnome", "x11"));
        let sddm = manager(sessions(), "sddm");
        is(&sddm, ("sddm", "weir-w", "wayland"));
        is(
            &sddm.file("etc/sddm.conf.d/a.conf", "[Autologin]\nUser=live\nSession=weir.desktop\n"),
            ("sddm", "weir", "x11"),
        );
        let lightdm = manager(sessions(), "lightdm");
        is(&lightdm, ("lightdm", "weir", "x11"));
        is(
            &lightdm.file("etc/lightdm/lightdm.conf", "[Seat:*]\n#user-session=weir\nuser-session=alder\n"),
            ("lightdm", "alder", "x11"),
        );
        let greetd = manager(sessions(), "greetd");
        let config = "[default_session]\ncommand = \"tuigreet --time --cmd 'weir --wayland'\"\n";
        is(&greetd.file("etc/greetd/config.toml", config), ("greetd", "weir-w", "wayland"));
        let shell = "[default_session]\ncommand = \"agreety --cmd '${SHELL:-/bin/sh}'\"\n";
        let console = manager(session(MemoryTree::new(), "wayland-sessions/weir", "Weir", "weir"), "greetd");
        is(&console.file("etc/greetd/config.toml", shell), ("greetd", "", ""));
        let lxdm = manager(sessions(), "lxdm").file("etc/lxdm/lxdm.conf", "[base]\nsession=/usr/bin/alder\n");
        is(&lxdm, ("lxdm", "alder", "x11"));
    }

    #[test]
    fn the_alternative_is_compared_whole_and_only_where_it_is_asked() {
        let tree = session(
            manager(sessions(), "lightdm"),
            "xsessions/lightdm-xsession",
            "Default Xsession",
            "default",
        );
        let tree = tree.link("etc/alternatives/x-session-manager", "/usr/bin/weir");
        is(&tree, ("lightdm", "weir", "x11"));
        let sddm = manager(sessions(), "sddm").link("etc/alternatives/x-session-manager", "/usr/bin/weir");
        is(&sddm, ("sddm", "weir-w", "wayland"));
        let none = session(
            manager(MemoryTree::new(), "lightdm"),
            "xsessions/lightdm-xsession",
            "Default Xsession",
            "default",
        );
        is(
            &none.link("etc/alternatives/x-session-manager", "/usr/bin/none"),
            ("lightdm", "lightdm-xsession", "x11"),
        );
    }

    #[test]
    fn a_window_manager_starts_where_there_is_no_session_manager() {
        let tree = session(
            manager(sessions(), "lightdm"),
            "xsessions/lightdm-xsession",
            "Default Xsession",
            "default",
        );
        is(&tree.link("etc/alternatives/x-window-manager", "/usr/bin/alder"), ("lightdm", "alder", "x11"));
    }

    #[test]
    fn of_two_display_managers_the_one_that_is_named_starts() {
        let both = sessions()
            .file("etc/runlevels/default/sddm", "")
            .file("etc/runlevels/default/lightdm", "")
            .file("etc/X11/default-display-manager", "\n/usr/sbin/lightdm\n");
        is(&both, ("lightdm", "weir", "x11"));
        let openrc = sessions()
            .file("etc/runlevels/default/display-manager", "")
            .file("etc/conf.d/display-manager", "DISPLAYMANAGER=\"sddm\"\n");
        is(&openrc, ("sddm", "weir-w", "wayland"));
        is(&sessions().file("etc/rc.conf", "sddm_enable=\"YES\"\n"), ("sddm", "weir-w", "wayland"));
        is(&sessions().file("etc/rc.conf", "sddm_enable=\"NO\"\n"), ("", "", ""));
    }
}
