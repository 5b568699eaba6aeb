//! Lists of packages instead of installs: what query commands print, manifests of images, bills of materials. See
//! `docs/formats/listings.md`.

mod cyclonedx;
mod formats;
mod purl;
mod spdx;

use crate::text::{lines, text};
use tally_core::model::{Label, MissingFact, Package, Text, Unread};

/// The file that evidence names: a list is all there is.
const FILE: &str = "listing";

/// What a list tells.
#[derive(Debug, Default)]
pub struct Listing {
    /// What the list is: `dpkg -l`, `CycloneDX 1.5` ...
    pub format: Text,
    /// Its packages; evidence names the lines.
    pub packages: Vec<Package>,
    /// Lines that say nothing.
    pub unread: Vec<Unread>,
    /// What no such list tells.
    pub missing: Vec<MissingFact>,
    /// What it says of the install.
    pub label: Label,
}

/// What no list tells, whatever its format.
const NEVER_TOLD: [MissingFact; 3] = [MissingFact::Launchers, MissingFact::Owners, MissingFact::Programs];

/// Reads a list, its format recognised by its content; `None` when it is none that is known.
///
/// Of the formats of lines the first one that understands nine lines of ten is it; the other lines are named.
pub fn read(bytes: &[u8]) -> Option<Listing> {
    if bytes.trim_ascii_start().starts_with(b"{") {
        return cyclonedx::read(bytes).or_else(|| spdx::read(bytes));
    }
    let written: Vec<(u32, Text)> = lines(bytes)
        .map(|(number, line)| (number, text(line)))
        .filter(|(_, line)| !line.is_empty())
        .collect();
    // A look at the first lines is enough to rule a format out.
    let begin = &written[..written.len().min(200)];
    let format = formats::ALL.iter().find(|format| {
        let understood = begin.iter().filter(|(_, line)| format.line(line).is_understood()).count();
        understood * 10 >= begin.len() * 9 && begin.iter().any(|(_, line)| format.line(line).is_package())
    })?;
    let mut listing =
        Listing { format: format.command.into(), missing: NEVER_TOLD.to_vec(), ..Listing::default() };
    listing.missing.extend_from_slice(format.missing);
    for (number, line) in &written {
        match format.line(line) {
            formats::Said::Package(mut package) => {
                package.evidence.line = Some(*number);
                package.evidence.file = FILE.into();
                listing.packages.push(*package);
            }
            formats::Said::Heading => {}
            formats::Said::Nothing => {
                listing.unread.push(Unread::at(FILE, *number, format!("is no line of `{}`", format.command)));
            }
        }
    }
    Some(listing)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_core::model::{Reason, State, System};

    fn of(list: &str) -> (String, Vec<(System, String, String)>) {
        let listing = read(list.as_bytes()).unwrap();
        let package = |p: Package| (p.system, p.name.to_string(), p.version.to_string());
        (listing.format.to_string(), listing.packages.into_iter().map(package).collect())
    }

    #[test]
    fn each_command_is_recognised_by_what_it_prints() {
        use System::{Apk, Dpkg, Flatpak, FreebsdPkg, Pacman, Portage, Rpm, Slackware, Snap, Xbps};
        let cases: &[(&str, &str, System, &str, &str)] = &[
            (
                "dpkg -l",
                "Desired=Unknown/Install\n||/ Name Version Architecture Description\n+++-====-====-====-====\nii  inkcap:amd64  1:3.2-1  amd64  text editor\nrc  old  1.0  all  gone",
                Dpkg,
                "inkcap",
                "1:3.2-1",
            ),
            ("dpkg-query -W", "inkcap:amd64\t1:3.2-1\nlibweir2\t4.0-2\n", Dpkg, "inkcap", "1:3.2-1"),
            (
                "dpkg-query -W",
                "inkcap 3.2-1ubuntu1\nlibweir2 4.0\nbase-files 12.4+fen1\n",
                Dpkg,
                "inkcap",
                "3.2-1ubuntu1",
            ),
            (
                "apt list",
                "Listing... Done\ninkcap/bittern,now 3.2-1 amd64 [installed,automatic]\n",
                Dpkg,
                "inkcap",
                "3.2-1",
            ),
            (
                "rpm -qa",
                "inkcap-gtk-3.2-1.fc40.x86_64\nlibweir-4.0-2.fc40.noarch\n",
                Rpm,
                "inkcap-gtk",
                "3.2-1.fc40",
            ),
            (
                "dnf list",
                "Installed Packages\ninkcap.x86_64   1:3.2-1.fc40   @marsh\n",
                Rpm,
                "inkcap",
                "1:3.2-1.fc40",
            ),
            ("pacman -Q", "inkcap 1:3.2-1\nlibweir 4.0.r3.gabc-2\n", Pacman, "inkcap", "1:3.2-1"),
            (
                "apk list",
                "inkcap-3.2_rc1-r0 x86_64 {inkcap} (MIT) [installed]\n",
                Apk,
                "inkcap",
                "3.2_rc1-r0",
            ),
            (
                "apk info -v",
                "WARNING: opening cache\ninkcap-3.2-r0 - A text editor\nlibweir-4.0-r1\nmusl-1.2.5-r0\nz-1-r1\na-1-r1\nb-1-r1\nc-1-r1\nd-1-r1\ne-1-r1\nf-1-r1",
                Apk,
                "inkcap",
                "3.2-r0",
            ),
            (
                "pkg info",
                "inkcap-3.2_1,1     A text editor\np5-Weir-4.0        Weir\n",
                FreebsdPkg,
                "inkcap",
                "3.2_1,1",
            ),
            (
                "qlist -Iv",
                "app-editors/inkcap-3.2-r1\ndev-libs/weir-4.0\n",
                Portage,
                "app-editors/inkcap",
                "3.2-r1",
            ),
            (
                "xbps-query -l",
                "ii inkcap-3.2_1     A text editor\nii libweir-4.0_2    Weir\n",
                Xbps,
                "inkcap",
                "3.2_1",
            ),
            (
                "ls /var/log/packages",
                "inkcap-3.2-x86_64-1\nlibweir-4.0-noarch-2_SBo\n",
                Slackware,
                "inkcap",
                "3.2-1",
            ),
            (
                "snap list",
                "Name  Version  Rev  Tracking  Publisher  Notes\ncore22  20240111  1122  latest/stable  marsh  base\npondskate  2.1  7  latest/stable  marsh  -\n",
                Snap,
                "core22",
                "20240111",
            ),
            (
                "flatpak list",
                "Pondskate\torg.marsh.Pondskate\t2.1\tstable\tsystem\nPlatform\torg.marsh.Platform\t\t31.04\tsystem\n",
                Flatpak,
                "org.marsh.Pondskate",
                "2.1",
            ),
        ];
        for (command, list, system, name, version) in cases {
            let (format, packages) = of(list);
            assert_eq!(format, *command, "{list}");
            assert_eq!(packages[0], (*system, (*name).to_owned(), (*version).to_owned()));
        }
    }

    #[test]
    fn what_a_list_tells_besides_names() {
        let listing =
            read(b"ii  inkcap  3.2-1  amd64  text editor\nrc  old  1.0  all  gone\nhi  held  1  all  x\n")
                .unwrap();
        assert_eq!(
            (listing.packages[0].summary.as_str(), listing.packages[0].arch.as_str()),
            ("text editor", "amd64")
        );
        assert_eq!(listing.packages[1].state, State::RemovedConfig);
        assert_eq!(listing.packages[2].state, State::Installed, "held back is installed");
        assert_eq!(listing.packages[1].evidence.line, Some(2));
        let apt =
            read(b"a/x,now 1 amd64 [installed,automatic]\nb/x,now 1 amd64 [installed,local]\n").unwrap();
        assert_eq!(
            apt.packages.iter().map(|p| p.reason).collect::<Vec<_>>(),
            [Reason::Followed, Reason::Chosen]
        );
        assert!(!apt.missing.contains(&MissingFact::Reasons));
        assert!(listing.missing.contains(&MissingFact::Sizes));
        let manifest = read(b"inkcap\t3.2\nsnap:core22\tlatest/stable\t1122\nfine\t1\nc\t1\nd\t1\ne\t1\nf\t1\ng\t1\nh\t1\nno line at all\n").unwrap();
        assert_eq!(
            (
                manifest.packages[1].system,
                manifest.packages[1].name.as_str(),
                manifest.packages[1].version.as_str()
            ),
            (System::Snap, "core22", "1122")
        );
        assert_eq!(manifest.unread[0].line, Some(10));
        assert!(read(b"It was a dark night.\nThe tide came in.\n").is_none());
        assert!(read(b"").is_none());
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_list_or_none(bytes in prop::collection::vec(any::<u8>(), 0..200), words in "([a-z0-9:.+_/-]{1,12}[ \t\n]{1,3}){0,20}") {
            read(&bytes);
            read(words.as_bytes());
        }
    }
}
