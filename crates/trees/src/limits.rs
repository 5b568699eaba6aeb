//! What an input may ask of the program: every tree and every decoder holds to these numbers.

/// Numbers that no input may exceed. An install is a stranger's: what it states is believed only up to here.
///
/// `docs/formats/limits.md` lists them for users; a test holds the two together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Bytes of a path inside a tree, as `PATH_MAX` on Linux.
    pub path_bytes: usize,
    /// Folders that are inside one another.
    pub path_depth: usize,
    /// Names in one folder.
    pub folder_names: usize,
    /// Files, folders and links in one archive or image.
    pub entries: usize,
    /// Names that are looked at below one folder.
    pub walked_names: usize,
    /// Bytes of the target of a link.
    pub link_target_bytes: usize,
    /// Links that are followed for one path, as on Linux.
    pub links_followed: usize,
    /// Bytes of tables that describe an image: names, listings, lists of blocks.
    pub metadata_bytes: u64,
    /// Bytes of a file that is read whole.
    pub file_bytes: u64,
    /// Bytes that packed files may hold in all, holes included.
    pub unpacked_bytes: u64,
    /// Bytes that are written to temporary files in all; holes are not written.
    pub spooled_bytes: u64,
    /// How many times larger than a packed file its content may be, holes not counted.
    pub unpacked_ratio: u64,
    /// Archives, images and disks that are inside one another.
    pub nesting: usize,
    /// Images, file systems and partitions that are opened inside one source.
    pub images: usize,
    /// Pieces of an image that one file may lie in.
    pub extents: usize,
    /// Blocks of a tree of an image that are entered on one walk.
    pub visited_blocks: usize,
}

/// The limits that are in force.
pub const LIMITS: Limits = Limits {
    path_bytes: 4096,
    path_depth: 256,
    folder_names: 1_000_000,
    entries: 4_000_000,
    walked_names: 1_000_000,
    link_target_bytes: 4096,
    links_followed: 40,
    metadata_bytes: 64 << 20,
    file_bytes: 256 << 20,
    unpacked_bytes: 256 << 30,
    spooled_bytes: 64 << 30,
    unpacked_ratio: 2000,
    nesting: 8,
    images: 1000,
    extents: 2_000_000,
    visited_blocks: 16_000_000,
};

impl Limits {
    /// Each limit with its name, in the order of the documentation.
    pub fn all(&self) -> [(&'static str, u64); 16] {
        [
            ("path_bytes", self.path_bytes as u64),
            ("path_depth", self.path_depth as u64),
            ("folder_names", self.folder_names as u64),
            ("entries", self.entries as u64),
            ("walked_names", self.walked_names as u64),
            ("link_target_bytes", self.link_target_bytes as u64),
            ("links_followed", self.links_followed as u64),
            ("metadata_bytes", self.metadata_bytes),
            ("file_bytes", self.file_bytes),
            ("unpacked_bytes", self.unpacked_bytes),
            ("spooled_bytes", self.spooled_bytes),
            ("unpacked_ratio", self.unpacked_ratio),
            ("nesting", self.nesting as u64),
            ("images", self.images as u64),
            ("extents", self.extents as u64),
            ("visited_blocks", self.visited_blocks as u64),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_page_for_users_states_every_limit() {
        let page = include_str!("../../../docs/formats/limits.md");
        for (name, value) in LIMITS.all() {
            let row = format!("| `{name}` | {value} |");
            assert!(page.contains(&row), "docs/formats/limits.md lacks the row `{row}`");
        }
        assert_eq!(page.matches("\n| `").count(), LIMITS.all().len(), "the page has rows of its own");
    }
}
