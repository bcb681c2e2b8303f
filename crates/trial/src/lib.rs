//! Simulated jobs from the complaint to the proved repair, played by the engine and by what it is measured against.
//!
//! * [`job`] plays one job: a vehicle of `spannung-sim` with its own truth, a policy that asks and repairs.
//! * [`policy`] holds the policies: the engine, a checklist by complaint, a fixed checklist, swapping parts.
//! * [`score`] turns played jobs into the figures of the report.
//! * [`worlds`] plays vehicles of other makers, [`builds`] such as are put together from components, [`cases`] readings worked
//!   out by hand.
//! * [`likeliest`] tells what leads after a complaint alone.
//! * [`optimum`] is the exact answer on problems small enough to have one.

pub mod builds;
pub mod cases;
pub mod job;
pub mod likeliest;
pub mod optimum;
pub mod policy;
pub mod score;
pub mod worlds;
