//! `wyard`: turns arguments into calls of the core, and the core's reports into text or JSON.

mod args;
mod ask;
mod commands;
mod context;
mod demo;
mod failure;
mod page;
mod progress;
mod view;

use std::process::ExitCode;

use wagon_yard_core::archive::DECODER_THREAD;
use wagon_yard_core::judges;
use wagon_yard_core::os;

fn main() -> ExitCode {
    // Before anything else is done or started: a seal is made by a process that is nothing but that.
    let mut words = std::env::args_os().skip(1);
    match words.next() {
        Some(word) if word == os::SEAL_ARGUMENT => {
            let channel = words.next().and_then(|word| word.to_str()?.parse().ok());
            return ExitCode::from(os::serve_seal(channel.unwrap_or(-1)));
        }
        // A shell that is asked starts this program to learn in which context it starts programs.
        Some(word) if word == os::CONTEXT_ARGUMENT => {
            return ExitCode::from(u8::from(os::print_context(&words.next().unwrap_or_default()).is_err()));
        }
        _ => {}
    }
    // A copy of this program that is to say which of several files ran.
    if let Some(said) = judges::act() {
        println!("{}", said.display());
        return ExitCode::SUCCESS;
    }
    args::complete::answer(<args::Args as clap::CommandFactory>::command);
    quiet_decoders();
    let args = args::parse();
    let json = args.global.json;
    let result = context::Context::new(&args).and_then(|context| commands::run(args.command, &context));
    match result {
        Ok(code) => code,
        Err(failure) => failure.tell(json),
    }
}

/// Silences panics of decoder threads; they are reported as a damaged archive.
fn quiet_decoders() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if std::thread::current().name() != Some(DECODER_THREAD) {
            usual(panic);
        }
    }));
}
