//! The day of a package's last change, by its changelog: deb-changelog(5), below `usr/share/doc`.

use std::io::Read;
use tally_core::model::{Package, Text};
use tally_trees::Tree;

/// Bytes of a changelog in which the first entry ends.
const FIRST_ENTRY: u64 = 256 << 10;

/// The day, in the time zone of whoever made the change.
pub(super) fn day(tree: &dyn Tree, package: &Package) -> Option<Text> {
    let folder = format!("usr/share/doc/{}", package.name);
    // Rebuilt without a change, a package has the entry in a file of its own; one of Debian's own has no `Debian` in its name.
    let rebuilt = format!("changelog.Debian.{}.gz", package.arch);
    let rebuilt_own = format!("changelog.{}.gz", package.arch);
    [
        rebuilt.as_str(),
        rebuilt_own.as_str(),
        "changelog.Debian.gz",
        "changelog.gz",
        "changelog.Debian",
        "changelog",
    ]
    .iter()
    .find_map(|name| of_bytes(&tree.read(format!("{folder}/{name}")).ok()?, name.ends_with(".gz")))
}

fn of_bytes(bytes: &[u8], packed: bool) -> Option<Text> {
    let mut begin = Vec::new();
    if packed {
        // What was unpacked before an error counts.
        _ = flate2::read::MultiGzDecoder::new(bytes).take(FIRST_ENTRY).read_to_end(&mut begin);
    } else {
        begin.extend_from_slice(&bytes[..bytes.len().min(usize::try_from(FIRST_ENTRY).unwrap_or(0))]);
    }
    let signed = begin.split(|byte| *byte == b'\n').find_map(|line| line.strip_prefix(b" -- "))?;
    let (_, moment) = std::str::from_utf8(signed).ok()?.split_once("  ")?;
    let parser = jiff::fmt::rfc2822::DateTimeParser::new().relaxed_weekday(true);
    let zoned = parser.parse_zoned(moment.trim()).ok()?;
    (zoned.year() > 1990).then(|| zoned.date().to_string().into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Write;
    use tally_core::model::System;
    use tally_trees::MemoryTree;

    const ENTRY: &str = "inkcap (3.2-1) unstable; urgency=medium\n\n  * New release.\n\n -- A B <a@b.example>  Tue, 03 Feb 2026 23:50:00 -0500\n";

    fn packed(text: &str) -> Vec<u8> {
        let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        packed.write_all(text.as_bytes()).unwrap();
        packed.finish().unwrap()
    }

    #[test]
    fn the_first_entry_tells_the_day_and_a_rebuild_before_it() {
        let mut package = Package::new(System::Dpkg, "inkcap", "3.2-1");
        package.arch = "amd64".into();
        let older = ENTRY.replace("2026", "2025");
        let tree = MemoryTree::new()
            .file("usr/share/doc/inkcap/changelog.Debian.gz", packed(&format!("{ENTRY}\n{older}")))
            .file("usr/share/doc/reed/changelog", older.as_str());
        assert_eq!(day(&tree, &package).as_deref(), Some("2026-02-03"));
        let rebuilt = packed(&ENTRY.replace("03 Feb", "05 Mar"));
        let tree = tree.file("usr/share/doc/inkcap/changelog.Debian.amd64.gz", rebuilt);
        assert_eq!(day(&tree, &package).as_deref(), Some("2026-03-05"));
        let own = MemoryTree::new()
            .file("usr/share/doc/inkcap/changelog.gz", packed(ENTRY))
            .file("usr/share/doc/inkcap/changelog.amd64.gz", packed(&ENTRY.replace("03 Feb", "06 Mar")));
        assert_eq!(day(&own, &package).as_deref(), Some("2026-03-06"));
        package.name = "reed".into();
        assert_eq!(day(&tree, &package).as_deref(), Some("2025-02-03"));
        package.name = "none".into();
        assert_eq!(day(&tree, &package), None);
    }

    proptest! {
        #[test]
        fn any_changelog_has_a_day_or_none(bytes in prop::collection::vec(any::<u8>(), 0..200), text in "[ a-z0-9:,<>-]{0,60}") {
            _ = of_bytes(&bytes, true);
            _ = of_bytes(&bytes, false);
            let told = of_bytes(format!(" -- {text}").as_bytes(), false);
            prop_assert!(told.is_none_or(|day| tally_core::model::day_of(&day).is_some()));
        }
    }
}
