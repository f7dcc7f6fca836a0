//! What is found out about one command: what it means in every new terminal, and what it does when it is started there.

use std::path::{Path, PathBuf};

use super::evidence::{Advice, CommandEvidence, Evidence, Role, VersionRule};
use super::judge::judge;
use super::predicted::Predicted;
use super::probe::{self, Target};
use super::prober::Prober;
use super::report::{CallerResult, CommandCheck, Requirement, RequirementKind};
use super::shown::Shown;
use super::typed::{self, LaunchContext};
use super::{evidence::Started, starting};
use crate::environment::host_system;
use crate::layout::Command;
use crate::process::{self, SealLevel};
use crate::report::{ReportPath, Verdict};
use crate::resolve::{Caller, Kind, ListedDisk, same_file};
use crate::shells::TerminalKind;
use crate::start_policy::Whose;
use crate::terminal::{Answer, ShellReply};
use crate::yard::{Answers, Card, CardProbe, Stock, Yard};

pub(super) struct Subject {
    pub name: String,
    /// The file that should run; `None` where it may be any.
    pub file: Option<PathBuf>,
    owner: Owner,
}

enum Owner {
    Tool {
        tool: String,
        version: String,
        probe: Option<CardProbe>,
        remembered: Option<Vec<String>>,
        /// The files that a launcher of this name starts.
        launched: Vec<PathBuf>,
        /// Whether anything but its own name speaks for it.
        is_vouched: bool,
        /// Whether the user has just said that it may be started as it is.
        is_agreed: bool,
    },
    /// Somebody else: nothing is known of it, so that only harmless things are tried.
    Stranger,
    /// Somebody else, of whom a tool needs it.
    Required { by: String, of_yard: Vec<Subject> },
}

impl Subject {
    pub fn of(home: &Path, card: &Card, answers: &Answers, is_agreed: bool) -> Vec<Self> {
        let is_vouched = is_vouched(card, answers);
        let subject = |command: &Command| Self {
            name: command.name.clone(),
            file: Some(home.join(&command.path)),
            owner: Owner::Tool {
                tool: card.name.to_string(),
                version: card.version.to_string(),
                probe: card.probe.clone(),
                remembered: answers.of(&card.name, &card.version, &command.name).cloned(),
                launched: card
                    .launchers
                    .iter()
                    .filter(|launcher| launcher.command == command.name)
                    .flat_map(|launcher| launcher.files().map(|file| home.join(file)))
                    .collect(),
                is_vouched,
                is_agreed,
            },
        };
        card.commands.iter().map(subject).collect()
    }

    /// What a tool requires; it may be of another tool in the yard.
    pub fn required(card: &Card, yard: &Yard, stock: &Stock) -> Vec<Self> {
        let answers = yard.answers();
        let subject = |name: &String| {
            let has_it = |card: &&Card| card.commands.iter().any(|command| command.name == *name);
            let tools = stock.iter().filter(has_it);
            let commands = tools.flat_map(|card| Self::of(&yard.home_of(card), card, &answers, false));
            let of_yard = commands.filter(|subject| subject.name == *name).collect();
            Self { name: name.clone(), file: None, owner: Owner::Required { by: card.name.to_string(), of_yard } }
        };
        card.requires.commands.iter().map(subject).collect()
    }

    /// A command that is not the yard's.
    pub fn stranger(name: String, file: PathBuf) -> Self {
        Self { name, file: Some(file), owner: Owner::Stranger }
    }

