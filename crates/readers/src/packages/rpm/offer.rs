//! What the repositories of rpm systems offer: `repodata/…primary.xml`, as createrepo writes it and dnf and zypp keep it.

use super::record::{CONDITIONS, rich, source_name};
use crate::packages::offers::{LINES, ListRead};
use crate::text::{filled, name_text, text};
use crate::xml::{Step, walk_stream};
use smallvec::smallvec;
use std::io::{BufRead, BufReader};
use tally_core::model::{Alternatives, Dependency, Package, System, Text, VersionOp};
use tally_core::offer::{Conditional, Offered};
use tally_core::systems::upstream;
use tally_trees::{Stream, Tree, unpacking};

/// Bytes that a list may have once it is unpacked: 2 GiB. The largest distributions have 400 MB.
const LIST_LIMIT: u64 = 2 << 30;

/// A place where a resolver keeps the lists of a repository.
#[derive(Debug)]
pub(super) struct Kept {
    /// The list itself.
    pub(super) file: String,
    /// When it was made, seconds since 1970 UTC, where the index beside it says so.
    pub(super) made: Option<i64>,
    /// Groups that can be asked for, if a file of them is beside it.
    pub(super) groups: Option<String>,
    /// Errata: which versions fix what, if a file of them is beside it.
    pub(super) errata: Option<String>,
}

/// The lists that dnf, dnf5 or zypp keep of a repository.
pub(super) fn kept(tree: &dyn Tree, repository: &str) -> Option<Kept> {
    // `ID-HASH` for dnf, the bare ID for zypp.
    let is_of = |name: &str| {
        name == repository
            || name
                .strip_prefix(repository)
                .and_then(|rest| rest.strip_prefix('-'))
                .is_some_and(|hash| hash.len() == 16 && hash.bytes().all(|byte| byte.is_ascii_hexdigit()))
    };
    for folder in ["var/cache/libdnf5", "var/cache/dnf", "var/cache/zypp/raw"] {
        for entry in tree.names(folder) {
            let name = name_text(&entry.name);
            if !is_of(&name) {
                continue;
            }
            let data = format!("{folder}/{name}/repodata");
            let files: Vec<Text> = tree.names(&data).iter().map(|entry| name_text(&entry.name)).collect();
            let named = |part: &str| {
                files.iter().find(|file| file.contains(part)).map(|file| format!("{data}/{file}"))
            };
            if let Some(file) = named("primary.xml") {
                let made = tree.read(format!("{data}/repomd.xml")).ok().and_then(|bytes| revision(&bytes));
                return Some(Kept { file, made, groups: named("comps"), errata: named("updateinfo") });
            }
        }
    }
    None
}

/// `<revision>` of an index, where it is a time.
pub(crate) fn revision(repomd: &[u8]) -> Option<i64> {
    const OPEN: &[u8] = b"<revision>";
    let rest = repomd.get(memchr::memmem::find(repomd, OPEN)?..)?.strip_prefix(OPEN)?;
    let end = memchr::memchr(b'<', rest)?;
    text(&rest[..end]).parse().ok().filter(|seconds| *seconds > 1_000_000_000)
}

/// Reads a list of the tree.
pub(super) fn read_file(tree: &dyn Tree, file: &str) -> Result<ListRead, String> {
    let bytes = tree.open(file.as_ref()).map_err(|error| error.why.to_string())?;
    read_list(BufReader::with_capacity(1 << 18, Stream::of(bytes.into())))
}

