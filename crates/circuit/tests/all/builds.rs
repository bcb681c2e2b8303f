//! Builds: the four families that were first written wire by wire come out of their components as they were; what goes
//! together and what does not; swaps and wrong joins.

use serde::Deserialize;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::build::{self, Join, Kind, Shelf};
use spannung_circuit::family::{
    Access, Cells, Figure, Interlock, Logic, Motor, PartSpec, Plug, ProofLimit, SECOND, Segment,
    Shows, Strand, of_second, shipped,
};
use spannung_circuit::{variant, *};
use std::collections::{BTreeMap, BTreeSet};

/// A family as it was written down by hand, before there were components.
#[derive(Deserialize)]
struct Written {
    id: String,
    name: String,
    volts_class: u16,
    drive: String,
    group: String,
    traits: BTreeSet<String>,
    turn: String,
    middle: Option<String>,
    middle_boxes: Option<Vec<Segment>>,
    motor: Motor,
    points: BTreeMap<String, String>,
    shows: Vec<Shows>,
    #[serde(default, rename = "interlock")]
    interlocks: Vec<Interlock>,
    #[serde(rename = "figure")]
    figures: Vec<Figure>,
    proof: BTreeMap<String, ProofLimit>,
    cells: Cells,
    #[serde(default)]
    logic: Logic,
    access: BTreeMap<String, Access>,
    segments: Vec<Segment>,
    #[serde(rename = "plug")]
    plugs: Vec<Plug>,
    #[serde(rename = "strand")]
    strands: Vec<Strand>,
    #[serde(rename = "part")]
    parts: Vec<PartSpec>,
}

const WRITTEN: [&str; 4] = [
    include_str!("as-written/geared-hub-48.toml"),
    include_str!("as-written/dirt-bike-72.toml"),
    include_str!("as-written/seated-scooter-36.toml"),
    include_str!("as-written/ride-on-12.toml"),
];

#[test]
fn the_first_families_come_out_of_their_components_as_they_were_written() {
    for text in WRITTEN {
        let was: Written = toml::from_str(text).unwrap();
        let is = Family::shipped(&was.id).unwrap();
        let id = &was.id;
        assert_eq!(
            (&was.name, was.volts_class, &was.drive),
            (&is.name, is.volts_class, &is.drive)
        );
        assert_eq!((&was.group, &was.turn), (&is.group, &is.turn), "{id}");
        assert_eq!(was.traits, is.traits, "{id}");
        assert_eq!(was.middle.unwrap_or("Controller".into()), is.middle);
        if let Some(boxes) = was.middle_boxes {
            assert_eq!(boxes, is.middle_boxes, "{id}");
        }
        assert_eq!(was.motor, is.motor, "{id}");
        assert_eq!(was.points, is.points, "{id}");
        for shows in &was.shows {
            assert!(is.shows.contains(shows), "{id}: {}", shows.sign);
        }
        assert_eq!(was.interlocks, is.interlocks, "{id}");
        assert_eq!(was.figures, is.figures, "{id}");
        assert_eq!(was.proof, is.proof, "{id}");
        assert_eq!(was.cells, is.cells, "{id}");
        assert_eq!(was.logic, is.logic, "{id}");
        assert_eq!(was.access, is.access, "{id}");
        assert_eq!(was.segments, is.segments, "{id}");
        assert_eq!(was.plugs, is.plugs, "{id}");
        assert_eq!(was.strands, is.strands, "{id}");
        assert_eq!(was.parts, is.parts, "{id}");
    }
}

#[test]
fn every_ready_build_and_all_that_is_on_the_road_goes_together() {
    let ready: Vec<Family> = shipped()
        .into_iter()
        .map(|(file, text)| Family::parse(file, text).unwrap())
        .collect();
    assert!(ready.len() >= 16, "{} ready families", ready.len());
    let shelf = Shelf::shipped().unwrap();
    for one in build::road().unwrap() {
        let base = build::ready(one.family.get_ref(), shelf).unwrap();
        let family = one.scaled(&base).unwrap_or(base).family(shelf).unwrap();
        let net = Profile::new(&family, &[]).unwrap().netlist().unwrap();
        assert!(net.elements.len() > 60, "{}", family.id);
        // its pack is of its class: between nominal and a quarter more when full
        let part = family.full_volts() / f64::from(one.volts);
        assert!((1.0..1.3).contains(&part), "{}: {part}", family.id);
    }
}

