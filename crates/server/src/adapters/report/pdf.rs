//! The same report on A4 pages.

use dettaglio_core::picture::Planes;
use dettaglio_domain::size::POINTS_PER_MM;
use krilla::Document;
use krilla::color::rgb;
use krilla::geom::{Point, Size, Transform};
use krilla::image::Image;
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::paint::Fill;

use super::contents::{Entry, Report, bytes, results};
use super::typeset::{Line, Typesetter};

/// Points in a millimetre.
const MM: f32 = POINTS_PER_MM as f32;
const WIDTH: f32 = 210.0 * MM;
const HEIGHT: f32 = 297.0 * MM;
const MARGIN: f32 = 18.0 * MM;

/// Between two pictures.
const GAP: f32 = 4.0 * MM;

/// Width of a picture on paper: two of them fill a line.
const PICTURE: f32 = (WIDTH - 2.0 * MARGIN - GAP) / 2.0;

/// Black with the warmth of the screen's text.
const INK: (u8, u8, u8) = (35, 33, 30);

/// The pages as a file; says why where one could not be written.
pub fn pdf(report: &Report) -> Result<Vec<u8>, String> {
    let details = &report.order.details;
    let mut sheet = Sheet::new();
    sheet.text(&details.title, 18.0, true);
    let mut about: Vec<String> =
        [&details.client, &details.purpose].into_iter().filter(|t| !t.is_empty()).cloned().collect();
    about.push(results(report.entries.len()));
    about.push(report.made_at.format("%-d %B %Y").to_string());
    sheet.text(&about.join(", "), 10.0, false);
    for entry in &report.entries {
        sheet.entry(entry);
    }
    sheet.finish(&details.title)
}

/// Something at its place on a page, in points from the upper left corner.
enum Placed {
    Text { line: Line, size: f32, y: f32 },
    Picture { image: Image, x: f32, y: f32, height: f32 },
}

/// Pages that are filled from the top.
struct Sheet {
    typesetter: Typesetter,
    pages: Vec<Vec<Placed>>,
    page: Vec<Placed>,
    /// Where the next thing goes, from the upper edge.
    y: f32,
}

impl Sheet {
    fn new() -> Self {
        Self { typesetter: Typesetter::new(), pages: Vec::new(), page: Vec::new(), y: MARGIN }
    }

    /// A new page when so much does not fit any more.
    fn room(&mut self, height: f32) {
        if self.y + height > HEIGHT - MARGIN {
            self.pages.push(std::mem::take(&mut self.page));
            self.y = MARGIN;
        }
    }

    fn text(&mut self, text: &str, size: f32, bold: bool) {
        for line in self.typesetter.lines(text, size, bold, WIDTH - 2.0 * MARGIN) {
            let height = line.height;
            self.room(height);
            self.page.push(Placed::Text { line, size, y: self.y });
            self.y += height;
        }
    }

    fn entry(&mut self, entry: &Entry) {
        self.room(60.0 * MM);
        self.y += 6.0 * MM;
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
            self.room(height + 7.0 * MM);
            let y = self.y + 2.0 * MM;
            for (planes, x) in [(&cut.before, MARGIN), (&cut.after, MARGIN + PICTURE + GAP)] {
                self.page.push(Placed::Picture { image: image(planes), x, y, height });
            }
            self.y = y + height;
            self.text(&format!("{}: by bicubic resampling, and the result", cut.name), 8.0, false);
        }
    }

    fn finish(mut self, title: &str) -> Result<Vec<u8>, String> {
        self.pages.push(self.page);
        let mut document = Document::new();
        document.set_metadata(Metadata::new().title(title.to_owned()));
        for placed in self.pages {
            let settings = PageSettings::from_wh(WIDTH, HEIGHT).expect("the size of A4");
            let mut page = document.start_page_with(settings);
            let mut surface = page.surface();
            surface.set_fill(Some(Fill { paint: rgb::Color::new(INK.0, INK.1, INK.2).into(), ..Fill::default() }));
            for thing in placed {
                match thing {
                    Placed::Text { line, size, y } => {
                        for run in line.runs {
                            let start = Point::from_xy(MARGIN + run.x, y + line.baseline);
                            surface.draw_glyphs(start, &run.glyphs, run.font, &line.text, size, false);
                        }
                    }
                    Placed::Picture { image, x, y, height } => {
                        surface.push_transform(&Transform::from_translate(x, y));
                        let size = Size::from_wh(PICTURE, height).expect("a picture has two sides");
                        surface.draw_image(image, size);
                        surface.pop();
                    }
                }
            }
            surface.finish();
            page.finish();
        }
        document.finish().map_err(|error| format!("the report could not be written: {error:?}"))
    }
}

fn image(planes: &Planes) -> Image {
    let size = planes.size();
    let (values, area) = (planes.values(), size.area() as usize);
    let level = |v: f32| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
    let pixels =
        (0..area).flat_map(|i| [values[i], values[area + i], values[2 * area + i]].map(level).into_iter().chain([255]));
    Image::from_rgba8(pixels.collect(), size.width, size.height)
}
