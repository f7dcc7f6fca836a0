//! How long a terminal is left alone before it is asked again.

use std::time::Duration;

use super::startup_texts::StartupText;

/// How long a terminal is left alone before it is asked again, where something may come later.
const IDLE: Duration = Duration::from_secs(5);

/// The longest that is waited for something that a startup file has announced.
const LONGEST_IDLE: Duration = Duration::from_secs(20);

/// How long a terminal is left alone before it is asked again, by what startup files say of timers and sleeps; `None` where
/// that is longer than anybody waits.
pub(super) fn idle(texts: &[StartupText]) -> Option<Duration> {
    let code = texts.iter().flat_map(|text| text.text.lines()).filter(|line| !line.trim_start().starts_with('#'));
    let after = |line: &str, word: &str| -> Vec<String> {
        line.match_indices(word)
            .map(|(at, _)| {
                line[at + word.len()..].split([' ', ';', '&', ')', '"', '\'']).next().unwrap_or_default().to_owned()
            })
            .collect()
    };
    let mut longest = IDLE;
    for line in code {
        for number in after(line, "sleep ").into_iter().chain(after(line, "sched +")) {
            // "HH:MM", "$VARIABLE", "1h"
            let Ok(seconds) = number.parse::<f64>() else { return None };
            longest = longest.max(Duration::try_from_secs_f64(seconds + 2.0).ok()?);
        }
    }
    (longest <= LONGEST_IDLE).then_some(longest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_announced_is_waited_for() {
        let of = |text: &str| {
            idle(&[StartupText { file: "/h/rc".into(), text: text.to_owned() }]).map(|idle| idle.as_secs())
        };
        let cases =
            [("", Some(5)), ("# sleep 100", Some(5)), ("(sleep 8; kill -USR1 $$) &", Some(10)), ("sched +60 x", None)];
        for (text, expected) in [&cases[..], &[("sched 12:00 x", Some(5)), ("sleep $N", None)]].concat() {
            assert_eq!(of(text), expected, "{text}");
        }
    }
}
