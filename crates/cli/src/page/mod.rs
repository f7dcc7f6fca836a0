//! A page for a browser, in one file that fetches nothing. What comes from a machine is text on it or the value of an
//! attribute, never markup, script or style.

mod differences;
mod facts;
mod map;

use maud::{DOCTYPE, Markup, PreEscaped, html};
use wagon_yard_core::clock;
use wagon_yard_core::jobs::compare::Compared;
use wagon_yard_core::jobs::page::{MARK, PageContent, PageMachine};
use wagon_yard_core::system::System;

use crate::view::escape;

const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// The SHA-256 of [`STYLE`] and [`SCRIPT`] in base 64, as Content Security Policy Level 3, 2.3.1, writes them: nothing else
/// is applied or run.
const STYLE_HASH: &str = "kp9aBEulrLrrN6bccdSZ+JSqErQzq03trYt2bozLTzo=";
const SCRIPT_HASH: &str = "8SdBB7fY6Myi29meE0GWFc/jYqrHTlPPouOg99lTZs0=";

pub fn document(content: &PageContent) -> String {
    let policy = format!(
        "default-src 'none'; style-src 'sha256-{STYLE_HASH}'; script-src 'sha256-{SCRIPT_HASH}'; base-uri 'none'; \
         form-action 'none'"
    );
    let title = title(content);
    let is_windows = content.machines.iter().any(|machine| machine.snapshot.family() == System::Windows);
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta http-equiv="Content-Security-Policy" content=(policy);
                (PreEscaped(MARK))
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (title) }
                style { (PreEscaped(STYLE)) }
            }
            body data-system=(if is_windows { "windows" } else { "unix" }) {
                header {
                    h1 { (title) }
                    @for machine in &content.machines { (subtitle(machine, content.machines.len() > 1)) }
                    (contents(content))
                }
                main {
                    @if let Some(compared) = &content.compared { (differences::section(compared)) }
                    (map::section(content))
                    @for machine in &content.machines {
                        (facts::sections(machine, content.machines.len() > 1))
                    }
                }
                footer { "Made by Wagon Yard. This page loads nothing from the network and can be sent as a file." }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    page.into_string()
}

fn title(content: &PageContent) -> String {
    let names: Vec<String> = content.machines.iter().map(|machine| escape(&machine.name)).collect();
    match &content.compared {
        None => format!("PATH of {}", names.join("")),
        Some(Compared::Two(_)) => format!("{} compared", names.join(" and ")),
        Some(Compared::Many(fleet)) => format!("{} machines compared with {}", fleet.machines, escape(&fleet.base)),
    }
}

fn subtitle(machine: &PageMachine, is_named: bool) -> Markup {
    let snapshot = &machine.snapshot;
    let system = snapshot.machine.as_ref().and_then(|facts| facts.system_name.as_deref()).unwrap_or(&snapshot.system);
    html! {
        p.dim {
            @if is_named { (escape(&machine.name)) ": " }
            (escape(system)) ", " (escape(&snapshot.processor)) ", recorded " (escape(&clock::to_the_minute(&snapshot.taken)))
        }
    }
}

fn contents(content: &PageContent) -> Markup {
    let is_one = content.machines.len() == 1;
    html! {
        nav aria-label="Sections" {
            ul {
                @if content.compared.is_some() { li { a href="#differences" { "Differences" } } }
                li { a href="#map" { "Map of PATH" } }
                li { a href="#commands" { "Commands" } }
                @if is_one {
                    li { a href="#findings" { "Findings" } }
                    li { a href="#tools" { "Tools" } }
                    li { a href="#stores" { "Where PATH is set" } }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use wagon_yard_core::checksum::{Algorithm, compute};
    use wagon_yard_core::progress::Stop;

    use super::*;

    /// RFC 4648, section 4.
    fn base64(bytes: &[u8]) -> String {
        const DIGITS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
        let mut text = String::new();
        for chunk in bytes.chunks(3) {
            let bits = chunk.iter().fold(0_u32, |bits, byte| bits << 8 | u32::from(*byte)) << (8 * (3 - chunk.len()));
            for at in 0..4 {
                let digit = DIGITS[(bits >> (18 - 6 * at) & 63) as usize];
                text.push(if at <= chunk.len() { char::from(digit) } else { '=' });
            }
        }
        text
    }

    #[test]
    fn the_policy_allows_this_style_and_script_only() {
        for (text, hash) in [(STYLE, STYLE_HASH), (SCRIPT, SCRIPT_HASH)] {
            let sums = compute(&[Algorithm::Sha256], text.as_bytes(), &Stop::default()).unwrap();
            let bytes: Vec<u8> =
                (0..32).map(|at| u8::from_str_radix(&sums[0].value[2 * at..2 * at + 2], 16).unwrap()).collect();
            assert_eq!(hash, base64(&bytes), "write this hash into page/mod.rs");
            // What would end the element early, or is data of a machine, is not in it.
            assert!(!text.contains("</"), "it would end the element");
        }
    }
}
