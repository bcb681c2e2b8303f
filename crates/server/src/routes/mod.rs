//! Routes, one module per resource.

pub mod catalogue;
pub mod customers;
pub mod intake;
pub mod jobs;
pub mod packs;
pub mod rack;
pub mod session;
