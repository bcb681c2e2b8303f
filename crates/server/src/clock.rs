//! The one clock. The demonstration's shop time is the real time moved by a fixed offset, so that it
//! starts at a fixed instant and runs; screenshots and tests freeze it.

use time::{Duration, OffsetDateTime};

/// Shop time.
#[derive(Debug, Clone, Copy)]
pub enum Clock {
    /// Real time plus an offset.
    Runs(Duration),
    /// Stands still.
    Frozen(OffsetDateTime),
}

impl Clock {
    /// Now, in whole milliseconds: what PostgreSQL and JSON both keep.
    pub fn now(self) -> OffsetDateTime {
        let now = match self {
            Self::Runs(offset) => OffsetDateTime::now_utc() + offset,
            Self::Frozen(at) => at,
        };
        now.replace_nanosecond(now.nanosecond() / 1_000_000 * 1_000_000)
            .unwrap_or(now)
    }
}
