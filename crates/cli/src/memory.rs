//! Where memory comes from, and giving it back once it is free.
//!
//! Rust's own comes from mimalloc; that of the C libraries (codecs, SQLite) from the system's
//! allocator.
#![allow(unsafe_code)]

/// Costs a request less than the system's own.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Keeps the system's allocator to one arena, the only one whose free end it can give back: of
/// others, one for each thread, it keeps up to 64 MB. To be called before other threads start.
pub fn set_up() {
    // SAFETY: it takes no pointer, and no other thread allocates yet.
    #[cfg(all(target_os = "linux", target_env = "gnu"))]
    unsafe {
        libc::mallopt(libc::M_ARENA_MAX, 1);
    }
}

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
