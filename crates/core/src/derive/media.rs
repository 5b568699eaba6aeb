//! What can be opened and played: default apps joined with what they are built on, and with the decoders that are there.

use super::Associations;
use super::defaults::Chooser;
use crate::knowledge::{Decoder, Framework, MediaFamily, MediaRule, MediaRules, Role, Roles, matches};
use crate::model::{
    DecidedBy, DefaultChoice, Evidence, MediaAnswer, MediaDecoder, MediaVerdict, Package, PackageRef, Tally,
    Text,
};
use crate::offer::Catalog;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;

/// How far from an app its framework may be, in steps of dependencies.
const STEPS: usize = 3;

/// Files that are there, by the pattern that asks for them, with the package of each.
pub type MediaFiles = BTreeMap<Text, (Text, Option<PackageRef>)>;

/// Answers all media of the table.
pub(super) fn answers(
    tally: &Tally,
    rules: &MediaRules,
    roles: &Roles,
    associations: &Associations,
    files: &MediaFiles,
) -> Vec<MediaAnswer> {
    let chooser = Chooser::new(associations, &tally.launchers, &tally.applications);
    let answers = Answers { tally, rules, files, packages: Packages::of(tally) };
    let answer = |rule: &MediaRule| {
        let application = rule.mime.as_ref().and_then(|mime| {
            // What the defaults tell is told here as well.
            let known = tally.defaults.iter().find(|choice| choice.asked == *mime);
            let role = || roles.role.iter().find(|role| Some(&role.role) == rule.role.as_ref());
            let asked = |role: &Role| opener(rule.family, &chooser.by_type(role, mime));
            known.map_or_else(|| role().and_then(asked), |choice| opener(rule.family, choice))
        });
        let only_looks =
            |id: &Text| rule.not_by.as_ref().is_some_and(|role| is_of_role(tally, roles, id, role));
        let mut answer = answers.answer(rule, application);
        if answer.application.as_ref().is_some_and(only_looks) {
            answer.verdict = MediaVerdict::No;
        }
        answer
    };
    rules.media.iter().map(answer).collect()
}

/// Whether a role is an app's own job, by the categories of its launchers.
fn is_of_role(tally: &Tally, roles: &Roles, id: &Text, role: &str) -> bool {
    let Some(known) = tally.applications.iter().find(|one| one.id == *id) else { return false };
    let mut launchers = tally.launchers.iter().filter(|one| known.launchers.contains(&one.id));
    roles
        .role
        .iter()
        .find(|one| one.role == role)
        .is_some_and(|role| launchers.any(|one| role.is_job_of(one)))
}

/// The app that opens a type as what it is. What opens it only as its parent (a package as an archive, a photo of a camera as a plain
/// picture) does not; sound and video come in containers, which are their parents.
fn opener(family: MediaFamily, choice: &DefaultChoice) -> Option<Text> {
    let is_opened = match &choice.decided.by {
        DecidedBy::ParentType { parent } => {
            let containers = ["audio/", "video/", "application/ogg", "application/x-matroska"];
            matches!(family, MediaFamily::Music | MediaFamily::Video)
                && containers.iter().any(|start| parent.starts_with(start))
        }
        _ => true,
    };
    choice.application.clone().filter(|_| is_opened)
}

/// Names the packages on offer that would bring what is missing.
pub fn note_help(answers: &mut [MediaAnswer], rules: &MediaRules, catalogs: &[Catalog]) {
    for answer in answers.iter_mut().filter(|answer| !answer.missing.is_empty()) {
        let label = rules.label(&answer.key);
        let framework = answer.framework.as_deref().unwrap_or(label);
        let mut helping: Vec<Text> = Vec::new();
        for what in &answer.missing {
            let offered =
                |name: &&Text| catalogs.iter().any(|catalog| catalog.candidate(name, None).is_some());
            let first = rules.help(framework, what).find(offered);
            helping.extend(first.filter(|name| !helping.contains(name)).cloned());
        }
        answer.would_help = helping;
    }
}

