//! A new post: a draft with the front matter that the posts of its content set have.

use std::collections::BTreeMap;

use jiff::ZonedDateTime;

use super::Post;
use super::name::date_of;
use crate::front_matter::{Format, data_format, format_of, scalar};
use crate::settings::{ContentSet, DraftRule, DraftTest, FileKind, Settings, TermField};
use crate::source::Spanned;
use crate::term::slug;
use crate::time::Moment;
use crate::value::Value;

/// A new post.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewPost {
    /// The path below the site's folder.
    pub path: String,
    /// The text of the file.
    pub text: String,
}

/// The number of posts, the latest of a content set, whose front matter is looked at.
const SAMPLE: usize = 20;

/// Keys that belong to one post, and are never taken over.
const OF_ONE_POST: [&str; 8] = [
    "expires",
    "id",
    "image",
    "link",
    "moved_from",
    "related",
    "translation",
    "updated",
];

/// Returns a draft with a title and terms (by field) in a content set, or `None` if no slug can be made of the title.
///
/// It has the format, the keys, the form of the date and the kind of file name of most of `posts`, which are those of the
/// content set, the latest first. A key that has the same value in all of them keeps it.
#[must_use]
pub fn new_post(
    title: &str,
    terms: &BTreeMap<String, Vec<String>>,
    set: &ContentSet,
    posts: &[&Post],
    (settings, moment): (&Settings, &Moment),
) -> Option<NewPost> {
    let sample = &posts[..posts.len().min(SAMPLE)];
    let mut writer = Writer {
        title,
        terms,
        set,
        sample,
        settings,
        now: ZonedDateTime::new(moment.now, moment.zone.clone()),
        format: most(sample.iter().filter_map(|post| format_of(&post.source)))
            .unwrap_or(Format::Yaml),
    };
    let slug = slug(title);
    if slug.is_empty() {
        return None;
    }
    let path = writer.path(&slug);
    let data = data_format(&path);
    writer.format = data.unwrap_or(writer.format);
    let (open, close) = match writer.format {
        Format::Json => ("{\n", "}\n"),
        _ if data.is_some() => ("", ""),
        Format::Yaml => ("---\n", "---\n"),
        Format::Toml => ("+++\n", "+++\n"),
    };
    let below = if data.is_some() { "" } else { "\n" };
    let text = format!("{open}{}{close}{below}", writer.keys_and_values(&slug));
    Some(NewPost { path, text })
}

/// Returns the value of a key as a post's file has it.
fn raw_value<'a>(post: &'a Post, key: &str) -> Option<&'a str> {
    post.source.get(post.front.get(key)?.value.span)
}

/// Returns the value that comes up most often; of several the first.
fn most<T: PartialEq + Copy>(values: impl Iterator<Item = T>) -> Option<T> {
    let values: Vec<T> = values.collect();
    let count = |value: &T| values.iter().filter(|other| *other == value).count();
    values
        .iter()
        .rev()
        .copied()
        .max_by_key(|value| count(value))
}

struct Writer<'a> {
    title: &'a str,
    terms: &'a BTreeMap<String, Vec<String>>,
    set: &'a ContentSet,
    sample: &'a [&'a Post],
    settings: &'a Settings,
    now: ZonedDateTime,
    format: Format,
}

