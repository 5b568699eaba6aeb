//! What untrusted bytes reach: a function for each decoder. `scripts/fuzz` feeds them what it makes up, `cargo test` every
//! file in `fuzz/regressions`.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, LazyLock, Mutex};
use tally_core::check::Checklist;
use tally_core::knowledge::{Agents, KindRules, OwnRules, PartRules, Roles, SettingRules};
use tally_core::model::{Label, Medium, System, Taken};
use tally_core::systems;
use tally_readers::packages::{self, WantedPaths};
use tally_readers::{OnMedium, Overrides, TakeOptions};
use tally_trees::{LIMITS, MemoryTree, NodeKind, ReadAt, Source, Squashfs, Tree};

/// An image that tests of the trees read, packed.
macro_rules! image {
    ($name:literal) => {
        include_bytes!(concat!("../../crates/trees/tests/fixtures/images/", $name, ".zst"))
    };
}

/// A decoder and what feeds it.
pub(crate) struct Target {
    pub(crate) name: &'static str,
    pub(crate) run: fn(&'static str, &[u8]),
    /// Whether its formats are binary, packed or nested: they get more time.
    #[allow(dead_code, reason = "whoever runs them asks, not who is run")]
    pub(crate) is_risky: bool,
}

const fn target(name: &'static str, run: fn(&'static str, &[u8]), is_risky: bool) -> Target {
    Target { name, run, is_risky }
}

/// Every target, by name.
pub(crate) const TARGETS: &[Target] = &[
    target("apk", in_install, false),
    target("appimage", in_install, true),
    target("appstream", in_install, false),
    target("apt-history", in_install, false),
    target("apt-list", in_install, false),
    target("apt-sources", in_install, false),
    target("bill", listing, false),
    target("btrfs", changed, true),
    target("checklist", checklist, false),
    target("dconf", in_install, false),
    target("desktop-entry", in_install, false),
    target("disk", source, true),
    target("dpkg-log", in_install, false),
    target("dpkg-status", in_install, false),
    target("eopkg", in_install, false),
    target("erofs", changed, true),
    target("ext4", source, true),
    target("fat", changed, true),
    target("flatpak-deploy", in_install, true),
    target("freebsd-pkg", in_install, true),
    target("fstab", in_install, false),
    target("gschema", in_install, false),
    target("gschema-override", in_install, false),
    target("iso", iso, true),
    target("kcfg", in_install, false),
    target("keyfile-settings", in_install, false),
    target("listing", listing, false),
    target("lvm", changed, true),
    target("mimeapps", in_install, false),
    target("oci", changed, true),
    target("os-release", in_install, false),
    target("own-rules", own_rules, false),
    target("package-list", package_list, false),
    target("pacman-desc", in_install, false),
    target("pacman-log", in_install, false),
    target("pacman-sync", in_install, false),
    target("panel", in_install, false),
    target("picture", picture, false),
    target("portage", in_install, true),
    target("portage-log", in_install, false),
    target("rpm-berkeley", in_install, true),
    target("rpm-header", rpm_header, true),
    target("rpm-ndb", in_install, true),
    target("rpm-sqlite", in_install, true),
    target("slackware", in_install, false),
    target("snap-meta", in_install, false),
    target("snap-seed", in_install, false),
    target("snap-state", in_install, false),
    target("squashfs", squashfs, true),
    target("tally", tally, false),
    target("tar", source, true),
    target("unit", in_install, false),
    target("versions", versions, false),
    target("vhdx", changed, true),
    target("vmdk", changed, true),
    target("xbps", in_install, false),
    target("xfconf", in_install, false),
    target("xfs", changed, true),
    target("zypp-history", in_install, false),
];

