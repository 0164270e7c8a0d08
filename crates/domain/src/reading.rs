//! A reading: what was measured on an original, what counts as much or little of it, and what it comes to in words.
//!
//! The figures are measured elsewhere, from pixels; the thresholds stand here.

use serde::{Deserialize, Serialize};

use crate::clean::NoiseCurve;
use crate::face::Face;
use crate::frame::Frame;
use crate::geometry::Size;
use crate::halftone::{Halftone, Wave};
use crate::sight::{Shown, Sight};
use crate::size::{MM_PER_INCH, eye_ppi};

/// All that was measured on an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reading {
    /// Noise.
    pub noise: NoiseReading,
    /// Softness and sharpening; absent when there are too few edges.
    pub softness: Option<SoftnessReading>,
    /// Quality of the file, when it is a JPEG, 1 to 100.
    pub jpeg_quality: Option<f32>,
    /// Traces of an earlier JPEG in the pixels.
    pub former_jpeg: Option<FormerJpeg>,
    /// How far up detail goes.
    pub detail: Detail,
    /// Shares of the picture.
    pub content: Content,
    /// The waves of the dots that it was printed in, the strongest first; nothing where it is no halftone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub screen: Option<Vec<Wave>>,
    /// What it shows, as a network told; nothing where none has looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sight: Option<Sight>,
    /// What lies around the picture; nothing where it fills the file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub border: Option<Border>,
}

/// The paper of a print, or the lid of a scanner, around a picture.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Border {
    /// What cuts it off: the picture set straight, and nothing but it.
    pub frame: Frame,
    /// Whether something is written or printed on it.
    pub writing: bool,
}

impl Border {
    fn in_words(self) -> String {
        let written = if self.writing { ", with something written on it," } else { "" };
        let turned = match self.frame.degrees {
            0.0 => String::new(),
            degrees => format!(
                " The picture lies {:.1} degrees {}.",
                degrees.abs(),
                if degrees < 0.0 { "clockwise" } else { "anticlockwise" }
            ),
        };
        format!("Paper{written} lies around the picture: the Frame step can cut it off.{turned}")
    }
}

/// Noise below which there is practically none, in 8-bit levels.
const FREE_OF_NOISE: f32 = 0.8;

/// Noise from which on cleaning pays, in 8-bit levels: below it hardly shows on a print, and texture would go with it.
pub const NOISY: f32 = 2.0;

/// Noise from which on it is clear to see, in 8-bit levels.
pub const CLEARLY_NOISY: f32 = 4.0;

/// ISO sensitivity from which on there is noise, whether it can be told from texture or not.
const SURELY_NOISY_ISO: u32 = 1600;

/// JPEG quality below which marks show once enlarged.
pub const MARKED_QUALITY: f32 = 88.0;

/// Edge spread, in pixels, from which on a picture is soft, and beyond which no model brings detail back.
pub const SOFT: f32 = 0.95;

/// See [`SOFT`].
pub const BEYOND_HELP: f32 = 2.2;

/// Overshoot from which on edges were sharpened.
pub const SHARPENED: f32 = 0.06;

/// The share of lettering from which on a picture shows nothing else.
const MOSTLY_LETTERING: f32 = 0.4;

/// The share of a picture that heads cover from which on it shows people.
const MUCH_OF_PEOPLE: f64 = 0.02;

impl Reading {
    /// The compression that the pixels went through: the worse of the file's and an earlier one.
    pub fn worst_quality(&self) -> Option<f32> {
        [self.jpeg_quality, self.former_jpeg.map(|f| f.quality)].into_iter().flatten().min_by(f32::total_cmp)
    }

    /// Whether there is noise worth taking out. Where only texture was to be seen, the camera's `iso` decides: cleaning for noise
    /// that is none takes the texture.
    pub fn is_noisy(&self, iso: Option<u32>) -> bool {
        self.noise.sigma >= NOISY && (!self.noise.hidden || iso.is_some_and(|iso| iso >= SURELY_NOISY_ISO))
    }

    /// The dots that it was printed in, all of them to be taken out.
    pub fn halftone(&self) -> Option<Halftone> {
        self.screen.clone().map(Halftone::found)
    }

    /// What a picture of this size shows, with these faces in it; nothing where it cannot be told.
    pub fn shows(&self, faces: &[Face], size: Size) -> Option<Shown> {
        if self.content.faded_tone {
            return Some(Shown::OldPrint);
        }
        if self.content.lettering >= MOSTLY_LETTERING {
            return Some(Shown::Lettering);
        }
        let heads: u64 = faces.iter().filter_map(|face| face.around(size)).map(|head| head.size().area()).sum();
        if heads as f64 >= MUCH_OF_PEOPLE * size.area() as f64 {
            return Some(Shown::People);
        }
        self.sight?.picture.shown
    }

