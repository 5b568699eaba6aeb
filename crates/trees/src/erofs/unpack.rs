//! How extents are packed.

use std::io::{self, ErrorKind, Read};

/// Unpacks up to so many bytes. What a cluster has before its content is zeros.
pub(super) fn unpack(packed: &[u8], algorithm: u8, most: usize) -> io::Result<Vec<u8>> {
    let bad = |why: String| io::Error::new(ErrorKind::InvalidData, format!("damaged EROFS: {why}"));
    let begin = packed.iter().position(|byte| *byte != 0).unwrap_or(packed.len());
    let packed = &packed[begin..];
    let read = |mut reader: Box<dyn Read + '_>| {
        let mut out = Vec::new();
        match (&mut reader).take(most as u64).read_to_end(&mut out) {
            Err(error) if out.len() < most => Err(error),
            _ => Ok(out),
        }
    };
    match algorithm {
        0 => {
            let mut out = vec![0; most];
            if let Ok(length) = lz4_flex::block::decompress_into(packed, &mut out) {
                out.truncate(length);
                return Ok(out);
            }
            // Of an extent that is used in part there is more.
            let mut out = vec![0; most.saturating_mul(4).max(1 << 20)];
            let length =
                lz4_flex::block::decompress_into(packed, &mut out).map_err(|error| bad(error.to_string()))?;
            out.truncate(length.min(most));
            Ok(out)
        }
        1 => {
            // MicroLZMA: the first byte of a stream, which is always 0, is taken by its settings, each bit turned.
            let Some((settings, rest)) = packed.split_first() else {
                return Err(bad("an extent is empty".to_owned()));
            };
            let mut stream = vec![!settings];
            stream.extend_from_slice(&(16_u32 << 20).to_le_bytes());
            // Without a stated length: of an extent that is used in part there is more.
            stream.extend_from_slice(&u64::MAX.to_le_bytes());
            stream.push(0);
            stream.extend_from_slice(rest);
            let decoder = liblzma::stream::Stream::new_lzma_decoder(256 << 20)
                .map_err(|error| bad(error.to_string()))?;
            read(Box::new(liblzma::read::XzDecoder::new_stream(io::Cursor::new(stream), decoder)))
        }
        2 => read(Box::new(flate2::read::DeflateDecoder::new(packed))),
        3 => read(Box::new(
            ruzstd::decoding::StreamingDecoder::new(packed).map_err(|error| bad(error.to_string()))?,
        )),
        _ => Err(io::Error::new(ErrorKind::Unsupported, "is packed in a way that is not known")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    fn content() -> Vec<u8> {
        (0..20_000_u32).flat_map(|number| (number / 7).to_le_bytes()).collect()
    }

    /// As EROFS stores it: behind zeros, up to the end of a block.
    fn stored(packed: &[u8]) -> Vec<u8> {
        let mut stored = vec![0; packed.len().next_multiple_of(4096) - packed.len()];
        stored.extend_from_slice(packed);
        stored
    }

    #[test]
    fn each_way_of_packing_is_undone_wholly_and_in_part() {
        let content = content();
        let lz4 = lz4_flex::block::compress(&content);
        let mut deflate = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::best());
        deflate.write_all(&content).unwrap();
        let options = liblzma::stream::LzmaOptions::new_preset(6).unwrap();
        let encoder = liblzma::stream::Stream::new_lzma_encoder(&options).unwrap();
        let mut lzma = liblzma::write::XzEncoder::new_stream(Vec::new(), encoder);
        lzma.write_all(&content).unwrap();
        let lzma = lzma.finish().unwrap();
        // MicroLZMA: no head but its settings, turned, in place of the first byte behind it.
        let mut micro = lzma[13..].to_vec();
        assert_eq!(micro[0], 0);
        micro[0] = !lzma[0];
        let zstd =
            ruzstd::encoding::compress_to_vec(&content[..], ruzstd::encoding::CompressionLevel::Fastest);
        for (algorithm, packed) in [(0, lz4), (1, micro), (2, deflate.finish().unwrap()), (3, zstd)] {
            for length in [content.len(), 10_000] {
                let unpacked = unpack(&stored(&packed), algorithm, length).unwrap();
                assert!(unpacked == content[..length], "way {algorithm}, {length} bytes");
            }
        }
        assert!(unpack(&stored(b"xyz"), 9, 10).is_err());
    }
}