/// The drive of a sound vehicle turns when it is asked to, whatever it is put together from.
#[test]
fn every_ready_build_drives() {
    for (file, text) in shipped() {
        let family = Family::parse(file, text).unwrap();
        let profile = Profile::new(&family, &[]).unwrap();
        let net = profile.netlist().unwrap();
        let circuit = Circuit::compile(&net, &[], &[]);
        let scene = Scene::of(&profile, &net, &circuit, None);
        let state = VehicleState::default();
        let motor = scene.observe("motor", &state);
        assert_eq!(motor.as_deref(), Some("smooth"), "{file}");
        for sign in ["display", "lamp", "aux"] {
            let seen = scene.observe(sign, &state);
            assert!(
                seen.as_deref().is_none_or(|s| s == "lit"),
                "{file}: {sign} is {seen:?}"
            );
        }
        if family.has("pedals") {
            let assist = scene.observe("assist", &state);
            assert_eq!(assist.as_deref(), Some("works"), "{file}");
        }
    }
}

fn on() -> VehicleState {
    VehicleState {
        battery: state::Battery::In,
        key: state::Key::On,
        ..VehicleState::default()
    }
}

/// Two packs of 13 groups at 50.05 V behind diodes share a load alike; without the first the second carries all of it.
#[test]
fn two_packs_behind_diodes_share_and_take_over() {
    let two = [component("second-pack", Some("diode-combiner"))];
    let net = on_family("gh48", &two).unwrap().netlist().unwrap();
    let loaded = VehicleState {
        load: state::Load::Feed,
        key: state::Key::Off,
        ..on()
    };
    let amps = |effects: &[Effect]| {
        let circuit = Circuit::compile(&net, effects, &[]);
        let s = circuit.solve(&loaded, 0, &[], &[]);
        let through = |id: &str| circuit.amps(&s, net.element(id).unwrap());
        (through("combiner-first"), through("combiner-second"))
    };
    // the load of a tenth of the nominal volts draws some ten amps in all; both packs have about 0.14 Ω
    let (a, b) = amps(&[]);
    assert!((9.0..10.0).contains(&(a + b)), "{a} A and {b} A");
    assert!((0.85..1.2).contains(&(a / b)), "{a} A and {b} A");
    let fuse = net.element("pack-fuse").unwrap();
    let (a, b) = amps(&[Effect::Open(fuse)]);
    assert!(a.abs() < 1e-6 && (8.8..9.8).contains(&b), "{a} A and {b} A");
}

