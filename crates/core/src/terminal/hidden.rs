//! Lines of startup files that depend on what a seal does not show as it is: the machine's processes, and sockets that somebody
//! listens at.

use super::startup_texts::StartupText;
use crate::change::BLOCK_ENDS;
use crate::process::SealLevel;

/// Words by which a line looks for a process.
const PROCESSES: [&str; 6] = ["kill -0 ", "pgrep ", "pidof ", "/proc/", "ps -", "ps a"];

/// Words by which a line looks for somebody at a socket.
const SOCKETS: [&str; 9] =
    ["-S ", "/dev/tcp/", "nc -", "socat ", "ssh-add", "tmux ", "systemctl ", "dbus-send ", "gpg-connect-agent"];

/// Words by which a line changes what commands mean.
const CHANGES: [&str; 7] = ["PATH", "path=", "path+=", "fish_add_path", "alias ", "hash ", "source "];

/// The first line behind our block that changes what commands mean under a condition that the seal of this level does not show
/// truly, in words.
pub(super) fn condition(texts: &[StartupText], level: SealLevel) -> Option<String> {
    texts.iter().find_map(|StartupText { file, text }| {
        let behind = text.lines().position(|line| line.starts_with(BLOCK_ENDS)).map_or(0, |at| at + 1);
        let lines: Vec<&str> = text.lines().collect();
        let is_hidden = |line: &str| {
            let has = |words: &[&str]| words.iter().any(|word| line.contains(word));
            // Its own process is there.
            let process =
                level == SealLevel::Full && has(&PROCESSES) && !line.contains("$$") && !line.contains("fish_pid");
            process || has(&SOCKETS)
        };
        let changes = |at: usize| {
            let is_block = ["if ", "case ", "while "].iter().any(|word| lines[at].trim_start().starts_with(word));
            let reach = if is_block { 6 } else { 1 };
            lines[at..].iter().take(reach).any(|line| CHANGES.iter().any(|word| line.contains(word)))
        };
        let conditional =
            |line: &str| ["&&", "||", "if ", "; and", "; or", "case ", "while "].iter().any(|word| line.contains(word));
        let at = (behind..lines.len()).find(|at| {
            let line = lines[*at].trim_start();
            !line.starts_with('#') && is_hidden(line) && conditional(line) && changes(*at)
        })?;
        Some(format!("line {} of {} depends on processes or sockets, which a seal hides", at + 1, file.display()))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn conditions_that_a_seal_hides_are_found() {
        for (text, level, expected) in [
            ("kill -0 4711 && PATH=/old:$PATH\n", SealLevel::Full, Some(1)),
            ("kill -0 4711 && PATH=/old:$PATH\n", SealLevel::SharedProcesses, None),
            ("if pgrep -u me tided; then\n  PATH=/old:$PATH\nfi\n", SealLevel::Full, Some(1)),
            ("kill -0 $$ && PATH=/old:$PATH\n", SealLevel::Full, None),
            ("[ -S /run/tide ] && alias tidelog=x\n", SealLevel::SharedProcesses, Some(1)),
            ("[ -S /run/tide ] && echo tide\n", SealLevel::Full, None),
            ("# [ -S /run/tide ] && PATH=/old\n", SealLevel::Full, None),
            ("[ -S /run/tide ] && PATH=/old\n# Wagon Yard: begin\n# Wagon Yard: end\nls\n", SealLevel::Full, None),
            ("# Wagon Yard: begin\n# Wagon Yard: end\n[ -S /run/tide ] && PATH=/old\n", SealLevel::Full, Some(3)),
        ] {
            let texts = [StartupText { file: "/h/rc".into(), text: text.to_owned() }];
            let line = expected
                .map(|line| format!("line {line} of /h/rc depends on processes or sockets, which a seal hides"));
            assert_eq!(condition(&texts, level), line, "{text}");
        }
    }
}
