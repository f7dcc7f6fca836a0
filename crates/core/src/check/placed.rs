//! Findings with the terminals they were made in.

use crate::finding::Finding;
use crate::resolve::Shell;
use crate::terminal::{Answer, Way};

/// Findings with the terminals they were made in, so that the same thing is told once.
#[derive(Default)]
pub(super) struct Placed(Vec<(Finding, Vec<(Shell, Way)>)>);

impl Placed {
    pub fn add(&mut self, finding: Finding, answer: &Answer) {
        self.add_at(finding, (answer.shell, answer.way));
    }

    fn add_at(&mut self, finding: Finding, place: (Shell, Way)) {
        match self.0.iter_mut().find(|(f, _)| *f == finding) {
            Some((_, places)) if places.contains(&place) => {}
            Some((_, places)) => places.push(place),
            None => self.0.push((finding, vec![place])),
        }
    }

    pub fn told(self) -> impl Iterator<Item = Finding> {
        self.0.into_iter().map(|(finding, places)| {
            let seen = format!("{}: {}", finding.seen, words(&places));
            Finding { seen, ..finding }
        })
    }
}

/// Terminals in words: a shell by its name alone where all its ways are meant.
fn words(places: &[(Shell, Way)]) -> String {
    let of_shell = |same: &[(Shell, Way)]| {
        let shell = same[0].0;
        let ways: Vec<&str> = same.iter().map(|(_, way)| way.name()).collect();
        if ways.len() == Way::of(shell).len() {
            return shell.name().to_owned();
        }
        format!("{} ({})", shell.name(), ways.join(", "))
    };
    places.chunk_by(|a, b| a.0 == b.0).map(of_shell).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::Code;

    #[test]
    fn the_same_finding_is_told_once_with_all_its_terminals() {
        let mut placed = Placed::default();
        let (bash, zsh) = (Shell::Bash, Shell::Zsh);
        for (seen, place) in [("x", (bash, Way::Login)), ("x", (bash, Way::Login)), ("y", (zsh, Way::Login))] {
            placed.add_at(Finding::new(Code::NotFound, seen), place);
        }
        for way in Way::ALL {
            placed.add_at(Finding::new(Code::NotFound, "x"), (zsh, way));
        }
        let seen: Vec<_> = placed.told().map(|f| f.seen).collect();
        assert_eq!(seen, ["x: bash (login), zsh", "y: zsh (login)"]);
    }
}
