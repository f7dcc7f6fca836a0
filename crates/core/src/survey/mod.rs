//! The survey: the health of the whole PATH, and of what the yard holds in it.

mod entries;
mod pairs;
mod records;
mod report;
mod shadowing;
mod variables;
mod whole_path;

pub use report::{EntrySurvey, ScopeSurvey, SurveyedPath, all_findings};
pub use whole_path::{survey, survey_answers, variable_names};