/// Where the bytes of a target lie in an install.
pub(crate) const PLACES: &[(&str, &str)] = &[
    ("appimage", "opt/Inkcap-1.0.AppImage"),
    ("appstream", "usr/share/metainfo/inkcap.metainfo.xml"),
    ("apk", "lib/apk/db/installed"),
    ("apt-history", "var/log/apt/history.log"),
    ("apt-list", "var/lib/apt/lists/fen.example_fenland_dists_bittern_main_binary-amd64_Packages"),
    ("apt-sources", "etc/apt/sources.list.d/fen.sources"),
    ("dconf", "etc/dconf/db/marsh"),
    ("desktop-entry", "usr/share/applications/inkcap.desktop"),
    ("dpkg-log", "var/log/dpkg.log"),
    ("dpkg-status", "var/lib/dpkg/status"),
    ("eopkg", "var/lib/eopkg/package/inkcap-3.2.1-2/metadata.xml"),
    ("flatpak-deploy", "var/lib/flatpak/app/org.marsh.Inkcap/x86_64/stable/active/deploy"),
    ("freebsd-pkg", "var/db/pkg/local.sqlite"),
    ("fstab", "etc/fstab"),
    ("gschema", "usr/share/glib-2.0/schemas/org.marsh.gschema.xml"),
    ("gschema-override", "usr/share/glib-2.0/schemas/10_marsh.gschema.override"),
    ("kcfg", "usr/share/plasma/plasmoids/org.kde.plasma.icontasks/contents/config/main.xml"),
    ("keyfile-settings", "etc/xdg/kdeglobals"),
    ("mimeapps", "etc/xdg/mimeapps.list"),
    ("os-release", "etc/os-release"),
    ("pacman-desc", "var/lib/pacman/local/inkcap-3.2.1-2/desc"),
    ("pacman-log", "var/log/pacman.log"),
    ("pacman-sync", "var/lib/pacman/sync/reeds.db"),
    ("panel", "etc/xdg/xfce4/xfconf/xfce-perchannel-xml/xfce4-panel.xml"),
    ("portage", "var/db/pkg/app-editors/inkcap-3.2.1/RDEPEND"),
    ("portage-log", "var/log/emerge.log"),
    ("rpm-berkeley", "var/lib/rpm/Packages"),
    ("rpm-ndb", "usr/lib/sysimage/rpm/Packages.db"),
    ("rpm-sqlite", "usr/lib/sysimage/rpm/rpmdb.sqlite"),
    ("slackware", "var/lib/pkgtools/packages/inkcap-3.2.1-x86_64-2"),
    ("snap-meta", "snap/inkcap/7/meta/snap.yaml"),
    ("snap-seed", "var/lib/snapd/seed/seed.yaml"),
    ("snap-state", "var/lib/snapd/state.json"),
    ("unit", "etc/systemd/system/inkcapd.service"),
    ("xbps", "var/db/xbps/pkgdb-0.38.plist"),
    ("xfconf", "etc/xdg/xfce4/xfconf/xfce-perchannel-xml/xsettings.xml"),
    ("zypp-history", "var/log/zypp/history"),
];

/// Files that stand beside them, so that they are looked at at all.
const BESIDE: &[(&str, &str)] = &[
    ("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\nVERSION_ID=5.0\n"),
    (
        "var/lib/dpkg/status",
        "Package: inkcap\nStatus: install ok installed\nArchitecture: amd64\nVersion: 3.2.1-2\nDepends: libweir2\n\n\
         Package: libweir2\nStatus: install ok installed\nArchitecture: amd64\nVersion: 2.0\n\n",
    ),
    ("var/lib/pacman/local/libweir-2-1/desc", "%NAME%\nlibweir\n\n%VERSION%\n2-1\n\n"),
    ("etc/dconf/profile/user", "user-db:user\nsystem-db:marsh\n"),
    ("etc/xdg/kdeglobals", "[KDE]\nLookAndFeelPackage=org.marsh.desktop\n"),
    (
        "usr/share/plasma/look-and-feel/org.marsh.desktop/contents/layouts/org.kde.plasma.desktop-layout.js",
        "var panel = new Panel\npanel.addWidget('org.kde.plasma.icontasks')\n",
    ),
    (
        "usr/share/xsessions/plasma.desktop",
        "[Desktop Entry]\nName=Plasma\nExec=startplasma-x11\nDesktopNames=KDE\n",
    ),
    (
        "usr/share/glib-2.0/schemas/org.gnome.desktop.interface.gschema.xml",
        "<schemalist><schema id='org.gnome.desktop.interface' path='/org/gnome/desktop/interface/'><key name='gtk-theme' type='s'>\
         <default>'Reed'</default></key></schema></schemalist>",
    ),
    ("etc/pacman.conf", "[reeds]\nServer = https://fen.example/reeds\n"),
    ("var/db/pkg/app-editors/inkcap-3.2.1/PF", "inkcap-3.2.1\n"),
    (
        "var/lib/snapd/state.json",
        r#"{"data":{"snaps":{"inkcap":{"type":"app","active":true,"current":"7"}}}}"#,
    ),
];

/// What every reading is told.
struct Rules {
    parts: PartRules,
    kinds: KindRules,
    roles: Roles,
    agents: Agents,
    settings: SettingRules,
}

