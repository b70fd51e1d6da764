//! The workbench of the preview in a browser.

use libtest_mimic::Failed;
use serde_json::json;

use super::Test;
use super::driver::{NARROW, Page, Previewed, WIDE, World};

/// The tests, as those of pages.
pub(crate) const TESTS: &[(&str, bool, Test)] = &[
    ("a_query_runs_while_it_is_typed", false, typed),
    ("a_query_is_completed_by_keys", false, completed),
    ("a_slip_is_corrected_by_a_click", false, corrected),
    ("pickers_put_clauses_in_their_places", false, picked),
    ("an_address_of_the_workbench_has_its_state", false, shared),
    ("weights_are_moved_and_lists_change", false, weighed),
    ("terms_lead_to_their_posts", false, terms),
    ("lists_of_a_page_are_explained", false, explained),
    ("the_workbench_fits_at_360", false, narrow),
    ("the_workbench_has_no_violation_in_light", true, axe_light),
    ("the_workbench_has_no_violation_in_dark", true, axe_dark),
];

const TITLES: &str =
    "[...document.querySelectorAll('#hits td:nth-child(2) > a')].map(a => a.textContent)";
const CHAIN: &str = "[...document.querySelectorAll('#chain li')].map(li => li.textContent)";
const QUERY: &str = "document.getElementById('q').value";

/// Opens a page of a preview of the example site.
fn on<F>(world: &World, path: &str, size: (u32, u32), test: F) -> Result<(), Failed>
where
    F: AsyncFnOnce(&Page) -> Result<(), Failed>,
{
    let preview = Previewed::new()?;
    world.look_at(preview.port, path, size, false, test)
}

fn typed(world: &World) -> Result<(), Failed> {
    on(world, "/~tabulae/", WIDE, async |page: &Page| {
        page.type_in("from posts where tag = 'lime' and year = 2026")
            .await?;
        // Two posts in English, one in German.
        page.until(
            CHAIN,
            json!(["posts 48", "tag = 'lime' 7", "year = 2026 3"]),
        )
        .await?;
        let english = json!(["Masons’ marks", "Lime in a cold spring"]);
        page.eval("(document.getElementById('language').value = 'en', document.getElementById('language').dispatchEvent(new Event('change')))").await?;
        page.until(TITLES, english).await?;
        let hosts = "performance.getEntriesByType('resource').map(e => new URL(e.name).host).filter(h => h != location.host)";
        assert_eq!(page.eval(hosts).await?, json!([]));
        page.eval("document.querySelector('#hits details').open = true")
            .await?;
        page.until(
            "document.querySelector('#hits dl dd')?.textContent.startsWith('Masons’ marks ')",
            json!(true),
        )
        .await?;
        // Why the third is not here, and the form to take.
        page.eval("(w => { w.value = 'two-young-herons'; w.dispatchEvent(new Event('change')); })(document.getElementById('why'))").await?;
        let why = "document.getElementById('why-answer').textContent.split(': ')[1]";
        page.until(why, json!("`tag = 'lime'` is false for it."))
            .await?;
        page.click("#forms button:nth-child(2)").await?;
        page.until(
            "document.getElementById('form').textContent.split('\\n')[0]",
            json!("[archive.lime]"),
        )
        .await
    })
}

fn completed(world: &World) -> Result<(), Failed> {
    const OPEN: &str = "!document.getElementById('choices').hidden";
    const CHOSEN: &str = "document.querySelector('#choices [aria-selected=true]')?.textContent";
    on(world, "/~tabulae/", WIDE, async |page: &Page| {
        page.type_in("from posts where tag = 'ma").await?;
        page.until(OPEN, json!(true)).await?;
        page.type_in("\u{E015}").await?;
        page.until(CHOSEN, json!("masonry11 posts")).await?;
        page.type_in("\u{E007}").await?;
        page.until(QUERY, json!("from posts where tag = 'masonry"))
            .await?;
        assert_eq!(page.eval(OPEN).await?, json!(false));
        page.type_in("' ord").await?;
        page.until(OPEN, json!(true)).await?;
        page.type_in("\u{E00C}").await?;
        page.until(OPEN, json!(false)).await
    })
}

