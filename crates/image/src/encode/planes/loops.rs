//! The inner loops, in portable form; compiled a second time for AVX2 where the machine has it. Shares are of 65,536.

/// The loops to use on this machine.
#[derive(Clone, Copy)]
pub(super) struct Loops {
    /// A row of pixels as three rows of one channel.
    pub(super) apart: fn(&[u8], [&mut [u8]; 3]),
    /// Brightness of red, green and blue.
    pub(super) brightness: fn([&[u8]; 3], &mut [u8]),
    /// Sums of squares of four: of two rows to one of half the length.
    pub(super) squares: fn(&[u8], &[u8], &mut [i32]),
    /// Each value four times.
    pub(super) fourfold: fn(&[u8], &mut [i32]),
    /// Differences of blue and of red, of sums of four.
    pub(super) differences: fn([&[i32]; 3], &mut [u8], &mut [u8]),
}

impl Loops {
    /// Plain loops.
    pub(super) const SCALAR: Self = Self { apart, brightness, squares, fourfold, differences };

    /// All that this machine can run.
    #[cfg(test)]
    pub(super) fn all() -> Vec<Self> {
        vec![Self::SCALAR, Self::fastest()]
    }

    /// The fastest this machine can run.
    pub(super) fn fastest() -> Self {
        #[cfg(target_arch = "x86_64")]
        if let Some(loops) = super::avx2::loops() {
            return loops;
        }
        Self::SCALAR
    }
}

// No closures below: they would be compiled without the features of the function they are inlined into.

#[inline(always)]
pub(super) fn apart(row: &[u8], [reds, greens, blues]: [&mut [u8]; 3]) {
    for (((pixel, red), green), blue) in row.as_chunks::<3>().0.iter().zip(reds).zip(greens).zip(blues) {
        (*red, *green, *blue) = (pixel[0], pixel[1], pixel[2]);
    }
}

#[inline(always)]
pub(super) fn brightness([reds, greens, blues]: [&[u8]; 3], out: &mut [u8]) {
    for (((red, green), blue), out) in reds.iter().zip(greens).zip(blues).zip(out) {
        *out = ((*red as i32 * 19_595 + *green as i32 * 38_470 + *blue as i32 * 7_471 + (1 << 15)) >> 16) as u8;
    }
}

#[inline(always)]
pub(super) fn squares(above: &[u8], below: &[u8], out: &mut [i32]) {
    for ((above, below), out) in above.as_chunks::<2>().0.iter().zip(below.as_chunks::<2>().0).zip(out) {
        *out = above[0] as i32 + above[1] as i32 + below[0] as i32 + below[1] as i32;
    }
}

#[inline(always)]
pub(super) fn fourfold(row: &[u8], out: &mut [i32]) {
    for (value, out) in row.iter().zip(out) {
        *out = *value as i32 * 4;
    }
}

#[inline(always)]
pub(super) fn differences([reds, greens, blues]: [&[i32]; 3], to_blue: &mut [u8], to_red: &mut [u8]) {
    // 128, of sums of four, and just under a half, so that the largest difference stays below 256.
    const MIDDLE: i32 = (128 << 18) + (1 << 17) - 1;
    for ((((red, green), blue), to_blue), to_red) in reds.iter().zip(greens).zip(blues).zip(to_blue).zip(to_red) {
        *to_blue = ((32_768 * blue - 11_059 * red - 21_709 * green + MIDDLE) >> 18) as u8;
        *to_red = ((32_768 * red - 27_439 * green - 5_329 * blue + MIDDLE) >> 18) as u8;
    }
}
