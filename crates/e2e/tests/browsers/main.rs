//! The interface as people use it, in a headless browser. All in one program: each would link the whole server anew.

mod bench;
mod browser;
mod crop;
mod faces;
mod looking;
mod order;
mod places;
mod repair;
mod shapes;
