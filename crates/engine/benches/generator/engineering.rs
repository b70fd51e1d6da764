//! A made-up engineering blog of any size, as such blogs are: long and short posts with code blocks,
//! lists, tables, images and links between posts, by a few hands with front matter of three formats.
//!
//! Texts have 1 to 30 KB, most about 5 (a log-normal distribution). Words follow Zipf's law over a
//! vocabulary of 30,000 words, of which each of 60 topics prefers some 400. Tags follow Zipf's law,
//! too, and most tags of a post belong to its topic.

use std::fmt::Write as _;
use std::fs;
use std::path::Path;

use super::{ARCHIVES, Dice, STOP_WORDS, syllables};

/// The number of different words in the texts, without stop words.
const VOCABULARY: usize = 30_000;

/// The number of topics; each post has one.
const TOPICS: usize = 60;

/// The number of words that a topic prefers.
const TOPIC_WORDS: usize = 400;

/// The number of tags of each topic.
const TOPIC_TAGS: usize = 12;

const CATEGORIES: [&str; 8] = [
    "Storage",
    "Networks",
    "Compilers",
    "Testing",
    "Front end",
    "Operations",
    "Design",
    "Notes",
];

const AUTHORS: [&str; 6] = [
    "Alba Reed",
    "Jonas Wick",
    "Mira Lund",
    "Piet Hale",
    "Sanna Moor",
    "Tovi Brook",
];

const SETTINGS: &str = r#"
[site]
title = "Engineering bench"
address = "https://bench.example/"
timezone = "Europe/London"

[content.posts]
terms = ["tag", "category", "author", "series"]
"#;

/// Writes a blog of `posts` posts below `root`; the same files for the same seed.
pub(crate) fn write_blog(root: &Path, posts: usize, seed: u64) {
    let mut dice = Dice::new(seed);
    let images = root.join("assets/images");
    fs::create_dir_all(&images).expect("a new folder");
    fs::create_dir_all(root.join("posts")).expect("a new folder");
    fs::write(root.join("tabulae.toml"), format!("{SETTINGS}{ARCHIVES}")).expect("a new file");
    for number in 0..40 {
        let image = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"640\" height=\"360\"/>\n";
        fs::write(images.join(format!("figure-{number}.svg")), image).expect("a new file");
    }
    for number in 0..posts {
        let text = Post::new(number, posts, &mut dice).text;
        fs::write(root.join("posts").join(file_name(number)), text).expect("a new file");
    }
}

pub(super) fn file_name(number: usize) -> String {
    format!("note-{number}.md")
}

/// Writes a line of code with three names and a number.
type CodeLine = fn(&str, &str, &str, usize) -> String;

/// A post as it is written.
struct Post<'a> {
    text: String,
    dice: &'a mut Dice,
    topic: usize,
    /// The ranks of the words that the text has used, of which every third word is taken again.
    used: Vec<usize>,
    number: usize,
}

impl<'a> Post<'a> {
    fn new(number: usize, posts: usize, dice: &'a mut Dice) -> Self {
        let topic = dice.zipf(TOPICS);
        let mut post = Self {
            text: String::new(),
            dice,
            topic,
            used: Vec::new(),
            number,
        };
        post.front_matter(posts);
        let length = post.text.len() + post.length();
        post.paragraph();
        while post.text.len() < length {
            post.block();
        }
        post
    }

    /// Bytes of a text, 1,000 to 30,000: half of them have more than 5,000.
    fn length(&mut self) -> usize {
        // The sum of twelve uniform numbers is nearly normal, with a deviation of 1.
        let normal = (0..12).map(|_| self.dice.unit()).sum::<f64>() - 6.0;
        (5_000.0 * (normal * 0.75).exp()).clamp(1_000.0, 30_000.0) as usize
    }

    fn word(&mut self) -> String {
        match self.dice.below(100) {
            0..45 => STOP_WORDS[self.dice.zipf(STOP_WORDS.len())].to_owned(),
            45..65 if !self.used.is_empty() => {
                syllables(self.used[self.dice.below(self.used.len())])
            }
            roll => {
                let rank = if roll < 80 {
                    let topic_rank = self.dice.flattened_zipf(TOPIC_WORDS, 20.0);
                    // A topic's words lie anywhere in the vocabulary but among the commonest.
                    500 + (self.topic * 7_919 + topic_rank * 61) % (VOCABULARY - 500)
                } else {
                    self.dice.flattened_zipf(VOCABULARY, 8.0)
                };
                self.used.push(rank);
                syllables(rank)
            }
        }
    }

    fn words(&mut self, count: usize) -> String {
        let words: Vec<String> = (0..count).map(|_| self.word()).collect();
        words.join(" ")
    }

    fn tag(&mut self) -> String {
        let topic = if self.dice.below(5) == 0 {
            self.dice.zipf(TOPICS)
        } else {
            self.topic
        };
        let location = self.dice.zipf(TOPIC_TAGS);
        syllables(100 + topic * 89 + location)
    }

