//! A picture for the demonstration, drawn here: a round plug with its pins, and green salts on it.

use crate::picture::{Drawn, keep};
use image::{ImageFormat, Rgb, RgbImage};
use std::io::Cursor;

/// A plug with so many spots of salt, as a camera would have taken it.
pub(super) fn plug(salts: u32) -> Result<(Drawn, Drawn), String> {
    const SIZE: u32 = 900;
    let half = f64::from(SIZE) / 2.0;
    let near =
        |x: u32, y: u32, cx: f64, cy: f64, r: f64| (f64::from(x) - cx).hypot(f64::from(y) - cy) < r;
    let picture = RgbImage::from_fn(SIZE, SIZE * 3 / 4, |x, y| {
        let middle = half * 0.75;
        let grain = ((f64::from(x) * 0.02 + (f64::from(y) * 0.11).sin() * 2.0).sin() * 9.0) as i16;
        let wood = |c: i16| u8::try_from((c + grain).clamp(0, 255)).unwrap_or(0);
        for k in 0..salts {
            let turn = f64::from(k) * 2.4;
            let (cx, cy) = (half + turn.cos() * 150.0, middle + turn.sin() * 150.0);
            if near(x, y, cx, cy, 14.0 + f64::from(k % 3) * 7.0) {
                return Rgb([96, 158, 128]);
            }
        }
        for pin in 0..9 {
            let turn = f64::from(pin) * std::f64::consts::TAU / 8.0;
            let out = if pin == 8 { 0.0 } else { 100.0 };
            let (cx, cy) = (half + turn.cos() * out, middle + turn.sin() * out);
            if near(x, y, cx, cy, 17.0) {
                return Rgb([205, 176, 98]);
            }
        }
        if near(x, y, half, middle, 168.0) {
            Rgb([38, 40, 42])
        } else if near(x, y, half, middle, 200.0) {
            Rgb([74, 76, 78])
        } else {
            Rgb([wood(156), wood(122), wood(88)])
        }
    });
    let mut png = Cursor::new(Vec::new());
    picture
        .write_to(&mut png, ImageFormat::Png)
        .map_err(|e| e.to_string())?;
    keep(&png.into_inner())
}
