//! The library's compressor, called directly: the safe wrapper, which the decoder uses, has no way
//! to say which scans a file has. All calls across the C boundary are in this file.
#![allow(unsafe_code)]

use std::{
    ffi::c_int,
    marker::PhantomPinned,
    mem::MaybeUninit,
    panic::{AssertUnwindSafe, catch_unwind, resume_unwind},
    ptr,
};

use kivet_recipe::Size;
use mozjpeg::qtable::QTable;
use mozjpeg_sys as sys;

use super::planes::{BLOCK, Planes};

/// One pass over the coefficients: of all components their means, or of one a band of frequencies.
pub(super) const fn scan(components: &[c_int], first: c_int, last: c_int) -> sys::jpeg_scan_info {
    let mut component_index = [0; 4];
    let mut at = 0;
    while at < components.len() {
        component_index[at] = components[at];
        at += 1;
    }
    sys::jpeg_scan_info {
        comps_in_scan: at as c_int,
        component_index,
        Ss: first,
        Se: last,
        Ah: 0,
        Al: 0,
    }
}

/// How a file is to be written.
pub(super) struct Settings<'a> {
    pub(super) size: Size,
    /// Quantisation of luma and of chroma.
    pub(super) tables: [QTable; 2],
    pub(super) scans: &'static [sys::jpeg_scan_info],
    /// What is kept beside the picture: the number of an application's segment, and its bytes.
    pub(super) segments: &'a [(u8, Vec<u8>)],
}

/// The file, or what the library said.
pub(super) fn write(planes: &Planes, settings: &Settings<'_>) -> Result<Vec<u8>, String> {
    // The library's way out of an error is to unwind.
    catch_unwind(AssertUnwindSafe(|| {
        let mut compressor = Compressor::new();
        compressor.set(planes, settings);
        compressor.write(planes, settings)
    }))
    .map_err(|said| {
        said.downcast::<String>().map_or_else(|_| "the library gave up".to_owned(), |said| *said)
    })
}

/// The library's state and what it points at, freed on drop.
struct Compressor {
    state: Box<sys::jpeg_compress_struct>,
    errors: *mut sys::jpeg_error_mgr,
    output: *mut Output,
    // The library holds pointers into the boxes.
    _pinned: PhantomPinned,
}

impl Compressor {
    fn new() -> Self {
        // SAFETY: plain C structures, whose all-zero form is what the library starts from. Boxes
        // keep their addresses for as long as the library holds them: until `drop`.
        unsafe {
            let mut errors: Box<sys::jpeg_error_mgr> =
                Box::new(MaybeUninit::zeroed().assume_init());
            sys::jpeg_std_error(&mut errors);
            errors.error_exit = Some(unwind);
            errors.emit_message = Some(ignore);
            let mut compressor = Self {
                state: Box::new(MaybeUninit::zeroed().assume_init()),
                errors: Box::into_raw(errors),
                output: Box::into_raw(Box::new(Output::new())),
                _pinned: PhantomPinned,
            };
            compressor.state.common.err = &mut *compressor.errors;
            sys::jpeg_create_compress(&mut *compressor.state);
            compressor.state.dest = compressor.output.cast();
            compressor
        }
    }

    fn set(&mut self, planes: &Planes, settings: &Settings<'_>) {
        let state = &mut *self.state;
        state.image_width = settings.size.width;
        state.image_height = settings.size.height;
        state.input_components = 3;
        state.in_color_space = sys::J_COLOR_SPACE::JCS_YCbCr;
        // SAFETY: the state is initialised; defaults allocate as many components as the colour
        // space has; tables have the 64 values the library reads, and the scans are static.
        unsafe {
            sys::jpeg_set_defaults(state);
            // What the first would find is set below; the second takes a tenth of the time and
            // saves a few thousandths.
            sys::jpeg_c_set_bool_param(state, sys::J_BOOLEAN_PARAM::JBOOLEAN_OPTIMIZE_SCANS, 0);
            sys::jpeg_c_set_bool_param(state, sys::J_BOOLEAN_PARAM::JBOOLEAN_TRELLIS_QUANT_DC, 0);
            for (place, table) in settings.tables.iter().enumerate() {
                sys::jpeg_add_quant_table(state, place as c_int, table.as_ptr(), 100, 1);
            }
            let sampling = if planes.halved { 2 } else { 1 };
            let luma = &mut *state.comp_info;
            (luma.h_samp_factor, luma.v_samp_factor) = (sampling, sampling);
        }
        state.raw_data_in = 1;
        state.optimize_coding = 1;
        state.scan_info = settings.scans.as_ptr();
        state.num_scans = settings.scans.len() as c_int;
    }

