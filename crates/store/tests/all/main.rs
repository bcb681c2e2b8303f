//! The store against a real database, in one program.

#![allow(clippy::unwrap_used)] // a test that panics says where

mod common;
mod shop;
mod store;
