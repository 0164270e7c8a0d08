//! Rendered planes as the samples of a file.

use dettaglio_domain::file::{Channels, Depth};
use rayon::prelude::*;

use crate::colour::Conversion;
use crate::picture::{Planes, Samples};

/// Samples in another profile: converted in 16 bits, whatever the file's depth.
pub(super) fn converted(band: &Planes, conversion: &Conversion, depth: Depth) -> Samples {
    let Samples::Sixteen(samples) = interleave(band, Channels::Colour, Depth::Sixteen) else {
        unreachable!("sixteen bits were asked for");
    };
    let row = 3 * band.size().width as usize;
    let samples: Vec<u16> = samples.par_chunks(row).flat_map_iter(|row| conversion.apply(row)).collect();
    match depth {
        Depth::Sixteen => Samples::Sixteen(samples),
        Depth::Eight => Samples::Eight(samples.into_iter().map(|v| ((u32::from(v) + 128) / 257) as u8).collect()),
    }
}

/// Rounds planes to a file's samples, channels interleaved.
pub(crate) fn interleave(planes: &Planes, channels: Channels, depth: Depth) -> Samples {
    fn gather<T: Copy + Default + Send>(
        planes: &Planes,
        channels: Channels,
        level: impl Fn(f32) -> T + Sync,
    ) -> Vec<T> {
        match channels {
            Channels::Grey => planes.luminance().into_iter().map(level).collect(),
            Channels::Colour => {
                let width = planes.size().width as usize;
                let mut samples = vec![T::default(); planes.values().len()];
                samples.par_chunks_mut(3 * width).enumerate().for_each(|(y, out)| {
                    let [r, g, b] = [0, 1, 2].map(|channel| planes.row(channel, y as u32));
                    for ((pixel, r), (g, b)) in out.chunks_exact_mut(3).zip(r).zip(g.iter().zip(b)) {
                        pixel.copy_from_slice(&[level(*r), level(*g), level(*b)]);
                    }
                });
                samples
            }
        }
    }
    // A cast from float to integer saturates, so only the rounding has to be done by hand.
    match depth {
        Depth::Eight => Samples::Eight(gather(planes, channels, |v| (v * 255.0 + 0.5) as u8)),
        Depth::Sixteen => Samples::Sixteen(gather(planes, channels, |v| (v * 65535.0 + 0.5) as u16)),
    }
}
