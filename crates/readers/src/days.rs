//! The days of a distribution's release and of the end of its support, as far as the install or its medium tells them.

use crate::launchers::SystemRelease;
use crate::medium::OnMedium;
use crate::text::{lines, text};
use tally_core::model::{Evidence, Label, Text, day_of};
use tally_trees::Tree;

/// What the medium of Debian and its relatives says of itself: a line with the day that it was made.
const MEDIUM: &str = ".disk/info";
/// The releases of Debian and of Ubuntu (distro-info-data).
const RELEASES: &str = "usr/share/distro-info";

/// Fills in the days that the release files leave open: what the medium says comes first, then what the distribution says of itself
/// by AppStream, then the lists of distro-info-data. What is known already stays.
pub(crate) fn fill(tree: &dyn Tree, medium: &OnMedium, releases: &[SystemRelease], label: &mut Label) {
    let of_medium = medium.lists.iter().filter(|(path, _)| path.ends_with(MEDIUM));
    let of_medium = of_medium.map(|(path, content)| (path.to_string_lossy().into_owned(), content.clone()));
    let beside = tree.read(MEDIUM).ok().map(|content| (MEDIUM.to_owned(), content));
    let made = of_medium.chain(beside).find_map(|(path, content)| {
        let (line, text) = lines(&content).next()?;
        Some((day_in(text)?, Evidence::line(path, line)))
    });
    released(label, made);
    let own = releases.iter().filter(|one| label.release.as_ref() == Some(&one.version));
    // The first of a version is the newest.
    if let Some(own) = own.into_iter().next() {
        released(label, Some((own.day.clone(), own.evidence.clone())));
        supported(label, own.support_end.clone().map(|day| (day, own.evidence.clone())));
    }
    if matches!(label.distro_id.as_str(), "debian" | "ubuntu") {
        let file = format!("{RELEASES}/{}.csv", label.distro_id);
        if let Ok(bytes) = tree.read(&file)
            && let Some((line, day, end)) = of_list(&bytes, label)
        {
            let evidence = || Evidence::line(file.as_str(), line);
            released(label, day.map(|day| (day, evidence())));
            supported(label, end.map(|day| (day, evidence())));
        }
    }
}

fn released(label: &mut Label, told: Option<(Text, Evidence)>) {
    if label.release_date.is_none()
        && let Some((day, evidence)) = told
    {
        (label.release_date, label.release_date_from) = (Some(day), Some(evidence));
    }
}

fn supported(label: &mut Label, told: Option<(Text, Evidence)>) {
    if label.support_end.is_none()
        && let Some((day, evidence)) = told
    {
        (label.support_end, label.support_end_from) = (Some(day), Some(evidence));
    }
}

/// The first eight digits in a row that are a day: `20260504` of `Saltmarsh 5.0 - Release amd64 20260504-10:11`.
fn day_in(line: &[u8]) -> Option<Text> {
    let groups = line.split(|byte| !byte.is_ascii_digit()).filter(|group| group.len() == 8);
    groups.filter_map(|group| std::str::from_utf8(group).ok()).find_map(|group| {
        let day = day_of(&format!("{}-{}-{}", &group[..4], &group[4..6], &group[6..]))?;
        (day.year() > 1990).then(|| day.to_string().into())
    })
}

