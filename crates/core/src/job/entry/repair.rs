//! Parts and what belongs to them: waiting, arrivals, claims, how it goes together, what was left open.

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use crate::job::entry::kind::{
    Admitting, Book, Kind, Said, TestName, Worked, check_cents, check_minutes, known_class, maybe,
    minutes_words, money_words, not_stopped, owned, refuse, tail, text,
};
use crate::job::entry::vocabulary::{ClaimWants, Fate, WaitKind};
use crate::job::items::{self, Opened};
use crate::job::state::{
    Arrival, AssemblyStep, ClaimMade, ItemWritten, Job, Mark, PartLine, Settled, Waiting,
};
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::ToSchema;

/// A part out and in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Part {
    /// Old part.
    #[serde(default)]
    pub old: Option<String>,
    /// What becomes of it.
    #[serde(default)]
    pub fate: Option<Fate>,
    /// New part.
    #[serde(default)]
    pub new: Option<String>,
    /// Repair class it mends.
    #[serde(default)]
    pub class: Option<String>,
    /// Minutes.
    pub minutes: f64,
    /// Price, cents.
    #[serde(default)]
    pub price_cents: Option<i64>,
}

impl Kind for Part {
    fn word(&self) -> &'static str {
        "part"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            old,
            new,
            fate,
            minutes,
            price_cents,
            class,
            ..
        } = self;
        check_minutes(*minutes)?;
        not_stopped(at, "kind")?;
        let blank = |t: &Option<String>| t.as_ref().is_none_or(|t| t.trim().is_empty());
        if class.as_ref().is_some_and(|c| bypasses(at.catalogue, c)) {
            owned(at)?;
        }
        if blank(old) && blank(new) {
            return refuse(Code::NoPart, "new", "Name the part that went out or in.");
        }
        if !blank(old) && fate.is_none() {
            return refuse(Code::NoFate, "fate", "Say what becomes of the old part.");
        }
        check_cents("price_cents", *price_cents)?;
        known_class(at, class.as_ref())?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            old,
            fate,
            new,
            class,
            minutes,
            price_cents,
            ..
        } = self;
        job.spend(mark, *minutes);
        job.parts.push(PartLine {
            mark: mark.clone(),
            old: old.clone(),
            fate: *fate,
            new: new.clone(),
            class: class.clone(),
            minutes: *minutes,
            price_cents: *price_cents,
        });
        let signs = &catalogue.power_fault;
        let is_fuse = |p: &PartLine| p.class.as_ref().is_some_and(|c| signs.fuses.contains(c));
        let fuses = job.parts.iter().filter(|p| is_fuse(p)).count();
        if fuses >= signs.fuses_most && job.parts.last().is_some_and(is_fuse) {
            job.power_fault(mark, "A second fuse on this job".into());
        }
        // a swap ends what was confirmed before it
        job.confirmed.clear();
        job.gate.remove("smell");
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            old,
            fate,
            new,
            class,
            minutes,
            price_cents,
            ..
        } = self;
        let mut text = String::new();
        if let Some(old) = old.as_ref().filter(|o| !o.is_empty()) {
            text = format!("Out: {old}");
            if let Some(fate) = fate {
                text = format!("{text} ({})", fate.words());
            }
        }
        if let Some(new) = new.as_ref().filter(|n| !n.is_empty()) {
            text = if text.is_empty() {
                format!("In: {new}")
            } else {
                format!("{text}. In: {new}")
            };
        }
        if let Some(class) = class {
            text = format!("{text}. Repairs: {}", book.class(class).to_lowercase());
        }
        let price = price_cents.map_or(String::new(), |c| format!(", {}", money_words(c)));
        Said::with(text, format!("{}{price}", minutes_words(*minutes)))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }

    fn worked(&self, _test_name: TestName<'_>) -> Option<Worked> {
        let part = self.new.as_ref().or(self.old.as_ref());
        Some(Worked {
            minutes: self.minutes,
            what: part.cloned().unwrap_or_default(),
        })
    }
}

/// How something goes together again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Reassembly {
    /// Part.
    pub part: String,
    /// Place in the order of assembly, from 1.
    pub step: u16,
    /// Orientation.
    #[serde(default)]
    pub orientation: String,
    /// Lubricant, lock or sealant.
    #[serde(default)]
    pub lubricant: String,
    /// Torque, N·m.
    #[serde(default)]
    pub torque_nm: Option<f64>,
}

