//! How the vehicle stands while something is measured.

use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal),+ $(,)? } default $default:ident) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "lowercase")]
        pub enum $name { $($(#[$vdoc])* $variant),+ }
        impl $name {
            /// The word used in data files and in the interface.
            pub fn word(self) -> &'static str { match self { $(Self::$variant => $word),+ } }
            /// All words.
            pub const WORDS: &'static [&'static str] = &[$($word),+];
        }
        impl Default for $name { fn default() -> Self { Self::$default } }
    };
}

words!(
    /// Pack in its dock or taken out.
    Battery {
        /// Latched in the dock.
        In = "in",
        /// Taken out: the dock contacts do not exist.
        Out = "out",
    } default Out
);
words!(
    /// Display or key.
    Key {
        /// Switched on.
        On = "on",
        /// Switched off.
        Off = "off",
    } default Off
);
words!(
    /// The driven wheel.
    Wheel {
        /// On the ground.
        Ground = "ground",
        /// Lifted and still.
        Lifted = "lifted",
        /// Lifted and turned by hand, in the direction the family needs.
        Turned = "turned",
    } default Ground
);
words!(
    /// Throttle position.
    Throttle {
        /// Released.
        Idle = "idle",
        /// To the stop.
        Full = "full",
    } default Idle
);
words!(
    /// Brake levers.
    Brake {
        /// Both released.
        Free = "free",
        /// Left one squeezed.
        Left = "left",
        /// Right one squeezed.
        Right = "right",
    } default Free
);
words!(
    /// Cranks.
    Crank {
        /// At rest.
        Still = "still",
        /// Turned forwards by hand.
        Turned = "turned",
    } default Still
);
words!(
    /// The vehicle's own charger.
    Charger {
        /// Not there.
        Away = "away",
        /// On the mains, its plug in the hand.
        Alone = "alone",
        /// On the mains and in the charge port.
        Plugged = "plugged",
    } default Away
);
words!(
    /// A known load put on by the technician.
    Load {
        /// None.
        None = "none",
        /// About 10 A across the controller's feed.
        Feed = "feed",
    } default None
);

words!(
    /// Foot switch of a ride-on toy.
    Foot {
        /// Released.
        Up = "up",
        /// Pressed.
        Down = "down",
    } default Up
);
words!(
    /// Direction switch.
    Direction {
        /// Forwards.
        Forward = "forward",
        /// Backwards.
        Reverse = "reverse",
    } default Forward
);
words!(
    /// High and low range switch.
    Range {
        /// Full speed.
        High = "high",
        /// Half speed.
        Low = "low",
    } default High
);

/// The fields of a state in the order in which they are told and changed.
pub const FIELDS: [&str; 11] = [
    "battery",
    "key",
    "wheel",
    "throttle",
    "brake",
    "crank",
    "foot",
    "direction",
    "range",
    "charger",
    "load",
];

/// The whole state. Plugs not named in `apart` are joined.
#[derive(
    Debug,
    Clone,
    Default,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    utoipa::ToSchema,
)]
#[serde(default, deny_unknown_fields)]
pub struct VehicleState {
    /// Pack in or out.
    pub battery: Battery,
    /// Display on or off.
    pub key: Key,
    /// Driven wheel.
    pub wheel: Wheel,
    /// Throttle.
    pub throttle: Throttle,
    /// Brake levers.
    pub brake: Brake,
    /// Cranks.
    pub crank: Crank,
    /// Foot switch.
    pub foot: Foot,
    /// Direction switch.
    pub direction: Direction,
    /// Range switch.
    pub range: Range,
    /// Charger.
    pub charger: Charger,
    /// Added load.
    pub load: Load,
    /// Plugs taken apart, by id.
    pub apart: BTreeSet<String>,
}

