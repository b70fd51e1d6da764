//! The values that templates see by name beside posts and terms, each as a table for lookups and for hints.
//! docs/site/guides/reference/templates.md describes them.

use std::sync::Arc;

use minijinja::Value;
use minijinja::value::{Enumerator, Object};

/// Values by name; one that is left out is not there.
macro_rules! values {
    ($(#[$about:meta])* $scope:ident { $($name:ident)* }) => {
        $(#[$about])*
        #[derive(Debug, Default)]
        pub(crate) struct $scope {
            $(pub(crate) $name: Value,)*
        }

        impl $scope {
            /// The names that there are.
            pub(crate) const NAMES: &[&str] = &[$(stringify!($name)),*];
        }

        impl Object for $scope {
            fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
                self.get_value_by_str(key.as_str()?)
            }

            fn get_value_by_str(self: &Arc<Self>, name: &str) -> Option<Value> {
                let value = match name {
                    $(stringify!($name) => &self.$name,)*
                    _ => return None,
                };
                (!value.is_undefined()).then(|| value.clone())
            }

            fn enumerate(self: &Arc<Self>) -> Enumerator {
                let values = [$(&self.$name),*];
                let named = Self::NAMES.iter().zip(values);
                let known = named.filter(|(_, value)| !value.is_undefined());
                Enumerator::Values(known.map(|(name, _)| Value::from(*name)).collect())
            }
        }

        impl From<$scope> for Value {
            fn from(values: $scope) -> Self {
                Value::from_object(values)
            }
        }
    };
}

values! {
    /// All that a page's template sees.
    Scope { site page post previous next posts archive term pager related related_show empty_text fill_title rows index sections }
}

values! {
    /// The values of a card's template. It gets other names from the list.
    CardScope { site post below }
}

values! {
    /// `site`.
    SiteScope {
        title address link language languages direction description author image feeds feeds_page lists term_fields words style styles script
        scripts search
    }
}

values! {
    /// `page`.
    PageScope {
        title link canonical description image json_ld feeds own_feeds menu kind data previous next content toc alternates
        languages
    }
}

values! {
    /// `archive`.
    ArchiveScope {
        name title link by show count overview overview_title terms above below sections
    }
}

values! {
    /// `term` on a page of one, and each of `archive.terms`.
    TermScope { name part slug count link about share depth months newest }
}

values! {
    /// `pager`.
    PagerScope { number pages total first last newer older numbers per_page base rows newest_first }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use rstest::rstest;

    use super::*;
    use crate::template::filters::FILTERS;
    use crate::template::functions::FUNCTIONS;

    const GUIDE: &str = include_str!("../../../../docs/site/guides/reference/templates.md");

    /// The names that a paragraph of the guide gives in backquotes, but for those of what its values hold.
    #[rstest]
    #[case::site("site", SiteScope::NAMES, &[])]
    #[case::page("page", PageScope::NAMES, &["language", "hreflang", "name", "current", "translated"])]
    #[case::archive("archive", ArchiveScope::NAMES, &["heading", "posts"])]
    #[case::term("term", TermScope::NAMES, &[])]
    #[case::pager("pager", PagerScope::NAMES, &["link", "current"])]
    fn the_guide_lists_what_there_is(
        #[case] scope: &str,
        #[case] names: &[&str],
        #[case] within: &[&str],
    ) {
        let start = format!("**`{scope}`**");
        let paragraph = GUIDE
            .split("\n\n")
            .find_map(|text| text.strip_prefix(&start));
        let pieces = paragraph.unwrap_or("").split('`').skip(1).step_by(2);
        let is_name = |piece: &&str| piece.bytes().all(|b| b.is_ascii_lowercase() || b == b'_');
        let listed: BTreeSet<&str> = pieces.filter(is_name).collect();
        assert_eq!(listed, names.iter().chain(within).copied().collect());
    }

    #[test]
    fn the_guide_lists_every_function_and_filter() {
        let functions = FUNCTIONS.iter().map(|(name, _)| *name);
        let all = functions.chain(FILTERS.iter().map(|(name, _)| *name));
        let is_listed = |name: &str| [format!("`{name}`"), format!("`{name}(")];
        let lacking = all.filter(|name| !is_listed(name).iter().any(|shown| GUIDE.contains(shown)));
        assert_eq!(lacking.collect::<Vec<_>>(), Vec::<&str>::new());
    }

    #[test]
    fn what_is_left_out_is_not_there() {
        let page = Value::from(PageScope {
            title: "Lime".into(),
            next: ().into(),
            ..PageScope::default()
        });
        let known: Vec<String> = page
            .try_iter()
            .unwrap()
            .map(|name| name.to_string())
            .collect();
        assert_eq!(known, ["title", "next"]);
        assert!(page.get_attr("next").unwrap().is_none());
        assert!(page.get_attr("previous").unwrap().is_undefined());
        assert!(page.get_attr("titel").unwrap().is_undefined());
    }
}
