//! Lists of packages instead of installs: what query commands print, manifests of images, bills of materials. See
//! `docs/formats/listings.md`.

mod cyclonedx;
mod formats;
mod purl;
mod records;
mod spdx;

use crate::text::text;
use serde::de::{Deserialize, Deserializer, IgnoredAny, SeqAccess, Visitor};
use std::fmt;
use std::io::{self, BufRead, Read};
use std::marker::PhantomData;
use tally_core::model::{Label, MissingFact, Package, Text, Unread};
use tally_trees::LIMITS;

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

/// Bytes that tell what a list is: 64 KiB. Where one of them is a zero it is no text, and no list.
const HEAD: usize = 64 << 10;
/// Bytes that a list of records, or a bill of materials, may have: they are read whole.
const WHOLE: u64 = LIMITS.file_bytes;
/// Bytes of a line that are read; a longer one is none of any list.
const LINE: usize = 64 << 10;
/// Packages that are taken from a list: several times the largest install.
const PACKAGES: usize = 40_000;
/// Lines that say nothing, and are named one by one.
const NAMED: usize = 1000;

/// Reads a list that is in memory.
pub fn read(bytes: &[u8]) -> Option<Listing> {
    read_from(bytes).ok().flatten()
}

/// Reads a list, its format recognised by its content; `None` when it is none that is known.
///
/// Of the formats of lines the first one that understands nine lines of ten is it; the other lines are named. Such a list is
/// read line by line, so that its size does not matter; records and bills of materials are read whole.
///
/// # Errors
/// When it can't be read, or is to be read whole and is larger than 256 MiB.
pub fn read_from(mut input: impl BufRead) -> io::Result<Option<Listing>> {
    let mut head = Vec::new();
    (&mut input).take(HEAD as u64).read_to_end(&mut head)?;
    if memchr::memchr(0, &head).is_some() {
        return Ok(None);
    }
    let begin = head.trim_ascii_start();
    if begin.starts_with(b"{") {
        let all = whole(head, input)?;
        return Ok(cyclonedx::read(&all).or_else(|| spdx::read(&all)));
    }
    if records::begins(begin) {
        let all = whole(head, input)?;
        return match records::read(&all) {
            Some(listing) => Ok(Some(listing)),
            None => read_lines(&all[..]),
        };
    }
    read_lines(io::Cursor::new(head).chain(input))
}

/// All that there is, where that is not too much.
fn whole(mut head: Vec<u8>, input: impl BufRead) -> io::Result<Vec<u8>> {
    input.take(WHOLE.saturating_add(1)).read_to_end(&mut head)?;
    if head.len() as u64 > WHOLE {
        return Err(io::Error::other(format!(
            "is larger than {WHOLE} bytes, which is more than is read of such a list"
        )));
    }
    Ok(head)
}

/// The lines of a list with their numbers, without those that are empty.
struct Lines<R> {
    input: R,
    number: u32,
    buffer: Vec<u8>,
}

impl<R: BufRead> Lines<R> {
    /// The next line; `None` at the end. A line that is longer than any of a list comes back cut off.
    fn next(&mut self) -> io::Result<Option<(u32, Text)>> {
        loop {
            self.buffer.clear();
            if (&mut self.input).take(LINE as u64).read_until(b'\n', &mut self.buffer)? == 0 {
                return Ok(None);
            }
            self.number = self.number.saturating_add(1);
            if self.buffer.len() == LINE && !self.buffer.ends_with(b"\n") {
                self.input.skip_until(b'\n')?;
            }
            let line = text(&self.buffer);
            if !line.is_empty() {
                return Ok(Some((self.number, line)));
            }
        }
    }
}

