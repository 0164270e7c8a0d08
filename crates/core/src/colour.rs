//! Colour: the transfer curve between encoded values and light, and embedded profiles.

use std::fmt;
use std::sync::{Arc, OnceLock};

use dettaglio_domain::file::{Channels, OutputProfile};
use dettaglio_domain::hash::ContentHash;
use moxcms::{ColorProfile, DataColorSpace, Layout, ProfileText, TransformOptions};

use crate::picture::planes::Planes;

/// Encoded value to linear light, sRGB curve (IEC 61966-2-1).
///
/// Also used for pictures in other profiles: averaging only needs a curve close to the profile's own,
/// and whatever goes in comes out again through [`encode`], its exact inverse.
pub fn linearise(encoded: f32) -> f32 {
    if encoded <= 0.04045 { encoded / 12.92 } else { ((encoded + 0.055) / 1.055).powf(2.4) }
}

/// Linear light to encoded value, the inverse of [`linearise`].
pub fn encode(light: f32) -> f32 {
    if light <= 0.003_130_8 { light * 12.92 } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 }
}

/// [`linearise`] for values in [0, 1] from a table with 4096 steps and interpolation between them.
///
/// Within 2e-6 of the formula (tested) and several times as fast, which matters for whole pictures.
pub fn linearise_fast(encoded: f32) -> f32 {
    static TABLE: OnceLock<Vec<f32>> = OnceLock::new();
    let table = TABLE.get_or_init(|| (0..=4097).map(|i| linearise(i as f32 / 4096.0)).collect());
    interpolate(table, encoded.clamp(0.0, 1.0) * 4096.0)
}

/// [`encode`] for light in [0, 1], from a table over the square root of the light.
///
/// Within 2e-5 of the formula (tested), a tenth of an 8-bit level being 4e-4.
pub fn encode_fast(light: f32) -> f32 {
    static TABLE: OnceLock<Vec<f32>> = OnceLock::new();
    let table = TABLE.get_or_init(|| (0..=4097).map(|i| encode((i as f32 / 4096.0).powi(2))).collect());
    interpolate(table, light.clamp(0.0, 1.0).sqrt() * 4096.0)
}

fn interpolate(table: &[f32], position: f32) -> f32 {
    let index = position as usize;
    let share = position - index as f32;
    table[index] + (table[index + 1] - table[index]) * share
}

/// An embedded ICC profile, kept byte for byte so that the result carries exactly what came in.
pub struct ColourProfile {
    bytes: Vec<u8>,
    parsed: Box<ColorProfile>,
}

impl fmt::Debug for ColourProfile {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ColourProfile({})", self.name())
    }
}

impl ColourProfile {
    /// A profile that results can be written in; nothing for the original's own.
    pub fn standard(which: OutputProfile) -> Option<Self> {
        let parsed = match which {
            OutputProfile::Original => return None,
            OutputProfile::Srgb => ColorProfile::new_srgb(),
            OutputProfile::P3 => ColorProfile::new_display_p3(),
            OutputProfile::OpRgb => ColorProfile::new_adobe_rgb(),
            OutputProfile::Romm => ColorProfile::new_pro_photo_rgb(),
        };
        let mut parsed = parsed;
        let name = match which {
            OutputProfile::OpRgb => Some("opRGB (IEC 61966-2-5)"),
            OutputProfile::Romm => Some("ROMM RGB (ISO 22028-2)"),
            _ => None,
        };
        if let Some(name) = name {
            let text = moxcms::LocalizableString::new("en".to_owned(), "GB".to_owned(), name.to_owned());
            parsed.description = Some(ProfileText::Localizable(vec![text]));
        }
        let bytes = parsed.encode().ok()?;
        Some(Self { bytes, parsed: Box::new(parsed) })
    }

    /// A conversion of interleaved 16-bit RGB from `from`, or from sRGB, to this profile.
    pub fn conversion_from(&self, from: Option<&ColourProfile>) -> Option<Conversion> {
        let srgb = ColorProfile::new_srgb();
        let source = from.map_or(&srgb, |profile| &*profile.parsed);
        if source.color_space != DataColorSpace::Rgb {
            return None;
        }
        let options = TransformOptions::default();
        source.create_transform_16bit(Layout::Rgb, &self.parsed, Layout::Rgb, options).ok().map(Conversion)
    }

    /// A profile from its bytes; nothing when they are no profile for pictures with these channels.
    ///
    /// A profile that cannot be read, or that describes other channels than the file has, says nothing
    /// reliable about the colours: the picture is then treated as sRGB, as one without a profile is.
    pub fn parse(bytes: Vec<u8>, channels: Channels) -> Option<Self> {
        let parsed = ColorProfile::new_from_slice(&bytes).ok()?;
        let fits = match channels {
            Channels::Grey => parsed.color_space == DataColorSpace::Gray,
            Channels::Colour => parsed.color_space == DataColorSpace::Rgb,
        };
        fits.then(|| Self { bytes, parsed: Box::new(parsed) })
    }

    /// The ICC profile as it was in the file.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// Names it in results' records and cache keys.
    pub fn hash(&self) -> ContentHash {
        ContentHash::of(&self.bytes)
    }

