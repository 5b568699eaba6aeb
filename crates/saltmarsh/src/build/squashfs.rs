//! Writes SquashFS 4.0 images, nothing in them packed: snaps and AppImages of the made-up world.

use std::collections::BTreeMap;

/// The block size that the image states.
const BLOCK: usize = 131_072;
/// What one block of a table holds.
const TABLE_BLOCK: usize = 8192;

/// A folder or a file of the image.
enum Node<'a> {
    Folder(BTreeMap<&'a str, Node<'a>>),
    File(&'a [u8]),
}

/// Where an inode is in its table.
#[derive(Clone, Copy)]
struct Place {
    block: u32,
    offset: u16,
    number: u32,
}

#[derive(Default)]
struct Image {
    data: Vec<u8>,
    inodes: Vec<u8>,
    listings: Vec<u8>,
    count: u32,
}

/// An image with these files, by path.
pub fn squashfs(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut root = BTreeMap::new();
    for (path, content) in files {
        insert(&mut root, path, content);
    }
    let mut image = Image { data: vec![0; 96], ..Image::default() };
    let place = image.folder(&root);
    image.finish(place)
}

fn insert<'a>(folder: &mut BTreeMap<&'a str, Node<'a>>, path: &'a str, content: &'a [u8]) {
    match path.split_once('/') {
        None => _ = folder.insert(path, Node::File(content)),
        Some((first, rest)) => {
            if let Node::Folder(below) = folder.entry(first).or_insert_with(|| Node::Folder(BTreeMap::new()))
            {
                insert(below, rest, content);
            }
        }
    }
}

impl Image {
    fn folder(&mut self, names: &BTreeMap<&str, Node<'_>>) -> Place {
        let mut listing = Vec::new();
        for (name, node) in names {
            let (sort, place) = match node {
                Node::Folder(below) => (1_u16, self.folder(below)),
                Node::File(content) => (2, self.file(content)),
            };
            // A header for each name: no more than one entry shares it.
            for word in [0, place.block, place.number] {
                listing.extend_from_slice(&word.to_le_bytes());
            }
            for half in [place.offset, 0, sort, name.len() as u16 - 1] {
                listing.extend_from_slice(&half.to_le_bytes());
            }
            listing.extend_from_slice(name.as_bytes());
        }
        let start = spot(self.listings.len());
        let length = listing.len() as u16 + 3;
        self.listings.extend(listing);
        let mut rest = start.0.to_le_bytes().to_vec();
        rest.extend_from_slice(&2_u32.to_le_bytes());
        rest.extend_from_slice(&length.to_le_bytes());
        rest.extend_from_slice(&start.1.to_le_bytes());
        rest.extend_from_slice(&(self.count + 1).to_le_bytes());
        self.inode(1, 0o755, &rest)
    }

    fn file(&mut self, content: &[u8]) -> Place {
        let mut rest = Vec::new();
        for word in [self.data.len() as u32, u32::MAX, 0, content.len() as u32] {
            rest.extend_from_slice(&word.to_le_bytes());
        }
        for block in content.chunks(BLOCK) {
            rest.extend_from_slice(&(block.len() as u32 | 1 << 24).to_le_bytes());
        }
        self.data.extend_from_slice(content);
        self.inode(2, 0o644, &rest)
    }

    fn inode(&mut self, sort: u16, mode: u16, rest: &[u8]) -> Place {
        self.count += 1;
        let (block, offset) = spot(self.inodes.len());
        for half in [sort, mode, 0, 0] {
            self.inodes.extend_from_slice(&half.to_le_bytes());
        }
        self.inodes.extend_from_slice(&1_900_000_000_u32.to_le_bytes());
        self.inodes.extend_from_slice(&self.count.to_le_bytes());
        self.inodes.extend_from_slice(rest);
        Place { block, offset, number: self.count }
    }

    fn finish(self, root: Place) -> Vec<u8> {
        let mut image = self.data;
        let inodes = table(&mut image, &self.inodes);
        let listings = table(&mut image, &self.listings);
        let owners_block = image.len() as u64;
        image.extend_from_slice(&(4_u16 | 0x8000).to_le_bytes());
        image.extend_from_slice(&[0; 4]);
        let owners = image.len() as u64;
        image.extend_from_slice(&owners_block.to_le_bytes());
        let mut head = Vec::new();
        head.extend_from_slice(b"hsqs");
        for word in [self.count, 1_900_000_000, BLOCK as u32, 0] {
            head.extend_from_slice(&word.to_le_bytes());
        }
        // Packed with gzip, were anything packed; inodes, data and ends are stored as they are; no ends, no attributes.
        for half in [1_u16, 17, 0x0001 | 0x0002 | 0x0008 | 0x0010 | 0x0200 | 0x0800, 1, 4, 0] {
            head.extend_from_slice(&half.to_le_bytes());
        }
        let reference = u64::from(root.block) << 16 | u64::from(root.offset);
        let none = u64::MAX;
        for long in [reference, image.len() as u64, owners, none, inodes, listings, none, none] {
            head.extend_from_slice(&long.to_le_bytes());
        }
        image[..96].copy_from_slice(&head);
        image
    }
}

/// Block and offset of a position in a table; each block has two bytes ahead of it.
fn spot(position: usize) -> (u32, u16) {
    ((position / TABLE_BLOCK * (TABLE_BLOCK + 2)) as u32, (position % TABLE_BLOCK) as u16)
}

fn table(image: &mut Vec<u8>, content: &[u8]) -> u64 {
    let start = image.len() as u64;
    for block in content.chunks(TABLE_BLOCK) {
        image.extend_from_slice(&(block.len() as u16 | 0x8000).to_le_bytes());
        image.extend_from_slice(block);
    }
    start
}
