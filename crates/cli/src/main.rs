//! The `kivet` command: starts the service, and speaks to a running one.
//!
//! Exit codes: 0 done, 1 could not be done, 2 usage error, 3 a check found waste it was told to
//! fail on.

mod beneath;
mod client;
mod commands;
mod memory;
mod nearby;
mod output;
mod private;
mod rewriting;

use std::process::ExitCode;

use clap::{Parser, Subcommand};

/// Serves pictures at the size, crop and format each viewer needs, and writes the markup that asks
/// for them.
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
    /// Write a kivet.toml for the folder of pictures at hand.
    Init(commands::init::Init),
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
    /// See and set the places pictures appear in.
    Place(commands::place::Place),
    /// Write the markup for originals in a place.
    Markup(commands::markup::Markup),
    /// See what renditions take on disk, and list them anew.
    Cache(commands::cache::Cache),
    /// List, make and restore backups of places, rules, focal points and texts.
    Records(commands::records::Records),
    /// See and set the rules by which pages are rewritten.
    Rules(commands::rules::Rules),
    /// Drive a browser over a site and write rules for it.
    Learn(commands::learn::Learn),
    /// Rewrite a folder of pages to Kivet's markup by rules.
    Apply(Box<commands::apply::Apply>),
    /// Look at a live site as Kivet would serve it.
    Try(commands::try_site::Try),
    /// Say what pages waste on pictures, what that costs and how to fix it.
    Check(commands::check::Check),
    /// Print a fresh sign-in link to the console.
    Console(commands::console::Console),
    /// Say what is missing on this machine, and how to get it.
    Doctor(commands::doctor::Doctor),
    /// Write a script that completes commands in a shell.
    Completions(commands::completions::Completions),
    /// Write manual pages, one for each command.
    Manual(commands::manual::Manual),
}

/// All commands, as clap has them.
pub fn commands_of_kivet() -> clap::Command {
    <Kivet as clap::CommandFactory>::command()
}

fn main() -> ExitCode {
    let Kivet { command, json } = Kivet::parse();
    let done = match command {
        Command::Init(init) => init.run(json),
        Command::Serve(serve) => serve.run(json),
        Command::Demo(demo) => demo.run(json),
        Command::Render(render) => render.run(json),
        Command::Why(why) => why.run(json),
        Command::Library(library) => library.run(json),
        Command::Place(place) => place.run(json),
        Command::Markup(markup) => markup.run(json),
        Command::Cache(cache) => cache.run(json),
        Command::Records(records) => records.run(json),
        Command::Rules(rules) => rules.run(json),
        Command::Learn(learn) => learn.run(json),
        Command::Apply(apply) => apply.run(json),
        Command::Try(site) => site.run(json),
        Command::Check(check) => check.run(json),
        Command::Console(console) => console.run(json),
        Command::Doctor(doctor) => doctor.run(json),
        Command::Completions(completions) => completions.run(),
        Command::Manual(manual) => manual.run(json),
    };
    match done {
        Ok(code) => code,
        Err(error) => {
            output::failure(&error, json);
            ExitCode::FAILURE
        }
    }
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    use super::Kivet;

    /// `docs/reference/cli.md`: every command's own help.
    fn reference() -> String {
        let mut text = String::from("# Commands\n\n");
        let mut kivet = Kivet::command().term_width(96);
        kivet.build();
        let names: Vec<String> =
            kivet.get_subcommands().map(|command| command.get_name().to_owned()).collect();
        text.push_str(&format!("```text\n{}\n```\n", kivet.render_help().to_string().trim_end()));
        for name in names.iter().filter(|name| *name != "help") {
            let command = kivet.find_subcommand_mut(name).expect("a command");
            text.push_str(&format!(
                "\n## kivet {name}\n\n```text\n{}\n```\n",
                command.render_long_help().to_string().trim_end()
            ));
        }
        text
    }

    #[test]
    fn the_reference_is_current() {
        let file =
            std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reference/cli.md");
        let current: String =
            reference().lines().map(|line| line.trim_end().to_owned() + "\n").collect();
        if std::env::var_os("KIVET_BLESS").is_some() {
            std::fs::write(&file, &current).expect("written");
        }
        assert_eq!(
            std::fs::read_to_string(&file).expect("cli.md"),
            current,
            "run with KIVET_BLESS=1"
        );
    }
}