    /// Resolution that the picture's real detail gives on paper, when its pixels give `ppi`.
    pub fn detail_ppi(&self, ppi: f64) -> f64 {
        ppi * f64::from(self.detail.usable)
    }

    /// What it comes to, in plain words, the most important first.
    pub fn conclusion(&self) -> Vec<String> {
        [
            self.noise_words(),
            self.sharpness_words(),
            self.compression_words(),
            self.detail_words(),
            self.tone_words(),
            self.sight_words(),
            self.border.map(Border::in_words),
        ]
        .into_iter()
        .flatten()
        .collect()
    }

    /// Noise and sharpness in a few words, such as "noise 15.2, a little soft".
    pub fn line(&self) -> String {
        let NoiseReading { sigma, hidden, .. } = self.noise;
        let noise = match sigma {
            s if s < FREE_OF_NOISE => "no noise".to_owned(),
            s if s >= NOISY && hidden => "texture".to_owned(),
            s => format!("noise {s:.1}"),
        };
        match self.softness.map(|softness| softness.sigma) {
            None => noise,
            Some(s) if s < SOFT => format!("{noise}, sharp"),
            Some(s) if s < BEYOND_HELP => format!("{noise}, a little soft"),
            Some(_) => format!("{noise}, soft"),
        }
    }

    /// What the network told, with its parts where they show something else.
    fn sight_words(&self) -> Option<String> {
        let Sight { picture, quarters: [a, b, c, d], middle } = self.sight?;
        let shown = picture.shown.map(Shown::in_words);
        let parts = [(middle, "middle"), (a, "upper left"), (b, "upper right"), (c, "lower left"), (d, "lower right")];
        let others: Vec<String> = (parts.into_iter())
            .filter_map(|(seen, place)| Some((seen.surely()?, place)))
            .filter(|(part, _)| Some(*part) != picture.shown)
            .map(|(shown, place)| format!("{} in the {place}", shown.in_words()))
            .collect();
        match (shown, others.is_empty()) {
            (None, true) => None,
            (None, false) => Some(format!("Shows {}.", others.join(", "))),
            (Some(shown), true) => Some(format!("Shows {shown}.")),
            (Some(shown), false) => Some(format!("Shows {shown}; {}.", others.join(", "))),
        }
    }

    fn noise_words(&self) -> Option<String> {
        let NoiseReading { level, sigma, colour, luminance, hidden } = self.noise;
        let word = match sigma {
            s if s < FREE_OF_NOISE => return Some("Practically free of noise.".to_owned()),
            s if s < NOISY => return Some(format!("A trace of noise, sigma {sigma:.1}: no need to clean.")),
            _ if hidden => {
                return Some(format!(
                    "Texture all over: noise cannot be told from it, and is at most of sigma {sigma:.1}."
                ));
            }
            s if s < CLEARLY_NOISY => "Light noise",
            s if s < 10.0 => "Clear noise",
            _ => "Strong noise",
        };
        let (dark, light) = (level.0[1], level.0[6]);
        let place = match () {
            () if dark > 1.5 * light.max(1.0) => format!(", strongest in the shadows ({dark:.0})"),
            () if light > 1.5 * dark.max(1.0) => format!(", strongest in the lights ({light:.0})"),
            () => String::new(),
        };
        let speckle = if colour > 0.8 * luminance { ", much of it in colour" } else { "" };
        Some(format!("{word}, sigma {sigma:.1}{place}{speckle}: clean before enlarging."))
    }

    fn sharpness_words(&self) -> Option<String> {
        let Some(SoftnessReading { sigma, shake, overshoot, .. }) = self.softness else {
            return Some("Too few edges to tell how sharp it is.".to_owned());
        };
        let spread = match sigma {
            s if s < 0.5 => "edges spread over less than half a pixel".to_owned(),
            s => format!("edges spread over {s:.1} px"),
        };
        let mut words = match sigma {
            s if s < SOFT => format!("Sharp: {spread}."),
            s if s < BEYOND_HELP => format!("A little soft: {spread}, which can be brought back in part."),
            _ => format!(
                "Soft: {spread}. No model brings back what is not there; it can be printed small, or seen from afar."
            ),
        };
        if let Some(degrees) = shake {
            words += &format!(" Drawn out along {degrees:.0} degrees, as by a shake.");
        }
        if overshoot > SHARPENED {
            words += &format!(" Sharpened already: edges overshoot by {:.0} %.", overshoot * 100.0);
        }
        Some(words)
    }

