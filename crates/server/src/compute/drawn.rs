//! The drawing that a traced result is made of, kept beside it.

use dettaglio_core::trace::{Traced, drawing_bytes};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::size::MM_PER_INCH;
use dettaglio_domain::trace::DrawingFile;
use dettaglio_store::StoreError;
use dettaglio_store::enlargements::TracedFiles;
use dettaglio_store::files::FileStore;

/// A drawing as the files that are kept of it.
pub(crate) struct Drawn {
    /// Outlines of shapes and holes.
    pub outlines: u64,
    /// Places at which lines and curves meet.
    pub nodes: u64,
    /// The SVG file.
    pub svg: Vec<u8>,
    /// The PDF file.
    pub pdf: Vec<u8>,
}

impl Drawn {
    /// A traced picture, as large as `size` pixels are at `ppi` pixels per inch; of no size in millimetres where there is no such figure.
    pub fn of(traced: &Traced, size: Size, ppi: Option<f64>) -> Self {
        let mm = |px: u32, ppi: f64| f64::from(px) / ppi * MM_PER_INCH;
        let print_mm = ppi.map(|ppi| (mm(size.width, ppi), mm(size.height, ppi)));
        let bytes = |file| drawing_bytes(traced, file, print_mm);
        let (outlines, nodes) = (traced.outlines() as u64, traced.nodes() as u64);
        Self { outlines, nodes, svg: bytes(DrawingFile::Svg), pdf: bytes(DrawingFile::Pdf) }
    }

    /// Puts it beside the result under a key; what is to be said of it in the result's record.
    pub async fn keep(self, files: &FileStore, result_key: &str) -> Result<TracedFiles, StoreError> {
        let Self { outlines, nodes, svg, pdf } = self;
        let (svg_bytes, pdf_bytes) = (svg.len() as u64, pdf.len() as u64);
        files.put(&FileStore::drawing_key(result_key, DrawingFile::Svg), svg).await?;
        files.put(&FileStore::drawing_key(result_key, DrawingFile::Pdf), pdf).await?;
        Ok(TracedFiles { outlines, nodes, svg_bytes, pdf_bytes })
    }
}
