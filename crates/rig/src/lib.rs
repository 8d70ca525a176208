//! The live gauge: a rig on the engine speaks lines of text over TCP, and what it measures is recorded so that nothing is lost and nothing stands twice.
//!
//! Words: a [`line`] is text under a checksum; what is said in it is in [`said`]; samples are gathered into a [`chunk`] of about a second; the [`recorder`] holds one connection,
//! hands chunks to a [`recorder::Sink`] and acknowledges what that has kept; the [`hub`] is what is linked just now, for whoever watches. The protocol as others build rigs by it
//! is in `docs/rig.md`. The [`standin`] is a rig without an engine.
pub mod chunk;
pub mod hub;
pub mod line;
pub mod proof;
pub mod recorder;
pub mod said;
pub mod standin;
pub mod tls;
