//! The circuit as seen from outside, in one program.

#![allow(clippy::unwrap_used)] // a test that panics says where

mod builds;
mod common;
mod kinds;
mod otherwise;
mod profile;
mod properties;
mod sensitivity;
mod spice;
mod worked;
