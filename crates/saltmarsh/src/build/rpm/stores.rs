//! The three formats that rpm keeps headers in: SQLite, ndb, and a hash file of Berkeley DB.

use crate::WorldError;
use rusqlite::Connection;
use std::path::Path;

/// Tables that rpm looks things up in. It makes them anew from the headers, so they may be empty; they must be there.
const INDEXES: &[&str] = &[
    "Name",
    "Basenames",
    "Group",
    "Requirename",
    "Providename",
    "Conflictname",
    "Obsoletename",
    "Triggername",
    "Dirnames",
    "Installtid",
    "Sigmd5",
    "Sha1header",
    "Filetriggername",
    "Transfiletriggername",
    "Recommendname",
    "Suggestname",
    "Supplementname",
    "Enhancename",
];

/// A database of SQLite: the table that counts, and the indexes.
pub(super) fn sqlite(path: &Path, blobs: &[Vec<u8>]) -> Result<(), WorldError> {
    let write = || -> rusqlite::Result<()> {
        let connection = Connection::open(path)?;
        connection.execute_batch(
            "CREATE TABLE Packages (hnum INTEGER PRIMARY KEY AUTOINCREMENT, blob BLOB NOT NULL); BEGIN;",
        )?;
        for index in INDEXES {
            connection.execute_batch(&format!(
                "CREATE TABLE '{index}' (key TEXT NOT NULL, hnum INTEGER NOT NULL, idx INTEGER NOT NULL);
                 CREATE INDEX '{index}_key_idx' ON '{index}'(key ASC); CREATE INDEX '{index}_hnum_idx' ON '{index}'(hnum ASC);"
            ))?;
        }
        let mut insert = connection.prepare("INSERT INTO Packages (hnum, blob) VALUES (?1, ?2)")?;
        for (number, blob) in (1..).zip(blobs) {
            insert.execute((number, blob))?;
        }
        drop(insert);
        connection.execute_batch("COMMIT;")
    };
    write().map_err(|source| WorldError::Database { path: path.to_owned(), source })
}

const BLOCK: usize = 16;

/// Slots, then the blobs that they point to.
pub(super) fn ndb(blobs: &[Vec<u8>]) -> Vec<u8> {
    let pages = (blobs.len() + 2).div_ceil(256);
    let mut file = vec![0; pages * 4096];
    let head: [u32; 5] = [u32::from_le_bytes(*b"RpmP"), 0, 1, pages as u32, blobs.len() as u32 + 1];
    for (at, word) in head.iter().enumerate() {
        file[at * 4..at * 4 + 4].copy_from_slice(&word.to_le_bytes());
    }
    for slot in 2..pages * 256 {
        file[slot * 16..slot * 16 + 4].copy_from_slice(b"Slot");
    }
    for (number, blob) in (1_u32..).zip(blobs) {
        let block = file.len() / BLOCK;
        let mut bytes = b"BlbS".to_vec();
        for word in [number, 1, blob.len() as u32] {
            bytes.extend_from_slice(&word.to_le_bytes());
        }
        bytes.extend_from_slice(blob);
        // The last twelve bytes of the last block are the tail.
        bytes.resize((bytes.len() + 12).next_multiple_of(BLOCK) - 12, 0);
        let sum = simd_adler32::adler32(&bytes.as_slice());
        bytes.extend_from_slice(&sum.to_le_bytes());
        bytes.extend_from_slice(&(blob.len() as u32).to_le_bytes());
        bytes.extend_from_slice(b"BlbE");
        let slot = (number as usize + 1) * 16;
        for (at, word) in [number, block as u32, (bytes.len() / BLOCK) as u32].iter().enumerate() {
            file[slot + 4 + at * 4..slot + 8 + at * 4].copy_from_slice(&word.to_le_bytes());
        }
        file.extend(bytes);
    }
    file
}

const PAGE: usize = 4096;
const HEAD: usize = 26;

/// A hash file in the given byte order: each blob in a chain of pages of its own, the keys in as few pages as hold them.
pub(super) fn berkeley(blobs: &[Vec<u8>], big_endian: bool) -> Vec<u8> {
    let word = |number: usize| {
        let number = number as u32;
        if big_endian { number.to_be_bytes() } else { number.to_le_bytes() }
    };
    let half = |number: usize| {
        let number = number as u16;
        if big_endian { number.to_be_bytes() } else { number.to_le_bytes() }
    };
    let mut pages: Vec<Vec<u8>> = vec![vec![0; PAGE]];
    let mut entries = vec![([1_u8, 0, 0, 0, 0].to_vec(), [&[1_u8][..], &word(blobs.len())].concat())];
    for (number, blob) in (1..).zip(blobs) {
        let first = pages.len();
        let parts: Vec<&[u8]> = blob.chunks(PAGE - HEAD).collect();
        for (at, part) in parts.iter().enumerate() {
            let mut page = vec![0; PAGE];
            let this = first + at;
            let next = if at + 1 == parts.len() { 0 } else { this + 1 };
            page[8..12].copy_from_slice(&word(this));
            page[16..20].copy_from_slice(&word(next));
            page[20..22].copy_from_slice(&half(1));
            page[22..24].copy_from_slice(&half(part.len()));
            page[25] = 7;
            page[HEAD..HEAD + part.len()].copy_from_slice(part);
            pages.push(page);
        }
        let value = [&[3_u8, 0, 0, 0][..], &word(first), &word(blob.len())].concat();
        entries.push(([&[1_u8][..], &word(number)].concat(), value));
    }
    // One bucket holds everything: its pages are a chain.
    let bucket = pages.len();
    let mut waiting = &entries[..];
    while !waiting.is_empty() {
        let (mut page, held) = hash_page(waiting, pages.len(), &word, &half);
        waiting = &waiting[held..];
        let before = if pages.len() == bucket { 0 } else { pages.len() - 1 };
        let after = if waiting.is_empty() { 0 } else { pages.len() + 1 };
        page[12..16].copy_from_slice(&word(before));
        page[16..20].copy_from_slice(&word(after));
        pages.push(page);
    }
    let last = pages.len() - 1;
    let meta = &mut pages[0];
    let spare = (96, word(bucket));
    for (at, bytes) in [(12, word(0x0006_1561)), (16, word(9)), (20, word(PAGE)), (32, word(last)), spare] {
        meta[at..at + 4].copy_from_slice(&bytes);
    }
    meta[25] = 8;
    pages.concat()
}

/// A page of keys and values, filled from its end; also how many pairs it took.
fn hash_page(
    entries: &[(Vec<u8>, Vec<u8>)],
    number: usize,
    word: &dyn Fn(usize) -> [u8; 4],
    half: &dyn Fn(usize) -> [u8; 2],
) -> (Vec<u8>, usize) {
    let mut page = vec![0; PAGE];
    let (mut free, mut held) = (PAGE, 0);
    for (key, value) in entries {
        if free < HEAD + (held + 1) * 4 + key.len() + value.len() {
            break;
        }
        for (at, item) in [(held * 2, key), (held * 2 + 1, value)] {
            free -= item.len();
            page[free..free + item.len()].copy_from_slice(item);
            page[HEAD + at * 2..HEAD + at * 2 + 2].copy_from_slice(&half(free));
        }
        held += 1;
    }
    page[8..12].copy_from_slice(&word(number));
    page[20..22].copy_from_slice(&half(held * 2));
    page[22..24].copy_from_slice(&half(free));
    page[25] = 13;
    (page, held)
}
