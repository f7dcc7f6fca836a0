//! The show: each command line, what it prints, and whether that is what it should have been.

use std::io::{self, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use serde::Serialize;
use serde_json::Value;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::report::{Report, ReportPath, report_body};
use wagon_yard_core::resolve::Shell;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::system::System;
use wagon_yard_core::terminal;

use super::world::{NEW, OLD, World};
use crate::args::ColorWhen;
use crate::context::Context;
use crate::failure::{Failure, OutputError, exit};
use crate::view::style;

/// Of what a call said that ended otherwise than it should, so many characters are told where it was not shown.
const MOST_SAID: usize = 600;

#[derive(Debug)]
pub struct Show<'a> {
    world: &'a World,
    context: &'a Context,
    program: PathBuf,
    /// Whether the second workstation is the one that is worked on.
    at_second: bool,
    calls: Vec<DemoCall>,
    wrong: Vec<String>,
}

/// What the demo did; for people it is shown while it happens.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Shown {
    folder: Option<ReportPath>,
    calls: Vec<DemoCall>,
    wrong: Vec<String>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct DemoCall {
    arguments: Vec<String>,
    /// How it ended; null where it did not end by itself.
    exit_code: Option<i32>,
}

report_body!(Shown = "demo");

impl<'a> Show<'a> {
    pub fn new(world: &'a World, context: &'a Context) -> Result<Self, Failure> {
        let program = std::env::current_exe()
            .map_err(|e| Failure::new(exit::MACHINE, format!("the program's own file is not known: {e}"), None))?;
        Ok(Self { world, context, program, at_second: false, calls: Vec::new(), wrong: Vec::new() })
    }

    /// Shows everything, and where the sandbox stays if it is `kept`. A step that came out otherwise than it should makes
    /// the report fail.
    pub fn run(mut self, kept: bool) -> Result<Report<Shown>, Failure> {
        let windows = self.world.machine.system() == System::Windows;
        let stock = self.world.machine.yard.join("stock");
        let ending = if windows { ".cmd" } else { "" };
        let program = |folder: &Path, name: &str| folder.join(format!("{name}{ending}"));
        let old = program(&self.world.old_bin, "tidelog");
        let new = program(&stock.join("tidelog").join(NEW).join("bin"), "tidelog");
        let sort = program(&stock.join("coastkit").join("1.8.0").join("bin"), "sort");

        self.say("The Brackwater Tide Office sets up a workstation. An old tidelog is on its PATH.")?;
        self.terminal("tidelog --version", &format!("tidelog {OLD}"))?;
        self.wyard(&["trace", "tidelog"])?;
        self.expect_winner("tidelog", &old)?;

        self.say("A new one was downloaded. It is checked, unpacked, registered, and proved.")?;
        self.wyard(&["receive", &self.world.archive.to_string_lossy(), "--sha256", &self.world.published])?;
        self.expect_winner("tidelog", &new)?;
        self.terminal("tidelog --version", &format!("tidelog {NEW}"))?;
        self.wyard(&["trace", "tidelog"])?;

        self.say("shoal is a bare program in a zip.")?;
        let shoal = self.world.download("shoal_2.0.3.zip").to_string_lossy().into_owned();
        match windows {
            // Without a seal it is not asked in the ways that some programs take for work.
            true => self.wyard(&["receive", &shoal, "--probe", "version"])?,
            false => self.wyard(&["receive", &shoal])?,
        };
        self.terminal("shoal version", "2.0.3")?;

        self.say("coastkit is a suite; one of its commands is called sort, as one of the system's is.")?;
        let coastkit = self.world.download("coastkit-1.8.0.zip").to_string_lossy().into_owned();
        if self.world.system_sort().is_some_and(|file| file.exists()) {
            self.say("Here the system's PATH comes before the user's: the check says who wins.")?;
            self.wyard_ends(&["receive", &coastkit], exit::VERDICT)?;
        } else {
            self.wyard(&["receive", &coastkit])?;
            self.expect_winner("sort", &sort)?;
        }
        self.wyard(&["trace", "sort", "--terminal", "new"])?;

        if !windows {
            self.say("buoyctl comes with an installer. It is run under watch, and what it leaves undone is finished.")?;
            self.wyard(&["receive", &self.world.download("buoyctl-2.4.run").to_string_lossy(), "--yes"])?;
            self.terminal("buoyctl --version", "buoyctl 2.4")?;
        }

        self.say("driftc is a compiler. A trial shows that it does its work: compile a few lines, run the result.")?;
        self.wyard(&["receive", &self.world.download("driftc-0.9.zip").to_string_lossy()])?;
        let source = self.world.download("tide.drift").to_string_lossy().into_owned();
        let result = if windows { "tide.cmd=42" } else { "tide.run=42" };
        let compiles = ["--title", "compile four lines", "--file", &source, "--run", "driftc tide.drift"];
        self.wyard(&[&["trial", "add", "driftc"], &compiles[..], &["--leaves-program", result]].concat())?;
        let day = self.world.download("day.csv").to_string_lossy().into_owned();
        let sums = ["--title", "summarise a day", "--file", &day, "--run", "tidelog summary day.csv"];
        let leaves = ["--prints", "2 readings", "--leaves", "day.summary"];
        self.wyard(&[&["trial", "add", "tidelog"], &sums[..], &leaves].concat())?;
        self.wyard(&["trial", "driftc"])?;
        self.wyard(&["trial", "tidelog"])?;

        self.say("Everything in the yard, and whether it works.")?;
        self.wyard(&["stock"])?;
        self.wyard(&["check", "tidelog", "shoal"])?;

        self.second_workstation()?;

        for wrong in &self.wrong {
            self.line(&format!("{} {wrong}", style::BAD.over("not as it should be:")))?;
        }
        let well = self.wrong.is_empty();
        self.say(if well { "Every step came out as it should." } else { "The demo failed." })?;
        if kept {
            let place = self.world.folder().display();
            self.line(&format!("The sandbox stays in {place}: play with wyard --sandbox {place} …"))?;
            if windows {
                let key = self.world.keys().of_scope(Scope::User);
                self.line(&format!("Its registry values are in {key}, and matter to nothing else."))?;
            }
        }
        let Self { world, calls, wrong, .. } = self;
        let folder = kept.then(|| world.folder().into());
        Ok(Report::new(Shown { folder, calls, wrong }).failed_if(!well))
    }

