//! What may compute the networks, and which of it does: the fastest that answers right.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

/// The runtime's own code for the processor, which is always there and says what is right.
pub const REFERENCE: &str = "cpu";

/// How far an answer may lie from the reference's, in units of full scale: a quarter of an 8-bit level.
pub const MOST_DIFFERENCE: f32 = 1e-3;

/// How many times as fast as the reference a device has to be to be worth it: less is the day's weather.
pub const WORTH_IT: f64 = 1.1;

/// What a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum DeviceKind {
    /// The machine's processor.
    Processor,
    /// A graphics processor.
    Graphics,
    /// A processor for networks alone.
    Neural,
}

impl DeviceKind {
    fn short(self) -> &'static str {
        match self {
            Self::Processor => "cpu",
            Self::Graphics => "gpu",
            Self::Neural => "npu",
        }
    }
}

impl fmt::Display for DeviceKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Processor => "processor",
            Self::Graphics => "graphics processor",
            Self::Neural => "neural processor",
        })
    }
}

/// A device that a plug-in of the runtime reaches.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Device {
    /// By which it is asked for: the plug-in's name and the kind, "webgpu-gpu".
    pub name: String,
    /// What it is.
    pub kind: DeviceKind,
    /// Who made it.
    pub maker: String,
}

impl Device {
    /// What it is and who made it: "graphics processor by Vetreria".
    pub fn what(&self) -> String {
        if self.maker.is_empty() { self.kind.to_string() } else { format!("{} by {}", self.kind, self.maker) }
    }
}

/// The name of the `nth` device, from 0 on, of this kind that a provider of the runtime reaches ("CUDAExecutionProvider").
pub fn name_of(provider: &str, kind: DeviceKind, nth: usize) -> String {
    let short: String = provider
        .replace("ExecutionProvider", "")
        .chars()
        .filter_map(|c| match c {
            '.' | '_' => Some('-'),
            c => c.is_ascii_alphanumeric().then(|| c.to_ascii_lowercase()),
        })
        .collect();
    let name = format!("{}-{}", short, kind.short());
    if nth == 0 { name } else { format!("{name}-{}", nth + 1) }
}

/// What came of trying a device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "outcome", rename_all = "snake_case")]
pub enum Outcome {
    /// It answers as the reference does.
    Right {
        /// How many times as fast as the reference in turns with it.
        times: f64,
        /// The largest difference from the reference's answer, in units of full scale.
        difference: f32,
    },
    /// It answers something else.
    Wrong {
        /// The largest difference; nothing where it answered what is no number.
        difference: Option<f32>,
    },
    /// It does not answer.
    Failed {
        /// In the runtime's words.
        why: String,
    },
}

impl fmt::Display for Outcome {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Right { times, difference } => {
                write!(f, "{times:.2} times as fast as the processor's own code, differs by {difference:.1e} at most")
            }
            Self::Wrong { difference: Some(difference) } => {
                write!(f, "answers wrong: differs by {difference:.1e}, and {MOST_DIFFERENCE:.0e} is the most")
            }
            Self::Wrong { difference: None } => f.write_str("answers what is no number"),
            Self::Failed { why } => write!(f, "does not run: {why}"),
        }
    }
}

/// A device, and what came of trying it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tried {
    /// Which.
    #[serde(flatten)]
    pub device: Device,
    /// What came of it.
    #[serde(flatten)]
    pub outcome: Outcome,
}

impl Tried {
    /// Whether it may be asked for: it answers right.
    pub fn may_be_used(&self) -> bool {
        self.times().is_some()
    }

    /// How many times as fast as the reference; nothing for one that may not be used.
    fn times(&self) -> Option<f64> {
        match self.outcome {
            Outcome::Right { times, .. } => Some(times),
            Outcome::Wrong { .. } | Outcome::Failed { .. } => None,
        }
    }
}

/// Which device is wanted.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(try_from = "String")]
pub enum Wanted {
    /// The fastest that is right.
    #[default]
    Auto,
    /// The processor, by the runtime's own code: results are the same on every machine of its kind.
    Reference,
    /// The fastest graphics processor that is right.
    Graphics,
    /// This one.
    Named(String),
}

impl FromStr for Wanted {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let is_name = |text: &str| text.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-');
        match text {
            "auto" => Ok(Self::Auto),
            REFERENCE => Ok(Self::Reference),
            "gpu" => Ok(Self::Graphics),
            name if !name.is_empty() && is_name(name) => Ok(Self::Named(name.to_owned())),
            _ => Err(format!("\"{text}\" is no device: auto, cpu, gpu, or a name that `dettaglio devices` lists")),
        }
    }
}

impl fmt::Display for Wanted {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Auto => "auto",
            Self::Reference => REFERENCE,
            Self::Graphics => "gpu",
            Self::Named(name) => name,
        })
    }
}

impl TryFrom<String> for Wanted {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        text.parse()
    }
}

/// The device that is to be used, of those that were tried; none for the reference.
///
/// # Errors
///
/// In words, where a device is asked for that is not there or may not be used.
pub fn choose<'a>(wanted: &Wanted, tried: &'a [Tried]) -> Result<Option<&'a Device>, String> {
    let fastest = |of: &mut dyn Iterator<Item = &'a Tried>| {
        of.filter_map(|tried| Some((tried.times()?, &tried.device))).max_by(|(a, _), (b, _)| a.total_cmp(b))
    };
    match wanted {
        Wanted::Reference => Ok(None),
        Wanted::Auto => {
            Ok(fastest(&mut tried.iter()).filter(|(times, _)| *times >= WORTH_IT).map(|(_, device)| device))
        }
        Wanted::Graphics => {
            let graphics = || tried.iter().filter(|tried| tried.device.kind == DeviceKind::Graphics);
            match (fastest(&mut graphics()), graphics().next()) {
                (Some((_, device)), _) => Ok(Some(device)),
                (None, Some(first)) => Err(format!("the graphics processor {} {}", first.device.name, first.outcome)),
                (None, None) => Err(format!("no graphics processor was found{}", instead(tried))),
            }
        }
        Wanted::Named(name) => match tried.iter().find(|tried| tried.device.name == *name) {
            Some(tried) if tried.may_be_used() => Ok(Some(&tried.device)),
            Some(tried) => Err(format!("{name} {}", tried.outcome)),
            None => Err(format!("there is no device {name}{}", instead(tried))),
        },
    }
}

