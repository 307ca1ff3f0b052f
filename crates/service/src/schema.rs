//! OpenAPI schemas of the core's enums: the core itself does not know OpenAPI.

use kivet_page::report::Mode;
use kivet_recipe::{Fit, Format, Kind};
use utoipa::openapi::{Object, ObjectBuilder, Type, schema::SchemaType};

/// A picture format by its name.
pub fn format() -> Object {
    names(Format::ALL.map(Format::name))
}

/// `photo` or `flat`.
pub fn kind() -> Object {
    names([Kind::Photo, Kind::Flat].map(Kind::name))
}

/// A picture format, or none.
pub fn optional_format() -> Object {
    optional(Format::ALL.map(Format::name))
}

/// A CSS `object-fit`, or none.
pub fn optional_fit() -> Object {
    optional(Fit::ALL.map(Fit::name))
}

/// `text` or `browser`.
pub fn mode() -> Object {
    names([Mode::Text, Mode::Browser].map(Mode::name))
}

fn optional<const N: usize>(names: [&'static str; N]) -> Object {
    let values = names.into_iter().map(Some).chain([None]);
    ObjectBuilder::new()
        .schema_type(SchemaType::from_iter([Type::String, Type::Null]))
        .enum_values(Some(values))
        .build()
}

fn names<const N: usize>(names: [&'static str; N]) -> Object {
    ObjectBuilder::new().schema_type(Type::String).enum_values(Some(names)).build()
}
