//! Whether a JPEG file is all there.
//!
//! The decoder fills what is missing of a cut file with grey, which must never reach a print unnoticed.

use std::io::{self, BufRead, Read};

const SOI: u8 = 0xD8;
const EOI: u8 = 0xD9;
const SOS: u8 = 0xDA;

/// Walks the markers of ITU-T T.81 Annex B up to the end of the first picture in the file.
///
/// Thumbnails inside segments are skipped with their segment, and what follows the end does not matter.
pub fn is_complete(file: impl BufRead) -> io::Result<bool> {
    match walk(file) {
        Ok(()) => Ok(true),
        Err(e) if e.kind() == io::ErrorKind::UnexpectedEof => Ok(false),
        Err(e) => Err(e),
    }
}

fn walk(mut file: impl BufRead) -> io::Result<()> {
    let mut marker = next_marker(&mut file)?;
    while marker != EOI {
        let stands_alone = marker == SOI || marker == 0x01 || (0xD0..=0xD7).contains(&marker);
        if !stands_alone {
            let length = u16::from_be_bytes([byte(&mut file)?, byte(&mut file)?]);
            skip(&mut file, u64::from(length.saturating_sub(2)))?;
        }
        // After a start of scan follows entropy-coded data, in which FF 00 stands for the byte FF.
        marker = next_marker(&mut file)?;
        while marker == 0x00 || (marker != SOS && (0xD0..=0xD7).contains(&marker)) {
            marker = next_marker(&mut file)?;
        }
    }
    Ok(())
}

/// The code after the next FF; FF itself may be repeated before it.
fn next_marker(file: &mut impl BufRead) -> io::Result<u8> {
    file.skip_until(0xFF)?;
    loop {
        let code = byte(file)?;
        if code != 0xFF {
            return Ok(code);
        }
    }
}

fn byte(file: &mut impl BufRead) -> io::Result<u8> {
    let mut one = [0];
    file.read_exact(&mut one)?;
    Ok(one[0])
}

fn skip(file: &mut impl BufRead, count: u64) -> io::Result<()> {
    let skipped = io::copy(&mut file.take(count), &mut io::sink())?;
    if skipped < count { Err(io::ErrorKind::UnexpectedEof.into()) } else { Ok(()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn jpeg() -> Vec<u8> {
        let picture =
            image::RgbImage::from_fn(64, 48, |x, y| image::Rgb([(x * 4) as u8, (y * 5) as u8, (x * y) as u8]));
        let mut bytes = Vec::new();
        image::codecs::jpeg::JpegEncoder::new(&mut bytes).encode_image(&picture).unwrap();
        bytes
    }

    #[test]
    fn a_whole_file_is_complete_with_or_without_a_trailer() {
        let mut bytes = jpeg();
        assert!(is_complete(&bytes[..]).unwrap());
        bytes.extend_from_slice(b"what a telephone appends");
        assert!(is_complete(&bytes[..]).unwrap());
    }

    #[test]
    fn a_cut_anywhere_is_noticed() {
        let bytes = jpeg();
        for length in (0..bytes.len() - 1).step_by(7) {
            assert!(!is_complete(&bytes[..length]).unwrap(), "{length} of {}", bytes.len());
        }
    }
}
