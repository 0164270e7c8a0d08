//! Writing: row bands go to an encoder on its own thread, and the file appears only when it is whole.
//!
//! The encoders of `tiff`, `png` and `jpeg-encoder` each want to drive the work themselves. A channel of
//! two bands turns that round: the renderer pushes bands, the encoder pulls them, and both run at once.
//! Each format has a file of its own.

mod jpeg;
mod png;
mod samples;
mod tiff;
mod webp;

use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::JoinHandle;

use ::tiff::encoder::{TiffKindBig, TiffKindStandard};
use dettaglio_domain::file::{Channels, Depth, Format, OutputSettings};
use dettaglio_domain::geometry::Size;
use tempfile::NamedTempFile;

use self::samples::converted;
pub(crate) use self::samples::interleave;
use super::error::CodecError;
use super::history::History;
use crate::colour::{ColourProfile, Conversion};
use crate::metadata::Metadata;
use crate::picture::{Original, Planes, Samples};

pub(super) const SOFTWARE: &str = concat!("Dettaglio ", env!("CARGO_PKG_VERSION"));
/// Above this many bytes of pixels a TIFF is written as BigTIFF: the classic format ends at 4 GiB.
const CLASSIC_TIFF_BYTES: u64 = 4_000_000_000;

/// What an encoder needs to know before the first row.
struct Spec {
    size: Size,
    channels: Channels,
    settings: OutputSettings,
    carried: Carried,
}

/// What goes into a result besides its pixels.
#[derive(Clone, Debug, Default)]
pub struct Carried {
    /// The profile of the rendered values.
    pub profile: Option<Arc<ColourProfile>>,
    /// What the original's file says about itself.
    pub metadata: Option<Arc<Metadata>>,
    /// What was done to it.
    pub history: Option<History>,
}

impl Carried {
    /// All that an original has.
    pub fn from(original: &Original) -> Self {
        Self { profile: original.profile().cloned(), metadata: original.metadata().cloned(), history: None }
    }

    /// The packets that may go into a file of this format, the fullest first: a format takes the first that has room.
    fn xmp_packets(&self, format: Format) -> impl Iterator<Item = Vec<u8>> {
        let own = self.metadata.as_deref().and_then(|metadata| metadata.xmp_packet(format));
        let histories = self.history.iter().flat_map(|history| [history.clone(), history.without_reading()]);
        let added = {
            let own = own.clone();
            histories.map(move |history| history.added_to(own.clone()))
        };
        added.chain(own)
    }

    fn xmp_packet(&self, format: Format) -> Option<Vec<u8>> {
        self.xmp_packets(format).next()
    }
}

impl Spec {
    fn pixel_bytes(&self) -> u64 {
        self.size.area() * self.channels.count() as u64 * u64::from(self.settings.depth.bits() / 8)
    }
}

/// The folder that a file lies in.
fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// A file beside `path` that is not whole yet; dropped before [`place`], it leaves nothing behind.
pub(super) fn unfinished(path: &Path) -> Result<NamedTempFile, CodecError> {
    Ok(tempfile::Builder::new().prefix(".dettaglio-").suffix(".part").tempfile_in(folder_of(path))?)
}

/// Gives a file that is whole its name, replacing one that has it already.
pub(super) fn place(file: NamedTempFile, path: &Path) -> Result<(), CodecError> {
    file.as_file().sync_all()?;
    let file = file.persist(path).map_err(|e| e.error)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        file.set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    // The name itself must survive a power cut too; not every file system allows this.
    let _ = File::open(folder_of(path)).and_then(|folder| folder.sync_all());
    Ok(())
}

/// A result on its way to disk.
///
/// Dropped before [`finish`](Self::finish), it leaves nothing behind.
pub struct PictureWriter {
    size: Size,
    channels: Channels,
    depth: Depth,
    conversion: Option<Conversion>,
    rows_given: u32,
    bands: Option<SyncSender<Samples>>,
    encoder: Option<JoinHandle<Result<NamedTempFile, CodecError>>>,
    path: PathBuf,
}

impl PictureWriter {
    /// Opens a temporary file beside `path` for a picture of `size`.
    ///
    /// The picture must be within the limits of its format ([`Limits::check_output`](dettaglio_domain::limits::Limits::check_output)).
    /// With one channel, the luminance of the planes is written. Colours are converted where the settings name another
    /// profile than the original's.
    pub fn create(
        path: &Path,
        size: Size,
        channels: Channels,
        settings: OutputSettings,
        mut carried: Carried,
    ) -> Result<Self, CodecError> {
        let mut conversion = None;
        // Grey stays grey, in its own profile.
        if let (Channels::Colour, Some(wanted)) = (channels, ColourProfile::standard(settings.profile)) {
            conversion = wanted.conversion_from(carried.profile.as_deref());
            if conversion.is_none() {
                let name = carried.profile.as_deref().map_or_else(String::new, ColourProfile::name);
                return Err(CodecError::Encode(format!(
                    "colours cannot be converted from the original's profile ({name}): keep the original's own profile"
                )));
            }
            carried.profile = Some(Arc::new(wanted));
        }
        let mut file = unfinished(path)?;
        let spec = Spec { size, channels, settings, carried };
        let (bands, receiver) = sync_channel(2);
        let encoder = std::thread::Builder::new().name("encoder".to_owned()).spawn(move || {
            encode(&mut file, &spec, receiver)?;
            Ok(file)
        })?;
        Ok(Self {
            size,
            channels,
            depth: settings.depth,
            conversion,
            rows_given: 0,
            bands: Some(bands),
            encoder: Some(encoder),
            path: path.to_owned(),
        })
    }

