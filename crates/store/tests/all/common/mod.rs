//! What the tests of the store share.

use spannung_store::card::Card;
use spannung_store::job::{Append, NewEntry};
use spannung_store::{Store, StoreError};
use uuid::Uuid;

/// Append entries that raise nothing.
pub async fn put(
    store: &Store,
    job: Uuid,
    seen: i64,
    entries: &[NewEntry],
    card: &Card,
) -> Result<i64, StoreError> {
    let what = Append {
        job,
        seen,
        pack_seen: None,
        entries,
        dangers: &[],
        card,
    };
    store.append(&what).await
}
