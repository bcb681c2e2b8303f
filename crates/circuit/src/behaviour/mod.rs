//! From the solved circuit to what a person sees: does it light, does it turn, how does it turn.

mod standstill;

pub use standstill::Standstill;

use crate::commutation;
use crate::family::{Motor, SECOND, Shows};
use crate::fault::FaultCase;
use crate::netlist::{Netlist, Part};
use crate::profile::Profile;
use crate::solve::{Circuit, Draw, Solution};
use crate::state::{
    Battery, Brake, Crank, Direction, Foot, Key, Range, Throttle, VehicleState, Wheel,
};
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

/// A state and rotor step in which a circuit is solved.
pub type At = (VehicleState, u8);

/// What a circuit was solved in before it is looked at: places in a list, shared by circuits that were solved in the same.
#[derive(Debug, Clone, Default)]
pub struct Known {
    /// Where in the list.
    pub places: Rc<BTreeMap<At, usize>>,
    /// Solutions.
    pub solved: Vec<Rc<Solution>>,
}

/// A vehicle with one fault (or none) at hand, to be looked at. What one look has solved the next one finds.
#[derive(Debug)]
pub struct Scene<'a> {
    /// This vehicle.
    pub profile: &'a Profile,
    /// Its netlist.
    pub net: &'a Netlist,
    circuit: &'a Circuit,
    draw: Draw,
    signs: &'a BTreeMap<String, String>,
    /// What is seen on a vehicle that is built so, whatever the circuit says.
    anyway: BTreeMap<String, String>,
    known: Known,
    solved: RefCell<BTreeMap<At, Rc<Solution>>>,
    /// How a side turns, by the plugs that are apart while it is asked to.
    drives: RefCell<Vec<(BTreeSet<String>, Side, &'static str)>>,
}

/// A bus that is fed through more than this (a precharge resistor alone) collapses as soon as the motor draws.
const BUS_OHMS: f64 = 20.0;

/// A phase of so many times the ohms of another one gives that part of its torque.
const LIMPS: f64 = 5.0;
/// Volts that the current limit takes away, as a part of all, from which a climb is felt as weak.
const SAGS: f64 = 0.14;
/// A throttle line below this at rest is broken or has no supply, volts.
const NO_SIGNAL: f64 = 0.3;