/// The row of a release, by its code name or else its number: the line, the day of the release, the day that support ends.
fn of_list(bytes: &[u8], label: &Label) -> Option<(u32, Option<Text>, Option<Text>)> {
    let mut rows = lines(bytes);
    let (_, header) = rows.next()?;
    let cells = |row: &[u8]| row.split(|byte| *byte == b',').map(text).collect::<Vec<_>>();
    let header = cells(header);
    let column = |name: &str| header.iter().position(|known| known == name);
    let (version, series) = (column("version")?, column("series")?);
    let (release, end) = (column("release")?, column("eol"));
    let series_name = label.codename.as_ref().map(|name| name.to_lowercase());
    let series_name = series_name.as_deref().map(|name| name.split(' ').next().unwrap_or_default());
    let number = label.release.as_deref();
    rows.map(|(line, row)| (line, cells(row))).find_map(|(line, row)| {
        let get = |at: usize| row.get(at).map(Text::as_str);
        // `24.04 LTS` is the version of 24.04.
        let same_number = || number.is_some() && get(version).and_then(|own| own.split(' ').next()) == number;
        let is_own = get(series) == series_name && series_name.is_some() || same_number();
        let day = |at: Option<usize>| day_of(get(at?)?).map(|day| Text::from(day.to_string()));
        is_own.then(|| (line, day(Some(release)), day(end)))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    const LIST: &str = "version,codename,series,created,release,eol,eol-lts\n\
        12,Bookworm,bookworm,2021-08-14,2023-06-10,2026-06-10,2028-06-30\n\
        13,Trixie,trixie,2023-06-10,2025-08-09,2028-08-09,2030-06-30\n14,Forky,forky,2025-08-09\n";

    fn debian(release: Option<&str>, codename: Option<&str>) -> Label {
        Label {
            distro_id: "debian".into(),
            release: release.map(Text::from),
            codename: codename.map(Text::from),
            ..Label::default()
        }
    }

    fn days(label: &Label) -> (Option<&str>, Option<&str>) {
        (label.release_date.as_deref(), label.support_end.as_deref())
    }

    #[test]
    fn the_list_of_releases_tells_both_days_with_its_line() {
        let tree = MemoryTree::new().file("usr/share/distro-info/debian.csv", LIST);
        let mut label = debian(Some("13"), Some("Trixie"));
        fill(&tree, &OnMedium::default(), &[], &mut label);
        assert_eq!(days(&label), (Some("2025-08-09"), Some("2028-08-09")));
        assert_eq!(label.release_date_from.unwrap().place(), "usr/share/distro-info/debian.csv:3");
        let mut unreleased = debian(None, Some("Forky"));
        fill(&tree, &OnMedium::default(), &[], &mut unreleased);
        assert_eq!(days(&unreleased), (None, None));
        let mut other = Label { distro_id: "reed".into(), ..debian(Some("13"), None) };
        fill(&tree, &OnMedium::default(), &[], &mut other);
        assert_eq!(days(&other), (None, None), "a derivative has a calendar of its own");
    }

    #[test]
    fn the_medium_comes_first_and_what_is_known_stays() {
        let tree = MemoryTree::new().file("usr/share/distro-info/debian.csv", LIST);
        let line = b"Debian GNU/Linux 12.11.0 _Bookworm_ - Official amd64 NETINST 20250517-09:52\n".to_vec();
        let medium = OnMedium { lists: vec![(MEDIUM.into(), line)], installs: None };
        let mut label = debian(Some("12"), Some("Bookworm"));
        fill(&tree, &medium, &[], &mut label);
        assert_eq!(days(&label), (Some("2025-05-17"), Some("2026-06-10")));
        assert_eq!(label.release_date_from.as_ref().unwrap().place(), ".disk/info:1");
        label.release_date = Some("2025-01-01".into());
        fill(&tree, &medium, &[], &mut label);
        assert_eq!(label.release_date.as_deref(), Some("2025-01-01"));
    }

    #[test]
    fn what_the_distribution_says_of_itself() {
        let own = |version: &str, day: &str| SystemRelease {
            version: version.into(),
            day: day.into(),
            support_end: Some("2029-01-01".into()),
            evidence: Evidence::file("usr/share/metainfo/os.xml"),
        };
        let mut label = Label { release: Some("5.0".into()), ..Label::default() };
        let releases = [own("4.0", "2024-05-04"), own("5.0", "2026-05-04")];
        fill(&MemoryTree::new(), &OnMedium::default(), &releases, &mut label);
        assert_eq!(days(&label), (Some("2026-05-04"), Some("2029-01-01")));
    }

    proptest! {
        #[test]
        fn any_list_tells_days_or_nothing(bytes in prop::collection::vec(any::<u8>(), 0..120), rows in "[a-z0-9,\n-]{0,80}") {
            for content in [bytes, format!("version,series,release,eol\n{rows}").into_bytes()] {
                let tree = MemoryTree::new().file("usr/share/distro-info/debian.csv", content.as_slice()).file(MEDIUM, content);
                let mut label = debian(Some("1"), Some("A"));
                fill(&tree, &OnMedium::default(), &[], &mut label);
                prop_assert!(label.release_date.is_none_or(|day| day_of(&day).is_some()));
            }
        }
    }
}
