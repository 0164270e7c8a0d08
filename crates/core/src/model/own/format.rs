//! A picture as the numbers of a network's tensor, and back.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::model::{Layout, TensorFormat};

use crate::picture::Planes;

/// A picture's numbers in the network's order and range.
pub fn pack(format: &TensorFormat, planes: &Planes) -> Vec<f32> {
    let range = format.input_range;
    if format.channels == 1 {
        return planes.luminance().into_iter().map(|v| range.of_unit(v)).collect();
    }
    let area = planes.size().area() as usize;
    match format.layout {
        Layout::ChannelsFirst => {
            (0..3).flat_map(|c| planes.plane(format.colour(c)).iter().map(|v| range.of_unit(*v))).collect()
        }
        Layout::ChannelsLast => {
            (0..3 * area).map(|i| range.of_unit(planes.plane(format.colour(i % 3))[i / 3])).collect()
        }
    }
}

/// The picture in a network's numbers; grey in all three colours where it answers brightness alone.
pub fn unpack(format: &TensorFormat, size: Size, values: &[f32]) -> Planes {
    let area = size.area() as usize;
    let mut out = Planes::black(size);
    for channel in 0..3 {
        let to = &mut out.values_mut()[channel * area..][..area];
        let from = format.colour(channel);
        for (i, value) in to.iter_mut().enumerate() {
            let at = match (format.channels, format.layout) {
                (1, _) => i,
                (_, Layout::ChannelsFirst) => from * area + i,
                (_, Layout::ChannelsLast) => 3 * i + from,
            };
            *value = format.output_range.to_unit(values[at]);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::model::Range;
    use rstest::rstest;

    #[rstest]
    fn what_is_packed_is_unpacked(
        #[values(Layout::ChannelsFirst, Layout::ChannelsLast)] layout: Layout,
        #[values(Range::Unit, Range::Byte, Range::Signed)] range: Range,
        #[values(false, true)] blue_first: bool,
    ) {
        let size = Size::new(5, 3);
        let planes = Planes::from_values(size, (0..45).map(|i| i as f32 / 44.0).collect());
        let format = TensorFormat { layout, channels: 3, input_range: range, output_range: range, blue_first };
        let back = unpack(&format, size, &pack(&format, &planes));
        let worst = back.values().iter().zip(planes.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(worst < 1e-6, "{worst}");
        assert_eq!(format.size(&format.shape(size).map(|n| n as i64)), Some(size));
    }

    #[test]
    fn the_first_number_is_the_first_colours() {
        let planes = Planes::from_values(Size::new(1, 1), vec![0.1, 0.2, 0.3]);
        let format = TensorFormat {
            layout: Layout::ChannelsLast,
            channels: 3,
            input_range: Range::Byte,
            output_range: Range::Byte,
            blue_first: true,
        };
        assert!((pack(&format, &planes)[0] - 0.3 * 255.0).abs() < 1e-4);
    }

    #[rstest]
    #[case(&[1, 3, 8, 6], Some(Size::new(6, 8)))]
    #[case(&[1, 1, 8, 6], None)]
    #[case(&[2, 3, 8, 6], None)]
    #[case(&[1, 3, 0, 6], None)]
    #[case(&[1, 1000], None)]
    fn only_a_picture_has_a_size(#[case] shape: &[i64], #[case] size: Option<Size>) {
        assert_eq!(TensorFormat::USUAL.size(shape), size);
    }
}
