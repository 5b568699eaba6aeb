//! A package without what only a look at one install asks for.

use super::package::{installed, shipped, unknown_kind, unknown_reason};
use super::{Alternatives, Dependency, Evidence, Kind, Package, Phase, Reason, State, System, Text};
use serde::Deserialize;

/// A package as far as comparing takes it: without summary, section, page, licence, package URL and evidence, without the reason for
/// its kind, what it suggests, where and when it was fetched. Half of what a package has to be kept in memory for is in these.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(transparent)]
pub struct Brief(#[serde(with = "Fields")] pub Package);

/// The fields of [`Package`]; the compiler holds both together.
#[derive(Deserialize)]
#[serde(remote = "Package")]
struct Fields {
    system: System,
    name: Text,
    version: Text,
    #[serde(default)]
    upstream_version: Text,
    #[serde(default)]
    arch: Text,
    #[serde(skip)]
    purl: Text,
    #[serde(default)]
    made_from: Option<Text>,
    #[serde(skip)]
    summary: Text,
    #[serde(skip)]
    section: Text,
    #[serde(skip)]
    homepage: Text,
    #[serde(skip)]
    license: Option<Text>,
    #[serde(default)]
    installed_bytes: Option<u64>,
    #[serde(skip)]
    download_bytes: Option<u64>,
    #[serde(default = "unknown_reason")]
    reason: Reason,
    #[serde(default)]
    essential: bool,
    #[serde(default)]
    kept: bool,
    #[serde(default = "installed")]
    state: State,
    #[serde(default = "unknown_kind")]
    kind: Kind,
    #[serde(skip)]
    kind_because: Text,
    #[serde(default)]
    companion_of: Option<Text>,
    #[serde(default = "shipped")]
    phase: Phase,
    #[serde(default)]
    shipped_version: Option<Text>,
    #[serde(skip)]
    installed_at: Option<Text>,
    #[serde(skip)]
    repository: Option<Text>,
    #[serde(default)]
    depends: Vec<Alternatives>,
    #[serde(default)]
    recommends: Vec<Alternatives>,
    #[serde(skip)]
    suggests: Vec<Alternatives>,
    #[serde(default)]
    provides: Vec<Dependency>,
    #[serde(default)]
    replaces: Vec<Dependency>,
    #[serde(default)]
    conflicts: Vec<Dependency>,
    #[serde(skip)]
    evidence: Evidence,
    #[serde(skip)]
    beside_itself: bool,
    #[serde(skip)]
    in_no_repository: bool,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_but_what_is_left_out_is_as_in_the_whole() {
        let line = r#"{"system": "dpkg", "name": "curlew", "version": "1:2.0-1", "upstream_version": "2.0", "arch": "amd64",
            "purl": "pkg:deb/x/curlew", "made_from": "reed", "summary": "A bird", "section": "games", "homepage": "h", "license": "MIT",
            "installed_bytes": 5, "download_bytes": 6, "reason": "chosen", "essential": true, "kept": true, "state": "half",
            "kind": "game", "kind_because": "b", "companion_of": "c", "phase": "updated-later", "shipped_version": "1.9",
            "installed_at": "2031-05-02T10:00:00Z", "repository": "r", "depends": [[{"name": "a", "op": ">=", "version": "1"}]],
            "recommends": [[{"name": "b"}]], "suggests": [[{"name": "c"}]], "provides": [{"name": "d"}], "replaces": [{"name": "e"}],
            "conflicts": [{"name": "f"}], "evidence": {"file": "var/lib/dpkg/status", "line": 3}}"#;
        let whole: Package = serde_json::from_str(line).unwrap();
        let Brief(brief) = serde_json::from_str(line).unwrap();
        let left_out = Package {
            suggests: Vec::new(),
            section: Text::default(),
            purl: Text::default(),
            summary: Text::default(),
            homepage: Text::default(),
            license: None,
            download_bytes: None,
            kind_because: Text::default(),
            installed_at: None,
            repository: None,
            evidence: Evidence::default(),
            ..whole
        };
        assert_eq!(brief, left_out);
        let bare = r#"{"system": "rpm", "name": "a", "version": "1"}"#;
        let (whole, Brief(brief)) =
            (serde_json::from_str::<Package>(bare).unwrap(), serde_json::from_str(bare).unwrap());
        assert_eq!(brief, whole, "what is not there is taken for the same");
    }
}
