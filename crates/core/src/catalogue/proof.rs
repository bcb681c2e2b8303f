//! What has to be proved before a vehicle leaves the shop: checks with their limits, what a repair
//! touches, what can be left open, what the owner gets to read. From `data/proof.toml`.

use crate::catalogue::{Catalogue, StopWords};
use crate::reading::scaled;
use serde::Deserialize;
use spannung_circuit::Family;
use spannung_circuit::family::unknown_trait;
use std::collections::{BTreeMap, BTreeSet};
use toml::Spanned;

/// A check of the proof.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofCheck {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// How it is done.
    pub how: String,
    /// Limit in words.
    pub limit: String,
    /// Unit of its figure, as shown; without one it is passed or failed by the technician.
    #[serde(default)]
    pub unit: Option<String>,
    /// Lowest figure that passes, in that unit.
    #[serde(default)]
    pub low: Option<f64>,
    /// Highest figure that passes.
    #[serde(default)]
    pub high: Option<f64>,
    /// Minutes it takes.
    pub minutes: f64,
    /// Can hurt somebody: nobody may except it.
    #[serde(default)]
    pub blocker: bool,
    /// Precondition asked before it.
    #[serde(default)]
    pub need: Option<String>,
    /// Symptom that the Bench is told when it fails.
    #[serde(default)]
    pub fails_as: Option<String>,
    /// A pack that fails it can hurt somebody: a STOP on that pack.
    #[serde(default)]
    pub stop: Option<StopWords>,
    /// A test ride comes after it.
    #[serde(default)]
    pub before_a_ride: bool,
    /// Strand without which a vehicle has no such thing.
    #[serde(default)]
    pub part: Option<String>,
    /// Traits of the vehicles that have what it speaks of.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Symptoms that ask for it when they were told.
    #[serde(default)]
    pub symptoms: Vec<String>,
    /// The power is on.
    #[serde(default)]
    pub live: bool,
    /// Plugs that it takes apart by itself; all others are joined before it.
    #[serde(default)]
    pub apart: Vec<String>,
    /// Only what has been ridden can show it.
    #[serde(default)]
    pub after_ride: bool,
    /// Figure of the vehicle's label that it is judged by.
    #[serde(default)]
    pub from: Option<String>,
    /// Test of the Bench whose figure this one is, in the same unit: the report sets them side by side.
    #[serde(default)]
    pub reads: Option<String>,
}

/// What a repair touches.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Touched {
    /// Id.
    pub id: Spanned<String>,
    /// Name, with its article.
    pub name: String,
    /// Repair classes that touch it.
    pub classes: Vec<String>,
    /// Checks it asks for.
    pub checks: Vec<String>,
}

/// A kind of open item.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OpenItemKind {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// What closes it.
    pub detail: String,
    /// May be let go with a reason.
    pub excepted: bool,
}

/// What the owner reads about using a vehicle of this drive.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OwnerSheet {
    /// Traits of the vehicles that it is for; none: where no other one fits.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Lines.
    pub lines: Vec<String>,
}

/// The whole file.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofBook {
    /// Checks asked of every vehicle that is to be ridden.
    pub always: Vec<String>,
    /// Checks asked when anything was touched, opened or taken apart.
    pub worked: Vec<String>,
    /// Checks asked when a plug was apart.
    pub moved: Vec<String>,
    /// Repairs of which no other check says whether they helped: class ids, or their beginnings with `*`.
    pub again: Vec<String>,
    /// Checks.
    #[serde(rename = "check")]
    pub checks: Vec<ProofCheck>,
    /// What repairs touch.
    pub touched: Vec<Touched>,
    /// What opening touches: access code → touched id.
    pub opened: BTreeMap<String, String>,
    /// Open items.
    pub open_item: Vec<OpenItemKind>,
    /// Owner's sheets.
    pub owner_sheet: Vec<OwnerSheet>,
}

impl ProofBook {
    /// Check by id.
    pub fn find(&self, id: &str) -> Option<&ProofCheck> {
        self.checks.iter().find(|c| c.id.get_ref() == id)
    }

    /// Is the reading that shows the part itself taken again after this repair?
    pub fn reads_again(&self, class: &str) -> bool {
        self.again.iter().any(|of| match of.strip_suffix('*') {
            Some(start) => class.starts_with(start),
            None => of == class,
        })
    }

    /// What a repair class touches.
    pub fn touched_by(&self, class: &str) -> Option<&Touched> {
        self.touched
            .iter()
            .find(|t| t.classes.iter().any(|c| c == class))
    }

    /// Touched thing by id.
    pub fn touched(&self, id: &str) -> Option<&Touched> {
        self.touched.iter().find(|t| t.id.get_ref() == id)
    }