    fn second_workstation(&mut self) -> Result<(), Failure> {
        let waybill = self.world.waybill.to_string_lossy().into_owned();
        let other = if self.world.machine.system() == System::Windows { "linux" } else { "windows" };
        self.at_second = true;
        self.say(
            "The next workstation is empty. A waybill lists its five tools: one comes from the office's web server,",
        )?;
        self.line("one has settings to prepare, one is a class file that another one runs.")?;
        self.wyard(&["deliver", &waybill, "--dry-run"])?;
        self.wyard(&["deliver", &waybill])?;
        self.terminal("tidetable", "high water")?;
        self.wyard(&["deliver", &waybill, "--verify"])?;
        self.say(&format!("The same waybill serves a machine with {}.", os_name(other)))?;
        self.wyard(&["deliver", &waybill, "--dry-run", "--for", other])?;
        self.say("A snapshot records what a machine's terminals find. Where do the two workstations differ?")?;
        let [first, second] =
            ["first.json", "second.json"].map(|name| self.world.folder().join(name).to_string_lossy().into_owned());
        self.wyard(&["snapshot", "--into", &second])?;
        self.at_second = false;
        self.wyard(&["snapshot", "--into", &first])?;
        self.wyard_ends(&["compare", &first, &second], exit::VERDICT)?;
        self.say("The same as a page for a browser, with a map of each PATH.")?;
        let page = self.world.folder().join("workstations.html").to_string_lossy().into_owned();
        self.wyard(&["page", "--compare", &first, &second, "--into", &page])
    }

    fn machine(&self) -> &Machine {
        if self.at_second { &self.world.second } else { &self.world.machine }
    }

    fn line(&self, text: &str) -> Result<(), Failure> {
        if self.context.global.json {
            return Ok(());
        }
        let mut out = anstream::stdout();
        writeln!(out, "{text}").and_then(|()| out.flush()).map_err(|e| OutputError(e).into())
    }

    fn say(&self, text: &str) -> Result<(), Failure> {
        self.line(&format!("\n{}", style::STRONG.over(text)))
    }

    fn call(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(&self.program);
        let folder = self.machine().sandbox.as_deref().unwrap_or(self.world.folder());
        command.arg("--sandbox").arg(folder).args(arguments).env_remove("SHELL");
        // An administrator's terminal would be asked, of programs that come with this one.
        command.args((self.machine().system() == System::Windows).then_some("--unsealed"));
        // The web server is on this machine.
        command.env("NO_PROXY", "127.0.0.1").env("no_proxy", "127.0.0.1");
        if !self.at_second {
            command.env("PATH", self.world.old_path());
        }
        command.env_remove("WYARD_YARD");
        command
    }

