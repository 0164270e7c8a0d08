//! Whether a JPEG file is all there.
//!
//! The decoder fills what is missing of a cut file with grey, which must never reach a print unnoticed.

use std::io::{self, BufRead, Read};

const SOI: u8 = 0xD8;
/// The end of a picture.
pub(super) const EOI: u8 = 0xD9;
/// The start of a scan.
pub(super) const SOS: u8 = 0xDA;

/// Walks the markers of ITU-T T.81 Annex B up to the end of the first picture in the file, and looks whether a progressive file has
/// the scans that its picture needs.
///
/// Thumbnails inside segments are skipped with their segment, and what follows the end does not matter.
pub fn is_complete(file: impl BufRead) -> io::Result<bool> {
    match walk(file) {
        Ok(scans) => Ok(scans.are_all_there()),
        Err(e) if e.kind() == io::ErrorKind::UnexpectedEof => Ok(false),
        Err(e) => Err(e),
    }
}

/// Which coefficients of which component were given to the last bit.
#[derive(Default)]
struct Scans {
    progressive: bool,
    /// The components in the order of the frame header, with the coefficients that are whole.
    components: Vec<(u8, [bool; 64])>,
}

impl Scans {
    /// A frame header (Annex B.2.2).
    fn frame(&mut self, marker: u8, segment: &[u8]) {
        self.progressive = matches!(marker, 0xC2 | 0xCA);
        let parts = segment.get(6..).unwrap_or_default().chunks_exact(3);
        self.components = parts.map(|part| (part[0], [false; 64])).collect();
    }

    /// A scan header (Annex B.2.3): components, then first and last coefficient, then the bits before and after.
    fn scan(&mut self, segment: &[u8]) {
        let Some((&count, rest)) = segment.split_first() else { return };
        let (Some(named), Some(&[first, last, bits])) =
            (rest.get(..2 * usize::from(count)), rest.get(2 * usize::from(count)..).and_then(|r| r.first_chunk::<3>()))
        else {
            return;
        };
        // The low half says how many bits are still to come.
        let whole = bits & 15 == 0;
        for component in named.chunks_exact(2).map(|pair| pair[0]) {
            let found = self.components.iter_mut().find(|(id, _)| *id == component);
            if let Some((_, have)) = found.filter(|_| whole && first <= last && last < 64) {
                have[usize::from(first)..=usize::from(last)].fill(true);
            }
        }
    }

    /// Of a sequential file each component is in a scan; of a progressive one the means of all are there to the last bit, and all
    /// of the first component, which is the brightness.
    fn are_all_there(&self) -> bool {
        let means = self.components.iter().all(|(_, have)| have[0]);
        let bright = self.components.first().is_none_or(|(_, have)| have.iter().all(|have| *have));
        means && (bright || !self.progressive)
    }
}

fn walk(mut file: impl BufRead) -> io::Result<Scans> {
    let mut scans = Scans::default();
    let mut marker = next_marker(&mut file)?;
    while marker != EOI {
        let stands_alone = marker == SOI || marker == 0x01 || (0xD0..=0xD7).contains(&marker);
        if !stands_alone {
            let length = u16::from_be_bytes([byte(&mut file)?, byte(&mut file)?]).saturating_sub(2);
            match marker {
                0xC0..=0xCF if ![0xC4, 0xC8, 0xCC].contains(&marker) => scans.frame(marker, &taken(&mut file, length)?),
                SOS => scans.scan(&taken(&mut file, length)?),
                _ => skip(&mut file, u64::from(length))?,
            }
        }
        // After a start of scan follows entropy-coded data, in which FF 00 stands for the byte FF.
        marker = next_marker(&mut file)?;
        while marker == 0x00 || (marker != SOS && (0xD0..=0xD7).contains(&marker)) {
            marker = next_marker(&mut file)?;
        }
    }
    Ok(scans)
}

fn taken(file: &mut impl BufRead, count: u16) -> io::Result<Vec<u8>> {
    let mut bytes = vec![0; usize::from(count)];
    file.read_exact(&mut bytes)?;
    Ok(bytes)
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

    /// A progressive file cut before its scan of this number, with an end set behind.
    fn without_scans_from(number: usize) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = jpeg_encoder::Encoder::new(&mut bytes, 90);
        encoder.set_progressive(true);
        let picture: Vec<u8> = (0..64 * 48 * 3).map(|i| (i * 7 % 251) as u8).collect();
        encoder.encode(&picture, 64, 48, jpeg_encoder::ColorType::Rgb).unwrap();
        let starts: Vec<usize> = (0..bytes.len() - 1).filter(|i| bytes[*i..*i + 2] == [0xFF, SOS]).collect();
        assert!(starts.len() > 4, "{starts:?}");
        if let Some(start) = starts.get(number) {
            bytes.truncate(*start);
            bytes.extend([0xFF, EOI]);
        }
        bytes
    }

    #[test]
    fn a_progressive_file_without_its_last_scans_is_not_whole() {
        assert!(is_complete(&without_scans_from(usize::MAX)[..]).unwrap());
        for number in 0..3 {
            assert!(!is_complete(&without_scans_from(number)[..]).unwrap(), "from {number}");
        }
    }

    #[test]
    fn a_cut_anywhere_is_noticed() {
        let bytes = jpeg();
        for length in (0..bytes.len() - 1).step_by(7) {
            assert!(!is_complete(&bytes[..length]).unwrap(), "{length} of {}", bytes.len());
        }
    }
}
