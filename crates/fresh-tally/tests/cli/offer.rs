use crate::harness::Place;
use saltmarsh::{Family, World};

/// A place with the light edition on the shelf, its lists kept, and the install gone.
fn kept() -> Place {
    let place = Place::with_installs(&["5.0-mudflat"]);
    let taken = place.run("take root-5.0-mudflat --handle mudflat --keep-offer -q");
    assert_eq!(taken.code, 0, "{}", taken.all());
    std::fs::remove_dir_all(place.path("root-5.0-mudflat")).unwrap();
    place
}

/// The story: 700 MB to download, 900 MB at most, five programs to add.
const STORY: &str = "lapwing brackwater-writer dunlin pondskate booming --image 700MB --limit 900MB";

#[test]
fn five_programs_on_a_small_machine() {
    let place = kept();
    let over = place.run(&format!("weigh mudflat --add {STORY} --width 100"));
    assert_eq!(over.code, 1, "over the limit: {}", over.all());
    for said in [
        "700 MB image + 209 MB; limit 900 MB: 9.0 MB over",
        "Without recommended packages it fits: 898 MB in all.",
    ] {
        assert!(over.stdout.contains(said), "`{said}`: {}", over.stdout);
    }
    let fits = place.run(&format!("weigh mudflat --add {STORY} --without-recommends --format json"));
    assert_eq!(fits.code, 0, "{}", fits.all());
    let fits = fits.json();
    assert_eq!((fits["over_bytes"].as_u64(), fits["plan"]["recommends"].as_bool()), (Some(0), Some(false)));
    let sum: u64 = fits["plan"]["added"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["download_bytes"].as_u64().unwrap())
        .sum();
    assert_eq!(fits["download_sum"].as_u64(), Some(700_000_000 + sum));
    let path = fits["plan"]["added"]
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["package"] == "dpkg:libquill2")
        .unwrap();
    assert_eq!(path["brought"]["path"], serde_json::json!(["brackwater-writer", "brackwater-core"]));
    let csv = place.run("weigh mudflat --add dunlin --format csv");
    assert!(
        csv.stdout.lines().any(|line| line.starts_with("dpkg:dunlin,3.4.2-1,bittern,asked,")),
        "{}",
        csv.stdout
    );
}

#[test]
fn what_can_be_had_and_from_where() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed --handle reedbed --keep-offer -q");
    let both = place.run("offer reedbed pondskate --format json");
    assert_eq!(both.code, 0, "{}", both.all());
    let both = both.json();
    let sources = both["answers"][0]["sources"].as_array().unwrap();
    let said: Vec<_> = sources
        .iter()
        .map(|one| {
            (
                one["system"].as_str().unwrap(),
                one["version"].as_str().unwrap(),
                one["newest"].as_bool().unwrap(),
            )
        })
        .collect();
    assert_eq!(said, [("dpkg", "1.4.1-1", false), ("flatpak", "1.6.0", true)]);
    let snap = place.run("offer reedbed fryshoal --format json").json();
    assert_eq!(snap["answers"][0]["sources"][0]["program"], "org.marsh.Fryshoal");
    let none = place.run("offer reedbed nosuchthing");
    assert_eq!(none.code, 1);
    let near = place.run("offer reedbed pondsckate");
    assert!(near.stdout.contains("pondskate"), "{}", near.stdout);
    let all = place.run("offer reedbed --width 120");
    for said in
        ["Updates waiting", "3 security updates", "bittern-security", "phased: 40%", "Kernel", "6.18.3-1"]
    {
        assert!(all.stdout.contains(said), "`{said}`: {}", all.stdout);
    }
    let overview = place.run("show reedbed").stdout;
    assert!(overview.contains("On offer 187") && overview.contains("Updates waiting 6"), "{overview}");
}

#[test]
fn an_offer_is_carried_along_and_dropped_with_its_tally() {
    let place = kept();
    let offer = |name: &str| place.path(&format!("shelf/{name}.offer.zst")).exists();
    assert!(offer("mudflat"));
    assert_eq!(place.run("shelf rename mudflat flat").code, 0);
    assert!(offer("flat") && !offer("mudflat"));
    assert_eq!(place.run("offer flat dunlin").code, 0);
    assert_eq!(place.run("shelf drop flat").code, 0);
    assert!(!offer("flat"));
}