impl Kind for Reassembly {
    fn word(&self) -> &'static str {
        "reassembly"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            part,
            step,
            orientation,
            lubricant,
            torque_nm,
            ..
        } = self;
        text("part", part, 120, "Name the part.")?;
        maybe("orientation", orientation, 300)?;
        maybe("lubricant", lubricant, 200)?;
        if *step == 0 || *step > 200 {
            return refuse(Code::BadStep, "step", "Steps go from 1 to 200.");
        }
        if torque_nm.is_some_and(|t| !t.is_finite() || !(0.1..=300.0).contains(&t)) {
            return refuse(
                Code::BadTorque,
                "torque_nm",
                "A torque of 0.1 to 300 N·m is accepted.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            part,
            step,
            orientation,
            lubricant,
            torque_nm,
            ..
        } = self;
        job.assembly.push(AssemblyStep {
            mark: mark.clone(),
            part: part.clone(),
            step: *step,
            orientation: orientation.clone(),
            lubricant: lubricant.clone(),
            torque_nm: *torque_nm,
        });
        job.assembly.sort_by_key(|a| (a.step, a.mark.seq));
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            part,
            step,
            orientation,
            lubricant,
            torque_nm,
            ..
        } = self;
        let mut text = format!("Reassembly, {step}: {part}");
        for extra in [orientation, lubricant] {
            if !extra.trim().is_empty() {
                text = format!("{text}, {extra}");
            }
        }
        Said::with(
            text,
            torque_nm.map_or(String::new(), |t| format!("{t} N·m")),
        )
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// The job waits.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Wait {
    /// For what.
    pub wait: WaitKind,
    /// In words.
    pub what: String,
    /// When it comes free.
    #[serde(default, with = "time::serde::rfc3339::option")]
    pub until: Option<OffsetDateTime>,
    /// Who delivers, for a part on order.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub supplier: Option<String>,
}

impl Kind for Wait {
    fn word(&self) -> &'static str {
        "wait"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { what, .. } = self;
        if what.trim().is_empty() {
            return refuse(Code::NoReason, "what", "Say what the job waits for.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            wait,
            what,
            until,
            supplier,
            ..
        } = self;
        job.waiting = Some(Waiting {
            kind: *wait,
            what: what.clone(),
            until: *until,
            since: mark.at,
            supplier: supplier.clone(),
            quote: None,
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            wait,
            what,
            until,
            supplier,
            ..
        } = self;
        let kind = match wait {
            WaitKind::Part => "a part",
            WaitKind::Charge => "a charge",
            WaitKind::Cure => "curing",
            WaitKind::Rest => "rest",
            WaitKind::Customer => "the customer's word",
        };
        let until = until.map_or("", |_| "until");
        let from = supplier
            .as_ref()
            .map_or(String::new(), |s| format!(", from {s}"));
        Said::with(format!("Waits for {kind}: {what}{from}"), until)
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }

    fn speaks_of(&self) -> Option<OffsetDateTime> {
        self.until
    }
}

/// The wait is over.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Resume {}

impl Kind for Resume {
    fn word(&self) -> &'static str {
        "resume"
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        job.waiting = None
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        Said::words("The wait is over")
    }
}

/// A part has arrived and was looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct GoodsIn {
    /// What.
    pub what: String,
    /// Free of damage.
    pub undamaged: bool,
    /// Contents complete, against the order.
    pub complete: bool,
    /// Label and plate as ordered.
    pub as_ordered: bool,
    /// What was seen.
    #[serde(default)]
    pub words: String,
}

impl GoodsIn {
    fn good(&self) -> bool {
        self.undamaged && self.complete && self.as_ordered
    }
}

