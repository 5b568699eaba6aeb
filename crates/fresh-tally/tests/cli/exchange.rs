//! Tallies that go to another shelf and come from one: folders, archives, datasets, compressed, signed.

use crate::harness::{Place, names};
use std::path::{Path, PathBuf};

const OLD: &str = "saltmarsh-4.0-reedbed";
const NEW: &str = "saltmarsh-5.0-reedbed";

fn shelved() -> Place {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    for key in ["4.0-reedbed", "5.0-reedbed"] {
        assert_eq!(place.run(&format!("take root-{key} -q")).code, 0);
    }
    place
}

fn fixture(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/signatures").join(name)
}

#[test]
fn a_shelf_that_compresses_answers_as_one_that_does_not() {
    let place = shelved();
    let asked =
        ["shelf list -f csv", "shelf find inkcap -f csv", "compare 4 5 -f json", "show 5 menu -f csv"];
    let asked =
        asked.map(|line| line.replace(" 4 ", &format!(" {OLD} ")).replace(" 5 ", &format!(" {NEW} ")));
    let plain: Vec<String> = asked.iter().map(|line| place.run(line).plain()).collect();
    let size = |ending: &str| place.path(&format!("shelf/{NEW}{ending}")).metadata().unwrap().len();
    let before = size(".tally.json");
    place.write("config/fresh-tally/config.toml", "compress = true\n");
    let config = place.path("config");
    let compressing =
        |line: &str| place.run_with(line, b"", &[("XDG_CONFIG_HOME", config.to_str().unwrap())]);
    assert!(compressing("rules config").plain().contains("compress"), "it is told with the other settings");
    // Whatever is written anew is compressed; what is not stays as it is.
    for line in ["take root-5.0-reedbed -q", &format!("note {OLD} seen -q")] {
        assert_eq!(compressing(line).code, 0, "{line}");
    }
    let tallies = names(&place.path("shelf")).into_iter().filter(|name| name.contains(".tally"));
    assert_eq!(tallies.collect::<Vec<_>>(), [OLD, NEW].map(|handle| format!("{handle}.tally.json.zst")));
    assert!(size(".tally.json.zst") * 4 < before, "{} of {before}", size(".tally.json.zst"));
    place.run(&format!("note {OLD} --drop 1 -q"));
    for (line, plain) in asked.iter().zip(&plain) {
        assert_eq!(&place.run(line).plain(), plain, "{line}");
    }
    // A program that does not compress writes plain files again, once each.
    assert_eq!(place.run(&format!("shelf rename {NEW} bittern -q")).code, 0);
    assert!(names(&place.path("shelf")).contains(&"bittern.tally.json".to_owned()));
    assert_eq!(place.run("shelf drop bittern -q").code, 0);
    assert!(!names(&place.path("shelf")).iter().any(|name| name.contains("bittern") || name.contains(NEW)));
}

#[test]
fn a_compressed_file_is_a_tally_and_a_damaged_one_is_an_error() {
    let place = shelved();
    assert_eq!(place.run("take root-5.0-reedbed -q -o one.tally.json.zst").code, 0);
    let shown = place.run("show one.tally.json.zst menu -f csv").plain();
    assert_eq!(shown, place.run(&format!("show {NEW} menu -f csv")).plain());
    let bytes = std::fs::read(place.path("one.tally.json.zst")).unwrap();
    place.write("cut.tally.json.zst", &bytes[..bytes.len() / 2]);
    place.write("shelf/torn.tally.json.zst", &bytes[..40]);
    // A frame by RFC 8878 with a window of 128 KiB: some bytes as they are, and 2,200 blocks of 128 KiB of the same byte.
    let mut bomb = vec![0x28, 0xb5, 0x2f, 0xfd, 0x00, 0x38];
    let begin = b"{\"schema_version\": 2,";
    let header = |size: usize, sort: usize, last: bool| {
        (usize::from(last) | sort << 1 | size << 3).to_le_bytes()[..3].to_vec()
    };
    bomb.extend(header(begin.len(), 0, false));
    bomb.extend(begin);
    (0..2200).for_each(|at| bomb.extend([header(128 << 10, 1, at == 2199), vec![b' ']].concat()));
    place.write("bomb.tally.json.zst", bomb);
    for name in ["cut.tally.json.zst", "bomb.tally.json.zst", "torn"] {
        let outcome = place.run(&format!("show {name}"));
        assert_eq!(outcome.code, 3, "{name}: {}", outcome.all());
        assert!(outcome.stderr.contains("is not a tally"), "{}", outcome.stderr);
    }
    assert!(place.run("shelf list").plain().contains("torn can't be read"));
}

