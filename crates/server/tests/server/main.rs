//! The server from outside, over HTTP. All in one program: each would link the whole server anew.

mod ahead;
mod api;
mod compare;
mod computing;
mod demo;
mod faces;
mod hostile;
mod nonsense;
mod orders;
mod outside;
mod permissions;
mod rehearsal;
mod removed;
mod support;
mod tracing;
