use super::pdf::pdf;
use super::svg::svg;
use super::*;
use crate::chance::scattered;
use crate::picture::Planes;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::trace::{Ink, Tracing};
use rstest::rstest;

/// A picture drawn with soft edges at `scale` times its size: a colour for each place, in small pixels.
fn drawn(small: Size, scale: u32, colour: impl Fn(f64, f64) -> Colour) -> Planes {
    let size = Size::new(small.width * scale, small.height * scale);
    const ACROSS: u32 = 8;
    let mut values = vec![0.0; 3 * size.area() as usize];
    for y in 0..size.height {
        for x in 0..size.width {
            let mut sum = [0.0_f32; 3];
            // An edge is as soft as a small pixel is wide.
            for j in 0..ACROSS {
                for i in 0..ACROSS {
                    let spread = |k: u32| (f64::from(k) + 0.5) / f64::from(ACROSS) - 0.5;
                    let at = |px: u32, k: u32| (f64::from(px) + 0.5) / f64::from(scale) + spread(k);
                    let one = colour(at(x, i), at(y, j));
                    (0..3).for_each(|c| sum[c] += one[c] / (ACROSS * ACROSS) as f32);
                }
            }
            let i = (y * size.width + x) as usize;
            (0..3).for_each(|c| values[c * size.area() as usize + i] = sum[c]);
        }
    }
    Planes::from_values(size, values)
}

const WHITE: Colour = [1.0, 1.0, 1.0];
const BLUE: Colour = [0.1, 0.2, 0.6];
const AMBER: Colour = [0.9, 0.6, 0.1];

fn emblem(x: f64, y: f64) -> Colour {
    let from = (x - 40.0).hypot(y - 40.0);
    if (x - 40.0).abs() < 10.0 && (y - 40.0).abs() < 10.0 {
        AMBER
    } else if from < 30.0 {
        BLUE
    } else {
        WHITE
    }
}

#[test]
fn a_page_is_as_large_as_the_print_and_holds_every_segment_and_colour() {
    let small = Size::new(80, 80);
    let traced = trace(&drawn(small, 4, emblem), small, 32).unwrap();
    let file = pdf(&traced, Some((254.0, 127.0)));
    let text = String::from_utf8_lossy(&file);
    assert!(text.starts_with("%PDF-1.7") && text.trim_end().ends_with("%%EOF"));
    assert!(text.contains("/MediaBox [0 0 720 360]") && text.contains("/ICCBased"), "{text}");
    let count = |operator: &str| text.lines().filter(|line| line.split(' ').next_back() == Some(operator)).count();
    let segments = |line: bool| {
        let all = traced.shapes.iter().flat_map(|shape| &shape.outlines).flat_map(|outline| &outline.segments);
        all.filter(|segment| matches!(segment, Segment::Line(_)) == line).count()
    };
    assert_eq!([count("l"), count("c")], [segments(true), segments(false)]);
    assert_eq!([count("scn"), count("f*")], [3, 3], "white, blue and amber");
    // Without a print, 96 of its pixels are an inch.
    assert!(String::from_utf8_lossy(&pdf(&traced, None)).contains("/MediaBox [0 0 60 60]"));
}

/// The emblem in other inks: its amber as blue, its blue as a spot colour.
fn inked(clear: bool) -> Traced {
    let small = Size::new(80, 80);
    let traced = trace(&drawn(small, 4, emblem), small, 32).unwrap();
    let [_, blue, amber] = [0, 1, 2].map(|i| to_hex(traced.shapes[i].colour));
    let ink =
        |found, printed: &str, name: &str| Ink { found, printed: printed.parse().unwrap(), name: name.to_owned() };
    let inks = vec![ink(blue, "#102a50", "Kiln blue <1>"), ink(amber, "#102a50", "")];
    traced.printed(&Tracing { inks, clear, ..Tracing::usual() })
}