#[test]
fn without_lists_only_the_figures_are_left() {
    let place = Place::with_installs(&["5.0-mudflat"]);
    place.run("take root-5.0-mudflat --handle mudflat -q");
    let lists = place.path("lists");
    std::fs::rename(place.path("root-5.0-mudflat/var/lib/apt/lists"), &lists).unwrap();
    std::fs::remove_dir_all(place.path("root-5.0-mudflat")).unwrap();
    let figures = place.run("offer mudflat");
    assert!(figures.code == 0 && figures.stdout.contains("Packages on offer"), "{}", figures.all());
    assert!(figures.stderr.contains("--keep-offer"), "{}", figures.stderr);
    let lost = place.run("offer mudflat dunlin");
    assert!(lost.code == 3 && lost.stderr.contains("--lists"), "{}", lost.all());
    let handed = place.run("weigh mudflat --add dunlin --lists lists --format json");
    assert_eq!(handed.code, 0, "{}", handed.all());
    assert_eq!(handed.json()["plan"]["added"].as_array().unwrap().len(), 2);
    let wrong = place.run("offer mudflat dunlin --lists shelf/mudflat.tally.json");
    assert!(wrong.code == 3 && wrong.stderr.contains("no list of packages"), "{}", wrong.all());
    place.write("later/main_Packages", "Package: dunlin\nVersion: 9\nArchitecture: amd64\nSize: 5\n");
    place.write("later/main_Release", "Suite: curlew\nDate: Sun, 03 May 2026 08:00:00 UTC\n");
    let later = place.run("offer mudflat dunlin --lists later");
    assert!(
        later.stderr.contains("the lists are of curlew, and the install is of bittern"),
        "{}",
        later.all()
    );
    assert!(!place.run("offer mudflat dunlin --lists lists").stderr.contains("the lists are of"));
    place.write("arm/Packages", "Package: dunlin\nVersion: 3\nArchitecture: arm64\nSize: 5\n");
    let other = place.run("offer mudflat dunlin --lists arm/Packages");
    assert_eq!(other.code, 1);
    assert!(
        other.stderr.contains("the lists are for arm64, and the install is for amd64"),
        "{}",
        other.stderr
    );
}

#[test]
fn checklists_grids_and_comparisons_know_the_offer() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed", "5.0-mudflat"]);
    for (key, handle) in [("4.0-reedbed", "old"), ("5.0-reedbed", "new"), ("5.0-mudflat", "flat")] {
        place.run(&format!("take root-{key} --handle {handle} --keep-offer -q"));
    }
    place.write(
        "q.toml",
        "name = \"q\"\n[[question]]\nname = \"a\"\noffered = \"pondskate\"\nversion = \">= 1.4\"\n[[question]]\nname = \"b\"\nupdates = \"security\"\ncount = \"= 0\"\n[[question]]\nname = \"c\"\nadded-cost = \"dunlin pondskate\"\nweight = \"<= 40MB\"\n[[question]]\nname = \"d\"\noffered = \"zork\"\nexpect = \"absent\"\n",
    );
    let check = place.run("check q.toml new flat --format json");
    assert_eq!(check.code, 1, "a security update waits: {}", check.stderr);
    let check: serde_json::Value = serde_json::from_str(&check.stdout).unwrap();
    let verdicts: Vec<Vec<&str>> = check["questions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|question| {
            question["answers"]
                .as_array()
                .unwrap()
                .iter()
                .map(|one| one["verdict"].as_str().unwrap())
                .collect()
        })
        .collect();
    assert_eq!(verdicts, [vec!["yes", "yes"], vec!["no", "no"], vec!["yes", "yes"], vec!["yes", "yes"]]);
    let grid = place.run("grid new flat --width 120").stdout;
    assert!(grid.contains("Updates waiting"), "{grid}");
    let changes = place.run("compare old new --view offer --format json");
    assert_eq!(changes.code, 0, "{}", changes.all());
    let changes = changes.json();
    let came: Vec<&str> =
        changes["came"].as_array().unwrap().iter().map(|one| one["name"].as_str().unwrap()).collect();
    assert!(came.contains(&"Lapwing") && !came.contains(&"Inkcap"), "{came:?}");
    assert_eq!(place.run("compare old new --view offer --exit-code").code, 1);
    place.run("report new -o new.html");
    assert!(place.read("new.html").contains("id=\"offer\""), "the page has a section for it");
}

