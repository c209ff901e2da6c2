//! What is wrong with a command line, in the one style of all errors: what the parser found comes in, what is wrong and what
//! to type instead go out.

use crate::shared::failure::Failure;
use clap::error::{ContextKind, ContextValue, ErrorKind};

/// The parser's error as ours; help and version are printed as they are.
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
pub fn failure(error: &clap::Error) -> Option<Failure> {
    if matches!(
        error.kind(),
        ErrorKind::DisplayHelp
            | ErrorKind::DisplayVersion
            | ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand
    ) {
        return None;
    }
    let text = |kind| error.get(kind).map(said).unwrap_or_default();
    let (option, value) = (text(ContextKind::InvalidArg), text(ContextKind::InvalidValue));
    let known = text(ContextKind::ValidValue);
    let what = match error.kind() {
        ErrorKind::InvalidSubcommand => {
            format!("there is no command `{}`", text(ContextKind::InvalidSubcommand))
        }
        ErrorKind::UnknownArgument => format!("`{option}` is no option of this command"),
        ErrorKind::MissingRequiredArgument => format!("missing: {option}"),
        ErrorKind::ArgumentConflict => {
            format!("{option} does not go together with {}", text(ContextKind::PriorArg))
        }
        ErrorKind::InvalidValue if value.is_empty() => format!("{option} needs a value"),
        ErrorKind::InvalidValue | ErrorKind::ValueValidation => match std::error::Error::source(error) {
            Some(why) => format!("`{value}` is no value for {option}: {why}"),
            None => format!("`{value}` is no value for {option}"),
        },
        _ => first_line(error),
    };
    let near = [ContextKind::SuggestedSubcommand, ContextKind::SuggestedArg, ContextKind::SuggestedValue];
    let near: Vec<String> = near.into_iter().map(text).filter(|n| !n.is_empty()).collect();
    let usage = text(ContextKind::Usage);
    let usage = usage.lines().map(str::trim).collect::<Vec<_>>().join(", or: ");
    let help = match (near.first(), known.is_empty(), usage.strip_prefix("Usage: ")) {
        (Some(near), _, _) => format!("did you mean `{near}`?"),
        (None, false, _) => format!("it is one of: {known}"),
        (None, true, Some(usage)) => format!("write: {usage}"),
        (None, true, None) if !option.is_empty() => format!("write: {option}"),
        (None, true, None) => "add --help to see what goes here".into(),
    };
    Some(Failure::usage(what, help))
}

fn first_line(error: &clap::Error) -> String {
    let text = error.render().to_string();
    let line = text.lines().next().unwrap_or_default();
    line.trim_start_matches("error: ").to_string()
}

#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
fn said(value: &ContextValue) -> String {
    match value {
        ContextValue::String(s) => s.clone(),
        ContextValue::Strings(all) => all.join(", "),
        ContextValue::StyledStr(s) => s.to_string(),
        other => other.to_string(),
    }
}
