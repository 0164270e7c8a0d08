//! Whether a sequential JPEG file holds all blocks of its picture.
//!
//! Where coded data ends too soon and an end marker stands behind it, the decoder goes on with zeros: the rest of the picture is
//! grey, or one block over and over. Only walking through the codes tells (ITU-T T.81, F.2.2).

use image::DynamicImage;

use super::jpeg_end::{EOI, SOS};

const RST0: u8 = 0xD0;
const RST7: u8 = 0xD7;

/// Width of the largest unit of coded data of the usual subsamplings, in pixels.
const UNIT: usize = 16;

/// Pixels at the right edge in which units that are the same may differ, as colours are interpolated beyond them.
const EDGE: usize = 2;

/// By how much rounding lets steps from unit to unit differ that are the same.
const ROUNDING: i32 = 3;

/// Whether a decoded picture ends as one does whose data ended before: its last row goes on from unit to unit by the same step.
///
/// A smooth picture ends so as well. Only for these is the data walked through, which takes half the time of decoding it.
pub fn ends_alike(picture: &DynamicImage) -> bool {
    let (width, height) = (picture.width() as usize, picture.height() as usize);
    let channels = usize::from(picture.color().channel_count());
    let (shift, row) = (UNIT * channels, width * channels);
    if width < 3 * UNIT + EDGE {
        return true;
    }
    let last = &picture.as_bytes()[(height - 1) * row..][..row - EDGE * channels];
    let [third, second, first] = [3, 2, 1].map(|units| &last[last.len() - units * shift..][..shift]);
    third.iter().zip(second).zip(first).all(|((a, b), c)| {
        let [a, b, c] = [*a, *b, *c].map(i32::from);
        let ends_clamped = b == c || c == 0 || c == 255;
        ends_clamped || ((c - b) - (b - a)).abs() <= ROUNDING
    })
}

/// Whether the scans of a file hold all blocks of its components, as far as they are coded sequentially with Huffman's codes; files
/// that are coded otherwise are not looked into.
pub fn are_all_there(file: &[u8]) -> bool {
    let mut walk = Walk::default();
    let mut rest = file;
    while let Some((marker, after)) = next_marker(rest) {
        rest = after;
        if marker == EOI {
            return walk.components.iter().all(|component| component.is_there);
        }
        let stands_alone = marker == 0x01 || (RST0..=0xD8).contains(&marker);
        if stands_alone {
            continue;
        }
        let Some((segment, after)) = segment(rest) else { return false };
        rest = after;
        match marker {
            0xC4 => walk.tables(segment),
            0xC0 | 0xC1 => walk.frame(segment),
            // Progressive, lossless, arithmetic.
            0xC2..=0xCF if marker != 0xC8 && marker != 0xCC => return true,
            0xDD => walk.restart = segment.first_chunk().map_or(0, |bytes| u32::from(u16::from_be_bytes(*bytes))),
            SOS => match walk.scan(segment, rest) {
                Some(after) => {
                    rest = after;
                    let found = walk.components.iter_mut().filter(|component| named(segment, component.id));
                    found.for_each(|component| component.is_there = true);
                }
                None => return false,
            },
            _ => {}
        }
    }
    false
}

/// The code after the next FF that is not followed by zero, and what comes after it.
fn next_marker(bytes: &[u8]) -> Option<(u8, &[u8])> {
    let at = bytes.windows(2).position(|pair| pair[0] == 0xFF && pair[1] != 0xFF && pair[1] != 0)?;
    Some((bytes[at + 1], &bytes[at + 2..]))
}

/// What a marker's segment holds, and what comes after it.
fn segment(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let length = usize::from(u16::from_be_bytes(*bytes.first_chunk()?));
    Some((bytes.get(2..length)?, &bytes[length..]))
}

/// Of each component of a scan its id, and the numbers of its tables.
fn named_parts(header: &[u8]) -> std::slice::ChunksExact<'_, u8> {
    let count = header.first().map_or(0, |count| usize::from(*count));
    header.get(1..=2 * count).unwrap_or_default().chunks_exact(2)
}

fn named(header: &[u8], id: u8) -> bool {
    named_parts(header).any(|part| part[0] == id)
}

/// A component of a frame (B.2.2).
struct Component {
    id: u8,
    /// Blocks of it in a unit of the frame, across and down.
    across: u32,
    down: u32,
    /// Whether a scan of it was found whole.
    is_there: bool,
}

/// By the next 16 bits of data: the length of the code that they begin with, and its value; no code has length 0.
struct Codes(Vec<(u8, u8)>);

impl Codes {
    /// From the numbers of codes of each length and the values in the order of the codes (annex C).
    fn new(counts: &[u8; 16], values: &[u8]) -> Self {
        let mut table = Vec::with_capacity(1 << 16);
        let mut values = values.iter();
        for (length, count) in (1_u8..).zip(counts) {
            for value in values.by_ref().take(usize::from(*count)) {
                let end = (table.len() + (1 << (16 - length))).min(1 << 16);
                table.resize(end, (length, *value));
            }
        }
        table.resize(1 << 16, (0, 0));
        Self(table)
    }
}

