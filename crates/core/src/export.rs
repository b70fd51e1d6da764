//! Exports: posts as rows of fields for other programs, as JSON, NDJSON or CSV (RFC 4180), and the JSON Schema of a
//! row.

use indexmap::IndexSet;
use serde_json::{Map, Value, json};

use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Diagnostic};
use crate::post::State;
use crate::query::fields::{DerivedField, derived, fields_of};
use crate::settings::ExportFormat;
use crate::source::Location;
use crate::term::TermId;
use crate::value::Kind;

/// A field of an export, resolved.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ExportField {
    /// A derived field of queries.
    Derived(DerivedField),
    /// The state: live, or why lists exclude the post.
    State,
    /// The text as HTML, with absolute addresses.
    Content,
    /// The terms of a field, by its number: name, slug, and link if the term has a page.
    Terms(usize),
    /// The related posts: title and link.
    Related,
    /// A value of front matter, by its path.
    FrontMatter(String),
}

/// The fields beside those of queries, with their meanings.
pub const FURTHER: [(&str, &str); 3] = [
    ("state", "Its state: live, or why lists exclude it."),
    ("content", "Its text as HTML, with absolute addresses."),
    ("related", "Its related posts, each with title and link."),
];

/// The fields of an export that names none: these, and the term fields.
pub const USUAL: [&str; 4] = ["title", "link", "date", "summary"];

/// The parts of a site beside its catalogue that exports need.
pub trait ExportSource {
    /// Returns the absolute address of a post.
    fn link(&self, post: PostId) -> String;
    /// Returns the absolute address of a term's page in the language of a post, if there is one.
    fn term_link(&self, post: PostId, field: usize, term: TermId) -> Option<String>;
    /// Returns the related posts of a post.
    fn related(&self, post: PostId) -> Vec<PostId>;
    /// Returns the text of a post as HTML, with absolute addresses.
    fn content(&self, post: PostId) -> String;
}

impl ExportField {
    /// Resolves the name of a field; `meta.NAME` is the front matter of a name that a derived field has.
    ///
    /// # Errors
    /// If neither Tabulae nor any post has such a field, or if it has a meaning only on a post's page.
    pub fn resolve(
        name: &str,
        location: Location,
        catalogue: &Catalogue,
    ) -> Result<Self, Box<Diagnostic>> {
        match name {
            "state" => return Ok(Self::State),
            "content" => return Ok(Self::Content),
            "related" => return Ok(Self::Related),
            _ => {}
        }
        if let Some(field) = catalogue.term_field(name) {
            return Ok(Self::Terms(field));
        }
        match derived(name, catalogue).map(|field| field.field) {
            Some(DerivedField::Current | DerivedField::Likeness) => {
                let message =
                    format!("`{name}` has no meaning in an export, which is no post's page");
                let diagnostic = Diagnostic::error(Code::UnknownField, location, message);
                return Err(Box::new(diagnostic.help("leave it out")));
            }
            Some(field) => return Ok(Self::Derived(field)),
            None => {}
        }
        let own = name.strip_prefix("meta.").unwrap_or(name);
        let sets = catalogue.every_set();
        let has = |id: PostId| catalogue.post(id).front.at(own).is_some();
        if catalogue.profile(own, &sets).is_some() || catalogue.all().any(has) {
            return Ok(Self::FrontMatter(own.to_owned()));
        }
        let message = format!("no post has a field `{name}`");
        let of_queries = fields_of(catalogue).map(|field| field.name);
        let of_queries = of_queries.filter(|known| !matches!(*known, "current" | "likeness"));
        let further = FURTHER.iter().map(|(name, _)| *name);
        let tables = catalogue.term_tables().iter();
        let terms = tables.map(|table| table.field.name.as_str());
        let known = of_queries.chain(further).chain(terms);
        let known: IndexSet<&str> = known.chain(catalogue.field_names(&sets)).collect();
        let diagnostic = Diagnostic::error(Code::UnknownField, location, message);
        Err(Box::new(diagnostic.suggest(name, known)))
    }

