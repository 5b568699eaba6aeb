//! Snaps, flatpaks and AppImages, each in its real on-disk format.

use super::Root;
use super::squashfs::squashfs;
use crate::world::{AppimageRow, FlatpakRow, SnapRow};
use crate::{Install, World, WorldError};
use std::fmt::Write;

pub(super) fn write(root: &Root<'_>, world: &World, install: &Install) -> Result<(), WorldError> {
    snaps(root, &world.snaps(install))?;
    flatpaks(root, &world.flatpaks(install))?;
    for image in world.appimages(install) {
        appimage(root, image)?;
    }
    Ok(())
}

fn entry(name: &str, generic: &str, categories: &str, command: &str, more: &str) -> String {
    format!(
        "[Desktop Entry]\nType=Application\nName={name}\nGenericName={generic}\nCategories={categories}\nExec={command}\n{more}\n"
    )
}

/// A seed as a fresh image has it: nothing set up yet.
fn snaps(root: &Root<'_>, snaps: &[&SnapRow]) -> Result<(), WorldError> {
    if snaps.is_empty() {
        return Ok(());
    }
    let mut seed = String::from("snaps:\n");
    for snap in snaps {
        let SnapRow { name, version, revision, kind, base, summary, launcher, .. } = *snap;
        let file = format!("{name}_{revision}.snap");
        _ = write!(seed, "  - name: {name}\n    channel: latest/stable\n    file: {file}\n");
        let mut meta =
            format!("name: {name}\nversion: '{version}'\nsummary: {summary}\narchitectures: [amd64]\n");
        if kind != "app" {
            _ = writeln!(meta, "type: {kind}");
        }
        if let Some(base) = base {
            _ = writeln!(meta, "base: {base}");
        }
        if let Some([program, ..]) = launcher {
            _ = writeln!(
                meta,
                "apps:\n  {name}:\n    command: bin/{name}\n    common-id: org.marsh.{program}.desktop"
            );
        }
        let mut files = vec![("meta/snap.yaml", meta.into_bytes())];
        let path = format!("meta/gui/{name}.desktop");
        if let Some([title, generic, categories, more]) = launcher {
            files.push((&path, entry(title, generic, categories, name, more).into_bytes()));
        }
        let body = vec![0x5a; snap.kib as usize * 16];
        files.push(("data", body));
        let files: Vec<(&str, &[u8])> = files.iter().map(|(path, bytes)| (*path, &bytes[..])).collect();
        root.file(&format!("var/lib/snapd/seed/snaps/{file}"), squashfs(&files))?;
    }
    root.file("var/lib/snapd/seed/seed.yaml", seed)
}

fn flatpaks(root: &Root<'_>, flatpaks: &[&FlatpakRow]) -> Result<(), WorldError> {
    const AT: &str = "var/lib/flatpak";
    if flatpaks.is_empty() {
        return Ok(());
    }
    root.file(
        &format!("{AT}/repo/config"),
        "[core]\nrepo_version=1\nmode=bare-user-only\n\n[remote \"tidal-flats\"]\nurl=https://flats.saltmarsh.example/repo/\nxa.title=Tidal Flats\n",
    )?;
    for FlatpakRow { id, sort, branch, version, kib, summary, runtime, launcher, .. } in flatpaks {
        let commit =
            format!("{:064x}", id.bytes().fold(7_u128, |sum, byte| sum.wrapping_mul(131) + u128::from(byte)));
        let folder = format!("{AT}/{sort}/{id}/x86_64/{branch}");
        root.link(&format!("{folder}/active"), &commit)?;
        let mut extras = vec![("appdata-summary", summary.as_str())];
        extras.extend(version.as_deref().map(|version| ("appdata-version", version)));
        root.file(&format!("{folder}/{commit}/deploy"), deploy("tidal-flats", &commit, kib * 1024, &extras))?;
        let metadata = match runtime {
            Some(runtime) => format!("[Application]\nname={id}\nruntime={runtime}\ncommand={id}\n"),
            None => format!("[Runtime]\nname={id}\n"),
        };
        root.file(&format!("{folder}/{commit}/metadata"), metadata)?;
        if let Some([title, generic, categories, more]) = launcher {
            root.link(&format!("{AT}/{sort}/{id}/current"), &format!("x86_64/{branch}"))?;
            let command = format!("/usr/bin/flatpak run --branch={branch} --arch=x86_64 {id}");
            let more = format!("{more}\nX-Flatpak={id}");
            root.file(
                &format!("{folder}/{commit}/export/share/applications/{id}.desktop"),
                entry(title, generic, categories, &command, &more),
            )?;
            root.link(
                &format!("{AT}/exports/share/applications/{id}.desktop"),
                &format!("../../../app/{id}/current/active/export/share/applications/{id}.desktop"),
            )?;
        }
        // What tells when it came, and when it was updated.
        root.time_of_folder(&format!("{folder}/{commit}"))?;
        root.time_of_folder(&format!("{AT}/{sort}/{id}/x86_64"))?;
    }
    Ok(())
}

/// A GVariant of type `(ssasta{sv})`, as flatpak writes it: the size alone is big-endian.
fn deploy(origin: &str, commit: &str, bytes: u64, extras: &[(&str, &str)]) -> Vec<u8> {
    let mut body = Vec::new();
    let mut ends = Vec::new();
    for text in [origin, commit] {
        body.extend_from_slice(text.as_bytes());
        body.push(0);
        ends.push(body.len());
    }
    ends.push(body.len());
    pad(&mut body);
    body.extend_from_slice(&bytes.to_be_bytes());
    let mut dictionary = Vec::new();
    let mut dictionary_ends = Vec::new();
    for (key, value) in extras {
        pad(&mut dictionary);
        let mut one = format!("{key}\0").into_bytes();
        let key_end = one.len();
        pad(&mut one);
        one.extend_from_slice(format!("{value}\0\0s").as_bytes());
        dictionary.extend(framed(one, &[key_end]));
        dictionary_ends.push(dictionary.len());
    }
    body.extend(framed(dictionary, &dictionary_ends));
    ends.reverse();
    framed(body, &ends)
}

fn pad(bytes: &mut Vec<u8>) {
    bytes.resize(bytes.len().next_multiple_of(8), 0);
}

/// Adds framing offsets, each as wide as the whole needs.
fn framed(mut body: Vec<u8>, ends: &[usize]) -> Vec<u8> {
    let width = if body.len() + ends.len() < 256 { 1 } else { 2 };
    for end in ends {
        body.extend_from_slice(&end.to_le_bytes()[..width]);
    }
    body
}

/// An ELF header that says where it ends, and a file system behind it.
fn appimage(root: &Root<'_>, row: &AppimageRow) -> Result<(), WorldError> {
    let AppimageRow { file, id, version, launcher: [title, generic, categories, more], .. } = row;
    let mut head = vec![0_u8; 64];
    head[..11].copy_from_slice(b"\x7fELF\x02\x01\x01\0AI\x02");
    head[40..48].copy_from_slice(&64_u64.to_le_bytes());
    head[58..60].copy_from_slice(&64_u16.to_le_bytes());
    let more = format!("{more}\nX-AppImage-Version={version}");
    let launcher = entry(title, generic, categories, "AppRun", &more);
    let name = format!("{id}.desktop");
    let body = vec![0x5a; 90 * 1024];
    head.extend(squashfs(&[(&name, launcher.as_bytes()), ("usr/bin/program", &body)]));
    root.file(file, head)
}
