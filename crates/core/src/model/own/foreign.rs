//! A strange network made to look like our own.

use std::sync::{Mutex, mpsc};
use std::time::Duration;

use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, Element, Layout, TensorFormat, Trial};
use ort::session::{RunOptions, Session};
use ort::value::{TensorElementType, TensorRef, ValueType};

use super::format::{pack, unpack};
use super::refusal::Refusal;
use crate::enlarge::{Averaging, resample_in};
use crate::model::error::ModelError;
use crate::model::network::{Corner, Network, finite};
use crate::picture::Planes;

/// Something that answers numbers to numbers: a session, or a stand-in for one.
pub trait Raw {
    /// Runs on a tensor of this shape; answers the shape and the numbers of its first output.
    fn run(&self, shape: [usize; 4], values: &[f32]) -> Result<(Vec<i64>, Vec<f32>), String>;
}

/// What a file says of its input before it is run.
#[derive(Clone, Debug, PartialEq)]
pub struct Declared {
    /// Layouts and channels that its shape allows, the likeliest first.
    pub formats: Vec<(Layout, u32)>,
    /// Its numbers.
    pub element: Element,
}

impl Declared {
    /// From the runtime's description; refuses what cannot be a picture.
    pub fn of(session: &Session) -> Result<Self, Refusal> {
        let [input] = session.inputs() else {
            let names = session.inputs().iter().map(|i| i.name().to_owned()).collect();
            return Err(Refusal::Inputs { names });
        };
        let ValueType::Tensor { ty, shape, .. } = input.dtype() else { return Err(Refusal::NoPictureIn) };
        let element = match ty {
            TensorElementType::Float32 => Element::Float,
            TensorElementType::Uint8 => Element::Byte,
            other => return Err(Refusal::Element { element: other.to_string() }),
        };
        let &[batch, a, b, c] = &shape[..] else { return Err(Refusal::Rank { rank: shape.len() }) };
        if batch > 1 {
            return Err(Refusal::Batch { batch });
        }
        let free = |side: i64| side < 1;
        let mut formats = Vec::new();
        for channels in [3, 1] {
            for (layout, at, sides) in [(Layout::ChannelsFirst, a, [b, c]), (Layout::ChannelsLast, c, [a, b])] {
                if (free(at) || at == i64::from(channels)) && sides.iter().all(|s| free(*s)) {
                    formats.push((layout, channels));
                }
            }
        }
        if formats.is_empty() {
            let picture = [(a, [b, c]), (c, [a, b])].into_iter().find(|(channels, _)| matches!(channels, 1 | 3));
            return Err(match picture {
                Some((_, [height, width])) => Refusal::FixedSize { width, height },
                None => Refusal::Channels { shape: shape.to_vec() },
            });
        }
        Ok(Self { formats, element })
    }
}

/// A session with the names of its input and output.
pub struct OnnxRaw {
    session: Mutex<Session>,
    input: String,
    output: String,
    element: Element,
    limit: Duration,
}

impl OnnxRaw {
    /// A session that is stopped when a run takes longer than the limit.
    pub fn new(session: Session, element: Element, limit: Duration) -> Result<Self, Refusal> {
        let name = |outlets: &[ort::value::Outlet]| outlets.first().map(|o| o.name().to_owned());
        let input = name(session.inputs()).ok_or(Refusal::NoPictureIn)?;
        let output = name(session.outputs()).ok_or(Refusal::NoPictureOut { answer: "nothing".to_owned() })?;
        Ok(Self { session: Mutex::new(session), input, output, element, limit })
    }
}

