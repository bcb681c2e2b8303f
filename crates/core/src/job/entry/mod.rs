//! What can be written into a job's log. Entries are never changed; a correction voids one and adds
//! another. No entry holds a customer's name or contact.
//!
//! A kind of entry is a struct with its fields, in the module of its group, and answers for itself as a
//! [`Kind`]: whether it fits, what it does to the job, how it reads. [`vocabulary`] has what they are made of.

pub mod bench;
pub mod changed;
pub mod close;
pub mod gate;
pub mod intake;
pub mod kind;
pub mod money;
pub mod proof;
pub mod repair;
pub mod vocabulary;

pub use bench::*;
pub use changed::change_words;
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

/// All kinds in one, and the way to what a kind answers.
macro_rules! kinds {
    ($($group:ident: $($name:ident),+;)*) => {
        /// The content of an entry.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        #[allow(missing_docs)] // each stands at its struct
        pub enum Body {
            $($($name(#[schema(inline)] $group::$name),)+)*
        }

        impl Body {
            /// Its kind, which answers for it.
            pub fn kind(&self) -> &dyn Kind {
                match self {
                    $($(Self::$name(kind) => kind,)+)*
                }
            }
        }

        $($(impl From<$group::$name> for Body {
            fn from(kind: $group::$name) -> Self {
                Self::$name(kind)
            }
        })+)*
    };
}

kinds! {
    intake: Opened, Vehicle, Symptom, Risk, Customer, Ownership;
    gate: Pack, Gate, Quarantine, Clearance, State, Confirmed;
    bench: Reading, Check, Skip, ByHand, Change, Reference, PointReading, Sheet;
    repair: Part, Reassembly, Wait, Resume, GoodsIn, Claim, OpenItem, CloseItem;
    money: Terms, Quote, QuoteAnswer, Minutes, Clock;
    proof: Proof, Except, OwnerSheet;
    close: Photo, Note, Void, Close;
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