    /// Adds the next rows, over the full width.
    ///
    /// # Panics
    /// When the band is not as wide as the picture, or more rows come than it has.
    pub fn write(&mut self, band: &Planes) -> Result<(), CodecError> {
        assert_eq!(band.size().width, self.size.width, "a band as wide as the picture");
        self.rows_given += band.size().height;
        assert!(self.rows_given <= self.size.height, "no more rows than the picture has");
        let samples = match &self.conversion {
            None => interleave(band, self.channels, self.depth),
            Some(conversion) => converted(band, conversion, self.depth),
        };
        let sent = self.bands.as_ref().is_some_and(|bands| bands.send(samples).is_ok());
        if sent { Ok(()) } else { Err(self.encoder_error()) }
    }

    /// Waits for the encoder and gives the file its name, replacing one that has it already.
    pub fn finish(mut self) -> Result<(), CodecError> {
        assert_eq!(self.rows_given, self.size.height, "all rows of the picture");
        drop(self.bands.take());
        place(self.join()?, &self.path)
    }

    fn join(&mut self) -> Result<NamedTempFile, CodecError> {
        match self.encoder.take().map(JoinHandle::join) {
            Some(Ok(outcome)) => outcome,
            Some(Err(_)) | None => Err(CodecError::Encode("the encoder stopped".to_owned())),
        }
    }

    fn encoder_error(&mut self) -> CodecError {
        match self.join() {
            Err(error) => error,
            Ok(_) => CodecError::Encode("the encoder stopped early".to_owned()),
        }
    }
}

impl Drop for PictureWriter {
    /// Waits for the encoder to notice and to remove its temporary file.
    fn drop(&mut self) {
        drop(self.bands.take());
        if self.encoder.is_some() {
            let _ = self.join();
        }
    }
}

/// What a file is written to, on disk or in memory.
trait Place: Write + Seek {}

impl<P: Write + Seek> Place for P {}

/// The one type that encoders write to: they are generic, and each further type would compile them once more.
type Sink<'a> = BufWriter<&'a mut dyn Place>;

fn encode(place: &mut dyn Place, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let mut out = Sink::with_capacity(1 << 18, place);
    match spec.settings.format {
        Format::Tiff if spec.pixel_bytes() > CLASSIC_TIFF_BYTES => tiff::encode::<TiffKindBig>(&mut out, spec, bands),
        Format::Tiff => tiff::encode::<TiffKindStandard>(&mut out, spec, bands),
        Format::Png => png::encode(&mut out, spec, bands),
        Format::Jpeg => jpeg::encode(&mut out, spec, bands),
        Format::WebP => webp::encode(&mut out, spec, bands),
        Format::Dng => Err(CodecError::Unsupported("finished colours in a DNG".to_owned())),
    }?;
    Ok(out.flush()?)
}

fn abandoned() -> CodecError {
    CodecError::Encode("the work was given up before the last row".to_owned())
}

fn refusal(error: impl std::fmt::Display) -> CodecError {
    CodecError::Encode(error.to_string())
}

/// Planes as an 8-bit RGB PNG in memory, encoded for speed: what a screen is shown.
pub fn png_bytes(planes: &Planes) -> Vec<u8> {
    in_memory(planes, OutputSettings::new(Format::Png))
}

/// How many bytes planes take in a format, for forecasts. A DNG takes about as many as a PNG: both tell how samples differ from their
/// neighbours.
pub fn encoded_len(planes: &Planes, settings: OutputSettings) -> u64 {
    let format = if settings.format == Format::Dng { Format::Png } else { settings.format };
    in_memory(planes, OutputSettings { format, ..settings }).len() as u64
}

fn in_memory(planes: &Planes, settings: OutputSettings) -> Vec<u8> {
    let spec = Spec { size: planes.size(), channels: Channels::Colour, settings, carried: Carried::default() };
    let (sender, receiver) = sync_channel(1);
    // One band into a channel of one: neither side waits for the other.
    let _ = sender.send(interleave(planes, Channels::Colour, settings.depth));
    drop(sender);
    let mut out = std::io::Cursor::new(Vec::new());
    encode(&mut out, &spec, receiver).expect("memory takes any encoded picture");
    out.into_inner()
}