/// Reads a list, packed or not.
pub(crate) fn read_list(packed: impl BufRead) -> Result<ListRead, String> {
    let unpacked = unpacking(packed, LIST_LIMIT).map_err(|error| error.to_string())?;
    let mut read = ListRead::of(&LINES);
    let mut here = Offered::of(Package::new(System::Rpm, "", ""));
    let end = walk_stream(BufReader::with_capacity(1 << 18, unpacked), |step| match step {
        Step::Open { path: [_, element, rest @ ..], attributes } if element == "package" => {
            if rest.is_empty() {
                here = Offered::of(Package::new(System::Rpm, "", ""));
            } else {
                open(&mut here, rest, attributes);
            }
        }
        Step::Close { path: [_, element, rest @ ..], text } if element == "package" => {
            if rest.is_empty() {
                here.package.upstream_version = upstream(System::Rpm, &here.package.version).into();
                once(&mut here.package.depends);
                read.push(&here);
            } else {
                close(&mut here.package, rest, text);
            }
        }
        _ => {}
    });
    // Whatever stood before the end of a damaged list is kept with it.
    match end {
        Err((_, why)) if read.names.is_empty() => Err(why),
        Err(_) => {
            read.nameless = read.nameless.saturating_add(1);
            Ok(read)
        }
        Ok(()) => Ok(read),
    }
}

fn attribute<'a>(attributes: &'a [(Text, Text)], name: &str) -> Option<&'a Text> {
    attributes.iter().find(|(key, _)| key == name).map(|(_, value)| value)
}

fn open(here: &mut Offered, path: &[Text], attributes: &[(Text, Text)]) {
    let get = |name: &str| attribute(attributes, name);
    match path {
        [last] if last == "version" => here.package.version = full_version(attributes).unwrap_or_default(),
        [last] if last == "size" => {
            here.package.download_bytes = get("package").and_then(|bytes| bytes.parse().ok());
            here.package.installed_bytes = get("installed").and_then(|bytes| bytes.parse().ok());
        }
        [format, list, entry] if format == "format" && entry == "rpm:entry" => {
            let Some(name) = get("name").filter(|name| !name.starts_with("rpmlib(")) else { return };
            relate(here, list, name, attributes);
        }
        _ => {}
    }
}

/// `[epoch:]version-release`; an epoch of 0 is not written.
fn full_version(attributes: &[(Text, Text)]) -> Option<Text> {
    let get = |name: &str| attribute(attributes, name).filter(|value| !value.is_empty());
    let version = get("ver")?;
    let epoch =
        get("epoch").filter(|epoch| *epoch != "0").map(|epoch| format!("{epoch}:")).unwrap_or_default();
    let release = get("rel").map(|release| format!("-{release}")).unwrap_or_default();
    Some(format!("{epoch}{version}{release}").into())
}

fn relate(here: &mut Offered, list: &str, name: &Text, attributes: &[(Text, Text)]) {
    let version = full_version(attributes);
    let op =
        attribute(attributes, "flags").filter(|_| version.is_some()).and_then(|flags| match flags.as_str() {
            "LT" => Some(VersionOp::Less),
            "LE" => Some(VersionOp::AtMost),
            "EQ" => Some(VersionOp::Exactly),
            "GE" => Some(VersionOp::AtLeast),
            "GT" => Some(VersionOp::More),
            _ => None,
        });
    let one = Dependency { name: name.clone(), version: version.filter(|_| op.is_some()), op };
    let package = &mut here.package;
    let weak = match list {
        "rpm:requires" => false,
        "rpm:recommends" => true,
        "rpm:suggests" => return package.suggests.push(smallvec![one]),
        "rpm:provides" => return package.provides.push(one),
        "rpm:obsoletes" => return package.replaces.push(one),
        "rpm:conflicts" => return package.conflicts.push(one),
        "rpm:supplements" => {
            return here.brought_by.push(if name.starts_with('(') {
                rich(name).into_iter().flatten().collect()
            } else {
                vec![one]
            });
        }
        _ => return,
    };
    let groups: Vec<Alternatives> = if !name.starts_with('(') {
        vec![smallvec![one]]
    } else if let Some((word, unless)) = CONDITIONS.iter().find(|(word, _)| name.contains(word)) {
        let (need, when) = name.split_once(word).unwrap_or((name, ""));
        let inner =
            |text: &str| rich(&format!("({})", text.trim().trim_start_matches('(').trim_end_matches(')')));
        // Of `a if b else c` only the first half is followed.
        let when = when.split(" else ").next().unwrap_or_default();
        if let Some(when) = rich(when).into_iter().flatten().next() {
            here.conditional.extend(inner(need).into_iter().map(|need| Conditional {
                need,
                weak,
                when: when.clone(),
                unless: *unless,
            }));
        }
        return;
    } else {
        rich(name)
    };
    let into = if weak { &mut package.recommends } else { &mut package.depends };
    into.extend(groups);
}

