//! What can be written into a job's log. Entries are never changed; a correction voids one and adds
//! another. No entry holds a customer's name or contact.
//!
//! A kind of entry is a struct with its fields, in the module of its group, and answers for itself as a
//! [`Kind`]: whether it fits, what it does to the job, how it reads. [`vocabulary`] has what they are made of.

pub mod bench;
pub mod close;
pub mod gate;
pub mod intake;
pub mod kind;
pub mod money;
pub mod proof;
pub mod repair;
pub mod vocabulary;

pub use bench::*;
pub use close::*;
pub use gate::*;
pub use intake::*;
pub use kind::Kind;
pub use money::*;
pub use proof::*;
pub use repair::*;
pub use vocabulary::*;

use crate::job::state::Mark;
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// All kinds in one: their groups, and the way to what a kind answers.
macro_rules! kinds {
    ($($(#[$doc:meta])* $name:ident: $group:ident,)*) => {
        /// The content of an entry.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        pub enum Body {
            $($(#[$doc])* $name(#[schema(inline)] $group::$name),)*
        }

        impl Body {
            /// Its kind, which answers for it.
            pub fn kind(&self) -> &dyn Kind {
                match self {
                    $(Self::$name(kind) => kind,)*
                }
            }
        }

        $(impl From<$group::$name> for Body {
            fn from(kind: $group::$name) -> Self {
                Self::$name(kind)
            }
        })*
    };
}

kinds! {
    /// The job begins: what the customer said, voltage class and drive.
    Opened: intake,
    /// The vehicle.
    Vehicle: intake,
    /// A symptom told or seen, or denied.
    Symptom: intake,
    /// A risk factor.
    Risk: intake,
    /// Whose it is: a reference only.
    Customer: intake,
    /// Locked or ex-fleet electronics, and the proof of ownership that was seen.
    Ownership: intake,
    /// Which pack is on it.
    Pack: gate,
    /// An answer at the gate.
    Gate: gate,
    /// A step of the quarantine.
    Quarantine: gate,
    /// A specialist clears the pack in writing.
    Clearance: gate,
    /// The vehicle stands differently now.
    State: gate,
    /// A precondition is confirmed.
    Confirmed: gate,
    /// A reading.
    Reading: bench,
    /// A look, feel or try.
    Check: bench,
    /// A proposal is passed over.
    Skip: bench,
    /// A suspect ruled out or in by hand, or left to the readings again.
    ByHand: bench,
    /// Not like this here.
    Change: bench,
    /// The identical working vehicle whose readings are the expected ones.
    Reference: bench,
    /// A reading at a point named by hand.
    PointReading: bench,
    /// Points and expected values kept from an earlier vehicle; unverified until measured again.
    Sheet: bench,
    /// A part out and in.
    Part: repair,
    /// How something goes together again.
    Reassembly: repair,
    /// The job waits.
    Wait: repair,
    /// The wait is over.
    Resume: repair,
    /// A part has arrived and was looked at.
    GoodsIn: repair,
    /// A claim to the supplier, with its facts.
    Claim: repair,
    /// Something is left open that holds the hand-back.
    OpenItem: repair,
    /// An open item is closed.
    CloseItem: repair,
    /// Promise and money.
    Terms: money,
    /// A quote to the customer.
    Quote: money,
    /// The customer's answer to a quote.
    QuoteAnswer: money,
    /// Minutes of other work, or a correction (negative).
    Minutes: money,
    /// A person's clock on this job starts or pauses.
    Clock: money,
    /// A check of the proof.
    Proof: proof,
    /// A check or open item is let go, with a reason that prints.
    Except: proof,
    /// What the owner gets to read about using it.
    OwnerSheet: proof,
    /// A photo.
    Photo: close,
    /// A note.
    Note: close,
    /// An entry is struck out.
    Void: close,
    /// The end.
    Close: close,
}

/// An entry as it stands in the log.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Logged {
    /// Made by the client; sending it twice is the same as once.
    pub id: Uuid,
    /// The server's order.
    pub seq: i64,
    /// When the person did it, by the person's clock.
    #[serde(with = "time::serde::rfc3339")]
    pub at: OffsetDateTime,
    /// Who, as a name of the shop's staff.
    pub by: String,
    /// Who, as a person of this shop; none for what came in from elsewhere. It means nothing in another
    /// shop, so it is in no document.
    #[serde(skip)]
    pub by_id: Option<Uuid>,
    /// Content.
    pub body: Body,
}

impl Logged {
    /// Who wrote it, when, and where it stands in the log.
    pub fn mark(&self) -> Mark {
        Mark {
            entry: self.id,
            seq: self.seq,
            at: self.at,
            by: self.by.clone(),
            by_id: self.by_id,
        }
    }
}
