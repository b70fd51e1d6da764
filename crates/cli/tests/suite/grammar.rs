//! The grammar in docs/: random sentences of it are queries, and it has every keyword.

use std::collections::BTreeMap;

use rstest::rstest;
use tabulae_core::query::{KEYWORDS, Query};
use tabulae_core::source::EmbeddedText;

use crate::docs::read;

/// An expression of the grammar's notation.
#[derive(Debug)]
enum Rule {
    Word(String),
    Name(String),
    Choice(Vec<Rule>),
    Sequence(Vec<Rule>),
    Optional(Box<Rule>),
    Repeated(Box<Rule>),
}

/// The tokens that the rules do not define, with examples of each.
const TOKENS: [(&str, &[&str]); 6] = [
    ("name", &["tag", "info.part", "a-b", "`order`", "`a b`"]),
    ("text", &["'lime'", "\"it's\"", "'it''s'", "''"]),
    ("number", &["3", "1.5", "2026"]),
    ("whole", &["5", "0"]),
    ("date", &["2026-03", "2026-03-14", "2026-03-14T09:00"]),
    ("parameter", &[":tag"]),
];

fn grammar() -> BTreeMap<String, Rule> {
    let text = read("docs/site/guides/reference/grammar.md");
    let text = text.split("```ebnf\n").nth(1).expect("rules");
    let text = text.split("```").next().expect("rules");
    let lines = text
        .lines()
        .fold(Vec::new(), |mut rules: Vec<String>, line| {
            match rules.last_mut().filter(|_| line.starts_with(' ')) {
                Some(rule) => rule.push_str(line),
                None => rules.push(line.to_owned()),
            }
            rules
        });
    let rules = lines.iter().map(|line| {
        let (name, rule) = line.split_once("::=").expect("a rule");
        let mut words: Vec<&str> = rule.split_whitespace().rev().collect();
        let rule = choice(&mut words);
        assert!(words.is_empty(), "{line}");
        (name.trim().to_owned(), rule)
    });
    rules.collect()
}

/// Reads alternatives up to a closing parenthesis; the words are in reverse order.
fn choice(words: &mut Vec<&str>) -> Rule {
    let mut choices = vec![sequence(words)];
    while words.last() == Some(&"|") {
        words.pop();
        choices.push(sequence(words));
    }
    Rule::Choice(choices)
}

fn sequence(words: &mut Vec<&str>) -> Rule {
    let mut parts = Vec::new();
    while let Some(word) = words.pop() {
        if word == "|" || word.starts_with(')') && !word.starts_with("\")") {
            words.push(word);
            break;
        }
        let bare = word.trim_end_matches(['?', '*']);
        let (part, sign) = if word == "(" {
            let inner = choice(words);
            let end = words.pop().expect("a closing parenthesis");
            (inner, &end[1..])
        } else if let Some(quoted) = bare.strip_prefix('"') {
            let quoted = quoted.strip_suffix('"').expect("a closing quote");
            (Rule::Word(quoted.to_owned()), &word[bare.len()..])
        } else {
            (Rule::Name(bare.to_owned()), &word[bare.len()..])
        };
        parts.push(match sign {
            "?" => Rule::Optional(Box::new(part)),
            "*" => Rule::Repeated(Box::new(part)),
            "" => part,
            other => panic!("{other}"),
        });
    }
    Rule::Sequence(parts)
}

/// Writes random sentences of a grammar.
struct Writer<'a> {
    grammar: &'a BTreeMap<String, Rule>,
    /// The state of a linear congruential generator (Knuth, MMIX).
    state: u64,
}

impl Writer<'_> {
    fn below(&mut self, end: usize) -> usize {
        self.state = self
            .state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(self.state >> 33).expect("31 bits") % end
    }

    /// Adds the words of a rule. Deep within others the last choice is taken, which is not recursive.
    fn write(&mut self, rule: &Rule, depth: usize, words: &mut Vec<String>) {
        match rule {
            Rule::Word(word) => words.push(word.clone()),
            Rule::Name(name) => match TOKENS.iter().find(|(token, _)| token == name) {
                Some((_, examples)) => {
                    words.push(examples[self.below(examples.len())].to_owned());
                }
                None => self.write(&self.grammar[name], depth + 1, words),
            },
            Rule::Choice(choices) => {
                let chosen = match depth {
                    0..12 => self.below(choices.len()),
                    _ => choices.len() - 1,
                };
                self.write(&choices[chosen], depth, words);
            }
            Rule::Sequence(parts) => {
                for part in parts {
                    self.write(part, depth, words);
                }
            }
            Rule::Optional(part) => {
                if self.below(2) == 0 {
                    self.write(part, depth, words);
                }
            }
            Rule::Repeated(part) => {
                while depth < 12 && self.below(3) == 0 {
                    self.write(part, depth, words);
                }
            }
        }
    }
}

#[test]
fn every_sentence_of_the_grammar_is_a_query() {
    let grammar = grammar();
    let mut writer = Writer {
        grammar: &grammar,
        state: 7,
    };
    for _ in 0..20_000 {
        let mut words = Vec::new();
        writer.write(&grammar["query"], 0, &mut words);
        let query = words.join(" ").replace("this . ", "this.");
        let parsed = Query::parse(&EmbeddedText::command_line(&query));
        assert!(parsed.is_ok(), "{query}: {:?}", parsed.err());
    }
}

#[test]
fn the_grammar_has_every_keyword() {
    fn add<'a>(rule: &'a Rule, words: &mut Vec<&'a str>) {
        match rule {
            Rule::Word(word) => words.push(word),
            Rule::Name(_) => {}
            Rule::Choice(rules) | Rule::Sequence(rules) => {
                rules.iter().for_each(|rule| add(rule, words));
            }
            Rule::Optional(rule) | Rule::Repeated(rule) => add(rule, words),
        }
    }
    let grammar = grammar();
    let mut words = Vec::new();
    grammar.values().for_each(|rule| add(rule, &mut words));
    for keyword in KEYWORDS {
        assert!(words.contains(&keyword), "{keyword}");
    }
}

#[rstest]
#[case::another_order("limit 5 where tag = 'a'")]
#[case::two_sources_without_a_comma("from a b")]
#[case::a_lonely_text("where 'lime'")]
#[case::an_empty_list("where tag in ()")]
#[case::a_range_of_one("where year in 2024..")]
#[case::a_negated_comparison("where tag not = 'a'")]
#[case::a_direction_of_random("order by random(7) desc")]
#[case::a_unit_without_a_number("where date > today - months")]
fn what_the_grammar_does_not_have_is_no_query(#[case] query: &str) {
    assert!(Query::parse(&EmbeddedText::command_line(query)).is_err());
}
