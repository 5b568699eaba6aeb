//! Components (AppStream 1.0): which launcher is which component, what the component was called before, and when its versions came
//! out.

use crate::xml::{Step, XmlError, attributes_of, walk};
use memchr::memmem;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;
use tally_core::model::{Evidence, Launcher, ReleaseHistory, Text, Unread, day_of};
use tally_trees::{NodeKind, Tree};

/// Where packages put the files of their components.
const FOLDERS: &[&str] = &[
    "usr/share/metainfo",
    "usr/share/appdata",
    "usr/local/share/metainfo",
    "var/lib/flatpak/exports/share/metainfo",
    "nix/var/nix/profiles/system/sw/share/metainfo",
    "var/guix/profiles/system/profile/share/metainfo",
];

/// Where the sandboxes of Flatpak keep theirs: below each application.
const SANDBOXES: &str = "var/lib/flatpak/app";
/// Releases of a component that are kept, the newest first.
const RELEASES: usize = 100;

/// One component.
#[derive(Debug, Default, PartialEq, Eq)]
struct Component {
    id: Text,
    name: Text,
    launchers: Vec<Text>,
    /// What it provides as IDs: names that it had before.
    provides: Vec<Text>,
    released: Vec<Release>,
    /// Whether its releases are in a file of their own.
    released_elsewhere: bool,
    /// Whether it is the distribution itself.
    is_system: bool,
}

/// A release that was made, or is planned for a day.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Release {
    version: Text,
    day: Text,
    support_end: Option<Text>,
}

/// What a distribution says of the days of one of its own releases.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct SystemRelease {
    /// The release, as `VERSION_ID` has it.
    pub(crate) version: Text,
    /// The day that it came out.
    pub(crate) day: Text,
    /// The day that support ends.
    pub(crate) support_end: Option<Text>,
    /// Where that was read.
    pub(crate) evidence: Evidence,
}

/// What all components say.
#[derive(Debug, Default)]
pub(super) struct Components {
    /// When versions came out, by component.
    pub(super) releases: Vec<ReleaseHistory>,
    /// Releases of the distribution.
    pub(super) system: Vec<SystemRelease>,
    /// What could not be read.
    pub(super) unread: Vec<Unread>,
}

/// Writes into launchers which component they start, and tells the rest.
pub(super) fn assign(tree: &dyn Tree, launchers: &mut [Launcher]) -> Components {
    let of_sandboxes = tree.names(SANDBOXES).into_iter().flat_map(|app| {
        let files = format!("{SANDBOXES}/{}/current/active/files/share", app.name.to_string_lossy());
        [format!("{files}/metainfo"), format!("{files}/appdata")]
    });
    let folders = FOLDERS.iter().map(ToString::to_string).chain(of_sandboxes);
    let files: Vec<String> = folders
        .flat_map(|folder| {
            let entries = tree.names(&folder).into_iter().filter(|entry| entry.kind != NodeKind::Folder);
            let path = |name: &str| format!("{folder}/{name}");
            entries.filter_map(|entry| entry.name.to_str().map(path)).collect::<Vec<_>>()
        })
        .filter(|file| file.ends_with(".xml"))
        .collect();
    let read: Vec<(Option<Component>, Option<Unread>)> =
        files.par_iter().map(|file| read_one(tree, file)).collect();
    let (mut told, mut by_launcher) = (Components::default(), FxHashMap::default());
    for ((component, problem), file) in read.into_iter().zip(files) {
        told.unread.extend(problem);
        let Some(mut component) = component else { continue };
        let mut file = file;
        if component.released_elsewhere {
            let own = format!("usr/share/metainfo/releases/{}.releases.xml", component.id);
            if let Ok(bytes) = tree.read(&own) {
                (component.released, file) = (releases(&bytes), own);
            }
        }
        told.take_releases(&mut component, file);
        let ids: Vec<Text> = std::iter::once(component.id).chain(component.provides).collect();
        for launcher in component.launchers {
            by_launcher.entry(launcher).or_insert_with(|| ids.clone());
        }
    }
    for launcher in launchers {
        if let Some(ids) = by_launcher.get(&launcher.id) {
            launcher.appstream.clone_from(ids);
        }
    }
    told.releases.sort_by(|a, b| (&a.project, &a.evidence.file).cmp(&(&b.project, &b.evidence.file)));
    told.releases.dedup_by(|next, first| next.project == first.project);
    told
}

