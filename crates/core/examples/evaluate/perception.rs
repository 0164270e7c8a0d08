//! How far pictures lie apart to a general network that has learned to see, for scores only: nothing of it ships.

use std::path::Path;

use dettaglio_core::model::Engine;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Region;
use ort::session::Session;
use ort::value::TensorRef;

use super::damage::Outcome;

/// The network, written by `python -m dettaglio_foundry.perception` into the folder of pictures.
pub const FILE: &str = ".judge/distance.onnx";

/// Side of the part of a picture that is looked at: its middle.
const PART: u32 = 256;

/// The network that sees.
pub struct Judge {
    session: Session,
}

impl Judge {
    /// The judge in a folder of pictures.
    pub fn open(pictures: &Path) -> Outcome<Self> {
        let file = pictures.join(FILE);
        if !file.is_file() {
            let how = "cd foundry && .venv/bin/python -m dettaglio_foundry.perception";
            return Err(format!("{} is missing: {how} {}", file.display(), file.display()).into());
        }
        Ok(Self { session: Engine::load()?.session(&std::fs::read(&file)?)? })
    }

    /// 0 for equal pictures; twice the distance does not look twice as far.
    pub fn distance(&mut self, picture: &Planes, truth: &Planes) -> Outcome<f64> {
        let (picture, truth) = (middle(picture), middle(truth));
        let shape = [1, 3, truth.size().height as usize, truth.size().width as usize];
        let a = TensorRef::from_array_view((shape, picture.values()))?;
        let b = TensorRef::from_array_view((shape, truth.values()))?;
        let outputs = self.session.run(ort::inputs!["a" => a, "b" => b])?;
        let (_, distance) = outputs["distance"].try_extract_tensor::<f32>()?;
        Ok(f64::from(distance[0]))
    }
}

fn middle(planes: &Planes) -> Planes {
    let size = planes.size();
    let (width, height) = (size.width.min(PART), size.height.min(PART));
    planes.cut(Region::new((size.width - width) / 2, (size.height - height) / 2, width, height))
}
