//! How a network wants its pictures, and how it answers.

use serde::{Deserialize, Serialize};

use crate::picture::{Planes, Size};

/// Which axis of the tensor holds the colours.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Layout {
    /// (1, channels, height, width).
    ChannelsFirst,
    /// (1, height, width, channels).
    ChannelsLast,
}

/// What stands for black and white.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Range {
    /// 0 to 1.
    Unit,
    /// 0 to 255.
    Byte,
    /// -1 to 1.
    Signed,
}

impl Range {
    /// All of them, the likeliest first.
    pub const ALL: [Self; 3] = [Self::Unit, Self::Byte, Self::Signed];

    fn of_unit(self, value: f32) -> f32 {
        match self {
            Self::Unit => value,
            Self::Byte => value * 255.0,
            Self::Signed => value * 2.0 - 1.0,
        }
    }

    fn to_unit(self, value: f32) -> f32 {
        match self {
            Self::Unit => value,
            Self::Byte => value / 255.0,
            Self::Signed => (value + 1.0) / 2.0,
        }
    }
}

/// The type of the tensor's numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Element {
    /// 32-bit float.
    Float,
    /// 8-bit unsigned.
    Byte,
}

/// All of it together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TensorFormat {
    /// Where the colours are.
    pub layout: Layout,
    /// 3 colours, or 1 for brightness alone; colour is then resampled plainly.
    pub channels: u32,
    /// What is given for black and white.
    pub input_range: Range,
    /// What it answers for black and white.
    pub output_range: Range,
    /// Blue comes first.
    pub blue_first: bool,
}

impl TensorFormat {
    /// What most networks want: channels first, red first, 0 to 1.
    pub const USUAL: Self = Self {
        layout: Layout::ChannelsFirst,
        channels: 3,
        input_range: Range::Unit,
        output_range: Range::Unit,
        blue_first: false,
    };

    /// The shape of a picture's tensor.
    pub fn shape(&self, size: Size) -> [usize; 4] {
        let (channels, height, width) = (self.channels as usize, size.height as usize, size.width as usize);
        match self.layout {
            Layout::ChannelsFirst => [1, channels, height, width],
            Layout::ChannelsLast => [1, height, width, channels],
        }
    }

    /// The size of the picture in a tensor of this shape; nothing when it is no picture of this format.
    pub fn size(&self, shape: &[i64]) -> Option<Size> {
        let &[1, a, b, c] = shape else { return None };
        let (channels, height, width) = match self.layout {
            Layout::ChannelsFirst => (a, b, c),
            Layout::ChannelsLast => (c, a, b),
        };
        let side = |px: i64| u32::try_from(px).ok().filter(|px| *px > 0);
        (channels == i64::from(self.channels)).then(|| Some(Size::new(side(width)?, side(height)?)))?
    }

    /// A picture's numbers in the network's order and range.
    pub fn pack(&self, planes: &Planes) -> Vec<f32> {
        let range = self.input_range;
        if self.channels == 1 {
            return planes.luminance().into_iter().map(|v| range.of_unit(v)).collect();
        }
        let area = planes.size().area() as usize;
        match self.layout {
            Layout::ChannelsFirst => {
                (0..3).flat_map(|c| planes.plane(self.colour(c)).iter().map(|v| range.of_unit(*v))).collect()
            }
            Layout::ChannelsLast => {
                (0..3 * area).map(|i| range.of_unit(planes.plane(self.colour(i % 3))[i / 3])).collect()
            }
        }
    }

    /// The picture in a network's numbers; grey in all three colours where it answers brightness alone.
    pub fn unpack(&self, size: Size, values: &[f32]) -> Planes {
        let area = size.area() as usize;
        let mut out = Planes::black(size);
        for channel in 0..3 {
            let to = &mut out.values_mut()[channel * area..][..area];
            let from = self.colour(channel);
            for (i, value) in to.iter_mut().enumerate() {
                let at = match (self.channels, self.layout) {
                    (1, _) => i,
                    (_, Layout::ChannelsFirst) => from * area + i,
                    (_, Layout::ChannelsLast) => 3 * i + from,
                };
                *value = self.output_range.to_unit(values[at]);
            }
        }
        out
    }

    fn colour(&self, place: usize) -> usize {
        if self.blue_first { 2 - place } else { place }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
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
        let back = format.unpack(size, &format.pack(&planes));
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
        assert!((format.pack(&planes)[0] - 0.3 * 255.0).abs() < 1e-4);
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
