//! Writes an install of the made-up world, for whoever wants to ask a package system's own tool about it.
//! Run as `write KEY FAMILY FOLDER`; without arguments it names the families.

use saltmarsh::{Family, World, write_install_as};
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let families: Vec<&str> = Family::ALL.iter().map(|(name, _)| *name).collect();
    let usage = format!("usage: write KEY {} FOLDER", families.join("|"));
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [key, family, folder] = &arguments[..] else { return Err(usage.into()) };
    let family = Family::from_name(family).ok_or(usage)?;
    let world = World::load()?;
    let install = world.install(key).ok_or("no install of that key")?;
    Ok(write_install_as(&world, install, family, Path::new(folder))?)
}
