//! The same report on A4 pages.

use dettaglio_core::picture::Planes;
use printpdf::{
    BuiltinFont, Color, Mm, Op, PdfDocument, PdfFontHandle, PdfPage, PdfSaveOptions, Point, Pt, RawImage, RawImageData,
    RawImageFormat, Rgb, TextItem, XObjectTransform,
};

use super::contents::{Entry, Report, bytes};

const WIDTH: f32 = 210.0;
const HEIGHT: f32 = 297.0;
const MARGIN: f32 = 18.0;

/// Width of a picture on paper, in mm: two of them fill a line.
const PICTURE: f32 = (WIDTH - 2.0 * MARGIN - 4.0) / 2.0;

/// Characters of a line in the text's size; builtin fonts have no measure at hand, and a little room is left.
const LINE: usize = 102;

/// The pages as a file.
pub fn pdf(report: &Report) -> Vec<u8> {
    let details = &report.order.details;
    let mut sheet = Sheet::new(&details.title);
    sheet.text(&details.title, 18.0, true);
    let mut about: Vec<String> =
        [&details.client, &details.purpose].into_iter().filter(|t| !t.is_empty()).cloned().collect();
    about.push(format!("{} results", report.entries.len()));
    about.push(report.made_at.format("%-d %B %Y").to_string());
    sheet.text(&about.join(", "), 10.0, false);
    for entry in &report.entries {
        sheet.entry(entry);
    }
    sheet.finish()
}

struct Sheet {
    document: PdfDocument,
    pages: Vec<PdfPage>,
    ops: Vec<Op>,
    /// The next line's place, in mm from the lower edge.
    y: f32,
}

impl Sheet {
    fn new(title: &str) -> Self {
        Self { document: PdfDocument::new(title), pages: Vec::new(), ops: Vec::new(), y: HEIGHT - MARGIN }
    }

    /// A new page when so much does not fit any more.
    fn room(&mut self, mm: f32) {
        if self.y - mm < MARGIN {
            let ops = std::mem::take(&mut self.ops);
            self.pages.push(PdfPage::new(Mm(WIDTH), Mm(HEIGHT), ops));
            self.y = HEIGHT - MARGIN;
        }
    }

    fn text(&mut self, text: &str, size: f32, bold: bool) {
        let per_line = (LINE as f32 * 10.0 / size) as usize;
        for line in wrapped(text, per_line) {
            let height = size * 0.5;
            self.room(height);
            self.y -= height;
            let font = if bold { BuiltinFont::HelveticaBold } else { BuiltinFont::Helvetica };
            let colour = Rgb { r: 0.137, g: 0.129, b: 0.118, icc_profile: None };
            self.ops.extend([
                Op::StartTextSection,
                Op::SetFillColor { col: Color::Rgb(colour) },
                Op::SetFont { font: PdfFontHandle::Builtin(font), size: Pt(size) },
                Op::SetTextCursor { pos: Point::new(Mm(MARGIN), Mm(self.y)) },
                Op::ShowText { items: vec![TextItem::Text(line)] },
                Op::EndTextSection,
            ]);
        }
    }

    fn entry(&mut self, entry: &Entry) {
        self.room(60.0);
        self.y -= 6.0;
        self.text(&entry.file_name, 12.0, true);
        let lines = [
            format!("Original: {}, {}", entry.original, entry.original_size),
            format!("Result: {}, {}, {}", entry.size, entry.format, bytes(entry.bytes)),
            format!("Treatment: {}", entry.treatment),
            format!("Reading: {}", entry.reading.join(" ")),
            format!("Print: {}", entry.verdict),
            format!("Looked through: {}. Time: {:.0} s.", entry.opinion, entry.seconds),
        ];
        for line in lines {
            self.text(&line, 9.0, false);
        }
        for cut in &entry.cuts {
            let size = cut.before.size();
            let height = PICTURE * size.height as f32 / size.width as f32;
            self.room(height + 7.0);
            self.y -= height + 2.0;
            self.picture(&cut.before, MARGIN);
            self.picture(&cut.after, MARGIN + PICTURE + 4.0);
            self.text(&format!("{}: by bicubic resampling, and the result", cut.name), 8.0, false);
        }
    }

    fn picture(&mut self, planes: &Planes, x: f32) {
        let size = planes.size();
        let values = planes.values();
        let area = size.area() as usize;
        let level = |v: f32| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
        let pixels = (0..area).flat_map(|i| [0, 1, 2].map(|c| level(values[c * area + i]))).collect();
        let id = self.document.add_image(&RawImage {
            pixels: RawImageData::U8(pixels),
            width: size.width as usize,
            height: size.height as usize,
            data_format: RawImageFormat::RGB8,
            tag: Vec::new(),
        });
        let transform = XObjectTransform {
            translate_x: Some(Mm(x).into_pt()),
            translate_y: Some(Mm(self.y).into_pt()),
            dpi: Some(size.width as f32 / (PICTURE / 25.4)),
            ..XObjectTransform::default()
        };
        self.ops.push(Op::UseXobject { id, transform });
    }

    fn finish(mut self) -> Vec<u8> {
        self.pages.push(PdfPage::new(Mm(WIDTH), Mm(HEIGHT), self.ops));
        self.document.with_pages(self.pages).save(&PdfSaveOptions::default(), &mut Vec::new())
    }
}

/// Lines of so many characters at most, broken between words where that can be.
fn wrapped(text: &str, most: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let mut word: Vec<char> = word.chars().collect();
        loop {
            let line = lines.last_mut().expect("at least one");
            let taken = line.chars().count();
            let space = usize::from(taken > 0);
            if taken + space + word.len() <= most {
                if space == 1 {
                    line.push(' ');
                }
                line.extend(word);
                break;
            }
            if taken == 0 {
                line.extend(word.drain(..most));
            }
            lines.push(String::new());
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_hold_all_words_and_no_more_than_fits() {
        let text = "Everyday, fine, then Lanczos 3 to the exact size averyveryverylongfilenamewithoutanyspace.tif";
        let lines = wrapped(text, 20);
        assert!(lines.iter().all(|line| line.chars().count() <= 20), "{lines:?}");
        assert_eq!(lines.concat().replace(' ', ""), text.replace(' ', ""));
        assert_eq!(wrapped("", 20), [""]);
    }
}
