//! The pages of the example site in a browser: contents, layout and controls.

use libtest_mimic::Failed;
use serde_json::json;

use super::Test;
use super::driver::{NARROW, Page, Previewed, WIDE, World};

/// The tests: name, whether it needs axe-core, and what it does.
pub(crate) const TESTS: &[(&str, bool, Test)] = &[
    ("a_list_is_filtered_over_all_its_pages", false, filter),
    ("a_filter_is_kept_from_page_to_page", false, paging),
    ("a_shared_address_opens_filtered", false, shared),
    ("a_list_on_one_page_is_filtered_in_place", false, in_place),
    ("titles_summaries_and_terms_are_searched", false, search),
    ("whole_texts_are_searched", false, full_search),
    ("hits_are_narrowed_by_facets", false, facets),
    ("a_language_is_searched_on_its_own", false, search_in_german),
    (
        "the_switch_leads_to_the_page_in_the_other_language",
        false,
        switch,
    ),
    ("without_a_script_nothing_is_lost", false, without_script),
    ("no_page_scrolls_sideways_at_360", false, narrow),
    (
        "a_list_without_dates_has_no_column_for_them",
        false,
        undated,
    ),
    ("the_dark_scheme_has_light_ink_on_dark_paper", false, dark),
    ("ten_thousand_titles_are_filtered", false, many),
    ("no_page_asks_for_anything_outside", false, no_outside),
    ("a_preview_keeps_up_with_edits", false, previewed),
    ("no_page_has_a_violation_in_light", true, axe_light),
    ("no_page_has_a_violation_in_dark", true, axe_dark),
];

/// One page of each kind.
const KINDS: [&str; 19] = [
    "/",
    "/journal/",
    "/journal/page/2/",
    "/journal/?q=lime",
    "/tags/",
    "/tags/lime/",
    "/categories/",
    "/by/",
    "/archive/",
    "/2026/",
    "/fleet/",
    "/about/",
    "/search/?q=lime&category=locks",
    "/2026/masons-marks/",
    "/feeds/",
    "/de/",
    "/de/tags/kalk/",
    "/de/2026/neun-nester/",
    "/de/search/?q=kalk",
];

/// Pages of the documentation: its home page, a group, a subject, long tables, and code.
const DOCUMENTATION: [&str; 9] = [
    "/",
    "/how-to/",
    "/subjects/",
    "/subjects/queries/",
    "/journal/",
    "/reference/keys/",
    "/reference/diagnostics/",
    "/how-to/series/",
    "/reference/markdown/",
];

/// The pages to look at, each with the port of its site.
fn all_pages(world: &World) -> impl Iterator<Item = (u16, &'static str)> {
    let site = KINDS.iter().map(|path| (world.site_port, *path));
    let documentation = DOCUMENTATION
        .iter()
        .map(|path| (world.documentation_port, *path));
    site.chain(documentation)
}

const TITLES: &str = "[...document.querySelectorAll('.lines a')].map(a => a.textContent)";
const SAID: &str = "document.querySelector('.find [role=status]').textContent";

fn filter(world: &World) -> Result<(), Failed> {
    world.look("/journal/", WIDE, false, async |page: &Page| {
        page.type_in("LIME").await?;
        page.until(SAID, json!("3 of 40")).await?;
        page.until(
            TITLES,
            json!([
                "Lime in a cold spring",
                "Hot lime at Wendle",
                "Lime, and why we wait"
            ]),
        )
        .await?;
        page.until("document.getElementById('list').hidden", json!(true))
            .await?;
        assert_eq!(page.address().await?, "/journal/?q=LIME");
        page.type_in(" xyz").await?;
        page.until(SAID, json!("Nothing found.")).await?;
        for _ in 0..8 {
            page.type_in("\u{e003}").await?;
        }
        page.until("document.getElementById('list').hidden", json!(false))
            .await?;
        assert_eq!(page.address().await?, "/journal/");
        Ok(())
    })
}

fn search_in_german(world: &World) -> Result<(), Failed> {
    world.look("/de/search/", WIDE, false, async |page: &Page| {
        page.type_in("kalk fruhl").await?;
        page.until(HITS, json!(["Kalk in einem kalten Frühling"]))
            .await?;
        page.type_in(" xyz").await?;
        page.until(SAID, json!("Nichts gefunden.")).await?;
        Ok(())
    })
}