fn read_lines(input: impl BufRead) -> io::Result<Option<Listing>> {
    let mut lines = Lines { input, number: 0, buffer: Vec::new() };
    // A look at the first lines is enough to rule a format out.
    let mut begin: Vec<(u32, Text)> = Vec::new();
    while begin.len() < 200
        && let Some(line) = lines.next()?
    {
        begin.push(line);
    }
    let understood = |format: &&formats::Format| {
        let understood = begin.iter().filter(|(_, line)| format.line(line).is_understood()).count();
        understood * 10 >= begin.len() * 9 && begin.iter().any(|(_, line)| format.line(line).is_package())
    };
    let Some(format) = formats::ALL.iter().find(understood) else { return Ok(None) };
    let mut listing =
        Listing { format: format.command.into(), missing: NEVER_TOLD.to_vec(), ..Listing::default() };
    listing.missing.extend_from_slice(format.missing);
    let mut waiting = begin.into_iter();
    let mut unnamed = 0_u64;
    while let Some((number, line)) = waiting.next().map_or_else(|| lines.next(), |line| Ok(Some(line)))? {
        match format.line(&line) {
            formats::Said::Package(_) if listing.packages.len() == PACKAGES => {
                let why = format!("has more than {PACKAGES} packages: the rest is not read");
                listing.unread.push(Unread::at(FILE, number, why));
                break;
            }
            formats::Said::Package(mut package) => {
                package.evidence.line = Some(number);
                package.evidence.file = FILE.into();
                listing.packages.push(*package);
            }
            formats::Said::Heading => {}
            formats::Said::Nothing if listing.unread.len() == NAMED => unnamed += 1,
            formats::Said::Nothing => {
                listing.unread.push(Unread::at(
                    FILE,
                    number,
                    format!("is not a line of `{}`", format.command),
                ));
            }
        }
    }
    if unnamed > 0 {
        let why = format!("{unnamed} more lines are none of `{}`", format.command);
        listing.unread.push(Unread::whole(FILE, why));
    }
    Ok(Some(listing))
}

