//! What can be said on the command line.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand};
use dettaglio_core::picture::{Depth, Size};
use dettaglio_core::size::{Paper, Target};

/// Enlarges photographs for large prints with learned models.
#[derive(Parser)]
#[command(name = "dettaglio", version)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Subcommand)]
pub enum Command {
    /// Enlarge one picture into a file.
    Enlarge(EnlargeArgs),
    /// List the models at hand.
    Models(ModelsArgs),
    /// Work out a size without touching a picture's pixels.
    Size(SizeArgs),
}

#[derive(Args)]
pub struct EnlargeArgs {
    /// The picture: JPEG, PNG, TIFF or WebP.
    pub input: PathBuf,
    /// The result; the ending chooses the format (tif, png, jpg).
    #[arg(short, long)]
    pub output: PathBuf,
    #[command(flatten)]
    pub target: TargetArgs,
    /// The fast models.
    #[arg(long, conflicts_with_all = ["fine", "model"])]
    pub draft: bool,
    /// The thorough models, where there are any (the default).
    #[arg(long, conflicts_with = "model")]
    pub fine: bool,
    /// This model's subject and grade, or a plain method: nearest, bicubic, lanczos3.
    #[arg(long, value_name = "ID")]
    pub model: Option<String>,
    /// Bits per channel, 8 or 16; the original's own when not given and the format holds it.
    #[arg(long, value_parser = depth)]
    pub depth: Option<Depth>,
    /// JPEG quality.
    #[arg(long, default_value_t = 92, value_parser = clap::value_parser!(u8).range(1..=100))]
    pub quality: u8,
    /// Replace the output if it exists.
    #[arg(long)]
    pub force: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct ModelsArgs {
    /// The cards as JSON.
    #[arg(long)]
    pub json: bool,
    #[command(flatten)]
    pub shelf: ShelfArgs,
}

#[derive(Args)]
pub struct ShelfArgs {
    /// Folder of models; by default the one beside the program or above it.
    #[arg(long = "models", value_name = "DIR", env = "DETTAGLIO_MODELS")]
    pub folder: Option<PathBuf>,
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

/// "1500x1000" as a size in pixels.
pub fn pixels(text: &str) -> Option<Size> {
    let (width, height) = text.split_once(['x', '×'])?;
    let side = |part: &str| part.trim().parse::<u32>().ok().filter(|px| *px > 0);
    Some(Size::new(side(width)?, side(height)?))
}