    fn compression_words(&self) -> Option<String> {
        if let Some(FormerJpeg { quality, x, y }) = self.former_jpeg {
            return Some(format!(
                "It was a JPEG of quality {quality:.0} before (blocks from {x}, {y}): its marks are still there."
            ));
        }
        let quality = self.jpeg_quality?;
        Some(match quality {
            q if q < 60.0 => format!("Strong compression, quality {q:.0}: take the marks out first."),
            q if q < MARKED_QUALITY => format!("Compression of quality {q:.0}: its marks would show once enlarged."),
            q => format!("Mild compression, quality {q:.0}."),
        })
    }

    fn detail_words(&self) -> Option<String> {
        let Detail { usable, size, enlarged, ends_abruptly, .. } = &self.detail;
        let cm = |px: u32| f64::from(px) / eye_ppi(1.0) * MM_PER_INCH / 10.0;
        let print =
            format!("real detail supports about {:.0} x {:.0} cm seen from 1 m", cm(size.width), cm(size.height));
        Some(match enlarged {
            Some(factor) => {
                format!(
                    "It seems to have been enlarged {factor:.1} times before: {size} would hold all of its detail; {print}."
                )
            }
            None if *ends_abruptly => format!(
                "Its detail ends abruptly, as after an enlargement or out of focus: it would fit into {size}; {print}."
            ),
            None if *usable < 0.7 => format!("Its detail would fit into {size}; {print}."),
            None => format!("Detail up to {:.0} % of what its pixels can hold; {print}.", usable * 100.0),
        })
    }

    fn tone_words(&self) -> Option<String> {
        let Content { clipped_shadows, clipped_highlights, lettering, faded_tone, plain_colours, .. } = self.content;
        let mut parts = Vec::new();
        if faded_tone {
            parts.push("of one faded tone, as a scan of an old print".to_owned());
        }
        if let Some(halftone) = self.halftone() {
            parts.push(format!("printed in {}, a halftone", halftone.dots()));
        }
        if lettering > 0.2 {
            parts.push(format!("{:.0} % looks like lettering or line work", lettering * 100.0));
        }
        if let Some(colours) = plain_colours {
            parts.push(format!("drawn in {colours} plain colours"));
        }
        if clipped_highlights > 0.02 {
            parts.push(format!("{:.0} % of the lights are clipped", clipped_highlights * 100.0));
        }
        if clipped_shadows > 0.05 {
            parts.push(format!("{:.0} % of the shadows are clipped", clipped_shadows * 100.0));
        }
        let text = parts.join("; ");
        let mut letters = text.chars();
        letters.next().map(|first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
    }
}

/// What was measured of the noise.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NoiseReading {
    /// Root mean square over the three colours, at eight brightnesses, in 8-bit levels.
    pub level: NoiseCurve,
    /// The same over the whole picture, each brightness weighted by how much of it there is.
    pub sigma: f32,
    /// Standard deviation of colour noise: of what is left when luminance is taken out, in 8-bit levels.
    pub colour: f32,
    /// Standard deviation of luminance noise, in 8-bit levels.
    pub luminance: f32,
    /// Whether there is so little but texture that noise cannot be told from it: what was measured is then the most that it can be.
    #[serde(default)]
    pub hidden: bool,
}

/// Shares of the picture, 0 to 1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Content {
    /// With nothing but noise.
    pub flat: f32,
    /// With fine structure.
    pub texture: f32,
    /// That looks like lettering or line work: two even tones with sharp borders.
    pub lettering: f32,
    /// With some colour at the dark end of the scale.
    pub clipped_shadows: f32,
    /// With some colour at the light end of the scale.
    pub clipped_highlights: f32,
    /// Mean luminance.
    pub brightness: f32,
    /// Whether all of it is of one warm tone with faded blacks, as a scan of an old print is.
    #[serde(default)]
    pub faded_tone: bool,
    /// In how many plain colours it is drawn; nothing where it is no such drawing, is large, or was read before they were counted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plain_colours: Option<u32>,
    /// The tones that it ends at; nothing where it is too small to tell, or was read before they were measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tones: Option<Tones>,
}

/// The darkest, the middle and the lightest that larger parts of a picture are of, encoded red, green and blue, 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tones {
    /// Below this lies a hundredth of the squares of 16 x 16 px.
    pub black: [f32; 3],
    /// Below this lies half of them.
    pub middle: [f32; 3],
    /// Above this lies a hundredth of them.
    pub white: [f32; 3],
}

/// What was measured of edges.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SoftnessReading {
    /// Spread of an edge: the standard deviation of the blur, in pixels.
    pub sigma: f32,
    /// The direction of a shake, degrees from the horizontal, 0 to 180; absent when edges are spread evenly.
    pub shake: Option<f32>,
    /// How far edges overshoot, as a share of their height: more than 0.06 was sharpened.
    pub overshoot: f32,
    /// How many places were measured.
    pub edges: usize,
}

