//! Routes, one module per resource.

pub mod audit;
pub mod builds;
pub mod calendar;
pub mod capture;
pub mod catalogue;
pub mod customers;
pub mod exchange;
pub mod factor;
pub mod intake;
pub mod jobs;
pub mod live;
pub mod packs;
pub mod people;
pub mod photos;
pub mod rack;
pub mod session;
pub mod sheets;
pub mod shop;
pub mod vehicles;
pub mod view;