static RULES: LazyLock<Rules> = LazyLock::new(|| {
    let own = OwnRules::default();
    Rules {
        parts: own.parts().expect("the rules are there"),
        kinds: own.kinds().expect("the rules are there"),
        roles: own.roles().expect("the rules are there"),
        agents: own.agents().expect("the rules are there"),
        settings: own.settings().expect("the rules are there"),
    }
});

fn options(medium: Medium) -> TakeOptions<'static> {
    let taken = Taken {
        at: "2026-11-28T00:00:00Z".into(),
        from: "fuzz".into(),
        medium,
        layer: None,
        sha256: None,
        root: None,
    };
    TakeOptions {
        program: "fuzz".into(),
        taken,
        overrides: Overrides::default(),
        installed: None,
        on_medium: OnMedium::default(),
        all_dates: false,
        thumbnails: None,
        rules: tally_core::derive::Rules {
            parts: &RULES.parts,
            kinds: &RULES.kinds,
            roles: &RULES.roles,
            agents: &RULES.agents,
            settings: &RULES.settings,
        },
    }
}

/// The bytes as a file of an install, at the place of the target.
fn in_install(name: &'static str, bytes: &[u8]) {
    let place = PLACES.iter().find(|(target, _)| *target == name).map_or("etc/x", |(_, place)| place);
    let mut tree = MemoryTree::new();
    for (file, content) in BESIDE.iter().filter(|(file, _)| *file != place) {
        // Each family alone: one database more would only take time.
        if *file == "etc/os-release"
            || file.split('/').nth(2) == place.split('/').nth(2)
            || !place.starts_with("var")
        {
            tree = tree.file(file, *content);
        }
    }
    let tree = tree.file(place, bytes);
    read(&tree);
    // The rest takes a hundred times as long as the database alone.
    if !place.contains("/db/") && !place.contains("rpm/") || bytes.len().is_multiple_of(16) {
        _ = tally_readers::take(&tree, &options(Medium::Installed));
    }
}

/// The package databases of a tree, and nothing else.
fn read(tree: &dyn Tree) {
    for system in packages::present(tree) {
        let facts = system.read(tree);
        let mut wanted = WantedPaths::new(true);
        wanted.add(b"usr/bin/inkcap");
        _ = system.scan_file_lists(tree, &facts.packages, &wanted);
        _ = system.repositories(tree, &facts.packages, &Label::default());
    }
}

/// A small tally as it is written.
#[allow(dead_code, reason = "only seeds ask for it")]
pub(crate) fn a_tally() -> Vec<u8> {
    let tree = BESIDE.iter().fold(MemoryTree::new(), |tree, (file, content)| tree.file(file, *content));
    let tally = tally_readers::take(&tree, &options(Medium::Installed)).expect("an install");
    tally_shelf::encode(&tally).expect("a tally can be written")
}

/// A header of a package, in an ndb database of which all else is in order.
fn rpm_header(_: &'static str, bytes: &[u8]) {
    let length = u32::try_from(bytes.len()).unwrap_or(0);
    let blocks = (16 + bytes.len() + 12).div_ceil(16);
    let mut file = Vec::new();
    let words =
        |file: &mut Vec<u8>, numbers: &[u32]| numbers.iter().for_each(|n| file.extend(n.to_le_bytes()));
    file.extend(b"RpmP");
    words(&mut file, &[0, 1, 1, 0, 0, 0, 0]);
    file.extend(b"Slot");
    words(&mut file, &[1, 256, u32::try_from(blocks).unwrap_or(0)]);
    file.resize(4096, 0);
    let start = file.len();
    file.extend(b"BlbS");
    words(&mut file, &[1, 1, length]);
    file.extend(bytes);
    file.resize(start + blocks * 16 - 12, 0);
    let sum = adler(&file[start..]);
    words(&mut file, &[sum, length]);
    file.extend(b"BlbE");
    in_install("rpm-ndb", &file);
}

fn adler(bytes: &[u8]) -> u32 {
    let step = |(low, high): (u32, u32), byte: &u8| {
        let low = (low + u32::from(*byte)) % 65_521;
        (low, (high + low) % 65_521)
    };
    let (low, high) = bytes.iter().fold((1, 0), step);
    high << 16 | low
}

fn held(bytes: &[u8]) -> Arc<dyn ReadAt> {
    Arc::new(Arc::<[u8]>::from(bytes))
}

