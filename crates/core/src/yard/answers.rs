//! How commands were last seen to state their version. That is learned and no record: losing it costs time, and nothing
//! else, so that the ledger knows nothing of it.

use std::collections::BTreeMap;
use std::io::Write as _;
use std::path::Path;

use serde::{Deserialize, Serialize};

use super::error::{FORMAT, YardError};
use super::lock::YardLock;
use super::place::{Yard, read_record};
use crate::error::FileContext as _;
use crate::naming::{ToolName, Version};
use crate::os;

/// The arguments with which commands have stated their version: by `NAME@VERSION`, then by command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answers {
    format: u32,
    #[serde(default)]
    tools: BTreeMap<String, BTreeMap<String, Vec<String>>>,
}

impl Default for Answers {
    fn default() -> Self {
        Self { format: FORMAT, tools: BTreeMap::new() }
    }
}

impl Answers {
    pub fn of(&self, name: &ToolName, version: &Version, command: &str) -> Option<&Vec<String>> {
        self.tools.get(&format!("{name}@{version}"))?.get(command)
    }

    /// Notes those with which a command did; `true` where that is news.
    pub fn learn(&mut self, name: &ToolName, version: &Version, command: &str, arguments: &[String]) -> bool {
        let of_tool = self.tools.entry(format!("{name}@{version}")).or_default();
        of_tool.insert(command.to_owned(), arguments.to_vec()).is_none_or(|before| before != arguments)
    }

    /// Forgets the tools of which `is_there` says no.
    pub fn retain(&mut self, is_there: impl Fn(&str) -> bool) {
        self.tools.retain(|tool, _| is_there(tool));
    }
}

impl Yard {
    /// What was learned; nothing where it cannot be read, or was written by a later version of this program.
    pub fn answers(&self) -> Answers {
        let file = self.root().join("answers.toml");
        let read: Option<Answers> = read_record(&file).unwrap_or_else(|error| {
            tracing::info!(%error, "how the commands answered is learned anew");
            None
        });
        read.filter(|answers| answers.format == FORMAT).unwrap_or_default()
    }
}

impl YardLock {
    pub fn keep_answers(&self, answers: &Answers) -> Result<(), YardError> {
        let text = toml::to_string_pretty(answers).map_err(YardError::Write)?;
        self.keep_file(&self.yard().root().join("answers.toml"), text.as_bytes())
    }

    /// Keeps something that can be learned again, and so needs no record in the ledger: replaces a file of the yard at once.
    pub fn keep_file(&self, target: &Path, content: &[u8]) -> Result<(), YardError> {
        let staging = self.yard().staging();
        os::make_folders(&staging).at("make the folder", &staging)?;
        // Whoever is killed in between leaves it where the next one clears up.
        let mut temporary = tempfile::NamedTempFile::new_in(&staging).at("make a file in", &staging)?;
        temporary.write_all(content).at("write a file in", &staging)?;
        os::set_mode(temporary.as_file(), 0o644).at("set the rights of", target)?;
        temporary.as_file().sync_all().at("flush", target)?;
        temporary.persist(target).map_err(|e| e.error).at("replace", target)?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_learned_is_news_once() {
        let (name, version) = ("tidelog".parse().unwrap(), "4.2.1".parse().unwrap());
        let mut answers = Answers::default();
        let form = ["--version".to_owned()];
        assert!(answers.learn(&name, &version, "tidelog", &form));
        assert!(!answers.learn(&name, &version, "tidelog", &form));
        assert_eq!(answers.of(&name, &version, "tidelog"), Some(&form.to_vec()));
        let text = toml::to_string_pretty(&answers).unwrap();
        assert_eq!(toml::from_str::<Answers>(&text).unwrap(), answers);
        answers.retain(|tool| tool != "tidelog@4.2.1");
        assert_eq!(answers, Answers::default());
    }
}
