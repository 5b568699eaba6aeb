//! What the resolvers above rpm remember: why a package is there, and from where. rpm itself keeps neither.

use crate::database::Database;
use crate::text::{lines, name_text, text};
use rustc_hash::{FxHashMap, FxHashSet};
use serde::Deserialize;
use std::collections::BTreeMap;
use tally_core::model::{Package, Reason, Text, Unread};
use tally_trees::Tree;

const DNF: &[&str] = &["var/lib/dnf/history.sqlite", "usr/lib/sysimage/dnf/history.sqlite"];
const DNF5: &[&str] = &["usr/lib/sysimage/libdnf5", "var/lib/dnf"];
const ZYPP: &str = "var/lib/zypp/AutoInstalled";
const ZYPP_LOG: &str = "var/log/zypp/history";
const URPMI: &str = "var/lib/rpm/installed-through-deps.list";
const YUM: &str = "var/lib/yum/yumdb";

/// What is remembered of a package.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Remembered {
    reason: Option<Reason>,
    repository: Option<Text>,
}

/// What the resolver that an install uses remembers.
#[derive(Debug, Default)]
pub(super) struct ResolverState {
    /// By `name.arch`.
    packages: FxHashMap<Text, Remembered>,
    /// Names that followed, where all others were chosen; `None` where the table above is all there is.
    followed: Option<FxHashSet<Text>>,
}

impl ResolverState {
    /// The memory of whichever resolver left one; the newest kind wins.
    pub(super) fn read(tree: &dyn Tree, unread: &mut Vec<Unread>) -> Option<Self> {
        dnf5(tree, unread)
            .or_else(|| dnf(tree, unread))
            .or_else(|| zypp(tree))
            .or_else(|| urpmi(tree))
            .or_else(|| yum(tree))
    }

    /// Writes into packages what is remembered of them.
    pub(super) fn apply(&self, packages: &mut [Package]) {
        for package in packages {
            if let Some(followed) = &self.followed {
                package.reason =
                    if followed.contains(&package.name) { Reason::Dependency } else { Reason::Explicit };
            }
            let key = smol_str::format_smolstr!("{}.{}", package.name, package.arch);
            if let Some(known) = self.packages.get(&key) {
                package.reason = known.reason.unwrap_or(package.reason);
                package.repository.clone_from(&known.repository);
            }
        }
    }
}

#[derive(Deserialize)]
struct PackagesFile {
    #[serde(default)]
    packages: BTreeMap<Text, PackageState>,
}

#[derive(Deserialize)]
struct PackageState {
    #[serde(default)]
    reason: Text,
}

#[derive(Deserialize)]
struct OriginsFile {
    #[serde(default)]
    nevras: BTreeMap<Text, OriginState>,
}

#[derive(Deserialize)]
struct OriginState {
    #[serde(default)]
    from_repo: Text,
}

/// dnf5: `packages.toml` with the reasons, `nevras.toml` with the origins.
fn dnf5(tree: &dyn Tree, unread: &mut Vec<Unread>) -> Option<ResolverState> {
    let folder = DNF5.iter().find(|folder| tree.exists(format!("{folder}/packages.toml")))?;
    let states: PackagesFile = toml_file(tree, &format!("{folder}/packages.toml"), unread)?;
    let mut memory = ResolverState::default();
    for (package, state) in states.packages {
        let reason = match state.reason.as_str() {
            "User" | "Group" | "External User" => Some(Reason::Explicit),
            "Dependency" | "Weak Dependency" | "Clean" => Some(Reason::Dependency),
            _ => None,
        };
        memory.packages.insert(package, Remembered { reason, repository: None });
    }
    let origins = format!("{folder}/nevras.toml");
    if tree.exists(&origins) {
        let origins = toml_file::<OriginsFile>(tree, &origins, unread);
        for (nevra, state) in origins.map(|file| file.nevras).unwrap_or_default() {
            if let Some(key) = name_and_arch(&nevra) {
                memory.packages.entry(key).or_default().repository = crate::text::filled(state.from_repo);
            }
        }
    }
    Some(memory)
}