/// Two drives on one throttle: a fault on one side leaves the other turning, one of what they share stops both. By the second
/// motor's own figures: two windings of 0.06 Ω, 3 × 2 Ω·10⁻³ of run, pin and lead on the way to each.
#[test]
fn one_of_two_drives_goes_on_without_the_other() {
    let profile = on_family("tm52", &[]).unwrap();
    let net = profile.netlist().unwrap();
    let seen = |effects: &[Effect]| {
        let circuit = Circuit::compile(&net, effects, &[]);
        let scene = Scene::of(&profile, &net, &circuit, None);
        let see = |sign| scene.observe(sign, &VehicleState::default()).unwrap();
        [see("motor"), see("sides"), see("pull")]
    };
    let open = |id: &str| Effect::Open(net.element(id).unwrap_or_else(|| panic!("{id}")));
    assert_eq!(seen(&[]), ["smooth", "both", "strong"]);
    for id in [
        "link-2.throttle-signal.lead",
        "link-2.switched-feed.lead",
        "main-2.feed-plus.lead",
    ] {
        assert_eq!(seen(&[open(id)]), ["smooth", "one", "weak"], "{id}");
    }
    // three lines that stay high are no place of a rotor: that motor trembles where it stands
    for id in ["halls-2.hall-supply.lead", "halls.hall-supply.lead"] {
        assert_eq!(seen(&[open(id)]), ["rough", "one", "weak"], "{id}");
    }
    // one sensor less is rough running, and the two pull against each other
    assert_eq!(seen(&[open("halls-2.hall-a.lead")])[..2], ["rough", "both"]);
    for id in ["throttle.throttle-signal.lead", "pack-fuse"] {
        assert_eq!(seen(&[open(id)])[0], "silent", "{id}");
    }
    let phases = meter::pair(&net, "phase-2.1.d", "phase-2.2.d").unwrap();
    let (apart, circuit) = (
        ["dock", "bullets-2"].map(String::from).into(),
        Circuit::compile(&net, &[], &[]),
    );
    let state = VehicleState {
        apart,
        ..VehicleState::default()
    };
    let s = circuit.solve(&state, 0, &[], &[]);
    let ohms = circuit.source_ohms(&s, phases.red, phases.black).unwrap();
    assert!((0.120..0.150).contains(&ohms), "{ohms} Ω");
    // the faults of the first stand there for the second too, under its own names
    let cases = FaultBook::shipped().unwrap().cases(&profile, &net).unwrap();
    let mut keys = BTreeSet::new();
    assert!(cases.iter().all(|c| keys.insert(c.key.clone())));
    let second = cases.iter().filter(|c| c.key.ends_with(SECOND)).count();
    assert!(second > 15, "{second}");
    for case in cases.iter().filter(|c| c.key.ends_with(SECOND)) {
        assert!(case.name.ends_with(", second drive"), "{}", case.name);
    }
}

/// A second controller and its motor are two components that stand or fall together: one press on either is enough, and the
/// motor hangs on its own controller.
#[test]
fn a_second_motor_comes_and_goes_with_its_controller() {
    for slot in ["second-drive", "second-motor"] {
        let without = on_family("tm52", &[component(slot, None)]).unwrap();
        let family = &without.family;
        assert!(!family.has("twin-motors") && !family.has("second-drive"));
        assert!(
            family
                .strands
                .iter()
                .all(|s| !s.id.get_ref().ends_with(SECOND))
        );
    }
    let motor = |kind: &str| on_family("gh48", &[component("second-motor", Some(kind))]);
    for (kind, pins) in [("second-hub-on-bullets", 3), ("second-hub-nine-pin", 9)] {
        let family = motor(kind).unwrap().family;
        let there = |slot: &str| family.build.in_slot(slot).map(|c| c.kind.as_str());
        assert_eq!(there("second-motor"), Some(kind));
        assert_eq!(there("second-drive"), Some("second-six-step"));
        let phase = family.strand("phase-2").unwrap();
        assert_eq!(family.plug(&phase.plug).unwrap().pins, pins);
        let ends = |s: &Strand| -> Vec<(String, String)> {
            let wires = s.wires.iter();
            wires.map(|w| (w.from.clone(), w.to.clone())).collect()
        };
        let own = |a: &str, b: &str| (of_second(a), of_second(b));
        assert_eq!(
            ends(phase),
            [own("PU", "MU"), own("PV", "MV"), own("PW", "MW")]
        );
        assert!(ends(family.strand("halls-2").unwrap()).contains(&own("HA", "MHA")));
        // how it turns by hand, and what the label says, is the first one's
        assert_eq!(family.turn, Family::shipped("gh48").unwrap().turn);
        assert_eq!(
            family.figures.len(),
            Family::shipped("gh48").unwrap().figures.len()
        );
    }
    // a file that lists one of the two is refused by name
    let mut half = Family::shipped("tm52").unwrap().build;
    half.components
        .retain(|c| c.slot.get_ref() != "second-motor");
    let said = half
        .family(Shelf::shipped().unwrap())
        .unwrap_err()
        .to_string();
    assert!(
        said.contains("second controller") && said.contains("second motor"),
        "{said}"
    );
    // what was noted when the two were one component still says both
    let once = on_family(
        "gh48",
        &[component("second-drive", Some("second-hub-drive"))],
    );
    let now = on_family(
        "gh48",
        &[component("second-drive", Some("second-six-step"))],
    );
    assert_eq!(once.unwrap().family, now.unwrap().family);
}

