//! The colour matrices of Filter Effects 1, section 9.6 (`feColorMatrix`) and section 12
//! (shorthands).

/// Rows for red, green and blue.
type Matrix = [[f32; 3]; 3];

/// `saturate(amount)`; 1 leaves colours as they are.
pub(super) fn saturate(s: f32) -> Matrix {
    [
        [0.213 + 0.787 * s, 0.715 - 0.715 * s, 0.072 - 0.072 * s],
        [0.213 - 0.213 * s, 0.715 + 0.285 * s, 0.072 - 0.072 * s],
        [0.213 - 0.213 * s, 0.715 - 0.715 * s, 0.072 + 0.928 * s],
    ]
}

/// `grayscale(amount)`; 0 leaves colours as they are.
pub(super) fn grayscale(amount: f32) -> Matrix {
    let s = 1.0 - amount;
    [
        [0.2126 + 0.7874 * s, 0.7152 - 0.7152 * s, 0.0722 - 0.0722 * s],
        [0.2126 - 0.2126 * s, 0.7152 + 0.2848 * s, 0.0722 - 0.0722 * s],
        [0.2126 - 0.2126 * s, 0.7152 - 0.7152 * s, 0.0722 + 0.9278 * s],
    ]
}

/// `sepia(amount)`; 0 leaves colours as they are.
pub(super) fn sepia(amount: f32) -> Matrix {
    let s = 1.0 - amount;
    [
        [0.393 + 0.607 * s, 0.769 - 0.769 * s, 0.189 - 0.189 * s],
        [0.349 - 0.349 * s, 0.686 + 0.314 * s, 0.168 - 0.168 * s],
        [0.272 - 0.272 * s, 0.534 - 0.534 * s, 0.131 + 0.869 * s],
    ]
}

/// `hue-rotate(degrees)`.
pub(super) fn hue_rotate(degrees: f32) -> Matrix {
    let (sin, cos) = degrees.to_radians().sin_cos();
    [
        [
            0.213 + cos * 0.787 - sin * 0.213,
            0.715 - cos * 0.715 - sin * 0.715,
            0.072 - cos * 0.072 + sin * 0.928,
        ],
        [
            0.213 - cos * 0.213 + sin * 0.143,
            0.715 + cos * 0.285 + sin * 0.140,
            0.072 - cos * 0.072 - sin * 0.283,
        ],
        [
            0.213 - cos * 0.213 - sin * 0.787,
            0.715 - cos * 0.715 + sin * 0.715,
            0.072 + cos * 0.928 + sin * 0.072,
        ],
    ]
}
