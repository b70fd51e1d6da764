//! A query in the forms in which a site has it: a template's loop, tables of settings, a placeholder, a command.

use tabulae_core::query::{Query, Written};
use tabulae_core::term::slug;

/// The forms of a query by name, each with a title.
pub(crate) const FORMS: [(&str, &str, Form); 6] = [
    ("template", "Template", as_template),
    ("archive", "Archive", as_archive),
    ("feed", "Feed", as_feed),
    ("export", "Export", as_export),
    ("placeholder", "Placeholder", as_placeholder),
    ("command", "Command", as_command),
];

/// A form of a query.
type Form = fn(&Query<Written>) -> String;

/// Returns a text within double quotes, as templates and TOML write them.
fn quoted(text: &str) -> String {
    let text = text.replace('\\', "\\\\").replace('"', "\\\"");
    format!("\"{}\"", text.replace('\n', "\\n"))
}

/// Returns the loop of a template.
pub(crate) fn as_template(query: &Query<Written>) -> String {
    format!(
        "{{% for post in query({}) %}}
<article>
<h2><a href=\"{{{{ post.link }}}}\">{{{{ post.title }}}}</a></h2>
{{% if post.date %}}<p><time datetime=\"{{{{ post.date }}}}\">{{{{ post.date|date }}}}</time></p>
{{% endif -%}}
{{% if post.summary %}}<p>{{{{ post.summary }}}}</p>
{{% endif -%}}
</article>
{{% else %}}
<p>Nothing here yet.</p>
{{% endfor %}}
",
        quoted(&query.to_string())
    )
}

/// Returns the table of an archive. It is named after the first text of the query.
pub(crate) fn as_archive(query: &Query<Written>) -> String {
    let name = name(query);
    format!(
        "[archive.{name}]\nquery = {}\nlink = \"/{name}/\"\nper_page = 20\n",
        quoted(&query.to_string())
    )
}

fn as_feed(query: &Query<Written>) -> String {
    let name = name(query);
    format!(
        "[feed.{name}]\nquery = {}\nlink = \"/{name}.xml\"\n",
        quoted(&query.to_string())
    )
}

fn as_export(query: &Query<Written>) -> String {
    let name = name(query);
    format!(
        "[export.{name}]\nquery = {}\nlink = \"/{name}.json\"\nfields = [\"title\", \"link\", \"date\"]\n",
        quoted(&query.to_string())
    )
}

/// Returns the comments of a page in which the posts appear; a quote within quotes is doubled.
fn as_placeholder(query: &Query<Written>) -> String {
    let text = query.to_string().replace('"', "\"\"");
    format!("<!-- tabulae query \"{text}\" --><!-- tabulae end -->\n")
}

/// Returns the command line, quoted as POSIX shells read it.
fn as_command(query: &Query<Written>) -> String {
    let text = query.to_string();
    let plain = !text.contains(['"', '\\', '$', '`', '!']);
    match plain {
        true => format!("tabulae query \"{text}\"\n"),
        false => format!("tabulae query '{}'\n", text.replace('\'', "'\\''")),
    }
}

/// Returns a name for a list: the slug of the first text of the query, or `list`.
fn name(query: &Query<Written>) -> String {
    let text = query.to_string();
    let name = first_text(&text).map(|text| slug(&text));
    let name = name.filter(|name| !name.is_empty() && name.is_ascii());
    name.unwrap_or_else(|| "list".to_owned())
}

/// Returns the first text in single quotes, within which a quote is doubled.
fn first_text(query: &str) -> Option<String> {
    let (_, rest) = query.split_once('\'')?;
    let rest = rest.replace("''", "\0");
    let (text, _) = rest.split_once('\'')?;
    Some(text.replace('\0', "'"))
}
