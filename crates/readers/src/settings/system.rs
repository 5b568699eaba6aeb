//! Settings of the whole install: apt's configuration, new users, policies and preferences of browsers.

use super::Said;
use crate::keyfile::KeyFile;
use crate::text::{lines, name_text, text};
use tally_core::knowledge::matches;
use tally_core::model::Text;
use tally_trees::Tree;

/// A value of a key file at a place of its own.
pub(super) fn key_file(tree: &dyn Tree, path: &str, group: &str, key: &str) -> Option<(Text, String)> {
    let bytes = tree.read(path).ok()?;
    let value = KeyFile::parse(path, &bytes).group(group)?.string(key)?;
    Some((value, path.to_owned()))
}

/// The files of a folder by name, where its pattern's last part may have `*`.
fn files(tree: &dyn Tree, pattern: &str) -> Vec<String> {
    let Some((folder, name)) = pattern.rsplit_once('/').filter(|(_, name)| name.contains('*')) else {
        return vec![pattern.to_owned()];
    };
    let mut names: Vec<Text> = tree.names(folder).iter().map(|entry| name_text(&entry.name)).collect();
    names.retain(|found| matches(name, found));
    names.sort();
    names.iter().map(|name| format!("{folder}/{name}")).collect()
}

/// What a pointer (RFC 6901) leads to in the first JSON file that has it; comments on lines of their own are left out.
pub(super) fn json(tree: &dyn Tree, pattern: &str, pointer: &str) -> Option<Said> {
    files(tree, pattern).into_iter().find_map(|file| {
        let bytes = tree.read(&file).ok()?;
        let kept: Vec<&[u8]> = bytes
            .split(|byte| *byte == b'\n')
            .filter(|line| !line.trim_ascii_start().starts_with(b"//"))
            .collect();
        let value: serde_json::Value = match serde_json::from_slice(&kept.join(&b'\n')) {
            Ok(value) => value,
            Err(error) => {
                tree.note(std::path::Path::new(&file), &format!("is no JSON: {error}"));
                return None;
            }
        };
        let found = value.pointer(pointer)?;
        let plain =
            |value: &serde_json::Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        let said = match found {
            serde_json::Value::Array(items) => items.iter().map(plain).collect::<Vec<_>>().join(", "),
            serde_json::Value::Object(_) | serde_json::Value::Null => return None,
            other => plain(other),
        };
        let name = pointer.rsplit('/').next().map(|name| format!("\"{name}\""));
        let line = name.and_then(|name| lines(&bytes).find(|(_, line)| text(line).contains(&name)));
        Some(Said { line: line.map(|(number, _)| number), ..Said::of(said.into(), file) })
    })
}

/// A value of apt's configuration: the last file that has it, of `etc/apt/apt.conf.d` by name and then `etc/apt/apt.conf`.
pub(crate) fn apt(tree: &dyn Tree, name: &str) -> Option<Said> {
    let mut found = None;
    let mut all = files(tree, "etc/apt/apt.conf.d/*");
    // Files with another ending than this one are passed by, as apt does.
    all.retain(|file| {
        let name = file.rsplit('/').next().unwrap_or(file);
        !name.contains('.') || name.ends_with(".conf")
    });
    all.push("etc/apt/apt.conf".into());
    for file in all {
        let Ok(bytes) = tree.read(&file) else { continue };
        for (number, scope, value) in apt_values(&bytes) {
            if scope.eq_ignore_ascii_case(name) {
                found = Some(Said { line: Some(number), ..Said::of(value, file.clone()) });
            }
        }
    }
    found
}

