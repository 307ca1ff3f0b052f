//! Documents: the markup Kivet writes for a picture.