fn on_family(id: &str, changes: &[Change]) -> Result<Profile, CircuitError> {
    Profile::new(&Family::shipped(id)?, changes)
}

fn component(slot: &str, kind: Option<&str>) -> Change {
    Change::Component {
        slot: slot.into(),
        kind: kind.map(Into::into),
    }
}

#[test]
fn a_component_is_swapped_taken_off_and_put_back() {
    let other = on_family("gh48", &[component("brake-left", Some("lever-that-opens"))]).unwrap();
    assert_eq!(other.normally_closed, ["brake-left"]);
    let bare = on_family("gh48", &[component("lights", None)]).unwrap();
    assert!(bare.family.strand("lamp").is_none() && !bare.family.has_element("lamp-switch"));
    let back = on_family(
        "gh48",
        &[
            component("lights", None),
            component("lights", Some("lamp-from-the-controller")),
        ],
    )
    .unwrap();
    let was = on_family("gh48", &[]).unwrap();
    let ids = |p: &Profile| -> BTreeSet<String> {
        let net = p.netlist().unwrap();
        net.elements.into_iter().map(|e| e.id).collect()
    };
    assert_eq!(ids(&back), ids(&was));
    // a motor without a speed wire leaves the controller's input with nothing on it
    let direct = on_family("gh48", &[component("motor", Some("direct-hub"))]).unwrap();
    assert!(!direct.family.has("geared-hub") && !direct.family.has_element("wheel-speed"));
    assert!(!direct.family.has_element("speed-pull-up"));
}

#[test]
fn what_was_noted_of_a_thing_that_is_taken_off_waits_for_it() {
    let colour = Change::Colour {
        strand: "lamp".into(),
        pin: 1,
        code: "PK".into(),
    };
    let off = [colour.clone(), component("lights", None)];
    assert!(on_family("gh48", &off).is_ok());
    let back = [
        colour,
        component("lights", None),
        component("lights", Some("lamp-from-the-controller")),
    ];
    let profile = on_family("gh48", &back).unwrap();
    assert_eq!(profile.family.strand("lamp").unwrap().wires[0].code, "PK");
}

#[test]
fn a_wrong_join_is_a_vehicle_and_reads_as_it_is_joined() {
    // the throttle's signal on the brake's line: nothing drives, and the line stands where the throttle rests
    let wrong = Change::Join(Join {
        strand: "throttle".into(),
        pin: 3,
        to: Some("pedal signal".into()),
    });
    let profile = on_family("gh48", &[wrong]).unwrap();
    let net = profile.netlist().unwrap();
    let circuit = Circuit::compile(&net, &[], &[]);
    let s = circuit.solve(&on(), 0, &[], &[]);
    let volts = |name: &str| s.volts[net.find(name).unwrap()] - s.volts[net.find("GND").unwrap()];
    // pedal line: 4.85 V over 10 kΩ against the throttle's 0.82 V behind 220 Ω
    assert!((0.8..1.0).contains(&volts("PAS")), "{}", volts("PAS"));
    let scene = Scene::of(&profile, &net, &circuit, None);
    assert_eq!(scene.observe("motor", &on()).as_deref(), Some("silent"));
    let nowhere = Change::Join(Join {
        strand: "throttle".into(),
        pin: 3,
        to: None,
    });
    assert!(on_family("gh48", &[nowhere]).unwrap().netlist().is_ok());
}

