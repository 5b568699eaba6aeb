//! What apt's lists offer: `var/lib/apt/lists`, by deb822(5), and which version it takes, by apt_preferences(5).

use super::control::{Stanza, stanzas};
use super::relations;
use super::status::{described, kibibytes};
use crate::packages::offers::ListRead;
use crate::text::{lines, name_text, text};
use memchr::memmem::Finder;
use rayon::prelude::*;
use std::ops::Range;
use std::path::Path;
use tally_core::model::{Package, System, Text, Unread};
use tally_core::offer::{Form, Offered, PackageList, Pin, PinWhat, Policy, key};
use tally_core::systems;
use tally_trees::{LIMITS, ReadAt, Tree, unpack_file};

pub(super) const LISTS: &str = "var/lib/apt/lists";

/// Stanzas of a list, as they are.
pub(crate) static STANZAS: Form = Form { name: "deb822", package: name_of, read: offered };

/// The name of a stanza: its first line in every list that an archive publishes.
fn name_of(stanza: &[u8]) -> &[u8] {
    let at = match stanza.starts_with(b"Package:") {
        true => Some(0),
        false => memchr::memmem::find(stanza, b"\nPackage:").map(|at| at + 1),
    };
    let Some(value) = at.map(|at| &stanza[at + b"Package:".len()..]) else { return b"" };
    value[..memchr::memchr(b'\n', value).unwrap_or(value.len())].trim_ascii()
}

fn offered(bytes: &[u8]) -> Option<Offered> {
    let stanza = stanzas(bytes, 1).next()?;
    let mut offered = Offered::of(Package::new(System::Dpkg, "", ""));
    let (mut first, mut then) = (Vec::new(), Vec::new());
    for field in stanza.fields() {
        let Some(name) = field.name else { continue };
        let line = field.first_line();
        match name {
            b"Priority" => offered.rank = rank(line),
            b"Installed-Size" => offered.package.installed_bytes = kibibytes(line),
            b"Size" => offered.package.download_bytes = number(line),
            b"Pre-Depends" => first = relations::groups(field.value),
            b"Depends" => then = relations::groups(field.value),
            b"Phased-Update-Percentage" => {
                let part = number(line).and_then(|part| u8::try_from(part).ok());
                offered.phased = part.filter(|part| *part < 100);
            }
            _ => described(name, &field, &mut offered.package),
        }
    }
    let package = &mut offered.package;
    if package.name.is_empty() || package.version.is_empty() {
        return None;
    }
    // What must be there before it is unpacked is looked at first.
    first.append(&mut then);
    package.depends = first;
    package.upstream_version = systems::upstream(System::Dpkg, &package.version).into();
    Some(offered)
}

fn number(value: &[u8]) -> Option<u64> {
    std::str::from_utf8(value).ok()?.parse().ok()
}

fn rank(priority: &[u8]) -> u8 {
    match priority {
        b"required" => 0,
        b"important" => 1,
        b"standard" => 2,
        b"extra" => 4,
        _ => 3,
    }
}

/// Whether a file is a list of packages, plain or packed as apt may be told to keep them.
pub(super) fn is_list(file: &str) -> bool {
    plain_name(file).ends_with("_Packages")
}

/// A list's name without what it is packed with.
pub(super) fn plain_name(file: &str) -> &str {
    [".gz", ".xz", ".lz4", ".zst"].iter().find_map(|ending| file.strip_suffix(ending)).unwrap_or(file)
}

/// Reads a list of the install: its records, in shares that all cores take.
pub(super) fn read_list(tree: &dyn Tree, file: &str) -> Result<Vec<ListRead>, Unread> {
    let path = format!("{LISTS}/{file}");
    let failed = |why: String| Unread::whole(path.as_str(), why);
    if plain_name(file) != file {
        let packed = tree.read(&path).map_err(|error| failed(error.why.to_string()))?;
        let unpacked = unpack_file(packed, LIMITS.file_bytes).map_err(|error| failed(error.to_string()))?;
        return Ok(from_bytes(unpacked));
    }
    let list = tree.open(Path::new(&path)).map_err(|error| failed(error.why.to_string()))?;
    if list.len() > LIMITS.file_bytes {
        return Err(failed(format!("is larger than the {} bytes that are read", LIMITS.file_bytes)));
    }
    let shares = shares(&*list, SHARE).map_err(|error| failed(error.to_string()))?;
    let read = |share: Range<u64>| {
        let length = usize::try_from(share.end - share.start).unwrap_or(usize::MAX);
        list.exactly(share.start, length).map(index)
    };
    shares
        .into_par_iter()
        .map(read)
        .collect::<std::io::Result<_>>()
        .map_err(|error| failed(error.to_string()))
}

/// The records of a list that was read whole.
pub(crate) fn from_bytes(bytes: Vec<u8>) -> Vec<ListRead> {
    vec![index(bytes)]
}

/// So much of a list is looked at by one thread.
const SHARE: u64 = 4 << 20;