/// What the spectrum says.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Detail {
    /// The share of the frequencies up to Nyquist's that hold detail, 0 to 1.
    pub usable: f32,
    /// The smallest size that could hold all of that detail.
    pub size: Size,
    /// How many times it was enlarged before, by the period that interpolation leaves; absent when there is none.
    pub enlarged: Option<f32>,
    /// Whether the spectrum ends as abruptly as interpolation makes it; a lens out of focus can do so too.
    #[serde(default)]
    pub ends_abruptly: bool,
    /// The spectrum that this is told from; nothing of a picture that is too small or too flat, or was read before it was kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spectrum: Option<Spectrum>,
}

/// How much there is at each fineness: mean power over the liveliest patches at even steps from zero frequency up to what pixels can hold,
/// in dB of full scale.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spectrum {
    /// Of the picture.
    pub picture: Vec<f32>,
    /// Of one that is as lively and sharp to the last pixel.
    pub sharp: Vec<f32>,
    /// Of its noise, at each step alike.
    pub noise: f32,
}

/// The traces of a JPEG that the picture once was.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FormerJpeg {
    /// Its quality, 1 to 100, on the scale of the Independent JPEG Group.
    pub quality: f32,
    /// Where its blocks begin, 0 to 7 pixels from the left.
    pub x: u8,
    /// And from the top.
    pub y: u8,
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::geometry::Place;
    use crate::stand_in;

    const FUR: [f32; 6] = [0.95, 0.01, 0.01, 0.01, 0.01, 0.01];

    const GROUND: [f32; 6] = [0.0, 0.95, 0.0, 0.0, 0.0, 0.05];

    const PERHAPS_GROUND: [f32; 6] = [0.1, 0.8, 0.0, 0.0, 0.0, 0.1];

    #[rstest]
    #[case(Sight::of(FUR, [FUR; 4], FUR), Some("Shows fur or feathers."))]
    #[case(
        Sight::of(FUR, [FUR, FUR, FUR, GROUND], FUR),
        Some("Shows fur or feathers; foliage or ground in the lower right.")
    )]
    #[case(Sight::of(FUR, [FUR, FUR, FUR, PERHAPS_GROUND], FUR), Some("Shows fur or feathers."))]
    #[case(Sight::of(GROUND, [GROUND; 4], FUR), Some("Shows foliage or ground; fur or feathers in the middle."))]
    #[case(Sight::default(), None)]
    fn what_it_shows_is_told_with_where_it_shows_something_else(#[case] sight: Sight, #[case] words: Option<&str>) {
        let mut reading = stand_in::reading(Size::new(300, 200));
        reading.sight = Some(sight);
        let told = reading.conclusion().into_iter().find(|line| line.starts_with("Shows"));
        assert_eq!(told.as_deref(), words);
    }

    #[rstest]
    #[case(0.3, false, Some(0.7), "no noise, sharp")]
    #[case(15.2, false, Some(1.2), "noise 15.2, a little soft")]
    #[case(9.9, true, Some(2.5), "texture, soft")]
    #[case(1.2, true, None, "noise 1.2")]
    fn a_reading_is_told_in_a_line(
        #[case] sigma: f32,
        #[case] hidden: bool,
        #[case] softness: Option<f32>,
        #[case] line: &str,
    ) {
        let mut reading = stand_in::reading(Size::new(300, 200));
        reading.noise = NoiseReading { sigma, hidden, ..reading.noise };
        let measured = SoftnessReading { sigma: 0.0, shake: None, overshoot: 0.0, edges: 1000 };
        reading.softness = softness.map(|sigma| SoftnessReading { sigma, ..measured });
        assert_eq!(reading.line(), line);
    }

    #[test]
    fn faces_lettering_and_tone_join_in() {
        let size = Size::new(300, 200);
        let mut reading = stand_in::reading(size);
        assert_eq!(reading.shows(&[], size), None, "nobody has looked");
        reading.sight = Some(Sight::of(FUR, [FUR; 4], FUR));
        assert_eq!(reading.shows(&[], size), Some(Shown::Fur));
        let face = |apart: f32| Face::of_eyes(Place::new(100.0, 80.0), Place::new(100.0 + apart, 80.0));
        assert_eq!(reading.shows(&[face(40.0)], size), Some(Shown::People));
        assert_eq!(reading.shows(&[face(4.0)], size), Some(Shown::Fur), "somebody far away");
        reading.content.lettering = 0.5;
        assert_eq!(reading.shows(&[face(40.0)], size), Some(Shown::Lettering));
        reading.content.faded_tone = true;
        assert_eq!(reading.shows(&[], size), Some(Shown::OldPrint));
    }
}
