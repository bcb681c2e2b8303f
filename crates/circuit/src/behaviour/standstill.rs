//! Why a drive does not run although nothing is broken: the joints between components that were not made for each other.

use super::{BUS_OHMS, Scene, Side};
use crate::family::Motor;
use crate::solve::Solution;
use crate::state::VehicleState;

/// Why a drive does not run when it is asked to.
#[derive(Debug, Clone, PartialEq)]
pub enum Standstill {
    /// Its controller is not fed: volts that reach it, and those it starts at.
    Feed {
        /// Volts.
        volts: f64,
        /// Least.
        least: f64,
    },
    /// What feeds it collapses as soon as it draws: ohms of the feed.
    Weak {
        /// Ohms.
        ohms: f64,
    },
    /// Its rail for sensors does not stand.
    Rail {
        /// Volts.
        volts: f64,
        /// Least.
        least: f64,
    },
    /// A line that has to be high is low.
    Interlock {
        /// Line.
        line: String,
        /// Volts.
        volts: f64,
        /// Above these it is high.
        above: f64,
    },
    /// A lever that nobody squeezes reads as squeezed.
    Brake {
        /// Strand of the lever.
        strand: String,
        /// Volts of its line.
        volts: f64,
        /// Volts that part free from squeezed.
        level: f64,
    },
    /// Fewer than two phases lead to the motor.
    Phases,
    /// The throttle rests too high.
    AtRest {
        /// Volts.
        volts: f64,
        /// Most that is taken for released.
        most: f64,
    },
    /// Held open it gives too little.
    OpenLow {
        /// Volts.
        volts: f64,
        /// Where driving begins.
        least: f64,
    },
    /// Held open it gives so much that it is taken for a fault.
    OpenHigh {
        /// Volts.
        volts: f64,
        /// Most.
        most: f64,
    },
    /// The second channel does not follow the first.
    Channels {
        /// Volts of the second.
        volts: f64,
        /// Volts that it should have.
        wants: f64,
    },
    /// There is no throttle, and the pedals give no pulses.
    Pedals,
    /// What the sensors say and the order of the phases make it buzz.
    Order,
    /// It turns the wrong way.
    Backwards,
    /// No current reaches the motor.
    Armature,
    /// It turns although nobody asks it to.
    RunsAway,
}

impl Scene<'_> {
    /// Why it does not run, everything joined and switched on; none when it runs.
    pub fn standstill(&self) -> Option<Standstill> {
        let state = VehicleState::default();
        if let Motor::Brushed { .. } = self.profile.family.motor {
            return match self.brushed(&state).as_str() {
                "silent" => Some(Standstill::Armature),
                "backwards" => Some(Standstill::Backwards),
                "runs-away" => Some(Standstill::RunsAway),
                _ => None,
            };
        }
        let each = self.sides_of().iter();
        each.copied()
            .find_map(|side| self.side_stands(&state, side))
    }

    fn side_stands(&self, state: &VehicleState, side: Side) -> Option<Standstill> {
        let s = self.solve(&self.running(state), 0);
        let fed = self.unfed(&s, side);
        fed.or_else(|| self.braked(state, side))
            .or_else(|| self.unasked(state, side))
            .or_else(|| match self.drive(state, side) {
                "silent" => Some(Standstill::Phases),
                "buzzes" => Some(Standstill::Order),
                "backwards" => Some(Standstill::Backwards),
                _ => None,
            })
    }

    /// What keeps the controller from starting.
    pub(super) fn unfed(&self, s: &Solution, side: Side) -> Option<Standstill> {
        let family = &self.profile.family;
        let logic = &family.logic;
        let (bus, ground) = (self.bus(side), side.of("GND"));
        let least = logic.cutoff_volts;
        let low = [side.of("IGN"), bus.clone()]
            .map(|line| self.volts(s, &line, &ground))
            .into_iter()
            .find(|volts| *volts <= least);
        if let Some(volts) = low {
            return Some(Standstill::Feed { volts, least });
        }
        let ohms = self.ohms(s, &bus, &ground);
        if ohms >= BUS_OHMS {
            return Some(Standstill::Weak { ohms });
        }
        let (volts, least) = (self.volts(s, &side.of("V5"), &ground), logic.rail_min_volts);
        if volts <= least {
            return Some(Standstill::Rail { volts, least });
        }
        family.interlocks.iter().find_map(|i| {
            let volts = self.volts(s, &i.line, "GND");
            (volts <= i.below_volts).then(|| Standstill::Interlock {
                line: i.line.clone(),
                volts,
                above: i.below_volts,
            })
        })
    }

    /// A lever that reads as squeezed.
    pub(super) fn braked(&self, state: &VehicleState, side: Side) -> Option<Standstill> {
        let s = self.solve(&self.running(state), 0);
        let level = self.profile.brake_threshold();
        super::BRAKES.iter().find_map(|(line, strand)| {
            let line = side.of(line);
            // no lever, nothing to squeeze
            self.profile.family.strand(strand)?;
            self.net.find(&line)?;
            let volts = self.volts(&s, &line, &side.of("GND"));
            let opens = self.profile.normally_closed.iter().any(|n| n == strand);
            ((volts < level) != opens).then(|| Standstill::Brake {
                strand: (*strand).into(),
                volts,
                level,
            })
        })
    }

    /// What it is asked with does not ask it: a throttle beyond what the controller takes, pedals without pulses.
    pub(super) fn unasked(&self, state: &VehicleState, side: Side) -> Option<Standstill> {
        if self.by_pedals() {
            return (!self.pedal_pulses(state)).then_some(Standstill::Pedals);
        }
        let logic = &self.profile.family.logic;
        let [idle, full] = self.released_and_open(state);
        let line = |s: &Solution| self.volts(s, &side.of("THR"), &side.of("GND"));
        let (at_idle, at_full) = (line(&idle), line(&full));
        if at_idle > logic.throttle_lockout_volts {
            let (volts, most) = (at_idle, logic.throttle_lockout_volts);
            return Some(Standstill::AtRest { volts, most });
        }
        if at_full < logic.throttle_start_volts {
            let (volts, least) = (at_full, logic.throttle_start_volts);
            return Some(Standstill::OpenLow { volts, least });
        }
        if at_full > logic.throttle_fault_volts {
            let (volts, most) = (at_full, logic.throttle_fault_volts);
            return Some(Standstill::OpenHigh { volts, most });
        }
        self.apart(&idle).or_else(|| self.apart(&full))
    }

    /// Is it asked to drive by the cranks alone?
    pub(super) fn by_pedals(&self) -> bool {
        self.net.find("THR").is_none() && self.net.find("PAS").is_some()
    }

    /// Two throttle channels that do not keep their ratio: the controller refuses both.
    pub(super) fn apart(&self, s: &Solution) -> Option<Standstill> {
        let [ratio, within] = self.profile.family.logic.second_channel?;
        let (first, second) = (self.volts(s, "THR", "GND"), self.volts(s, "THR2", "GND"));
        let wants = ratio * first;
        ((second - wants).abs() >= within).then_some(Standstill::Channels {
            volts: second,
            wants,
        })
    }
}
