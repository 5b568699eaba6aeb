//! Writes an install in its real on-disk format.

mod apk;
mod catalogs;
mod dpkg;
mod draw;
mod eopkg;
mod freebsd;
mod item;
mod pacman;
mod portage;
mod rpm;
mod sandbox;
mod settings;
mod shape;
mod slackware;
mod squashfs;
mod store;
mod system;
mod xbps;

pub use rpm::RpmStore;
pub use squashfs::squashfs;

use crate::{Family, Install, World, WorldError};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// Writes files, links and folders below one root.
pub(crate) struct Root<'a> {
    folder: &'a Path,
    /// When what is written now came, seconds since 1970 UTC.
    moment: u64,
}

impl Root<'_> {
    fn at(&self, path: &str) -> Result<PathBuf, WorldError> {
        let path = self.folder.join(path);
        if let Some(parent) = path.parent() {
            fs::create_dir_all(parent)
                .map_err(|source| WorldError::Io { path: parent.to_owned(), source })?;
        }
        Ok(path)
    }

    pub(crate) fn file(&self, path: &str, content: impl AsRef<[u8]>) -> Result<(), WorldError> {
        let path = self.at(path)?;
        self.write_at(&path, content.as_ref(), self.moment).map_err(|source| WorldError::Io { path, source })
    }

    /// A file that was last written at another moment than all the others.
    pub(crate) fn file_of(
        &self,
        path: &str,
        content: impl AsRef<[u8]>,
        moment: u64,
    ) -> Result<(), WorldError> {
        let path = self.at(path)?;
        self.write_at(&path, content.as_ref(), moment).map_err(|source| WorldError::Io { path, source })
    }

    fn write_at(&self, path: &Path, content: &[u8], moment: u64) -> std::io::Result<()> {
        let mut file = fs::File::create(path)?;
        file.write_all(content)?;
        file.set_modified(SystemTime::UNIX_EPOCH + Duration::from_secs(moment))
    }

    /// Gives a folder the time of the install, whatever was put in it since.
    pub(crate) fn time_of_folder(&self, path: &str) -> Result<(), WorldError> {
        let path = self.folder.join(path);
        let set = |path: &Path| {
            fs::File::open(path)?.set_modified(SystemTime::UNIX_EPOCH + Duration::from_secs(self.moment))
        };
        set(&path).map_err(|source| WorldError::Io { path, source })
    }

    /// Takes a file away, if it is there.
    pub(crate) fn remove(&self, path: &str) -> Result<(), WorldError> {
        let path = self.folder.join(path);
        match fs::remove_file(&path) {
            Err(source) if source.kind() != std::io::ErrorKind::NotFound => {
                Err(WorldError::Io { path, source })
            }
            _ => Ok(()),
        }
    }

    /// Lets everybody run a file that was written.
    pub(crate) fn executable(&self, path: &str) -> Result<(), WorldError> {
        use std::os::unix::fs::PermissionsExt;
        let path = self.at(path)?;
        fs::set_permissions(&path, fs::Permissions::from_mode(0o755))
            .map_err(|source| WorldError::Io { path, source })
    }

    pub(crate) fn link(&self, path: &str, target: &str) -> Result<(), WorldError> {
        let path = self.at(path)?;
        match std::os::unix::fs::symlink(target, &path) {
            Err(source) if source.kind() != std::io::ErrorKind::AlreadyExists => {
                Err(WorldError::Io { path, source })
            }
            _ => Ok(()),
        }
    }
}

/// A whole install: package database, the files that packages bring, and the system's own configuration.
pub(crate) fn root(
    world: &World,
    install: &Install,
    family: Family,
    folder: &Path,
) -> Result<(), WorldError> {
    let root = Root { folder, moment: item::INSTALLED_AT };
    let packages = world.shipped(install);
    system::write(&root, install, &packages)?;
    match family {
        Family::Dpkg => {
            system::repositories(&root, install, &packages)?;
            dpkg::write(&root, install, &packages)?;
            dpkg::lists(&root, world, install)?;
            catalogs::write(&root, world, install)?;
        }
        Family::Rpm(store) => {
            rpm::write(&root, install, &packages, store)?;
            rpm::lists(&root, &world.archive(install), store)?;
        }
        Family::Pacman => {
            pacman::write(&root, install, &packages)?;
            pacman::lists(&root, &world.archive(install))?;
        }
        Family::Apk => {
            apk::write(&root, install, &packages)?;
            apk::lists(&root, &world.archive(install))?;
        }
        Family::Eopkg => {
            eopkg::write(&root, install, &packages)?;
            eopkg::lists(&root, &world.archive(install))?;
        }
        Family::FreebsdPkg => {
            freebsd::write(&root, install, &packages)?;
            freebsd::lists(&root, &world.archive(install))?;
        }
        Family::Portage => {
            portage::write(&root, install, &packages)?;
            portage::lists(&root, &world.archive(install))?;
        }
        Family::Xbps => {
            xbps::write(&root, install, &packages)?;
            xbps::lists(&root, &world.archive(install))?;
        }
        Family::Slackware => {
            slackware::write(&root, install, &packages)?;
            slackware::lists(&root, &world.archive(install))?;
        }
        Family::Nix => store::write(&root, install, &packages, store::NIX)?,
        Family::Guix => store::write(&root, install, &packages, store::GUIX)?,
    }
    sandbox::write(&root, world, install)
}

/// A week later on an install of Debian packages that was written: what its owner added, updated and removed.
pub(crate) fn later(
    world: &World,
    after: &Install,
    later: &Install,
    folder: &Path,
) -> Result<(), WorldError> {
    let root = Root { folder, moment: item::INSTALLED_AT + dpkg::WEEK };
    let (before, now) = (world.shipped(after), world.shipped(later));
    dpkg::write_later(&root, later, &before, &now)
}

/// Texts, a line each.
fn lines<T: AsRef<str>>(texts: impl IntoIterator<Item = T>) -> String {
    texts.into_iter().fold(String::new(), |all, text| all + text.as_ref() + "\n")
}

/// Packs bytes as `gzip` does.
fn gzip(bytes: &[u8]) -> std::io::Result<Vec<u8>> {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packed.write_all(bytes)?;
    packed.finish()
}