struct Answers<'a> {
    tally: &'a Tally,
    rules: &'a MediaRules,
    files: &'a MediaFiles,
    packages: Packages<'a>,
}

impl Answers<'_> {
    fn answer(&self, rule: &MediaRule, application: Option<Text>) -> MediaAnswer {
        let mut answer = MediaAnswer {
            key: rule.key.clone(),
            family: rule.family,
            mime: rule.mime.clone(),
            verdict: MediaVerdict::No,
            application,
            framework: None,
            decoders: Vec::new(),
            missing: Vec::new(),
            would_help: Vec::new(),
        };
        if rule.mime.is_none() {
            match self.there(&rule.files) {
                Some((file, package)) => {
                    answer.decoders.push(decoder(Text::default(), file, package));
                    answer.verdict = MediaVerdict::Yes;
                }
                None if !rule.knows.is_empty() && self.there(&rule.knows).is_none() => {
                    answer.verdict = MediaVerdict::Unknown;
                }
                None => answer.missing.push(rule.key.clone()),
            }
            return answer;
        }
        let Some(application) = &answer.application else { return answer };
        if rule.needs.is_empty() {
            answer.verdict = MediaVerdict::Yes;
            return answer;
        }
        let frameworks = self.frameworks(application, rule.family);
        let whole = |one: &&&Framework| rule.needs.iter().all(|need| self.decoded(one, need).is_some());
        let Some(framework) = frameworks.iter().find(whole).or_else(|| frameworks.first()).copied() else {
            answer.verdict = MediaVerdict::Unknown;
            return answer;
        };
        answer.framework = Some(framework.name.clone());
        for need in &rule.needs {
            match self.decoded(framework, need) {
                Some(decoder) => answer.decoders.push(decoder),
                None => answer.missing.push(need.clone()),
            }
        }
        answer.verdict = if answer.missing.is_empty() { MediaVerdict::Yes } else { MediaVerdict::NoDecoder };
        answer
    }

    /// The first of some patterns of which a file is there.
    fn there(&self, patterns: &[Text]) -> Option<&(Text, Option<PackageRef>)> {
        patterns.iter().find_map(|pattern| self.files.get(pattern))
    }

    fn decoded(&self, framework: &Framework, need: &Text) -> Option<MediaDecoder> {
        let of: Vec<&Decoder> = framework.decoder.iter().filter(|one| one.what == *need).collect();
        of.into_iter().find_map(|one| {
            let fitting =
                one.files.iter().filter_map(|pattern| self.files.get(pattern)).find(|(_, package)| {
                    let reduced =
                        |package: &PackageRef| one.not.iter().any(|not| matches(not, package.name()));
                    !package.as_ref().is_some_and(reduced)
                });
            fitting.map(|(file, package)| decoder(need.clone(), file, package))
        })
    }

    /// What an app is built on: the frameworks nearest to its package on the way of what it needs, then of what it recommends.
    fn frameworks(&self, application: &str, family: MediaFamily) -> Vec<&Framework> {
        let known = self.tally.applications.iter().find(|one| one.id == application);
        let Some(known) = known else { return Vec::new() };
        let launchers = self.tally.launchers.iter().filter(|one| known.launchers.contains(&one.id));
        let packages: Vec<&Package> = launchers
            .filter_map(|launcher| self.packages.named.get(launcher.package.as_ref()?.name()))
            .flatten()
            .copied()
            .collect();
        let hard = self.nearest(&packages, family, false);
        if hard.is_empty() { self.nearest(&packages, family, true) } else { hard }
    }

    fn nearest(&self, from: &[&Package], family: MediaFamily, weak: bool) -> Vec<&Framework> {
        let mut seen: FxHashSet<&str> = from.iter().map(|package| package.name.as_str()).collect();
        let mut here: Vec<&Package> = from.to_vec();
        for _ in 0..=STEPS {
            let of = |package: &&Package| self.rules.framework_of(&package.name, family);
            let found: BTreeMap<usize, &Framework> = here.iter().filter_map(of).collect();
            if !found.is_empty() {
                return found.into_values().collect();
            }
            let mut next: Vec<&Package> = Vec::new();
            for package in &here {
                let recommended = package.recommends.iter().filter(|_| weak);
                for need in package.depends.iter().chain(recommended).flatten() {
                    for found in self.packages.named.get(need.name.as_str()).into_iter().flatten() {
                        if seen.insert(&found.name) {
                            next.push(found);
                        }
                    }
                }
            }
            here = next;
        }
        Vec::new()
    }
}

