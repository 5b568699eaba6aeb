//! Disks with several installs: none is taken in silence.

use crate::harness::Place;
use tally_trees::unpack_file;

/// A disk with the same file system, which has no table that names it, on two partitions.
fn two_installs(place: &Place, name: &str) {
    const FIRST: usize = 2048;
    let packed = include_bytes!("../../../trees/tests/fixtures/images/part.ext4.zst").to_vec();
    let part = unpack_file(packed, 64 << 20).unwrap();
    let sectors = part.len() / 512;
    let mut disk = vec![0; (FIRST + 2 * sectors) * 512];
    for at in 0..2 {
        let begin = FIRST + at * sectors;
        disk[begin * 512..begin * 512 + part.len()].copy_from_slice(&part);
        let entry = &mut disk[446 + at * 16..462 + at * 16];
        entry[4] = 0x83;
        entry[8..12].copy_from_slice(&u32::try_from(begin).unwrap().to_le_bytes());
        entry[12..16].copy_from_slice(&u32::try_from(sectors).unwrap().to_le_bytes());
    }
    disk[510..512].copy_from_slice(&[0x55, 0xaa]);
    std::fs::write(place.path(name), disk).unwrap();
}

#[test]
fn of_two_installs_one_is_taken_only_where_it_is_asked_for() {
    let place = Place::new();
    two_installs(&place, "disk.img");
    let refused = place.run("take disk.img -o out.json");
    assert_eq!(refused.code, 3, "{}", refused.stderr);
    assert!(
        refused.stderr.contains("several installs") && refused.stderr.contains("--list-roots"),
        "{}",
        refused.stderr
    );
    let listed = place.run("take disk.img --list-roots --format csv");
    assert_eq!(
        listed.stdout.lines().map(|line| line.split(',').next().unwrap()).collect::<Vec<_>>(),
        ["root", "1", "2"]
    );
    let taken = place.run("take disk.img --root 2 -o out.json");
    assert_eq!(taken.code, 0, "{}", taken.stderr);
    let tally: serde_json::Value = serde_json::from_str(&place.read("out.json")).unwrap();
    assert_eq!(tally["taken"]["root"], serde_json::json!({"name": "2", "because": "asked", "others": ["1"]}));
    assert!(taken.stdout.contains("root `2`, asked for"), "{}", taken.stdout);
    let unknown = place.run("take disk.img --root reeds -o out.json");
    assert!(
        unknown.code == 3 && unknown.stderr.contains("no root `reeds`; it has `1`"),
        "{}",
        unknown.stderr
    );
}

#[test]
fn what_is_no_disk_and_no_text_is_refused() {
    let place = Place::new();
    place.write("zeros", "reed 1.0\0inkcap 2.0\n");
    let refused = place.run("take zeros -o out.json");
    assert!(refused.code == 3 && refused.stderr.contains("of a known format"), "{}", refused.stderr);
    place.write("disk.qed", "QED\0and more");
    let refused = place.run("take disk.qed -o out.json");
    assert!(refused.code == 3 && refused.stderr.contains("qemu-img convert"), "{}", refused.stderr);
}
