//! What a view can't show, as a file that it would be read from could not be read.

use super::ShowWhat;
use tally_core::model::{Tally, Unread};

/// Folders and files by what they are read for; a view is named with each that it depends on.
const PLACES: &[(&str, &[ShowWhat])] = &[
    ("applications", &[ShowWhat::Menu, ShowWhat::Defaults]),
    ("mimeapps.list", &[ShowWhat::Defaults]),
    ("mimeinfo.cache", &[ShowWhat::Defaults]),
    ("etc/alternatives", &[ShowWhat::Defaults, ShowWhat::Parts]),
    ("systemd", &[ShowWhat::Startup]),
    ("autostart", &[ShowWhat::Startup]),
    ("etc/init.d", &[ShowWhat::Startup]),
    ("etc/rc", &[ShowWhat::Startup]),
    ("sessions", &[ShowWhat::Looks, ShowWhat::Parts]),
    ("usr/share/themes", &[ShowWhat::Looks]),
    ("usr/share/icons", &[ShowWhat::Looks]),
    ("usr/share/fonts", &[ShowWhat::Looks]),
    ("usr/share/backgrounds", &[ShowWhat::Looks]),
    ("usr/share/wallpapers", &[ShowWhat::Looks]),
    ("xfconf", &[ShowWhat::Looks, ShowWhat::Settings]),
    ("dconf", &[ShowWhat::Looks, ShowWhat::Settings]),
    ("schemas", &[ShowWhat::Looks, ShowWhat::Settings]),
    ("policies", &[ShowWhat::Settings]),
    ("sources.list", &[ShowWhat::Repositories]),
    ("var/lib/apt/lists", &[ShowWhat::Repositories]),
    ("repos.d", &[ShowWhat::Repositories]),
    ("pacman.conf", &[ShowWhat::Repositories]),
    ("pacman/sync", &[ShowWhat::Repositories]),
    ("etc/apk", &[ShowWhat::Repositories]),
    ("var/lib/dpkg", PACKAGES),
    ("rpm", PACKAGES),
    ("var/lib/pacman/local", PACKAGES),
    ("apk/db", PACKAGES),
    ("var/lib/eopkg", PACKAGES),
    ("var/db/pkg", PACKAGES),
    ("var/db/xbps", PACKAGES),
    ("pkgtools/packages", PACKAGES),
    ("var/lib/snapd", PACKAGES),
    ("var/lib/flatpak", PACKAGES),
];

const PACKAGES: &[ShowWhat] =
    &[ShowWhat::Packages, ShowWhat::Weight, ShowWhat::Parts, ShowWhat::Menu, ShowWhat::Findings];

/// What is missing of a view; `None` where everything that it depends on was read. The overview says it in a line of its own.
pub(super) fn said(tally: &Tally, what: ShowWhat) -> Option<String> {
    let matters =
        |one: &&Unread| PLACES.iter().any(|(place, views)| views.contains(&what) && one.file.contains(place));
    let lost: Vec<&Unread> = tally.unread.iter().filter(matters).collect();
    let first = lost.first()?;
    let others = match lost.len() - 1 {
        0 => String::new(),
        1 => " and 1 more place".to_owned(),
        more => format!(" and {more} more places"),
    };
    Some(format!(
        "Some files could not be read, so something may be missing here: {} ({}){others}.",
        first.file, first.why
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{Label, Medium, Taken};

    #[test]
    fn a_view_says_what_it_depends_on_and_could_not_be_read() {
        let taken = Taken {
            at: "".into(),
            from: "".into(),
            medium: Medium::Installed,
            layer: None,
            sha256: None,
            root: None,
        };
        let mut tally = Tally::new("test", taken, Label::default());
        assert_eq!(said(&tally, ShowWhat::Menu), None);
        tally.unread.push(Unread::whole("usr/share/applications", "permission denied"));
        tally.unread.push(Unread::whole("etc/systemd/system/a.service", "permission denied"));
        tally.unread.push(Unread::whole("usr/share/applications/x.desktop", "is cut off"));
        assert_eq!(
            said(&tally, ShowWhat::Menu).unwrap(),
            "Some files could not be read, so something may be missing here: usr/share/applications (permission denied) and 1 more place."
        );
        assert!(said(&tally, ShowWhat::Startup).unwrap().contains("a.service (permission denied)."));
        assert_eq!(said(&tally, ShowWhat::Looks), None);
    }
}
