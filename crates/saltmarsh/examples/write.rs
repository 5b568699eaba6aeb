//! Writes an install of the made-up world, for whoever wants to ask a package system's own tool about it.
//! Run as `write KEY dpkg|pacman FOLDER`.

use saltmarsh::{Family, World, write_install_as};
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let usage = "usage: write KEY dpkg|pacman FOLDER";
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [key, family, folder] = &arguments[..] else { return Err(usage.into()) };
    let family = match family.as_str() {
        "dpkg" => Family::Dpkg,
        "pacman" => Family::Pacman,
        _ => return Err(usage.into()),
    };
    let world = World::load()?;
    let install = world.install(key).ok_or("no install of that key")?;
    Ok(write_install_as(&world, install, family, Path::new(folder))?)
}