/// Cuts a list in shares of about that length, between stanzas.
fn shares(list: &dyn ReadAt, length: u64) -> std::io::Result<Vec<Range<u64>>> {
    let mut shares = Vec::new();
    let mut start = 0;
    while start < list.len() {
        let end = next_stanza(list, start.saturating_add(length))?;
        shares.push(start..end);
        start = end;
    }
    Ok(shares)
}

/// Where the first stanza begins that has an empty line ahead of it at or after an offset; the end, if none does.
fn next_stanza(list: &dyn ReadAt, mut offset: u64) -> std::io::Result<u64> {
    let mut block = [0; 4096];
    while offset < list.len() {
        let read = list.read_at(offset, &mut block)?;
        if let Some(at) = memchr::memmem::find(&block[..read], b"\n\n") {
            return Ok(offset + at as u64 + 2);
        }
        if read < 2 {
            break;
        }
        // The two line ends may lie in two blocks.
        offset += read as u64 - 1;
    }
    Ok(list.len())
}

/// Finds the stanzas of a share, their names, and what they provide.
fn index(bytes: Vec<u8>) -> ListRead {
    let mut read = ListRead::of(&STANZAS);
    let (divider, provides) = (Finder::new(b"\n\n"), Finder::new(b"\nProvides:"));
    let mut begin = 0;
    while begin < bytes.len() {
        let end = divider.find(&bytes[begin..]).map_or(bytes.len(), |at| begin + at + 1);
        let stanza = &bytes[begin..end];
        let name = name_of(stanza);
        if !name.is_empty() {
            let value = provides.find(stanza).map(|at| &stanza[at + b"\nProvides:".len()..]);
            let value = value.map(|value| &value[..memchr::memchr(b'\n', value).unwrap_or(value.len())]);
            let provided = value.into_iter().flat_map(relations::names).map(key);
            read.add(begin, end, key(name), provided, false);
        } else if !stanza.trim_ascii().is_empty() {
            read.nameless += 1;
        }
        begin = end + 1;
    }
    read.bytes = bytes;
    read
}

/// What a release file says of the lists beside it.
pub(crate) fn release(bytes: &[u8], list: &mut PackageList) {
    let (mut not_automatic, mut upgrades) = (false, false);
    for (_, line) in lines(bytes) {
        // Sums of the files follow; nothing below is asked for.
        if line.starts_with(b"MD5Sum:") || line.starts_with(b"SHA256:") {
            break;
        }
        let Some(colon) = memchr::memchr(b':', line) else { continue };
        let value = text(&line[colon + 1..]);
        match &line[..colon] {
            b"Suite" => list.suite = value,
            b"Codename" => list.codename = value,
            b"Origin" => list.origin = value,
            b"Label" => list.label = value,
            b"Version" => list.version = value,
            b"Date" => list.date = moment(&value),
            b"Valid-Until" => list.valid_until = moment(&value),
            b"NotAutomatic" => not_automatic = value == "yes",
            b"ButAutomaticUpgrades" => upgrades = value == "yes",
            _ => {}
        }
    }
    list.priority = match (not_automatic, upgrades) {
        (true, true) => 100,
        (true, false) => 1,
        _ => list.priority,
    };
    let is_security = |name: &str| name.to_ascii_lowercase().contains("security");
    list.security |= is_security(&list.label) || is_security(&list.suite) || is_security(&list.codename);
}

/// A moment of a release file, `Sat, 17 May 2031  8:27:15 UTC`, as RFC 3339.
fn moment(value: &str) -> Option<Text> {
    let words: Vec<&str> = value.split_ascii_whitespace().collect();
    let [_, day, month, year, time, ..] = words[..] else { return None };
    let moment =
        jiff::civil::DateTime::strptime("%d %b %Y %H:%M:%S", format!("{day} {month} {year} {time:0>8}"))
            .ok()?;
    // Archives date in UTC, whatever word they have for it.
    let moment = moment.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp();
    crate::text::time_text(moment.as_second())
}

/// What the versions of the release are worth that `APT::Default-Release` names, by apt_preferences(5).
const OF_WANTED: i32 = 990;

/// Which version apt takes: `etc/apt/preferences` and its folder, and whether what is recommended comes along.
pub(super) fn policy(tree: &dyn Tree) -> Policy {
    let mut policy = Policy::default();
    let mut files = vec!["etc/apt/preferences".to_owned()];
    let mut names: Vec<Text> =
        tree.names("etc/apt/preferences.d").iter().map(|entry| name_text(&entry.name)).collect();
    names.sort();
    // Files with another ending than this one are passed by.
    names.retain(|name| !name.contains('.') || name.ends_with(".pref"));
    files.extend(names.iter().map(|name| format!("etc/apt/preferences.d/{name}")));
    for file in files {
        if let Ok(bytes) = tree.read(&file) {
            policy.pins.extend(stanzas(&bytes, 1).filter_map(|stanza| pin(&stanza)));
        }
    }
    // A release that is wanted by name is worth 990; the name is an archive's, a code name or a number. Patterns are left out.
    if let Some(wanted) = crate::settings::apt(tree, "APT::Default-Release")
        && !wanted.value.is_empty()
        && !wanted.value.contains(['/', '*', '?'])
    {
        policy.pins.extend(['a', 'n', 'v'].map(|what| Pin {
            packages: vec!["*".into()],
            what: PinWhat { release: vec![(what, wanted.value.as_str().into())], ..PinWhat::default() },
            priority: OF_WANTED,
        }));
    }
    let recommends = crate::settings::apt(tree, "APT::Install-Recommends");
    policy.without_recommends = recommends.is_some_and(|said| {
        ["false", "no", "0", "off", "without", "disable"].contains(&said.value.to_lowercase().as_str())
    });
    policy
}