/// `name-[epoch:]version-release.arch` as `name.arch`.
fn name_and_arch(nevra: &str) -> Option<Text> {
    let (rest, arch) = nevra.rsplit_once('.')?;
    let name = rest.rsplitn(3, '-').nth(2)?;
    Some(smol_str::format_smolstr!("{name}.{arch}"))
}

fn toml_file<T: serde::de::DeserializeOwned>(
    tree: &dyn Tree,
    path: &str,
    unread: &mut Vec<Unread>,
) -> Option<T> {
    let bytes = match tree.read(path) {
        Ok(bytes) => bytes,
        Err(error) => {
            unread.push(Unread::whole(path, error.why.to_string()));
            return None;
        }
    };
    let content = String::from_utf8_lossy(&bytes);
    toml::from_str(&content)
        .map_err(|error| {
            let before = error.span().map_or("", |span| content.get(..span.start).unwrap_or_default());
            let line = u32::try_from(before.matches('\n').count().saturating_add(1)).unwrap_or(u32::MAX);
            unread.push(Unread::at(path, line, error.message()));
        })
        .ok()
}

/// dnf up to 4: a history in SQLite, of which the newest row of a package counts.
fn dnf(tree: &dyn Tree, unread: &mut Vec<Unread>) -> Option<ResolverState> {
    let path = *DNF.iter().find(|path| tree.exists(path))?;
    let mut memory = ResolverState::default();
    let sql = "SELECT r.name, r.arch, i.reason, p.repoid FROM trans_item i JOIN rpm r ON r.item_id = i.item_id \
               LEFT JOIN repo p ON p.id = i.repo_id ORDER BY i.trans_id, i.id";
    let read = Database::open(tree, path).and_then(|database| {
        database.each(sql, |row| {
            let get = |at: usize| row.get_ref(at).ok().and_then(|value| value.as_bytes().ok()).map(text);
            let (Some(name), Some(arch)) = (get(0), get(1)) else { return Ok(()) };
            let known = memory.packages.entry(smol_str::format_smolstr!("{name}.{arch}")).or_default();
            known.reason = match row.get::<_, i64>(2) {
                Ok(1 | 3 | 4) => Some(Reason::Dependency),
                Ok(2 | 5) => Some(Reason::Explicit),
                _ => None,
            };
            // Removals and marks name the system itself.
            if let Some(repository) = get(3).filter(|name| !name.is_empty() && name != "@System") {
                known.repository = Some(repository);
            }
            Ok(())
        })
    });
    match read {
        Ok(()) => Some(memory),
        Err(error) => {
            unread.push(Unread::whole(path, error.to_string()));
            None
        }
    }
}

/// libzypp: names that followed, a line each; its log says where each package came from.
fn zypp(tree: &dyn Tree) -> Option<ResolverState> {
    let mut memory =
        ResolverState { followed: Some(names(&tree.read(ZYPP).ok()?)), ..ResolverState::default() };
    let log = tree.read(ZYPP_LOG).unwrap_or_default();
    for (_, line) in lines(&log).filter(|(_, line)| !line.starts_with(b"#")) {
        let fields: Vec<&[u8]> = line.split(|byte| *byte == b'|').collect();
        if let [_, b"install", name, _, arch, _, repository, ..] = fields[..] {
            let key = smol_str::format_smolstr!("{}.{}", text(name), text(arch));
            memory.packages.entry(key).or_default().repository = crate::text::filled(text(repository));
        }
    }
    Some(memory)
}

/// urpmi: names that followed, with what needed them in brackets.
fn urpmi(tree: &dyn Tree) -> Option<ResolverState> {
    Some(ResolverState { followed: Some(names(&tree.read(URPMI).ok()?)), ..ResolverState::default() })
}

/// The first word of each line that is no comment.
fn names(bytes: &[u8]) -> FxHashSet<Text> {
    let words = lines(bytes).filter_map(|(_, line)| line.trim_ascii().split(|byte| *byte == b' ').next());
    words.filter(|word| !word.is_empty() && !word.starts_with(b"#")).map(text).collect()
}

