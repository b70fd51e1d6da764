//! Made-up blogs of any size: a plain one with posts of about 4 KB and tags by Zipf's law, one of
//! short posts, and that of [`engineering`].

#![allow(dead_code, reason = "each bench uses a part of it")]

pub(crate) mod engineering;

use std::fmt::Write as _;
use std::fs;
use std::path::Path;

/// A corpus of made-up posts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Corpus {
    /// Posts of one length, of paragraphs and headings alone.
    Plain,
    /// Posts as an engineering blog has them.
    Engineering,
    /// Posts of 1 KB with 200 tags and 20 categories, whatever the number of posts.
    Short,
}

impl Corpus {
    /// The corpora on which cases are compared.
    pub(crate) const ALL: [Self; 2] = [Self::Plain, Self::Engineering];

    /// Returns the name on the command line.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Plain => "plain",
            Self::Engineering => "engineering",
            Self::Short => "short",
        }
    }

    /// Returns the corpus of a name.
    pub(crate) fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|corpus| corpus.name() == name)
    }

    /// Returns the file of a post, below the site's folder.
    pub(crate) fn file(self, number: usize) -> String {
        match self {
            Self::Plain | Self::Short => format!("posts/post-{number}.md"),
            Self::Engineering => format!("posts/{}", engineering::file_name(number)),
        }
    }

    /// Returns the text of a post with one more tag.
    pub(crate) fn with_tag(self, text: &str, tag: &str) -> String {
        let quoted = format!("\"{tag}\"");
        let changed = [
            ("tags:\n", format!("tags:\n  - {tag}\n")),
            ("tags: [", format!("tags: [{tag}, ")),
            ("tags = [", format!("tags = [{quoted}, ")),
            ("\"tags\": [", format!("\"tags\": [{quoted}, ")),
        ];
        let known = changed.iter().find(|(before, _)| text.contains(before));
        let (before, after) = known.expect("a post with tags");
        text.replacen(before, after, 1)
    }

    /// Writes a site of `posts` posts below `root`; the same files in each run.
    pub(crate) fn write(self, root: &Path, posts: usize) {
        match self {
            Self::Plain => write_site(root, posts, &Kind::plain(posts), ARCHIVES),
            Self::Short => write_site(root, posts, &SHORT, FEW_ARCHIVES),
            Self::Engineering => engineering::write_blog(root, posts, 7),
        }
    }
}

/// Numbers that look random and are the same in each run (SplitMix64).
pub(crate) struct Dice(u64);

impl Dice {
    /// Dice that fall the same way for the same seed.
    pub(crate) fn new(seed: u64) -> Self {
        Self(seed)
    }

    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number below `end`.
    pub(crate) fn below(&mut self, end: usize) -> usize {
        usize::try_from(self.next() % end as u64).unwrap_or(0)
    }

