//! Findings gathered by the terminals they were made in.

use crate::finding::Finding;
use crate::resolve::Shell;
use crate::shells::StartMode;
use crate::terminal::Answer;

/// Findings with the terminals they were made in, so that the same thing is told once.
#[derive(Default)]
pub(super) struct ByTerminal(Vec<(Finding, Vec<(Shell, StartMode)>)>);

impl ByTerminal {
    pub fn add(&mut self, finding: Finding, answer: &Answer) {
        self.add_at(finding, (answer.shell, answer.mode));
    }

    fn add_at(&mut self, finding: Finding, place: (Shell, StartMode)) {
        match self.0.iter_mut().find(|(f, _)| *f == finding) {
            Some((_, places)) if places.contains(&place) => {}
            Some((_, places)) => places.push(place),
            None => self.0.push((finding, vec![place])),
        }
    }

    pub fn told(self) -> impl Iterator<Item = Finding> {
        self.told_unless_in(&[])
    }

    /// The same, without them where they are all of these.
    pub fn told_unless_in(self, everywhere: &[(Shell, StartMode)]) -> impl Iterator<Item = Finding> {
        let is_everywhere =
            move |places: &[_]| !everywhere.is_empty() && everywhere.iter().all(|place| places.contains(place));
        self.0.into_iter().map(move |(finding, places)| {
            if is_everywhere(&places) {
                return finding;
            }
            let seen = format!("{}: {}", finding.seen, describe_places(&places));
            Finding { seen, ..finding }
        })
    }
}

/// Terminals in words: a shell by its name alone where all its ways are meant.
fn describe_places(places: &[(Shell, StartMode)]) -> String {
    let of_shell = |same: &[(Shell, StartMode)]| {
        let shell = same[0].0;
        let modes: Vec<&str> = same.iter().map(|(_, mode)| mode.name()).collect();
        if modes.len() == StartMode::of(shell).len() {
            return shell.name().to_owned();
        }
        format!("{} ({})", shell.name(), modes.join(", "))
    };
    places.chunk_by(|a, b| a.0 == b.0).map(of_shell).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::Code;

    #[test]
    fn the_same_finding_is_told_once_with_all_its_terminals() {
        let mut placed = ByTerminal::default();
        let (bash, zsh) = (Shell::Bash, Shell::Zsh);
        for (seen, place) in
            [("x", (bash, StartMode::Login)), ("x", (bash, StartMode::Login)), ("y", (zsh, StartMode::Login))]
        {
            placed.add_at(Finding::new(Code::NotFound, seen), place);
        }
        for mode in StartMode::ALL {
            placed.add_at(Finding::new(Code::NotFound, "x"), (zsh, mode));
        }
        let all: Vec<_> = StartMode::ALL.map(|mode| (bash, mode)).to_vec();
        for (mode, expected) in [(&all[..1], "x: bash (login)"), (&all[..], "x")] {
            let mut placed = ByTerminal::default();
            mode.iter().for_each(|place| placed.add_at(Finding::new(Code::NotFound, "x"), *place));
            assert_eq!(placed.told_unless_in(&all).map(|f| f.seen).collect::<Vec<_>>(), [expected]);
        }
        let seen: Vec<_> = placed.told().map(|f| f.seen).collect();
        assert_eq!(seen, ["x: bash (login), zsh", "y: zsh (login)"]);
    }
}