    fn front_matter(&mut self, posts: usize) {
        let day = self.number * 3_650 / posts;
        let date = format!(
            "{}-{:02}-{:02}",
            2016 + day / 365,
            1 + day % 365 / 31,
            1 + day % 28
        );
        let time = format!("{:02}:{:02}", self.dice.below(24), self.dice.below(60));
        let length = 3 + self.dice.below(5);
        let title = format!("{} {}", self.words(length), self.number);
        let category = CATEGORIES[self.topic % CATEGORIES.len()];
        let author = AUTHORS[self.dice.zipf(AUTHORS.len())];
        let count = 1 + self.dice.below(5);
        let mut tags: Vec<String> = (0..count).map(|_| self.tag()).collect();
        tags.sort();
        tags.dedup();
        let level = 1 + self.dice.below(5);
        let image = format!("/images/figure-{}.svg", self.dice.below(40));
        let summary = self.words(18);
        match self.dice.below(10) {
            0..7 => {
                let _ = write!(
                    self.text,
                    "---\ntitle: \"{title}\"\ndate: {date} {time}\nauthor: {author}\ncategory: {category}\ntags: [{}]\nsummary: >-\n  {summary}\ncover:\n  image: {image}\n  alt: A figure\nreading:\n  level: {level}\n  tools:\n    - {}\n    - {}\n---\n\n",
                    tags.join(", "),
                    syllables(40 + level),
                    syllables(80 + level),
                );
            }
            7..9 => {
                let tags: Vec<String> = tags.iter().map(|tag| format!("\"{tag}\"")).collect();
                let _ = write!(
                    self.text,
                    "+++\ntitle = \"{title}\"\ndate = \"{date} {time}\"\nauthor = \"{author}\"\ncategory = \"{category}\"\ntags = [{}]\nsummary = \"{summary}\"\n\n[cover]\nimage = \"{image}\"\nalt = \"A figure\"\n\n[reading]\nlevel = {level}\n+++\n\n",
                    tags.join(", "),
                );
            }
            _ => {
                let front = serde_json::json!({
                    "title": title,
                    "date": format!("{date} {time}"),
                    "author": author,
                    "category": category,
                    "tags": tags,
                    "summary": summary,
                    "cover": { "image": image, "alt": "A figure" },
                    "reading": { "level": level },
                });
                let front = serde_json::to_string_pretty(&front).expect("JSON");
                let _ = write!(self.text, "{front}\n\n");
            }
        }
    }

    fn block(&mut self) {
        match self.dice.below(20) {
            0..11 => self.paragraph(),
            11..13 => self.heading(),
            13..16 => self.code(),
            16..18 => self.list(),
            18 => self.table(),
            _ => self.image(),
        }
    }

    fn heading(&mut self) {
        let words = self.words(4);
        let _ = write!(self.text, "## {words}\n\n");
    }

    fn paragraph(&mut self) {
        for _ in 0..2 + self.dice.below(4) {
            self.sentence();
        }
        self.text.push_str("\n\n");
    }

    fn sentence(&mut self) {
        let length = 6 + self.dice.below(16);
        for at in 0..length {
            let word = self.word();
            let word = if at == 0 { capitalised(&word) } else { word };
            let _ = match self.dice.below(60) {
                0 => write!(self.text, "*{word}*"),
                1 => write!(self.text, "**{word}**"),
                2 | 3 => write!(self.text, "`{word}_{at}()`"),
                4 => write!(self.text, "[{word}](https://else.example/{at}?q={word})"),
                5 if self.number > 0 => {
                    let other = self.dice.below(self.number);
                    write!(self.text, "[{word}]({})", file_name(other))
                }
                6 => write!(self.text, "\"{word}\""),
                7 => write!(self.text, "{word},"),
                8 => write!(self.text, "don't {word}"),
                9 => write!(self.text, "{word}-{at} ({}%)", at * 3),
                _ => write!(self.text, "{word}"),
            };
            self.text.push(if at % 12 == 11 { '\n' } else { ' ' });
        }
        self.text.truncate(self.text.trim_end().len());
        self.text.push_str(". ");
    }

    fn code(&mut self) {
        let [a, b, c] = [self.word(), self.word(), self.word()];
        let lines = 2 + self.dice.below(10);
        let (language, line): (&str, CodeLine) = match self.dice.below(4) {
            0 => ("rust", |a, b, c, at| {
                format!(
                    "    let {a}_{at}: Vec<&str> = {b}.iter().filter(|x| x.{c} > {at}).collect();"
                )
            }),
            1 => ("python", |a, b, c, at| {
                format!("def {a}_{at}({b}, *args):\n    return {b}[\"{c}\"] if args else {at}")
            }),
            2 => ("sql", |a, b, c, at| {
                format!("select {a}, count(*) from {b} where {c} < {at} group by {a};")
            }),
            _ => ("sh", |a, b, c, at| {
                format!("{a} --{b} \"$HOME/{c}\" | sort -n | head -{at} && echo <{b}>")
            }),
        };
        let _ = writeln!(self.text, "```{language}");
        for at in 0..lines {
            let _ = writeln!(self.text, "{}", line(&a, &b, &c, at));
        }
        self.text.push_str("```\n\n");
    }

    fn list(&mut self) {
        let numbered = self.dice.below(3) == 0;
        for at in 0..3 + self.dice.below(5) {
            let words = self.words(7);
            let _ = match (numbered, at % 3) {
                (true, _) => writeln!(self.text, "{}. {words}", at + 1),
                (false, 2) => writeln!(self.text, "  - {words}"),
                (false, _) => writeln!(self.text, "- {words}"),
            };
        }
        self.text.push('\n');
    }

    fn table(&mut self) {
        self.text
            .push_str("| Name | Before | After |\n|---|---:|---:|\n");
        for at in 0..3 + self.dice.below(4) {
            let word = self.word();
            let _ = writeln!(
                self.text,
                "| {word} | {} ms | {} ms |",
                at * 17 + 9,
                at * 5 + 3
            );
        }
        self.text.push('\n');
    }

    fn image(&mut self) {
        let (words, number) = (self.words(4), self.dice.below(40));
        let _ = write!(self.text, "![{words}](/images/figure-{number}.svg)\n\n");
    }
}

fn capitalised(word: &str) -> String {
    let mut letters = word.chars();
    let first = letters.next().map(|first| first.to_ascii_uppercase());
    first.into_iter().chain(letters).collect()
}