fn switch(world: &World) -> Result<(), Failed> {
    let titles = ["/tags/lime/", "/de/tags/kalk/"];
    world.look(titles[0], WIDE, false, async |page: &Page| {
        page.click(".languages [hreflang=de]").await?;
        page.until("document.documentElement.lang", json!("de"))
            .await?;
        assert_eq!(page.address().await?, titles[1]);
        page.click(".languages [hreflang=en]").await?;
        page.until("document.documentElement.lang", json!("en"))
            .await?;
        assert_eq!(page.address().await?, titles[0]);
        Ok(())
    })
}

fn paging(world: &World) -> Result<(), Failed> {
    world.look("/journal/", WIDE, false, async |page: &Page| {
        page.type_in("the").await?;
        page.until(SAID, json!("12 of 40")).await?;
        page.until(&format!("{TITLES}.length"), json!(8)).await?;
        page.click(".pager .older").await?;
        page.until(&format!("{TITLES}.length"), json!(4)).await?;
        assert_eq!(page.address().await?, "/journal/page/2/?q=the");
        page.until("document.querySelector('#q').value", json!("the"))
            .await?;
        page.click(".pager .newer").await?;
        page.until(&format!("{TITLES}.length"), json!(8)).await?;
        assert_eq!(page.address().await?, "/journal/?q=the");
        Ok(())
    })
}

fn shared(world: &World) -> Result<(), Failed> {
    world.look(
        "/journal/page/5/?q=lime",
        WIDE,
        false,
        async |page: &Page| {
            page.until(SAID, json!("3 of 40")).await?;
            page.until(&format!("{TITLES}.length"), json!(3)).await
        },
    )
}

fn in_place(world: &World) -> Result<(), Failed> {
    world.look("/2026/?q=lime", WIDE, false, async |page: &Page| {
        page.until(SAID, json!("1 of 8")).await?;
        let shown = "[...document.querySelectorAll('#list li, #list h2')].filter(e => e.offsetParent).map(e => e.textContent.trim().split(/\\s{2,}|\\n/).pop())";
        let found = page.eval(shown).await?;
        let found: Vec<String> = serde_json::from_value(found)?;
        assert_eq!(found.len(), 2, "{found:?}");
        assert!(found[0] == "February 2026" && found[1].ends_with("Lime in a cold spring"), "{found:?}");
        Ok(())
    })
}

fn search(world: &World) -> Result<(), Failed> {
    world.look_at(
        world.plain_port,
        "/search/",
        WIDE,
        false,
        async |page: &Page| {
            page.type_in("LIM").await?;
            // A word of the title ranks above a word of the summary.
            page.until(TITLES, json!(["Lime", "Sand"])).await?;
            assert_eq!(page.address().await?, "/search/?q=LIM");
            page.go_at(world.plain_port, "/search/?q=kiln+mortar")
                .await?;
            page.until(TITLES, json!(["Lime"])).await?;
            page.go_at(world.plain_port, "/search/?q=concealed").await?;
            page.until(SAID, json!("Nothing found.")).await
        },
    )
}

const HITS: &str = "[...document.querySelectorAll('#_hits a')].map(a => a.textContent)";
const EXCERPTS: &str = "[...document.querySelectorAll('#_hits p')].map(p => [...p.querySelectorAll('mark')].map(m => m.textContent))";
/// The values of a facet, by its number, with their counts.
const VALUES: &str = "(at => [...document.querySelectorAll('#_facets details')[at].querySelectorAll('label')].map(l => l.textContent.trim()))";