impl Kind for GoodsIn {
    fn word(&self) -> &'static str {
        "goods-in"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { what, words, .. } = self;
        text("what", what, 200, "Name what arrived.")?;
        maybe("words", words, 1000)?;
        if !self.good() && words.trim().is_empty() {
            return refuse(
                Code::NoReason,
                "words",
                "Say what is wrong with it: a claim needs the facts.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { what, words, .. } = self;
        let good = self.good();
        job.arrivals.push(Arrival {
            mark: mark.clone(),
            what: what.clone(),
            good,
            words: words.clone(),
        });
        if good
            && job
                .waiting
                .as_ref()
                .is_some_and(|w| w.kind == WaitKind::Part)
        {
            job.waiting = None;
        }
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            what,
            undamaged,
            complete,
            as_ordered,
            words,
            ..
        } = self;
        let mut faults = Vec::new();
        if !undamaged {
            faults.push("damaged");
        }
        if !complete {
            faults.push("incomplete");
        }
        if !as_ordered {
            faults.push("not as ordered");
        }
        let state = if faults.is_empty() {
            "good, complete, as ordered".to_string()
        } else {
            faults.join(", ")
        };
        let tail = tail(". ", words, "");
        Said::words(format!("Arrived: {what}, {state}{tail}"))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A claim to the supplier, with its facts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Claim {
    /// Supplier.
    pub supplier: String,
    /// Part.
    pub what: String,
    /// Facts: order, label, readings, photos.
    pub facts: String,
    /// What is asked.
    pub wants: ClaimWants,
}

impl Kind for Claim {
    fn word(&self) -> &'static str {
        "claim"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            supplier,
            what,
            facts,
            ..
        } = self;
        text("supplier", supplier, 120, "Name the supplier.")?;
        text("what", what, 200, "Name the part.")?;
        text("facts", facts, 2000, "Write the facts of the claim.")?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            supplier,
            what,
            facts,
            wants,
            ..
        } = self;
        job.claims.push(ClaimMade {
            mark: mark.clone(),
            supplier: supplier.clone(),
            what: what.clone(),
            facts: facts.clone(),
            wants: *wants,
        })
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            supplier,
            what,
            facts,
            wants,
            ..
        } = self;
        let wants = match wants {
            ClaimWants::Replacement => "another one",
            ClaimWants::Refund => "the money back",
            ClaimWants::MissingPart => "the missing piece",
        };
        Said::words(format!(
            "Claim to {supplier} for {what}: {facts}. Asked: {wants}"
        ))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// Something is left open that holds the hand-back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct OpenItem {
    /// Kind: an id of the catalogue's open items.
    pub item: String,
    /// What and where.
    pub what: String,
}

impl Kind for OpenItem {
    fn word(&self) -> &'static str {
        "open-item"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { item, what, .. } = self;
        if at.here && at.catalogue.proof.item(item).is_none() {
            return refuse(Code::UnknownItem, "item", "There is no such open item.");
        }
        text("what", what, 200, "Say what and where.")?;
        if item == "bench-override" {
            owned(at)?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { item, what, .. } = self;
        job.items.push(ItemWritten {
            mark: mark.clone(),
            kind: item.clone(),
            what: what.clone(),
        })
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { item, what, .. } = self;
        let name = book
            .catalogue
            .proof
            .item(item)
            .map_or(item.clone(), |i| i.name.clone());
        Said::words(format!("Still to do: {name}, {what}"))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// An open item is closed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CloseItem {
    /// Key of the item: the entry's id, or the key the server gave it.
    pub item: String,
    /// How.
    pub how: String,
}

impl Kind for CloseItem {
    fn word(&self) -> &'static str {
        "close-item"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { how, .. } = self;
        text("how", how, 300, "Say how it was closed.")?;
        Ok(())
    }

    fn admit_opened(
        &self,
        catalogue: &Catalogue,
        job: &Job,
        opened: &[Opened],
    ) -> Result<(), CoreError> {
        let Self { item, .. } = self;
        match items::open(catalogue, job, opened, item) {
            None => refuse(Code::UnknownItem, "item", "This item is not open."),
            Some(i) if i.by_state => refuse(Code::ByState, "item", i.detail),
            Some(_) => Ok(()),
        }
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { item, how, .. } = self;
        let closed = Settled {
            mark: mark.clone(),
            words: how.clone(),
        };
        job.closings.insert(item.clone(), closed);
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { item, how, .. } = self;
        Said::words(format!("Closed: {}, {how}", (book.item)(item)))
    }
}

/// Does mending this class change locked electronics: controller, settings, display?
fn bypasses(catalogue: &Catalogue, class: &str) -> bool {
    catalogue.proof.touched_by(class).is_some_and(|t| {
        matches!(
            t.id.get_ref().as_str(),
            "controller" | "settings" | "display"
        )
    })
}
