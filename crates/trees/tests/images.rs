//! One root in many images, made by the formats' own tools: each tells the same, and damage to any of them ends in an
//! error or in less, never in a panic of ours or in memory without end.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;
use tally_trees::{NodeKind, OnDisk, Opening, ReadAt, RootBecause, Source, SourceError, Tree, unpack_file};

const DEEP: &str = "usr/share/A long name that no short one can stand for/deep/er/and/deeper/than/eight/levels/of/folders/Ünïcode.txt";

/// An image with its name.
macro_rules! image {
    ($name:literal) => {
        (
            $name,
            unpack_file(include_bytes!(concat!("fixtures/images/", $name, ".zst")).to_vec(), 64 << 20)
                .unwrap(),
        )
    };
}

/// The images, by name.
fn images() -> Vec<(&'static str, Vec<u8>)> {
    vec![
        image!("rr.iso"),
        image!("joliet.iso"),
        image!("zisofs.iso"),
        image!("part.ext4"),
        image!("disk.qcow2"),
        image!("old.qcow2"),
        image!("zstd.qcow2"),
        image!("disk.vdi"),
        image!("root.tar"),
        image!("zstd.btrfs"),
        image!("lzo.btrfs"),
        image!("zlib.btrfs"),
        image!("part.xfs"),
        image!("packed.erofs"),
        image!("chunks.erofs"),
        image!("old.erofs"),
        image!("lzo.squashfs"),
        image!("lvm.img"),
        image!("disk.vmdk"),
        image!("stream.vmdk"),
        image!("disk.vhd"),
        image!("disk.vhdx"),
        image!("parts.qcow2"),
    ]
}

fn open(bytes: Vec<u8>) -> Result<Source, SourceError> {
    let bytes: Arc<[u8]> = bytes.into();
    Source::of(Arc::new(bytes) as Arc<dyn ReadAt>)
}

#[test]
fn each_image_tells_the_same() {
    for (name, bytes) in images() {
        let source = open(bytes).unwrap_or_else(|error| panic!("{name}: {error}"));
        let tree = source.tree.as_ref();
        assert_eq!(source.remarks, Vec::<String>::new(), "{name}");
        let is_medium = [".iso", ".erofs", ".squashfs"].iter().any(|ending| name.ends_with(ending));
        assert_eq!(source.is_medium, is_medium, "{name}");
        let numbers: String = (1..=5000).map(|number| format!("{number}\n")).collect();
        assert_eq!(String::from_utf8(tree.read("usr/share/numbers").unwrap()).unwrap(), numbers, "{name}");
        // Joliet has no links: whoever makes such an image leaves them out.
        if name != "joliet.iso" {
            assert_eq!(tree.read("etc/os-release").unwrap(), b"NAME=\"Saltmarsh Linux\"\n", "{name}");
            assert_eq!(
                tree.read("lib/os-release").unwrap(),
                b"NAME=\"Saltmarsh Linux\"\n",
                "{name}: an absolute link"
            );
            assert_eq!(tree.read_link(Path::new("lib")).unwrap(), Path::new("/usr/lib"), "{name}");
            assert_eq!(tree.node(Path::new("lib"), false).unwrap().kind, NodeKind::Link, "{name}");
        }
        assert_eq!(tree.read(DEEP).unwrap(), b"deep\n", "{name}");
        assert!(!tree.exists("usr/share/none") && !tree.exists("../../etc/passwd"), "{name}");
        let node = tree.node(Path::new("usr/share/numbers"), true).unwrap();
        assert_eq!((node.kind, node.size), (NodeKind::File, 23893), "{name}");
        assert!(node.changed_at > 1_700_000_000, "{name}: {}", node.changed_at);
        let names: Vec<String> =
            tree.names("").into_iter().map(|entry| entry.name.into_string().unwrap()).collect();
        for folder in ["bin", "etc", "usr"] {
            assert!(names.iter().any(|known| known == folder), "{name}: {names:?}");
        }
        // A piece out of the middle, as large files are read.
        let file = tree.open(Path::new("usr/share/numbers")).unwrap();
        assert_eq!(file.exactly(20_000, 10).unwrap(), numbers.as_bytes()[20_000..20_010], "{name}");
        assert!(file.exactly(23_890, 10).is_err(), "{name}");
    }
}

