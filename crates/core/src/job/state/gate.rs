//! What the log says about the gate: answers, STOPs, how the vehicle stands, what a pack brings along.

use super::{Job, PackOn};
use crate::catalogue::{Catalogue, Need};
use crate::job::danger::{Found, Happened, OnPack, Stop};
use spannung_circuit::VehicleState;
use spannung_circuit::state::Wheel;
use std::collections::BTreeSet;
use uuid::Uuid;

/// What a state says of the field that a confirmation holds with.
fn field_of(state: &VehicleState, field: &str) -> String {
    match field {
        "wheel" if state.wheel == Wheel::Ground => "ground".into(),
        "wheel" => "up".into(),
        "plugs" => state.apart.iter().cloned().collect::<Vec<_>>().join(","),
        other => state.word(other).unwrap_or_default().into(),
    }
}

impl Job {
    pub(in crate::job) fn field(&self, field: &str) -> String {
        field_of(&self.state, field)
    }

    /// Is a precondition confirmed, and will it still be when the vehicle has been brought to a state?
    pub fn confirmed_in(&self, need: &Need, state: &VehicleState) -> bool {
        let said = self.confirmed.get(need.id.get_ref());
        said.is_some_and(|v| *v == field_of(state, &need.holds_while))
    }

    /// Bring the vehicle to a state; confirmations that spoke of another state end.
    pub(in crate::job) fn stand(&mut self, catalogue: &Catalogue, state: VehicleState) {
        self.state = state;
        let holds: BTreeSet<String> = self
            .confirmed
            .iter()
            .filter(|(need, value)| {
                catalogue
                    .need(need)
                    .is_some_and(|n| self.field(&n.holds_while) == **value)
            })
            .map(|(need, _)| need.clone())
            .collect();
        self.confirmed.retain(|need, _| holds.contains(need));
    }

    /// The gate's wheel contact lifts a wheel that stood on the ground.
    pub(in crate::job) fn wheel_is_up(&mut self, catalogue: &Catalogue) {
        let mut state = self.state.clone();
        if state.wheel == Wheel::Ground {
            state.wheel = Wheel::Lifted;
        }
        self.stand(catalogue, state);
    }

    /// A danger raised by an entry of this job.
    pub(in crate::job) fn find(&mut self, stop: Stop) {
        self.found.push(Found {
            pack: self.pack.as_ref().map(|p| p.pack),
            rests_since: stop.entry,
            stop: stop.clone(),
        });
        self.on_pack.find(stop);
    }

    /// A pack is put on. What was found on the one before stays with that one; what was told before any
    /// had a name was told of this one.
    pub(in crate::job) fn put_on(
        &mut self,
        catalogue: &Catalogue,
        entry: Uuid,
        pack: Uuid,
        sticker: &str,
    ) {
        let on = PackOn {
            pack,
            sticker: sticker.into(),
        };
        let before = self.pack.replace(on).map(|p| p.pack);
        if before == Some(pack) {
            return;
        }
        let left = std::mem::take(&mut self.on_pack);
        self.on_pack = self.off_vehicle.remove(&pack).unwrap_or_default();
        match before {
            Some(before) => {
                self.off_vehicle.insert(before, left);
                self.forget_looks(catalogue);
            }
            None => {
                self.on_pack.join(left);
                for found in self.found.iter_mut().filter(|f| f.pack.is_none()) {
                    found.pack = Some(pack);
                    found.rests_since = entry;
                }
            }
        }
    }

    /// Something happened on a pack in another job.
    pub(in crate::job) fn elsewhere(&mut self, catalogue: &Catalogue, event: &OnPack) {
        if self.pack.as_ref().is_some_and(|p| p.pack == event.pack) {
            self.on_pack.take(event);
            if event.what == Happened::Cleared {
                self.ask_again(catalogue);
            }
        } else {
            self.off_vehicle.entry(event.pack).or_default().take(event);
        }
    }

    pub(in crate::job) fn clear(&mut self, catalogue: &Catalogue) {
        self.on_pack.clear();
        self.ask_again(catalogue);
    }

    /// After a clearance the pack is looked at anew.
    fn ask_again(&mut self, catalogue: &Catalogue) {
        if self.on_pack.stops.is_empty() {
            self.forget_looks(catalogue);
        }
    }

    /// What was seen of a pack at the gate does not hold any more.
    fn forget_looks(&mut self, catalogue: &Catalogue) {
        self.gate.retain(|check, _| {
            catalogue
                .gate_check(check)
                .is_some_and(|c| c.rests == "job")
        });
    }

    /// Does a STOP that this entry raised hold, on whatever pack of this job it rests?
    pub fn holds_stop(&self, entry: Uuid) -> bool {
        std::iter::once(&self.on_pack)
            .chain(self.off_vehicle.values())
            .any(|p| p.stops.iter().any(|s| s.entry == entry))
    }
}

/// State in a few words.
pub fn state_words(s: &VehicleState) -> String {
    let mut out = vec![format!("battery {}", s.battery.word())];
    if s.key.word() == "on" {
        out.push("switched on".into());
    }
    if s.wheel.word() == "turned" {
        out.push("wheel turned".into());
    }
    if s.throttle.word() == "full" {
        out.push("throttle open".into());
    }
    if s.foot.word() == "down" {
        let (direction, range) = (s.direction.word(), s.range.word());
        out.push(format!("foot switch pressed, {direction}, {range}"));
    }
    let apart: Vec<&str> = s
        .apart
        .iter()
        .map(String::as_str)
        .filter(|p| *p != "dock")
        .collect();
    if !apart.is_empty() {
        out.push(format!("{} apart", apart.join(", ")));
    }
    out.join(", ")
}