fn full_search(world: &World) -> Result<(), Failed> {
    world.look("/search/", WIDE, false, async |page: &Page| {
        page.type_in("ines lime").await?;
        // Four posts that she wrote have words that begin so.
        page.until(SAID, json!("4 of 46")).await?;
        page.until(&format!("{HITS}[0]"), json!("Lime, and why we wait"))
            .await?;
        assert_eq!(page.address().await?, "/search/?q=ines+lime");
        // Words of texts alone, without regard to accents and case, and their beginnings.
        page.go("/search/?q=THERMOM%C3%A9ter+duv").await?;
        page.until(HITS, json!(["Lime in a cold spring"])).await?;
        page.until(EXCERPTS, json!([["duvets", "thermometer"]]))
            .await?;
        page.go("/search/?q=otter").await?;
        page.until(SAID, json!("Nothing found.")).await?;
        page.go("/search/?q=wendle").await?;
        page.until(SAID, json!("14 of 46")).await?;
        page.until(&format!("{HITS}.length"), json!(10)).await?;
        page.until(&format!("/Wendle/.test({HITS}[0])"), json!(true))
            .await?;
        page.until("document.getElementById('_more').hidden", json!(false))
            .await?;
        // Excerpts that come in may move the button under a pointer.
        page.eval("document.getElementById('_more').click()")
            .await?;
        page.until(&format!("{HITS}.length"), json!(14)).await?;
        // The focus goes on to the first of the new hits.
        page.until(
            "[...document.querySelectorAll('#_hits a')].indexOf(document.activeElement)",
            json!(10),
        )
        .await
    })
}

fn facets(world: &World) -> Result<(), Failed> {
    world.look("/search/?q=lime", WIDE, false, async |page: &Page| {
        page.until(
            &format!("{VALUES}(0)"),
            json!(["Locks 3", "Work parties 3", "Wildlife 1"]),
        )
        .await?;
        page.click("#_facets input[value=locks]").await?;
        page.until(SAID, json!("3 of 46")).await?;
        assert_eq!(page.address().await?, "/search/?q=lime&category=locks");
        page.click("#_facets details:nth-of-type(3) summary")
            .await?;
        page.until(&format!("{VALUES}(2)"), json!(["2026 2", "2022 1"]))
            .await?;
        page.click("#_facets input[value='2026']").await?;
        page.until(HITS, json!(["Lime in a cold spring", "Masons’ marks"]))
            .await?;
        // The other categories count the posts of the year alone.
        page.until(&format!("{VALUES}(0)"), json!(["Locks 2"]))
            .await?;
        page.go("/search/?category=locks&year=2026").await?;
        page.until(
            "document.querySelectorAll('#_facets :checked').length",
            json!(2),
        )
        .await?;
        page.until(
            &format!("{HITS}.includes('Lime in a cold spring')"),
            json!(true),
        )
        .await
    })
}

fn without_script(world: &World) -> Result<(), Failed> {
    world.look("/journal/", WIDE, false, async |page: &Page| {
        let source = "fetch('/journal/').then(r => r.text()).then(t => new DOMParser().parseFromString(t, 'text/html'))";
        let bare = format!(
            "{source}.then(d => [d.querySelector('.find').hidden, d.querySelectorAll('#list article').length, d.querySelectorAll('.pager a').length > 3])"
        );
        assert_eq!(page.eval(&bare).await?, json!([true, 8, true]));
        let search = source.replace("/journal/", "/search/");
        let lists = format!("{search}.then(d => d.querySelectorAll('noscript a, noscript li').length > 0 || /<a/.test(d.querySelector('noscript').textContent))");
        assert_eq!(page.eval(&lists).await?, json!(true));
        Ok(())
    })
}

fn narrow(world: &World) -> Result<(), Failed> {
    world.look("/", NARROW, false, async |page: &Page| {
        for (port, path) in all_pages(world) {
            page.go_at(port, path).await?;
            let wide = page
                .eval("(e => [e.clientWidth >= 340, e.scrollWidth - e.clientWidth])(document.documentElement)")
                .await?;
            assert_eq!(wide, json!([true, 0]), "{path}");
        }
        Ok(())
    })
}

fn undated(world: &World) -> Result<(), Failed> {
    world.look("/", WIDE, false, async |page: &Page| {
        // The rows of a list, and the text beside their dates.
        let lists = [
            ("/fleet/", ".card", ".what", true),
            ("/fleet/class/punt/", ".lines li", "a", true),
            ("/journal/", ".card", ".what", false),
            ("/2026/", ".lines li", "a", false),
        ];
        for (path, row, title, is_at_the_edge) in lists {
            page.go(path).await?;
            let left = |selector: &str| {
                format!("document.querySelector('{selector}').getBoundingClientRect().left")
            };
            let distance = format!("{} - {}", left(&format!("{row} {title}")), left(row));
            let distance = page.eval(&distance).await?.as_f64();
            assert_eq!(
                distance.map(|distance| distance < 1.0),
                Some(is_at_the_edge),
                "{path}"
            );
        }
        Ok(())
    })
}