#[test]
fn what_can_not_be_read_is_named() {
    let mut f2fs = vec![0; 70_000];
    f2fs[1024..1028].copy_from_slice(&[0x10, 0x20, 0xf5, 0xf2]);
    let said = open(f2fs).err().unwrap().to_string();
    assert!(said.contains("F2FS") && said.contains("mount it"), "{said}");
    assert!(matches!(open(b"nothing that is known".to_vec()), Err(SourceError::Unknown)));
    let (_, qcow2) = images().into_iter().find(|(name, _)| *name == "disk.qcow2").unwrap();
    let mut backed = qcow2.clone();
    backed[8..16].copy_from_slice(&70_000_u64.to_be_bytes());
    backed[16..20].copy_from_slice(&8_u32.to_be_bytes());
    let said = open(backed).err().unwrap().to_string();
    assert!(said.contains("stands on the image") && said.contains("not beside it"), "{said}");
    let mut encrypted = qcow2;
    encrypted[32..36].copy_from_slice(&1_u32.to_be_bytes());
    assert!(open(encrypted).err().unwrap().to_string().contains("encrypted"));
}

#[test]
fn what_is_cut_off_is_said() {
    for (name, bytes) in images().into_iter().filter(|(name, _)| ["rr.iso", "root.tar"].contains(name)) {
        // Names stand at the begin of both; what is lost is the end of the large file, or the padding.
        let keep = bytes.len() * 3 / 5;
        let source = open(bytes[..keep].to_vec()).unwrap_or_else(|error| panic!("{name}: {error}"));
        let said = source.remarks.join("; ");
        assert!(said.contains("cut off") || said.contains("breaks off"), "{name}: {said}");
    }
    // File systems state their size: how much is there and how much should be, whether they can be opened or not.
    let raw = ["rr.iso", "part.ext4", "zstd.btrfs", "part.xfs", "chunks.erofs", "lzo.squashfs"];
    for (name, bytes) in images().into_iter().filter(|(name, _)| raw.contains(name)) {
        let keep = bytes.len() * 3 / 5;
        let said = match open(bytes[..keep].to_vec()) {
            Ok(source) => source.remarks.join("; "),
            Err(error) => error.to_string(),
        };
        let told = said.split("it is cut off: ").nth(1).unwrap_or_else(|| panic!("{name}: {said}"));
        let numbers: Vec<u64> = told.split(' ').filter_map(|word| word.parse().ok()).collect();
        // A file may be padded beyond what its file system needs.
        assert!(
            numbers[0] == keep as u64 && numbers[1] > numbers[0] && numbers[1] <= bytes.len() as u64,
            "{name}: {said}"
        );
    }
}

#[test]
fn layers_of_a_medium_are_stacked_and_each_profile_is_found() {
    let packed = include_bytes!("fixtures/images/layers.iso.zst").to_vec();
    let bytes = unpack_file(packed, 64 << 20).unwrap();
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), &bytes).unwrap();
    let source = open(bytes).unwrap();
    let tree = source.tree.as_ref();
    assert_eq!(source.profile.as_deref(), Some("standard"), "neither the live session nor a language");
    assert!(tree.exists("etc/os-release") && tree.exists("usr/share/anew/new"));
    assert!(!tree.exists("usr/share/gone/x"), "a device 0/0 takes a name away");
    assert!(!tree.exists("usr/share/anew/old"), "an opaque folder hides what lies below");
    let profiles =
        Source::each_profile(Arc::new(OnDisk::new(std::fs::File::open(file.path()).unwrap()).unwrap()))
            .unwrap();
    let said: Vec<_> =
        profiles.iter().map(|one| (one.profile.as_deref().unwrap(), one.layers.len())).collect();
    assert_eq!(said, [("minimal", 1), ("standard", 2), ("live", 3)]);
    assert!(profiles[0].tree.exists("usr/share/gone/x"));
    assert!(profiles[2].tree.exists("usr/bin/start") && !profiles[1].tree.exists("usr/bin/start"));
}

