//! A job is the fold of its log.
//!
//! [`entry`] has what can be written, kind by kind; [`state`] is the job as it stands, `fold` puts it together from a log;
//! [`bounds`] and [`admit`] say whether an entry fits; [`gate`] says what may be done while the battery gate is not
//! open; [`bench`], [`card`] and `controls` put state and model together into what the page shows ([`view`]);
//! [`danger`] says what is dangerous and stays with the pack, [`dead`] what is measured before a burnt vehicle is switched on; [`items`] and [`proof`] say what holds the hand-back;
//! [`points`] compares a vehicle without a wiring model with a working one; [`map`] describes the trace map; [`record`]
//! writes the record out, [`report`] what is handed over, [`bundle`] the whole job as one document, [`chain`] what shows
//! that nobody changed it, [`netlist`] its circuit for a simulator.

pub mod admit;
pub mod bench;
pub mod bounds;
pub mod bundle;
pub mod card;
pub mod chain;
mod controls;
pub mod danger;
pub mod dead;
pub mod entry;
mod fold;
pub mod gate;
pub mod has;
pub mod items;
pub mod map;
pub mod netlist;
pub mod points;
pub mod profile;
pub mod proof;
pub mod record;
pub mod report;
pub mod standstill;
pub mod state;
pub mod view;

pub use entry::{Body, Logged, Outcome, Role};
pub use state::Job;