fn decoder(what: Text, file: &Text, package: &Option<PackageRef>) -> MediaDecoder {
    MediaDecoder { what, package: package.clone(), evidence: Evidence::file(file.clone()) }
}

/// Packages that are there, by name and by what they provide.
struct Packages<'a> {
    named: FxHashMap<&'a str, Vec<&'a Package>>,
}

impl<'a> Packages<'a> {
    fn of(tally: &'a Tally) -> Self {
        let mut named: FxHashMap<&str, Vec<&Package>> = FxHashMap::default();
        for package in tally.present() {
            named.entry(&package.name).or_default().push(package);
            for provided in &package.provides {
                named.entry(&provided.name).or_default().push(package);
            }
        }
        Self { named }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Dependency, Launcher, System, samples};

    fn package(name: &str, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        let need = |name: &&str| {
            [Dependency { name: Text::from(*name), op: None, version: None }].into_iter().collect()
        };
        package.depends = needs.iter().map(need).collect();
        package
    }

    /// The answer of a medium where one app is there, with these packages and files.
    fn answered(packages: &[(&str, &[&str])], files: &[&str], key: &str) -> MediaAnswer {
        let mut tally = samples::tally();
        tally.packages = packages.iter().map(|(name, needs)| package(name, needs)).collect();
        let mut launcher: Launcher = samples::launcher("player", "player");
        launcher.package = Some(tally.packages[0].reference());
        tally.launchers = vec![launcher];
        tally.applications = super::super::join_applications(&tally.launchers, &tally.packages);
        let rules = crate::knowledge::media();
        let there: MediaFiles = rules
            .files()
            .into_iter()
            .filter_map(|pattern| {
                let file = files.iter().find(|file| matches(&pattern.replace("{lib}", "lib"), file))?;
                Some((pattern.clone(), (Text::from(*file), None)))
            })
            .collect();
        let answers = Answers { tally: &tally, rules, files: &there, packages: Packages::of(&tally) };
        answers.answer(rules.of(key).unwrap(), rules.of(key).unwrap().mime.as_ref().map(|_| "player".into()))
    }

    #[test]
    fn an_app_plays_what_its_framework_decodes() {
        let app: &[(&str, &[&str])] =
            &[("player", &["libplayer"]), ("libplayer", &["libgstreamer1.0-0"]), ("libgstreamer1.0-0", &[])];
        let good = ["lib/gstreamer-1.0/libgstisomp4.so", "lib/gstreamer-1.0/libgstfaad.so"];
        let half = answered(app, &good, "mp4");
        assert_eq!((half.verdict, half.framework.as_deref()), (MediaVerdict::NoDecoder, Some("GStreamer")));
        assert_eq!(half.missing, ["h264"]);
        let whole = answered(app, &[&good[..], &["lib/gstreamer-1.0/libgstlibav.so"]].concat(), "mp4");
        assert_eq!(whole.verdict, MediaVerdict::Yes);
        assert_eq!(whole.decoders[1].evidence.file, "lib/gstreamer-1.0/libgstlibav.so");
        assert_eq!(answered(app, &good, "pdf").verdict, MediaVerdict::Yes, "the app's word is taken");
    }