/// An archive, an image or a disk: opened as what it says it is, looked through and read.
fn source(_: &'static str, bytes: &[u8]) {
    if let Ok(source) = Source::of(held(bytes)) {
        look_through(source.tree.as_ref());
        _ = tally_readers::take(source.tree.as_ref(), &options(Medium::Installed));
    }
    if bytes.len().is_multiple_of(16) {
        _ = Source::each_profile(held(bytes));
    }
}

/// Images of which something is changed: a target, and the fixtures that it begins with.
pub(crate) const IMAGES: &[(&str, &[&[u8]])] = &[
    ("btrfs", &[image!("zlib.btrfs"), image!("zstd.btrfs"), image!("lzo.btrfs")]),
    ("erofs", &[image!("chunks.erofs"), image!("packed.erofs"), image!("old.erofs")]),
    ("fat", &[image!("stick.img")]),
    ("lvm", &[image!("lvm.img")]),
    ("oci", &[image!("oci.tar")]),
    ("vhdx", &[image!("disk.vhdx")]),
    ("vmdk", &[image!("disk.vmdk"), image!("stream.vmdk")]),
    ("xfs", &[image!("part.xfs")]),
];

/// An image, and where the lines of it that hold anything begin: in a file system most bytes mean nothing.
struct Image {
    bytes: Vec<u8>,
    lines: Vec<u64>,
}

/// Bytes of a line.
const LINE: usize = 64;

impl Image {
    fn of(packed: &[u8]) -> Self {
        let bytes = tally_trees::unpack_file(packed.to_vec(), 256 << 20).expect("a fixture unpacks");
        let lines = bytes.chunks(LINE).zip(0_u64..).filter(|(line, _)| line.iter().any(|byte| *byte != 0));
        let lines = lines.map(|(_, at)| at * LINE as u64).collect();
        Self { bytes, lines }
    }