#[test]
fn a_drawing_is_printed_in_its_inks() {
    let printed = inked(false);
    let colours: Vec<String> = printed.colours().into_iter().map(|colour| to_hex(colour).to_string()).collect();
    assert_eq!(colours.len(), 2, "two are merged: {colours:?}");
    assert_eq!(colours[1], "#102a50");
    let text = svg(&printed, None);
    assert!(text.contains("<title>Kiln blue &lt;1&gt;</title>"), "{text}");
    assert_eq!(text.matches("<title>").count(), 1);
    let page = pdf(&printed, None);
    let page = String::from_utf8_lossy(&page);
    assert!(page.contains("/Separation /Kiln#20blue#20#3C1#3E"), "{page}");
    assert!(page.contains("/Spot0 cs\n1 scn"), "{page}");
}

#[test]
fn a_clear_ground_is_left_out_of_files_and_white_in_pixels() {
    let (whole, clear) = (inked(false), inked(true));
    assert_eq!((whole.shapes.len(), clear.shapes.len()), (3, 2));
    assert_eq!(svg(&clear, None).matches("<path ").count(), 2);
    let size = Size::new(160, 160);
    let corner = clear.pixels(size, Region::of(0, 0, 4, 4));
    assert_eq!(corner.values(), [1.0; 48]);
    let middle = clear.pixels(size, Region::of(78, 78, 2, 2));
    assert!((middle.plane(2)[0] - 80.0 / 255.0).abs() < 1e-5, "{:?}", middle.plane(2));
    // What now lies lowest does not reach the edge.
    assert_eq!(clear.printed(&Tracing { clear: true, ..Tracing::usual() }).shapes.len(), 2);
}

#[test]
fn a_disc_with_a_square_on_it_is_three_shapes_of_few_nodes() {
    let small = Size::new(80, 80);
    let traced = trace(&drawn(small, 4, emblem), small, 32).unwrap();
    let near = |a: Colour, b: Colour| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 0.02);
    let colours: Vec<Colour> = traced.shapes.iter().map(|shape| shape.colour).collect();
    assert_eq!(colours.len(), 3, "{colours:?}");
    assert!(near(colours[0], WHITE) && near(colours[1], BLUE) && near(colours[2], AMBER), "{colours:?}");
    // The ground is the whole picture, the disc a few curves without a hole, the square four lines.
    let counts: Vec<usize> = traced.shapes.iter().map(|shape| shape.outlines.len()).collect();
    assert_eq!(counts, [1, 1, 1]);
    assert!(traced.shapes[1].outlines[0].segments.len() <= 8, "{:?}", traced.shapes[1]);
    let square = &traced.shapes[2].outlines[0];
    assert_eq!(square.segments.len(), 4, "{square:?}");
    for (x, y) in [(30.0, 30.0), (50.0, 30.0), (50.0, 50.0), (30.0, 50.0)] {
        let off = square.segments.iter().map(|s| (s.end().0 - x).hypot(s.end().1 - y)).fold(f64::INFINITY, f64::min);
        assert!(off < 0.35, "the corner at {x} {y} is off by {off} px");
    }
    let rim = &traced.shapes[1].outlines[0];
    let off = rim.segments.iter().map(|s| ((s.end().0 - 40.0).hypot(s.end().1 - 40.0) - 30.0).abs());
    assert!(off.fold(0.0, f64::max) < 0.2, "{rim:?}");
}

#[test]
fn what_lies_between_two_colours_is_not_taken_for_a_third() {
    // Half grey is a colour of its own in a corner, and what an edge of black on white looks like.
    let small = Size::new(60, 60);
    let picture = drawn(small, 4, |x, y| match (x < 20.0, y < 20.0) {
        (true, true) => [0.5; 3],
        _ if (x - 40.0).abs() < 8.0 && (y - 40.0).abs() < 8.0 => [0.0; 3],
        _ => WHITE,
    });
    let traced = trace(&picture, small, 32).unwrap();
    let grey = traced.shapes.iter().find(|shape| (shape.colour[0] - 0.5).abs() < 0.05).unwrap();
    let ends = grey.outlines.iter().flat_map(|outline| &outline.segments).map(Segment::end);
    assert!(ends.into_iter().all(|(x, y)| x < 21.0 && y < 21.0), "{grey:?}");
}

