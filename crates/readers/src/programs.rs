//! Programs of a tree, by the folders that shells look through.

use tally_trees::Tree;

/// Where programs are, those that a shell asks first ahead.
pub(crate) const PROGRAM_FOLDERS: &[&str] = &[
    "usr/local/sbin",
    "usr/local/bin",
    "usr/sbin",
    "usr/bin",
    "sbin",
    "bin",
    "usr/local/games",
    "usr/games",
    "nix/var/nix/profiles/system/sw/bin",
    "nix/var/nix/profiles/system/sw/sbin",
    "var/guix/profiles/system/profile/bin",
    "var/guix/profiles/system/profile/sbin",
    "snap/bin",
];

/// Which programs a tree holds.
pub(crate) struct Programs<'t> {
    tree: Option<&'t dyn Tree>,
    known: bool,
}

impl<'t> Programs<'t> {
    /// A tree with no shell in it holds no programs (a collection of databases and launchers does not).
    pub(crate) fn of(tree: &'t dyn Tree) -> Self {
        Self { tree: Some(tree), known: tree.exists("bin/sh") || tree.exists("usr/bin/env") }
    }

    /// Nothing is known of programs.
    pub(crate) const fn untold() -> Self {
        Self { tree: None, known: false }
    }

    /// Whether the tree can tell that a program is missing.
    pub(crate) const fn known(&self) -> bool {
        self.known
    }

    /// Whether a command is there; `None` when the tree can't tell.
    pub(crate) fn has(&self, command: &str) -> Option<bool> {
        let tree = self.tree.filter(|_| self.known)?;
        Some(if command.contains('/') {
            tree.exists(command)
        } else {
            PROGRAM_FOLDERS.iter().any(|folder| tree.exists(format!("{folder}/{command}")))
        })
    }
}