    fn role(&self) -> Role<'_> {
        match &self.owner {
            Owner::Tool { tool, version, .. } => Role::Own { tool, version },
            Owner::Stranger => Role::Stranger,
            Owner::Required { by, .. } => Role::Required { by },
        }
    }

    /// Looks at what it means in every new terminal, and starts it as each would. `leads` says of which answers, by their
    /// place, the name was typed and led to it in the end.
    pub fn look<'a>(
        &'a self,
        answers: &'a [Answer],
        leads: &dyn Fn(usize) -> bool,
        prober: Option<&Prober<'_>>,
        disk: &ListedDisk,
        advice: &'a Advice,
    ) -> std::io::Result<CommandEvidence<'a>> {
        let mut evidence = CommandEvidence {
            name: &self.name,
            role: self.role(),
            file: self.file.as_deref(),
            hindrance: self.file.as_deref().and_then(starting::cannot_execute),
            terminals: Vec::new(),
            starts: Vec::new(),
            seal: prober.map_or(SealLevel::None, Prober::seal),
            version_rule: VersionRule::Held,
            advice,
        };
        let predicted = Predicted::new(&self.name, disk);
        for (at, answer) in answers.iter().enumerate().filter(|(_, answer)| self.is_about(answer)) {
            evidence.add(answer, leads(at), |said| predicted.candidates(answer.shell, said));
        }
        let Some(prober) = prober else { return Ok(evidence) };
        let ways = typed::distinct_launches(&evidence.terminals, evidence.winner().or(self.file.as_deref()));
        let system = host_system();
        let shown =
            process::side_by_side(&ways, 4, |way| self.probe(way, evidence.is_ours(&way.program, system), prober));
        for (way, shown) in ways.into_iter().zip(shown) {
            evidence.starts.push(Started { program: way.program, shown: shown?, terminals: way.terminals });
        }
        Ok(evidence)
    }

    /// Whether what it means in a terminal counts: a stranger's command is one only where its folder is in PATH.
    fn is_about(&self, answer: &Answer) -> bool {
        let (Owner::Stranger, Some(file), Ok(said)) = (&self.owner, &self.file, &answer.said) else { return true };
        said.context
            .folders()
            .iter()
            .any(|folder| file.file_name().is_some_and(|name| same_file(&folder.join(name), file)))
    }

    /// Asks a program for its version: in the way that its card says, else in the one that worked before, else in the
    /// usual ones. What only goes by the same name is nobody's.
    fn probe(&self, way: &LaunchContext<'_>, is_ours: bool, prober: &Prober<'_>) -> std::io::Result<Shown> {
        if let Owner::Required { of_yard, .. } = &self.owner {
            let is_it = |file: &PathBuf| same_file(file, &way.program);
            if let Some(own) = of_yard.iter().find(|subject| subject.file.as_ref().is_some_and(is_it)) {
                return own.probe(way, true, prober);
            }
        }
        let mut target = Target::stranger(&way.program, &self.name, prober);
        let Owner::Tool { tool, version, probe, remembered, launched, is_vouched, is_agreed } = &self.owner else {
            return probe::probe(&target, way.place(), prober);
        };
        if !is_ours {
            return probe::probe(&target, way.place(), prober);
        }
        target.names = [&self.name, tool];
        target.reads = launched;
        target.expected = Some(version);
        target.expects = probe.as_ref().and_then(|probe| probe.expect.as_deref());
        target.status = probe.as_ref().and_then(|probe| probe.status);
        let forms = match prober.for_tool(*is_vouched, *is_agreed).forms(Whose::Tool) {
            Ok(forms) => forms,
            Err(why) => {
                target.forms = Err(why);
                return probe::probe(&target, way.place(), prober);
            }
        };
        let set = probe.as_ref().and_then(|probe| probe.arguments.as_deref()).map(words);
        let first = remembered.as_deref().map(words).filter(|first| forms.contains(&first.as_slice()));
        target.is_told = set.is_some();
        let all: Vec<&[&str]> = match (&set, &first) {
            (Some(set), _) => vec![set],
            (None, Some(first)) => {
                std::iter::once(&**first).chain(forms.iter().copied().filter(|form| form != first)).collect()
            }
            (None, None) => forms.to_vec(),
        };
        target.forms = Ok(&all);
        probe::probe(&target, way.place(), prober)
    }

    /// Whether the name has to be typed to see what it leads to: an alias or function of the shell answers, and a search
    /// through PATH would find this file; or keys change what is typed.
    pub fn is_to_be_typed(&self, said: &ShellReply) -> bool {
        let Some(own) = &self.file else { return false };
        let meaning = said.meaning(&self.name);
        let is_ours = meaning.file.as_ref().is_some_and(|file| same_file(file, own));
        let is_hidden = matches!(meaning.kind, Kind::Alias | Kind::Function);
        is_ours && (is_hidden || said.watch.rewrites)
    }
}

/// Whether a checksum speaks for a tool, or that it was started before. An archive is told from a page or a stranger's program by
/// what is in it; a bare program by nothing.
pub(super) fn is_vouched(card: &Card, answers: &Answers) -> bool {
    let was_started = |command: &Command| answers.of(&card.name, &card.version, &command.name).is_some();
    !card.is_bare_program() || card.source.compared || card.commands.iter().any(was_started)
}

fn words(form: &[String]) -> Vec<&str> {
    form.iter().map(String::as_str).collect()
}

impl CommandEvidence<'_> {
    pub fn check(&self) -> CommandCheck {
        let findings = judge(&Evidence::Command(self));
        // What another copy says of itself is shown as well.
        let form = self.starts.iter().find_map(|started| started.shown.form.clone());
        CommandCheck {
            name: self.name.to_owned(),
            verdict: Verdict::worst(&findings),
            answered_version: self.stated().next().map(str::to_owned),
            version_is_read: self.is_read(),
            seal: self.starts.iter().any(|started| started.shown.was_started()).then_some(self.seal),
            winner: self.winner().map(ReportPath::from),
            caller_results: self.caller_results(),
            findings,
            form,
        }
    }

    /// The requirement that this comes to, with what is to be told of it.
    pub fn requirement(&self) -> (Requirement, Vec<crate::finding::Finding>) {
        let findings = judge(&Evidence::Command(self));
        let (kind, name) = (RequirementKind::Command, self.name.to_owned());
        let verdict = Verdict::worst(&findings);
        (Requirement { kind, name, verdict, is: self.winner().map(ReportPath::from) }, findings)
    }

    /// Terminal by terminal: what was said first, unless another file ran later.
    fn caller_results(&self) -> Vec<CallerResult> {
        let firsts = self.terminals.iter().filter(|seen| seen.when.is_none());
        let result = |first: &super::evidence::AtTerminal<'_>| {
            let answer = first.answer;
            let of_this = || self.terminals.iter().filter(|seen| std::ptr::eq(seen.answer, answer));
            let told = of_this().find(|seen| !seen.ours).unwrap_or(first);
            CallerResult {
                caller: Caller::from(answer.shell),
                mode: answer.mode,
                terminal: TerminalKind::New,
                proved: answer.said.is_ok() && answer.doubt.is_none(),
                winner: told.runs.clone().map(ReportPath::from),
                kind: told.said.map_or(Kind::None, |said| said.meaning(self.name).kind),
                ours: told.ours,
                seal: answer.seal,
                milliseconds: u64::try_from(answer.took.as_millis()).unwrap_or(u64::MAX),
            }
        };
        firsts.map(result).collect()
    }
}