#[test]
fn a_thin_line_keeps_its_colour() {
    let small = Size::new(60, 40);
    let inked = |x: f64, y: f64| x < 4.0 || ((y - 20.0).abs() < 0.8 && (8.0..52.0).contains(&x));
    let picture = drawn(small, 4, |x, y| if inked(x, y) { BLUE } else { WHITE });
    let traced = trace(&picture, small, 32).unwrap();
    let line = traced.shapes.iter().filter(|shape| shape.colour[2] > shape.colour[0] + 0.2);
    let across = line.flat_map(|s| &s.outlines).flat_map(|o| &o.segments).map(|s| s.end().0).fold(0.0, f64::max);
    assert!(across > 50.0, "it reaches to its end: {across}");
}

#[rstest]
#[case::fewer(2, 2)]
#[case::as_many_as_there_are(32, 3)]
fn colours_are_no_more_than_asked_for(#[case] most: usize, #[case] due: usize) {
    let small = Size::new(80, 80);
    let traced = trace(&drawn(small, 4, emblem), small, most).unwrap();
    assert_eq!(traced.colours().len(), due);
}

#[test]
fn a_photograph_and_a_speck_are_refused_in_words() {
    let small = Size::new(64, 64);
    let rough = drawn(small, 4, |x, y| {
        let v = (0.5 + 0.5 * (x * 1.3).sin() * (y * 1.1).cos()) as f32;
        [v, 1.0 - v, v * v]
    });
    let refused = trace(&rough, small, 32).map(|traced| traced.nodes()).unwrap_err();
    assert!(refused.to_string().contains("no drawing in a few plain colours"), "{refused}");
    let speck = Planes::from_values(Size::new(4, 4), vec![0.5; 48]);
    assert!(matches!(trace(&speck, Size::new(1, 1), 32), Err(TraceError::TooSmall { .. })));
}

#[rstest]
#[case::drawn(|x, y| emblem(x, y), 0.0, true)]
#[case::drawn_and_badly_compressed(|x, y| emblem(x, y), 0.03, true)]
#[case::tones_that_run_into_each_other(|x, y| [x as f32 / 80.0, y as f32 / 80.0, 0.5 + (x as f32 / 30.0).sin() / 3.0], 0.0, false)]
#[case::noise(|_, _| [0.5; 3], 0.2, false)]
fn a_photograph_is_refused_before_it_is_enlarged(
    #[case] colour: impl Fn(f64, f64) -> Colour,
    #[case] noise: f32,
    #[case] passes: bool,
) {
    let mut small = drawn(Size::new(80, 80), 1, colour);
    let chance = |i: usize| scattered(i as u64) as f32 / u64::MAX as f32;
    small.values_mut().iter_mut().enumerate().for_each(|(i, value)| *value += noise * (chance(i) - 0.5));
    let refused = palette::refuse_photograph(&small);
    assert_eq!(refused.is_ok(), passes, "{refused:?}");
    assert_eq!(palette::plain_colours(&small), passes.then_some(3));
}

#[test]
fn the_file_says_its_size_and_draws_every_shape() {
    let small = Size::new(80, 80);
    let traced = trace(&drawn(small, 4, emblem), small, 32).unwrap();
    let text = svg(&traced, Some((600.0, 600.0)));
    assert!(text.contains("width=\"600mm\" height=\"600mm\" viewBox=\"0 0 80 80\""), "{text}");
    assert_eq!(text.matches("<path ").count(), 3);
    assert_eq!(text.matches('Z').count(), 3);
    assert_eq!(
        text,
        svg(&trace(&drawn(small, 4, emblem), small, 32).unwrap(), Some((600.0, 600.0))),
        "always the same"
    );
    assert!(svg(&traced, None).contains("width=\"80\" height=\"80\""));
}