#[derive(Default)]
struct Walk {
    width: u32,
    height: u32,
    components: Vec<Component>,
    /// Of means and of the other coefficients, by their number.
    means: [Option<Codes>; 4],
    others: [Option<Codes>; 4],
    /// Units between two restart markers; 0 for no markers.
    restart: u32,
}

impl Walk {
    fn frame(&mut self, segment: &[u8]) {
        let Some([_, high, low, wide, narrow, _]) = segment.first_chunk() else { return };
        self.height = u32::from(u16::from_be_bytes([*high, *low]));
        self.width = u32::from(u16::from_be_bytes([*wide, *narrow]));
        self.components = segment[6..]
            .chunks_exact(3)
            .map(|part| Component {
                id: part[0],
                across: u32::from(part[1] >> 4),
                down: u32::from(part[1] & 15),
                is_there: false,
            })
            .collect();
    }

    fn tables(&mut self, mut segment: &[u8]) {
        while let Some((&kind, rest)) = segment.split_first() {
            let Some((counts, rest)) = rest.split_first_chunk::<16>() else { return };
            let count: usize = counts.iter().map(|count| usize::from(*count)).sum();
            let Some((values, rest)) = rest.split_at_checked(count) else { return };
            segment = rest;
            let tables = if kind >> 4 == 0 { &mut self.means } else { &mut self.others };
            if let Some(table) = tables.get_mut(usize::from(kind & 15)) {
                *table = Some(Codes::new(counts, values));
            }
        }
    }

    /// What comes after the data of a scan (B.2.3), if that holds all its blocks.
    fn scan<'a>(&self, header: &[u8], data: &'a [u8]) -> Option<&'a [u8]> {
        let parts: Vec<(&Component, &Codes, &Codes)> = named_parts(header)
            .map(|pair| {
                let component = self.components.iter().find(|component| component.id == pair[0])?;
                let means = self.means.get(usize::from(pair[1] >> 4))?.as_ref()?;
                let others = self.others.get(usize::from(pair[1] & 15))?.as_ref()?;
                Some((component, means, others))
            })
            .collect::<Option<_>>()?;
        let (most_across, most_down) = self.most_blocks();
        let (units, blocks_of): (u32, fn(&Component) -> u32) = match &parts[..] {
            // Of a component by itself each unit is one block, and none lies beyond the picture (A.2.2).
            [(only, ..)] => {
                let across = (self.width * only.across).div_ceil(8 * most_across);
                (across * (self.height * only.down).div_ceil(8 * most_down), |_| 1)
            }
            _ => {
                let across = self.width.div_ceil(8 * most_across);
                (across * self.height.div_ceil(8 * most_down), |part| part.across * part.down)
            }
        };
        let mut bits = Bits::of(data);
        for unit in 0..units {
            if self.restart > 0 && unit > 0 && unit % self.restart == 0 {
                bits.restart()?;
            }
            for (component, means, others) in &parts {
                for _ in 0..blocks_of(component) {
                    bits.block(means, others)?;
                }
            }
        }
        Some(bits.rest())
    }

    fn most_blocks(&self) -> (u32, u32) {
        let most = |side: fn(&Component) -> u32| self.components.iter().map(side).max().unwrap_or(1).max(1);
        (most(|part| part.across), most(|part| part.down))
    }
}

/// The bits of coded data, in which FF 00 stands for the byte FF and any other code after FF ends it.
struct Bits<'a> {
    data: &'a [u8],
    at: usize,
    /// Bits that were taken in, the next one highest.
    held: u64,
    count: u32,
}

impl<'a> Bits<'a> {
    fn of(data: &'a [u8]) -> Self {
        Self { data, at: 0, held: 0, count: 0 }
    }

    /// Takes in bytes until no more fit or there are none.
    fn fill(&mut self) {
        while self.count <= 56 {
            let Some(&byte) = self.data.get(self.at) else { return };
            if byte == 0xFF {
                if self.data.get(self.at + 1) != Some(&0) {
                    return;
                }
                self.at += 1;
            }
            self.at += 1;
            self.held |= u64::from(byte) << (56 - self.count);
            self.count += 8;
        }
    }

    /// The value of the next code; `None` when the data ends before.
    fn code(&mut self, codes: &Codes) -> Option<u8> {
        if self.count < 32 {
            self.fill();
        }
        let (length, value) = codes.0[(self.held >> 48) as usize];
        self.skip(u32::from(length))?;
        (length > 0).then_some(value)
    }

    fn skip(&mut self, bits: u32) -> Option<()> {
        if self.count < bits {
            return None;
        }
        self.held = self.held.checked_shl(bits).unwrap_or(0);
        self.count -= bits;
        Some(())
    }

