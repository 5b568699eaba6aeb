use crate::shielded;
use std::io::{self, Read};

/// Unpacks a whole file by what its first bytes say it is packed with: gzip, xz, lz4 frame, zstd. A file that is not
/// packed comes back as it is.
///
/// # Errors
/// When the packed data is damaged, or holds more than `limit` bytes.
pub fn unpack_file(bytes: Vec<u8>, limit: u64) -> io::Result<Vec<u8>> {
    shielded(|| unpack(bytes, limit)).unwrap_or_else(|why| Err(io::Error::other(why)))
}

fn unpack(bytes: Vec<u8>, limit: u64) -> io::Result<Vec<u8>> {
    let packed: &[u8] = &bytes;
    let reader: Box<dyn Read + '_> = match packed {
        [0x1f, 0x8b, ..] => Box::new(flate2::read::MultiGzDecoder::new(packed)),
        [0xfd, b'7', b'z', b'X', b'Z', ..] => Box::new(liblzma::read::XzDecoder::new_multi_decoder(packed)),
        [0x04, 0x22, 0x4d, 0x18, ..] => Box::new(lz4_flex::frame::FrameDecoder::new(packed)),
        [0x28, 0xb5, 0x2f, 0xfd, ..] => Box::new(
            ruzstd::decoding::StreamingDecoder::new(packed)
                .map_err(|error| io::Error::other(error.to_string()))?,
        ),
        _ => return Ok(bytes),
    };
    let mut unpacked = Vec::new();
    reader.take(limit.saturating_add(1)).read_to_end(&mut unpacked)?;
    if unpacked.len() as u64 > limit {
        return Err(io::Error::other(format!("contains more than {limit} bytes")));
    }
    Ok(unpacked)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packed_and_plain_files_come_back_alike() {
        // `printf 'tide tide tide\n'` through gzip, xz, lz4 and zstd.
        let gz: &[u8] = include_bytes!("../tests/fixtures/tide.gz");
        let xz: &[u8] = include_bytes!("../tests/fixtures/tide.xz");
        let lz4: &[u8] = include_bytes!("../tests/fixtures/tide.lz4");
        let zst: &[u8] = include_bytes!("../tests/fixtures/tide.zst");
        for packed in [gz, xz, lz4, zst, b"tide tide tide\n"] {
            assert_eq!(unpack_file(packed.to_vec(), 100).unwrap(), b"tide tide tide\n");
        }
        for packed in [gz, xz, lz4, zst] {
            assert!(unpack_file(packed.to_vec(), 5).is_err(), "a limit holds");
            assert!(unpack_file(packed[..packed.len() / 2].to_vec(), 100).is_err(), "a cut file is an error");
        }
    }
}
