//! Shapes as a PDF file (ISO 32000-1): one page of the print's size.

use dettaglio_domain::file::OutputProfile;
use dettaglio_domain::size::POINTS_PER_MM;
use pdf_writer::types::ColorSpaceOperand;
use pdf_writer::writers::ColorSpace;
use pdf_writer::{Content, Finish, Name, Pdf, Rect, Ref};

use super::fit::Segment;
use super::shapes::{Shape, Traced};
use crate::colour::ColourProfile;

/// Points in a pixel where the print has no size: 96 pixels are an inch, as in style sheets.
const POINTS_PER_PIXEL: f64 = 72.0 / 96.0;

const SPACE: Name<'static> = Name(b"Colours");

/// The file: a page of so many millimetres where the print's size is given, else of the picture's pixels at 96 to the inch.
pub fn pdf(traced: &Traced, print_mm: Option<(f64, f64)>) -> Vec<u8> {
    let (width, height) = (f64::from(traced.size.width), f64::from(traced.size.height));
    let (across, down) = match print_mm {
        Some((across, down)) => (across * POINTS_PER_MM, down * POINTS_PER_MM),
        None => (width * POINTS_PER_PIXEL, height * POINTS_PER_PIXEL),
    };
    let profile = ColourProfile::standard(OutputProfile::Srgb).expect("sRGB is among them");
    let [catalog, pages, page, drawing, srgb] = [1, 2, 3, 4, 5].map(Ref::new);
    let mut pdf = Pdf::new();
    pdf.catalog(catalog).pages(pages);
    pdf.pages(pages).kids([page]).count(1);
    let mut sheet = pdf.page(page);
    sheet.parent(pages).media_box(Rect::new(0.0, 0.0, across as f32, down as f32)).contents(drawing);
    let mut resources = sheet.resources();
    let mut spaces = resources.color_spaces();
    spaces.insert(SPACE).start::<ColorSpace>().icc_based(srgb);
    for (number, shape) in spots(traced).enumerate() {
        let space = spaces.insert(Name(spot(number).as_bytes())).start::<ColorSpace>();
        let mut ink = space.separation(Name(shape.name.as_bytes()));
        ink.alternate_color_space().icc_based(srgb);
        ink.tint_exponential().domain([0.0, 1.0]).c0([1.0; 3]).c1(shape.colour).n(1.0);
    }
    spaces.finish();
    resources.finish();
    sheet.finish();
    // Pixels from above become points from below.
    let (sx, sy) = (across / width, down / height);
    pdf.stream(drawing, &drawn(traced, [sx as f32, 0.0, 0.0, -sy as f32, 0.0, down as f32]));
    pdf.icc_profile(srgb, profile.bytes()).n(3);
    pdf.finish()
}

/// A shape of each spot colour.
fn spots(traced: &Traced) -> impl Iterator<Item = &Shape> {
    let is_first =
        |number: usize| !traced.shapes[..number].iter().any(|shape| shape.name == traced.shapes[number].name);
    traced
        .shapes
        .iter()
        .enumerate()
        .filter(move |(number, shape)| !shape.name.is_empty() && is_first(*number))
        .map(|(_, shape)| shape)
}

/// What a spot colour's space is called in the file.
fn spot(number: usize) -> String {
    format!("Spot{number}")
}

fn drawn(traced: &Traced, to_points: [f32; 6]) -> Vec<u8> {
    let mut content = Content::new();
    content.transform(to_points);
    for shape in &traced.shapes {
        match spots(traced).position(|spot| spot.name == shape.name) {
            Some(number) => {
                let space = spot(number);
                content.set_fill_color_space(ColorSpaceOperand::Named(Name(space.as_bytes())));
                content.set_fill_color([1.0]);
            }
            None => {
                content.set_fill_color_space(ColorSpaceOperand::Named(SPACE));
                content.set_fill_color(shape.colour);
            }
        }
        for outline in &shape.outlines {
            content.move_to(outline.start.0 as f32, outline.start.1 as f32);
            for segment in &outline.segments {
                match *segment {
                    Segment::Line((x, y)) => content.line_to(x as f32, y as f32),
                    Segment::Curve(a, b, end) => {
                        content.cubic_to(a.0 as f32, a.1 as f32, b.0 as f32, b.1 as f32, end.0 as f32, end.1 as f32)
                    }
                };
            }
            content.close_path();
        }
        content.fill_even_odd();
    }
    content.finish().to_vec()
}
