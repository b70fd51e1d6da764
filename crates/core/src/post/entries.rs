//! The front matter entries that Tabulae knows, in one table: schema and reference are made of it.

/// An entry that is known.
#[derive(Debug, Clone, Copy)]
pub struct Entry {
    /// The name.
    pub name: &'static str,
    /// The type of its value.
    pub holds: EntryHolds,
    /// The meaning, in one sentence.
    pub about: &'static str,
}

/// The type of a key's value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EntryHolds {
    /// A text.
    Text,
    /// A date in one of the forms of [`crate::time::FORMS`].
    Date,
    /// `true` or `false`.
    Flag,
    /// A list of texts, or one text split at commas.
    Texts,
}

macro_rules! entries {
    ($($name:ident $holds:ident $about:literal;)*) => {
        /// Every entry that is known; further ones are the writer's own.
        pub const ENTRIES: &[Entry] = &[$(Entry {
            name: stringify!($name),
            holds: EntryHolds::$holds,
            about: $about,
        },)*];
    };
}

entries! {
    title Text "The title; else the first level-one heading, else the file's name.";
    date Date "When it is dated: a day, or a day and a time, with or without an offset; else the date before the file's name.";
    updated Date "When it was last changed; else its date.";
    tag Texts "Its tags; `tags` is the same field.";
    tags Texts "Its tags.";
    category Texts "Its categories; `categories` is the same field.";
    categories Texts "Its categories.";
    author Texts "Its authors; `authors` is the same field.";
    authors Texts "Its authors.";
    slug Text "The last part of its address: letters, digits, marks and - _ . ~; else made from the file's name.";
    link Text "Its address, if it begins with `/`, such as /lime/; else that of its content set's pattern, and the key is the writer's own.";
    summary Text "The summary in lists; else the text before <!-- more -->, else the first paragraph.";
    image Text "Its image: a file beside it, or an address from the site's root.";
    image_alt Text "What the image shows, for those who do not see it.";
    draft Flag "Whether it is a draft: no page, and in no list. `published: false`, and `status` of draft, wip, pending or private say the same.";
    expires Date "When it leaves the site.";
    menu Flag "Of a page of pages/: false keeps it out of the navigation.";
    unlisted Flag "Whether it has a page and is in no list.";
    related Texts "Posts to read next, by path or slug; they are first in its list. `false`: it has no such list.";
    template Text "The template of its page, a file of templates/ such as \"wide.html\"; else that of its content set.";
    language Text "Its language, by the tag of one of the blog's languages; else that before the ending of its file, else that of its content set. On a blog in one language the key is the writer's own.";
    translation Text "A name that it shares with its translations into other languages; posts whose files have the same path but for the language are translations of each other as well.";
    id Text "Its id in feeds; else the first address in moved_from, else its link.";
    moved_from Texts "Earlier addresses of the post: each becomes a page that redirects here.";
}
