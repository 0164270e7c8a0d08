//! The rules of the job: everything about an enlargement that can be said, decided and worked out without a pixel.
//!
//! This crate computes no picture, opens no file, and knows no database and no network. Read it in the order of the work:
//!
//! | module | what lives there |
//! |---|---|
//! | [`geometry`], [`affine`] | sizes, regions and places; maps between an original and its sheet |
//! | [`file`] | what is known of an original's file, and how a result is written |
//! | [`hash`] | content hashes, which name originals, models and treatments |
//! | [`id`] | numbers of orders, originals, jobs, results: a type for each |
//! | [`size`] | from "60 x 40 cm at 240 ppi" to pixels, and what such a print is worth to the eye |
//! | [`limits`] | what is refused, before any work is done |
//! | [`frame`], [`crop`] | turning, straightening, cropping; a crop while a hand draws it |
//! | [`mask`] | which part of a picture an area covers |
//! | [`face`] | a face by its eyes and mouth, and which faces are restored |
//! | [`repair`], [`gaps`], [`halftone`], [`clean`], [`kernel`], [`finish`] | the settings of the steps |
//! | [`model`] | models' cards, and which of them serve a subject and a factor |
//! | [`treatment`] | the ordered, saved settings for one picture, with everything resolved |
//! | [`sight`] | what a picture shows |
//! | [`reading`] | what was measured on an original, the thresholds, and what it comes to in words |
//! | [`recipe`] | what a person chooses, before it is worked out for a picture and a size |
//! | [`suggest`] | what a reading, a trial and a print suggest, with reasons |
//! | [`intent`] | all that is asked for of a picture: target, recipe, alternatives and file, as it is kept |
//! | [`Recipe::in_draft`](recipe::Recipe::in_draft) | the same by quicker models, shown of a view until its own pixels are there |
//! | [`rehearsal`], [`spot`] | who is compared with whom, by which figures, and where |
//! | [`preflight`] | what is to be said of a run before it is started |
//! | [`batch`] | what many pictures come to, in which prints and files |
//! | [`device`] | what computes the networks: which of the devices that there are |
//! | [`forecast`] | how long it will take |
//! | [`rules`] | limits, defaults, formats and units, in one document for a front end |
//! | [`naming`] | what a result's file is called |
//! | [`words`] | what was asked for, step by step in a few words |
//! | [`numbers`] | which numbers are refused wherever they come in |

pub mod affine;
pub mod batch;
pub mod clean;
pub mod crop;
pub mod device;
mod draft;
pub mod face;
pub mod file;
pub mod finish;
pub mod forecast;
pub mod frame;
pub mod gaps;
pub mod geometry;
pub mod halftone;
pub mod hash;
pub mod id;
pub mod intent;
pub mod kernel;
pub mod limits;
pub mod mask;
pub mod model;
pub mod naming;
pub mod numbers;
pub mod preflight;
pub mod reading;
pub mod recipe;
pub mod rehearsal;
pub mod repair;
pub mod rules;
pub mod sight;
pub mod size;
pub mod spot;
#[cfg(any(test, feature = "testing"))]
pub mod stand_in;
pub mod suggest;
pub mod trace;
pub mod treatment;
pub mod words;
