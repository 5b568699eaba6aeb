//! Saltmarsh: a made-up distribution, written as real on-disk installs.
//!
//! The demo shows it, and the tests of every reader read it. The story is data (`world/*.toml`); the builders write each
//! package system's real on-disk format. Nothing in it is random: the same world comes out every time.

mod build;
mod error;
mod world;

pub use build::{RpmStore, squashfs};
pub use error::WorldError;
pub use world::{Install, World};

use std::path::Path;

/// The package system that an install of the world is written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Family {
    /// As Fenland and Saltmarsh are.
    Dpkg,
    /// The same packages, as another family would keep them; rpm in one of its formats.
    Rpm(RpmStore),
    /// The same packages in pacman's.
    Pacman,
    /// In apk's.
    Apk,
    /// In eopkg's.
    Eopkg,
    /// In FreeBSD's.
    FreebsdPkg,
    /// In Portage's.
    Portage,
    /// In that of XBPS.
    Xbps,
    /// In Slackware's.
    Slackware,
    /// In the store of Nix.
    Nix,
    /// In that of Guix.
    Guix,
}

impl Family {
    /// Every family with its name; rpm's first format has the plain one.
    pub const ALL: &[(&'static str, Self)] = &[
        ("dpkg", Self::Dpkg),
        ("rpm", Self::Rpm(RpmStore::Sqlite)),
        ("rpm-ndb", Self::Rpm(RpmStore::Ndb)),
        ("rpm-berkeley", Self::Rpm(RpmStore::Berkeley)),
        ("rpm-berkeley-big-endian", Self::Rpm(RpmStore::BerkeleyBigEndian)),
        ("pacman", Self::Pacman),
        ("apk", Self::Apk),
        ("eopkg", Self::Eopkg),
        ("freebsd-pkg", Self::FreebsdPkg),
        ("portage", Self::Portage),
        ("xbps", Self::Xbps),
        ("slackware", Self::Slackware),
        ("nix", Self::Nix),
        ("guix", Self::Guix),
    ];

    /// The family of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().find(|(known, _)| *known == name).map(|(_, family)| *family)
    }
}

/// Writes an install of the world in another family's format.
///
/// # Errors
/// When a file can't be written.
pub fn write_install_as(
    world: &World,
    install: &Install,
    family: Family,
    folder: &Path,
) -> Result<(), WorldError> {
    build::root(world, install, family, folder)
}

/// Goes on with the story of an install that [`write_install`] wrote: a week later its owner has added, updated and removed
/// packages. Returns whether its story goes on at all.
///
/// # Errors
/// When a file can't be written.
pub fn write_a_week_later(world: &World, install: &Install, folder: &Path) -> Result<bool, WorldError> {
    let Some(later) = world.a_week_later(&install.key) else { return Ok(false) };
    build::later(world, install, later, folder)?;
    Ok(true)
}

/// Writes one install of the world as a root file system below `folder`, which is made when missing.
///
/// # Errors
/// When a file can't be written.
pub fn write_install(world: &World, install: &Install, folder: &Path) -> Result<(), WorldError> {
    build::root(world, install, Family::Dpkg, folder)
}
