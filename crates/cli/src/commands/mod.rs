//! One file per command.

pub mod apply;
pub mod check;
pub mod console;
pub mod demo;
pub mod doctor;
pub mod learn;
pub mod library;
pub mod markup;
pub mod place;
pub mod render;
pub mod rules;
pub mod serve;
pub mod try_site;
pub mod why;
