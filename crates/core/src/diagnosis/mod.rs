//! Evidence → likelihood → suspects → next probe → explanation.
//!
//! [`repertoire`] lists everything that can be done on a vehicle; [`predict`] works out once per profile
//! what each test reads under each hypothesis, from circuits that [`forward`] solves (or `kept` from before a change) and figures cut into outcomes by
//! [`bins`]; `unlisted` adds the faults that the drawing shows and the catalogue lacks; [`belief`] turns evidence into
//! shares: `figure` says how likely what a meter shows is, [`unknown`] speaks for faults that nothing names, `pairs` for two
//! at once; [`choose`] names the next test; [`plan`] says whether to
//! measure on, repair, refer or decline, and what it will take; [`explain`] says why and what each outcome would mean.

pub mod belief;
pub mod bins;
pub mod choose;
pub mod explain;
mod figure;
pub mod forward;
mod kept;
mod pairs;
pub mod plan;
pub mod predict;
pub mod repertoire;
pub mod rows;
pub mod signs;
mod solved;
pub mod unknown;
mod unlisted;

pub use belief::{Answer, Belief, Evidence, Item, TakenIn};
pub use choose::{Candidate, Situation};
pub use plan::{Action, Plan, Prices};
pub use predict::Model;
pub use repertoire::{Kind, Test};
