//! Elements as HTML and as JSX.

/// An element with its attributes in order.
#[derive(Debug)]
pub(super) struct Element {
    tag: &'static str,
    attributes: Vec<(&'static str, Value)>,
    children: Vec<Element>,
}

/// An attribute's value.
#[derive(Debug)]
pub(super) enum Value {
    Text(String),
    Number(u32),
    /// A list that is wrapped after each comma where lines are.
    List(Vec<String>),
    /// CSS declarations.
    Style(Vec<(&'static str, String)>),
}

/// Attributes that begin a line where lines are wrapped; others follow on the same line.
const LINES: [&str; 12] = [
    "src",
    "srcset",
    "sizes",
    "width",
    "alt",
    "loading",
    "style",
    "class",
    "media",
    "href",
    "imagesrcset",
    "imagesizes",
];

/// JSX's name of an attribute, where it is another one.
const JSX_NAMES: [(&str, &str); 6] = [
    ("srcset", "srcSet"),
    ("imagesrcset", "imageSrcSet"),
    ("imagesizes", "imageSizes"),
    ("fetchpriority", "fetchPriority"),
    ("crossorigin", "crossOrigin"),
    ("class", "className"),
];

impl Element {
    pub(super) const fn new(tag: &'static str) -> Self {
        Self { tag, attributes: Vec::new(), children: Vec::new() }
    }

    pub(super) fn with(mut self, name: &'static str, value: Value) -> Self {
        self.attributes.push((name, value));
        self
    }

    pub(super) fn text(self, name: &'static str, value: impl Into<String>) -> Self {
        self.with(name, Value::Text(value.into()))
    }

    pub(super) fn maybe(self, name: &'static str, value: Option<impl Into<String>>) -> Self {
        match value {
            Some(value) => self.text(name, value),
            None => self,
        }
    }

    pub(super) fn holding(mut self, children: Vec<Self>) -> Self {
        self.children = children;
        self
    }

    /// Its attributes as HTML has them, without quotes.
    pub(super) fn into_attributes(self) -> Vec<(&'static str, String)> {
        let style = Style { jsx: false, wrapped: false };
        let written = |(name, value): (&'static str, Value)| {
            let mut quoted = String::new();
            style.value(&mut quoted, &value, 0);
            (name, quoted[1..quoted.len() - 1].to_owned())
        };
        self.attributes.into_iter().map(written).collect()
    }

    /// As HTML: on one line, or wrapped.
    pub(super) fn html(&self, compact: bool) -> String {
        let mut out = String::with_capacity(1024);
        self.write(&mut out, Style { jsx: false, wrapped: !compact }, 0);
        out
    }

    /// As JSX.
    pub(super) fn jsx(&self, compact: bool) -> String {
        let mut out = String::with_capacity(1024);
        self.write(&mut out, Style { jsx: true, wrapped: !compact }, 0);
        out
    }

    fn write(&self, out: &mut String, style: Style, depth: usize) {
        out.push('<');
        out.push_str(self.tag);
        for (name, value) in &self.attributes {
            if style.wrapped && LINES.contains(name) {
                new_line(out, depth + 1);
            } else {
                out.push(' ');
            }
            out.push_str(style.name(name));
            out.push('=');
            style.value(out, value, depth);
        }
        if self.children.is_empty() {
            out.push_str(if style.jsx { " />" } else { ">" });
            return;
        }
        out.push('>');
        for child in &self.children {
            if style.wrapped {
                new_line(out, depth + 1);
            }
            child.write(out, style, depth + 1);
        }
        if style.wrapped {
            new_line(out, depth);
        }
        out.push_str("</");
        out.push_str(self.tag);
        out.push('>');
    }
}

#[derive(Clone, Copy)]
struct Style {
    jsx: bool,
    wrapped: bool,
}

impl Style {
    fn name(self, name: &'static str) -> &'static str {
        let known = JSX_NAMES.iter().find(|(html, _)| self.jsx && *html == name);
        known.map_or(name, |(_, jsx)| jsx)
    }

    fn value(self, out: &mut String, value: &Value, depth: usize) {
        match value {
            Value::Number(number) if self.jsx => out.push_str(&format!("{{{number}}}")),
            Value::Number(number) => out.push_str(&format!("\"{number}\"")),
            Value::Text(text) => {
                out.push('"');
                escape(out, text);
                out.push('"');
            }
            Value::List(parts) => {
                out.push('"');
                for (at, part) in parts.iter().enumerate() {
                    if at > 0 {
                        out.push(',');
                        if self.wrapped { new_line(out, depth + 2) } else { out.push(' ') }
                    }
                    escape(out, part);
                }
                out.push('"');
            }
            Value::Style(rules) if self.jsx => {
                let rules: Vec<String> = rules
                    .iter()
                    .map(|(name, value)| format!("{}: {}", camel(name), quoted(value)))
                    .collect();
                out.push_str(&format!("{{{{ {} }}}}", rules.join(", ")));
            }
            Value::Style(rules) => {
                out.push('"');
                for (at, (name, value)) in rules.iter().enumerate() {
                    if at > 0 {
                        out.push(';');
                    }
                    out.push_str(name);
                    out.push(':');
                    escape(out, value);
                }
                out.push('"');
            }
        }
    }
}

fn new_line(out: &mut String, depth: usize) {
    out.push('\n');
    out.extend(std::iter::repeat_n("  ", depth));
}

/// Text as it stands in a double-quoted attribute (HTML, 13.1.2.3), with the references that React
/// writes, so that its markup is the same.
pub(super) fn escape(out: &mut String, text: &str) {
    let mut rest = text;
    // Most text has nothing to escape, and goes over in one piece.
    let special = |byte: u8| matches!(byte, b'&' | b'"' | b'\'' | b'<' | b'>');
    while let Some(at) = rest.bytes().position(special) {
        out.push_str(&rest[..at]);
        out.push_str(match rest.as_bytes()[at] {
            b'&' => "&amp;",
            b'"' => "&quot;",
            b'\'' => "&#x27;",
            b'<' => "&lt;",
            _ => "&gt;",
        });
        rest = &rest[at + 1..];
    }
    out.push_str(rest);
}

/// As [`escape`].
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    escape(&mut out, text);
    out
}

/// `background-color` as a property of a style object.
fn camel(name: &str) -> String {
    let mut parts = name.split('-');
    let first = parts.next().unwrap_or_default().to_owned();
    parts.fold(first, |name, part| {
        let (head, tail) = part.split_at(part.len().min(1));
        name + &head.to_ascii_uppercase() + tail
    })
}

/// A JavaScript string.
fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}
