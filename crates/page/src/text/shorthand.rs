//! Properties that say what others say: logical ones for horizontal writing from left to right (CSS
//! Logical Properties 1), and shorthands of grids, columns and containers.

/// The physical property of a logical one for one side or size; `None` for any other.
pub(super) fn physical(name: &str) -> Option<String> {
    const SIZES: [(&str, &str); 2] = [("inline-size", "width"), ("block-size", "height")];
    for (logical, own) in SIZES {
        if name == logical {
            return Some(own.to_owned());
        }
        if let Some(bound) =
            name.strip_suffix(logical).filter(|bound| ["min-", "max-"].contains(bound))
        {
            return Some(format!("{bound}{own}"));
        }
    }
    const SIDES: [(&str, &str); 4] = [
        ("inline-start", "left"),
        ("inline-end", "right"),
        ("block-start", "top"),
        ("block-end", "bottom"),
    ];
    SIDES.iter().find_map(|(logical, side)| {
        if let Some(of) = name.strip_suffix(logical) {
            return Some(if of == "inset-" { (*side).to_owned() } else { format!("{of}{side}") });
        }
        let (before, after) = name.split_once(&format!("-{logical}-"))?;
        Some(format!("{before}-{side}-{after}"))
    })
}

/// The two physical properties of a logical one for both sides of an axis.
pub(super) fn both_sides(name: &str) -> Option<[String; 2]> {
    let (of, sides) = match name.strip_suffix("-inline") {
        Some(of) => (of, ["left", "right"]),
        None => (name.strip_suffix("-block")?, ["top", "bottom"]),
    };
    match of {
        "inset" => Some(sides.map(str::to_owned)),
        "margin" | "padding" => Some(sides.map(|side| format!("{of}-{side}"))),
        _ => None,
    }
}

/// Areas, rows and columns of a `grid-template` (CSS Grid 2, 7.4).
pub(super) fn grid_template(value: &str) -> Vec<(&'static str, String)> {
    let (rows, columns) = value.rsplit_once('/').unwrap_or((value, ""));
    let mut said = Vec::new();
    if !columns.trim().is_empty() {
        said.push(("grid-template-columns", columns.trim().to_owned()));
    }
    let pieces: Vec<&str> = rows.split(['"', '\'']).collect();
    if pieces.len() < 3 {
        said.push(("grid-template-rows", rows.trim().to_owned()));
        return said;
    }
    let areas: Vec<String> =
        pieces.iter().skip(1).step_by(2).map(|row| format!("\"{row}\"")).collect();
    said.push(("grid-template-areas", areas.join(" ")));
    let heights: Vec<&str> = pieces
        .iter()
        .skip(2)
        .step_by(2)
        .map(|height| if height.trim().is_empty() { "auto" } else { height.trim() })
        .collect();
    said.push(("grid-template-rows", heights.join(" ")));
    said
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn logical_properties_become_physical_ones() {
        for (logical, own) in [
            ("inline-size", Some("width")),
            ("max-block-size", Some("max-height")),
            ("margin-inline-start", Some("margin-left")),
            ("inset-block-end", Some("bottom")),
            ("padding-block-start", Some("padding-top")),
            ("border-inline-end-width", Some("border-right-width")),
            ("width", None),
            ("margin-left", None),
        ] {
            assert_eq!(physical(logical).as_deref(), own, "{logical}");
        }
        assert_eq!(
            both_sides("margin-inline"),
            Some(["margin-left", "margin-right"].map(str::to_owned))
        );
        assert_eq!(both_sides("inset-block"), Some(["top", "bottom"].map(str::to_owned)));
        let said = grid_template("\"a b\" auto \"c b\" 2fr / 300px 1fr");
        assert_eq!(
            said,
            [
                ("grid-template-columns", "300px 1fr".to_owned()),
                ("grid-template-areas", "\"a b\" \"c b\"".to_owned()),
                ("grid-template-rows", "auto 2fr".to_owned()),
            ]
        );
    }
}