#[test]
fn folders_of_one_root_on_several_partitions_come_together() {
    let bytes = unpack_file(include_bytes!("fixtures/images/mounts.img.zst").to_vec(), 64 << 20).unwrap();
    let source = open(bytes).unwrap();
    let tree = source.tree.as_ref();
    assert_eq!(
        tree.read("etc/os-release").unwrap(),
        b"NAME=\"Saltmarsh Linux\"\n",
        "a link from one to another"
    );
    assert_eq!(tree.read("lib/os-release").unwrap(), tree.read("usr/lib/os-release").unwrap());
    assert_eq!(tree.read("var/lib/dpkg/status").unwrap(), b"Package: inkcap\n");
    assert!(!tree.exists("var/hidden"), "what lies below a mount is not seen");
    assert_eq!(source.remarks.len(), 1, "{:?}", source.remarks);
    assert!(source.remarks[0].starts_with("`/home` is on another file system"), "{:?}", source.remarks);
    assert!(!source.is_medium);
}

#[test]
fn subvolumes_are_put_together_and_say_why_one_was_taken() {
    let (_, bytes) = images().into_iter().find(|(name, _)| *name == "zstd.btrfs").unwrap();
    let source = open(bytes.clone()).unwrap();
    let chosen = source.root.unwrap();
    assert_eq!((chosen.root.name.as_str(), chosen.because, chosen.others.len()), ("@", RootBecause::Only, 0));
    assert_eq!(source.tree.read("home/heron/note").unwrap(), b"home\n", "`@home` is mounted there");
    let asked = |root: &str| {
        let opening = Opening { root: Some(root.to_owned()), beside: None };
        let bytes: Arc<[u8]> = bytes.clone().into();
        opening.of(Arc::new(bytes))
    };
    assert_eq!(asked("/@").unwrap().root.unwrap().because, RootBecause::Asked);
    let said = asked("@snapshot").err().unwrap().to_string();
    assert!(said.contains("no root `@snapshot`") && said.contains("`@`"), "{said}");
}

#[test]
fn logical_volumes_are_called_by_their_group_and_a_plain_folder_has_no_choice() {
    let of = |wanted: &str| images().into_iter().find(|(name, _)| *name == wanted).unwrap().1;
    assert_eq!(open(of("lvm.img")).unwrap().root.unwrap().root.name, "marsh-vg/root");
    let bytes: Arc<[u8]> = of("root.tar").into();
    let opening = Opening { root: Some("2".into()), beside: None };
    assert!(opening.of(Arc::new(bytes)).err().unwrap().to_string().contains("to choose from"));
}

#[test]
fn of_a_stick_with_several_media_the_one_that_is_named_is_taken() {
    let (_, bytes) = image!("stick.img");
    let bytes: Arc<dyn ReadAt> = Arc::new(Arc::<[u8]>::from(bytes));
    let asked =
        |root: Option<&str>| Opening { root: root.map(str::to_owned), beside: None }.of(Arc::clone(&bytes));
    let Err(SourceError::Ambiguous(roots)) = asked(None) else { panic!("two media are on it") };
    let long = "Media that are started from here/saltmarsh-5.0-reedbed-full.amd64.iso";
    let mut names: Vec<&str> = roots.iter().map(|root| root.name.as_str()).collect();
    names.sort_unstable();
    assert_eq!(names, ["LAYERS.ISO", long], "{roots:?}");
    assert!(roots.iter().all(|root| !root.title.is_empty() && root.bytes > 300_000), "{roots:?}");
    for name in [long, "saltmarsh-5.0-reedbed-full.amd64.iso"] {
        let source = asked(Some(name)).unwrap();
        assert!(source.tree.exists(DEEP), "a file in many pieces, behind a long name");
        let chosen = source.root.unwrap();
        assert_eq!((chosen.because, chosen.others.len()), (RootBecause::Asked, 1));
    }
    assert_eq!(asked(Some("LAYERS.ISO")).unwrap().profile.as_deref(), Some("standard"));
    let said = asked(Some("other.iso")).err().unwrap().to_string();
    assert!(said.contains("no root `other.iso`") && said.contains("`LAYERS.ISO`"), "{said}");
}

