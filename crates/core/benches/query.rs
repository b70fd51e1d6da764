//! Queries over 100,000 posts, each beside a plain scan of the same catalogue that looks at
//! every post and sorts all that is found.
//!
//! `cargo bench -p tabulae-core --bench query`, for another size `-- 10000`.

#![allow(missing_docs, reason = "a bench, not a library")]
#![allow(clippy::print_stdout, reason = "a bench prints its table")]
#![allow(
    clippy::disallowed_methods,
    reason = "a bench is where time is measured"
)]

use std::time::{Duration, Instant};

use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::front_matter;
use tabulae_core::id::LocaleId;
use tabulae_core::post::{Body, Include, assemble};
use tabulae_core::query::{Library, Query, Scope};
use tabulae_core::settings::Settings;
use tabulae_core::source::{EmbeddedText, Source};
use tabulae_core::term::TermId;
use tabulae_core::time::Moment;
use tabulae_core::value::Value;

/// A statement, and the plain scan that gives the same posts.
type Case = (&'static str, fn(&Catalogue) -> Vec<PostId>);

const CASES: &[Case] = &[
    ("from posts where tag = 'tag 3' limit 10", |catalogue| {
        let wanted = catalogue.terms(0).find("tag 3");
        let found = scan(catalogue, |id| {
            catalogue
                .terms_of(id, 0)
                .iter()
                .any(|term: &TermId| Some(*term) == wanted)
        });
        found.into_iter().take(10).collect()
    }),
    ("from posts where hours > 90", |catalogue| {
        scan(catalogue, |id| {
            number(catalogue, id, "hours").is_some_and(|hours| hours > 90.0)
        })
    }),
    (
        "from posts where featured and hours between 10 and 20",
        |catalogue| {
            scan(catalogue, |id| {
                let featured = matches!(
                    catalogue.post(id).front.at("featured").map(|v| &v.node),
                    Some(Value::Flag(true, _))
                );
                featured
                    && number(catalogue, id, "hours")
                        .is_some_and(|hours| (10.0..=20.0).contains(&hours))
            })
        },
    ),
    ("from posts where place contains 'wharf'", |catalogue| {
        scan(catalogue, |id| {
            place(catalogue, id).is_some_and(|place| place.to_lowercase().contains("wharf"))
        })
    }),
    ("from posts where title ends with ' 77'", |catalogue| {
        scan(catalogue, |id| {
            catalogue.post(id).title.to_lowercase().ends_with(" 77")
        })
    }),
    (
        "from posts where place != 'Sallow Reach' or not featured",
        |catalogue| {
            scan(catalogue, |id| {
                let front = &catalogue.post(id).front;
                let featured = matches!(
                    front.at("featured").map(|v| &v.node),
                    Some(Value::Flag(true, _))
                );
                place(catalogue, id).is_some_and(|place| place.to_lowercase() != "sallow reach")
                    || !featured
            })
        },
    ),
    ("from posts where place matches 'lock$'", |catalogue| {
        scan(catalogue, |id| {
            place(catalogue, id).is_some_and(|place| place.to_lowercase().ends_with("lock"))
        })
    }),
    ("from posts where year = 2019 and month = 3", |catalogue| {
        scan(catalogue, |id| {
            catalogue
                .post(id)
                .date
                .is_some_and(|date| date.day.year() == 2019 && date.day.month() == 3)
        })
    }),
    (
        "from posts where hours > 90 order by hours desc limit 10",
        |catalogue| {
            let mut found = scan(catalogue, |id| {
                number(catalogue, id, "hours").is_some_and(|hours| hours > 90.0)
            });
            let hours = |id: &PostId| number(catalogue, *id, "hours").unwrap_or(0.0);
            found.sort_by(|a, b| hours(b).total_cmp(&hours(a)).then(a.cmp(b)));
            found.truncate(10);
            found
        },
    ),
];

fn number(catalogue: &Catalogue, id: PostId, name: &str) -> Option<f64> {
    match catalogue.post(id).front.at(name)?.node {
        Value::Number(number, _) => Some(number),
        _ => None,
    }
}

fn place(catalogue: &Catalogue, id: PostId) -> Option<&str> {
    catalogue.post(id).front.at("place")?.node.written()
}

fn scan(catalogue: &Catalogue, holds: impl Fn(PostId) -> bool) -> Vec<PostId> {
    let mut found: Vec<PostId> = catalogue
        .all()
        .filter(|id| catalogue.is_listed(*id) && holds(*id))
        .collect();
    found.sort_by(|a, b| {
        tabulae_core::catalogue::default_order(
            std::slice::from_ref(catalogue.language(LocaleId::SITE)),
            catalogue.post(*a),
            catalogue.post(*b),
        )
    });
    found
}

fn main() {
    let size = std::env::args()
        .skip(1)
        .find_map(|word| word.parse().ok())
        .unwrap_or(100_000);
    let settings = Settings::read(&Source::new(
        "tabulae.toml",
        "[site]\ntitle = \"Bench\"\naddress = \"https://x.example/\"\n",
    ))
    .output;
    let moment = Moment {
        now: "2026-06-01T12:00:00Z".parse().expect("a time"),
        zone: settings.site.timezone.clone(),
    };
    let posts = (0..size).map(|number| {
        let path = format!("posts/{number}.md");
        let source = Source::new(&path, &front(number));
        let front = front_matter::read(&source, &moment.zone).output;
        assemble(
            &path,
            (0, &settings.content[0]),
            &settings,
            &moment,
            &source,
            front,
            Body::default(),
        )
        .output
    });
    let catalogue = Catalogue::new(
        posts,
        Vec::new(),
        &settings,
        Include::default(),
        moment.today(),
    )
    .output;
    let library = Library::default();
    println!("{size} posts, medians of 11 runs in turn");
    println!(
        "{:>9} {:>12} {:>12} {:>12}  statement",
        "found", "compile", "run", "plain scan"
    );
    for (text, plain) in CASES {
        let scope = Scope::new(&catalogue, &library, &moment);
        let (mut compiles, mut runs, mut scans) = (Vec::new(), Vec::new(), Vec::new());
        let mut found = 0;
        for _ in 0..11 {
            let began = Instant::now();
            let query = Query::parse(&EmbeddedText::command_line(text))
                .expect("a sound query")
                .resolve(scope)
                .output
                .expect("a sound query");
            compiles.push(began.elapsed());
            let began = Instant::now();
            let answer = query.run(&catalogue, None);
            runs.push(began.elapsed());
            let began = Instant::now();
            let expected = plain(&catalogue);
            scans.push(began.elapsed());
            assert_eq!(answer.posts, expected, "{text}");
            found = answer.total;
        }
        println!(
            "{found:>9} {:>12.3?} {:>12.3?} {:>12.3?}  {text}",
            median(compiles),
            median(runs),
            median(scans)
        );
    }
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort_unstable();
    times[times.len() / 2]
}

/// The header of a post: numbers that look random and are the same in each run.
fn front(number: u64) -> String {
    let dice = |salt: u64, sides: u64| {
        (number.wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(17)
            ^ salt.wrapping_mul(0xbf58_476d_1ce4_e5b9))
            % sides
    };
    let places = [
        "Brayle wharf",
        "Sallow Reach",
        "Pinnock Bridge",
        "Wendle lock",
    ];
    let place = places[usize::try_from(dice(5, 4)).unwrap_or(0)];
    let (first, second) = (dice(1, 40) * dice(2, 40) / 40, dice(3, 200));
    format!(
        "---\ntitle: Post {number}\ndate: {}-{:02}-{:02}\ntags: [tag {first}, tag {second}]\ncategory: Category {}\nhours: {}\nfeatured: {}\nplace: {place}\n---\n",
        2010 + dice(6, 16),
        1 + dice(7, 3) * 4 + dice(12, 4),
        1 + dice(8, 28),
        dice(9, 12),
        dice(10, 100),
        dice(11, 10) == 0
    )
}
