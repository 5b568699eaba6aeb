//! What belongs to no package: the merged `/usr`, os-release, the chosen display manager.

use super::Root;
use crate::{Install, WorldError};

pub(super) fn write(root: &Root<'_>, install: &Install) -> Result<(), WorldError> {
    for folder in ["bin", "sbin", "lib"] {
        root.file(&format!("usr/{folder}/.keep"), "")?;
        root.link(folder, &format!("usr/{folder}"))?;
    }
    root.link("etc/os-release", "../usr/lib/os-release")?;
    root.file("usr/lib/os-release", os_release(install))?;
    root.link("usr/bin/sh", "dash")?;
    root.file("usr/bin/env", "")?;
    root.file("usr/bin/xdg-open", "")?;
    root.link("etc/systemd/system/display-manager.service", "/usr/lib/systemd/system/lockgate.service")?;
    root.file("etc/X11/default-display-manager", "/usr/sbin/lockgate\n")
}

fn os_release(install: &Install) -> String {
    let Install { version_id, codename, variant, support_end, .. } = install;
    let lower = codename.to_lowercase();
    format!(
        "PRETTY_NAME=\"Saltmarsh Linux {version_id} ({codename})\"\nNAME=\"Saltmarsh Linux\"\nID=saltmarsh\nID_LIKE=fenland\n\
         VERSION_ID=\"{version_id}\"\nVERSION=\"{version_id} ({codename})\"\nVERSION_CODENAME={lower}\nVARIANT=\"{variant}\"\n\
         SUPPORT_END={support_end}\nHOME_URL=\"https://saltmarsh.example/\"\n"
    )
}
