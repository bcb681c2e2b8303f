//! The trade, without interface, clock, chance or storage.
//!
//! * [`reading`] reads and writes figures the way people write them.
//! * [`catalogue`] holds what we believe, from `data/*.toml`, checked on load.
//! * [`diagnosis`] turns evidence into suspects and the next probe.
//! * [`desks`] work one area in depth; so far the money.
//! * [`job`] folds a job's log into its present state, the gate among it.
//!
//! Everything here is a function of its arguments: same entries, same catalogue, same answer.

pub mod catalogue;
pub mod cores;
pub mod desks;
pub mod diagnosis;
pub mod error;
pub mod hearing;
pub mod job;
pub mod reading;

pub use error::{Code, CoreError};