#[test]
fn every_family_plans_from_its_own_lists() {
    let place = Place::new();
    let world = World::load().unwrap();
    let install = world.install("5.0-mudflat").unwrap();
    for (name, family) in Family::ALL
        .iter()
        .filter(|(name, _)| ["rpm", "pacman", "apk", "xbps", "freebsd-pkg", "eopkg"].contains(name))
    {
        saltmarsh::write_install_as(&world, install, *family, &place.path(name)).unwrap();
        let plan = place.run(&format!("weigh {name} --add brackwater-writer --format json"));
        assert_eq!(plan.code, 0, "{name}: {}", plan.all());
        let plan = plan.json();
        let added: Vec<&str> = plan["plan"]["added"]
            .as_array()
            .unwrap()
            .iter()
            .map(|one| one["package"].as_str().unwrap())
            .collect();
        assert!(added.iter().any(|package| package.ends_with(":brackwater-core")), "{name}: {added:?}");
        assert!(plan["download_sum"].as_u64().unwrap() > 90_000_000, "{name}");
        let none = place.run(&format!("weigh {name} --add nosuchthing"));
        assert!(
            none.code == 1 && none.stdout.contains("nosuchthing is in no list."),
            "{name}: {}",
            none.all()
        );
        let offer = place.run(&format!("offer {name} --format json")).json();
        assert_eq!(offer["offers"][0]["lists"].as_array().unwrap().len(), 1, "{name}");
    }
}

#[test]
fn what_is_asked_wrongly_is_refused_and_what_is_damaged_is_said() {
    let place = kept();
    for (line, said) in [
        ("weigh mudflat --image 700MB --limit 1GB", "--add"),
        ("weigh mudflat --without-recommends --limit 1GB", "--add"),
        ("weigh mudflat", "--limit"),
        ("weigh mudflat --limit 1GB --lists shelf", "--lists is for --add"),
        ("weigh mudflat --add dunlin --image nowhere.iso", "neither a size such as 700MB nor a file"),
        ("compare mudflat mudflat --view offer --kind game", "not about the view `offer`"),
        ("offer nosuch", "no install `nosuch`"),
        ("offer mudflat --lists nowhere", "nowhere"),
    ] {
        let outcome = place.run(line);
        assert!(outcome.code >= 2 && outcome.stderr.contains(said), "{line}: {}", outcome.all());
        assert_eq!(outcome.stdout, "", "{line}");
    }
    place.write("image.iso", vec![0; 3_000_000]);
    let file =
        place.run("weigh mudflat --add dunlin --image image.iso --plus 1MB --limit 1GB --format json").json();
    assert_eq!(
        (file["image_bytes"].as_u64(), file["plus_bytes"].as_u64()),
        (Some(3_000_000), Some(1_000_000))
    );
    assert_eq!(
        file["download_sum"].as_u64().unwrap(),
        4_000_000 + file["plan"]["download_bytes"].as_u64().unwrap()
    );
    place.write(
        "bad/Packages",
        "Package: dunlin\nArchitecture: amd64\n\nPackage: heron\nVersion: 1\nArchitecture: amd64\n\n",
    );
    let damaged = place.run("offer mudflat dunlin --lists bad");
    assert!(damaged.stderr.contains("1 record of the lists could not be read"), "{}", damaged.all());
    place.write("shelf/mudflat.offer.zst", "no lists at all");
    let broken = place.run("offer mudflat dunlin");
    assert!(broken.code == 3 && broken.stderr.contains("mudflat.offer.zst"), "{}", broken.all());
}

#[test]
fn an_install_is_asked_as_found_too_and_a_tally_file_has_its_own() {
    let place = Place::with_installs(&["5.0-mudflat"]);
    let taken = place.run("take root-5.0-mudflat --keep-offer -o mine.tally.json -q");
    assert_eq!(taken.code, 0, "{}", taken.all());
    std::fs::remove_dir_all(place.path("root-5.0-mudflat")).unwrap();
    assert!(place.path("mine.offer.zst").exists());
    for install in ["mine.tally.json", "mine.tally.json@found", "mine.tally.json@shipped"] {
        let offer = place.run(&format!("offer {install} dunlin"));
        assert!(offer.code == 0 && offer.stdout.contains("3.4.2-1"), "{install}: {}", offer.all());
    }
    // Without lists there is nothing to keep, and that is said; the tally is taken all the same.
    let bare = Place::with_installs(&["5.0-mudflat"]);
    std::fs::remove_dir_all(bare.path("root-5.0-mudflat/var/lib/apt/lists")).unwrap();
    let taken = bare.run("take root-5.0-mudflat --handle bare --keep-offer -q");
    assert!(
        taken.code == 0 && taken.stderr.contains("no lists of its repositories to keep"),
        "{}",
        taken.all()
    );
    assert!(!bare.path("shelf/bare.offer.zst").exists());
    let asked = bare.run("offer bare");
    assert!(asked.code == 3 && asked.stderr.contains("--keep-offer"), "{}", asked.all());
    let page = bare.run("report bare -o bare.html");
    assert!(page.code == 0 && !bare.read("bare.html").contains("id=\"offer\""), "{}", page.all());
}
