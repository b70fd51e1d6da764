//! Another `[related]` in place of the present one, to compare their lists before anything is built.

use super::{ContentSet, Settings};
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics, Severity};
use crate::source::{Location, Source};

/// The name of the settings to try, in messages.
const NAME: &str = "--try";

/// A change of `[related]` to try.
#[derive(Debug, Clone)]
pub enum Trial {
    /// `KEY=VALUE`, with a key of `[related]`: `weigh.body=2`, `fill="from posts limit 4"`.
    Key(String),
    /// The text of another settings file, whose `[related]` is taken.
    File(Source),
}

impl Settings {
    /// Returns the settings with another `[related]`: later trials change what earlier ones give. Content sets with a
    /// table of their own inherit from it. Everything else stays.
    ///
    /// # Errors
    /// If a trial cannot be read, or gives `[related]` a key or value that it cannot have.
    pub fn with_related(&self, trials: &[Trial]) -> Result<Self, Diagnostics> {
        let mut whole: toml::Table = parsed(&self.source)?;
        for trial in trials {
            let related = whole
                .entry("related")
                .or_insert_with(|| toml::Table::new().into());
            match trial {
                Trial::Key(written) => set(related, written)?,
                Trial::File(source) => {
                    let mut other: toml::Table = parsed(source)?;
                    *related = other.remove("related").ok_or_else(|| {
                        let message = format!(
                            "{} has no table [related]",
                            source.top().file.unwrap_or_default()
                        );
                        let help = "write `[related]`, and below it the keys to try";
                        vec![Diagnostic::error(Code::MissingKey, source.top(), message).help(help)]
                    })?;
                }
            }
        }
        let text = written(&whole)?;
        let Collected {
            output,
            diagnostics,
        } = Self::read(&Source::new(NAME, &text));
        let errors = diagnostics.into_iter();
        let errors: Diagnostics = errors
            .filter(|found| found.severity == Severity::Error)
            .collect();
        if !errors.is_empty() {
            return Err(errors);
        }
        let of_set = |set: &ContentSet| {
            let other = output.content.iter().find(|other| other.name == set.name);
            ContentSet {
                related: other.map(|other| other.related.clone()).unwrap_or_default(),
                ..set.clone()
            }
        };
        Ok(Self {
            content: self.content.iter().map(of_set).collect(),
            source: output.source,
            related: output.related,
            ..self.clone()
        })
    }

    /// Returns the table `[related]` with trials, as it is written in a settings file.
    ///
    /// # Errors
    /// If a trial cannot be read, or gives `[related]` a key or value that it cannot have.
    pub fn related_text(&self, trials: &[Trial]) -> Result<String, Diagnostics> {
        let mut whole = parsed(&self.with_related(trials)?.source)?;
        let related = whole.remove("related");
        let related = related.unwrap_or_else(|| toml::Table::new().into());
        written(&toml::Table::from_iter([("related".to_owned(), related)]))
    }
}

fn written(table: &toml::Table) -> Result<String, Diagnostics> {
    toml::to_string(table).map_err(|error| {
        let location = Location::top_of(NAME);
        let message = error.to_string();
        vec![Diagnostic::error(Code::InvalidUsage, location, message)]
    })
}

fn parsed(source: &Source) -> Result<toml::Table, Diagnostics> {
    source.text().parse().map_err(|error: toml::de::Error| {
        let message = error.message().to_owned();
        let span = error.span().unwrap_or_default();
        let location = source.location(crate::source::Span::new(span.start, span.end));
        vec![Diagnostic::error(Code::SettingsSyntax, location, message)]
    })
}

