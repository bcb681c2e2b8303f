//! The core as seen from outside: one program, so that what is costly (catalogue, models) is made once.

#![allow(clippy::unwrap_used)] // a test that panics says where

mod accepted;
mod agreement;
mod audits;
mod bench;
mod builds;
mod built;
mod catalogue;
mod choosing;
mod common;
mod dangers;
mod dead_first;
mod diagnosis;
mod editing;
mod entries;
mod job;
mod pairs;
mod places;
mod planning;
mod proof_length;
mod shop;
mod standstill;
mod texts;
mod unknown;
mod unlisted;
mod words;
