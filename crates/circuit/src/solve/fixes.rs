//! What a fault does to the elements of a netlist, before anything is solved.

use crate::fault::Effect;
use crate::netlist::{Element, Netlist, Part};

/// What is done to one element.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Fix {
    /// Removed.
    pub open: bool,
    /// Ohms in series.
    pub series_ohms: f64,
    /// Its value times this.
    pub scale: f64,
    /// Stuck closed or open.
    pub forced: Option<bool>,
    /// Ratio that it is stuck at.
    pub stuck_ratio: Option<f64>,
}

/// Nothing.
pub(crate) const HEALTHY: Fix = Fix {
    open: false,
    series_ohms: 0.0,
    scale: 1.0,
    forced: None,
    stuck_ratio: None,
};

/// What an effect does to the elements that are there.
pub(crate) fn fix(fixes: &mut [Fix], effect: &Effect) {
    match effect {
        Effect::Open(e) => fixes[*e].open = true,
        Effect::Series(e, ohms) => fixes[*e].series_ohms += ohms,
        Effect::Scale(e, factor) => fixes[*e].scale *= factor,
        Effect::Force(e, closed) => fixes[*e].forced = Some(*closed),
        Effect::Ratio(e, ratio) => fixes[*e].stuck_ratio = Some(*ratio),
        Effect::Bridge(..) => {}
    }
}

/// The elements to which something is done.
pub(super) fn touched(fixes: &[Fix]) -> Vec<usize> {
    let each = fixes.iter().enumerate();
    let touched = each.filter(|(_, fix)| **fix != HEALTHY);
    touched.map(|(k, _)| k).collect()
}

/// The elements with a fault, what lies between two points appended, and what each is put to.
pub(crate) fn faulted(net: &Netlist, effects: &[Effect]) -> (Vec<Element>, Vec<Fix>) {
    let mut elements = net.elements.clone();
    let mut fixes = vec![HEALTHY; elements.len()];
    for effect in effects {
        fix(&mut fixes, effect);
        if let Effect::Bridge(a, b, ohms) = effect {
            elements.push(Element {
                id: "fault-bridge".into(),
                a: *a,
                b: *b,
                c: *b,
                part: Part::Resistor { ohms: *ohms },
                spread: 0.35,
                plug: None,
            });
            fixes.push(HEALTHY);
        }
    }
    (elements, fixes)
}
