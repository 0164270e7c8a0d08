//! Text of any script as glyphs in lines: shaped, in its own direction, from the first font that has it.

use std::collections::HashMap;
use std::ops::Range;

use cosmic_text::{Attrs, Buffer, Family, FontSystem, Metrics, Shaping, Weight, fontdb};
use krilla::text::{Font, GlyphId, KrillaGlyph};

/// The fonts that come with the program: Latin, Greek and Cyrillic. Other scripts take what the machine has.
const FONTS: [&[u8]; 2] = [
    include_bytes!("../../../fonts/SourceSansPro-Regular.ttf"),
    include_bytes!("../../../fonts/SourceSansPro-Semibold.ttf"),
];
const FAMILY: &str = "Source Sans Pro";

/// Height of a line over the text's size.
const LEADING: f32 = 1.35;

/// Lays out text.
pub struct Typesetter {
    system: FontSystem,
    /// Fonts as the file takes them; none for one that it cannot hold.
    fonts: HashMap<fontdb::ID, Option<Font>>,
}

/// A line of text.
pub struct Line {
    /// From the line's upper edge down to where its letters stand, in points.
    pub baseline: f32,
    /// In points.
    pub height: f32,
    pub text: String,
    pub runs: Vec<Run>,
}

/// Glyphs of one font.
pub struct Run {
    pub font: Font,
    /// From the left edge, in points.
    pub x: f32,
    pub glyphs: Vec<KrillaGlyph>,
}

impl Typesetter {
    pub fn new() -> Self {
        let mut fonts = fontdb::Database::new();
        FONTS.iter().for_each(|font| fonts.load_font_data(font.to_vec()));
        fonts.load_system_fonts();
        Self { system: FontSystem::new_with_locale_and_db("en".to_owned(), fonts), fonts: HashMap::new() }
    }

    /// Text of a size, in lines of at most a width; both in points.
    pub fn lines(&mut self, text: &str, size: f32, bold: bool, width: f32) -> Vec<Line> {
        let mut buffer = Buffer::new(&mut self.system, Metrics::new(size, size * LEADING));
        buffer.set_size(Some(width), None);
        let weight = if bold { Weight::SEMIBOLD } else { Weight::NORMAL };
        let attributes = Attrs::new().family(Family::Name(FAMILY)).weight(weight);
        buffer.set_text(text, &attributes, Shaping::Advanced, None);
        buffer.shape_until_scroll(&mut self.system, false);
        let mut lines = Vec::new();
        for line in buffer.layout_runs() {
            let mut runs: Vec<(fontdb::ID, f32, Vec<KrillaGlyph>)> = Vec::new();
            for glyph in line.glyphs {
                let set =
                    in_file(glyph.glyph_id, glyph.start..glyph.end, glyph.w, glyph.x_offset, glyph.y_offset, size);
                match runs.last_mut() {
                    Some((font, _, glyphs)) if *font == glyph.font_id => glyphs.push(set),
                    _ => runs.push((glyph.font_id, glyph.x, vec![set])),
                }
            }
            lines.push((line.line_y - line.line_top, line.line_height, line.text.to_owned(), runs));
        }
        let mut set = Vec::with_capacity(lines.len());
        for (baseline, height, text, runs) in lines {
            let runs = runs.into_iter().filter_map(|(id, x, glyphs)| Some(Run { font: self.font(id)?, x, glyphs }));
            set.push(Line { baseline, height, text, runs: runs.collect() });
        }
        set
    }

    fn font(&mut self, id: fontdb::ID) -> Option<Font> {
        let Self { system, fonts } = self;
        let opened = || {
            let (bytes, index) = system.db().with_face_data(id, |bytes, index| (bytes.to_vec(), index))?;
            Font::new(bytes.into(), index)
        };
        fonts.entry(id).or_insert_with(opened).clone()
    }
}

/// A glyph as the file takes it: lengths as shares of the text's size.
fn in_file(id: u16, text: Range<usize>, advance: f32, x: f32, y: f32, size: f32) -> KrillaGlyph {
    KrillaGlyph {
        glyph_id: GlyphId::new(id.into()),
        text_range: text,
        x_advance: advance / size,
        x_offset: x,
        y_offset: y,
        y_advance: 0.0,
        location: None,
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Glyph 0 of any font is the box that stands for what it has not.
    fn boxes(lines: &[Line]) -> usize {
        let glyphs = lines.iter().flat_map(|line| &line.runs).flat_map(|run| &run.glyphs);
        glyphs.filter(|glyph| glyph.glyph_id == GlyphId::new(0)).count()
    }

    #[rstest]
    #[case::latin("Vetreria Ombralunga, Šárka Nováková, ß")]
    #[case::greek("Γυαλί και φως")]
    #[case::cyrillic("Стекло и свет")]
    fn scripts_of_europe_need_no_font_of_the_machines(#[case] text: &str) {
        let mut fonts = fontdb::Database::new();
        FONTS.iter().for_each(|font| fonts.load_font_data(font.to_vec()));
        let system = FontSystem::new_with_locale_and_db("en".to_owned(), fonts);
        let mut typesetter = Typesetter { system, fonts: HashMap::new() };
        for bold in [false, true] {
            let lines = typesetter.lines(text, 10.0, bold, 500.0);
            assert_eq!((lines.len(), boxes(&lines)), (1, 0), "{text}");
            assert!(lines[0].runs[0].glyphs.iter().all(|glyph| glyph.x_advance > 0.0));
        }
    }

    #[test]
    fn lines_hold_all_words_and_no_more_than_fits() {
        let text = "Everyday, fine, then Lanczos 3 to the exact size averyveryverylongfilenamewithoutanyspaceinit.tif";
        let lines = Typesetter::new().lines(text, 10.0, false, 120.0);
        assert!(lines.len() > 3);
        let mut said = Vec::new();
        for line in &lines {
            let width: f32 = line.runs.iter().flat_map(|run| &run.glyphs).map(|glyph| glyph.x_advance * 10.0).sum();
            // A space at a line's end hangs over.
            assert!(width < 124.0, "{width}");
            said.extend(line.runs.iter().flat_map(|run| &run.glyphs).map(|glyph| &line.text[glyph.text_range.clone()]));
        }
        assert_eq!(said.concat().replace(' ', ""), text.replace(' ', ""));
    }

    #[test]
    fn an_empty_text_takes_no_glyph() {
        assert!(Typesetter::new().lines("", 10.0, false, 120.0).iter().all(|line| line.runs.is_empty()));
    }
}