/// Lines that tell the controller of a squeezed lever, each with the strand of its lever.
pub const BRAKES: [(&str, &str); 2] = [("BRL", "brake-left"), ("BRR", "brake-right")];

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
        Self::drawn(
            profile,
            net,
            circuit,
            &[],
            case.map_or(&NO_SIGNS, |c| &c.signs),
        )
    }

    /// Scene of a circuit compiled with its faults: `z` component deviations as for [`Circuit::solve`], `signs` what the
    /// faults show by themselves.
    pub fn drawn(
        profile: &'a Profile,
        net: &'a Netlist,
        circuit: &'a Circuit,
        z: &[f64],
        signs: &'a BTreeMap<String, String>,
    ) -> Self {
        Self {
            profile,
            net,
            circuit,
            draw: circuit.draw(z),
            signs,
            anyway: profile.seen_anyway(),
            known: Known::default(),
            solved: RefCell::default(),
            drives: RefCell::default(),
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

    /// What it was solved in so far.
    pub fn into_known(self) -> Known {
        let solved = self.solved.into_inner();
        let places = solved.keys().cloned().zip(0..).collect();
        Known {
            places: Rc::new(places),
            solved: solved.into_values().collect(),
        }
    }

    /// With what was solved of the same circuit before.
    pub fn knowing(self, known: Known) -> Self {
        Self { known, ..self }
    }

    fn solve(&self, state: &VehicleState, step: u8) -> Rc<Solution> {
        let key = (state.clone(), step);
        let known = self.known.places.get(&key);
        if let Some(solved) = known.and_then(|place| self.known.solved.get(*place)) {
            return Rc::clone(solved);
        }
        let mut solved = self.solved.borrow_mut();
        let fresh = || Rc::new(self.circuit.solve_drawn(state, step, &self.draw, &[], None));
        Rc::clone(solved.entry(key).or_insert_with(fresh))
    }

    /// Does this vehicle have what a computed sign is about?
    pub fn has(&self, sign: &str) -> bool {
        let family = &self.profile.family;
        let six_step = matches!(family.motor, Motor::SixStep);
        match sign {
            "motor" => true,
            "assist" => family.has("pedals"),
            "brake_sign" => BRAKES.iter().any(|(line, _)| self.net.find(line).is_some()),
            "pull" => family.has("electronic"),
            "ctr_click" => self.net.element("contactor").is_some(),
            "drag_in" | "drag_out" => six_step,
            "speed_shown" => self.net.find("SPD").is_some() || self.speed_from_halls(),
            "sides" => family.has("twin-motors"),
            "directions" => family.fields().contains(&"direction"),
            "ranges" => family.fields().contains(&"range"),
            _ => family.shows.iter().any(|s| s.sign == sign),
        }
    }

    /// The value of a sign when the vehicle is tried from `state` (its plugs; battery and key are
    /// put in and on as the sign needs). Declared signs that the fault does not name have no value
    /// here: they read as healthy. So does what this vehicle does not have.
    pub fn observe(&self, sign: &str, state: &VehicleState) -> Option<String> {
        let told = self.signs.get(sign);
        let declared = told.or_else(|| self.anyway.get(sign)).cloned();
        if sign == "code" {
            // a sensor that is not plugged in looks to the controller like one that is dead
            let apart = || self.profile.family.codes_apart(state).next();
            let apart = || apart().map(|(_, code)| code.into());
            return declared.or_else(apart).or_else(|| self.code(state));
        }
        if !self.has(sign) {
            return declared;
        }
        match sign {
            "motor" => Some(self.motor(state)),
            "assist" => Some(self.assist(state)),
            "brake_sign" => declared.or_else(|| {
                let on = self.lights(state) && self.braking(state, Side(""));
                Some(word(on, "on", "off"))
            }),
            "pull" => declared.or_else(|| Some(word(self.pulls(state), "strong", "weak"))),
            "ctr_click" => declared.or_else(|| Some(word(self.pulls_in(state), "clicks", "none"))),
            "drag_in" => declared.or_else(|| {
                let drags = self.sides_of().iter().any(|s| self.bridge_drags(*s));
                Some(word(!drags, "free", "notchy"))
            }),
            "drag_out" => declared.or_else(|| {
                let drags = self.sides_of().iter().any(|s| self.windings_short(*s));
                Some(word(!drags, "free", "drags"))
            }),
            "speed_shown" => {
                declared.or_else(|| Some(word(self.speed_pulses(state), "right", "none")))
            }
            "sides" => declared.or_else(|| Some(self.sides(state).into())),
            "directions" => declared.or_else(|| {
                let tried = [Direction::Forward, Direction::Reverse];
                Some(both(
                    tried.map(|d| self.turns(&self.asked(state, d, Range::High))),
                ))
            }),
            "ranges" => declared.or_else(|| {
                let tried = [Range::High, Range::Low];
                Some(both(tried.map(|r| {
                    self.turns(&self.asked(state, Direction::Forward, r))
                })))
            }),
            _ => {
                let shows = self.profile.family.shows.iter().find(|s| s.sign == sign)?;
                declared.or_else(|| Some(word(self.shows(shows, state), "lit", "dark")))
            }
        }
    }

    fn shows(&self, shows: &Shows, state: &VehicleState) -> bool {
        let s = self.solve(&self.running(state), 0);
        let drawn = shows.element.as_ref().and_then(|e| self.net.element(e));
        self.volts(&s, &shows.plus, &shows.minus) > shows.volts
            && drawn.is_none_or(|e| self.circuit.amps(&s, e).abs() >= shows.amps)
    }

    /// Does the display, or what stands for it, light?
    fn lights(&self, state: &VehicleState) -> bool {
        let display = self
            .profile
            .family
            .shows
            .iter()
            .find(|s| s.sign == "display");
        display.is_none_or(|s| self.shows(s, state))
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

    /// Everything on, the throttle released and held open.
    fn released_and_open(&self, state: &VehicleState) -> [Rc<Solution>; 2] {
        let running = self.running(state);
        let open = VehicleState {
            throttle: Throttle::Full,
            ..running.clone()
        };
        [self.solve(&running, 0), self.solve(&open, 0)]
    }

    /// Does the contactor's coil get what it needs after the key is turned?
    fn pulls_in(&self, state: &VehicleState) -> bool {
        let s = self.solve(&self.running(state), 0);
        let contactor = self.net.element("contactor");
        contactor.is_some_and(|e| s.conducts(e).on())
    }

    /// Do the volts at the controller stand up to its current limit?
    fn pulls(&self, state: &VehicleState) -> bool {
        let family = &self.profile.family;
        let limit = family
            .figures
            .iter()
            .find(|f| f.id.get_ref() == "controller-amps");
        let Some(limit) = limit else {
            return true;
        };
        let s = self.solve(&self.running(state), 0);
        let bus = family.logic.bus.as_str();
        let volts = self.volts(&s, bus, "GND");
        let sag = limit.usual * self.ohms(&s, bus, "GND");
        let six_step = matches!(family.motor, Motor::SixStep);
        let lopsided = |s: &Side| lopsided(self.phases(state, *s));
        let limps = six_step && self.sides_of().iter().any(lopsided);
        sag < SAGS * volts && !limps && self.sides(state) == "both"
    }

    /// The drives that it has: that of the controller, and a second one beside it.
    fn sides_of(&self) -> &'static [Side] {
        match self.profile.family.has("second-drive") {
            true => &[Side(""), Side(SECOND)],
            false => &[Side("")],
        }
    }

    fn braking(&self, state: &VehicleState, side: Side) -> bool {
        self.braked(state, side).is_some()
    }

    fn bus(&self, side: Side) -> String {
        match side {
            Side("") => self.profile.family.logic.bus.clone(),
            second => second.of("VB+"),
        }
    }

    fn powered(&self, s: &Solution, side: Side) -> bool {
        self.unfed(s, side).is_none()
    }

    /// What the three sensor lines say at each of six steps of a turn.
    fn hall_codes(&self, state: &VehicleState, side: Side) -> [u8; 6] {
        if self.profile.family.has("sensorless") {
            // it feels the rotor by the phases
            return commutation::HALL_CODES;
        }
        let turning = VehicleState {
            wheel: Wheel::Turned,
            ..self.running(state)
        };
        let level = self.profile.hall_threshold();
        let lines = ["HA", "HB", "HC"].map(|line| side.of(line));
        let ground = side.of("GND");
        let mut codes = [0u8; 6];
        for (step, code) in codes.iter_mut().enumerate() {
            let s = self.solve(&turning, step as u8);
            for (k, line) in lines.iter().enumerate() {
                let high = self.volts(&s, line, &ground) > level;
                // the controller knows the spacing of its motor
                let turned = self.profile.halls_60 && k == 1;
                *code = *code << 1 | u8::from(high != turned);
            }
        }
        codes
    }

    /// Ohms of each phase from the bridge to the star point, everything else dead.
    fn phases(&self, state: &VehicleState, side: Side) -> [f64; 3] {
        let apart = self.running(state).apart;
        let dead = VehicleState {
            battery: Battery::Out,
            key: Key::Off,
            apart: apart.into_iter().chain(["dock".into()]).collect(),
            ..VehicleState::default()
        };
        let s = self.solve(&dead, 0);
        ["PU", "PV", "PW"].map(|x| self.ohms(&s, &side.of(x), &side.of("N")))
    }

    /// Can the drive run at all: fed, rail up, no brake, motor and bridge whole? Returns how it
    /// would turn when asked to.
    fn drive(&self, state: &VehicleState, side: Side) -> &'static str {
        let running = self.running(state);
        let before = self.drives.borrow().iter().find_map(|(apart, of, drive)| {
            let same = *of == side && *apart == running.apart;
            same.then_some(*drive)
        });
        before.unwrap_or_else(|| {
            let drive = self.driven(&running, side);
            self.drives.borrow_mut().push((running.apart, side, drive));
            drive
        })
    }

    /// The same of a vehicle with everything on.
    fn driven(&self, running: &VehicleState, side: Side) -> &'static str {
        let s = self.solve(running, 0);
        if !self.powered(&s, side) || self.braking(running, side) {
            return "silent";
        }
        let codes = self.hall_codes(running, side);
        let phases = self.phases(running, side);
        let connected = phases.map(|ohms| ohms < 0.6);
        if self.bridge_drags(side) || self.windings_short(side) {
            return "buzzes";
        }
        if connected.iter().filter(|c| **c).count() < 2 {
            return "silent";
        }
        let by_halls = commutation::turn(codes, connected);
        // one that can do without its sensors goes on by feel when they tell it nonsense
        let by_feel = commutation::turn(commutation::HALL_CODES, connected);
        let either = self.profile.family.has("halls-or-none");
        if either && by_halls.dead > 0.1 && by_feel.dead < 0.1 {
            return "rough";
        }
        let turn = by_halls;
        if turn.torque < -0.5 {
            "backwards"
        } else if turn.dead < 0.1 && lopsided(phases) {
            "rough"
        } else if turn.dead < 0.1 {
            "smooth"
        } else if turn.dead < 0.6 {
            "rough"
        } else {
            "buzzes"
        }
    }

    fn motor(&self, state: &VehicleState) -> String {
        if let Motor::Brushed { .. } = self.profile.family.motor {
            return self.brushed(state);
        }
        let of = |side: &Side| self.electronic(state, *side);
        let each: Vec<String> = self.sides_of().iter().map(of).collect();
        let (first, last) = (&each[0], &each[each.len() - 1]);
        // one that drives takes along one that does not; two that drive otherwise pull against each other
        match (first.as_str(), last.as_str()) {
            (one, other) if one == other => first.clone(),
            ("backwards", _) | (_, "backwards") => "backwards".into(),
            ("silent", _) => last.clone(),
            (_, "silent") => first.clone(),
            _ => "rough".into(),
        }
    }

    /// How the motor of one side turns when it is asked to.
    fn electronic(&self, state: &VehicleState, side: Side) -> String {
        let drive = self.drive(state, side);
        let declared = self.signs.get("motor");
        if drive == "silent" {
            return "silent".into();
        }
        if self.by_pedals() {
            // no throttle: it is asked to drive by the cranks
            return match (declared, self.pedal_pulses(state)) {
                (Some(value), _) => value.clone(),
                (None, true) => drive.into(),
                (None, false) => "silent".into(),
            };
        }
        if self.unasked(state, side).is_some() {
            return "silent".into();
        }
        if let Some(value) = declared {
            return value.clone();
        }
        let [_, full] = self.released_and_open(state);
        let at_full = self.volts(&full, &side.of("THR"), &side.of("GND"));
        if drive == "smooth" && at_full < self.profile.family.logic.throttle_full_volts {
            return "slow".into();
        }
        drive.into()
    }

    /// The group of a code that follows from the lines the controller watches.
    fn code(&self, state: &VehicleState) -> Option<String> {
        let logic = &self.profile.family.logic;
        if let Motor::Brushed { .. } = self.profile.family.motor {
            return None;
        }
        let [idle, full] = self.released_and_open(state);
        if !self.powered(&idle, Side("")) {
            return None;
        }
        let at = |s: &Solution| self.volts(s, "THR", "GND");
        let throttle = at(&idle) < NO_SIGNAL
            || at(&idle) > logic.throttle_lockout_volts
            || at(&full) > logic.throttle_fault_volts
            || self.apart(&idle).is_some()
            || self.apart(&full).is_some();
        if throttle && self.net.find("THR").is_some() {
            return Some("throttle".into());
        }
        let none = |side: &Side| {
            let codes = self.hall_codes(state, *side);
            codes.iter().any(|c| [0, 7].contains(c))
        };
        self.sides_of().iter().any(none).then(|| "hall".into())
    }

    /// Everything on, and the drive asked for.
    fn asked(&self, state: &VehicleState, direction: Direction, range: Range) -> VehicleState {
        VehicleState {
            throttle: Throttle::Full,
            foot: Foot::Down,
            direction,
            range,
            ..self.running(state)
        }
    }

    /// Amps and volts of each armature.
    fn armatures(&self, state: &VehicleState) -> Vec<(f64, f64)> {
        let Motor::Brushed { armatures, .. } = &self.profile.family.motor else {
            return Vec::new();
        };
        let s = self.solve(state, 0);
        armatures
            .iter()
            .filter_map(|a| {
                let e = self.net.element(&a.element)?;
                let volts = self.volts(&s, &a.plus, &a.minus);
                Some((self.circuit.amps(&s, e), volts))
            })
            .collect()
    }

    fn turns(&self, state: &VehicleState) -> bool {
        let Motor::Brushed { start_amps, .. } = self.profile.family.motor else {
            return self.drive(state, Side("")) != "silent";
        };
        self.armatures(state).iter().any(|m| m.0.abs() > start_amps)
    }

    fn sides(&self, state: &VehicleState) -> &'static str {
        let Motor::Brushed { start_amps, .. } = self.profile.family.motor else {
            let sides = self.sides_of();
            let dead =
                |s: &&Side| ["silent", "buzzes"].contains(&self.electronic(state, **s).as_str());
            let dead = sides.iter().filter(dead).count();
            return if dead > 0 && dead < sides.len() {
                "one"
            } else {
                "both"
            };
        };
        let motors = self.armatures(&self.asked(state, Direction::Forward, Range::High));
        let turning = motors.iter().filter(|m| m.0.abs() > start_amps).count();
        if turning > 0 && turning < motors.len() {
            "one"
        } else {
            "both"
        }
    }

    fn brushed(&self, state: &VehicleState) -> String {
        let Motor::Brushed {
            start_amps,
            full_volts,
            ..
        } = self.profile.family.motor
        else {
            return "silent".into();
        };
        let rest = VehicleState {
            foot: Foot::Up,
            throttle: Throttle::Idle,
            ..self.running(state)
        };
        let spins = |m: &(f64, f64)| m.0.abs() > start_amps;
        if self.armatures(&rest).iter().any(spins) {
            return "runs-away".into();
        }
        let motors = self.armatures(&self.asked(state, Direction::Forward, Range::High));
        let turning: Vec<_> = motors.iter().filter(|m| spins(m)).collect();
        let Some(first) = turning.first() else {
            return "silent".into();
        };
        let declared = self.signs.get("motor");
        if let Some(value) = declared {
            return value.clone();
        }
        let forwards = |m: &(f64, f64)| m.0 > 0.0;
        if turning.iter().any(|m| forwards(m) != forwards(first)) {
            return "rough".into();
        }
        if !forwards(first) {
            return "backwards".into();
        }
        let volts = turning.iter().map(|m| m.1.abs()).fold(f64::MAX, f64::min);
        word(volts > 0.8 * full_volts, "smooth", "slow")
    }

    fn assist(&self, state: &VehicleState) -> String {
        if let Some(value) = self.signs.get("assist") {
            return value.clone();
        }
        let drive = self.drive(state, Side(""));
        word(
            self.pedal_pulses(state) && (drive == "smooth" || drive == "rough"),
            "works",
            "dead",
        )
    }

    fn pedal_pulses(&self, state: &VehicleState) -> bool {
        let pedalling = VehicleState {
            crank: Crank::Turned,
            ..self.running(state)
        };
        let line = |step: u8| self.volts(&self.solve(&pedalling, step), "PAS", "GND");
        (line(0) - line(1)).abs() > 2.0
    }

    /// Everything dead, the motors' plugs apart.
    fn dead(&self) -> Rc<Solution> {
        let motors = self.sides_of().iter().map(|s| s.of("motor"));
        let dead = VehicleState {
            apart: motors.chain(["dock".into()]).collect(),
            ..VehicleState::default()
        };
        self.solve(&dead, 0)
    }

    /// A shorted switch lets the turning motor drive current through a diode of another leg.
    fn bridge_drags(&self, side: Side) -> bool {
        let s = self.dead();
        let to = |p: &str, rail: &str| self.ohms(&s, &side.of(p), &side.of(rail)) < 20.0;
        ["PU", "PV", "PW"]
            .iter()
            .any(|p| to(p, "GND") || to(p, "VB+"))
    }

    /// Two terminals at half of what the windings between them have: turned, they brake themselves.
    fn windings_short(&self, side: Side) -> bool {
        let winding = |id: &str| match self
            .net
            .element(&side.of(id))
            .map(|e| &self.net.elements[e].part)
        {
            Some(Part::Resistor { ohms }) => *ohms,
            _ => 0.0,
        };
        let least = 0.5 * (winding("winding-u") + winding("winding-v"));
        let s = self.dead();
        [("MU", "MV"), ("MV", "MW"), ("MU", "MW")]
            .iter()
            .any(|(a, b)| self.ohms(&s, &side.of(a), &side.of(b)) < least)
    }

    /// Does the display reckon the speed by the motor's sensors, for want of one of its own?
    fn speed_from_halls(&self) -> bool {
        let family = &self.profile.family;
        let told = family.has("display") && family.has("settings");
        told && self.net.find("SPD").is_none() && self.net.find("HA").is_some()
    }

    fn speed_pulses(&self, state: &VehicleState) -> bool {
        if self.speed_from_halls() {
            let codes = self.hall_codes(state, Side(""));
            return codes.iter().any(|c| *c != codes[0]);
        }
        let turning = VehicleState {
            wheel: Wheel::Turned,
            ..self.running(state)
        };
        let line = |step: u8| self.volts(&self.solve(&turning, step), "SPD", "GND");
        (line(0) - line(1)).abs() > 2.0
    }
}

/// What the names of a drive's points and parts end on: nothing, or the mark of a second one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Side(&'static str);

impl Side {
    fn of(self, name: &str) -> String {
        format!("{name}{}", self.0)
    }
}

/// Does one phase take so much less current than another that the motor limps?
fn lopsided(phases: [f64; 3]) -> bool {
    let least = phases.iter().copied().fold(f64::INFINITY, f64::min);
    phases.iter().any(|ohms| *ohms > LIMPS * least)
}

fn both([one, other]: [bool; 2]) -> String {
    match (one, other) {
        (true, true) => "both",
        (false, false) => "none",
        _ => "one",
    }
    .into()
}

fn word(yes: bool, good: &str, bad: &str) -> String {
    if yes { good } else { bad }.into()
}
