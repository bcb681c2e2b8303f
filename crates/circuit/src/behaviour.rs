//! From the solved circuit to what a person sees: does it light, does it turn, how does it turn.

use crate::commutation;
use crate::fault::FaultCase;
use crate::netlist::Netlist;
use crate::profile::Profile;
use crate::solve::{Circuit, Solution};
use crate::state::{Battery, Brake, Crank, Key, Throttle, VehicleState, Wheel};
use std::collections::BTreeMap;

/// A vehicle with one fault (or none) at hand, to be looked at.
#[derive(Debug, Clone, Copy)]
pub struct Scene<'a> {
    /// This vehicle.
    pub profile: &'a Profile,
    /// Its netlist.
    pub net: &'a Netlist,
    /// Compiled with the fault.
    pub circuit: &'a Circuit,
    /// Component deviations, as for [`Circuit::solve`].
    pub z: &'a [f64],
    /// Direct signs of the fault.
    pub signs: &'a BTreeMap<String, String>,
}

/// No direct signs.
pub static NO_SIGNS: BTreeMap<String, String> = BTreeMap::new();

impl<'a> Scene<'a> {
    /// Scene of a fault case with nominal components.
    pub fn of(
        profile: &'a Profile,
        net: &'a Netlist,
        circuit: &'a Circuit,
        case: Option<&'a FaultCase>,
    ) -> Self {
        Self {
            profile,
            net,
            circuit,
            z: &[],
            signs: case.map_or(&NO_SIGNS, |c| &c.signs),
        }
    }

    fn volts(&self, s: &Solution, plus: &str, minus: &str) -> f64 {
        match (self.net.find(plus), self.net.find(minus)) {
            (Some(a), Some(b)) if s.island[a] == s.island[b] => s.volts[a] - s.volts[b],
            _ => 0.0,
        }
    }

    fn ohms(&self, s: &Solution, a: &str, b: &str) -> f64 {
        match (self.net.find(a), self.net.find(b)) {
            (Some(a), Some(b)) => self.circuit.source_ohms(s, a, b).unwrap_or(f64::INFINITY),
            _ => f64::INFINITY,
        }
    }

    fn solve(&self, state: &VehicleState, step: u8) -> Solution {
        self.circuit.solve(state, step, self.z, &[])
    }

    /// The value of a sign when the vehicle is tried from `state` (its plugs; battery and key are
    /// put in and on as the sign needs). Declared signs that the fault does not name have no value
    /// here: they read as healthy.
    pub fn observe(&self, sign: &str, state: &VehicleState) -> Option<String> {
        let declared = self.signs.get(sign).cloned();
        match sign {
            "display" => declared.or_else(|| Some(word(self.display(state), "lit", "dark"))),
            "brake_sign" => declared.or_else(|| {
                Some(
                    if self.display(state) && self.braking(state) {
                        "on"
                    } else {
                        "off"
                    }
                    .into(),
                )
            }),
            "lamp" => declared.or_else(|| Some(word(self.lamp(state), "lit", "dark"))),
            "drag_in" => declared.or_else(|| Some(word(!self.bridge_drags(), "free", "notchy"))),
            "drag_out" => declared.or_else(|| Some(word(!self.windings_short(), "free", "drags"))),
            "speed_shown" => {
                declared.or_else(|| Some(word(self.speed_pulses(state), "right", "none")))
            }
            "motor" => Some(self.motor(state)),
            "assist" => Some(self.assist(state)),
            _ => declared,
        }
    }

    fn running(&self, state: &VehicleState) -> VehicleState {
        VehicleState {
            battery: Battery::In,
            key: Key::On,
            wheel: Wheel::Lifted,
            brake: Brake::Free,
            apart: state
                .apart
                .iter()
                .filter(|p| *p != "dock")
                .cloned()
                .collect(),
            ..VehicleState::default()
        }
    }

    fn display(&self, state: &VehicleState) -> bool {
        let s = self.solve(&self.running(state), 0);
        self.volts(&s, "DISP.EN", "DISP.G") > self.profile.family.logic.display_volts
    }

    fn lamp(&self, state: &VehicleState) -> bool {
        let s = self.solve(&self.running(state), 0);
        self.volts(&s, "LAMP+", "LAMP-") > 20.0 && self.lamp_draws(&s)
    }

    fn lamp_draws(&self, s: &Solution) -> bool {
        self.net
            .element("lamp-led")
            .is_none_or(|e| self.circuit.amps(s, e).abs() > 0.02)
    }

    fn braking(&self, state: &VehicleState) -> bool {
        let s = self.solve(&self.running(state), 0);
        let level = self.profile.brake_threshold();
        let closed = |line: &str, strand: &str| {
            let low = self.volts(&s, line, "GND") < level;
            low != self.profile.normally_closed.iter().any(|n| n == strand)
        };
        closed("BRL", "brake-left") || closed("BRR", "brake-right")
    }

