use super::*;
use rstest::rstest;
use serde_json::json;

fn spanned<T>(node: T) -> Spanned<T> {
    Spanned::new(node, Span::new(0, 0))
}

fn text(text: &str) -> Value {
    Value::Text(text.to_owned())
}

fn map(entries: Vec<(&str, Value)>) -> Map {
    let mut map = Map::default();
    for (key, value) in entries {
        let entry = Entry {
            key: spanned(key.to_owned()),
            value: spanned(value),
        };
        map.insert(entry).expect("a key that is not there");
    }
    map
}

fn list(items: Vec<Value>) -> Value {
    Value::List(items.into_iter().map(spanned).collect())
}

#[rstest]
#[case::nothing(Value::Null, json!(null), None, true)]
#[case::text(text("a"), json!("a"), Some("a"), false)]
#[case::blank(text(" \t"), json!(" \t"), Some(" \t"), true)]
#[case::flag(Value::Flag(true, "yes".to_owned()), json!(true), Some("yes"), false)]
#[case::number(Value::Number(1.5, "1.50".to_owned()), json!(1.5), Some("1.50"), false)]
// JSON has no octal numbers.
#[case::octal(Value::Number(8.0, "0o10".to_owned()), json!(8.0), Some("0o10"), false)]
#[case::list(list(vec![text("a"), Value::Null]), json!(["a", null]), None, false)]
#[case::list_of_nothing(list(vec![text(""), Value::Null]), json!(["", null]), None, true)]
#[case::map(Value::Map(map(vec![("b", Value::Null), ("a", text("c"))])), json!({"b": null, "a": "c"}), None, false)]
fn values_as_json_and_as_written(
    #[case] value: Value,
    #[case] json: serde_json::Value,
    #[case] written: Option<&str>,
    #[case] is_missing: bool,
) {
    assert_eq!(value.json(), json);
    assert_eq!(value.written(), written);
    assert_eq!(value.is_missing(), is_missing);
}

#[test]
fn json_keeps_the_digits_of_a_long_number() {
    let number = Value::Number(9_007_199_254_740_993.0, "9007199254740993".to_owned());
    assert_eq!(number.json().to_string(), "9007199254740993");
}

#[rstest]
#[case::entry("a", Some("1"))]
#[case::in_a_map("boat.length", Some("2"))]
#[case::in_two("boat.hull.kind", Some("3"))]
#[case::dotted_key("x.y", Some("4"))]
// A key with a dot comes before a map.
#[case::both("z.a", Some("5"))]
#[case::dotted_key_of_a_map("p.q.r", Some("7"))]
#[case::into_a_text("a.b", None)]
#[case::unknown("boat.width", None)]
fn dotted_names_reach_into_maps(#[case] name: &str, #[case] expected: Option<&str>) {
    let hull = Value::Map(map(vec![("kind", text("3"))]));
    let boat = Value::Map(map(vec![("length", text("2")), ("hull", hull)]));
    let map = map(vec![
        ("a", text("1")),
        ("boat", boat),
        ("x.y", text("4")),
        ("z.a", text("5")),
        ("z", Value::Map(map(vec![("a", text("6"))]))),
        ("p.q", Value::Map(map(vec![("r", text("7"))]))),
    ]);
    let found = map.at(name).and_then(|value| value.node.written());
    assert_eq!(found, expected);
}

#[test]
fn a_key_that_is_there_is_not_replaced() {
    let mut map = map(vec![("a", text("1"))]);
    let entry = Entry {
        key: Spanned::new("a".to_owned(), Span::new(7, 8)),
        value: spanned(text("2")),
    };
    assert_eq!(map.insert(entry), Err(Span::new(0, 0)));
    assert_eq!(
        map.get("a").and_then(|entry| entry.value.node.written()),
        Some("1")
    );
}
