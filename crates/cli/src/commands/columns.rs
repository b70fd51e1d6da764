//! The fields of posts that `tabulae query` shows.

use jiff::civil::Date;
use serde_json::{Map, Value, json};
use tabulae_core::catalogue::Catalogue;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::export::cell;
use tabulae_core::query::fields::fields_of;
use tabulae_core::source::Source;
use tabulae_engine::{PostRef, Posts, Workspace};

/// Fields beside those of queries; `content` is the text as HTML.
const MORE: [&str; 2] = ["state", "content"];

/// Returns the names of the fields that every post has.
fn derived(catalogue: &Catalogue) -> impl Iterator<Item = &'static str> + use<> {
    fields_of(catalogue).map(|field| field.name).chain(MORE)
}

/// The fields to show, in order.
pub(super) struct Columns<'a> {
    /// The fields that were asked for; the usual ones if empty.
    fields: &'a [String],
    /// The site's catalogue, if it could be read.
    catalogue: Option<&'a Catalogue>,
    posts: &'a Posts<'a>,
}

impl<'a> Columns<'a> {
    /// Returns the columns for the fields that were asked for.
    pub(super) fn new(fields: &'a [String], site: &'a Workspace, posts: &'a Posts<'a>) -> Self {
        Self {
            fields,
            catalogue: site.catalogue().ok(),
            posts,
        }
    }

    /// Returns the names of the term fields.
    pub(super) fn terms(&self) -> Vec<&'a str> {
        let tables = self
            .catalogue
            .map(Catalogue::term_tables)
            .unwrap_or_default();
        tables
            .iter()
            .map(|table| table.field.name.as_str())
            .collect()
    }

    /// Returns true if the site has several languages.
    pub(super) fn has_languages(&self) -> bool {
        self.catalogue.is_some_and(Catalogue::has_languages)
    }

    /// Checks the names of fields.
    ///
    /// # Errors
    /// If neither Tabulae nor any post has a field, or if one needs a page and the query is run on none.
    pub(super) fn check(
        fields: &[String],
        site: &Workspace,
        is_on_page: bool,
    ) -> Result<(), Box<Diagnostic>> {
        let of_page = |name: &&String| matches!(name.as_str(), "current" | "likeness");
        if let Some(name) = fields.iter().find(of_page).filter(|_| !is_on_page) {
            let location = Source::command_line(name).top();
            let message =
                format!("`{name}` has no meaning here: the query is run on no post's page");
            let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
            return Err(Box::new(
                diagnostic.help("name the post with `--this PATH`"),
            ));
        }
        let Ok(catalogue) = site.catalogue() else {
            return Ok(());
        };
        let sets = catalogue.every_set();
        let own = catalogue.field_names(&sets);
        let is_known = |name: &str| {
            let own = own_name(name);
            derived(catalogue).any(|derived| derived == name)
                || catalogue.term_field(name).is_some()
                || catalogue.profile(own, &sets).is_some()
                || catalogue
                    .all()
                    .any(|id| catalogue.post(id).front.at(own).is_some())
        };
        let Some(unknown) = fields.iter().find(|name| !is_known(name)) else {
            return Ok(());
        };
        let location = Source::command_line(unknown).top();
        let message = format!("no post has a field `{unknown}`");
        let terms = catalogue.term_tables().iter();
        let terms = terms.map(|table| table.field.name.as_str());
        let mut known: Vec<&str> = Vec::new();
        let derived = derived(catalogue).map(|name| -> &str { name });
        for name in derived.chain(terms).chain(own) {
            if !known.contains(&name) {
                known.push(name);
            }
        }
        let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
        Err(Box::new(diagnostic.suggest(unknown, known)))
    }

    /// Returns the names of the columns of a table.
    pub(super) fn names(&self) -> Vec<String> {
        if !self.fields.is_empty() {
            return self.fields.to_vec();
        }
        let usual = ["date", "title", "link", "path"].into_iter();
        usual.chain(self.terms()).map(str::to_owned).collect()
    }

    /// Returns the values of the columns as texts, those of a list separated by `; `.
    pub(super) fn texts(&self, post: PostRef<'_>) -> Vec<String> {
        let names = self.names().into_iter();
        names.map(|name| cell(&self.value(post, &name))).collect()
    }

    /// Returns a post as an object of its fields.
    pub(super) fn object(&self, post: PostRef<'_>) -> Value {
        if !self.fields.is_empty() {
            let fields = self.fields.iter();
            let fields = fields.map(|name| (name.clone(), self.value(post, name)));
            return Value::Object(fields.collect());
        }
        let usual = ["path", "link", "title", "date", "updated", "set", "summary"];
        let usual = usual.map(|name| (name.to_owned(), self.value(post, name)));
        let terms = self.terms().into_iter();
        let terms = terms.map(|field| (field.to_owned(), json!(post.terms(field))));
        let mut object: Map<String, Value> = usual.into_iter().collect();
        if self.has_languages() {
            object.insert("language".to_owned(), json!(post.language()));
        }
        object.insert("terms".to_owned(), Value::Object(terms.collect()));
        Value::Object(object)
    }

    fn value(&self, post: PostRef<'_>, name: &str) -> Value {
        let date = |date: tabulae_engine::PostDate| json!(date.zoned().map(|date| date.iso()));
        let day = post.date().zoned().map(|date| date.day);
        match name {
            "path" => json!(post.path()),
            "folder" => json!(post.folder()),
            "link" => json!(post.link()),
            "slug" => json!(post.slug()),
            "title" => json!(post.title()),
            "date" => date(post.date()),
            "updated" => date(post.updated()),
            "year" => json!(day.map(Date::year)),
            "month" => json!(day.map(Date::month)),
            "day" => json!(day.map(Date::day)),
            "set" => json!(post.set()),
            "language" if self.has_languages() => json!(post.language()),
            "state" => json!(post.state().name()),
            "summary" => json!(post.summary()),
            "image" => json!(post.image()),
            "words" => json!(post.words()),
            "minutes" => json!(post.minutes()),
            "text" => json!(post.text()),
            "content" => json!(post.html()),
            "draft" | "scheduled" | "expired" | "unlisted" => {
                json!(post.exclusions().any(|state| state.name() == name))
            }
            "current" => json!(self.posts.is_current(post)),
            "likeness" => json!(self.posts.likeness(post).map(|score| score.ratio())),
            field
                if self
                    .catalogue
                    .is_some_and(|known| known.term_field(field).is_some()) =>
            {
                json!(post.terms(field))
            }
            own => post
                .get(own_name(own))
                .map_or(Value::Null, tabulae_engine::Value::json),
        }
    }
}

/// Returns the name of a front matter key: `meta.words` is the key that the derived field `words` hides.
fn own_name(name: &str) -> &str {
    name.strip_prefix("meta.").unwrap_or(name)
}