fn dark(world: &World) -> Result<(), Failed> {
    world.look("/", WIDE, true, async |page: &Page| {
        let light = "(s => s.match(/\\d+/g).slice(0, 3).reduce((a, b) => a + +b, 0))";
        let of = |name: &str| format!("{light}(getComputedStyle(document.body).{name})");
        let paper = page.eval(&of("backgroundColor")).await?.as_u64();
        let ink = page.eval(&of("color")).await?.as_u64();
        assert!(paper < Some(150) && ink > Some(600), "{paper:?} {ink:?}");
        Ok(())
    })
}

#[expect(
    clippy::print_stdout,
    reason = "the time is for who reads the run; nothing depends on it"
)]
fn many(world: &World) -> Result<(), Failed> {
    world.look("/many/?q=e", WIDE, false, async |page: &Page| {
        page.until(SAID, json!("10000 of 10000")).await?;
        page.type_in("tude 99").await?;
        page.until(SAID, json!("280 of 10000")).await?;
        let key = "(async () => { const q = document.querySelector('#q'); const times = []; \
            for (const text of ['l', 'lo', 'loc', 'lock', 'lock 1', 'lock 12', 'lock 123']) { \
            q.value = text; const start = performance.now(); q.dispatchEvent(new Event('input')); \
            await new Promise(r => setTimeout(r)); document.body.offsetHeight; times.push(performance.now() - start); } \
            return times.sort((a, b) => a - b)[3]; })()";
        let median = page.eval(key).await?.as_f64().unwrap_or(f64::MAX);
        println!("a key over 10,000 titles: {median:.1} ms");
        page.until(SAID, json!("20 of 10000")).await
    })
}

fn no_outside(world: &World) -> Result<(), Failed> {
    world.look("/", WIDE, false, async |page: &Page| {
        for path in KINDS {
            page.go(path).await?;
            let names = page
                .eval("performance.getEntriesByType('resource').map(e => new URL(e.name).host).filter(h => h != location.host)")
                .await?;
            assert_eq!(names, json!([]), "{path}");
        }
        Ok(())
    })
}

fn previewed(world: &World) -> Result<(), Failed> {
    const POST: &str = "posts/2026/2026-09-12-masons-marks.md";
    const HEADING: &str = "document.querySelector('h1').textContent";
    const DIAGNOSTIC: &str = "[...document.body.children].map(e => e.shadowRoot?.querySelector('pre')?.textContent ?? '').join('').split(':')[0]";
    let preview = Previewed::new()?;
    world.look_at(
        preview.port,
        "/2026/masons-marks/",
        WIDE,
        false,
        async |page: &Page| {
            preview.edit(POST, |text| text.replacen("title: ", "title: Anew, ", 1));
            page.until(&format!("{HEADING}.startsWith('Anew, ')"), json!(true))
                .await?;
            preview.edit(POST, |text| {
                text.replacen("title: Anew, ", "title: [Anew, ", 1)
            });
            page.until(DIAGNOSTIC, json!(POST)).await?;
            // The last good page is still there.
            assert_eq!(
                page.eval(&format!("{HEADING}.startsWith('Anew, ')"))
                    .await?,
                json!(true)
            );
            preview.edit(POST, |text| {
                text.replacen("title: [Anew, ", "title: Mended, ", 1)
            });
            page.until(&format!("{HEADING}.startsWith('Mended, ')"), json!(true))
                .await?;
            page.until(DIAGNOSTIC, json!("")).await
        },
    )
}

fn axe_light(world: &World) -> Result<(), Failed> {
    axe(world, false)
}

fn axe_dark(world: &World) -> Result<(), Failed> {
    axe(world, true)
}

fn axe(world: &World, dark: bool) -> Result<(), Failed> {
    let engine = world.axe_core()?;
    world.look("/", WIDE, dark, async |page: &Page| {
        let mut found = Vec::new();
        for (port, path) in all_pages(world) {
            page.go_at(port, path).await?;
            found.extend(page.violations(&engine, path).await?);
        }
        assert!(found.is_empty(), "{}", found.join("\n"));
        Ok(())
    })
}
