// Narrows a list as the reader types, over all of its pages, and keeps the words in ?q=.
// form.find: data-rows names a file of rows (else the items on the page are all there are),
// data-page, data-per and data-link place this page in its list; data-of, data-none and
// data-failed are words.
// The file: {"posts": [row, …]}, or {"terms": [name, …], "posts": [[row, summary, [term, …]], …]}
// where a row is [title, address, date, date in words].
(() => {
  const form = document.querySelector("form.find");
  if (!form) return;
  const set = form.dataset, field = form.elements.q, said = form.querySelector("[role=status]");
  const list = document.getElementById("list"), pager = document.querySelector(".pager");
  const count = document.querySelector(".count"), per = +set.per || 100;
  const fold = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
  const make = (name, text, more) => Object.assign(document.createElement(name), text && { textContent: text }, more);
  let found, rows;

  const fromFile = async () => {
    const data = await (await fetch(set.rows)).json();
    return data.posts.map((post) => {
      const [row, summary, terms] = data.terms ? post : [post, "", []];
      const names = terms.map((term) => data.terms[term]).join("\n");
      return { title: fold(row[0]), rest: fold(summary + "\n" + names), row, summary };
    });
  };
  const fromPage = () => [...list.querySelectorAll("article, li:not(article li)")].map((item) => (
    { title: fold(item.querySelector("h2, h3, a").textContent), rest: "", item }));
  const load = () => (rows ??= set.rows ? fromFile() : Promise.resolve(fromPage()));

  const line = ({ row: [title, link, date, day], summary }) => {
    const item = make("li"), when = make("span", "", { className: "when" });
    if (date) when.append(make("time", day, { dateTime: date }));
    item.append(when, " ", make("a", title, { href: link }));
    if (summary) item.append(make("p", summary));
    return item;
  };
  const turn = (page, word, rel) => {
    const link = make("a", word, { className: rel, rel: rel == "newer" ? "prev" : "next" });
    link.href = set.link + (page > 1 ? `page/${page}/` : "") + "?q=" + encodeURIComponent(field.value.trim());
    return link;
  };

  const draw = (matches) => {
    const pages = Math.ceil(matches.length / per), page = Math.min(+set.page || 1, pages || 1);
    const box = make("div"), lines = make("ul", "", { className: "lines" });
    lines.append(...matches.slice((page - 1) * per, page * per).map(line));
    if (matches.length) box.append(lines);
    if (set.link && pages > 1) {
      const nav = make("nav", "", { className: "pager" });
      if (page > 1) nav.append(turn(page - 1, set.newer, "newer"));
      nav.append(make("span", `${page} ${set.of} ${pages}`));
      if (page < pages) nav.append(turn(page + 1, set.older, "older"));
      box.append(nav);
    }
    return box;
  };
  const hideItems = (all, matches) => {
    const kept = new Set(matches);
    for (const row of all) row.item.hidden = !kept.has(row);
    for (const part of list.querySelectorAll(".cards, .lines")) {
      const none = !part.querySelector(":scope > :not([hidden])");
      part.hidden = none;
      if (part.previousElementSibling?.matches(".group")) part.previousElementSibling.hidden = none;
    }
  };

  const show = async () => {
    const words = fold(field.value).split(/\s+/).filter(Boolean);
    const address = new URL(location);
    words.length ? address.searchParams.set("q", field.value.trim()) : address.searchParams.delete("q");
    history.replaceState(null, "", address);
    let all = [];
    try {
      if (words.length || rows) all = await load();
    } catch {
      rows = undefined;
      said.textContent = set.failed;
      return;
    }
    const has = (text) => words.every((word) => text.includes(word));
    const first = all.filter((row) => has(row.title));
    const then = set.link ? [] : all.filter((row) => row.rest && !has(row.title) && has(row.title + "\n" + row.rest));
    const matches = words.length ? first.concat(then) : all;
    said.textContent = !words.length ? "" : matches.length ? `${matches.length} ${set.of} ${all.length}` : set.none;
    if (!set.rows) return hideItems(all, matches);
    found?.remove();
    for (const part of [list, pager, count]) if (part) part.hidden = words.length > 0;
    if (words.length) list.after((found = draw(matches)));
  };

  form.hidden = false;
  form.addEventListener("submit", (event) => event.preventDefault());
  field.addEventListener("input", show);
  field.value = new URLSearchParams(location.search).get("q") ?? "";
  if (field.value) show();
})();