impl Components {
    fn take_releases(&mut self, component: &mut Component, file: String) {
        let evidence = Evidence::file(file);
        let mut released = std::mem::take(&mut component.released);
        if component.is_system {
            self.system.extend(released.into_iter().map(|Release { version, day, support_end }| {
                SystemRelease { version, day, support_end, evidence: evidence.clone() }
            }));
            return;
        }
        released.sort_by(|a, b| b.day.cmp(&a.day));
        released.truncate(RELEASES);
        if !released.is_empty() {
            let released: BTreeMap<Text, Text> =
                released.into_iter().map(|release| (release.version, release.day)).collect();
            let (project, name) = (component.id.clone(), component.name.clone());
            self.releases.push(ReleaseHistory { project, name, released, evidence });
        }
    }
}

fn read_one(tree: &dyn Tree, file: &str) -> (Option<Component>, Option<Unread>) {
    let bytes = match tree.read(file) {
        Ok(bytes) => bytes,
        Err(error) => return (None, Some(Unread::whole(file, error.why.to_string()))),
    };
    match component(&bytes) {
        Ok(component) => ((!component.id.is_empty()).then_some(component), None),
        Err(error) => (None, Some(Unread::at(file, error.line, error.why))),
    }
}

/// The elements of a name with their attributes, one after the other as they are asked for; no element is looked into. Comments were
/// taken out.
fn opened<'b>(bytes: &'b [u8], name: &'static str) -> impl Iterator<Item = Vec<(Text, Text)>> + 'b {
    let mut from = 0;
    std::iter::from_fn(move || {
        loop {
            let at = from + memmem::find(&bytes[from..], name.as_bytes())?;
            from = at + name.len();
            let begins = at > 0 && bytes[at - 1] == b'<';
            let ends =
                bytes.get(from).is_some_and(|next| matches!(next, b'>' | b'/') || next.is_ascii_whitespace());
            if !(begins && ends) {
                continue;
            }
            let mut quote = None;
            let length = bytes[from..].iter().position(|byte| match quote {
                Some(open) => {
                    quote = (*byte != open).then_some(open);
                    false
                }
                None => {
                    quote = matches!(byte, b'"' | b'\'').then_some(*byte);
                    *byte == b'>'
                }
            })?;
            from += length;
            return Some(attributes_of(&bytes[at..from]));
        }
    })
}

fn without_comments(bytes: &[u8]) -> Cow<'_, [u8]> {
    const BEGIN: &[u8] = b"<!--";
    const END: &[u8] = b"-->";
    let Some(first) = memmem::find(bytes, BEGIN) else { return Cow::Borrowed(bytes) };
    let (mut plain, mut rest) = (bytes[..first].to_vec(), &bytes[first..]);
    while let Some(end) = memmem::find(rest, END) {
        rest = &rest[end + END.len()..];
        let next = memmem::find(rest, BEGIN).unwrap_or(rest.len());
        plain.extend_from_slice(&rest[..next]);
        rest = &rest[next..];
    }
    Cow::Owned(plain)
}

/// Releases that are told with a day; those that are in the making, or snapshots, are none.
fn releases(bytes: &[u8]) -> Vec<Release> {
    let release = |attributes: Vec<(Text, Text)>| {
        let get = |name: &str| attributes.iter().find(|(key, _)| key == name).map(|(_, value)| value);
        if get("type").is_some_and(|kind| kind != "stable") {
            return None;
        }
        let told = |text: &Text| day_of(text).filter(|day| day.year() > 1990);
        let stamped = || crate::text::day_text(get("timestamp")?.parse().ok()?).as_ref().and_then(told);
        let day = get("date").and_then(told).or_else(stamped)?;
        let version = get("version").map(|version| version.trim()).filter(|version| !version.is_empty())?;
        Some(Release {
            version: version.into(),
            day: day.to_string().into(),
            support_end: get("date_eol").and_then(told).map(|day| day.to_string().into()),
        })
    };
    opened(bytes, "release").filter_map(release).collect()
}

/// Is called at the end of an element: its path, the attributes of the last one that was opened, the text.
type Visit<'v> = dyn FnMut(&[Text], &[(Text, Text)], &str) + 'v;