/// Elements of a list in a bill of materials, up to a number that none has; what is behind is passed over.
fn bounded<'de, D: Deserializer<'de>, T: Deserialize<'de>>(deserializer: D) -> Result<Vec<T>, D::Error> {
    const MOST: usize = 1_000_000;
    struct Elements<T>(PhantomData<T>);
    impl<'de, T: Deserialize<'de>> Visitor<'de> for Elements<T> {
        type Value = Vec<T>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("a list")
        }

        fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Vec<T>, A::Error> {
            let mut kept = Vec::new();
            while kept.len() < MOST
                && let Some(element) = list.next_element()?
            {
                kept.push(element);
            }
            while list.next_element::<IgnoredAny>()?.is_some() {}
            Ok(kept)
        }
    }
    deserializer.deserialize_seq(Elements(PhantomData))
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
            [Reason::Dependency, Reason::Explicit]
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

    /// How a command prints its packages.
    struct Printed {
        command: &'static str,
        system: System,
        /// Expressions of what its names and versions are made of.
        made_of: (&'static str, &'static str),
        head: &'static str,
        line: fn(&str, &str) -> String,
    }

    const NAME: &str = "[a-z][a-z0-9+]{1,6}(-[a-z][a-z0-9.]{0,5}){0,2}";

    fn printed() -> Vec<Printed> {
        use System::{Apk, Dpkg, Flatpak, FreebsdPkg, Pacman, Portage, Rpm, Slackware, Snap, Xbps};
        let debian = "([0-9]:)?[0-9]{1,2}[.][0-9]{1,2}([+]dfsg|~rc[0-9])?(-[0-9]([+]deb13u1|marsh2)?)?";
        let printed = |command, system, made_of, head, line| Printed { command, system, made_of, head, line };
        vec![
            printed("dpkg -l", Dpkg, (NAME, debian), "||/ Name Version\n", |n, v| {
                format!("ii  {n}:amd64   {v}  amd64   a summary - of it")
            }),
            printed("dpkg-query -W", Dpkg, (NAME, debian), "", |n, v| format!("{n}\t{v}")),
            printed("apt list", Dpkg, (NAME, debian), "Listing...\n", |n, v| {
                format!("{n}/bittern,now {v} amd64 [installed,upgradable to: 99]")
            }),
            printed(
                "rpm -qa",
                Rpm,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(~rc1)?-[0-9]{1,2}[.]fc[0-9]{2}"),
                "",
                |n, v| format!("{n}-{v}.noarch"),
            ),
            printed(
                "dnf list",
                Rpm,
                (NAME, "([0-9]:)?[0-9]{1,2}[.][0-9]{1,2}-[0-9]{1,2}[.]fc4"),
                "Installed Packages\n",
                |n, v| format!("{n}.x86_64      {v}      @marsh"),
            ),
            printed(
                "pacman -Q",
                Pacman,
                (NAME, "([0-9]:)?[0-9]{1,2}[.][0-9]{1,2}([.]r[0-9]+[.]g[a-f0-9]{7})?-[0-9]([.][0-9])?"),
                "",
                |n, v| format!("{n} {v}"),
            ),
            printed(
                "apk list",
                Apk,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(_rc[0-9])?-r[0-9]{1,2}"),
                "WARNING: x\n",
                |n, v| format!("{n}-{v} x86_64 {{{n}-src}} (MIT AND BSD) [installed]"),
            ),
            printed(
                "apk info -v",
                Apk,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(_git[0-9]{8})?-r[0-9]{1,2}"),
                "",
                |n, v| format!("{n}-{v} - a summary - of it"),
            ),
            printed(
                "qlist -Iv",
                Portage,
                (
                    "[a-z]{3}-[a-z]{3,6}/[a-z][a-z0-9+]{1,6}(-[a-z]{1,5})?",
                    "[0-9]{1,2}[.][0-9]{1,2}[a-z]?(_p[0-9])?(-r[0-9])?",
                ),
                "",
                |n, v| format!("{n}-{v}"),
            ),
            printed("xbps-query -l", Xbps, (NAME, "[0-9]{1,2}[.][0-9]{1,2}_[0-9]{1,2}"), "", |n, v| {
                format!("ii {n}-{v}      a summary - of it")
            }),
            printed(
                "pkg info",
                FreebsdPkg,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(_[0-9])?(,[0-9])?"),
                "",
                |n, v| format!("{n}-{v}        a summary - of it"),
            ),
            printed(
                "ls /var/log/packages",
                Slackware,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(_r[0-9])?-[0-9]{1,2}(_marsh)?"),
                "",
                |n, v| {
                    let (version, build) = v.rsplit_once('-').unwrap();
                    format!("{n}-{version}-x86_64-{build}")
                },
            ),
            printed(
                "snap list",
                Snap,
                (NAME, "[0-9]{1,2}[.][0-9]{1,2}(-[a-z]{1,4})?"),
                "Name  Version  Rev  Tracking  Publisher  Notes\n",
                |n, v| format!("{n}   {v}   117   latest/stable   marsh**   -"),
            ),
            printed(
                "flatpak list",
                Flatpak,
                ("org[.][a-z]{2,6}[.][A-Z][a-z]{1,6}", "[0-9]{1,2}[.][0-9]{1,2}"),
                "",
                |n, v| format!("A Name\t{n}\t{v}\tstable\tsystem"),
            ),
        ]
    }

    fn a_list() -> impl Strategy<Value = (usize, Vec<(String, String)>)> {
        (0..printed().len()).prop_flat_map(|which| {
            let (names, versions) = printed()[which].made_of;
            (Just(which), prop::collection::vec((names, versions), 1..20))
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(512))]

        #[test]
        fn what_a_command_prints_is_read_as_its_list((which, packages) in a_list()) {
            let printed = &printed()[which];
            let lines: Vec<String> = packages.iter().map(|(name, version)| (printed.line)(name, version)).collect();
            let (format, read) = of(&format!("{}{}\n", printed.head, lines.join("\n")));
            prop_assert_eq!(format, printed.command, "{:?}", lines);
            let told = packages.into_iter().map(|(name, version)| (printed.system, name, version));
            prop_assert_eq!(read, told.collect::<Vec<_>>());
        }
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_list_or_none(bytes in prop::collection::vec(any::<u8>(), 0..200), words in "([a-z0-9:.+_/-]{1,12}[ \t\n]{1,3}){0,20}") {
            read(&bytes);
            read(words.as_bytes());
        }
    }
}
