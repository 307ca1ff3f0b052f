//! Where memory comes from, and giving it back once it is free.
//!
//! Rust's own comes from mimalloc; that of the C libraries (codecs, SQLite) from the system's
//! allocator.
#![allow(unsafe_code)]

/// Costs a request less than the system's own.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// The C libraries' buffers from this size on have pages of their own, which go back as they are
/// freed, and an arena's free end goes back from this size on. Left to itself the allocator raises
/// both to tens of megabytes an arena once it has seen pictures.
#[cfg(all(target_os = "linux", target_env = "gnu"))]
const LARGE: i32 = 1 << 20;

/// Tells the system's allocator what is large. To be called before other threads start.
pub fn set_up() {
    // SAFETY: it takes no pointer; no other thread allocates yet, so none sees the settings change.
    #[cfg(all(target_os = "linux", target_env = "gnu"))]
    unsafe {
        libc::mallopt(libc::M_MMAP_THRESHOLD, LARGE);
        libc::mallopt(libc::M_TRIM_THRESHOLD, LARGE);
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