/// yum: `<letter>/<checksum>-<name>-<version>-<release>-<arch>/{reason,from_repo}`.
fn yum(tree: &dyn Tree) -> Option<ResolverState> {
    let mut memory = ResolverState::default();
    for letter in tree.list(YUM.as_ref()).ok()? {
        let folder = format!("{YUM}/{}", name_text(&letter.name));
        for entry in tree.names(&folder) {
            let entry = name_text(&entry.name);
            let Some((_, rest)) = entry.split_once('-') else { continue };
            let mut parts = rest.rsplitn(4, '-');
            let (Some(arch), Some(name)) = (parts.next(), parts.nth(2)) else { continue };
            let get = |key: &str| tree.read(format!("{folder}/{entry}/{key}")).ok().map(|bytes| text(&bytes));
            let reason = match get("reason").as_deref() {
                Some("user") => Some(Reason::Explicit),
                Some("dep") => Some(Reason::Dependency),
                _ => None,
            };
            let known = Remembered { reason, repository: get("from_repo") };
            memory.packages.insert(smol_str::format_smolstr!("{name}.{arch}"), known);
        }
    }
    Some(memory)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::System;

    fn told(tree: &tally_trees::MemoryTree) -> Vec<(Reason, Option<Text>)> {
        let package = |name: &str| {
            let mut package = Package::new(System::Rpm, name, "1-1");
            package.arch = "x86_64".into();
            package
        };
        let mut packages = [package("inkcap"), package("lib-weir"), package("elsewhere")];
        let mut unread = Vec::new();
        let memory = ResolverState::read(tree, &mut unread).unwrap();
        assert_eq!(unread, []);
        memory.apply(&mut packages);
        packages.map(|package| (package.reason, package.repository)).to_vec()
    }

    #[test]
    fn each_resolver_remembers_in_its_own_way() {
        use Reason::{Dependency as Automatic, Explicit, Unknown};
        let dnf5 = tally_trees::MemoryTree::new()
            .file(
                "usr/lib/sysimage/libdnf5/packages.toml",
                "version = \"1.0\"\n[packages]\n\"inkcap.x86_64\" = {reason = \"User\"}\n\"lib-weir.x86_64\" = {reason = \"Weak Dependency\"}\n",
            )
            .file(
                "usr/lib/sysimage/libdnf5/nevras.toml",
                "[nevras]\n\"inkcap-0:1-1.x86_64\" = {from_repo = \"marsh\"}\n",
            );
        assert_eq!(told(&dnf5), [(Explicit, Some("marsh".into())), (Automatic, None), (Unknown, None)]);
        let zypp = tally_trees::MemoryTree::new()
            .file("var/lib/zypp/AutoInstalled", "# made by libzypp\n\nlib-weir\n")
            .file(
                "var/log/zypp/history",
                "# 2026\n2026-05-02 10:00:00|install|inkcap|1-1|x86_64|root@here|marsh|abc|\n2026-05-02 10:00:01|remove |x|1-1|x86_64|root@here|\n",
            );
        assert_eq!(told(&zypp), [(Explicit, Some("marsh".into())), (Automatic, None), (Explicit, None)]);
        let urpmi = tally_trees::MemoryTree::new().file(URPMI, "lib-weir (required by inkcap)\n");
        assert_eq!(told(&urpmi), [(Explicit, None), (Automatic, None), (Explicit, None)]);
        let yum = tally_trees::MemoryTree::new()
            .file("var/lib/yum/yumdb/i/0a1b-inkcap-1-1-x86_64/reason", "user")
            .file("var/lib/yum/yumdb/i/0a1b-inkcap-1-1-x86_64/from_repo", "marsh")
            .file("var/lib/yum/yumdb/l/0a1c-lib-weir-1-1-x86_64/reason", "dep");
        assert_eq!(told(&yum), [(Explicit, Some("marsh".into())), (Automatic, None), (Unknown, None)]);
    }

    #[test]
    fn a_broken_memory_is_named_with_its_line() {
        let tree = tally_trees::MemoryTree::new()
            .file("usr/lib/sysimage/libdnf5/packages.toml", "version = \"1.0\"\n[packages\n");
        let mut unread = Vec::new();
        assert!(ResolverState::read(&tree, &mut unread).is_none());
        assert_eq!(unread[0].line, Some(2));
    }
}
