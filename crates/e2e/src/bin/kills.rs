//! Kills server, database and browser at random during scripted work, and says what was lost.
//!
//! `SPANNUNG_PG_BIN=… cargo run -p spannung-e2e --bin kills [ROUNDS] [SEED]` (200 rounds take some ten
//! minutes).

use spannung_e2e::{Done, kills, word};
use std::time::Instant;

#[tokio::main]
async fn main() -> Done {
    let begun = Instant::now();
    let rounds = usize::try_from(word(1, 200))?;
    let tally = kills::run(rounds, word(2, 7), true).await?;
    println!("{tally:?} in {} s", begun.elapsed().as_secs());
    if (tally.lost, tally.doubled) != (0, 0) {
        return Err("entries were lost or doubled".into());
    }
    Ok(())
}