#[test]
fn two_shelves_become_one_and_nothing_is_lost() {
    let place = shelved();
    assert_eq!(place.run("shelf export --into other -q").code, 0);
    // Notes on both sides, and another install under a handle that is in use.
    place.run(&format!("note {NEW} seen here -q"));
    place.run_with(
        &format!("note {NEW} seen there -q --shelf other"),
        b"",
        &[("SOURCE_DATE_EPOCH", "1935570000")],
    );
    place.run(&format!("shelf drop {OLD} -q --shelf other"));
    let later = format!("take root-5.0-reedbed -q --handle {OLD} --shelf other");
    assert_eq!(place.run_with(&later, b"", &[("SOURCE_DATE_EPOCH", "1935570000")]).code, 0);
    let import = place.run("shelf import other");
    assert_eq!(import.code, 0, "{}", import.stderr);
    insta::assert_snapshot!(import.stderr);
    let handles = |place: &Place| {
        let list = place.run("shelf list -f json").json();
        let installs = list["installs"].as_array().unwrap().clone();
        installs.iter().map(|one| one["handle"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let mut now = handles(&place);
    now.sort();
    assert_eq!(now, [OLD.to_owned(), format!("{OLD}-2"), NEW.to_owned()]);
    let notes = place.run(&format!("note {NEW}")).plain();
    assert!(notes.contains("seen here") && notes.contains("seen there"), "{notes}");
    // The same once more changes nothing.
    let again = place.run("shelf import other").stderr;
    assert!(again.contains(&format!("was on the shelf before, as `{OLD}-2`")), "{again}");
    assert_eq!(place.run(&format!("note {NEW}")).plain(), notes);
    assert_eq!(handles(&place).len(), 3);
}

#[test]
fn an_archive_of_a_shelf_is_imported_with_what_lies_beside_the_tallies() {
    let place = shelved();
    let before = names(&place.path("shelf"));
    assert_eq!(place.run("take root-5.0-reedbed --pictures --keep-offer -q").code, 0);
    let mut archive = tar::Builder::new(Vec::new());
    archive.append_dir_all("backup/of/shelf", place.path("shelf")).unwrap();
    let bytes = archive.into_inner().unwrap();
    place.write("plain.tar", &bytes);
    place.write("packed.tar.zst", tally_trees::pack(&bytes));
    let all = names(&place.path("shelf"));
    assert!(all.len() > before.len());
    for name in ["plain.tar", "packed.tar.zst"] {
        std::fs::remove_dir_all(place.path("shelf")).unwrap();
        let import = place.run(&format!("shelf import {name}"));
        assert_eq!(import.code, 0, "{}", import.stderr);
        assert!(import.stderr.contains("Imported 2 of 2 files."), "{}", import.stderr);
        let now = names(&place.path("shelf"));
        let kept = all.iter().filter(|name| !name.starts_with(".index"));
        assert_eq!(
            now.iter().filter(|name| !name.starts_with(".index")).collect::<Vec<_>>(),
            kept.collect::<Vec<_>>()
        );
    }
    place.write("cut.tar", &bytes[..bytes.len() / 2]);
    let cut = place.run("shelf import cut.tar");
    assert!(cut.stderr.contains("breaks off"), "{}", cut.all());
    let mut none = tar::Builder::new(Vec::new());
    none.append_path_with_name(place.path("root-5.0-reedbed/etc/fstab"), "root/etc/fstab").unwrap();
    place.write("none.tar", none.into_inner().unwrap());
    let none = place.run("shelf import none.tar");
    assert_eq!(
        (none.code, none.stderr.contains("it is an archive without tallies")),
        (3, true),
        "{}",
        none.stderr
    );
}

#[test]
fn a_dataset_has_every_table_and_grows() {
    let place = shelved();
    let wrote = place.run("shelf export --dataset csv -o tables");
    assert_eq!(wrote.stderr, "Wrote 2 installs to the dataset `tables`.\n");
    let about: serde_json::Value = serde_json::from_str(&place.read("tables/dataset.json")).unwrap();
    let columns = |table: &str| {
        let all = about["tables"][table].as_array().unwrap();
        all.iter().map(|column| column["name"].as_str().unwrap().to_owned()).collect::<Vec<_>>().join(",")
    };
    let rows = |folder: &str, table: &str| -> Vec<String> {
        let folder = place.path(&format!("{folder}/{table}/distro=saltmarsh"));
        let files =
            names(&folder).into_iter().map(|name| std::fs::read_to_string(folder.join(name)).unwrap());
        let rows = files.flat_map(|text| {
            assert_eq!(text.lines().next(), Some(columns(table).as_str()));
            text.lines().skip(1).map(ToOwned::to_owned).collect::<Vec<_>>()
        });
        rows.collect()
    };
    assert_eq!(rows("tables", "installs").len(), 2);
    let packages = place.run("shelf export -f csv").plain().lines().count() - 1;
    assert_eq!(rows("tables", "packages").len(), packages);
    for table in about["tables"].as_object().unwrap().keys().filter(|name| *name != "settings") {
        assert!(!rows("tables", table).is_empty(), "{table}");
    }
    // What is there is not written twice; what was taken since is added.
    let twice = place.run("shelf export --dataset csv -o tables");
    assert_eq!(twice.code, 2);
    assert!(twice.stderr.contains("`--since 2031-05-03T10:00:00Z`"), "{}", twice.stderr);
    let take = "take root-5.0-reedbed -q --handle later";
    assert_eq!(place.run_with(take, b"", &[("SOURCE_DATE_EPOCH", "1935570000")]).code, 0);
    let more = "shelf export --dataset csv -o tables --since 2031-05-03T10:00:00Z";
    assert_eq!(place.run(more).stderr, "Wrote 1 install to the dataset `tables`.\n");
    assert_eq!(rows("tables", "installs").len(), 3);
    assert_eq!(names(&place.path("tables/packages/distro=saltmarsh")).len(), 2);
    // In both forms the same number of rows.
    assert_eq!(place.run("shelf export --dataset jsonl -o lines -q").code, 0);
    let folder = place.path("lines/packages/distro=saltmarsh");
    let lines = std::fs::read_to_string(folder.join(&names(&folder)[0])).unwrap();
    assert_eq!(lines.lines().count(), rows("tables", "packages").len());
    insta::assert_snapshot!(lines.lines().next().unwrap());
}

#[test]
fn an_export_that_was_interrupted_leaves_no_rows_behind() {
    let place = shelved();
    let rows = |place: &Place| -> usize {
        let tables = std::fs::read_dir(place.path("tables/installs")).into_iter().flatten().flatten();
        let files = tables.flat_map(|one| std::fs::read_dir(one.path()).unwrap().flatten());
        files.map(|file| std::fs::read_to_string(file.path()).unwrap().lines().count() - 1).sum()
    };
    assert_eq!(place.run("shelf export --dataset csv -o tables -q").code, 0);
    let (whole, about) = (rows(&place), place.read("tables/dataset.json"));
    // As it is when the program was killed before it was done: all files, and nothing of them in the list of exports.
    let mut told: serde_json::Value = serde_json::from_str(&about).unwrap();
    told["exports"] = serde_json::json!([]);
    place.write("tables/dataset.json", told.to_string());
    let partition = std::fs::read_dir(place.path("tables/installs")).unwrap().next().unwrap().unwrap().path();
    std::fs::write(partition.join("._20310503T100000Z-0000.csv"), "half").unwrap();
    std::fs::write(partition.join("mine.csv"), "x\n").unwrap();
    let again = place.run("shelf export --dataset csv -o tables");
    assert!(again.code == 0 && again.stderr.contains("of an export that was interrupted"), "{}", again.all());
    assert!(partition.join("mine.csv").exists(), "what is not ours stays");
    std::fs::remove_file(partition.join("mine.csv")).unwrap();
    assert_eq!((rows(&place), whole), (2, 2));
    // A moment is one whatever the zone that it is written in.
    let none = place.run("shelf export --dataset csv -o tables --since 2031-05-03T20:00:00+09:30");
    assert_eq!(none.stderr, "Wrote 0 installs to the dataset `tables`.\n", "{}", none.all());
    let all = place.run("shelf export --dataset csv -o tables --since 2031-05-03T20:00:00+12:00");
    assert_eq!(all.stderr, "Wrote 2 installs to the dataset `tables`.\n", "{}", all.all());
}

#[test]
fn a_folder_that_is_no_dataset_of_ours_is_left_alone() {
    let place = shelved();
    place.write("mine/notes.txt", "x");
    assert_eq!(place.run("shelf export --dataset csv -o tables -q").code, 0);
    let about = place.read("tables/dataset.json");
    let damaged = |text: String, line: &str| {
        place.write("tables/dataset.json", text);
        let outcome = place.run(line);
        assert_eq!(outcome.code, 3, "{}", outcome.all());
        outcome.stderr
    };
    let more = "shelf export --dataset csv -o tables --since 2031-01-01";
    let newer = about.replace("\"schema_version\": 1", "\"schema_version\": 7");
    let missing = about.replace("\"name\": \"version_key\"", "\"name\": \"key\"");
    insta::assert_snapshot!(
        [
            place.run("shelf export --dataset csv -o mine").stderr,
            place.run("shelf export --dataset csv").stderr.lines().next().unwrap().to_owned() + "\n",
            place.run("shelf export --dataset jsonl -o tables --since 2031-01-01").stderr,
            place.run("shelf export --dataset csv -o tables --since soon").stderr,
            place.run("shelf import tables").stderr,
            damaged(newer.clone(), more),
            damaged(newer, "shelf import tables"),
            damaged(missing, more),
            damaged(about[..about.len() / 2].to_owned(), more),
        ]
        .concat()
    );
    assert_eq!(names(&place.path("mine")), ["notes.txt"]);
}

#[test]
fn a_dataset_with_whole_tallies_is_imported() {
    let place = shelved();
    assert_eq!(place.run("shelf export --dataset jsonl --whole -o tables -q").code, 0);
    let before = place.run(&format!("compare {OLD} {NEW} -f json")).plain();
    std::fs::remove_dir_all(place.path("shelf")).unwrap();
    assert_eq!(place.run("shelf import tables -q").code, 0);
    assert_eq!(place.run(&format!("compare {OLD} {NEW} -f json")).plain(), before);
    let file = place.path(&format!("tables/tallies/distro=saltmarsh/{OLD}.tally.json.zst"));
    let bytes = std::fs::read(&file).unwrap();
    std::fs::write(&file, &bytes[..bytes.len() / 2]).unwrap();
    let cut = place.run("shelf import tables");
    assert_eq!(cut.code, 3);
    assert!(cut.stderr.contains("Imported 1 of 2 files."), "{}", cut.stderr);
}

#[test]
fn parquet_is_written_or_said_to_be_left_out() {
    let place = shelved();
    let outcome = place.run("shelf export --dataset parquet -o tables -q");
    if tally_report::WRITES_PARQUET {
        assert_eq!(outcome.code, 0, "{}", outcome.stderr);
        let folder = place.path("tables/packages/distro=saltmarsh");
        let bytes = std::fs::read(folder.join(&names(&folder)[0])).unwrap();
        assert!(bytes.starts_with(b"PAR1") && bytes.ends_with(b"PAR1"));
    } else {
        assert_eq!(outcome.code, 2);
        assert!(outcome.stderr.contains("--features dataset"), "{}", outcome.stderr);
        assert!(!place.path("tables").exists());
    }
}

/// Whether OpenSSH's own tool is here, which signs and checks; a machine without it is told so, and nothing is signed there.
#[allow(clippy::print_stderr, reason = "what is not tested is said")]
fn signs() -> bool {
    let there = std::process::Command::new("ssh-keygen").arg("-?").output().is_ok();
    if !there {
        eprintln!("no ssh-keygen here: signatures are not tested");
    }
    there
}

/// A private key of the fixtures as OpenSSH wants it: for its owner's eyes alone.
fn key(place: &Place, name: &str) -> String {
    let path = place.path(name);
    std::fs::copy(fixture(name), &path).unwrap();
    std::fs::set_permissions(&path, std::os::unix::fs::PermissionsExt::from_mode(0o600)).unwrap();
    path.display().to_string()
}

/// A file of allowed signers with the public half of a key.
fn signers(place: &Place, name: &str) {
    let public = std::fs::read_to_string(fixture(&format!("{name}.pub"))).unwrap();
    place.write(&format!("{name}.signers"), format!("reviewer@marsh.example {public}"));
}

#[test]
fn what_is_signed_is_imported_and_what_is_not_is_not() {
    if !signs() {
        return;
    }
    let place = shelved();
    let (ours, other) = (key(&place, "test_key"), key(&place, "ecdsa_key"));
    signers(&place, "test_key");
    signers(&place, "ecdsa_key");
    let export = place.run(&format!("shelf export --into published --sign {ours}"));
    let ecdsa = place.run(&format!("shelf export {NEW} --into other --sign {other}"));
    assert_eq!(ecdsa.code, 0, "{}", ecdsa.stderr);
    assert_eq!(place.run("shelf import other --signed-by ecdsa_key.signers --shelf another -q").code, 0);
    assert_eq!(export.stderr, "Copied 2 tallies to `published`, each with a signed list of its files.\n");
    std::fs::remove_dir_all(place.path("shelf")).unwrap();
    let import = place.run("shelf import published --signed-by test_key.signers");
    assert_eq!(import.code, 0, "{}", import.stderr);
    assert!(import.stderr.contains("igned by reviewer@marsh.example (SHA256:"), "{}", import.stderr);
    assert_eq!(place.run("shelf list -f json").json()["installs"].as_array().unwrap().len(), 2);
    // The list is one that everybody can check.
    let list = place.read(&format!("published/{NEW}.sha256"));
    assert!(list.lines().any(|line| line.ends_with(&format!("  {NEW}.tally.json"))), "{list}");
    // One byte of one file, and nothing of all is imported.
    std::fs::remove_dir_all(place.path("shelf")).unwrap();
    let file = format!("published/{NEW}.tally.json");
    let text = place.read(&file);
    place.write(&file, text.replacen("Reedbed", "Reedbad", 1));
    let refused = |line: &str, why: &str| {
        let outcome = place.run(line);
        assert_eq!(outcome.code, 3, "{}", outcome.all());
        assert!(outcome.stderr.contains(why), "{why}: {}", outcome.stderr);
        assert!(!place.path("shelf").exists());
    };
    let import = "shelf import published --signed-by test_key.signers";
    refused(import, "the list that was signed has another content for it");
    place.write(&file, &text);
    let signature = format!("published/{NEW}.sha256.sig");
    let signed = place.read(&signature);
    std::fs::remove_file(place.path(&signature)).unwrap();
    refused(import, ".sig` beside it");
    place.write(&signature, "no signature");
    refused(import, "ssh-keygen says:");
    place.write(&signature, signed);
    refused("shelf import published --signed-by ecdsa_key.signers", "nobody in `");
    place.write("none.signers", "# nobody\n");
    refused("shelf import published --signed-by none.signers", "nobody in `");
    refused("shelf import published --signed-by nowhere", "`nowhere`");
    // The signature goes along in an archive.
    let mut archive = tar::Builder::new(Vec::new());
    archive.append_dir_all(".", place.path("published")).unwrap();
    place.write("published.tar", archive.into_inner().unwrap());
    assert_eq!(place.run("shelf import published.tar --signed-by test_key.signers -q").code, 0);
}

#[test]
fn only_companions_that_the_list_names_come_along() {
    if !signs() {
        return;
    }
    let place = Place::with_installs(&["5.0-reedbed"]);
    assert_eq!(place.run("take root-5.0-reedbed --keep-offer --pictures -q").code, 0);
    let ours = key(&place, "test_key");
    signers(&place, "test_key");
    assert_eq!(place.run(&format!("shelf export --into published --sign {ours}")).code, 0);
    let pictures = place.path(&format!("published/{NEW}.pictures"));
    let first = std::fs::read_dir(&pictures).unwrap().next().unwrap().unwrap().path();
    let (folder, count) =
        (place.path(&format!("shelf/{NEW}.pictures")), std::fs::read_dir(&pictures).unwrap().count());
    let import = |place: &Place| {
        std::fs::remove_dir_all(place.path("shelf")).unwrap();
        place.run("shelf import published --signed-by test_key.signers")
    };
    assert_eq!(import(&place).code, 0);
    assert_eq!(std::fs::read_dir(&folder).unwrap().count(), count);
    // One that was put there later, and one that was changed, are another's work.
    std::fs::write(pictures.join("0123456789abcdef.png"), std::fs::read(&first).unwrap()).unwrap();
    std::fs::write(&first, "changed").unwrap();
    std::fs::write(place.path(&format!("published/{NEW}.offer.zst")), "changed").unwrap();
    let outcome = import(&place);
    let there: Vec<_> =
        std::fs::read_dir(&folder).into_iter().flatten().flatten().map(|entry| entry.file_name()).collect();
    assert!(
        !there.contains(&"0123456789abcdef.png".into())
            && !there.contains(&first.file_name().unwrap().into()),
        "{there:?}: {}",
        outcome.all()
    );
    assert!(!place.path(&format!("shelf/{NEW}.offer.zst")).exists(), "{}", outcome.all());
    // A pipe never ends, and a link leads out: neither is a companion, signed or not.
    std::fs::remove_file(&first).unwrap();
    std::os::unix::fs::symlink("/etc/hostname", &first).unwrap();
    let offer = place.path(&format!("published/{NEW}.offer.zst"));
    std::fs::remove_file(&offer).unwrap();
    std::os::unix::fs::symlink("/dev/zero", &offer).unwrap();
    std::fs::remove_dir_all(place.path("shelf")).unwrap();
    let plain = place.run("shelf import published");
    assert_eq!(plain.code, 0, "{}", plain.all());
    assert!(!folder.join(first.file_name().unwrap()).exists());
    assert!(!place.path(&format!("shelf/{NEW}.offer.zst")).exists());
}

#[test]
fn keys_that_can_not_sign_say_so() {
    if !signs() {
        return;
    }
    let place = shelved();
    let said = |key: &str| {
        let outcome = place.run(&format!("shelf export --into out --sign {key}"));
        assert_eq!(outcome.code, 3, "{}", outcome.all());
        assert!(!place.path("out").exists());
        outcome.stderr
    };
    assert!(said(&key(&place, "locked_key")).contains("can't sign: ssh-keygen says:"));
    assert!(said("nowhere").contains("`nowhere` can't sign"));
    place.write("text", "no key");
    assert!(said("text").contains("`text` can't sign"));
    // Every sort of key signs that OpenSSH signs with.
    let rsa = place.run(&format!("shelf export --into out --sign {}", key(&place, "rsa_key")));
    assert_eq!(rsa.code, 0, "{}", rsa.stderr);
    assert_eq!(place.run("shelf export --sign key").code, 2, "copies are signed, not a table");
}

#[test]
fn signatures_by_ssh_keygen_are_checked_for_each_sort_of_key() {
    if !signs() {
        return;
    }
    let place = Place::new();
    for name in ["saltmarsh.manifest", "allowed_signers"] {
        std::fs::copy(fixture(name), place.path(name)).unwrap();
    }
    let take = "take saltmarsh.manifest --release 5.0 --signed-by allowed_signers";
    for sort in ["ed25519", "ecdsa", "rsa"] {
        std::fs::copy(fixture(&format!("{sort}.sig")), place.path("saltmarsh.manifest.sig")).unwrap();
        let outcome = place.run(take);
        assert_eq!(outcome.code, 0, "{sort}: {}", outcome.stderr);
        let said = format!("is signed by {sort}@marsh.example (SHA256:");
        assert!(outcome.stderr.contains(&said), "{}", outcome.stderr);
    }
    std::fs::copy(fixture("git.sig"), place.path("saltmarsh.manifest.sig")).unwrap();
    let other = place.run(take);
    assert!(other.code == 3 && other.stderr.contains("ssh-keygen says:"), "{}", other.stderr);
    // A key that has not been valid yet, one that is valid no more, and one for something else.
    std::fs::copy(fixture("rsa.sig"), place.path("saltmarsh.manifest.sig")).unwrap();
    let signers = place.read("allowed_signers");
    for (option, code) in [
        ("valid-after=\"20310503\"", 0),
        ("valid-after=\"20310504\"", 3),
        ("valid-before=\"203105031001Z\"", 0),
        ("valid-before=\"20310503\"", 3),
        ("namespaces=\"git\"", 3),
        ("namespaces=\"git,file\"", 0),
        ("cert-authority", 3),
    ] {
        place.write(
            "allowed_signers",
            signers.replace("rsa@marsh.example", &format!("rsa@marsh.example {option}")),
        );
        let outcome = place.run(take);
        assert_eq!(outcome.code, code, "{option}: {}", outcome.stderr);
    }
}
