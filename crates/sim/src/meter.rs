//! A bench multimeter that speaks SCPI over TCP, one command a line: `*IDN?`, `CONF:…`, `MEAS:…?`, `READ?`, the
//! smallest and largest figure of the last reading (`CALC:AVER:MIN?`, `CALC:AVER:MAX?`), `SYST:ERR?`. Beyond its range
//! it answers 9.9E37, as such meters do.

use crate::Display;
use crate::world::World;
use spannung_circuit::Mode;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// What the meter answers beyond its range.
pub const OVER_RANGE: &str = "9.90000000E+37";
/// Errors kept; the last place then says that more were lost.
const KEPT: usize = 16;
/// Readings that a hand would wait for until the display stands still.
const SETTLING: std::time::Duration = std::time::Duration::from_millis(40);

/// One connection's meter.
struct Session {
    mode: Mode,
    errors: VecDeque<(i32, &'static str)>,
    last: Option<Display>,
}

/// Serve meters until the listener fails.
///
/// # Errors
/// The listener.
pub async fn serve(listener: TcpListener, world: Arc<Mutex<World>>) -> std::io::Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        let world = Arc::clone(&world);
        // a connection that breaks off is no trouble of the others
        tokio::spawn(async move {
            let _ = talk(stream, world).await;
        });
    }
}

async fn talk(stream: TcpStream, world: Arc<Mutex<World>>) -> std::io::Result<()> {
    let (read, mut write) = stream.into_split();
    let mut lines = BufReader::new(read).lines();
    let mut session = Session {
        mode: Mode::Volts,
        errors: VecDeque::new(),
        last: None,
    };
    while let Some(line) = lines.next_line().await? {
        for command in line.split(';').map(str::trim).filter(|c| !c.is_empty()) {
            if measures(command) {
                tokio::time::sleep(SETTLING).await;
            }
            let answer = {
                let mut world = world.lock().unwrap_or_else(PoisonError::into_inner);
                session.obey(command, &mut world)
            };
            if let Some(answer) = answer {
                write.write_all(answer.as_bytes()).await?;
                write.write_all(b"\n").await?;
            }
        }
    }
    Ok(())
}

fn measures(command: &str) -> bool {
    let upper = command.to_uppercase();
    upper.starts_with("MEAS") || upper.starts_with("READ?")
}

/// The function that a command names: `VOLT:DC`, `RES`, `FRES`, `DIOD`, `CONT`, `CURR:DC`.
fn function(name: &str) -> Option<Mode> {
    Some(match name.trim_end_matches('?').trim() {
        "VOLT" | "VOLT:DC" | "VOLTAGE" | "VOLTAGE:DC" => Mode::Volts,
        "RES" | "RESISTANCE" | "CONT" | "CONTINUITY" => Mode::Ohms,
        "FRES" | "FRESISTANCE" => Mode::Milliohms,
        "DIOD" | "DIODE" => Mode::Diode,
        "CURR" | "CURR:DC" | "CURRENT" | "CURRENT:DC" => Mode::Amps,
        _ => return None,
    })
}

