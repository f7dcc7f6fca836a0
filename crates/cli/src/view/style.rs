//! Colours by meaning. Each is legible on white and on black; none is the only sign.

use std::fmt;

use anstyle::Ansi256Color;

#[derive(Debug, Clone, Copy)]
pub struct Style(anstyle::Style);

/// What works.
pub const GOOD: Style = Style(Ansi256Color(29).on_default());
/// What does not.
pub const BAD: Style = Style(Ansi256Color(163).on_default().bold());
/// What may surprise.
pub const CAUTION: Style = Style(Ansi256Color(131).on_default());
/// What matters most on a page.
pub const STRONG: Style = Style(anstyle::Style::new().bold());
/// What is only there to orient.
pub const DIM: Style = Style(Ansi256Color(243).on_default());

impl Style {
    pub fn over(self, text: &str) -> String {
        format!("{}{text}{}", self.0, self.0.render_reset())
    }

    pub fn render_reset(self) -> impl fmt::Display {
        self.0.render_reset()
    }
}

impl fmt::Display for Style {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// How many columns of a terminal a text takes, styles not counted.
pub fn columns(text: &str) -> usize {
    anstream::adapter::strip_str(text).map(unicode_width::UnicodeWidthStr::width).sum()
}

#[cfg(test)]
mod tests {
    use anstyle::Color;

    use super::*;

    /// The colour of a place in the cube or the ramp of 256 (xterm, `ctlseqs`, "256 colors").
    fn rgb(index: u8) -> [f64; 3] {
        const LEVELS: [f64; 6] = [0.0, 95.0, 135.0, 175.0, 215.0, 255.0];
        let at = usize::from(index) - 16;
        match index {
            232.. => [8.0 + 10.0 * f64::from(index - 232); 3],
            _ => [at / 36, at / 6 % 6, at % 6].map(|level| LEVELS[level]),
        }
    }

    #[test]
    fn every_colour_is_legible_on_white_and_on_black() {
        for style in [GOOD, BAD, CAUTION, DIM] {
            let Some(Color::Ansi256(colour)) = style.0.get_fg_color() else { panic!("a colour of a theme") };
            // Web Content Accessibility Guidelines 2.1, "relative luminance" and "contrast ratio".
            let parts = rgb(colour.0).map(|part| {
                let part = part / 255.0;
                if part <= 0.039_28 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
            });
            let luminance = 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2];
            let (white, black) = (1.05 / (luminance + 0.05), (luminance + 0.05) / 0.05);
            assert!(white >= 4.5 && black >= 4.5, "{}: {white:.2} {black:.2}", colour.0);
        }
    }
}