    /// One block: a mean, and what else is not zero of 63 coefficients.
    fn block(&mut self, means: &Codes, others: &Codes) -> Option<()> {
        let bits = self.code(means)?;
        self.skip(u32::from(bits & 15))?;
        let mut at = 1;
        while at < 64 {
            let code = self.code(others)?;
            let (zeros, bits) = (code >> 4, code & 15);
            if bits == 0 && zeros < 15 {
                break;
            }
            self.skip(u32::from(bits))?;
            at += usize::from(zeros) + 1;
        }
        Some(())
    }

    /// Goes on behind a restart marker, which must come next.
    fn restart(&mut self) -> Option<()> {
        let at = self.at - self.unread_bytes();
        let (marker, after) = next_marker(self.data.get(at..)?)?;
        (RST0..=RST7).contains(&marker).then(|| *self = Self::of(after))
    }

    /// Whole bytes of data that were taken in and not used; as they are followed by a marker at the latest, it need not be exact.
    fn unread_bytes(&self) -> usize {
        (self.count / 8) as usize
    }

    /// What comes after what was used.
    fn rest(self) -> &'a [u8] {
        let at = self.at - self.unread_bytes();
        &self.data[at..]
    }
}

#[cfg(test)]
mod tests {
    use image::RgbImage;
    use image::codecs::jpeg::JpegDecoder;
    use jpeg_encoder::{ColorType, Encoder, SamplingFactor};
    use rstest::rstest;

    use super::*;

    /// A picture with something in every block.
    fn picture(width: u32, height: u32) -> RgbImage {
        RgbImage::from_fn(width, height, |x, y| {
            image::Rgb([(x * 7 + y) as u8, (y * 5) as u8 ^ (x as u8), (x * y / 3) as u8])
        })
    }

    fn jpeg(sampling: SamplingFactor, restart: u16, interleaved: bool) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = Encoder::new(&mut bytes, 80);
        encoder.set_sampling_factor(sampling);
        if restart > 0 {
            encoder.set_restart_interval(restart);
        }
        // Codes made for the picture come in a scan of each component by itself.
        encoder.set_optimized_huffman_tables(!interleaved);
        let picture = picture(150, 83);
        encoder.encode(&picture, 150, 83, ColorType::Rgb).unwrap();
        bytes
    }

    fn decoded(jpeg: &[u8]) -> image::ImageResult<DynamicImage> {
        JpegDecoder::new(std::io::Cursor::new(jpeg)).and_then(DynamicImage::from_decoder)
    }

    #[rstest]
    #[case(SamplingFactor::F_1_1, 0, true)]
    #[case(SamplingFactor::F_2_2, 0, true)]
    #[case(SamplingFactor::F_2_1, 5, true)]
    #[case(SamplingFactor::F_2_2, 7, true)]
    #[case(SamplingFactor::F_2_2, 0, false)]
    #[case(SamplingFactor::F_1_1, 3, false)]
    fn a_cut_with_an_end_set_behind_is_noticed(
        #[case] sampling: SamplingFactor,
        #[case] restart: u16,
        #[case] interleaved: bool,
    ) {
        let whole = jpeg(sampling, restart, interleaved);
        assert!(are_all_there(&whole));
        assert!(!ends_alike(&decoded(&whole).unwrap()));
        let (mut alike, mut cuts) = (0, 0);
        let start = whole.windows(2).position(|pair| pair == [0xFF, SOS]).unwrap() + 14;
        for cut in (start..whole.len() - 4).step_by(13) {
            let mut bytes = whole[..cut].to_vec();
            bytes.extend([0xFF, EOI]);
            assert!(!are_all_there(&bytes), "cut at {cut} of {}", whole.len());
            alike += u32::from(decoded(&bytes).is_ok_and(|picture| ends_alike(&picture)));
            cuts += 1;
        }
        // What is missed are cuts in the last 48 px; of scans of single components the first may be whole, and these are always
        // walked through.
        assert!(!interleaved || 100 * alike >= 95 * cuts, "{alike} of {cuts}");
    }

    #[test]
    fn what_is_coded_otherwise_is_left_to_others() {
        let mut bytes = Vec::new();
        let mut encoder = Encoder::new(&mut bytes, 80);
        encoder.set_progressive(true);
        encoder.encode(&picture(40, 40), 40, 40, ColorType::Rgb).unwrap();
        assert!(are_all_there(&bytes));
    }

    #[test]
    fn nonsense_is_not_all_there_and_trips_nothing() {
        let whole = jpeg(SamplingFactor::F_2_2, 0, true);
        assert!(!are_all_there(b""));
        let mut seed = 7_u32;
        for _ in 0..2000 {
            let mut bytes = whole.clone();
            for _ in 0..3 {
                seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let at = seed as usize % bytes.len();
                bytes[at] = (seed >> 24) as u8;
            }
            are_all_there(&bytes);
        }
    }
}