#[test]
fn of_two_partitions_with_usr_alone_the_boot_entry_names_one() {
    let (_, bytes) = image!("usr.img");
    let source = open(bytes.clone()).unwrap();
    let chosen = source.root.unwrap();
    assert_eq!((chosen.root.name.as_str(), chosen.because), ("3", RootBecause::BootEntry));
    assert_eq!(chosen.others[0].title, "Saltmarsh a");
    let told = source.tree.read("etc/os-release").unwrap();
    assert!(String::from_utf8(told).unwrap().contains("Saltmarsh b"));
    assert!(source.tree.exists("lib/os-release") && source.remarks[0].starts_with("`/usr` is all"));
    let opening = Opening { root: Some("usr-a".into()), beside: None };
    let bytes: Arc<[u8]> = bytes[..48 << 20].into();
    let cut = opening.of(Arc::new(bytes)).unwrap();
    assert_eq!(cut.root.unwrap().root.title, "Saltmarsh a");
    let said = cut.remarks.join("; ");
    assert_eq!(said.matches("cut off: 50331648 of").count(), 1, "{said}");
}

#[test]
fn a_disk_and_its_file_system_say_what_is_missing() {
    let (_, part) = image!("part.ext4");
    let keep = part.len() - 4096;
    let source = open(part[..keep].to_vec()).unwrap();
    let said = source.remarks.join("; ");
    assert!(said.contains(&format!("cut off: {keep} of {} bytes", part.len())), "{said}");
}

#[test]
fn an_image_of_several_files_is_read_from_those_beside_it_and_from_nowhere_else() {
    let (_, part) = images().into_iter().find(|(name, _)| *name == "part.ext4").unwrap();
    let folder = tempfile::tempdir().unwrap();
    let half = part.len() / 2 / 512 * 512;
    let file = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    file("disk-f001.vmdk", &part[..half]);
    file("disk-f002.vmdk", &part[half..]);
    let described = |last: &str| {
        format!(
            "# Disk DescriptorFile\nversion=1\nparentCID=ffffffff\nRW {} FLAT \"disk-f001.vmdk\" 0\nRW {} FLAT \"{last}\" 0\n",
            half / 512,
            (part.len() - half) / 512
        )
    };
    let opened = |name: &str| Source::open(&folder.path().join(name));
    file("disk.vmdk", described("disk-f002.vmdk").as_bytes());
    assert_eq!(
        opened("disk.vmdk").unwrap().tree.read("etc/os-release").unwrap(),
        b"NAME=\"Saltmarsh Linux\"\n"
    );
    for elsewhere in ["../disk-f002.vmdk", "/etc/passwd", "missing.vmdk"] {
        file("other.vmdk", described(elsewhere).as_bytes());
        let said = opened("other.vmdk").err().unwrap().to_string();
        assert!(said.contains("beside it"), "{said}");
    }
    // An image that stands on itself.
    let (_, mut circle) = images().into_iter().find(|(name, _)| *name == "disk.qcow2").unwrap();
    let at = circle.len();
    circle.extend(b"circle.qcow2");
    circle[8..16].copy_from_slice(&(at as u64).to_be_bytes());
    circle[16..20].copy_from_slice(&12_u32.to_be_bytes());
    file("circle.qcow2", &circle);
    let said = opened("circle.qcow2").err().unwrap().to_string();
    assert!(said.contains("on itself"), "{said}");
}

/// Asks a tree everything, as far as it answers.
fn walk(tree: &dyn Tree) {
    let mut waiting = vec![std::path::PathBuf::new()];
    let mut seen = 0;
    while let Some(folder) = waiting.pop() {
        for entry in tree.names(&folder) {
            seen += 1;
            if seen > 2000 {
                return;
            }
            let path = folder.join(&entry.name);
            match entry.kind {
                NodeKind::Folder => waiting.push(path),
                NodeKind::Link => _ = tree.read_link(&path),
                _ => _ = tree.read(&path),
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn damage_never_stops_us(seed in any::<u64>(), flips in 1_usize..60, cut in 0.2..1.0_f64) {
        for (_, mut bytes) in images().into_iter().chain([image!("stick.img")]) {
            let mut state = seed | 1;
            let mut next = || {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                (state >> 33) as usize
            };
            // What describes an image stands at its begin.
            for at in 0..flips {
                let reach = if at % 2 == 0 { bytes.len().min(120_000) } else { bytes.len() };
                bytes[next() % reach] ^= next() as u8;
            }
            if flips % 3 == 0 {
                let keep = (bytes.len() as f64 * cut) as usize;
                bytes.truncate(keep);
            }
            if let Ok(source) = open(bytes) {
                walk(source.tree.as_ref());
            }
        }
    }
}
