//! One file per command.

pub mod apply;
pub mod cache;
pub mod check;
pub mod completions;
pub mod console;
pub mod demo;
pub mod doctor;
pub mod init;
pub mod learn;
pub mod library;
pub mod manual;
pub mod markup;
pub mod place;
pub mod records;
pub mod render;
pub mod rules;
pub mod serve;
pub mod try_site;
pub mod why;
