//! The table of derived fields: parser, resolver, help and hints read it.

use crate::catalogue::Catalogue;
use crate::value::Kind;

/// A field that Tabulae derives for every post.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Derived {
    /// The name in queries and templates.
    pub name: &'static str,
    /// The kind of its values.
    pub kind: Kind,
    /// The meaning, in one sentence.
    pub about: &'static str,
    /// Names that other tools have for it, for hints.
    pub also: &'static [&'static str],
    /// The field.
    pub field: DerivedField,
}

/// A derived field.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[expect(missing_docs, reason = "the table below says what each is")]
pub enum DerivedField {
    Title,
    Link,
    Slug,
    Path,
    Folder,
    Set,
    Language,
    Date,
    Updated,
    Year,
    Month,
    Day,
    Summary,
    Image,
    Words,
    Minutes,
    Text,
    Draft,
    Scheduled,
    Expired,
    Unlisted,
    Current,
    Likeness,
}

macro_rules! derived {
    ($($field:ident $name:literal $kind:ident $about:literal $([$($also:literal),*])?,)*) => {
        /// Every derived field beside the term fields.
        pub const FIELDS: &[Derived] = &[
            $(Derived {
                name: $name,
                kind: Kind::$kind,
                about: $about,
                also: &[$($($also),*)?],
                field: DerivedField::$field,
            },)*
        ];
    };
}

derived! {
    Title "title" Text "Its title." ["name", "heading", "headline"],
    Link "link" Text "Its address, from the site's root." ["url", "address", "href"],
    Slug "slug" Text "The last part of its address.",
    Path "path" Text "Its file, below the site's folder." ["file", "filename"],
    Folder "folder" Text "Its folder, below the content set's.",
    Set "set" Text "The name of its content set." ["content", "collection", "section"],
    Language "language" Text "The tag of its language, on a blog in several languages." ["lang", "locale"],
    Date "date" Date "When it is dated." ["published", "created"],
    Updated "updated" Date "When it was last changed; its date, unless it says otherwise." ["modified", "changed", "edited"],
    Year "year" Number "The year of its date.",
    Month "month" Number "The month of its date, 1 to 12.",
    Day "day" Number "The day of its date, 1 to 31.",
    Summary "summary" Text "The summary in lists." ["excerpt", "description", "teaser", "abstract"],
    Image "image" Text "Its image, as written." ["picture", "cover", "thumbnail"],
    Words "words" Number "How many words its text has." ["wordcount"],
    Minutes "minutes" Number "How many minutes it takes to read, at 220 words a minute, at least 1.",
    Text "text" Text "Its text, without markup." ["body", "html", "markdown"],
    Draft "draft" Flag "Whether it is marked as a draft.",
    Scheduled "scheduled" Flag "Whether it is dated after now.",
    Expired "expired" Flag "Whether it has expired.",
    Unlisted "unlisted" Flag "Whether it is marked as unlisted.",
    Current "current" Flag "Whether it is the post whose page is being made.",
    Likeness "likeness" Number "How like it is to the post whose page is being made, 0 to 1.",
}

/// The derived field that is meant by a name that it has elsewhere, or by one much like it.
#[must_use]
pub fn meant(name: &str, catalogue: &Catalogue) -> Option<&'static Derived> {
    let others = fields_of(catalogue).flat_map(|field| field.also.iter().copied());
    let near = crate::diagnostic::nearest(&name.to_lowercase(), others)?;
    fields_of(catalogue).find(|field| field.also.contains(&near))
}

/// Iterates over the derived fields of the posts of a catalogue: `language` is one if the blog has several.
pub fn fields_of(catalogue: &Catalogue) -> impl Iterator<Item = &'static Derived> + use<> {
    let has_languages = catalogue.has_languages();
    let fields = FIELDS.iter();
    fields.filter(move |field| has_languages || field.field != DerivedField::Language)
}

/// Returns the derived field of a name that the posts of a catalogue have.
#[must_use]
pub fn derived(name: &str, catalogue: &Catalogue) -> Option<&'static Derived> {
    fields_of(catalogue).find(|field| field.name == name)
}
