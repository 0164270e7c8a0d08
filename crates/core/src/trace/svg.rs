//! Shapes as an SVG file (W3C, SVG 1.1).

use std::fmt::Write;

use quick_xml::escape::partial_escape;

use super::fit::Segment;
use super::shapes::{Traced, to_hex};

/// The file: in millimetres where the print's size is given, else in pixels.
pub fn svg(traced: &Traced, print_mm: Option<(f64, f64)>) -> String {
    let (width, height) = (traced.size.width, traced.size.height);
    let sides = match print_mm {
        Some((across, down)) => format!("width=\"{}mm\" height=\"{}mm\"", figure(across), figure(down)),
        None => format!("width=\"{width}\" height=\"{height}\""),
    };
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\" {sides} viewBox=\"0 0 {width} {height}\">\n"
    );
    for shape in &traced.shapes {
        let mut path = String::new();
        for outline in &shape.outlines {
            let (x, y) = outline.start;
            let _ = write!(path, "M{} {}", figure(x), figure(y));
            for segment in &outline.segments {
                let _ = match *segment {
                    Segment::Line((x, y)) => write!(path, "L{} {}", figure(x), figure(y)),
                    Segment::Curve(a, b, end) => write!(
                        path,
                        "C{} {} {} {} {} {}",
                        figure(a.0),
                        figure(a.1),
                        figure(b.0),
                        figure(b.1),
                        figure(end.0),
                        figure(end.1)
                    ),
                };
            }
            path.push('Z');
        }
        let _ = write!(out, "<path fill=\"{}\" fill-rule=\"evenodd\" d=\"{path}\"", to_hex(shape.colour));
        let _ = match shape.name.as_str() {
            "" => writeln!(out, "/>"),
            name => writeln!(out, "><title>{}</title></path>", partial_escape(name)),
        };
    }
    out.push_str("</svg>\n");
    out
}

/// A hundredth of a small pixel is finer than anybody sees.
fn figure(value: f64) -> String {
    let text = format!("{value:.2}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}