/// The values of a file of apt's configuration, each with its line and its whole name: `A::B "c";`, and `A { B "c"; };`.
fn apt_values(bytes: &[u8]) -> Vec<(u32, String, Text)> {
    let (mut scopes, mut words, mut values) = (Vec::<String>::new(), Vec::<String>::new(), Vec::new());
    let mut in_comment = false;
    for (number, line) in lines(bytes) {
        let line = text(line);
        let mut rest: &str = &line;
        loop {
            rest = rest.trim_start();
            if in_comment {
                let Some((_, behind)) = rest.split_once("*/") else { break };
                (in_comment, rest) = (false, behind);
                continue;
            }
            if rest.is_empty() || rest.starts_with("//") || rest.starts_with('#') {
                break;
            }
            if let Some(behind) = rest.strip_prefix("/*") {
                (in_comment, rest) = (true, behind);
                continue;
            }
            if let Some(behind) = rest.strip_prefix('"') {
                let (word, behind) = behind.split_once('"').unwrap_or((behind, ""));
                words.push(word.to_owned());
                rest = behind;
                continue;
            }
            if let Some(behind) = rest.strip_prefix(['{', '}', ';']) {
                match &rest[..1] {
                    "{" => scopes.push(std::mem::take(&mut words).concat()),
                    "}" => _ = scopes.pop(),
                    _ => {
                        if let [name, value] = &words[..] {
                            let mut whole = scopes.clone();
                            whole.push(name.clone());
                            values.push((number, whole.join("::"), value.into()));
                        }
                        words.clear();
                    }
                }
                rest = behind;
                continue;
            }
            let end = rest.find(|c: char| c.is_whitespace() || matches!(c, '{' | '}' | ';' | '"'));
            let (word, behind) = rest.split_at(end.unwrap_or(rest.len()));
            words.push(word.to_owned());
            rest = behind;
        }
        if scopes.len() > 64 || words.len() > 64 {
            return values;
        }
    }
    values
}

/// What `adduser`, where it is there, and else `useradd` take for new users.
pub(super) fn user_add(tree: &dyn Tree, key: &str) -> Option<Said> {
    let has_adduser = ["usr/sbin/adduser", "sbin/adduser"].iter().any(|file| tree.exists(file));
    let is_debian = has_adduser && tree.exists("etc/adduser.conf");
    let in_file = |file: &str, key: &str| {
        let bytes = tree.read(file).ok()?;
        lines(&bytes).find_map(|(number, line)| {
            let line = text(line);
            let rest = line.trim_start().strip_prefix(key)?;
            let value = rest.strip_prefix('=').or_else(|| rest.strip_prefix([' ', '\t']))?;
            let said = Said::of(value.trim().trim_matches('"').into(), file.to_owned());
            (!said.value.is_empty()).then_some(Said { line: Some(number), ..said })
        })
    };
    match key {
        "SHELL" if is_debian => in_file("etc/adduser.conf", "DSHELL")
            .or_else(|| Some(Said { by_upstream: true, ..Said::of("/bin/bash".into(), String::new()) })),
        "SHELL" => in_file("etc/default/useradd", "SHELL"),
        "DIR_MODE" if is_debian => {
            in_file("etc/adduser.conf", "DIR_MODE").or_else(|| in_file("etc/login.defs", "HOME_MODE"))
        }
        "DIR_MODE" => in_file("etc/login.defs", "HOME_MODE"),
        _ => None,
    }
}

/// Folders in which an install sets preferences of Mozilla's browser.
const PREFERENCES: &[&str] = &[
    "etc/firefox/pref/*.js",
    "etc/firefox/*.js",
    "etc/firefox-esr/*.js",
    "usr/lib/firefox/browser/defaults/preferences/*.js",
    "usr/lib64/firefox/browser/defaults/preferences/*.js",
    "usr/share/firefox-esr/browser/defaults/preferences/*.js",
    "usr/lib/firefox-esr/browser/defaults/preferences/*.js",
    "usr/lib/firefox/*.cfg",
    "usr/lib64/firefox/*.cfg",
];