/// Leaves each need once: the same library is asked for with many versions of its symbols.
fn once(needs: &mut Vec<Alternatives>) {
    let mut seen = rustc_hash::FxHashSet::default();
    needs.retain(|group| {
        let key: Vec<(Text, Option<Text>)> =
            group.iter().map(|one| (one.name.clone(), one.version.clone())).collect();
        seen.insert(key)
    });
}

fn close(package: &mut Package, path: &[Text], text: &str) {
    match path {
        [last] => match last.as_str() {
            "name" => package.name = text.into(),
            "arch" => package.arch = text.into(),
            "summary" => package.summary = text.into(),
            "url" => package.homepage = text.into(),
            _ => {}
        },
        [format, last] if format == "format" => match last.as_str() {
            "rpm:group" if text != "Unspecified" => package.section = text.into(),
            "rpm:license" => package.license = filled(text.into()),
            "rpm:sourcerpm" => package.source = source_name(text).filter(|source| *source != package.name),
            // Files in the usual folders of programs can be asked for as well.
            "file" => package.provides.push(Dependency { name: text.into(), op: None, version: None }),
            _ => {}
        },
        _ => {}
    }
}

/// The versions that errata (`updateinfo.xml`) call fixes of security: name and version of each package.
pub(crate) fn fixes(packed: impl BufRead) -> Vec<(Text, Text)> {
    let Ok(unpacked) = unpacking(packed, LIST_LIMIT) else { return Vec::new() };
    let mut is_security = false;
    let mut found = Vec::new();
    // A file that breaks off gives what stood before.
    _ = walk_stream(BufReader::new(unpacked), |step| {
        let Step::Open { path: [.., last], attributes } = step else { return };
        let get = |name: &str| attribute(attributes, name).filter(|value| !value.is_empty());
        match last.as_str() {
            "update" => is_security = get("type").is_some_and(|kind| kind == "security"),
            "package" if is_security => {
                let (Some(name), Some(version), Some(release)) =
                    (get("name"), get("version"), get("release"))
                else {
                    return;
                };
                let epoch = get("epoch").filter(|epoch| *epoch != "0").map(|epoch| format!("{epoch}:"));
                found
                    .push((name.clone(), format!("{}{version}-{release}", epoch.unwrap_or_default()).into()));
            }
            _ => {}
        }
    });
    found
}

