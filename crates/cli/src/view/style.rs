//! Colours by meaning.

use std::fmt;

use anstyle::{AnsiColor, Style};

/// A style with a meaning.
#[derive(Debug, Clone, Copy)]
pub struct Meant(Style);

/// What works.
pub const GOOD: Meant = Meant(AnsiColor::Green.on_default());
/// What does not.
pub const BAD: Meant = Meant(AnsiColor::Red.on_default().bold());
/// What may surprise.
pub const CAUTION: Meant = Meant(AnsiColor::Yellow.on_default());
/// What matters most on a page.
pub const STRONG: Meant = Meant(Style::new().bold());
/// What is only there to orient.
pub const DIM: Meant = Meant(Style::new().dimmed());

impl Meant {
    /// The text in this style.
    #[must_use]
    pub fn over(self, text: &str) -> String {
        format!("{}{text}{}", self.0, self.0.render_reset())
    }

    /// Ends the style.
    #[must_use]
    pub fn render_reset(self) -> impl fmt::Display {
        self.0.render_reset()
    }
}

impl fmt::Display for Meant {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// How many columns of a terminal a text takes, styles not counted.
#[must_use]
pub fn columns(text: &str) -> usize {
    anstream::adapter::strip_str(text).map(unicode_width::UnicodeWidthStr::width).sum()
}
