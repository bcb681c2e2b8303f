//! Is a family whole: does everything that it names exist, and does nothing hang in the air?

use crate::error::CircuitError;
use crate::family::Family;
use std::collections::BTreeMap;

impl Family {
    /// Is it whole: places, plugs, pins and figures that exist, and no point that hangs on one element alone?
    ///
    /// # Errors
    /// A sentence for the first thing that is wrong.
    pub(crate) fn whole(&self) -> Result<(), CircuitError> {
        let wrong = |message: String| Err(CircuitError::Change(format!("{}: {message}", self.id)));
        if self.plug("dock").is_none() {
            return wrong("it has no plug “dock”: where pack and vehicle part".into());
        }
        if self.group.is_empty() {
            return wrong("no component says what kind of vehicle it is".into());
        }
        for plug in &self.plugs {
            if !self.access.contains_key(&plug.access) {
                return wrong(format!("there is no access code “{}”", plug.access));
            }
            if !self.segments.iter().any(|s| s.id == plug.segment) {
                return wrong(format!("there is no segment “{}”", plug.segment));
            }
        }
        for strand in &self.strands {
            let Some(plug) = self.plug(&strand.plug) else {
                return wrong(format!("there is no plug “{}”", strand.plug));
            };
            if !self.segments.iter().any(|s| s.id == strand.segment) {
                return wrong(format!("there is no segment “{}”", strand.segment));
            }
            let has = |pin: u8| strand.wires.iter().any(|w| w.pin == pin);
            if !has(strand.reference) {
                return wrong(format!(
                    "{}: reference pin {} has no wire",
                    strand.name, strand.reference
                ));
            }
            for wire in &strand.wires {
                if wire.pin == 0 || wire.pin > plug.pins {
                    return wrong(format!(
                        "pin {} is not on the {} pins of {}",
                        wire.pin, plug.pins, plug.name
                    ));
                }
                let same = self.strands.iter().filter(|s| s.plug == strand.plug);
                let on_pin = same.flat_map(|s| &s.wires).filter(|w| w.pin == wire.pin);
                if on_pin.count() > 1 {
                    return wrong(format!("two wires on pin {} of {}", wire.pin, plug.name));
                }
            }
        }
        let mut tried = self.clone();
        for figure in &self.figures {
            let far = figure.shifts.keys().chain(figure.ratios.keys());
            for target in figure.sets.iter().chain(&figure.divides).chain(far) {
                tried.target(target)?;
            }
        }
        self.check_nodes()
    }

    /// Every node must be touched by two elements at least, or it hangs in the air: a wire that leads nowhere is a slip of
    /// the pen, unless a join says so.
    fn check_nodes(&self) -> Result<(), CircuitError> {
        let mut touched: BTreeMap<&str, usize> = BTreeMap::new();
        let own = (0..=self.cells.groups).map(|k| format!("C{k}"));
        let cells: Vec<String> = own.chain(["CS".into()]).collect();
        for c in &cells {
            touched.insert(c, 2);
        }
        for wire in self.strands.iter().flat_map(|s| &s.wires) {
            for node in [&wire.from, &wire.to] {
                *touched.entry(node).or_default() += 1;
            }
        }
        for part in &self.parts {
            let ends = [Some(&part.a), Some(&part.b), part.c.as_ref()];
            for node in ends.into_iter().flatten() {
                *touched.entry(node).or_default() += 1;
            }
        }
        let joined = !self.build.joins.is_empty();
        match touched.iter().find(|(_, n)| **n < 2 && !joined) {
            Some((node, _)) => Err(CircuitError::Change(format!(
                "{}: point “{node}” hangs on one element alone",
                self.id
            ))),
            None => Ok(()),
        }
    }
}