    fn write(mut self, planes: &Planes, settings: &Settings<'_>) -> Vec<u8> {
        let state = &mut *self.state;
        // SAFETY: everything the library asks for is set. It reads whole rows of blocks of each
        // plane, which the planes have, and no further rows than there are: pointers to rows past
        // the end are null.
        unsafe {
            sys::jpeg_start_compress(state, 1);
            for (number, bytes) in settings.segments {
                let length = bytes.len() as u32;
                sys::jpeg_write_marker(
                    state,
                    sys::jpeg_marker::APP0 as c_int + c_int::from(*number),
                    bytes.as_ptr(),
                    length,
                );
            }
            let tall = if planes.halved { 2 * BLOCK } else { BLOCK };
            while state.next_scanline < state.image_height {
                let at = state.next_scanline as usize / tall;
                let rows: [[*const u8; 2 * BLOCK]; 3] = std::array::from_fn(|plane| {
                    planes.rows(plane, at).map(|row| row.map_or(ptr::null(), <[u8]>::as_ptr))
                });
                let starts = rows.each_ref().map(|rows| rows.as_ptr());
                if sys::jpeg_write_raw_data(state, starts.as_ptr(), tall as u32) == 0 {
                    // What is missing the library minds when it finishes.
                    break;
                }
            }
            sys::jpeg_finish_compress(state);
            std::mem::take(&mut (*self.output).file)
        }
    }
}

impl Drop for Compressor {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone; the boxes are freed once the
        // library is done with them.
        unsafe {
            sys::jpeg_destroy_compress(&mut self.state);
            drop(Box::from_raw(self.output));
            drop(Box::from_raw(self.errors));
        }
    }
}

/// Where the library writes to: its own description first, so that a pointer to that is a pointer
/// to the whole.
#[repr(C)]
struct Output {
    described: sys::jpeg_destination_mgr,
    file: Vec<u8>,
}

impl Output {
    const AT_FIRST: usize = 1 << 14;

    fn new() -> Self {
        let described = sys::jpeg_destination_mgr {
            next_output_byte: ptr::null_mut(),
            free_in_buffer: 0,
            init_destination: Some(Self::start),
            empty_output_buffer: Some(Self::grow),
            term_destination: Some(Self::end),
        };
        Self { described, file: Vec::new() }
    }

    fn extend(&mut self, length: usize) {
        let filled = self.file.len();
        self.file.resize(length, 0);
        let rest = &mut self.file[filled..];
        (self.described.next_output_byte, self.described.free_in_buffer) =
            (rest.as_mut_ptr(), rest.len());
    }

    // SAFETY of the three: the library calls them with the state whose `dest` is the output of a
    // `Compressor`, which nothing else refers to meanwhile.

    unsafe extern "C-unwind" fn start(state: &mut sys::jpeg_compress_struct) {
        let output = unsafe { &mut *state.dest.cast::<Self>() };
        output.extend(Self::AT_FIRST);
    }

    unsafe extern "C-unwind" fn grow(state: &mut sys::jpeg_compress_struct) -> sys::boolean {
        let output = unsafe { &mut *state.dest.cast::<Self>() };
        output.extend(output.file.len() * 2);
        1
    }

    unsafe extern "C-unwind" fn end(state: &mut sys::jpeg_compress_struct) {
        let output = unsafe { &mut *state.dest.cast::<Self>() };
        output.file.truncate(output.file.len() - output.described.free_in_buffer);
    }
}

/// The library does not expect an error to return.
unsafe extern "C-unwind" fn unwind(state: &mut sys::jpeg_common_struct) {
    // SAFETY: the library always has an error manager.
    let code = unsafe { (*state.err).msg_code };
    resume_unwind(Box::new(format!("the library's error {code}")));
}

unsafe extern "C-unwind" fn ignore(_: &mut sys::jpeg_common_struct, _: c_int) {}
