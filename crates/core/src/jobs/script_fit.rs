//! Whether what runs a script is here, or comes with the tool.

use std::path::Path;

use crate::environment::Environment;
use crate::layout::Layout;
use crate::program::{Fit, Interpreter};
use crate::resolve::{self, Caller, Disk, LookupContext};
use crate::system::System;

/// Compares the first line of a script with a machine: the interpreter is a file, a command in PATH, or one of the tool's own.
pub fn fit_of_script(line: &str, layout: &Layout, environment: &Environment) -> Fit {
    let Some(interpreter) = Interpreter::of(line).filter(|_| environment.system() == System::Unix) else {
        return Fit::default();
    };
    let is_here = match &interpreter {
        Interpreter::File(file) => file.exists(),
        Interpreter::Named(name) => {
            let context = LookupContext::of(environment, Path::new("/"));
            let found = resolve::candidates(Caller::Exec, name, &context, &Disk);
            resolve::winner(&found).is_some() || layout.commands.iter().any(|command| command.name == *name)
        }
    };
    let missing = if is_here { Vec::new() } else { vec![interpreter.words()] };
    Fit { missing, unknown: Vec::new() }
}
