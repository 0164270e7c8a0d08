//! Networks that are shipped with the program and are no models of the shelf: they look at pictures and change none.

use std::path::Path;
use std::sync::Mutex;

use dettaglio_domain::hash::ContentHash;
use ort::session::Session;
use ort::value::TensorRef;

use super::engine::Engine;
use super::error::ModelError;

/// A network whose file is known to the last bit. Its input is called `input`.
pub(crate) struct Shipped {
    session: Mutex<Session>,
    file: &'static str,
}

/// An output: its shape and its values.
pub(crate) type Output<'a> = (&'a [i64], &'a [f32]);

impl Shipped {
    /// Fails when the file is missing, is not the one of this SHA-256, or the runtime cannot be loaded.
    pub(crate) fn open(folder: &Path, file: &'static str, sha256: &str) -> Result<Self, ModelError> {
        let path = folder.join(file);
        let unreadable = |why: String| ModelError::Unreadable { file: path.clone(), why };
        let bytes = std::fs::read(&path).map_err(|e| unreadable(e.to_string()))?;
        if ContentHash::of(&bytes).to_string() != sha256 {
            return Err(ModelError::Altered { file: path });
        }
        Ok(Self { session: Mutex::new(Engine::load()?.session(&bytes).map_err(unreadable)?), file })
    }

    /// What `read` makes of some outputs; `None` from it means they are not what they should be.
    pub(crate) fn ask<const N: usize, T>(
        &self,
        shape: [usize; 4],
        values: &[f32],
        outputs: [&str; N],
        read: impl FnOnce([Output<'_>; N]) -> Option<T>,
    ) -> Result<T, ModelError> {
        let failed = |why: String| ModelError::Run { id: self.file.to_owned(), why };
        let text = |e: ort::Error| failed(e.to_string());
        let input = TensorRef::from_array_view((shape, values)).map_err(text)?;
        let mut session = self.session.lock().unwrap_or_else(|e| e.into_inner());
        let answer = session.run(ort::inputs!["input" => input]).map_err(text)?;
        let mut read_out: [Output<'_>; N] = [(&[], &[]); N];
        for (output, name) in read_out.iter_mut().zip(outputs) {
            let (shape, values) = answer[name].try_extract_tensor::<f32>().map_err(text)?;
            *output = (shape, values);
        }
        let lengths = read_out.map(|(_, values)| values.len());
        read(read_out).ok_or_else(|| failed(format!("it answered {lengths:?} values for {shape:?}")))
    }
}
