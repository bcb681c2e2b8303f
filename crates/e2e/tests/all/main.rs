//! The product as a whole, from outside: over its API and in a browser. One program, so that both cores stay busy and it is
//! linked once.

mod api;
mod browser;
mod exchange;
mod guarded;
mod instruments;
mod killed;
mod layout;
mod looks;
mod offline;
mod shop;
mod trusted;
mod vehicle;