#[test]
fn what_cannot_be_is_said_and_names_the_thing() {
    let refused = |change: Change| on_family("gh48", &[change]).unwrap_err().to_string();
    for (change, part) in [
        (
            component("brake-left", Some("geared-hub")),
            "does not fit where the left brake is",
        ),
        (
            component("brake-left", Some("hub")),
            "no component kind “hub”",
        ),
        (component("propeller", None), "no slot “propeller”"),
        (component("pack", None), "there is no pack"),
        (
            component("display", None),
            "nothing switches the controller on",
        ),
        (component("controller", Some("brushed")), "phase"),
        (
            Change::Join(Join {
                strand: "throttle".into(),
                pin: 3,
                to: Some("5 V supply".into()),
            }),
            "both outputs",
        ),
        (
            Change::Join(Join {
                strand: "throttle".into(),
                pin: 99,
                to: None,
            }),
            "no pin “throttle 99”",
        ),
        (
            Change::Kind {
                family: "zeppelin".into(),
            },
            "no family “zeppelin”",
        ),
    ] {
        let sentence = refused(change);
        assert!(sentence.contains(part), "{sentence} / {part}");
    }
    let many: Vec<Change> = (1..=17)
        .map(|pin| {
            Change::Join(Join {
                strand: format!("loom-{pin}"),
                pin,
                to: None,
            })
        })
        .collect();
    let sentence = on_family("gh48", &many).unwrap_err().to_string();
    assert!(sentence.contains("another vehicle"), "{sentence}");
}

#[test]
fn slips_of_the_pen_name_file_and_line() {
    let (_, text) = shipped()
        .into_iter()
        .find(|(_, t)| t.contains("id = \"gh48\""))
        .unwrap();
    let error = |from: &str, to: &str| {
        let text = text.replacen(from, to, 1);
        Family::parse("own.toml", &text).unwrap_err().to_string()
    };
    for (from, to, part) in [
        (
            "slot = \"lights\"",
            "slot = \"light\"",
            "there is no slot “light”",
        ),
        (
            "kind = \"geared-hub\"",
            "kind = \"hub\"",
            "no component kind “hub”",
        ),
        (
            "kind = \"geared-hub\"",
            "kind = \"bicycle\"",
            "does not fit",
        ),
        (
            "slot = \"brake-right\"",
            "slot = \"brake-left\"",
            "two components",
        ),
        ("\"lamp-led.ohms\"", "\"lamp-lid.ohms\"", "lamp-lid.ohms"),
    ] {
        let sentence = error(from, to);
        assert!(sentence.starts_with("own.toml, line "), "{sentence}");
        assert!(sentence.contains(part), "{sentence}");
    }
    let shelf = Shelf::shipped().unwrap();
    let kind = "id = \"own\"\nname = \"Own\"\nslots = [\"lights\"]\ntraits = [\"lampy\"]\n";
    let sentence = Kind::parse("own-kind.toml", kind, &shelf.slots)
        .unwrap_err()
        .to_string();
    assert!(
        sentence.starts_with("own-kind.toml, line 1: "),
        "{sentence}"
    );
    assert!(sentence.contains("lampy"), "{sentence}");
    // a way to build it is listed with a component that there is
    let (_, shipped) = variant::VARIANTS;
    let slot = "slot = \"throttle\"";
    let line = shipped.lines().position(|l| l == slot).unwrap();
    let text = shipped.replacen(slot, "slot = \"thottle\"", 1);
    let sentence = variant::parse("own-variants.toml", &text, shelf).unwrap_err();
    let sentence = sentence.to_string();
    assert!(sentence.contains("no slot “thottle”"), "{sentence}");
    // its id stands two lines above its slot
    let at = format!("own-variants.toml, line {}: ", line - 1);
    assert!(sentence.starts_with(&at), "{sentence}");
}

/// A kind that a shop writes itself is put in like those that ship: a lamp of its own at the feed's volts.
#[test]
fn a_kind_of_ones_own_is_a_file() {
    let own = r#"
id = "own-lamp"
name = "Lamp of our own"
slots = ["lights"]
part = [{ id = "lamp-led", kind = "resistor", a = "LAMP+", b = "LAMP-", ohms = 330.0 }]
plug = [{ id = "lamp", name = "Lamp plug", pins = 2, face = "flat", access = "a3", segment = "strands" }]

[[strand]]
id = "lamp"
name = "Front lamp"
plug = "lamp"
segment = "strands"
reference = 2
run_ohms = 0.1
pin_ohms = 0.01
lead_ohms = 0.1
wires = [
  { pin = 1, code = "RD", function = "lamp plus", to = "LAMP+" },
  { pin = 2, code = "BK", function = "lamp minus", to = "LAMP-" },
]
"#;
    let shipped = Shelf::shipped().unwrap();
    let own = Kind::parse("own-lamp.toml", own, &shipped.slots).unwrap();
    let shelf = Shelf {
        slots: shipped.slots.clone(),
        kinds: shipped.kinds.iter().cloned().chain([own]).collect(),
    };
    let mut build = Family::shipped("gh48").unwrap().build;
    build.swap("lights", Some("own-lamp"), &shelf).unwrap();
    let family = build.family(&shelf).unwrap();
    let lamp = family.parts.iter().find(|p| p.id.get_ref() == "lamp-led");
    assert_eq!(lamp.unwrap().ohms, Some(330.0));
}