    fn powered(&self, s: &Solution) -> bool {
        let logic = &self.profile.family.logic;
        self.volts(s, "IGN", "GND") > logic.cutoff_volts
            && self.volts(s, "V5", "GND") > logic.rail_min_volts
    }

    /// Can the drive run at all: fed, rail up, no brake, motor and bridge whole? Returns how it
    /// would turn when asked to.
    fn drive(&self, state: &VehicleState) -> &'static str {
        let running = self.running(state);
        let s = self.solve(&running, 0);
        if !self.powered(&s) || self.braking(state) {
            return "silent";
        }
        let turning = VehicleState {
            wheel: Wheel::Turned,
            ..running.clone()
        };
        let level = self.profile.hall_threshold();
        let mut codes = [0u8; 6];
        for (step, code) in codes.iter_mut().enumerate() {
            let s = self.solve(&turning, step as u8);
            for line in ["HA", "HB", "HC"] {
                *code = *code << 1 | u8::from(self.volts(&s, line, "GND") > level);
            }
        }
        let dead = VehicleState {
            battery: Battery::Out,
            key: Key::Off,
            apart: running
                .apart
                .iter()
                .cloned()
                .chain(["dock".into()])
                .collect(),
            ..VehicleState::default()
        };
        let s = self.solve(&dead, 0);
        let connected = ["U", "V", "W"].map(|x| self.ohms(&s, &format!("P{x}"), "N") < 0.6);
        if self.bridge_drags() || self.windings_short() {
            return "buzzes";
        }
        if connected.iter().filter(|c| **c).count() < 2 {
            return "silent";
        }
        let turn = commutation::turn(codes, connected);
        if turn.torque < -0.5 {
            "backwards"
        } else if turn.dead < 0.1 {
            "smooth"
        } else if turn.dead < 0.6 {
            "rough"
        } else {
            "buzzes"
        }
    }

    fn motor(&self, state: &VehicleState) -> String {
        let drive = self.drive(state);
        let declared = self.signs.get("motor");
        if drive == "silent" {
            return "silent".into();
        }
        let logic = &self.profile.family.logic;
        let running = self.running(state);
        let idle = self.solve(&running, 0);
        let at_idle = self.volts(&idle, "THR", "GND");
        let open = VehicleState {
            throttle: Throttle::Full,
            ..running
        };
        let full = self.solve(&open, 0);
        let at_full = self.volts(&full, "THR", "GND");
        if at_idle > logic.throttle_lockout_volts
            || at_full < logic.throttle_start_volts
            || at_full > logic.throttle_fault_volts
        {
            return "silent".into();
        }
        if let Some(value) = declared {
            return value.clone();
        }
        if drive == "smooth" && at_full < logic.throttle_full_volts {
            return "slow".into();
        }
        drive.into()
    }

    fn assist(&self, state: &VehicleState) -> String {
        if let Some(value) = self.signs.get("assist") {
            return value.clone();
        }
        let drive = self.drive(state);
        let pedalling = VehicleState {
            crank: Crank::Turned,
            ..self.running(state)
        };
        let line = |step: u8| self.volts(&self.solve(&pedalling, step), "PAS", "GND");
        let pulses = (line(0) - line(1)).abs() > 2.0;
        word(
            pulses && (drive == "smooth" || drive == "rough"),
            "works",
            "dead",
        )
    }

    fn dead(&self, motor_apart: bool) -> Solution {
        let mut apart = std::collections::BTreeSet::from(["dock".to_string()]);
        if motor_apart {
            apart.insert("motor".into());
        }
        self.solve(
            &VehicleState {
                apart,
                ..VehicleState::default()
            },
            0,
        )
    }

    /// A shorted switch lets the turning motor drive current through a diode of another leg.
    fn bridge_drags(&self) -> bool {
        let s = self.dead(true);
        ["PU", "PV", "PW"]
            .iter()
            .any(|p| self.ohms(&s, p, "GND") < 20.0 || self.ohms(&s, p, "VB+") < 20.0)
    }

    fn windings_short(&self) -> bool {
        let s = self.dead(true);
        [("MU", "MV"), ("MV", "MW"), ("MU", "MW")]
            .iter()
            .any(|(a, b)| self.ohms(&s, a, b) < 0.03)
    }

    fn speed_pulses(&self, state: &VehicleState) -> bool {
        let turning = VehicleState {
            wheel: Wheel::Turned,
            ..self.running(state)
        };
        let line = |step: u8| self.volts(&self.solve(&turning, step), "SPD", "GND");
        (line(0) - line(1)).abs() > 2.0
    }
}

fn word(yes: bool, good: &str, bad: &str) -> String {
    if yes { good } else { bad }.into()
}