impl Writer<'_> {
    /// Returns true if more than half of the posts, or of none, fit.
    fn mostly(&self, fits: impl Fn(&Post) -> bool) -> bool {
        let count = self.sample.iter().filter(|post| fits(post)).count();
        count * 2 > self.sample.len()
    }

    fn path(&self, slug: &str) -> String {
        let paths = || self.sample.iter().map(|post| post.path.as_str());
        let ending = |path| FileKind::of(path).and_then(|_| path.rsplit_once('.'));
        let ending = most(paths().filter_map(|path| Some(ending(path)?.1))).unwrap_or("md");
        let is_dated = self.sample.is_empty() || self.mostly(|post| date_of(&post.path).is_some());
        let name = match is_dated {
            true => format!("{}-{slug}", self.now.date()),
            false => slug.to_owned(),
        };
        let has_folder = |post: &Post| {
            post.path
                .rsplit('/')
                .next()
                .is_some_and(|file| file.starts_with("index."))
        };
        let file = match self.mostly(has_folder) {
            true => format!("{name}/index.{ending}"),
            false => format!("{name}.{ending}"),
        };
        let folder = self.folder();
        let steps = [self.set.folder.as_str(), &folder, &file];
        let steps: Vec<&str> = steps.into_iter().filter(|step| !step.is_empty()).collect();
        steps.join("/")
    }

    /// Returns the folder below that of the set: by year or by year and month if the posts are, else the one that most
    /// of them are in.
    fn folder(&self) -> String {
        let by = |pattern: &'static str| {
            let is_by = |post: &Post| {
                post.date
                    .is_some_and(|date| post.folder == date.day.strftime(pattern).to_string())
            };
            self.mostly(is_by)
                .then(|| self.now.strftime(pattern).to_string())
        };
        let common = || most(self.sample.iter().map(|post| post.folder.as_str()));
        by("%Y")
            .or_else(|| by("%Y/%m"))
            .or_else(|| common().map(str::to_owned))
            .unwrap_or_default()
    }

    /// Returns the front matter without what is around it.
    fn keys_and_values(&self, slug: &str) -> String {
        let mut lines: Vec<(String, String)> = Vec::new();
        for key in self.keys() {
            if let Some(value) = self.value(&key, slug) {
                lines.push((key, value));
            }
        }
        if let Some((key, value)) = self.draft()
            && !lines.iter().any(|(known, _)| *known == key)
        {
            lines.push((key, value));
        }
        for (field, names) in self.terms {
            let known = self.term_field(field);
            let is_of = |key: &str| known.is_some_and(|known| self.set.gives_terms(key, known));
            if !lines.iter().any(|(key, _)| is_of(key)) {
                lines.push((self.term_key(field), self.list("[", names)));
            }
        }
        let lines = lines.into_iter();
        match self.format {
            Format::Yaml => {
                let lines = lines.map(|(key, value)| match value.as_str() {
                    "" => format!("{key}:\n"),
                    value if value.starts_with('\n') => format!("{key}:{value}\n"),
                    _ => format!("{key}: {value}\n"),
                });
                lines.collect()
            }
            Format::Toml => {
                let lines = lines.map(|(key, value)| format!("{key} = {value}\n"));
                lines.collect()
            }
            Format::Json => {
                let lines = lines.map(|(key, value)| format!("  \"{key}\": {value}"));
                lines.collect::<Vec<_>>().join(",\n") + "\n"
            }
        }
    }

    /// Returns the keys that most posts have, in the order of the latest post.
    fn keys(&self) -> Vec<String> {
        if self.sample.is_empty() {
            return ["title", "tags"].map(str::to_owned).into();
        }
        let mut keys: Vec<&str> = Vec::new();
        for post in self.sample {
            for entry in &post.front.entries {
                let key = entry.key.node.as_str();
                if !keys.contains(&key) && self.is_written(post, key) {
                    keys.push(key);
                }
            }
        }
        keys.retain(|key| self.mostly(|post| self.is_written(post, key)));
        let rule = |key: &str| self.set.draft_rules.iter().any(|rule| rule.key == key);
        keys.retain(|key| !rule(key));
        if !keys.iter().any(|key| self.set.gives(key, "title")) {
            keys.insert(0, "title");
        }
        keys.into_iter().map(str::to_owned).collect()
    }

    /// Returns true if a post's file has a key, and not only a mapping.
    fn is_written(&self, post: &Post, key: &str) -> bool {
        let entry = post.front.get(key);
        let raw = entry.and_then(|entry| post.source.get(entry.key.span));
        raw.is_some_and(|raw| raw.trim_matches(['"', '\'']) == key)
    }

    fn term_field(&self, name: &str) -> Option<&TermField> {
        let mut fields = self.settings.term_fields.iter();
        fields.find(|field| field.name == name)
    }

    /// Returns the key under which terms of a field are written.
    fn term_key(&self, field: &str) -> String {
        let mapped = self.set.keys_of(field).and_then(|keys| keys.first());
        let many = self.term_field(field).map_or(field, TermField::many);
        mapped.map_or(many, |key| key.node.as_str()).to_owned()
    }

    /// Returns the written value of a key; `None` if the key is left out.
    fn value(&self, key: &str, slug: &str) -> Option<String> {
        let written = self.sample.iter().find_map(|post| {
            let value = &post.front.get(key)?.value;
            let raw = post.source.get(value.span)?;
            (format_of(&post.source) == Some(self.format)).then_some((*post, value, raw))
        });
        let raw = match written {
            Some((_, value, raw))
                if matches!(value.node, Value::List(_)) && !raw.starts_with('[') =>
            {
                "-"
            }
            Some((_, _, raw)) => raw,
            None => "",
        };
        let mut fields = self.settings.term_fields.iter();
        if OF_ONE_POST.iter().any(|field| self.set.gives(key, field)) {
            return None;
        }
        if self.set.gives(key, "title") {
            return Some(scalar(self.format, self.quotes(key), self.title));
        }
        if self.set.gives(key, "slug") {
            return Some(scalar(self.format, raw, slug));
        }
        if self.set.gives(key, "date") {
            return Some(self.date(written.map(|(post, value, _)| (post, value)), raw));
        }
        if let Some(field) = fields.find(|field| self.set.gives_terms(key, field)) {
            return match self.terms.get(&field.name) {
                Some(names) => Some(self.list(raw, names)),
                None => Some(self.shared(key).unwrap_or_else(|| self.list(raw, &[]))),
            };
        }
        if self.set.gives(key, "summary") {
            return Some(self.empty(raw));
        }
        let (_, value, raw) = written?;
        let empty = || match &value.node {
            Value::Text(_) => Some(self.empty(raw)),
            Value::List(_) => Some("[]".to_owned()),
            _ => None,
        };
        self.shared(key).or_else(empty)
    }

    /// Returns a scalar in the quotes that most posts write around a key's value, or none.
    fn quotes(&self, key: &str) -> &'static str {
        let is_in = |quote: char| {
            self.mostly(|post| raw_value(post, key).is_some_and(|raw| raw.starts_with(quote)))
        };
        match (is_in('"'), is_in('\'')) {
            (true, _) => "\"\"",
            (_, true) => "''",
            _ => "",
        }
    }

    /// Returns the value that all posts, at least two, have on one line.
    fn shared(&self, key: &str) -> Option<String> {
        let (first, others) = self.sample.split_first()?;
        let first = raw_value(first, key).filter(|raw| !raw.contains('\n'))?;
        let mut values = others.iter().map(|post| raw_value(post, key));
        let is_shared = !others.is_empty() && values.all(|raw| raw == Some(first));
        is_shared.then(|| first.to_owned())
    }

    /// Returns a text that is still to be written.
    fn empty(&self, raw: &str) -> String {
        match self.format {
            Format::Yaml if !raw.starts_with(['"', '\'']) => String::new(),
            _ => scalar(self.format, raw, ""),
        }
    }

    /// Returns the date and time of now, in the form of a date that a post has.
    fn date(&self, written: Option<(&Post, &Spanned<Value>)>, raw: &str) -> String {
        let own = self.set.date_formats.iter().map(String::as_str);
        let known = [
            "%Y-%m-%d",
            "%Y-%m-%d %H:%M",
            "%Y-%m-%d %H:%M:%S",
            "%Y-%m-%dT%H:%M",
            "%Y-%m-%dT%H:%M:%S",
            "%Y-%m-%dT%H:%M:%S%:z",
            "%Y-%m-%dT%H:%M:%SZ",
            "%Y-%m-%d %H:%M:%S %z",
            "%Y-%m-%d %H:%M:%S %:z",
        ];
        let zone = self.now.time_zone();
        let form = written.and_then(|(post, value)| {
            let text = value.node.written()?.trim();
            let date = ZonedDateTime::new(post.date?.at, zone.clone());
            let utc = date.with_time_zone(jiff::tz::TimeZone::UTC);
            known.into_iter().chain(own).find(|form| {
                let date = if form.ends_with('Z') { &utc } else { &date };
                jiff::fmt::strtime::format(form, date).is_ok_and(|made| made == text)
            })
        });
        let form = form.unwrap_or("%Y-%m-%d");
        let utc = self.now.with_time_zone(jiff::tz::TimeZone::UTC);
        let now = if form.ends_with('Z') { &utc } else { &self.now };
        let text = now.strftime(form).to_string();
        let is_bare = !raw.is_empty() && !raw.starts_with(['"', '\''])
            || self.format == Format::Yaml && raw.is_empty();
        match is_bare {
            true => text,
            false => scalar(self.format, raw, &text),
        }
    }

    /// Returns a list in the form of `raw`, another one: in brackets, as lines, or as a text with commas.
    fn list(&self, raw: &str, names: &[String]) -> String {
        let each = names.iter().map(|name| scalar(self.format, "", name));
        let each: Vec<String> = each.collect();
        let is_lines = raw.starts_with('-') && self.format == Format::Yaml;
        match names {
            _ if raw.starts_with('[') => format!("[{}]", each.join(", ")),
            [] if is_lines => String::new(),
            _ if is_lines => each.iter().map(|name| format!("\n  - {name}")).collect(),
            [] => self.empty(raw),
            [_] => each.concat(),
            several => scalar(self.format, raw, &several.join(", ")),
        }
    }

    /// Returns the key and value by which a post of the set is a draft; `None` for a key within a map.
    fn draft(&self) -> Option<(String, String)> {
        let rules = self.set.draft_rules.iter();
        let in_use = |rule: &&DraftRule| self.mostly(|post| post.front.get(&rule.key).is_some());
        let rule = rules
            .clone()
            .find(|rule| !self.sample.is_empty() && in_use(rule));
        let mut rules = rules.filter(|rule| !rule.key.contains('.'));
        let rule = rule.or_else(|| rules.next())?;
        let text = |word: &str| scalar(self.format, "", word);
        let value = match &rule.test {
            DraftTest::True => "true".to_owned(),
            DraftTest::False => "false".to_owned(),
            DraftTest::In(words) => text(words.first()?),
        };
        Some((rule.key.clone(), value))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::front_matter;
    use crate::post::{Body, assemble};
    use crate::source::Source;
    use rstest::rstest;

    /// A new post of a site with these settings and posts: path and whole text.
    fn new(more: &str, posts: &[(&str, &str)], tags: &[&str]) -> NewPost {
        let site = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";
        let settings =
            Settings::read(&Source::new("tabulae.toml", &format!("{site}{more}"))).output;
        let moment = Moment {
            now: "2026-06-01T12:30:00Z".parse().unwrap(),
            zone: jiff::tz::TimeZone::get("Europe/London").unwrap(),
        };
        let set = settings
            .content
            .iter()
            .position(|set| set.name == "posts")
            .unwrap();
        let set = (set, &settings.content[set]);
        let read = posts.iter().map(|(path, text)| {
            let source = Source::new(path, text);
            let front = front_matter::read(&source, &moment.zone).output;
            assemble(
                path,
                set,
                &settings,
                &moment,
                &source,
                front,
                Body::default(),
            )
            .output
        });
        let read: Vec<Post> = read.collect();
        let tags = tags.iter().map(|tag| (*tag).to_owned()).collect::<Vec<_>>();
        let terms = match tags.is_empty() {
            true => BTreeMap::new(),
            false => [("tag".to_owned(), tags)].into(),
        };
        let posts: Vec<&Post> = read.iter().collect();
        new_post(
            "The lock: a walk",
            &terms,
            set.1,
            &posts,
            (&settings, &moment),
        )
        .unwrap()
    }

    #[rstest]
    #[case::no_posts("", &[], &["lime"],
        "posts/2026-06-01-the-lock-a-walk.md", "---\ntitle: \"The lock: a walk\"\ntags: lime\ndraft: true\n---\n\n")]
    #[case::date_in_front_matter("", &[("posts/a.md", "---\ndate: 2026-01-02\ntitle: A\ntags: [lime]\n---\n")], &["lime", "1904"],
        "posts/the-lock-a-walk.md", "---\ndate: 2026-06-01\ntitle: \"The lock: a walk\"\ntags: [lime, \"1904\"]\ndraft: true\n---\n\n")]
    #[case::a_time_with_offset("", &[("posts/a.md", "---\ntitle: 'A'\ndate: 2026-01-02T10:00:00+00:00\n---\n")], &[],
        "posts/the-lock-a-walk.md", "---\ntitle: 'The lock: a walk'\ndate: 2026-06-01T13:30:00+01:00\ndraft: true\n---\n\n")]
    #[case::a_time_in_utc("", &[("posts/a.md", "---\ntitle: A\ndate: 2026-01-02T10:00:00Z\n---\n")], &[],
        "posts/the-lock-a-walk.md", "---\ntitle: \"The lock: a walk\"\ndate: 2026-06-01T12:30:00Z\ndraft: true\n---\n\n")]
    #[case::own_form_of_dates("[content.posts]\ndate_formats = [\"%d.%m.%Y\"]\n", &[("posts/a.md", "---\ntitle: A\ndate: 02.01.2026\n---\n")], &[],
        "posts/the-lock-a-walk.md", "---\ntitle: \"The lock: a walk\"\ndate: 01.06.2026\ndraft: true\n---\n\n")]
    #[case::toml("", &[("posts/a.md", "+++\ntitle = \"A\"\ndate = 2026-01-02\ntags = [\"lime\"]\n+++\n")], &["lime"],
        "posts/the-lock-a-walk.md", "+++\ntitle = \"The lock: a walk\"\ndate = 2026-06-01\ntags = [\"lime\"]\ndraft = true\n+++\n\n")]
    #[case::json("", &[("posts/a.md", "{\"title\": \"A\", \"date\": \"2026-01-02\", \"tags\": []}\n")], &["lime"],
        "posts/the-lock-a-walk.md", "{\n  \"title\": \"The lock: a walk\",\n  \"date\": \"2026-06-01\",\n  \"tags\": [\"lime\"],\n  \"draft\": true\n}\n\n")]
    #[case::a_yaml_file("", &[("posts/a.yaml", "---\ntitle: A\ndate: 2026-01-02\ntags: [lime]\n")], &["lime"],
        "posts/the-lock-a-walk.yaml", "title: \"The lock: a walk\"\ndate: 2026-06-01\ntags: [lime]\ndraft: true\n")]
    #[case::a_toml_file("", &[("posts/a.toml", "title = \"A\"\ntags = ['lime']\n")], &["lime"],
        "posts/the-lock-a-walk.toml", "title = \"The lock: a walk\"\ntags = [\"lime\"]\ndraft = true\n")]
    #[case::a_json_file("", &[("posts/a.json", "{\"title\": \"A\"}\n")], &[],
        "posts/the-lock-a-walk.json", "{\n  \"title\": \"The lock: a walk\",\n  \"draft\": true\n}\n")]
    #[case::a_list_in_lines("", &[("posts/2026-01-01-a.md", "---\ntitle: A\ntags:\n  - lime\n  - sand\n---\n")], &["lime", "sand"],
        "posts/2026-06-01-the-lock-a-walk.md", "---\ntitle: \"The lock: a walk\"\ntags:\n  - lime\n  - sand\ndraft: true\n---\n\n")]
    #[case::folders("", &[("posts/2025/2025-01-01-a/index.md", "---\ntitle: A\n---\n")], &[],
        "posts/2026/2026-06-01-the-lock-a-walk/index.md", "---\ntitle: \"The lock: a walk\"\ndraft: true\n---\n\n")]
    #[case::mapped_keys_and_rules("[content.posts.fields]\ntitle = [\"headline\"]\ntag = [\"topics\"]\ndraft = [\"not public\"]\n",
        &[("posts/2026-01-01-a.md", "---\nheadline: A\ntopics: lime, sand\npublic: true\n---\n")], &["lime", "sand"],
        "posts/2026-06-01-the-lock-a-walk.md", "---\nheadline: \"The lock: a walk\"\ntopics: \"lime, sand\"\npublic: false\n---\n\n")]
    #[case::what_is_the_same_stays("", &[
            ("posts/2026-01-03-c.md", "---\ntitle: C\nauthor: Rosa Lind\nboat: Heron\nsummary: C\nimage: /c.png\n---\n"),
            ("posts/2026-01-02-b.md", "---\ntitle: B\nauthor: Rosa Lind\nboat: Otter\nsummary: B\nimage: /b.png\n---\n"),
            ("posts/2026-01-01-a.md", "---\ntitle: A\nauthor: Rosa Lind\nonce: 1\n---\n")], &[],
        "posts/2026-06-01-the-lock-a-walk.md", "---\ntitle: \"The lock: a walk\"\nauthor: Rosa Lind\nboat:\nsummary:\ndraft: true\n---\n\n")]
    fn a_new_post_is_like_the_others(
        #[case] settings: &str,
        #[case] posts: &[(&str, &str)],
        #[case] tags: &[&str],
        #[case] path: &str,
        #[case] text: &str,
    ) {
        let post = new(settings, posts, tags);
        assert_eq!((post.path.as_str(), post.text.as_str()), (path, text));
        // It is read as a draft with its title and tags.
        let source = Source::new(&post.path, &post.text);
        let front = front_matter::read(&source, &jiff::tz::TimeZone::UTC);
        assert_eq!(front.diagnostics, []);
    }

    #[test]
    fn a_title_without_letters_makes_no_post() {
        let settings = Settings::read(&Source::new("tabulae.toml", "")).output;
        let moment = Moment {
            now: "2026-06-01T12:30:00Z".parse().unwrap(),
            zone: jiff::tz::TimeZone::UTC,
        };
        let set = &settings.content[0];
        assert_eq!(
            new_post("!?", &BTreeMap::new(), set, &[], (&settings, &moment)),
            None
        );
    }
}
