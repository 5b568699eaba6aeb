use crate::harness::Place;

#[test]
fn two_versions_have_an_order() {
    let place = Place::new();
    for (pair, sign) in [("1.0~rc1 1.0", "<"), ("1.0 1.0-0", "="), ("1:0 9", ">"), ("-1 1", "<")] {
        assert_eq!(place.run(&format!("rules order dpkg {pair}")).plain(), format!("{sign}\n"), "{pair}");
    }
}

#[test]
fn pairs_come_from_standard_input() {
    let place = Place::new();
    let outcome = place.run_with("rules order dpkg -", b"1.0\t1.0-0\n1 \t1.0\tignored\n\n2\t1", &[]);
    assert_eq!(outcome.plain(), "1.0\t1.0-0\t=\n1 \t1.0\t<\n2\t1\t>\n");
    let bad = place.run_with("rules order dpkg -", b"1.0\t1\nalone\n", &[]);
    assert_eq!((bad.code, bad.stdout.as_str()), (3, ""));
    assert_eq!(bad.stderr, "error: can't read `standard input`: line 2 has no tab between two versions\n");
}

#[test]
fn an_unknown_system_is_a_wrong_command_line() {
    let outcome = Place::new().run("rules order nosuch 1 2");
    assert_eq!(
        (outcome.code, outcome.stderr.as_str()),
        (
            2,
            "error: there is no package system `nosuch`; valid are dpkg, rpm, pacman, apk, eopkg, freebsd-pkg, portage, xbps, nix\n"
        )
    );
    assert_eq!(Place::new().run("rules order dpkg 1").code, 2);
}

#[test]
fn the_rules_for_parts_are_toml_with_comments() {
    let text = Place::new().run("rules parts").plain();
    assert!(text.starts_with("# Parts:") && text.contains("part = \"kernel\""));
}

#[test]
fn scripts_and_manual_are_printed() {
    let place = Place::new();
    assert!(place.run("completions bash").plain().contains("complete"));
    let all = place.run("man").plain();
    assert!(all.contains(".TH fresh-tally 1  \"fresh-tally 0.1.0\" \"User commands\""), "{}", &all[..400]);
    let said = place.run("man -o pages/").stderr;
    let pages = crate::harness::names(&place.path("pages"));
    assert!(pages.len() > 15 && said.starts_with(&format!("{} pages are in", pages.len())), "{said}");
    assert!(pages.iter().any(|page| page == "fresh-tally.1"));
    assert!(place.read("pages/fresh-tally-take.1").contains("fresh\\-tally\\-take \\- Read an install"));
}

#[test]
fn the_help_teaches_with_examples() {
    let place = Place::new();
    let mut help = place.run("--help").plain();
    for command in ["take", "show", "compare", "shelf", "rules order", "demo"] {
        help.push_str(&format!("\n=== {command}\n{}", place.run(&format!("{command} --help")).plain()));
    }
    insta::assert_snapshot!(help);
}

#[test]
fn own_rules_are_checked_and_win() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.write("own.toml", "[[kind]]\nkind = 'game'\nname = 'countstone'\n\n[[agent]]\nname = 'inkcap'\ndoes = 'usage-statistics'\n");
    let sound = place.run("rules check own.toml").plain();
    assert_eq!(sound, "`own.toml` is valid: kinds 1, parts 0, roles 0, agents 1, settings 0, scores 0\n");
    let packages = place.run("show root-5.0-reedbed packages --format csv --rules own.toml").plain();
    let countstone = packages.lines().find(|line| line.contains(",countstone,")).unwrap();
    assert!(countstone.contains(",game,"), "{countstone}");
    let odd = place.run("show root-5.0-reedbed findings --rules own.toml").plain();
    assert!(odd.contains("inkcap sends usage statistics"), "{odd}");
    place.write("config/fresh-tally/rules.toml", "[[kind]]\nkind = 'gme'\n");
    let bad = place.run_with(
        "show root-5.0-reedbed",
        b"",
        &[("XDG_CONFIG_HOME", &place.path("config").to_string_lossy())],
    );
    assert_eq!(bad.code, 3);
    assert!(bad.stderr.contains("rules.toml`: line 2: unknown variant `gme`"), "{}", bad.stderr);
}
