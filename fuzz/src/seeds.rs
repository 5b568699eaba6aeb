//! What fuzzing begins with.

use saltmarsh::{Family, World};
use std::fs;
use std::path::{Path, PathBuf};
use crate::targets::{self, PLACES, TARGETS};
use tally_trees::unpack_file;

type Outcome = Result<(), Box<dyn std::error::Error>>;

/// Writes them, a folder for each target.
pub(crate) fn write(folder: &Path) -> Outcome {
    for target in TARGETS {
        fs::create_dir_all(folder.join(target.name))?;
    }
    from_installs(folder)?;
    from_fixtures(folder)?;
    for (target, fixtures) in targets::IMAGES {
        for at in 0..fixtures.len() {
            // Nothing changed; and a byte in the first line.
            let at = u8::try_from(at)?;
            fs::write(folder.join(format!("{target}/{at}")), [at])?;
            fs::write(folder.join(format!("{target}/{at}-changed")), [at, 0, 0, 63, 0])?;
        }
    }
    fs::write(folder.join("tally/one"), targets::a_tally())?;
    fs::write(folder.join("flatpak-deploy/one"), deploy())?;
    for (name, content) in [
        ("versions/dpkg", "1:2.0~rc1-1\n2.0-1.1\n2.0+dfsg-3\n"),
        ("versions/rpm", "1.0^git1-2.fc41\n1.0~rc1-1\n1:1.0.1-1\n"),
        ("versions/pacman", "1.0-1\n1.0\n1.0-2\n"),
        ("versions/apk", "1.2.3_rc1-r0\n1.2b_p1-r12\n1.2\n"),
        ("listing/rpm", "inkcap-3.2.1-2.fc41.x86_64\nlibweir-2.0-1.fc41.noarch\n"),
        ("listing/dpkg-l", "ii  inkcap  3.2.1-2  amd64  Text editor\nii  libweir2:amd64  2.0  amd64  Library\n"),
        ("listing/manifest", "inkcap\t3.2.1-2\nlibweir2:amd64\t2.0\n"),
        ("listing/pacman-qi", "Name            : inkcap\nVersion         : 3.2.1-2\nDepends On      : libweir  glibc>=2.3\nInstalled Size  : 3.40 MiB\n\n"),
        ("bill/cyclonedx", r#"{"bomFormat":"CycloneDX","specVersion":"1.5","components":[{"name":"inkcap","version":"3.2.1","purl":"pkg:deb/saltmarsh/inkcap@3.2.1?arch=amd64"}]}"#),
        ("bill/spdx", r#"{"spdxVersion":"SPDX-2.3","packages":[{"name":"inkcap","versionInfo":"3.2.1","externalRefs":[{"referenceType":"purl","referenceLocator":"pkg:rpm/saltmarsh/inkcap@3.2.1-2"}]}]}"#),
        ("checklist/one", "[[ask]]\nask = \"browser\"\nrole = \"web-browser\"\n"),
        ("own-rules/one", "[[kind]]\nname = [\"ink*\"]\nkind = \"application\"\nbecause = \"ours\"\n"),
        ("apt-history/one", "Start-Date: 2026-05-11  10:00:00\nCommandline: apt install inkcap\nInstall: inkcap:amd64 (3.2.1-2), libweir2:amd64 (2.0, automatic)\nUpgrade: bash:amd64 (5.2-1, 5.2-2)\nRemove: old:amd64 (1)\nEnd-Date: 2026-05-11  10:00:03\n"),
        ("pacman-log/one", "[2026-05-11T10:00:00+0200] [ALPM] installed inkcap (3.2.1-2)\n[2026-05-11 10:01] [ALPM] upgraded libweir (1-1 -> 2-1)\n[2026-05-11 10:01] [ALPM] removed old (1-1)\n"),
        ("portage-log/one", "1778493600:  >>> emerge (1 of 2) app-editors/inkcap-3.2.1 to /\n1778493660:  ::: completed emerge (1 of 2) app-editors/inkcap-3.2.1 to /\n1778493700:  >>> unmerge success: app/old-1\n"),
        ("snap-seed/one", "snaps:\n  - name: inkcap\n    channel: stable\n    file: inkcap_7.snap\n"),
        ("snap-state/one", r#"{"data":{"snaps":{"inkcap":{"type":"app","active":true,"current":"7","channel":"latest/stable"}}}}"#),
        ("portage/needs", ">=dev-libs/weir-2.0:2= gtk? ( || ( x11-libs/gtk:3 x11-libs/gtk:4[wayland] ) ) !app/old\n"),
        ("snap-meta/one", "name: inkcap\nversion: '3.2'\nsummary: Text editor\ntype: app\nbase: core24\narchitectures: [amd64]\n"),
        ("unit/one", "[Unit]\nDescription=Ink\n[Service]\nExecStart=/usr/bin/inkcapd\n[Install]\nWantedBy=multi-user.target\n"),
        ("xfconf/one", "<channel name='xsettings'><property name='Net'><property name='ThemeName' value='Reed'/></property></channel>"),
        ("mimeapps/one", "[Default Applications]\ntext/plain=inkcap.desktop;other.desktop\n[Added Associations]\nimage/png=a.desktop\n"),
        ("kcfg/one", "<kcfg><group><entry name='launchers' type='StringList'><default>applications:inkcap.desktop,preferred://browser</default></entry></group></kcfg>"),
        ("keyfile-settings/one", "[General]\nColorScheme=BreezeDark\n[Icons]\nTheme=reed\n[KDE]\nwidgetStyle=Breeze\nLookAndFeelPackage=org.marsh.desktop\n"),
        ("gschema/one", "<schemalist><enum id='org.marsh.E'><value nick='a' value='0'/></enum><schema id='org.marsh.x' path='/org/marsh/x/' extends='org.gnome.desktop.interface'><key name='theme' type='s'><default l10n='messages'>'Reed'</default></key><key name='e' enum='org.marsh.E'><default>'a'</default></key><override name='gtk-theme'>'Sedge'</override></schema></schemalist>"),
        ("gschema-override/one", "[org.gnome.desktop.interface]\ngtk-theme='Sedge'\nicon-theme='reed'\n[org.gnome.shell:Marsh]\nfavorite-apps=['inkcap.desktop', 'a.desktop']\n"),
        ("panel/one", "<channel name='xfce4-panel'><property name='panels' type='array'><value type='int' value='1'/><property name='panel-1' type='empty'><property name='position' value='p=8;x=0'/><property name='size' type='uint' value='26'/><property name='plugin-ids' type='array'><value type='int' value='1'/></property></property></property><property name='plugins'><property name='plugin-1' value='launcher'><property name='items' type='array'><value value='inkcap.desktop'/></property></property></property></channel>"),
        ("appstream/one", "<component type='desktop-application'><id>inkcap</id><name>Inkcap</name><name xml:lang='de'>Tinte</name><summary>Text</summary><categories><category>Office</category></categories><url type='homepage'>https://saltmarsh.example/</url><launchable type='desktop-id'>inkcap.desktop</launchable><provides><binary>inkcap</binary></provides><releases><release version='3.2' date='2026-05-01'/></releases></component>"),
        ("package-list/stanzas", "Package: inkcap\nVersion: 3.2.1-2\nArchitecture: amd64\nDepends: libweir2 (>= 2), a | b\nSize: 10\nInstalled-Size: 3\nSection: editors\nDescription: Ink\n\n"),
        ("package-list/primary", "<metadata packages='1'><package type='rpm'><name>inkcap</name><arch>x86_64</arch><version epoch='0' ver='3' rel='1'/><summary>x</summary><size package='1' installed='2'/><format><rpm:requires><rpm:entry name='a' flags='GE' ver='1'/></rpm:requires><file>/usr/bin/inkcap</file></format></package></metadata>"),
        ("package-list/repomd", "<repomd><revision>1778493600</revision></repomd>"),
        ("package-list/comps", "<comps><group><id>x</id><packagelist><packagereq type='mandatory'>inkcap</packagereq></packagelist></group></comps>"),
        ("package-list/errata", "<updates><update type='security'><id>X-1</id><references><reference type='cve' id='CVE-2026-1'/></references><pkglist><collection><package name='inkcap' version='1' release='2'/></collection></pkglist></update></updates>"),
        ("package-list/pisi", "<PISI><Package><Name>inkcap</Name><History><Update release='2'><Version>3</Version></Update></History></Package></PISI>"),
        ("package-list/components", "<components origin='x'><component type='desktop-application'><id>inkcap</id><pkgname>inkcap</pkgname><name>Ink</name></component></components>"),
        ("package-list/dep11", "---\nFile: DEP-11\nVersion: '0.16'\nOrigin: x\n---\nType: desktop-application\nID: inkcap.desktop\nPackage: inkcap\nName:\n  C: Ink\nSummary:\n  C: x\n"),
        ("package-list/slackware", "PACKAGE NAME:  inkcap-3.2.1-x86_64-2.txz\nPACKAGE LOCATION:  ./a\nPACKAGE SIZE (compressed):  10 K\nPACKAGE SIZE (uncompressed):  20 K\nPACKAGE DESCRIPTION:\ninkcap: Ink\n\n"),
        ("package-list/release", "Origin: x\nSuite: stable\nCodename: bittern\nDate: Mon, 11 May 2026 10:00:00 UTC\n"),
        ("fstab/one", "UUID=1 / ext4 defaults 0 1\n/dev/sda2 none swap sw 0 0\nLABEL=var\\040x /var xfs x 0 2\n"),
    ] {
        fs::write(folder.join(name), content)?;
    }
    Ok(())
}

/// Files of made-up installs of every family, small ones.
fn from_installs(folder: &Path) -> Outcome {
    let world = World::load()?;
    let install = world.install("5.0-tideway").or_else(|| world.install("5.0-reedbed")).ok_or("no install")?;
    for (name, family) in Family::ALL {
        let root = folder.join(format!(".root-{name}"));
        saltmarsh::write_install_as(&world, install, *family, &root)?;
        if *family == Family::Dpkg {
            saltmarsh::write_a_week_later(&world, install, &root)?;
        }
        for (target, place) in PLACES {
            let file = root.join(place);
            // Names of packages differ: the first file beside serves as well.
            let file = if file.is_file() { Some(file) } else { beside(&root, place) };
            if let Some(file) = file {
                fs::copy(file, folder.join(target).join(name))?;
            }
        }
        for ending in ["png", "jpg", "jpeg", "webp"] {
            // Near the root: `beside` looks below the first three folders of a place.
            let file = ["usr/share/backgrounds", "usr/share/icons"].iter().find_map(|near| beside(&root, &format!("{near}/any.{ending}")));
            if let Some(file) = file {
                fs::copy(file, folder.join("picture").join(format!("{name}.{ending}")))?;
            }
        }
        if let Ok(database) = fs::read(root.join("usr/lib/sysimage/rpm/Packages.db"))
            && let Some(header) = header_of(&database)
        {
            fs::write(folder.join("rpm-header/one"), header)?;
        }
        fs::remove_dir_all(root)?;
    }
    Ok(())
}

/// A file that is called like the place, or ends like it, somewhere below the same folder near the root.
fn beside(root: &Path, place: &str) -> Option<PathBuf> {
    let place = Path::new(place);
    let name = place.file_name()?.to_str()?;
    let ending = |name: &str| name.rsplit(['.', '_']).next().unwrap_or_default().to_owned();
    let mut waiting = vec![root.join(place.iter().take(3).collect::<PathBuf>())];
    while let Some(folder) = waiting.pop() {
        let mut inside: Vec<PathBuf> = fs::read_dir(folder).ok()?.flatten().map(|entry| entry.path()).collect();
        inside.sort();
        for path in inside {
            let own = path.file_name().and_then(|own| own.to_str()).unwrap_or_default();
            if path.is_dir() {
                waiting.push(path);
            } else if !path.is_file() {
                continue;
            } else if own == name || (ending(own) == ending(name) && ending(name) != name) {
                return Some(path);
            }
        }
    }
    None
}

/// A header of the first package in an ndb database.
fn header_of(database: &[u8]) -> Option<&[u8]> {
    let at = database.windows(4).position(|word| word == b"BlbS")?;
    let length = u32::from_le_bytes(database.get(at + 12..at + 16)?.try_into().ok()?);
    database.get(at + 16..at + 16 + length as usize)
}

/// A record of a deployment: a GVariant of type `(ssasta{sv})`, its offsets at the end.
fn deploy() -> Vec<u8> {
    let mut bytes = b"flats\0".to_vec();
    let origin = bytes.len();
    bytes.extend(b"0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef\0");
    let commit = bytes.len();
    let paths = bytes.len();
    bytes.resize(bytes.len().next_multiple_of(8), 0);
    bytes.extend(4096_u64.to_be_bytes());
    // One entry of the dictionary: a key, and a variant with its type behind a zero.
    let entry = b"appdata-version\0".len();
    bytes.extend(b"appdata-version\0");
    bytes.extend(b"3.2\0\0s");
    bytes.push(u8::try_from(entry).unwrap_or(0));
    bytes.push(24);
    for end in [paths, commit, origin] {
        bytes.push(u8::try_from(end).unwrap_or(0));
    }
    bytes
}

/// The images that tests of the trees read.
fn from_fixtures(folder: &Path) -> Outcome {
    let fixtures = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates");
    fs::copy(fixtures.join("readers/tests/fixtures/marsh.dconf"), folder.join("dconf/one"))?;
    for (target, file) in [
        ("disk", "trees/tests/fixtures/images/zstd.qcow2.zst"),
        ("iso", "trees/tests/fixtures/images/zisofs.iso.zst"),
        ("tar", "trees/tests/fixtures/images/root.tar.zst"),
        ("appimage", "readers/tests/fixtures/whimbrel.AppImage.zst"),
    ] {
        let bytes = unpack_file(fs::read(fixtures.join(file))?, 256 << 20)?;
        let name = Path::new(file).file_stem().unwrap_or_default();
        fs::write(folder.join(target).join(name), bytes)?;
    }
    Ok(())
}