impl Raw for OnnxRaw {
    fn run(&self, shape: [usize; 4], values: &[f32]) -> Result<(Vec<i64>, Vec<f32>), String> {
        let text = |e: ort::Error| e.to_string();
        let options = RunOptions::new().map_err(text)?;
        // A panic elsewhere while the session was held leaves the session itself as it was.
        let mut session = self.session.lock().unwrap_or_else(|e| e.into_inner());
        let (done, waiting) = mpsc::channel::<()>();
        std::thread::scope(|scope| {
            let (options, limit) = (&options, self.limit);
            scope.spawn(move || {
                if waiting.recv_timeout(limit) == Err(mpsc::RecvTimeoutError::Timeout) {
                    let _ = options.terminate();
                }
            });
            let bytes: Vec<u8>;
            let inputs = match self.element {
                Element::Float => {
                    ort::inputs![&self.input => TensorRef::from_array_view((shape, values)).map_err(text)?]
                }
                Element::Byte => {
                    bytes = values.iter().map(|v| v.round().clamp(0.0, 255.0) as u8).collect();
                    ort::inputs![&self.input => TensorRef::from_array_view((shape, &bytes[..])).map_err(text)?]
                }
            };
            let answer = session.run_with_options(inputs, options).map_err(text).and_then(|outputs| {
                let output = &outputs[self.output.as_str()];
                if let Ok((shape, values)) = output.try_extract_tensor::<f32>() {
                    return Ok((shape.to_vec(), values.to_vec()));
                }
                let (shape, values) = output.try_extract_tensor::<u8>().map_err(text)?;
                Ok((shape.to_vec(), values.iter().map(|v| f32::from(*v)).collect()))
            });
            drop(done);
            answer
        })
    }
}

/// A person's own model behind the trait of every other.
pub struct Foreign {
    id: String,
    factor: u32,
    halo: u32,
    multiple: u32,
    trial: Trial,
    raw: Box<dyn Raw + Send + Sync>,
}

impl Foreign {
    /// A network that is run as the card's trial found out.
    pub fn new(card: &Card, trial: Trial, raw: Box<dyn Raw + Send + Sync>) -> Self {
        Self { id: card.id.clone(), factor: card.factor(), halo: card.halo, multiple: card.multiple, trial, raw }
    }
}

impl Network for Foreign {
    fn factor(&self) -> u32 {
        self.factor
    }

    fn halo(&self) -> u32 {
        self.halo
    }

    fn multiple(&self) -> u32 {
        self.multiple
    }

    fn block_columns(&self) -> u32 {
        self.trial.block_columns
    }

    fn run_at(&self, input: &Planes, _: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let failed = |why: String| ModelError::Run { id: self.id.clone(), why };
        let full = input.filled_up(self.multiple);
        let answer = picture(&*self.raw, &self.trial.format, full.as_ref().unwrap_or(input)).map_err(failed)?;
        let due = full.as_ref().unwrap_or(input).size().times(self.factor);
        if answer.size() != due {
            return Err(failed(format!("it answered {} where {due} was due", answer.size())));
        }
        let size = input.size().times(self.factor);
        Ok(if answer.size() == size { answer } else { answer.into_part(size.whole()) })
    }
}

/// A picture through a network; where it knows brightness alone, colour is resampled plainly.
pub fn picture(raw: &dyn Raw, format: &TensorFormat, input: &Planes) -> Result<Planes, String> {
    let (shape, values) = raw.run(format.shape(input.size()), &pack(format, input))?;
    let size = format.size(&shape).ok_or_else(|| format!("it answered {shape:?}, which is no picture"))?;
    if values.len() as u64 != size.area() * u64::from(format.channels) {
        return Err(format!("it answered {} numbers for {shape:?}", values.len()));
    }
    finite(&values)?;
    let answer = unpack(format, size, &values);
    Ok(if format.channels == 1 { coloured(&answer, input, size) } else { answer })
}

/// The brightness of one picture with the colour of another.
fn coloured(grey: &Planes, input: &Planes, size: Size) -> Planes {
    let mut plain = if input.size() == size {
        input.clone()
    } else {
        resample_in(input, size, size.whole(), Kernel::Bicubic, Averaging::Encoded)
    };
    let area = size.area() as usize;
    let luminance = plain.luminance();
    for (i, value) in plain.values_mut().iter_mut().enumerate() {
        *value += grey.plane(0)[i % area] - luminance[i % area];
    }
    plain
}
