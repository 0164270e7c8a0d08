//! What can be said on the command line.

use std::path::PathBuf;
use std::str::FromStr;

use clap::{Args, Parser, Subcommand};
use dettaglio_core::model::own::CHILD_COMMAND;
use dettaglio_domain::affine::space::Straightened;
use dettaglio_domain::device::Wanted;
use dettaglio_domain::file::{Chroma, Compression, Depth, Format, OutputProfile};
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::mask::Stroke;
use dettaglio_domain::size::{Paper, Target};
use dettaglio_domain::trace::{Hex, Ink, LEAST_COLOURS, MOST_COLOURS};

/// Enlarges photographs for large prints with learned models.
#[derive(Parser)]
#[command(name = "dettaglio", version)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Subcommand)]
pub enum Command {
    /// Enlarge pictures, or the pictures of folders, into files.
    Enlarge(Box<EnlargeArgs>),
    /// Measure a picture: noise, softness, compression, real detail.
    Read(ReadArgs),
    /// Find the faces of a picture.
    Faces(FacesArgs),
    /// Write the treatment that a picture's reading suggests.
    Suggest(SuggestArgs),
    /// Shrink pictures, enlarge them again by every method and model at hand, and compare each with the truth.
    Rehearse(RehearseArgs),
    /// Trace an emblem or lettering: as shapes, in an SVG file that is sharp at any size.
    Trace(TraceArgs),
    /// Compare two pictures of one size, or a result with its original.
    Compare(CompareArgs),
    /// List the models at hand; add one of your own, retire and restore.
    Models(ModelsArgs),
    /// Try the devices that can compute the models, and list what came of it.
    Devices(DevicesArgs),
    /// Work out a size without touching a picture's pixels.
    Size(SizeArgs),
    /// Try a strange model in this process and print what was found.
    #[command(name = CHILD_COMMAND, hide = true)]
    TryModel {
        /// The ONNX file.
        file: PathBuf,
    },
}

