//! What templates see by name beside posts and terms, each as a table from which values are looked
//! up and hints are made.

use std::sync::Arc;

use minijinja::Value;
use minijinja::value::{Enumerator, Object};

/// Values by name; one that is left out is not there.
macro_rules! values {
    ($(#[$about:meta])* $scope:ident { $($name:ident)* }) => {
        $(#[$about])*
        #[derive(Debug, Default)]
        #[allow(missing_docs, reason = "docs/templates.md says what each is")]
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
    Scope { site page post posts archive term pager related notice rows sections }
}

values! {
    /// What the template of a card sees; what else it asks for, it has from the list.
    CardScope { site post below }
}

values! {
    /// `site`.
    SiteScope {
        title address link language about author image feeds feeds_page lists words style script
        search related_show
    }
}

values! {
    /// `page`.
    PageScope {
        title link canonical description feeds own_feeds menu kind newer older content
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
    PagerScope { number pages total first last newer older numbers per_page base rows }
}