    /// Kind of open item by id.
    pub fn item(&self, id: &str) -> Option<&OpenItemKind> {
        self.open_item.iter().find(|i| i.id == id)
    }

    /// What the owner reads about such a vehicle; none where there is no wiring model.
    pub fn sheet(&self, family: Option<&Family>) -> &[String] {
        let fits = |s: &&OwnerSheet| !s.fits.is_empty() && family.is_some_and(|f| f.fits(&s.fits));
        let any = || self.owner_sheet.iter().find(|s| s.fits.is_empty());
        let own = self.owner_sheet.iter().find(fits);
        own.or_else(any).map_or(&[], |s| &s.lines)
    }

    /// Does everything the file names exist, and does every repair class touch something? The offset
    /// into the file and a sentence for the first thing wrong.
    pub(super) fn check(&self, catalogue: &Catalogue) -> Result<(), (usize, String)> {
        for c in &self.checks {
            let start = c.id.span().start;
            if let Some(s) = c
                .fails_as
                .as_ref()
                .filter(|s| catalogue.symptom(s).is_none())
            {
                return Err((start, format!("there is no symptom “{s}”")));
            }
            if let Some(n) = c.need.as_ref().filter(|n| catalogue.need(n).is_none()) {
                return Err((start, format!("there is no precondition “{n}”")));
            }
            let named = |id: &str| catalogue.probes.iter().any(|p| p.id.get_ref() == id);
            if let Some(t) = c.reads.as_ref().filter(|t| !named(t)) {
                return Err((start, format!("there is no probe “{t}”")));
            }
            if let Some(word) = unknown_trait(&c.fits) {
                return Err((start, format!("there is no trait “{word}”")));
            }
            if let Some(s) = c.symptoms.iter().find(|s| catalogue.symptom(s).is_none()) {
                return Err((start, format!("there is no symptom “{s}”")));
            }
            if c.unit.is_none() && (c.low.is_some() || c.high.is_some()) {
                return Err((start, "a limit needs a unit".into()));
            }
            if let Some(u) = c.unit.as_ref().filter(|u| !scaled::known(u)) {
                return Err((start, format!("no figure can be read in “{u}”")));
            }
        }
        let known: BTreeSet<&str> = self
            .checks
            .iter()
            .map(|c| c.id.get_ref().as_str())
            .collect();
        let named = [&self.always, &self.worked, &self.moved];
        for id in named.into_iter().flatten() {
            if !known.contains(id.as_str()) {
                return Err((0, format!("there is no check “{id}”")));
            }
        }
        let sheets = self.owner_sheet.iter();
        if let Some(word) = sheets.filter_map(|s| unknown_trait(&s.fits)).next() {
            return Err((0, format!("there is no trait “{word}”")));
        }
        for family in &catalogue.families {
            let limits = family.proof.keys();
            if let Some(id) = limits.into_iter().find(|id| !known.contains(id.as_str())) {
                return Err((0, format!("{}: there is no check “{id}”", family.id)));
            }
        }
        for t in &self.touched {
            let start = t.id.span().start;
            if let Some(id) = t.checks.iter().find(|c| !known.contains(c.as_str())) {
                return Err((start, format!("there is no check “{id}”")));
            }
            if let Some(id) = t
                .classes
                .iter()
                .find(|c| !catalogue.classes.contains_key(*c))
            {
                return Err((start, format!("there is no repair class “{id}”")));
            }
        }
        if let Some(id) = catalogue
            .classes
            .keys()
            .find(|c| self.touched_by(c).is_none())
        {
            return Err((0, format!("repair class “{id}” touches nothing")));
        }
        match self.opened.values().find(|t| self.touched(t).is_none()) {
            Some(t) => Err((0, format!("there is no touched thing “{t}”"))),
            None => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::catalogue::{Catalogue, Sources};

    #[test]
    fn what_can_hurt_somebody_is_a_blocker() {
        let c = Catalogue::shipped().unwrap();
        for id in [
            "brake-function",
            "brake-cut-left",
            "brake-cut-right",
            "throttle-return",
            "axle-torque",
            "pack-polarity",
            "polarity-each",
            "insulation",
            "phase-insulation",
            "fuse-value",
            "direction",
        ] {
            assert!(c.proof.find(id).is_some_and(|k| k.blocker), "{id}");
        }
    }

    #[test]
    fn errors_name_file_and_line() {
        let mut sources = Sources::default();
        sources.files[5].1 = sources.files[5]
            .1
            .replacen("\"axle-nuts\"", "\"axle-nut\"", 1);
        let error = Catalogue::load(&sources).unwrap_err().to_string();
        assert!(error.starts_with("proof.toml, line "), "{error}");
        assert!(error.contains("axle-nut"), "{error}");
    }
}
