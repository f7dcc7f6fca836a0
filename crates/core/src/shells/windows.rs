//! `cmd` and the two PowerShells. They read no file of ours: the registry gives them their PATH.

use super::rules::CatchUpRules;

pub const CMD: CatchUpRules = CatchUpRules {
    unset: |name| format!("set \"{name}=\""),
    set: |name, text| (!text.contains('"')).then(|| format!("set \"{name}={text}\"")),
    forget: None,
    call: "for /f \"delims=\" %i in ('wyard catch-up cmd') do @%i",
};

pub const POWERSHELL: CatchUpRules = CatchUpRules {
    unset: |name| format!("Remove-Item Env:{name}"),
    set: |name, text| Some(format!("$env:{name} = {}", in_powershell(text))),
    forget: None,
    call: "wyard catch-up powershell | Out-String | Invoke-Expression",
};

pub const PWSH: CatchUpRules =
    CatchUpRules { call: "wyard catch-up pwsh | Out-String | Invoke-Expression", ..POWERSHELL };

/// A text as PowerShell writes it: in single quotes, whose doubles stand for one, whatever quote of Unicode they are
/// ("about_Quoting_Rules"). What is not ASCII is written by its numbers, so that no code page on the way can spoil it.
fn in_powershell(text: &str) -> String {
    let mut quoted = String::from("'");
    for c in text.chars() {
        match c {
            '\'' => quoted.push_str("''"),
            c if c.is_ascii() => quoted.push(c),
            c => {
                let units = &mut [0; 2];
                let units: Vec<String> =
                    c.encode_utf16(units).iter().map(|unit| format!("[char]0x{unit:04x}")).collect();
                quoted.push_str(&format!("' + {} + '", units.join(" + ")));
            }
        }
    }
    quoted.push('\'');
    quoted
}
