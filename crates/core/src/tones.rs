//! How the tones of a part of a picture are spread, what of them is clipped, and what of its colours a smaller profile would lose.

use dettaglio_domain::file::{Channels, Depth, OutputProfile};

use crate::codec::interleave;
use crate::colour::ColourProfile;
use crate::picture::{Planes, Samples};

/// Steps between black and white in which pixels are counted.
pub const STEPS: usize = 64;

/// Half a level of 8 bits: what is nearer to black or white than this is written as such.
const HALF_LEVEL: f32 = 0.5 / 255.0;

/// By how much one of a pixel's values must change on the way to another profile and back to count as lost, of 65,535: 2 %.
const LOST: u16 = 1311;

/// The spread of tones.
#[derive(Clone, Debug, PartialEq)]
pub struct Tones {
    /// Pixels of red, green and blue at each step of encoded values, from black to white.
    pub counts: [[u32; STEPS]; 3],
    /// Share of pixels, 0 to 1, of which a value is as dark as 8 bits can say.
    pub black: f32,
    /// Share of pixels of which a value is as light as that.
    pub white: f32,
}

impl Tones {
    /// Those of a picture, in its own encoded values.
    pub fn of(planes: &Planes) -> Self {
        let area = planes.size().area() as usize;
        let mut counts = [[0; STEPS]; 3];
        for (channel, counts) in counts.iter_mut().enumerate() {
            for value in planes.plane(channel) {
                let step = (value.clamp(0.0, 1.0) * STEPS as f32) as usize;
                counts[step.min(STEPS - 1)] += 1;
            }
        }
        let any = |is: &dyn Fn(f32) -> bool| {
            let pixels = (0..area).filter(|&i| (0..3).any(|channel| is(planes.plane(channel)[i])));
            pixels.count() as f32 / area.max(1) as f32
        };
        Self { counts, black: any(&|v| v < HALF_LEVEL), white: any(&|v| v > 1.0 - HALF_LEVEL) }
    }
}

/// Share of pixels, 0 to 1, whose colour does not come back from another profile as it was: it lies outside. `from` is the picture's own
/// profile, sRGB when there is none. `None` where the profiles allow no conversion.
pub fn lost_in(planes: &Planes, from: Option<&ColourProfile>, to: &ColourProfile) -> Option<f32> {
    let there = to.conversion_from(from)?;
    let srgb;
    let own = match from {
        Some(own) => own,
        None => {
            srgb = ColourProfile::standard(OutputProfile::Srgb)?;
            &srgb
        }
    };
    let back = own.conversion_from(Some(to))?;
    let Samples::Sixteen(samples) = interleave(planes, Channels::Colour, Depth::Sixteen) else {
        unreachable!("sixteen bits were asked for");
    };
    let returned = back.apply(&there.apply(&samples));
    let lost = samples.chunks_exact(3).zip(returned.chunks_exact(3));
    let lost = lost.filter(|(a, b)| a.iter().zip(*b).any(|(a, b)| a.abs_diff(*b) > LOST)).count();
    Some(lost as f32 / (samples.len() / 3).max(1) as f32)
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::geometry::Size;
    use rstest::rstest;

    fn of_colours(colours: &[[f32; 3]]) -> Planes {
        let values = (0..3).flat_map(|channel| colours.iter().map(move |colour| colour[channel])).collect();
        Planes::from_values(Size::new(colours.len() as u32, 1), values)
    }

    #[test]
    fn every_pixel_is_counted_once_a_channel_where_it_lies() {
        let tones = Tones::of(&of_colours(&[[0.0, 0.5, 1.0], [0.25, 0.5, 0.999], [-0.1, 0.5, 1.3], [0.1, 0.5, 0.5]]));
        assert!(tones.counts.iter().all(|counts| counts.iter().sum::<u32>() == 4));
        assert_eq!(tones.counts[1][STEPS / 2], 4);
        assert_eq!((tones.counts[0][0], tones.counts[2][STEPS - 1]), (2, 3));
        assert_eq!((tones.black, tones.white), (0.5, 0.75));
    }

    #[rstest]
    #[case::grey([0.5; 3], OutputProfile::Srgb, 0.0)]
    #[case::the_reddest_red_of_a_wide_profile([1.0, 0.0, 0.0], OutputProfile::Srgb, 1.0)]
    #[case::the_same_where_it_has_room([1.0, 0.0, 0.0], OutputProfile::Romm, 0.0)]
    fn colours_outside_a_profile_are_lost_in_it(
        #[case] colour: [f32; 3],
        #[case] to: OutputProfile,
        #[case] share: f32,
    ) {
        let wide = ColourProfile::standard(OutputProfile::P3).unwrap();
        let to = ColourProfile::standard(to).unwrap();
        assert_eq!(lost_in(&of_colours(&[colour; 5]), Some(&wide), &to), Some(share));
    }

    #[test]
    fn a_picture_without_a_profile_is_srgb() {
        let to = |which| ColourProfile::standard(which).unwrap();
        let red = of_colours(&[[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]);
        assert_eq!(lost_in(&red, None, &to(OutputProfile::Srgb)), Some(0.0));
        assert_eq!(lost_in(&red, None, &to(OutputProfile::P3)), Some(0.0));
    }
}
