//! The time this thread has had a core for, whatever else the machine does. The only unsafe code is
//! the one call below.
#![allow(unsafe_code)]

use anyhow::{Result, ensure};

/// What came of `work`, and the seconds of a core it took on this thread.
pub fn timed<T>(work: impl FnOnce() -> Result<T>) -> Result<(T, f64)> {
    let before = core_seconds()?;
    let made = work()?;
    Ok((made, core_seconds()? - before))
}

/// The middle one.
pub fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or_default()
}

fn core_seconds() -> Result<f64> {
    let mut time = libc::timespec { tv_sec: 0, tv_nsec: 0 };
    // SAFETY: the clock is one of the system's, and the struct is this function's own.
    let done = unsafe { libc::clock_gettime(libc::CLOCK_THREAD_CPUTIME_ID, &mut time) };
    ensure!(done == 0, "this system has no clock of a thread's own");
    Ok(time.tv_sec as f64 + time.tv_nsec as f64 / 1e9)
}
