//! Where memory comes from, and giving it back once it is free.
//!
//! Rust's own comes from mimalloc; that of the C libraries (codecs, SQLite) from the system's
//! allocator.
#![allow(unsafe_code)]

/// Costs a request less than the system's own.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Gives what both allocators hold free to the system.
pub fn give_back() {
    // SAFETY: both may be called at any time from any thread (their manuals say so), and take no
    // pointer; what is in use stays where it is.
    unsafe {
        libmimalloc_sys::mi_collect(true);
        #[cfg(all(target_os = "linux", target_env = "gnu"))]
        libc::malloc_trim(0);
    }
}
