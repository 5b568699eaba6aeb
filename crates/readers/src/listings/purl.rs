//! Package URLs (ECMA-427), as bills of materials name packages.

use tally_core::model::{Package, System, Text};

/// What a package URL says.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Purl {
    pub(super) system: System,
    pub(super) namespace: Text,
    name: Text,
    version: Text,
    arch: Text,
    upstream: Option<Text>,
}

impl Purl {
    /// Reads a URL of a package system; those of language modules and others are none.
    pub(super) fn parse(url: &str) -> Option<Self> {
        let rest = url.strip_prefix("pkg:")?.trim_start_matches('/');
        let (rest, _subpath) = rest.split_once('#').unwrap_or((rest, ""));
        let (rest, qualifiers) = rest.split_once('?').unwrap_or((rest, ""));
        let (path, version) = rest.rsplit_once('@').unwrap_or((rest, ""));
        let (sort, path) = path.split_once('/')?;
        let (namespace, name) = path.rsplit_once('/').unwrap_or(("", path));
        let qualifier = |key: &str| {
            let pairs = qualifiers.split('&').filter_map(|pair| pair.split_once('='));
            pairs.filter(|(known, _)| known.eq_ignore_ascii_case(key)).map(|(_, value)| decoded(value)).next()
        };
        let system = match sort.to_ascii_lowercase().as_str() {
            // Systems without a type of their own are named by ours, in a qualifier.
            "generic" => System::from_name(&qualifier("system")?)?,
            registered => System::of_purl_type(registered)?,
        };
        let version = decoded(version);
        let version = match qualifier("epoch").filter(|epoch| epoch != "0" && !epoch.is_empty()) {
            Some(epoch) if system == System::Rpm => smol_str::format_smolstr!("{epoch}:{version}"),
            _ => version,
        };
        let upstream =
            qualifier("upstream").map(|source| source.split('@').next().unwrap_or_default().into());
        let arch = qualifier("arch").unwrap_or_default();
        let (namespace, name) = (decoded(namespace), decoded(name));
        (!name.is_empty()).then_some(Self { system, namespace, name, version, arch, upstream })
    }

    /// The package that it names.
    pub(super) fn package(self) -> Package {
        let Self { system, name, version, arch, upstream, .. } = self;
        let mut package = Package::new(system, name, version);
        package.upstream_version = tally_core::systems::upstream(system, &package.version).into();
        package.arch = arch;
        package.source = upstream.filter(|source| *source != package.name && !source.is_empty());
        package
    }
}

/// Percent-encoded text as it was.
fn decoded(text: &str) -> Text {
    if !text.contains('%') {
        return text.into();
    }
    let bytes = text.as_bytes();
    let mut plain = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while at < bytes.len() {
        let byte = text.get(at + 1..at + 3).and_then(|two| u8::from_str_radix(two, 16).ok());
        match (bytes[at], byte) {
            (b'%', Some(byte)) => {
                plain.push(byte);
                at += 3;
            }
            (byte, _) => {
                plain.push(byte);
                at += 1;
            }
        }
    }
    String::from_utf8_lossy(&plain).as_ref().into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn types_epochs_and_what_is_encoded() {
        let purl = Purl::parse(
            "pkg:rpm/marsh/weir%2Bextra@4.0-1.fc40?arch=x86_64&epoch=2&upstream=weir-4.0-1.src.rpm#x",
        )
        .unwrap();
        assert_eq!((purl.system, purl.namespace.as_str()), (System::Rpm, "marsh"));
        let package = purl.package();
        assert_eq!(
            (package.name.as_str(), package.version.as_str(), package.upstream_version.as_str()),
            ("weir+extra", "2:4.0-1.fc40", "4.0")
        );
        assert!(Purl::parse("pkg:npm/left@1").is_none());
        assert!(Purl::parse("pkg:deb").is_none());
        assert_eq!(
            Purl::parse("pkg:generic/reed@1_1?system=xbps").map(|purl| purl.system),
            Some(System::Xbps)
        );
    }

    proptest! {
        #[test]
        fn what_we_write_is_read_back(name in "[a-z][a-z0-9+.-]{0,8}", version in "([0-9]:)?[0-9][0-9a-z.+~^_]{0,8}(-[0-9a-z.]{1,3})?", system in 0..System::ALL.len(), wild in "\\PC{0,40}") {
            Purl::parse(&wild);
            let system = System::ALL[system];
            let mut package = Package::new(system, name.as_str(), version.as_str());
            package.arch = "x86_64".into();
            let read = Purl::parse(&package.make_purl("marsh")).unwrap().package();
            prop_assert_eq!((read.system, read.name), (system, package.name));
            let zero = version.strip_prefix("0:").filter(|_| system == System::Rpm);
            prop_assert_eq!(read.version.as_str(), zero.unwrap_or(&version));
        }
    }
}