    /// The profile's own description, such as "sRGB IEC61966-2.1".
    pub fn name(&self) -> String {
        let text = match &self.parsed.description {
            Some(ProfileText::PlainString(text)) => text.clone(),
            Some(ProfileText::Localizable(all)) => all.first().map(|t| t.value.clone()).unwrap_or_default(),
            Some(ProfileText::Description(text)) => text.ascii_string.clone(),
            None => String::new(),
        };
        let text = text.trim_matches(char::from(0)).trim();
        if text.is_empty() { "unnamed profile".to_owned() } else { text.to_owned() }
    }

    /// Converts planes from this profile to sRGB, for a screen.
    ///
    /// Perceptual differences between intents are left to the profile's default (relative colorimetric).
    /// Where the profile allows no conversion the values are returned as they are.
    pub fn to_srgb(&self, planes: &Planes) -> Planes {
        let srgb = ColorProfile::new_srgb();
        let area = planes.size().area() as usize;
        let mut interleaved = vec![0.0_f32; 3 * area];
        let transformed = match self.parsed.color_space {
            DataColorSpace::Gray => self
                .parsed
                .create_transform_f32(Layout::Gray, &srgb, Layout::Rgb, TransformOptions::default())
                .and_then(|t| t.transform(planes.plane(0), &mut interleaved)),
            _ => {
                let source: Vec<f32> = (0..3 * area).map(|i| planes.values()[i % 3 * area + i / 3]).collect();
                self.parsed
                    .create_transform_f32(Layout::Rgb, &srgb, Layout::Rgb, TransformOptions::default())
                    .and_then(|t| t.transform(&source, &mut interleaved))
            }
        };
        match transformed {
            Ok(()) => Planes::from_values(
                planes.size(),
                (0..3 * area).map(|i| interleaved[i % area * 3 + i / area].clamp(0.0, 1.0)).collect(),
            ),
            Err(_) => planes.clone(),
        }
    }

    /// Converts encoded colours from sRGB to this profile. Where it allows no conversion they are returned as they are.
    pub fn of_srgb(&self, colours: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let srgb = ColorProfile::new_srgb();
        let transform =
            |to: Layout| srgb.create_transform_f32(Layout::Rgb, &self.parsed, to, TransformOptions::default());
        let clamped = |v: f32| v.clamp(0.0, 1.0);
        let source = colours.as_flattened();
        let converted = match self.parsed.color_space {
            DataColorSpace::Gray => {
                let mut greys = vec![0.0_f32; colours.len()];
                let done = transform(Layout::Gray).and_then(|t| t.transform(source, &mut greys));
                done.map(|()| greys.into_iter().map(|grey| [clamped(grey); 3]).collect())
            }
            _ => {
                let mut values = vec![0.0_f32; source.len()];
                let done = transform(Layout::Rgb).and_then(|t| t.transform(source, &mut values));
                done.map(|()| values.as_chunks().0.iter().map(|colour: &[f32; 3]| colour.map(clamped)).collect())
            }
        };
        converted.unwrap_or_else(|_| colours.to_vec())
    }
}

/// From one profile's values to another's.
pub struct Conversion(Arc<moxcms::Transform16BitExecutor>);

impl Conversion {
    /// Interleaved RGB samples, converted.
    pub fn apply(&self, samples: &[u16]) -> Vec<u16> {
        let mut out = vec![0; samples.len()];
        // Lengths are equal and whole pixels, the only thing that a transform refuses.
        match self.0.transform(samples, &mut out) {
            Ok(()) => out,
            Err(_) => samples.to_vec(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::geometry::Size;

    #[test]
    fn the_tables_follow_the_formulas() {
        for i in 0..=100_000 {
            let value = i as f32 / 100_000.0;
            assert!((linearise_fast(value) - linearise(value)).abs() < 2e-6, "linearise {value}");
            assert!((encode_fast(value) - encode(value)).abs() < 2e-5, "encode {value}");
        }
    }

    #[test]
    fn there_and_back_changes_nothing_visible() {
        for level in 0..=255 {
            let encoded = level as f32 / 255.0;
            assert_eq!((encode_fast(linearise_fast(encoded)) * 255.0).round(), level as f32);
        }
    }

    #[test]
    fn a_wide_profile_is_brought_to_srgb() {
        let bytes = ColorProfile::new_display_p3().encode().unwrap();
        let profile = ColourProfile::parse(bytes.clone(), Channels::Colour).unwrap();
        assert_eq!(profile.bytes(), bytes);
        let planes = Planes::from_values(Size::new(2, 1), vec![0.5, 0.8, 0.5, 0.2, 0.5, 0.2]);
        let shown = profile.to_srgb(&planes);
        let (grey, red) = (shown.row(0, 0)[0], shown.row(0, 0)[1]);
        assert!((grey - 0.5).abs() < 0.004, "neutral stays neutral: {grey}");
        assert!(red > 0.83, "a P3 red is a stronger sRGB red: {red}");
    }

    #[test]
    fn a_profile_for_other_channels_is_not_believed() {
        let bytes = ColorProfile::new_display_p3().encode().unwrap();
        assert!(ColourProfile::parse(bytes, Channels::Grey).is_none());
        assert!(ColourProfile::parse(b"not a profile".to_vec(), Channels::Colour).is_none());
    }
}