    /// The image of a target, unpacked once.
    fn get(target: &'static str, at: usize) -> Arc<Self> {
        type Unpacked = BTreeMap<(&'static str, usize), Arc<Image>>;
        static UNPACKED: Mutex<Unpacked> = Mutex::new(BTreeMap::new());
        let (_, fixtures) = IMAGES.iter().find(|(name, _)| *name == target).expect("a target of images");
        let at = at % fixtures.len();
        let mut unpacked = UNPACKED.lock().expect("nothing panicked");
        unpacked.entry((target, at)).or_insert_with(|| Arc::new(Self::of(fixtures[at]))).clone()
    }
}

/// An image with changes over it.
struct Changed {
    image: Arc<Image>,
    changes: Vec<(u64, Vec<u8>)>,
}

impl ReadAt for Changed {
    fn len(&self) -> u64 {
        self.image.bytes.len() as u64
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> std::io::Result<usize> {
        let from = usize::try_from(offset).unwrap_or(usize::MAX).min(self.image.bytes.len());
        let length = buffer.len().min(self.image.bytes.len() - from);
        let end = from + length;
        buffer[..length].copy_from_slice(&self.image.bytes[from..end]);
        for (at, bytes) in &self.changes {
            for (byte, place) in bytes.iter().zip(usize::try_from(*at).unwrap_or(usize::MAX)..) {
                if (from..end).contains(&place) {
                    buffer[place - from] = *byte;
                }
            }
        }
        Ok(length)
    }
}

/// Which image, then changes: the line (16 bits), where in it (6 bits) and how many bytes (2 bits: 1, 2, 4 or 8), the bytes.
fn changed(target: &'static str, bytes: &[u8]) {
    let Some((which, mut rest)) = bytes.split_first() else { return };
    let image = Image::get(target, usize::from(*which));
    let mut changes = Vec::new();
    if target == "btrfs" {
        // Another sort of checksum, which is not held against the blocks: or every change would end there.
        changes.push(((64 << 10) + 196, vec![1]));
    }
    while let [low, high, place, more @ ..] = rest {
        let line = usize::from(u16::from_le_bytes([*low, *high])) % image.lines.len();
        let (new, after) = more.split_at((1 << (place >> 6)).min(more.len()));
        changes.push((image.lines[line] + u64::from(place & 63), new.to_vec()));
        rest = after;
    }
    let source: Arc<dyn ReadAt> = Arc::new(Changed { image, changes });
    if let Ok(source) = Source::of(source.clone()) {
        look_through(source.tree.as_ref());
        _ = tally_readers::take(source.tree.as_ref(), &options(Medium::Installed));
    }
    _ = Source::each_profile(source);
}

/// A list of packages of any family, told by its content.
fn package_list(_: &'static str, bytes: &[u8]) {
    _ = packages::from_files(vec![("list".into(), bytes.to_vec())], "amd64");
}

fn picture(_: &'static str, bytes: &[u8]) {
    _ = tally_readers::likeness_of("usr/share/backgrounds/reed.png", bytes);
}

fn squashfs(_: &'static str, bytes: &[u8]) {
    if let Ok(image) = Squashfs::open(Box::new(held(bytes))) {
        look_through(&image);
    }
}

fn iso(_: &'static str, bytes: &[u8]) {
    if let Ok(tree) = tally_trees::iso(held(bytes)) {
        look_through(tree.as_ref());
    }
}

/// Asks everything that can be asked of the first thousand names.
fn look_through(tree: &dyn Tree) {
    let mut waiting = vec![PathBuf::new()];
    let mut left = 1000_u32;
    let mut buffer = Vec::new();
    while let Some(folder) = waiting.pop() {
        for entry in tree.names(&folder) {
            let Some(less) = left.checked_sub(1) else { return };
            left = less;
            let path = folder.join(&entry.name);
            assert!(path.as_os_str().len() < 2 * LIMITS.path_bytes);
            _ = (
                tree.node(&path, false),
                tree.node(&path, true),
                tree.is_opaque(&path),
                tree.is_whiteout(&path),
            );
            match entry.kind {
                NodeKind::Folder => waiting.push(path),
                NodeKind::Link => _ = tree.read_link(&path),
                _ => {
                    _ = tree.read_into(&path, 1 << 20, &mut buffer);
                    if let Ok(file) = tree.open(&path) {
                        let mut piece = [0; 100];
                        let length = file.len();
                        for at in [0, length / 2, length.saturating_sub(50), length, u64::MAX] {
                            _ = file.read_at(at, &mut piece);
                        }
                    }
                }
            }
        }
    }
}

fn listing(_: &'static str, bytes: &[u8]) {
    _ = tally_readers::take_listing(bytes, options(Medium::Listing));
}

/// A tally of which something was changed is read, or refused, by the short way as by the long one.
fn tally(_: &'static str, bytes: &[u8]) {
    let path = Path::new("fuzz.tally.json");
    let whole = tally_shelf::decode(path, bytes);
    let brief = tally_shelf::decode_in_brief(path, bytes);
    match (&whole, &brief) {
        (Ok(whole), Ok(brief)) => {
            assert_eq!(whole.packages.len(), brief.packages.len());
            for (one, other) in whole.packages.iter().zip(&brief.packages) {
                let told = |package: &tally_core::model::Package| {
                    format!(
                        "{:?}",
                        (&package.system, &package.name, &package.version, &package.depends, &package.kind)
                    )
                };
                assert_eq!(told(one), told(other));
            }
        }
        (whole, brief) => assert_eq!(whole.is_ok(), brief.is_ok(), "{whole:?}\n{brief:?}"),
    }
    if let Ok(tally) = whole {
        let written = tally_shelf::encode(&tally).expect("a tally can be written");
        let again = tally_shelf::decode(path, &written).expect("what was written is read");
        assert_eq!(again, tally);
    }
}

fn checklist(_: &'static str, bytes: &[u8]) {
    if let Ok(text) = std::str::from_utf8(bytes) {
        _ = Checklist::parse(text, &RULES.parts, &RULES.roles);
    }
}

fn own_rules(_: &'static str, bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(own) = OwnRules::parse(text) {
        _ = (
            own.kinds().is_ok(),
            own.parts().is_ok(),
            own.roles().is_ok(),
            own.agents().is_ok(),
            own.settings().is_ok(),
            own.scores().is_ok(),
        );
    }
}

/// Three versions, a line each, in every system's order: total, and the same from both sides.
fn versions(_: &'static str, bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    let mut lines = text.lines();
    let (a, b, c) = (lines.next().unwrap_or(""), lines.next().unwrap_or(""), lines.next().unwrap_or(""));
    for system in System::ALL {
        let order = |one: &str, other: &str| systems::order(*system, one, other);
        assert_eq!(
            systems::compare(*system, a, b),
            systems::compare(*system, b, a).reverse(),
            "{system:?}: {a:?} {b:?}"
        );
        assert_eq!(order(a, b), order(b, a).reverse(), "{system:?}: {a:?} {b:?}");
        assert_eq!(order(a, a), Ordering::Equal, "{system:?}: {a:?}");
        if order(a, b).is_le() && order(b, c).is_le() {
            assert!(order(a, c).is_le(), "{system:?}: {a:?} <= {b:?} <= {c:?}, but {:?}", order(a, c));
        }
    }
}
