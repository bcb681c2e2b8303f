//! Evidence → likelihood → suspects → next probe → explanation.
//!
//! Once per profile: [`repertoire`] lists everything that can be done on a vehicle, [`hypothesis`] everything that can be
//! wrong with it (`unlisted` adds the faults that the drawing shows and the catalogue lacks, `choices` the parts that a maker
//! may choose otherwise); [`forward`] solves the
//! circuits and [`ways`] those of what may be built otherwise (or `kept` takes them from before a change), figures on their [`scale`] become a [`column`] per test, cut
//! into outcomes by [`bins`]; `told` gives the chances of symptoms. [`predict`] puts all this into a [`model`].
//!
//! On every job: [`belief`] turns [`evidence`] into shares: `figure` says how likely what a meter shows is, `chosen` what a
//! maker's choices explain of it, [`unknown`]
//! speaks for faults that nothing names, `pairs` for two at once; [`now`] gives the chances of outcomes, [`choose`] names
//! the next test; [`plan`] says whether to measure on, repair, refer or decline, and what it will take; [`explain`] says
//! why and what each outcome would mean.

pub mod belief;
pub mod bins;
mod choices;
pub mod choose;
mod chosen;
pub mod column;
mod columns;
pub mod course;
pub mod evidence;
pub mod explain;
mod figure;
mod filter;
pub mod forward;
pub mod hypothesis;
mod kept;
mod load;
pub mod model;
pub mod near;
pub mod nets;
pub mod now;
mod pairs;
pub mod plan;
pub mod predict;
mod reach;
pub mod repertoire;
pub mod rows;
pub mod scale;
pub mod shared;
pub mod signs;
mod solved;
mod told;
pub mod unknown;
mod unlisted;
pub mod ways;

pub use belief::Belief;
pub use choose::{Candidate, Situation};
pub use course::Course;
pub use evidence::{Answer, Evidence, Item, TakenIn};
pub use model::Model;
pub use plan::{Action, Plan, Prices};
pub use repertoire::{Kind, Test};