/// Whatever one press makes of a ready build, with a second drive and without: every fault finds its place on it.
#[test]
fn every_swap_is_a_vehicle_with_faults() {
    let book = FaultBook::shipped().unwrap();
    let shelf = Shelf::shipped().unwrap();
    let mut worked = 0;
    for (file, text) in shipped() {
        let family = Family::parse(file, text).unwrap();
        for second in [None, Some("second-six-step")] {
            let drive = component("second-drive", second);
            for slot in &shelf.slots {
                let kinds = shelf.fitting(slot.id.get_ref());
                let ids = kinds.iter().map(|k| Some(k.id.get_ref().as_str()));
                for kind in ids.chain([None]) {
                    let swap = component(slot.id.get_ref(), kind);
                    let Ok(profile) = Profile::new(&family, &[drive.clone(), swap]) else {
                        continue;
                    };
                    let net = profile.netlist().unwrap();
                    let cases = book.cases(&profile, &net);
                    assert!(cases.is_ok(), "{file}, {second:?}, {kind:?}: {cases:?}");
                    worked += 1;
                }
            }
        }
    }
    assert!(worked > 1000, "{worked}");
}

/// Where several kinds fit, each says the look that tells it from the others, and no two say the same.
#[test]
fn a_look_tells_every_kind_from_the_others() {
    let shelf = Shelf::shipped().unwrap();
    for slot in &shelf.slots {
        let kinds = shelf.fitting(slot.id.get_ref());
        let mut looks = BTreeSet::new();
        for kind in kinds.iter().filter(|_| kinds.len() > 1) {
            let id = kind.id.get_ref();
            assert!(kind.look.split(' ').count() > 4, "{id}: {:?}", kind.look);
            assert!(looks.insert(kind.look.as_str()), "{id}: {:?}", kind.look);
        }
    }
}

/// A job says volts and drive, and for good begins with the first ready build of the pair: those of before stand here.
#[test]
fn what_a_pair_of_volts_and_drive_begins_with_stays() {
    let begins = [
        (
            "brushed",
            [
                (6, "rt6"),
                (12, "rt12"),
                (24, "rt24"),
                (36, "rt24"),
                (48, "rt24"),
            ]
            .as_slice(),
        ),
        (
            "geared-hub",
            &[
                (24, "gh36"),
                (36, "gh36"),
                (48, "gh48"),
                (52, "gh48"),
                (60, "gh48"),
                (72, "gh48"),
            ],
        ),
        (
            "direct-hub",
            &[
                (24, "ks36"),
                (36, "ks36"),
                (48, "dd48"),
                (52, "dd52"),
                (60, "tm52"),
                (72, "dd52"),
            ],
        ),
        (
            "mid",
            &[
                (24, "md36"),
                (36, "md36"),
                (48, "md48"),
                (52, "md48"),
                (60, "md48"),
                (72, "md48"),
            ],
        ),
        (
            "chain",
            &[
                (24, "ssb36"),
                (36, "ssb36"),
                (48, "ssl48"),
                (52, "ssl48"),
                (60, "db60"),
                (72, "db72"),
            ],
        ),
    ];
    let road = build::road().unwrap();
    for (drive, pairs) in begins {
        for (volts, family) in pairs {
            let first = road.iter().find(|r| r.volts == *volts && r.drive == drive);
            let first = first.map(|r| r.family.get_ref().as_str());
            assert_eq!(first, Some(*family), "{volts} V, {drive}");
        }
    }
}
