//! The chain over a job's log: every entry is hashed together with the hash of the one before it, so that
//! nothing can be changed, left out or put between later without the last hash being another. The store
//! works it out when it writes; an export carries it, and whoever reads it works it out again.

use crate::job::entry::Logged;
use sha2::{Digest, Sha256};

/// An entry as its hash speaks of it: as JSON, without the sequence, which is another in every shop.
pub fn text(e: &Logged) -> String {
    let bare = Logged {
        seq: 0,
        ..e.clone()
    };
    // an entry always writes: its keys are words
    serde_json::to_string(&bare).unwrap_or_default()
}

/// Hash after this entry, from the one before it; empty before the first.
pub fn link(before: &[u8], e: &Logged) -> Vec<u8> {
    let mut hash = Sha256::new();
    hash.update(before);
    hash.update(text(e).as_bytes());
    hash.finalize().to_vec()
}

/// Hash after the last entry of a log, in hex.
pub fn of(entries: &[Logged]) -> String {
    let last = entries
        .iter()
        .fold(Vec::new(), |before, e| link(&before, e));
    hex(&last)
}

/// Bytes in hex.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