#[derive(Args)]
pub struct EnlargeArgs {
    /// Pictures (JPEG, PNG, TIFF, WebP, camera raw), folders of them, or patterns such as "scans/*.tif".
    #[arg(required = true)]
    pub inputs: Vec<String>,
    /// The result of one picture; the ending chooses the format (tif, png, jpg, webp; dng for a raw file, in its camera's own colours).
    #[arg(short, long, required_unless_present = "into")]
    pub output: Option<PathBuf>,
    /// Folder for the results of several pictures.
    #[arg(long, value_name = "DIR", conflicts_with = "output")]
    pub into: Option<PathBuf>,
    /// Name of each result in the folder; {name}, {width}, {height}, {long}, {ppi} and {method} are filled in.
    #[arg(long, default_value = "{name}_{width}x{height}", requires = "into")]
    pub pattern: String,
    /// Format of the results in the folder.
    #[arg(long, default_value = "tif", value_parser = format, requires = "into")]
    pub format: Format,
    #[command(flatten)]
    pub target: TargetArgs,
    #[command(flatten)]
    pub steps: StepArgs,
    /// Bits per channel, 8 or 16; the original's own when not given and the format holds it.
    #[arg(long, value_parser = depth)]
    pub depth: Option<Depth>,
    /// JPEG quality.
    #[arg(long, default_value_t = 92, value_parser = clap::value_parser!(u8).range(1..=100))]
    pub quality: u8,
    /// JPEG colour: auto, full or half resolution.
    #[arg(long, default_value = "auto", value_parser = word::<Chroma>)]
    pub chroma: Chroma,
    /// TIFF compression: deflate, lzw or none.
    #[arg(long, default_value = "deflate", value_parser = word::<Compression>)]
    pub compression: Compression,
    /// Colours of the result: original, srgb, p3, oprgb or romm.
    #[arg(long, default_value = "original", value_parser = word::<OutputProfile>)]
    pub profile: OutputProfile,
    /// Replace results that exist.
    #[arg(long)]
    pub force: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

/// What is done; what is not said is left out, or follows each picture's own reading with --suggested.
#[derive(Args)]
pub struct StepArgs {
    /// All steps as each picture's own reading suggests.
    #[arg(long, conflicts_with = "treatment")]
    pub suggested: bool,
    /// All steps from a file that `suggest` wrote.
    #[arg(long, value_name = "FILE")]
    pub treatment: Option<PathBuf>,
    /// The fast models. Without --draft and --fine, the thorough ones where they were measured to be worth the wait.
    #[arg(long, conflicts_with_all = ["fine", "model"])]
    pub draft: bool,
    /// The thorough models, where there are any.
    #[arg(long, conflicts_with = "model")]
    pub fine: bool,
    /// This model's subject and grade, a plain method (nearest, bicubic, lanczos3), or traced: as shapes, for emblems and lettering.
    #[arg(long, value_name = "ID")]
    pub model: Option<String>,
    /// The learned share, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub strength: Option<f32>,
    /// Fill dust, scratches and breaks of a print: off, auto (where it looks like a scan of an old print), or at this sensitivity, 0 to 1.
    #[arg(long, value_name = "off|auto|SENSITIVITY")]
    pub repair: Option<AutoSetting>,
    /// Fill only these: specks, lines, breaks; several with commas between them.
    #[arg(long, value_name = "KINDS", value_delimiter = ',', value_parser = ["specks", "lines", "breaks"], requires = "repair")]
    pub repair_only: Vec<String>,
    /// Fill what is marked here: places in pixels of the original, joined by dashes, and a width, such as 120,40:9 or 120,40-380,52:9. May be given
    /// several times: a hair on the scanner's glass lies at one place in every scan.
    #[arg(long, value_name = "X,Y[-X,Y...]:WIDTH", value_parser = mark)]
    pub fill: Vec<Stroke>,
    /// Take out the dots of a halftone: off, auto (where dots are found), or this share of them, 0 to 1.
    #[arg(long, value_name = "off|auto|SHARE")]
    pub halftone: Option<AutoSetting>,
    /// Bring faded tone back: off, auto (where it looks like a scan of an old print), or by this share, 0 to 1.
    #[arg(long, value_name = "off|auto|SHARE")]
    pub fade: Option<AutoSetting>,
    /// Take out this share of the grain, 0 to 1, at the level that is measured; or off.
    #[arg(long, value_name = "SHARE|off")]
    pub grain: Option<Setting>,
    /// Take out this share of the colour speckle, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub speckle: Option<f32>,
    /// Lay this share back where there is texture, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub keep_texture: Option<f32>,
    /// Lay this share of thin lines and points back, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub keep_lines: Option<f32>,
    /// The cleaner for grain and speckle, by id.
    #[arg(long, value_name = "ID")]
    pub cleaner: Option<String>,
    /// Take out this share of the compression marks, 0 to 1, at the quality that is measured; or off.
    #[arg(long, value_name = "SHARE|off")]
    pub marks: Option<Setting>,
    /// Take out this share of the softness, 0 to 1, at the spread that is measured; or off.
    #[arg(long, value_name = "SHARE|off")]
    pub softness: Option<Setting>,
    /// Restore faces that are soft or small: off, auto (where some are found), or by this share, 0 to 1.
    #[arg(long, value_name = "off|auto|SHARE")]
    pub faces: Option<AutoSetting>,
    /// Sharpen edges by this much, 0 to 3; or off.
    #[arg(long, value_name = "AMOUNT|off")]
    pub edges: Option<Setting>,
    /// Width of edges in pixels of the result, 0.3 to 12.
    #[arg(long, value_name = "PX")]
    pub edge_width: Option<f32>,
    /// Keep edges from overshooting, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub halo_guard: Option<f32>,
    /// Leave flat tone alone, 0 to 1.
    #[arg(long, value_name = "SHARE")]
    pub leave_flat: Option<f32>,
    /// Leave the skin of faces alone, 0 to 1; eyes, brows, lashes, mouth and hair are sharpened.
    #[arg(long, value_name = "SHARE")]
    pub leave_skin: Option<f32>,
    /// Add grain of this share of the original's own, 0 to 2; or off.
    #[arg(long, value_name = "SHARE|off")]
    pub print_grain: Option<Setting>,
    /// Keep only this part: X,Y,WIDTHxHEIGHT in pixels of the turned picture; auto cuts off the paper that lies around a scanned one, and
    /// sets it straight.
    #[arg(long, value_name = "CROP|auto", value_parser = crop)]
    pub crop: Option<Crop>,
    /// Quarter turns clockwise: 0, 90, 180 or 270.
    #[arg(long, value_name = "DEGREES", value_parser = ["0", "90", "180", "270"])]
    pub turn: Option<String>,
    /// Straighten by up to 15 degrees, clockwise.
    #[arg(long, value_name = "DEGREES", allow_negative_numbers = true)]
    pub straighten: Option<f64>,
    /// Fill the sheet of --print with white where its shape differs.
    #[arg(long, requires = "print", conflicts_with = "bleed")]
    pub border: bool,
    /// Carry the picture on past the sheet, mirrored, by so many millimetres.
    #[arg(long, value_name = "MM", requires = "print")]
    pub bleed: Option<f64>,
}

/// A share or an amount, or nothing at all.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Setting {
    Off,
    To(f32),
}

