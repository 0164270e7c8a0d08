//! What lies outside: scanners, shops and printers, reports for people, and the demo.

pub mod attend;
pub mod demo;
mod inbox;
mod outside;
pub mod printer;
pub mod report;
mod shop;
