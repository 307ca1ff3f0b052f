//! Chunks of a RIFF file, which WebP is (RFC 9649, section 2.3).

/// The chunks after the file's header: name and content, up to where the file breaks off.
pub(crate) fn chunks(bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8])> {
    let mut rest = bytes.get(12..).unwrap_or_default();
    std::iter::from_fn(move || {
        let (name, after) = rest.split_first_chunk::<4>()?;
        let (length, after) = after.split_first_chunk::<4>()?;
        let length = u32::from_le_bytes(*length) as usize;
        let content = after.get(..length)?;
        // Chunks begin at even places.
        rest = after.get(length + length % 2..).unwrap_or_default();
        Some((*name, content))
    })
}

/// The content of the first chunk of that name.
pub(crate) fn chunk(bytes: &[u8], name: [u8; 4]) -> Option<&[u8]> {
    chunks(bytes).find(|(found, _)| *found == name).map(|(_, content)| content)
}

/// A RIFF file of that kind with these chunks.
pub(crate) fn file(kind: [u8; 4], chunks: &[([u8; 4], &[u8])]) -> Vec<u8> {
    let mut body = kind.to_vec();
    for (name, content) in chunks {
        body.extend(name);
        body.extend((content.len() as u32).to_le_bytes());
        body.extend(*content);
        body.extend(vec![0; content.len() % 2]);
    }
    let length = (body.len() as u32).to_le_bytes();
    [b"RIFF".as_slice(), &length, &body].concat()
}