fn corrected(world: &World) -> Result<(), Failed> {
    on(
        world,
        "/~tabulae/?q=from+posts+where+categroy+%3D+%27Locks%27",
        WIDE,
        async |page: &Page| {
            page.until(
                "document.querySelector('#q-error mark')?.textContent",
                json!("categroy"),
            )
            .await?;
            page.click("#q-error button").await?;
            page.until(QUERY, json!("from posts where category = 'Locks'"))
                .await?;
            page.until("document.querySelectorAll('#q-error > *').length", json!(0))
                .await?;
            page.until("document.querySelectorAll('#chain li').length", json!(2))
                .await
        },
    )
}

fn picked(world: &World) -> Result<(), Failed> {
    let choose = |id: &str, value: &str| {
        format!(
            "(e => {{ e.value = {value:?}; e.dispatchEvent(new Event('change', {{ bubbles: true }})); }})(document.getElementById({id:?}))"
        )
    };
    on(world, "/~tabulae/", WIDE, async |page: &Page| {
        page.until(
            "document.getElementById('pick-from').options.length > 2",
            json!(true),
        )
        .await?;
        page.eval(&choose("pick-limit", "3")).await?;
        page.until(QUERY, json!("limit 3")).await?;
        page.eval(&choose("pick-from", "posts")).await?;
        page.until(QUERY, json!("from posts limit 3")).await?;
        page.eval(&choose("pick-order", "title")).await?;
        page.until(QUERY, json!("from posts order by title limit 3"))
            .await?;
        page.eval(&choose("pick-value", "lime")).await?;
        page.click("#pickers button").await?;
        page.until(
            QUERY,
            json!("from posts where tag = 'lime' order by title limit 3"),
        )
        .await?;
        page.eval(&choose("pick-field", "year")).await?;
        page.eval(&choose("pick-value", "2026")).await?;
        page.click("#pickers button").await?;
        let whole = "from posts where tag = 'lime' and year = 2026 order by title limit 3";
        page.until(QUERY, json!(whole)).await?;
        // They show what the query has.
        page.type_in("\u{E003}4").await?;
        page.until("['pick-from', 'pick-order', 'pick-limit'].map(id => document.getElementById(id).value)", json!(["posts", "title", "4"])).await
    })
}

fn shared(world: &World) -> Result<(), Failed> {
    on(
        world,
        "/~tabulae/?q=from+posts+where+category+%3D+this.category+and+not+current+limit+4&this=masons-marks&by=year&show=cards",
        WIDE,
        async |page: &Page| {
            page.until("document.querySelectorAll('.card').length", json!(4))
                .await?;
            page.until(
                "document.querySelectorAll('#counts tbody tr').length > 0",
                json!(true),
            )
            .await?;
            page.click("[data-show=table]").await?;
            page.until(
                "document.querySelectorAll('#hits tbody tr').length",
                json!(4),
            )
            .await?;
            page.until("location.search.includes('cards')", json!(false))
                .await?;
            let address = page.address().await?;
            page.go("/").await?;
            page.go(&address).await?;
            page.until(
                "document.querySelectorAll('#hits tbody tr').length",
                json!(4),
            )
            .await?;
            assert_eq!(
                page.eval("document.getElementById('this').value").await?,
                json!("masons-marks")
            );
            Ok(())
        },
    )
}

fn weighed(world: &World) -> Result<(), Failed> {
    const LISTS: &str = "document.querySelectorAll('#lists ol').length";
    on(
        world,
        "/~tabulae/?view=related&post=masons-marks",
        WIDE,
        async |page: &Page| {
            page.until(LISTS, json!(1)).await?;
            let weigh = "(e => { e.value = 5; e.dispatchEvent(new Event('input')); })(document.querySelector('[data-weight=body]'))";
            page.eval(weigh).await?;
            page.until(LISTS, json!(2)).await?;
            page.until(
                "document.querySelectorAll('#figures thead th').length",
                json!(2),
            )
            .await?;
            page.until(
                "document.getElementById('table').textContent.includes('body = 5')",
                json!(true),
            )
            .await?;
            page.until("location.search.includes('weigh.body%3D5')", json!(true))
                .await?;
            page.click("#present").await?;
            page.until(LISTS, json!(1)).await?;
            page.eval("(e => { e.value = 'date < this.date'; e.dispatchEvent(new Event('change')); })(document.getElementById('window'))").await?;
            page.until(
                "document.getElementById('table').textContent.includes('date < this.date')",
                json!(true),
            )
            .await?;
            page.until(
                "document.querySelectorAll('#related-error > *').length",
                json!(0),
            )
            .await
        },
    )
}

