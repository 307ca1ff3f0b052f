//! The `kivet` command: starts the service, and speaks to a running one.
//!
//! Exit codes: 0 done, 1 could not be done, 2 usage error, 3 a check found waste it was told to fail on.

mod client;
mod commands;
mod output;

use std::process::ExitCode;

use clap::{Parser, Subcommand};

/// Serves pictures at the size, crop and format each viewer needs, and writes the markup that asks for them.
#[derive(Parser)]
#[command(
    name = "kivet",
    version,
    after_help = "Exit codes: 0 done, 1 could not be done, 2 usage error; 3 a check found waste it was told to fail on."
)]
struct Kivet {
    #[command(subcommand)]
    command: Command,
    /// Print the result as JSON.
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Start the service.
    Serve(commands::serve::Serve),
    /// Start the service with the sample festival site.
    Demo(commands::demo::Demo),
    /// Make one rendition of a file, without a service.
    Render(commands::render::Render),
    /// Say what a picture request would get, and why.
    Why(commands::why::Why),
    /// See and mark originals.
    Library(commands::library::Library),
    /// Write the markup for an original in a layout.
    Markup(commands::markup::Markup),
    /// Say what pages waste on pictures, what that costs and how to fix it.
    Check(commands::check::Check),
    /// Print a fresh sign-in link to the console.
    Console(commands::console::Console),
    /// Say what is missing on this machine, and how to get it.
    Doctor(commands::doctor::Doctor),
}

fn main() -> ExitCode {
    let Kivet { command, json } = Kivet::parse();
    let done = match command {
        Command::Serve(serve) => serve.run(json),
        Command::Demo(demo) => demo.run(json),
        Command::Render(render) => render.run(json),
        Command::Why(why) => why.run(json),
        Command::Library(library) => library.run(json),
        Command::Markup(markup) => markup.run(json),
        Command::Check(check) => check.run(json),
        Command::Console(console) => console.run(json),
        Command::Doctor(doctor) => doctor.run(json),
    };
    match done {
        Ok(code) => code,
        Err(error) => {
            output::failure(&error, json);
            ExitCode::FAILURE
        }
    }
}