fn pin(stanza: &Stanza<'_>) -> Option<Pin> {
    let mut pin = Pin { packages: Vec::new(), what: PinWhat::default(), priority: 0 };
    let mut is_whole = [false; 2];
    for field in stanza.fields() {
        let value = text(field.value);
        match field.name? {
            b"Package" => pin.packages = value.split_ascii_whitespace().map(Text::from).collect(),
            b"Pin-Priority" => {
                pin.priority = value.parse().ok()?;
                is_whole[0] = true;
            }
            b"Pin" => {
                is_whole[1] = true;
                let (sort, rest) = value.split_once(' ').unwrap_or((&value, ""));
                match sort {
                    "version" => pin.what.version = Some(rest.trim().into()),
                    "origin" => pin.what.site = Some(rest.trim().trim_matches('"').into()),
                    "release" => pin.what.release = conditions(rest),
                    _ => return None,
                }
            }
            _ => {}
        }
    }
    (is_whole == [true; 2] && !pin.packages.is_empty()).then_some(pin)
}

/// `a=stable, o=Marsh`; a lone word is a suite or a version.
fn conditions(text: &str) -> Vec<(char, Text)> {
    let one = |part: &str| {
        let part = part.trim();
        match part.split_once('=') {
            Some((key, value)) => Some((key.trim().chars().next()?, value.trim().trim_matches('"').into())),
            None if part.is_empty() => None,
            None => {
                Some((if part.starts_with(|c: char| c.is_ascii_digit()) { 'v' } else { 'a' }, part.into()))
            }
        }
    };
    text.split(',').filter_map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn names_are_found_wherever_they_stand_and_at_the_end_of_a_file() {
        let bytes =
            b"Version: 1\nPackage: late\nProvides: a, b (= 2)\n\n\nPackage: last\nVersion: 2".to_vec();
        let read = index(bytes);
        let record = |at: usize| &read.bytes[read.names[at].0 as usize..read.names[at].1 as usize];
        assert_eq!(read.names.len(), 2);
        assert_eq!((name_of(record(0)), name_of(record(1))), (&b"late"[..], &b"last"[..]));
        assert_eq!(read.provided, [(key(b"a"), 0), (key(b"b"), 0)]);
        assert_eq!(offered(record(1)).unwrap().package.version, "2");
        assert!(offered(record(0)).is_some() && offered(b"Package: x\n").is_none());
    }

    #[test]
    fn moments_of_release_files() {
        for (text, moment) in [
            ("Sat, 17 May 2031 08:27:15 UTC", Some("2031-05-17T08:27:15Z")),
            ("Fri, 27 Nov 2026  3:16:34 UTC", Some("2026-11-27T03:16:34Z")),
            ("Fri, 27 Nov 2026", None),
            ("", None),
        ] {
            assert_eq!(super::moment(text).as_deref(), moment, "{text}");
        }
    }

    proptest! {
        #[test]
        fn every_stanza_is_found_once_however_a_list_is_cut(lines in prop::collection::vec(0_usize..9, 0..12), share in 1_u64..40) {
            let stanza = |(at, n): (usize, &usize)| format!("Package: p{at}\n{}\n", "x: y\n".repeat(*n));
            let whole: String = lines.iter().enumerate().map(stanza).collect();
            let list: std::sync::Arc<[u8]> = whole.as_bytes().into();
            let list: &dyn ReadAt = &list;
            let mut names = Vec::new();
            for share in shares(list, share).unwrap() {
                let read = index(list.exactly(share.start, (share.end - share.start) as usize).unwrap());
                names.extend(read.names.iter().map(|(begin, end, _)| {
                    String::from_utf8(name_of(&read.bytes[*begin as usize..*end as usize]).to_vec()).unwrap()
                }));
            }
            let expected: Vec<String> = (0..lines.len()).map(|at| format!("p{at}")).collect();
            prop_assert_eq!(names, expected);
        }

        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..200), lines in "(Package: [ab]\n|Version: 1\n|Provides: [a-c, ]{0,6}\n|\n){0,12}") {
            for content in [bytes, lines.into_bytes()] {
                let read = index(content.clone());
                for (begin, end, _) in &read.names {
                    offered(&read.bytes[*begin as usize..*end as usize]);
                }
                release(&content, &mut PackageList::default());
            }
        }
    }
}