    /// Shows a call of the program and its output; it has to end well.
    fn wyard(&mut self, arguments: &[&str]) -> Result<(), Failure> {
        self.wyard_ends(arguments, 0)
    }

    /// Shows a call of the program and its output; it has to end with this code.
    fn wyard_ends(&mut self, arguments: &[&str], code: u8) -> Result<(), Failure> {
        let quoted = |text: String| if text.contains(' ') { format!("\"{text}\"") } else { text };
        let shown: Vec<String> = arguments.iter().map(|a| quoted(self.short(a))).collect();
        self.line(&format!("\n{} wyard {}", style::DIM.over("$"), shown.join(" ")))?;
        // It writes where this program writes, and so sees for itself what "auto" means there.
        let color = match self.context.global.color {
            ColorWhen::Always => "always",
            ColorWhen::Never => "never",
            ColorWhen::Auto => "auto",
        };
        let output = if self.context.global.json { Stdio::piped() } else { Stdio::inherit() };
        let mut call = self.call(arguments);
        let call = call.args(["--color", color]).stdin(Stdio::null()).stdout(output).stderr(Stdio::inherit());
        let output = call.output().map_err(start)?;
        let status = output.status;
        if self.context.session.stop.requested() {
            return Err(Failure::new(exit::INTERRUPTED, "interrupted; the sandbox has been removed", None));
        }
        let arguments = arguments.iter().map(|argument| (*argument).to_owned()).collect();
        self.calls.push(DemoCall { arguments, exit_code: status.code() });
        if status.code() != Some(i32::from(code)) {
            let said = String::from_utf8_lossy(&output.stdout);
            let said: String = said.split_whitespace().collect::<Vec<_>>().join(" ").chars().take(MOST_SAID).collect();
            self.wrong.push(format!("wyard {} ended with {status} {said}", shown.join(" ")).trim_end().to_owned());
        }
        Ok(())
    }

    /// Shows a command typed into a fresh terminal of the sandbox's user, and what a shell answers.
    fn terminal(&mut self, line: &str, expected: &str) -> Result<(), Failure> {
        let shells = terminal::installed(self.machine(), &[Shell::Bash, Shell::Sh, Shell::Cmd]);
        let Some(shell) = shells.first() else {
            self.wrong.push("no shell was found for a fresh terminal".to_owned());
            return Ok(());
        };
        self.line(&format!("\n{} {line}   {}", style::DIM.over("$"), style::DIM.over("(in a fresh terminal)")))?;
        let output = Command::new(&shell.program)
            .args([if shell.shell == Shell::Cmd { "/c" } else { "-lc" }, line])
            .env_clear()
            .envs(&terminal::base_environments(self.machine()).swap_remove(0))
            .stdin(Stdio::null())
            .output()
            .map_err(start)?;
        let text = String::from_utf8_lossy(&output.stdout).trim_end().to_owned();
        self.line(&text)?;
        if !text.contains(expected) {
            self.wrong.push(format!("a fresh terminal answered \"{text}\" to {line}, not {expected}"));
        }
        Ok(())
    }

    /// Asks for the trace as JSON: in every new terminal of every caller the winner has to be this file.
    fn expect_winner(&mut self, name: &str, file: &Path) -> Result<(), Failure> {
        let output = self.call(&["trace", name, "--terminal", "new", "--json"]).output().map_err(start)?;
        let document: Value = serde_json::from_slice(&output.stdout).unwrap_or_default();
        let callers = document["commands"][0]["callers"].as_array().cloned().unwrap_or_default();
        let expected = file.to_string_lossy();
        // A program that starts another by its bare name finds no batch file; on Windows case is no difference.
        let right = |c: &Value| {
            c["caller"] == "createprocess" || c["winner"].as_str().is_some_and(|w| w.eq_ignore_ascii_case(&expected))
        };
        if callers.is_empty() || !callers.iter().all(right) {
            self.wrong.push(format!("{name} should be {expected} in every new terminal"));
        }
        Ok(())
    }

    /// Paths inside the sandbox without its long beginning.
    fn short(&self, text: &str) -> String {
        let inside = Path::new(text).strip_prefix(self.world.folder());
        inside.map_or_else(|_| text.to_owned(), |p| p.display().to_string())
    }
}

fn os_name(system: &str) -> &'static str {
    if system == "linux" { "Linux" } else { "Windows" }
}

fn start(error: io::Error) -> Failure {
    Failure::new(exit::MACHINE, format!("a step of the demo could not be started: {error}"), None)
}