/// Of the elements only those that are asked for: nine tenths of a file are descriptions in all languages.
fn component(bytes: &[u8]) -> Result<Component, XmlError> {
    let bytes = &without_comments(bytes)[..];
    let mut found = Component::default();
    if memmem::find(bytes, b"</component>").is_none() {
        return Err(XmlError { line: 1, why: "has no end of a component".to_owned() });
    }
    // The content of each element of a name, and where it begins and ends.
    let elements = |name: &str, visit: &mut Visit<'_>| -> Result<Vec<Range<usize>>, XmlError> {
        let (begin, end) = (format!("<{name}"), format!("</{name}>"));
        let (mut found, mut from) = (Vec::new(), 0);
        while let Some(at) = memmem::find(&bytes[from..], begin.as_bytes()).map(|at| from + at) {
            // `<id>` and `<id type="desktop">`, not `<identity>`.
            from = at + begin.len();
            if !bytes.get(from).is_some_and(|next| *next == b'>' || next.is_ascii_whitespace()) {
                continue;
            }
            let Some(length) = memmem::find(&bytes[at..], end.as_bytes()) else { break };
            from = at + length + end.len();
            let mut last: Vec<(Text, Text)> = Vec::new();
            walk(&bytes[at..from], |step| match step {
                Step::Open { attributes, .. } => last = attributes.to_vec(),
                Step::Close { path, text } => visit(path, &last, text),
            })?;
            found.push(at..from);
        }
        Ok(found)
    };
    let mut ids: Vec<Text> = Vec::new();
    let places = elements("id", &mut |_, _, text| ids.push(text.into()))?;
    elements("launchable", &mut |_, attributes, text| {
        if attributes.iter().any(|(key, value)| key == "type" && value == "desktop-id") {
            found.launchers.push(text.into());
        }
    })?;
    let provides = elements("provides", &mut |path, _, text| {
        if path.len() == 2 && path[1] == "id" {
            found.provides.push(text.into());
        }
    })?;
    // The component's own ID is the one that it does not provide; which stands first is not said.
    let own = |place: &Range<usize>| !provides.iter().any(|other| other.contains(&place.start));
    found.id =
        ids.into_iter().zip(places).find(|(_, place)| own(place)).map(|(id, _)| id).unwrap_or_default();
    let is_own_name = |attributes: &Vec<(Text, Text)>| attributes.is_empty();
    if opened(bytes, "name").next().as_ref().is_some_and(is_own_name) {
        let end = memmem::find(bytes, b"<name>").map(|at| at + "<name>".len());
        let text = end.and_then(|at| Some(&bytes[at..at + memmem::find(&bytes[at..], b"<")?]));
        found.name = text.map(crate::text::text).unwrap_or_default();
    }
    let kind = opened(bytes, "component").next();
    let is = |attributes: &[(Text, Text)], key: &str, value: &str| {
        attributes.iter().any(|(known, said)| known == key && said == value)
    };
    found.is_system = kind.is_some_and(|kind| is(&kind, "type", "operating-system"));
    let list = opened(bytes, "releases").next();
    found.released_elsewhere = list.is_some_and(|list| is(&list, "type", "external"));
    found.released = releases(bytes);
    // Components of before 0.9 are called like their launcher.
    if found.launchers.is_empty() && found.id.ends_with(".desktop") {
        found.launchers.push(found.id.clone());
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn a_component_names_its_launchers_and_what_it_was() {
        let told = component(
            b"<?xml version='1.0'?><component type='desktop-application'><id>org.marsh.Inkcap</id><name>Inkcap</name>\
              <launchable type='desktop-id'>org.marsh.Inkcap.desktop</launchable><launchable type='service'>x.service</launchable>\
              <provides><binary>inkcap</binary><id>inkcap.desktop</id></provides><releases><release><p>no</p></release></releases></component>",
        );
        let expected = Component {
            id: "org.marsh.Inkcap".into(),
            name: "Inkcap".into(),
            launchers: vec!["org.marsh.Inkcap.desktop".into()],
            provides: vec!["inkcap.desktop".into()],
            ..Component::default()
        };
        assert_eq!(told, Ok(expected));
        let old = component(b"<component><id type=\"desktop\">reed.desktop</id></component>").unwrap();
        assert_eq!(old.launchers, ["reed.desktop"]);
        let turned =
            component(b"<component><identity/><provides><id>old</id></provides><id>new</id></component>")
                .unwrap();
        assert_eq!((turned.id.as_str(), &turned.provides[..]), ("new", &["old".into()][..]));
    }

    #[test]
    fn a_broken_file_is_told_and_loses_no_other() {
        let tree = MemoryTree::new()
            .file("usr/share/metainfo/a.metainfo.xml", "<component><id>")
            .file("usr/share/metainfo/b.metainfo.xml", "<component><id>reed.desktop</id></component>")
            .file("usr/share/metainfo/c.txt", "<");
        let mut launchers = super::super::read(
            &MemoryTree::new().file(
                "usr/share/applications/reed.desktop",
                "[Desktop Entry]\nType=Application\nName=Reed\nExec=reed\n",
            ),
            &[],
        )
        .launchers;
        let unread = assign(&tree, &mut launchers).unread;
        assert_eq!((unread.len(), unread[0].file.as_str()), (1, "usr/share/metainfo/a.metainfo.xml"));
        assert_eq!(launchers[0].appstream, ["reed.desktop"]);
    }

    #[test]
    fn releases_are_told_with_their_day_and_those_in_the_making_are_not() {
        let tree = MemoryTree::new()
            .file(
                "usr/share/metainfo/org.marsh.Inkcap.metainfo.xml",
                "<component type='desktop-application'><id>org.marsh.Inkcap</id><name xml:lang='de'>Tinte</name><releases>\
                 <release version='3.2' date='2026-01-10' urgency='low'><description><p>Not 3.3 &gt; 3.2</p></description></release>\
                 <release timestamp='1735689600' version='3.1'/><release version='4.0~beta' type='development' date='2026-02-01'/>\
                 <!-- <release version='9.9' date='2026-02-01'/> --><release version='0.1' date='1970-01-01'/>\
                 <release version='2.0'/><release version='1.0' date='soon'/><release version='' date='2020-01-01'/>\
                 </releases></component>",
            )
            .file(
                "usr/share/metainfo/org.marsh.Reed.metainfo.xml",
                "<component><id>org.marsh.Reed</id><name>Reed</name><releases type='external'/></component>",
            )
            .file(
                "usr/share/metainfo/releases/org.marsh.Reed.releases.xml",
                "<releases><release version='1.4' date='2025-05-05T10:00:00Z'/></releases>",
            )
            .file(
                "usr/share/metainfo/org.marsh.os.metainfo.xml",
                "<component type='operating-system'><id>org.marsh.os</id><releases>\
                 <release version='5.0' date='2026-05-04' date_eol='2029-05-04'/></releases></component>",
            );
        let told = assign(&tree, &mut []);
        let (ink, reed) = (&told.releases[0], &told.releases[1]);
        let days: Vec<(&str, &str)> =
            ink.released.iter().map(|(v, day)| (v.as_str(), day.as_str())).collect();
        assert_eq!(days, [("3.1", "2025-01-01"), ("3.2", "2026-01-10")]);
        assert_eq!((reed.name.as_str(), reed.released["1.4"].as_str()), ("Reed", "2025-05-05"));
        assert!(reed.evidence.file.ends_with("org.marsh.Reed.releases.xml"));
        assert_eq!((told.releases.len(), told.unread.len()), (2, 0));
        let system = &told.system[0];
        assert_eq!((system.day.as_str(), system.support_end.as_deref()), ("2026-05-04", Some("2029-05-04")));
    }

    #[test]
    fn of_a_thousand_releases_the_newest_hundred_are_kept() {
        let all: String = (0..1000)
            .map(|n| format!("<release version='1.{n}' date='{}-01-{:02}'/>", 2000 + n / 28, n % 28 + 1))
            .collect();
        let file = format!("<component><id>a</id><releases>{all}</releases></component>");
        let told = assign(&MemoryTree::new().file("usr/share/metainfo/a.xml", file.as_str()), &mut []);
        let released = &told.releases[0].released;
        assert_eq!(
            (released.len(), released.contains_key("1.999"), released.contains_key("1.899")),
            (100, true, false)
        );
    }
}