impl VehicleState {
    /// Value of one field by its name in data files, for conditions such as `key=on`.
    pub fn word(&self, field: &str) -> Option<&'static str> {
        Some(match field {
            "battery" => self.battery.word(),
            "key" => self.key.word(),
            "wheel" => self.wheel.word(),
            "throttle" => self.throttle.word(),
            "brake" => self.brake.word(),
            "crank" => self.crank.word(),
            "foot" => self.foot.word(),
            "direction" => self.direction.word(),
            "range" => self.range.word(),
            "charger" => self.charger.word(),
            "load" => self.load.word(),
            _ => return None,
        })
    }

    /// All words of a field, for checking data files.
    pub fn words(field: &str) -> Option<&'static [&'static str]> {
        Some(match field {
            "battery" => Battery::WORDS,
            "key" => Key::WORDS,
            "wheel" => Wheel::WORDS,
            "throttle" => Throttle::WORDS,
            "brake" => Brake::WORDS,
            "crank" => Crank::WORDS,
            "foot" => Foot::WORDS,
            "direction" => Direction::WORDS,
            "range" => Range::WORDS,
            "charger" => Charger::WORDS,
            "load" => Load::WORDS,
            _ => return None,
        })
    }
}

/// What a test asks of the state; fields left out do not matter to it.
#[derive(
    Debug,
    Clone,
    Default,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    utoipa::ToSchema,
)]
#[serde(default, deny_unknown_fields)]
pub struct Requirement {
    /// Pack in or out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub battery: Option<Battery>,
    /// Display on or off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub key: Option<Key>,
    /// Driven wheel.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wheel: Option<Wheel>,
    /// Throttle.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub throttle: Option<Throttle>,
    /// Brake levers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub brake: Option<Brake>,
    /// Cranks.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crank: Option<Crank>,
    /// Foot switch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub foot: Option<Foot>,
    /// Direction switch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub direction: Option<Direction>,
    /// Range switch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub range: Option<Range>,
    /// Charger.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub charger: Option<Charger>,
    /// Added load.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub load: Option<Load>,
    /// Plugs that must be apart.
    pub apart: BTreeSet<String>,
}

impl Requirement {
    /// The state to bring the vehicle to: what is asked is set, all else is put to rest (levers and
    /// throttle released, no load, charger away) and every plug not named is joined.
    pub fn bring(&self, from: &VehicleState) -> VehicleState {
        let mut apart = self.apart.clone();
        let battery = self.battery.unwrap_or(from.battery);
        if battery == Battery::Out {
            apart.insert("dock".into());
        }
        VehicleState {
            battery,
            key: self.key.unwrap_or(match battery {
                Battery::In => from.key,
                Battery::Out => Key::Off,
            }),
            wheel: self.wheel.unwrap_or(match from.wheel {
                Wheel::Turned => Wheel::Lifted,
                other => other,
            }),
            throttle: self.throttle.unwrap_or_default(),
            brake: self.brake.unwrap_or_default(),
            crank: self.crank.unwrap_or_default(),
            foot: self.foot.unwrap_or_default(),
            direction: self.direction.unwrap_or_default(),
            range: self.range.unwrap_or_default(),
            charger: self.charger.unwrap_or_default(),
            load: self.load.unwrap_or_default(),
            apart,
        }
    }

    /// The fields in which `state` differs from what is asked, in a fixed order.
    pub fn missing(&self, state: &VehicleState) -> Vec<&'static str> {
        let want = self.bring(state);
        let mut out = Vec::new();
        for field in FIELDS {
            if want.word(field) != state.word(field) {
                out.push(field);
            }
        }
        let plugs = |s: &VehicleState| -> BTreeSet<String> {
            s.apart.iter().filter(|p| *p != "dock").cloned().collect()
        };
        if plugs(&want) != plugs(state) {
            out.push("plugs");
        }
        out
    }

    /// Hands-on minutes to go from `from` to what is asked: each switch, lever or lift about a
    /// quarter of a minute, battery in or out half a minute, each plug half a minute (estimates).
    pub fn minutes_from(&self, from: &VehicleState) -> f64 {
        let want = self.bring(from);
        let mut minutes = 0.0;
        for field in self.missing(from) {
            minutes += match field {
                "battery" | "wheel" => 0.5,
                "charger" | "load" => 1.0,
                "plugs" => {
                    let changed = want.apart.symmetric_difference(&from.apart);
                    0.5 * changed.filter(|p| *p != "dock").count() as f64
                }
                _ => 0.15,
            };
        }
        minutes
    }
}