    #[test]
    fn what_an_app_is_built_on_is_found_on_the_way_or_not_known() {
        let far: &[(&str, &[&str])] = &[
            ("player", &["a"]),
            ("a", &["b"]),
            ("b", &["c"]),
            ("c", &["d"]),
            ("d", &["libvlc5"]),
            ("libvlc5", &[]),
        ];
        assert_eq!(answered(far, &[], "mp3").verdict, MediaVerdict::Unknown);
        let both: &[(&str, &[&str])] = &[
            ("player", &["libvlc5", "x"]),
            ("libvlc5", &[]),
            ("x", &["libgstreamer1.0-0"]),
            ("libgstreamer1.0-0", &[]),
        ];
        assert_eq!(answered(both, &[], "mp3").framework.as_deref(), Some("VLC"), "the nearest counts");
        let circle: &[(&str, &[&str])] = &[("player", &["a"]), ("a", &["player"])];
        assert_eq!(answered(circle, &[], "mp3").verdict, MediaVerdict::Unknown);
    }

    #[test]
    fn a_type_is_found_under_what_an_older_database_calls_it() {
        let mut tally = samples::tally();
        let mut launcher: Launcher = samples::launcher("player", "player");
        launcher.categories = vec!["AudioVideo".into(), "Player".into()];
        tally.launchers = vec![launcher];
        tally.applications = super::super::join_applications(&tally.launchers, &tally.packages);
        let opens = |mime: &str| {
            let named = BTreeMap::from([(Text::from(mime), vec![Text::from("player.desktop")])]);
            let cache =
                super::super::LauncherTypes { file: "cache".into(), launchers: named, after: usize::MAX };
            let associations = Associations { caches: vec![cache], ..Associations::default() };
            let (rules, roles) = (crate::knowledge::media(), &Roles::built_in().unwrap());
            let told = answers(&tally, rules, roles, &associations, &MediaFiles::default());
            let avi = told.into_iter().find(|answer| answer.key == "avi").unwrap();
            (avi.application, avi.mime)
        };
        let proper = Some(Text::from("video/vnd.avi"));
        assert_eq!(opens("video/vnd.avi"), (Some("player".into()), proper.clone()));
        assert_eq!(opens("video/x-msvideo"), (Some("player".into()), proper.clone()));
        assert_eq!(opens("video/mp4"), (None, proper));
    }

    #[test]
    fn who_only_looks_into_a_package_does_not_install_it() {
        let mut tally = samples::tally();
        let mut launcher: Launcher = samples::launcher("player", "player");
        let named = BTreeMap::from([(
            Text::from("application/vnd.debian.binary-package"),
            vec![Text::from("player.desktop")],
        )]);
        let cache = super::super::LauncherTypes { file: "cache".into(), launchers: named, after: usize::MAX };
        let associations = Associations { caches: vec![cache], ..Associations::default() };
        for (category, verdict) in [("Archiving", MediaVerdict::No), ("PackageManager", MediaVerdict::Yes)] {
            launcher.categories = vec![category.into()];
            tally.launchers = vec![launcher.clone()];
            tally.applications = super::super::join_applications(&tally.launchers, &tally.packages);
            let (rules, roles) = (crate::knowledge::media(), &Roles::built_in().unwrap());
            let told = answers(&tally, rules, roles, &associations, &MediaFiles::default());
            let deb = told.into_iter().find(|answer| answer.key == "deb").unwrap();
            assert_eq!((deb.verdict, deb.application.as_deref()), (verdict, Some("player")), "{category}");
        }
    }

    #[test]
    fn devices_are_asked_of_files() {
        let app: &[(&str, &[&str])] = &[("player", &[])];
        let there = answered(app, &["lib/libdvdcss.so.2"], "dvd-css");
        assert_eq!((there.verdict, there.application), (MediaVerdict::Yes, None));
        let not = answered(app, &[], "dvd-css");
        assert_eq!((not.verdict, not.missing), (MediaVerdict::No, vec!["dvd-css".into()]));
    }
}
