//! A job is the fold of its log.
//!
//! [`entry`] lists what can be written; [`fold`] turns a log into the job's present state;
//! [`admit`] says whether an entry fits; [`gate`] says what may be done while the battery gate is not
//! open; [`bench`] and [`card`] put state and model together into what the page shows ([`view`]);
//! [`map`] describes the trace map; [`record`] writes the record out.

pub mod admit;
pub mod bench;
pub mod card;
pub mod entry;
pub mod fold;
pub mod gate;
pub mod map;
pub mod record;
pub mod view;

pub use entry::{Body, Logged, Outcome, Role};
pub use fold::Job;