    /// Returns true if its values depend on the texts of posts.
    #[must_use]
    pub fn looks_into_texts(&self) -> bool {
        let fields = [
            DerivedField::Text,
            DerivedField::Words,
            DerivedField::Minutes,
        ];
        match self {
            Self::Content => true,
            Self::Derived(field) => fields.contains(field),
            _ => false,
        }
    }

    /// Returns the value of a post; `null` if it has none.
    pub fn value(&self, id: PostId, catalogue: &Catalogue, source: &dyn ExportSource) -> Value {
        match self {
            Self::Derived(field) => derived_value(*field, id, catalogue, source),
            Self::State => json!(catalogue.post(id).state().name()),
            Self::Content => json!(source.content(id)),
            Self::Terms(field) => {
                let table = catalogue.terms(*field);
                let locale = catalogue.post(id).locale;
                let terms = catalogue.terms_of(id, *field).iter().map(|term| {
                    let link = source.term_link(id, *field, *term);
                    let term = table.term(*term);
                    json!({ "name": term.name_in(locale), "slug": term.slug, "link": link })
                });
                terms.collect()
            }
            Self::Related => {
                let related = source.related(id).into_iter();
                related
                    .map(|id| json!({ "title": &*catalogue.post(id).title, "link": source.link(id) }))
                    .collect()
            }
            Self::FrontMatter(path) => {
                let value = catalogue.post(id).front.at(path);
                value.map_or(Value::Null, |value| value.node.json())
            }
        }
    }

    /// Returns a value as the text of a cell: of terms the names, of related posts the links.
    fn cell(&self, value: &Value) -> String {
        let shown = match self {
            Self::Terms(_) => "name",
            Self::Related => "link",
            _ => return cell(value),
        };
        let items = value.as_array().map_or(&[][..], Vec::as_slice);
        cell(&items.iter().map(|item| item[shown].clone()).collect())
    }

    /// Returns the JSON Schema (draft 7) of its values.
    #[must_use]
    pub fn schema(&self, catalogue: &Catalogue) -> Value {
        let of_kind = |kind: Kind| match kind {
            Kind::Number => "number",
            Kind::Flag => "boolean",
            _ => "string",
        };
        let named = |fields: Value, required: &[&str]| {
            json!({ "type": "array", "items": {
                "type": "object",
                "properties": fields,
                "required": required,
                "additionalProperties": false,
            } })
        };
        match self {
            Self::Derived(field) => {
                let mut all = fields_of(catalogue);
                let known = all.find(|known| known.field == *field);
                let kind = known.map_or(Kind::Text, |known| known.kind);
                let about = known.map(|known| known.about).unwrap_or_default();
                let types = match is_optional(*field) {
                    true => json!([of_kind(kind), "null"]),
                    false => json!(of_kind(kind)),
                };
                json!({ "type": types, "description": about })
            }
            Self::State => json!({ "enum": State::ALL.map(State::name) }),
            Self::Content => json!({ "type": "string", "description": FURTHER[1].1 }),
            Self::Terms(_) => named(
                json!({
                    "name": { "type": "string" },
                    "slug": { "type": "string" },
                    "link": { "type": ["string", "null"], "format": "uri" },
                }),
                &["name", "slug", "link"],
            ),
            Self::Related => named(
                json!({ "title": { "type": "string" }, "link": { "type": "string", "format": "uri" } }),
                &["title", "link"],
            ),
            Self::FrontMatter(path) => json!({
                "description": format!("`{path}` of the front matter, as it is written; null if it is missing"),
            }),
        }
    }
}

/// Returns true for derived fields that a post can lack.
fn is_optional(field: DerivedField) -> bool {
    use DerivedField::{Date, Day, Image, Month, Summary, Updated, Year};
    matches!(field, Date | Updated | Year | Month | Day | Summary | Image)
}