/// Sets a key of a table, within tables by names with dots. A value that is no TOML is a text.
fn set(table: &mut toml::Value, written: &str) -> Result<(), Diagnostics> {
    let unfit = || {
        let location = Source::command_line(written).top();
        let message = format!("\"{written}\" is no key of [related] with a value");
        let help =
            "write for example `--try weigh.body=2`, or name a settings file: `--try other.toml`";
        vec![Diagnostic::error(Code::InvalidUsage, location, message).help(help)]
    };
    let (path, value) = written.split_once('=').ok_or_else(unfit)?;
    let line = format!("value = {value}");
    let parsed: Option<toml::Table> = line.parse().ok();
    let value = parsed.and_then(|mut table| table.remove("value"));
    let value = value.unwrap_or_else(|| written[path.len() + 1..].trim().into());
    let mut at = table;
    for step in path.trim().split('.') {
        let table = at.as_table_mut().ok_or_else(unfit)?;
        at = table
            .entry(step)
            .or_insert_with(|| toml::Table::new().into());
    }
    *at = value;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const TEXT: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[content.zoo]\n[content.zoo.related]\nfeeds = true\n[content.ark]\n[related]\nweigh = { tag = 3, body = 1 }\n";

    fn settings() -> Settings {
        Settings::read(&Source::new("tabulae.toml", TEXT)).output
    }

    fn weights(settings: &Settings) -> Vec<(String, f64)> {
        let related = settings.related.as_ref().unwrap();
        let weights = related.weigh.iter();
        weights
            .map(|(name, weight)| (name.node.clone(), *weight))
            .collect()
    }

    fn key(written: &str) -> Trial {
        Trial::Key(written.to_owned())
    }

    #[rstest]
    #[case::changed("weigh.body=2", &[("body", 2.0), ("tag", 3.0)])]
    #[case::added("weigh.title = 0.5", &[("body", 1.0), ("tag", 3.0), ("title", 0.5)])]
    #[case::whole("weigh={ title = 1 }", &[("title", 1.0)])]
    fn a_key_is_changed_alone(#[case] written: &str, #[case] expected: &[(&str, f64)]) {
        let tried = settings().with_related(&[key(written)]).unwrap();
        let expected: Vec<_> = expected
            .iter()
            .map(|(name, weight)| ((*name).to_owned(), *weight))
            .collect();
        assert_eq!(weights(&tried), expected);
    }

    #[test]
    fn content_sets_keep_their_order_and_inherit_what_is_tried() {
        let before = settings();
        let query = "query=from zoo order by date desc limit 2";
        let tried = before.with_related(&[key(query)]).unwrap();
        let names = |settings: &Settings| -> Vec<String> {
            settings
                .content
                .iter()
                .map(|set| set.name.clone())
                .collect()
        };
        assert_eq!(names(&tried), names(&before));
        let zoo = tried
            .content
            .iter()
            .position(|set| set.name == "zoo")
            .unwrap();
        let related = tried.related_of(zoo).unwrap();
        let query = related.query.as_ref().unwrap().text();
        assert_eq!(
            (query, related.feeds),
            ("from zoo order by date desc limit 2", true)
        );
    }

    #[test]
    fn another_file_gives_its_table_and_keys_change_it() {
        let other = Source::new("other.toml", "[related]\nweigh = { title = 1 }\n");
        let trials = [Trial::File(other), key("weigh.tag=4")];
        let tried = settings().with_related(&trials).unwrap();
        assert_eq!(
            weights(&tried),
            [("tag".to_owned(), 4.0), ("title".to_owned(), 1.0)]
        );
    }

    #[rstest]
    #[case::no_value(key("weigh"), "\"weigh\" is no key of [related] with a value")]
    #[case::unknown(key("wiegh.tag=1"), "wiegh")]
    #[case::of_another_type(
        key("weigh.tag=\"much\""),
        "the weight of `tag` is a number of at least 0"
    )]
    #[case::beneath_a_value(key("weigh.tag.body=1"), "is no key of [related] with a value")]
    #[case::no_table(
        Trial::File(Source::new("o.toml", "[site]\n")),
        "o.toml has no table [related]"
    )]
    #[case::no_toml(Trial::File(Source::new("o.toml", "[related\n")), "")]
    fn what_cannot_be_tried_is_an_error(#[case] trial: Trial, #[case] message: &str) {
        let errors = settings().with_related(&[trial]).unwrap_err();
        assert!(errors[0].message.contains(message), "{}", errors[0].message);
    }

    #[rstest]
    #[case::unchanged(&[], "[related]\n\n[related.weigh]\nbody = 1\ntag = 3\n")]
    #[case::a_weight(&["weigh.title=2"], "[related]\n\n[related.weigh]\nbody = 1\ntag = 3\ntitle = 2\n")]
    #[case::a_query(
        &["query=from posts limit 4", "weigh={ tag = 1 }"],
        "[related]\nquery = \"from posts limit 4\"\n\n[related.weigh]\ntag = 1\n"
    )]
    fn the_table_of_a_trial_can_be_written(#[case] trials: &[&str], #[case] expected: &str) {
        let trials = trials.iter().map(|trial| Trial::Key((*trial).to_owned()));
        let trials: Vec<Trial> = trials.collect();
        let table = |text: &str| text.parse::<toml::Table>().unwrap();
        let text = settings().related_text(&trials).unwrap();
        assert_eq!(table(&text), table(expected));
    }
}
