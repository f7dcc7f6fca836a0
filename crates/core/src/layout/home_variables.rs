//! Which variables point to a tool's home.

use crate::naming::{NameError, ToolName, Variable};

#[derive(Debug, Clone, Default)]
pub enum HomeVariables {
    /// `NAME_HOME`.
    #[default]
    Usual,
    /// None.
    None,
    These(Vec<Variable>),
}

impl HomeVariables {
    pub fn of(&self, name: &ToolName) -> Result<Vec<Variable>, NameError> {
        Ok(match self {
            Self::Usual => vec![name.home_variable()?],
            Self::None => Vec::new(),
            Self::These(given) => {
                given.iter().try_for_each(Variable::check_free)?;
                given.clone()
            }
        })
    }
}