fn derived_value(
    field: DerivedField,
    id: PostId,
    catalogue: &Catalogue,
    source: &dyn ExportSource,
) -> Value {
    let post = catalogue.post(id);
    let day = post.date.map(|date| date.day);
    match field {
        DerivedField::Title => json!(&*post.title),
        DerivedField::Link => json!(source.link(id)),
        DerivedField::Slug => json!(&*post.slug),
        DerivedField::Path => json!(&*post.path),
        DerivedField::Folder => json!(&*post.folder),
        DerivedField::Set => json!(catalogue.sets()[post.set]),
        DerivedField::Language => json!(catalogue.language(post.locale).tag()),
        DerivedField::Date => json!(post.date.map(|date| date.iso())),
        DerivedField::Updated => json!(post.updated.map(|date| date.iso())),
        DerivedField::Year => json!(day.map(|day| day.year())),
        DerivedField::Month => json!(day.map(|day| day.month())),
        DerivedField::Day => json!(day.map(|day| day.day())),
        DerivedField::Summary => json!(post.summary.as_deref()),
        DerivedField::Image => json!(post.image.as_deref()),
        DerivedField::Words => json!(post.words()),
        DerivedField::Minutes => json!(post.minutes()),
        DerivedField::Text => json!(post.html.text()),
        DerivedField::Draft => json!(post.exclusion.draft),
        DerivedField::Scheduled => json!(post.exclusion.scheduled),
        DerivedField::Expired => json!(post.exclusion.expired),
        DerivedField::Unlisted => json!(post.exclusion.unlisted),
        DerivedField::Current | DerivedField::Likeness => Value::Null,
    }
}

/// Returns rows of values by the names of their fields: JSON as a list with a row a line, NDJSON as a row a line, CSV
/// with the names in the first row.
#[must_use]
pub fn write(
    format: ExportFormat,
    fields: &[(String, ExportField)],
    rows: impl Iterator<Item = Vec<Value>>,
) -> String {
    let object = |row: Vec<Value>| {
        let named = fields.iter().zip(row);
        let named = named.map(|((name, _), value)| (name.clone(), value));
        Value::Object(named.collect()).to_string()
    };
    match format {
        ExportFormat::Json => {
            let rows: Vec<String> = rows.map(object).collect();
            match rows.is_empty() {
                true => "[]\n".to_owned(),
                false => format!("[\n{}\n]\n", rows.join(",\n")),
            }
        }
        ExportFormat::Ndjson => rows.map(|row| object(row) + "\n").collect(),
        ExportFormat::Csv => {
            let names = fields.iter().map(|(name, _)| name.clone()).collect();
            let rows = rows.map(|row| {
                let cells = fields.iter().zip(&row);
                cells.map(|((_, field), value)| field.cell(value)).collect()
            });
            csv(names, rows)
        }
    }
}

/// Returns a value as the text of a cell; those of a list follow each other with `; `.
#[must_use]
pub fn cell(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        Value::Array(items) => items.iter().map(cell).collect::<Vec<_>>().join("; "),
        other => other.to_string(),
    }
}

/// Returns comma-separated values (RFC 4180).
pub fn csv(head: Vec<String>, rows: impl Iterator<Item = Vec<String>>) -> String {
    let cell = |text: &String| {
        if text.contains(['"', ',', '\n', '\r']) {
            format!("\"{}\"", text.replace('"', "\"\""))
        } else {
            text.clone()
        }
    };
    std::iter::once(head)
        .chain(rows)
        .map(|row| row.iter().map(cell).collect::<Vec<_>>().join(",") + "\r\n")
        .collect()
}

/// Returns the JSON Schema (draft 7) of an export: of the list as JSON, of a line as NDJSON, and for CSV of a row
/// before it becomes text.
#[must_use]
pub fn schema(
    (name, format): (&str, ExportFormat),
    fields: &[(String, ExportField)],
    catalogue: &Catalogue,
) -> Value {
    let properties = fields.iter();
    let properties = properties.map(|(name, field)| (name.clone(), field.schema(catalogue)));
    let names: Vec<&String> = fields.iter().map(|(name, _)| name).collect();
    let row = json!({
        "type": "object",
        "properties": properties.collect::<Map<_, _>>(),
        "required": names,
        "additionalProperties": false,
    });
    let mut schema = match format {
        ExportFormat::Json => json!({ "type": "array", "items": row }),
        ExportFormat::Ndjson | ExportFormat::Csv => row,
    };
    schema["$schema"] = json!("http://json-schema.org/draft-07/schema#");
    schema["title"] = json!(format!("export.{name}"));
    schema
}

#[cfg(test)]
mod tests;