fn terms(world: &World) -> Result<(), Failed> {
    on(world, "/~tabulae/?view=terms", WIDE, async |page: &Page| {
        page.until(
            "document.querySelector('#terms h3')?.textContent",
            json!("tag: 32 terms"),
        )
        .await?;
        page.click("#terms a").await?;
        page.until(QUERY, json!("where tag = 'volunteers'")).await?;
        page.until(
            "document.querySelectorAll('#hits tbody tr').length",
            json!(12),
        )
        .await
    })
}

fn explained(world: &World) -> Result<(), Failed> {
    const LABELS: &str = "[...document.body.lastElementChild.shadowRoot.querySelectorAll('a')].map(a => a.textContent.split(' · ')[0])";
    const OUTLINED: &str = "document.querySelectorAll('[style*=outline]').length";
    on(world, "/tags/lime/", WIDE, async |page: &Page| {
        page.until(
            "document.body.lastElementChild.shadowRoot != null",
            json!(true),
        )
        .await?;
        let press = "document.body.lastElementChild.shadowRoot.querySelector('button').click()";
        page.eval(press).await?;
        page.until(LABELS, json!(["archive tags"])).await?;
        assert_eq!(page.eval(OUTLINED).await?, json!(1));
        page.go("/2026/masons-marks/").await?;
        page.until(LABELS, json!(["related"])).await?;
        page.eval(press).await?;
        page.until(OUTLINED, json!(0)).await?;
        page.go("/").await?;
        page.eval(press).await?;
        page.until(&format!("{LABELS}.length > 3"), json!(true))
            .await?;
        page.eval("document.body.lastElementChild.shadowRoot.querySelector('a').click()")
            .await?;
        page.until(
            "document.querySelectorAll('#hits tbody tr').length > 0",
            json!(true),
        )
        .await
    })
}

const VIEWS: [&str; 4] = [
    "/~tabulae/?q=from+posts+where+tag+%3D+%27lime%27&by=year&why=masons-marks",
    "/~tabulae/?q=where+x+%3D&show=cards",
    "/~tabulae/?view=related&post=masons-marks&try=weigh.body%3D4",
    "/~tabulae/?view=terms",
];

const SETTLED: &str = "document.querySelectorAll('main > section:not([hidden]) :is(#hits table, mark, #figures table, #terms table)').length > 0";

fn narrow(world: &World) -> Result<(), Failed> {
    on(world, VIEWS[0], NARROW, async |page: &Page| {
        for path in VIEWS {
            page.go(path).await?;
            page.until(SETTLED, json!(true)).await?;
            let fits = page
                .eval("document.documentElement.scrollWidth <= innerWidth")
                .await?;
            assert_eq!(fits, json!(true), "{path}");
        }
        Ok(())
    })
}

fn axe_light(world: &World) -> Result<(), Failed> {
    axe(world, false)
}

fn axe_dark(world: &World) -> Result<(), Failed> {
    axe(world, true)
}

fn axe(world: &World, dark: bool) -> Result<(), Failed> {
    let engine = world.axe_core()?;
    let preview = Previewed::new()?;
    world.look_at(preview.port, VIEWS[0], WIDE, dark, async |page: &Page| {
        let mut found = Vec::new();
        for path in VIEWS.into_iter().chain(["/tags/lime/"]) {
            page.go(path).await?;
            if path.starts_with("/~") {
                page.until(SETTLED, json!(true)).await?;
            } else {
                page.eval(
                    "document.body.lastElementChild.shadowRoot.querySelector('button').click()",
                )
                .await?;
            }
            tokio::time::sleep(std::time::Duration::from_millis(500)).await;
            found.extend(page.violations(&engine, path).await?);
        }
        assert!(found.is_empty(), "{}", found.join("\n"));
        Ok(())
    })
}