impl Session {
    fn obey(&mut self, command: &str, world: &mut World) -> Option<String> {
        let upper = command.to_uppercase();
        let upper = upper.trim_start_matches(':');
        let (head, rest) = upper.split_once(':').unwrap_or((upper, ""));
        match head {
            "*IDN?" => return Some("Spannung,Simulated bench meter,0,1".into()),
            "*RST" => {
                self.mode = Mode::Volts;
                self.last = None;
            }
            "*CLS" => self.errors.clear(),
            "READ?" => return Some(self.read(world)),
            "CONF?" => return Some(format!("\"{}\"", word(self.mode))),
            "CONF" | "CONFIGURE" => match function(rest) {
                Some(mode) => self.mode = mode,
                None => self.fail(-113, "Undefined header"),
            },
            "MEAS" | "MEASURE" => match function(rest) {
                Some(mode) => {
                    self.mode = mode;
                    return Some(self.read(world));
                }
                None => self.fail(-113, "Undefined header"),
            },
            "CALC" | "CALCULATE" => match (rest, self.last) {
                ("AVER:MIN?", Some(d)) => return Some(figure(d.low)),
                ("AVER:MAX?", Some(d)) => return Some(figure(d.high)),
                ("AVER:MIN?" | "AVER:MAX?", None) => self.fail(-230, "Data corrupt or stale"),
                _ => self.fail(-113, "Undefined header"),
            },
            "SYST" | "SYSTEM" if rest == "ERR?" || rest == "ERROR?" => {
                let (code, text) = self.errors.pop_front().unwrap_or((0, "No error"));
                return Some(format!("{code},\"{text}\""));
            }
            _ => self.fail(-113, "Undefined header"),
        }
        None
    }

    fn read(&mut self, world: &mut World) -> String {
        let shown = world.measure(self.mode);
        self.last = Some(shown);
        figure(shown.high)
    }

    fn fail(&mut self, code: i32, text: &'static str) {
        if self.errors.len() < KEPT {
            self.errors.push_back((code, text));
        } else if let Some(last) = self.errors.back_mut() {
            *last = (-350, "Queue overflow");
        }
    }
}

fn word(mode: Mode) -> &'static str {
    match mode {
        Mode::Volts => "VOLT:DC",
        Mode::Ohms => "RES",
        Mode::Milliohms => "FRES",
        Mode::Diode => "DIOD",
        Mode::Amps => "CURR:DC",
    }
}

fn figure(value: f64) -> String {
    if value.is_finite() {
        format!("{value:+.8E}")
    } else {
        OVER_RANGE.into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::world::{Place, Wish};
    use spannung_circuit::VehicleState;

    fn world() -> World {
        let mut w = World::new(&Wish {
            family: Some("gh48".into()),
            faults: vec!["chg-dead".into()],
            seed: 5,
            ..Wish::default()
        })
        .expect("the vehicle builds");
        w.put(Place {
            job: 1,
            red: "P+".into(),
            black: "P-".into(),
            shunt_ohms: None,
            element: None,
            moments: vec![(VehicleState::default(), 0)],
        })
        .expect("the points exist");
        w
    }

    fn session() -> Session {
        Session {
            mode: Mode::Volts,
            errors: VecDeque::new(),
            last: None,
        }
    }

    #[test]
    fn it_names_itself_measures_and_keeps_extremes() {
        let (mut s, mut w) = (session(), world());
        assert!(s.obey("*IDN?", &mut w).is_some_and(|a| a.contains("meter")));
        let volts: f64 = s
            .obey("MEAS:VOLT:DC?", &mut w)
            .and_then(|a| a.parse().ok())
            .expect("a figure");
        assert!((40.0..60.0).contains(&volts), "{volts}");
        let high = s.obey("calc:aver:max?", &mut w).expect("an answer");
        assert_eq!(high.parse::<f64>().ok(), Some(volts));
        assert_eq!(s.obey("CONF?", &mut w).as_deref(), Some("\"VOLT:DC\""));
    }

    #[test]
    fn beyond_its_range_it_says_so_and_errors_are_kept() {
        let (mut s, mut w) = (session(), world());
        w.elsewhere = Some(("P+".into(), "FRAME".into()));
        assert_eq!(s.obey("MEAS:DIOD?", &mut w).as_deref(), Some(OVER_RANGE));
        assert_eq!(s.obey("MEAS:WEIGHT?", &mut w), None);
        assert_eq!(
            s.obey("SYST:ERR?", &mut w).as_deref(),
            Some("-113,\"Undefined header\"")
        );
        assert_eq!(
            s.obey("SYST:ERR?", &mut w).as_deref(),
            Some("0,\"No error\"")
        );
    }
}