/// What there is instead of a device that is asked for.
fn instead(tried: &[Tried]) -> String {
    if tried.is_empty() {
        return "; the runtime has no plug-ins here, so there is cpu alone".to_owned();
    }
    let names: Vec<&str> = tried.iter().map(|tried| &*tried.device.name).collect();
    format!("; there are cpu, {}", names.join(", "))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn tried(name: &str, kind: DeviceKind, outcome: Outcome) -> Tried {
        Tried { device: Device { name: name.to_owned(), kind, maker: "Vetreria".to_owned() }, outcome }
    }

    fn right(times: f64) -> Outcome {
        Outcome::Right { times, difference: 1e-6 }
    }

    fn found() -> Vec<Tried> {
        vec![
            tried("kiln-cpu", DeviceKind::Processor, right(1.3)),
            tried("kiln-gpu", DeviceKind::Graphics, right(6.0)),
            tried("lamp-gpu", DeviceKind::Graphics, right(9.0)),
            tried("frit-gpu", DeviceKind::Graphics, Outcome::Wrong { difference: Some(0.02) }),
            tried("sand-npu", DeviceKind::Neural, Outcome::Failed { why: "out of memory".to_owned() }),
        ]
    }

    #[rstest]
    #[case("auto", Some("lamp-gpu"))]
    #[case("cpu", None)]
    #[case("gpu", Some("lamp-gpu"))]
    #[case("kiln-cpu", Some("kiln-cpu"))]
    fn the_fastest_that_is_right_is_chosen(#[case] wanted: &str, #[case] name: Option<&str>) {
        let found = found();
        let chosen = choose(&wanted.parse().unwrap(), &found).unwrap();
        assert_eq!(chosen.map(|device| &*device.name), name);
    }

    #[rstest]
    #[case::one_that_is_hardly_faster(vec![tried("kiln-cpu", DeviceKind::Processor, right(1.09))])]
    #[case::one_that_is_slower(vec![tried("lamp-gpu", DeviceKind::Graphics, right(0.3))])]
    #[case::one_that_is_wrong(vec![tried("frit-gpu", DeviceKind::Graphics, Outcome::Wrong { difference: None })])]
    #[case::none(Vec::new())]
    fn the_reference_stays_where_nothing_gains(#[case] found: Vec<Tried>) {
        assert_eq!(choose(&Wanted::Auto, &found), Ok(None));
    }

    #[test]
    fn a_slow_device_is_used_by_whoever_names_it() {
        let found = [tried("lamp-gpu", DeviceKind::Graphics, right(0.3))];
        assert_eq!(choose(&Wanted::Named("lamp-gpu".to_owned()), &found).unwrap().unwrap().name, "lamp-gpu");
    }

    #[rstest]
    #[case("frit-gpu", "frit-gpu answers wrong: differs by 2.0e-2")]
    #[case("sand-npu", "sand-npu does not run: out of memory")]
    #[case("oven", "there is no device oven; there are cpu, kiln-cpu, kiln-gpu")]
    fn one_that_may_not_be_used_is_refused_with_its_reason(#[case] wanted: &str, #[case] why: &str) {
        let refused = choose(&wanted.parse().unwrap(), &found()).unwrap_err();
        assert!(refused.starts_with(why), "{refused}");
    }

    #[test]
    fn without_a_graphics_processor_none_can_be_asked_for() {
        let refused = choose(&Wanted::Graphics, &found()[..1]).unwrap_err();
        assert_eq!(refused, "no graphics processor was found; there are cpu, kiln-cpu");
        let wrong = choose(&Wanted::Graphics, &found()[3..4]).unwrap_err();
        assert!(wrong.contains("frit-gpu answers wrong"), "{wrong}");
    }

    #[rstest]
    #[case("CUDAExecutionProvider", DeviceKind::Graphics, 0, "cuda-gpu")]
    #[case("OpenVINOExecutionProvider.AUTO", DeviceKind::Processor, 0, "openvino-auto-cpu")]
    #[case("WebGpuExecutionProvider", DeviceKind::Graphics, 1, "webgpu-gpu-2")]
    fn names_are_short_and_can_be_asked_for(
        #[case] provider: &str,
        #[case] kind: DeviceKind,
        #[case] nth: usize,
        #[case] name: &str,
    ) {
        assert_eq!(name_of(provider, kind, nth), name);
        assert_eq!(name.parse(), Ok(Wanted::Named(name.to_owned())));
    }

    #[rstest]
    #[case("")]
    #[case("GPU")]
    #[case("../lib.so")]
    fn what_is_no_name_is_refused(#[case] text: &str) {
        assert!(text.parse::<Wanted>().unwrap_err().contains("dettaglio devices"));
    }

    #[test]
    fn what_is_wanted_is_said_as_it_was_asked() {
        for text in ["auto", "cpu", "gpu", "webgpu-gpu"] {
            assert_eq!(text.parse::<Wanted>().unwrap().to_string(), text);
        }
    }
}