/// The groups of a `comps.xml`: ID of the group, package; what is merely optional is left out.
pub(crate) fn groups(bytes: Vec<u8>) -> Vec<(Text, Text)> {
    let Ok(bytes) = tally_trees::unpack_file(bytes, tally_trees::LIMITS.file_bytes) else {
        return Vec::new();
    };
    let (mut id, mut counts) = (Text::default(), false);
    let mut members = Vec::new();
    // A file that breaks off gives the groups before it.
    _ = crate::xml::walk(&bytes, |step| match step {
        Step::Open { path: [.., last], attributes } if last == "packagereq" => {
            counts =
                attribute(attributes, "type").is_none_or(|kind| kind == "mandatory" || kind == "default");
        }
        Step::Close { path: [_, group, last], text } if group == "group" && last == "id" => id = text.into(),
        Step::Close { path: [_, group, .., last], text }
            if group == "group" && last == "packagereq" && counts =>
        {
            members.push((id.clone(), text.into()));
        }
        _ => {}
    });
    members
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    #[test]
    fn the_lists_of_a_repository_are_found_where_its_resolver_keeps_them() {
        let tree = MemoryTree::new()
            .file("var/cache/dnf/marsh-0123456789abcdef/repodata/1-primary.xml.gz", "")
            .file("var/cache/dnf/marsh-0123456789abcdef/repodata/1-comps.xml", "")
            .file(
                "var/cache/dnf/marsh-0123456789abcdef/repodata/repomd.xml",
                "<repomd><revision>1777795200</revision>",
            )
            .file("var/cache/libdnf5/reeds-0123456789abcdef/repodata/2-primary.xml.zst", "")
            .file("var/cache/libdnf5/reeds-0123456789abcdef/repodata/2-updateinfo.xml.zst", "")
            .file("var/cache/zypp/raw/marsh-extra/repodata/primary.xml", "");
        let found = |name: &str| {
            kept(&tree, name).map(|kept| (kept.file, kept.made, kept.groups.is_some(), kept.errata.is_some()))
        };
        let dnf = "var/cache/dnf/marsh-0123456789abcdef/repodata/1-primary.xml.gz";
        assert_eq!(
            found("marsh"),
            Some((dnf.into(), Some(1_777_795_200), true, false)),
            "not those of `marsh-extra`"
        );
        assert!(found("reeds").is_some_and(|(_, made, groups, errata)| made.is_none() && !groups && errata));
        assert!(found("marsh-extra").is_some_and(|(file, ..)| file.starts_with("var/cache/zypp")));
        assert!(found("mars").is_none() && found("").is_none());
    }

    #[test]
    fn a_revision_that_is_no_time_dates_nothing() {
        for (text, expected) in [
            ("<revision>1777795200</revision>", Some(1_777_795_200)),
            ("<revision>42</revision>", None),
            ("<revision>soon</revision>", None),
            ("<revision>1777795200", None),
            ("", None),
        ] {
            assert_eq!(revision(text.as_bytes()), expected, "{text}");
        }
    }

    #[test]
    fn versions_compare_as_the_list_says_and_symbols_count_once() {
        let list = "<metadata><package><name>a</name><version epoch=\"0\" ver=\"1\" rel=\"2\"/><format><rpm:requires>\
            <rpm:entry name=\"lib\" flags=\"GE\" epoch=\"1\" ver=\"2\"/><rpm:entry name=\"lib\" flags=\"GE\" epoch=\"1\" ver=\"2\"/>\
            <rpm:entry name=\"x\" flags=\"LT\" ver=\"3\" rel=\"1\"/><rpm:entry name=\"y\"/></rpm:requires>\
            <rpm:suggests><rpm:entry name=\"s\"/></rpm:suggests><rpm:obsoletes><rpm:entry name=\"o\" flags=\"LE\" ver=\"1\"/></rpm:obsoletes></format></package><package><name>cut";
        let read = read_list(list.as_bytes()).unwrap();
        assert_eq!(
            (read.names.len(), read.nameless),
            (1, 1),
            "what stood before the cut is kept, and the cut is noted"
        );
        let (begin, end, _) = read.names[0];
        let package = (LINES.read)(&read.bytes[begin as usize..end as usize]).unwrap().package;
        let said: Vec<String> = package
            .depends
            .iter()
            .flatten()
            .map(|one| {
                format!(
                    "{}{}{}",
                    one.name,
                    one.op.map_or("", VersionOp::name),
                    one.version.as_deref().unwrap_or_default()
                )
            })
            .collect();
        assert_eq!(said, ["lib>=1:2", "x<3-1", "y"]);
        assert_eq!((package.version.as_str(), package.suggests.len(), package.replaces.len()), ("1-2", 1, 1));
        assert!(read_list(&b"<metadata><package>"[..]).is_err(), "nothing before the cut");
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..120), markup in "(<(package|format|rpm:requires|rpm:entry name=\"[a-z( )]{0,6}\"/|name|/name|/package|/format)>){0,10}") {
            for content in [bytes, format!("<metadata>{markup}").into_bytes()] {
                _ = read_list(content.as_slice());
                _ = fixes(content.as_slice());
                _ = groups(content.clone());
                _ = revision(&content);
            }
        }
    }
}