impl FromStr for Setting {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "off" => Ok(Self::Off),
            figure => figure.parse().map(Self::To).map_err(|_| format!("\"{text}\" is neither a figure nor off")),
        }
    }
}

/// How far something is done: not at all, as is suggested, or so far.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum AutoSetting {
    Off,
    Auto,
    To(f32),
}

impl FromStr for AutoSetting {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "off" => Ok(Self::Off),
            "auto" => Ok(Self::Auto),
            figure => figure.parse().map(Self::To).map_err(|_| format!("\"{text}\" is neither off, auto nor a figure")),
        }
    }
}

#[derive(Args)]
pub struct FacesArgs {
    /// The picture.
    pub input: PathBuf,
    /// Places and sizes as JSON.
    #[arg(long)]
    pub json: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct ReadArgs {
    /// The picture.
    pub input: PathBuf,
    /// All figures as JSON.
    #[arg(long)]
    pub json: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct SuggestArgs {
    /// The picture.
    pub input: PathBuf,
    #[command(flatten)]
    pub target: TargetArgs,
    /// From how far the print is seen, in metres; 1.5 times its diagonal when not given.
    #[arg(long, value_name = "M")]
    pub distance: Option<f64>,
    /// Where to write the treatment; it is printed when not given.
    #[arg(short, long)]
    pub output: Option<PathBuf>,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct RehearseArgs {
    /// Pictures, folders of them, or patterns such as "scans/*.tif".
    #[arg(required = true)]
    pub inputs: Vec<String>,
    /// How many times they are enlarged again: 2, 3 or 4.
    #[arg(long, default_value_t = 4, value_parser = clap::value_parser!(u32).range(2..=4))]
    pub factor: u32,
    /// Parts of each picture that are looked at, of 256 px a side.
    #[arg(long, default_value_t = 6, value_parser = clap::value_parser!(u32).range(1..=200))]
    pub parts: u32,
    /// Put back each picture's own noise and compression, which shrinking takes away.
    #[arg(long)]
    pub put_back: bool,
    /// Only these models, by id; the plain methods always take part.
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    pub models: Vec<String>,
    /// Print all figures as JSON.
    #[arg(long, conflicts_with = "csv")]
    pub json: bool,
    /// Print all figures as comma-separated values, one line for a picture and a candidate.
    #[arg(long)]
    pub csv: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct TraceArgs {
    /// A picture that was drawn in a few plain colours.
    pub input: PathBuf,
    /// The file, which ends in svg or pdf.
    #[arg(short, long)]
    pub output: PathBuf,
    /// How many colours it is drawn in at most, 2 to 32; as many as are found when not given.
    #[arg(long, default_value_t = MOST_COLOURS as u32, value_parser = clap::value_parser!(u32).range(LEAST_COLOURS as i64..=MOST_COLOURS as i64))]
    pub colours: u32,
    /// What a colour is printed as, and the name of the spot colour if it is one: #183b4c=#102a50 or "#183b4c=#102a50=Kiln blue". Can be given
    /// several times; two colours that are printed as one are merged.
    #[arg(long = "ink", value_name = "FOUND=PRINTED[=NAME]")]
    pub inks: Vec<InkArg>,
    /// Leave out the ground, so that what the file is laid on shows.
    #[arg(long)]
    pub clear_ground: bool,
    /// The print's size, such as 60x45cm: the file says it, and the drawing keeps its shape within it.
    #[arg(long, value_name = "WxH")]
    pub print: Option<Paper>,
    /// Replace a file that is there.
    #[arg(long)]
    pub force: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

/// An [`Ink`] as it is written on the command line.
#[derive(Clone, Debug)]
pub struct InkArg(pub Ink);

impl FromStr for InkArg {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let mut parts = text.splitn(3, '=');
        let (Some(found), Some(printed)) = (parts.next(), parts.next()) else {
            return Err("an ink is written as #183b4c=#102a50, or with a name behind a second \"=\"".to_owned());
        };
        let colour = |text: &str| text.parse::<Hex>().map_err(|error| error.to_string());
        let name = parts.next().unwrap_or_default().to_owned();
        Ok(Self(Ink { found: colour(found)?, printed: colour(printed)?, name }))
    }
}

#[derive(Args)]
pub struct CompareArgs {
    /// The original, or one of two results.
    pub one: PathBuf,
    /// A result, or the other.
    pub other: PathBuf,
    /// The figures as JSON.
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct DevicesArgs {
    /// As JSON.
    #[arg(long)]
    pub json: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct ModelsArgs {
    #[command(subcommand)]
    pub command: Option<ModelsCommand>,
    /// The cards as JSON.
    #[arg(long)]
    pub json: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Subcommand)]
pub enum ModelsCommand {
    /// Try an ONNX file of your own and put it on the shelf.
    Add {
        /// The ONNX file.
        file: PathBuf,
        /// What it is to be called; the file's name when not given.
        #[arg(long)]
        name: Option<String>,
        #[command(flatten)]
        shelf: ShelfArgs,
    },
    /// No longer offer a model; treatments that name it still run.
    Retire {
        /// Its id.
        id: String,
        #[command(flatten)]
        shelf: ShelfArgs,
    },
    /// Offer a model again.
    Restore {
        /// Its id.
        id: String,
        #[command(flatten)]
        shelf: ShelfArgs,
    },
}

#[derive(Args)]
pub struct ShelfArgs {
    /// Folder of the shipped models; by default the one beside the program or above it.
    #[arg(long = "models", value_name = "DIR", env = "DETTAGLIO_MODELS")]
    pub folder: Option<PathBuf>,
    /// Data folder of the server, where your own models are; by default .dettaglio beside the shipped models.
    #[arg(long, value_name = "DIR", env = "DETTAGLIO_DATA")]
    pub data: Option<PathBuf>,
    /// What computes the models: auto (the fastest that is right), cpu, gpu, or a name that `dettaglio devices` lists.
    #[arg(long, env = "DETTAGLIO_DEVICE")]
    pub device: Option<Wanted>,
}

#[derive(Args)]
pub struct SizeArgs {
    /// Size of the original in pixels, such as 1500x1000, or a picture file.
    pub original: String,
    #[command(flatten)]
    pub target: TargetArgs,
    /// The answer as JSON.
    #[arg(long)]
    pub json: bool,
}

/// How large; exactly one of these.
#[derive(Args)]
#[group(required = true, multiple = true)]
pub struct TargetArgs {
    /// Times the original's sides.
    #[arg(long, group = "how_large")]
    pub factor: Option<f64>,
    /// Per cent of the original's sides.
    #[arg(long, group = "how_large")]
    pub percent: Option<f64>,
    /// Pixels from left to right.
    #[arg(long, value_name = "PX", group = "how_large")]
    pub width: Option<u32>,
    /// Pixels from top to bottom.
    #[arg(long, value_name = "PX", group = "how_large")]
    pub height: Option<u32>,
    /// Pixels along the longer side.
    #[arg(long, value_name = "PX", group = "how_large")]
    pub long: Option<u32>,
    /// Pixels along the shorter side.
    #[arg(long, value_name = "PX", group = "how_large")]
    pub short: Option<u32>,
    /// A sheet, such as 60x40cm, with --ppi.
    #[arg(long, value_name = "SIZE", group = "how_large", requires = "ppi")]
    pub print: Option<Paper>,
    /// Pixels per inch: of --print, and stated in the file.
    #[arg(long)]
    pub ppi: Option<f64>,
}

impl TargetArgs {
    /// The target; clap has seen to it that there is exactly one, or only --ppi.
    pub fn target(&self) -> anyhow::Result<Target> {
        let print = self.print.zip(self.ppi).map(|(paper, ppi)| Target::Print { paper, ppi });
        [
            self.factor.map(|factor| Target::Factor { factor }),
            self.percent.map(|percent| Target::Percent { percent }),
            self.width.map(|px| Target::Width { px }),
            self.height.map(|px| Target::Height { px }),
            self.long.map(|px| Target::LongEdge { px }),
            self.short.map(|px| Target::ShortEdge { px }),
            print,
        ]
        .into_iter()
        .flatten()
        .next()
        .ok_or_else(|| {
            anyhow::anyhow!("say how large: --factor, --percent, --width, --height, --long, --short or --print")
        })
    }
}

fn depth(text: &str) -> Result<Depth, String> {
    text.parse::<u8>().map_err(|_| format!("\"{text}\" is not 8 or 16")).and_then(Depth::try_from)
}

fn format(text: &str) -> Result<Format, String> {
    text.parse().map_err(|e: dettaglio_domain::file::UnknownEnding| e.to_string())
}

/// One of a setting's words, as they stand in treatment files.
fn word<T: serde::de::DeserializeOwned>(text: &str) -> Result<T, String> {
    serde_json::from_value(serde_json::Value::from(text)).map_err(|e| e.to_string())
}

/// What is kept of a picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Crop {
    /// What lies inside a border of paper, set straight; all of it where there is none.
    Auto,
    /// This part.
    To(Region<Straightened>),
}

/// "120,80,600x400" as a part of a picture, or "auto".
fn crop(text: &str) -> Result<Crop, String> {
    if text == "auto" {
        return Ok(Crop::Auto);
    }
    let refuse = || format!("\"{text}\" is not a crop: write X,Y,WIDTHxHEIGHT, such as 120,80,600x400, or auto");
    let (x, rest) = text.split_once(',').ok_or_else(refuse)?;
    let (y, size) = rest.split_once(',').ok_or_else(refuse)?;
    let size = pixels(size).ok_or_else(refuse)?;
    let place = |part: &str| part.trim().parse::<u32>().map_err(|_| refuse());
    let (x, y) = (place(x)?, place(y)?);
    let ends = |start: u32, side: u32| start.checked_add(side).ok_or_else(refuse);
    ends(x, size.width).and(ends(y, size.height))?;
    Ok(Crop::To(Region::of(x, y, size.width, size.height)))
}

/// "120,40-380,52:9" as a stroke 9 px wide from one place to the other.
fn mark(text: &str) -> Result<Stroke, String> {
    let refuse = || format!("\"{text}\" marks nothing: write X,Y:WIDTH or X,Y-X,Y:WIDTH, such as 120,40-380,52:9");
    let figure = |part: &str| part.trim().parse::<f32>().ok().filter(|v| v.is_finite() && *v >= 0.0).ok_or_else(refuse);
    let (places, width) = text.rsplit_once(':').ok_or_else(refuse)?;
    let place = |text: &str| {
        let (x, y) = text.split_once(',').ok_or_else(refuse)?;
        Ok(Place::new(figure(x)?, figure(y)?))
    };
    let points = places.split('-').map(place).collect::<Result<_, String>>()?;
    Ok(Stroke { points, radius: figure(width)? / 2.0, feather: 0.0, erases: false })
}

/// "1500x1000" as a size in pixels.
pub fn pixels(text: &str) -> Option<Size> {
    let (width, height) = text.split_once(['x', '×'])?;
    let side = |part: &str| part.trim().parse::<u32>().ok().filter(|px| *px > 0);
    Some(Size::new(side(width)?, side(height)?))
}