    /// A number from 0 and below 1.
    fn unit(&mut self) -> f64 {
        (self.next() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// A rank from 0 by Zipf's law: rank r about 1/(r+1) as often as the first.
    pub(crate) fn zipf(&mut self, ranks: usize) -> usize {
        self.flattened_zipf(ranks, 1.0)
    }

    /// Numbers after Zipf's law with a flattened head (Mandelbrot): rank r has a frequency of about
    /// 1/(r+`offset`).
    fn flattened_zipf(&mut self, ranks: usize, offset: f64) -> usize {
        let whole = (ranks as f64 + offset) / offset;
        let rank = (offset * whole.powf(self.unit()) - offset) as usize;
        rank.min(ranks - 1)
    }
}

const WORDS: [&str; 20] = [
    "lock", "water", "gate", "stone", "lime", "bank", "boat", "heron", "rope", "clay", "bridge",
    "towpath", "winter", "morning", "bucket", "mason", "timber", "level", "brook", "hedge",
];

/// Words that say nothing of what a text is about.
const STOP_WORDS: [&str; 40] = [
    "the", "of", "and", "a", "to", "in", "it", "is", "was", "that", "for", "on", "with", "as",
    "we", "be", "at", "by", "this", "had", "not", "are", "but", "from", "or", "have", "an", "they",
    "which", "one", "were", "all", "there", "when", "who", "been", "has", "more", "if", "so",
];

/// A made-up word: the common ones are real, the rare ones are of syllables.
fn word(rank: usize) -> String {
    if let Some(known) = WORDS.get(rank) {
        return (*known).to_owned();
    }
    syllables(rank)
}

/// A made-up word of syllables, another for each rank.
fn syllables(rank: usize) -> String {
    let mut word = String::new();
    let mut rest = rank;
    while rest > 0 || word.len() < 4 {
        word.push(char::from(b"bdfgklmnprstvz"[rest % 14]));
        word.push(char::from(b"aeiou"[rest / 14 % 5]));
        rest /= 70;
    }
    word
}

/// The number of different words in the texts, without stop words.
const VOCABULARY: usize = 20_000;

/// The words of one text, as prose has them: about half are stop words, and every second of the
/// others was used in the text before. So 4 KB have some 180 stems, and two texts share some 20 of
/// them; of manuals in English 4 KB have 120, and two share as many.
#[derive(Default)]
struct Prose {
    used: Vec<usize>,
}

impl Prose {
    fn word(&mut self, dice: &mut Dice) -> String {
        if dice.below(100) < 48 {
            return STOP_WORDS[dice.zipf(STOP_WORDS.len())].to_owned();
        }
        if !self.used.is_empty() && dice.below(2) == 0 {
            return word(self.used[dice.below(self.used.len())]);
        }
        let rank = dice.flattened_zipf(VOCABULARY, 30.0);
        self.used.push(rank);
        word(rank)
    }
}

/// The measures of a blog whose posts are alike.
struct Kind {
    /// The length of a text in bytes: the last paragraph goes beyond it.
    bytes: usize,
    /// The number of words of a paragraph, and how many more it may have.
    paragraph: (usize, usize),
    tags: usize,
    categories: usize,
}

impl Kind {
    fn plain(posts: usize) -> Self {
        Self {
            bytes: 3900,
            paragraph: (40, 50),
            tags: (posts / 20).clamp(30, 3000),
            categories: 12,
        }
    }
}

const SHORT: Kind = Kind {
    bytes: 900,
    paragraph: (20, 25),
    tags: 200,
    categories: 20,
};

fn write_site(root: &Path, posts: usize, kind: &Kind, archives: &str) {
    let mut dice = Dice::new(7);
    fs::create_dir_all(root.join("posts")).expect("a new folder");
    fs::write(root.join("tabulae.toml"), format!("{SETTINGS}{archives}")).expect("a new file");
    for number in 0..posts {
        let text = post(number, posts, kind, &mut dice);
        fs::write(root.join(format!("posts/post-{number}.md")), text).expect("a new file");
    }
}

/// The settings of related posts by terms.
pub(crate) const RELATED: &str = "\n[related]\nweigh = { tag = 3, category = 2 }\n";

const SETTINGS: &str = r#"
[site]
title = "Bench"
address = "https://bench.example/"
timezone = "Europe/London"
"#;

/// The archives of both corpora.
const ARCHIVES: &str = r#"
[archive.journal]
link = "/"
per_page = 20
feeds = ["atom", "rss"]

[archive.tags]
by = "tag"
link = "/tags/{tag}/"
overview = "/tags/"
per_page = 20

[archive.categories]
by = "category"
link = "/categories/{category}/"
overview = "/categories/"
per_page = 20
feeds = ["atom"]

[archive.years]
by = "year"
link = "/{year}/"
overview = "/archive/"
group = "month"
show = "lines"
per_page = 20
"#;

/// The archives of short posts: no more pages of lists than a blog of short posts needs, and one feed.
const FEW_ARCHIVES: &str = r#"
[archive.journal]
link = "/"
per_page = 50
feeds = ["atom"]

[archive.tags]
by = "tag"
link = "/tags/{tag}/"
overview = "/tags/"
per_page = 50

[archive.categories]
by = "category"
link = "/categories/{category}/"
overview = "/categories/"
per_page = 50

[archive.years]
by = "year"
link = "/{year}/"
overview = "/archive/"
show = "lines"
per_page = 50
"#;

fn post(number: usize, posts: usize, kind: &Kind, dice: &mut Dice) -> String {
    let mut text = String::with_capacity(kind.bytes + 900);
    let day = number * 3650 / posts;
    let _ = write!(
        text,
        "---\ntitle: Post number {number} on {} and {}\ndate: {}-{:02}-{:02} {:02}:{:02}\ncategory: Category {}\ntags:\n",
        word(dice.zipf(VOCABULARY)),
        word(dice.zipf(VOCABULARY)),
        2016 + day / 365,
        1 + day % 365 / 31,
        1 + day % 28,
        dice.below(24),
        dice.below(60),
        dice.zipf(kind.categories)
    );
    for _ in 0..1 + dice.below(5) {
        let _ = writeln!(text, "  - tag {}", dice.zipf(kind.tags));
    }
    text.push_str("---\n\n");
    let mut prose = Prose::default();
    while text.len() < kind.bytes {
        if dice.below(6) == 0 {
            let _ = write!(
                text,
                "## The {} of the {}\n\n",
                WORDS[dice.below(20)],
                WORDS[dice.below(20)]
            );
        }
        let (fewest, more) = kind.paragraph;
        for _ in 0..fewest + dice.below(more) {
            let word = prose.word(dice);
            match dice.below(40) {
                0 => {
                    let _ = write!(text, "*{word}* ");
                }
                1 => {
                    let _ = write!(text, "[{word}](https://else.example/{word}) ");
                }
                2 => {
                    let _ = write!(text, "{word}. ");
                }
                _ => {
                    let _ = write!(text, "{word} ");
                }
            }
        }
        text.push_str("\n\n");
    }
    text
}
