//! How long calls wait for another process to let go of the database file.
//!
//! Pictures are served without the index where it is held; a look at it may cost a viewer half a
//! second once, and not on every request.

use std::{
    sync::{Mutex, PoisonError},
    thread::sleep,
    time::{Duration, Instant},
};

/// How long a call waits for the file, and for a connection.
pub const WAIT: Duration = Duration::from_millis(500);

/// How long, so soon after one that waited in vain: who held the file until then holds it still.
const SHORT_WAIT: Duration = Duration::from_millis(20);
const SOON: Duration = Duration::from_secs(5);

/// Between two tries.
const PAUSE: Duration = Duration::from_millis(5);

/// When a call last waited in vain. One for the process, because SQLite tells its handler nothing
/// but the number of tries; a service has one database.
static IN_VAIN: Mutex<Option<Instant>> = Mutex::new(None);

/// SQLite's busy handler (<https://sqlite.org/c3ref/busy_handler.html>): pauses and says true while
/// there is patience left after so many tries of one call.
pub fn try_again(tries: i32) -> bool {
    let mut in_vain = IN_VAIN.lock().unwrap_or_else(PoisonError::into_inner);
    let go_on = is_patient(tries, in_vain.map(|at| at.elapsed()));
    if !go_on {
        *in_vain = Some(Instant::now());
    }
    drop(in_vain);
    if go_on {
        sleep(PAUSE);
    }
    go_on
}

fn is_patient(tries: i32, since_in_vain: Option<Duration>) -> bool {
    let patience = if since_in_vain.is_some_and(|since| since < SOON) { SHORT_WAIT } else { WAIT };
    PAUSE * tries.unsigned_abs() < patience
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_waited_in_vain_is_followed_by_calls_that_hardly_wait() {
        let waits =
            |since| PAUSE * (0..).take_while(|tries| is_patient(*tries, since)).count() as u32;
        assert_eq!((waits(None), waits(Some(SOON))), (WAIT, WAIT));
        assert_eq!(waits(Some(SOON / 2)), SHORT_WAIT);
    }
}