/// A preference of Mozilla's browser: `pref("name", "value");`, and its relatives.
pub(super) fn preference(tree: &dyn Tree, name: &str) -> Option<Said> {
    // What the browser brings itself is upstream's.
    let is_own =
        |file: &String| !["/firefox.js", "/firefox-branding.js"].iter().any(|end| file.ends_with(end));
    PREFERENCES.iter().flat_map(|pattern| files(tree, pattern)).filter(is_own).find_map(|file| {
        let bytes = tree.read(&file).ok()?;
        lines(&bytes).find_map(|(number, line)| {
            let line = text(line);
            let call = line.trim_start().split_once('(').filter(|(call, _)| {
                matches!(call.trim(), "pref" | "user_pref" | "lockPref" | "defaultPref" | "sticky_pref")
            });
            let (call, inner) = call?;
            let (key, value) = inner.split_once(',')?;
            if key.trim().trim_matches(['"', '\'']) != name {
                return None;
            }
            let value = value.rsplit_once(')').map_or(value, |(value, _)| value).trim();
            let said = Said::of(value.trim_matches(['"', '\'']).into(), file.clone());
            Some(Said { line: Some(number), locked: call.trim() == "lockPref", ..said })
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn apt_is_read_in_both_of_its_forms() {
        let tree = MemoryTree::new()
            .file("etc/apt/apt.conf.d/10a", "APT::Periodic::Enable \"0\";\n/* no\nAPT::X \"1\"; */ APT { Periodic {\n  Enable \"1\"; // yes\n}; Install-Recommends \"0\"; };\n")
            .file("etc/apt/apt.conf.d/20b.bak", "APT::Periodic::Enable \"7\";\n")
            .file("etc/apt/apt.conf", "# nothing\napt::periodic::LISTS \"3\"; Broken {{{{ \"");
        let of = |name: &str| apt(&tree, name).map(|said| (said.value.to_string(), said.file, said.line));
        let first = || "etc/apt/apt.conf.d/10a".to_owned();
        assert_eq!(of("APT::Periodic::Enable"), Some(("1".into(), first(), Some(4))));
        assert_eq!(of("APT::Install-Recommends"), Some(("0".into(), first(), Some(5))));
        assert_eq!(of("APT::Periodic::Lists"), Some(("3".into(), "etc/apt/apt.conf".into(), Some(2))));
        assert_eq!(of("APT::X"), None, "a comment says nothing");
    }

    #[test]
    fn policies_and_preferences_are_read_and_what_is_broken_is_none() {
        let tree = MemoryTree::new()
            .file("etc/a/00.json", "{ \"policies\": ")
            .file("etc/a/10.json", "// made\n{\n \"policies\": { \"Homepage\": { \"URL\": \"https://a.example\" },\n \"all\": [\"x\", 1] }\n}")
            .file("etc/firefox/marsh.js", "// \npref('browser.a', true);\nlockPref(\"browser.b\", \"c, d\");\n");
        let at = |pointer: &str| {
            json(&tree, "etc/a/*.json", pointer).map(|said| (said.value.to_string(), said.line))
        };
        assert_eq!(at("/policies/Homepage/URL"), Some(("https://a.example".into(), Some(3))));
        assert_eq!(at("/policies/all"), Some(("x, 1".into(), Some(4))));
        assert_eq!((at("/policies"), at("/none")), (None, None));
        let of =
            |name: &str| preference(&tree, name).map(|said| (said.value.to_string(), said.line, said.locked));
        assert_eq!(of("browser.a"), Some(("true".into(), Some(2), false)));
        assert_eq!(of("browser.b"), Some(("c, d".into(), Some(3), true)));
        assert_eq!(of("browser"), None);
    }

    #[test]
    fn new_users_are_asked_of_the_program_that_makes_them() {
        let tree = MemoryTree::new()
            .file("etc/default/useradd", "# SHELL=/bin/no\nSHELL=/bin/zsh\n")
            .file("etc/login.defs", "HOME_MODE\t0700\n");
        let of = |tree: &MemoryTree, key: &str| user_add(tree, key).map(|said| said.value.to_string());
        assert_eq!(of(&tree, "SHELL").as_deref(), Some("/bin/zsh"));
        assert_eq!(of(&tree, "DIR_MODE").as_deref(), Some("0700"));
        let tree = tree.file("usr/sbin/adduser", "").file("etc/adduser.conf", "#DSHELL=/bin/no\n");
        assert_eq!(of(&tree, "SHELL").as_deref(), Some("/bin/bash"));
        let tree = tree.file("etc/adduser.conf", "DSHELL=/usr/bin/fish\nDIR_MODE=0755\n");
        assert_eq!(of(&tree, "SHELL").as_deref(), Some("/usr/bin/fish"));
        assert_eq!(of(&tree, "DIR_MODE").as_deref(), Some("0755"));
    }
}
