//! GIF: blocks (GIF89a, appendix A). Comments, texts and the extensions of applications go, apart
//! from looping and the colour profile.

use super::Input;

const KEPT: [&[u8; 11]; 2] = [b"NETSCAPE2.0", b"ICCRGBG1012"];

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut input = Input(bytes);
    let header = input.take(13)?;
    let mut out = header.to_vec();
    out.extend(input.take(table(header[10]))?);
    // What breaks off within a block has shown what it could: the rest is left out.
    while let Some([introducer]) = input.array::<1>() {
        let block = match introducer {
            0x21 => extension(&mut input),
            0x2C => image(&mut input),
            0x3B => {
                out.push(0x3B);
                break;
            }
            _ => None,
        };
        let Some(block) = block else { break };
        out.extend(block);
    }
    Some(out)
}

fn table(flags: u8) -> usize {
    if flags & 0x80 != 0 { 3 << ((flags & 7) + 1) } else { 0 }
}

/// An extension; empty where it is left out.
fn extension(input: &mut Input<'_>) -> Option<Vec<u8>> {
    const CONTROL: u8 = 0xF9;
    const APPLICATION: u8 = 0xFF;
    let [label] = input.array()?;
    let blocks = sub_blocks(input)?;
    let name = blocks.get(1..12).and_then(|name| name.first_chunk::<11>());
    let is_kept =
        label == CONTROL || label == APPLICATION && name.is_some_and(|name| KEPT.contains(&name));
    Some(if is_kept { [&[0x21, label], blocks].concat() } else { Vec::new() })
}

fn image(input: &mut Input<'_>) -> Option<Vec<u8>> {
    let descriptor = input.take(9)?;
    let colours = input.take(table(descriptor[8]))?;
    let code_size = input.take(1)?;
    // Pixels that break off are still pixels.
    let data = sub_blocks(input).unwrap_or_else(|| input.rest());
    Some([&[0x2C], descriptor, colours, code_size, data].concat())
}

/// Sub-blocks up to and with the empty one.
fn sub_blocks<'a>(input: &mut Input<'a>) -> Option<&'a [u8]> {
    let (whole, mut at) = (input.0, 0);
    loop {
        match usize::from(*whole.get(at)?) {
            0 => return input.take(at + 1),
            length => at += 1 + length,
        }
    }
}
