// Finds posts by the words of whole texts, narrowed by facets, and keeps both in the address.
// The files of the index, below form.find[data-index], are described in crates/core/src/search/full_text.rs.
(() => {
  const form = document.querySelector("form.find[data-index]");
  if (!form) return;
  const set = form.dataset, field = form.elements.q, said = form.querySelector("[role=status]");
  const found = document.querySelector(".found"), hits = document.getElementById("_hits");
  const sides = document.getElementById("_facets"), more = document.getElementById("_more");
  // Hits at a time, and the first of them that are shown at once; values of a facet at first; posts in a file of rows
  // and in one of a facet; the bytes that a query may load for excerpts that nobody scrolled to; the pauses, in
  // milliseconds, after a single letter and before what is not seen at once: a reader who types on needs neither.
  const SHOWN = 10, FIRST = 5, VALUES = 8, BLOCK = 16, FACET_BLOCK = 4096, BUDGET = 60000, LETTER = 150, REST = 80;
  // The length of a part of a text, in bytes.
  const PART = 512;
  const pause = (time) => new Promise((done) => setTimeout(done, time));
  const make = (name, more, ...parts) => {
    const made = Object.assign(document.createElement(name), more);
    made.append(...parts);
    return made;
  };

  // Words, as the index has them.
  const ALONE = "\u0e00-\u0eff\u1000-\u109f\u1780-\u17ff\u3040-\u30ff\u3400-\u4dbf\u4e00-\u9fff\uf900-\ufaff\u{20000}-\u{3ffff}";
  const WORD = new RegExp(`[${ALONE}]|(?:(?![${ALONE}])[\\p{Alphabetic}\\p{N}\\p{M}])+`, "gu");
  const fold = (word) => word.normalize("NFD").replace(/\p{M}/gu, "").toUpperCase().toLowerCase().replaceAll("ς", "σ");
  const wordsOf = (text) => [...new Set((text.match(WORD) ?? []).map(fold).filter(Boolean))];

  // Files, each loaded once, and the bytes that were loaded for this query.
  const files = new Map();
  let spent = 0;
  const once = (name, get) => {
    if (!files.has(name)) {
      const got = get();
      got.catch(() => files.delete(name));
      files.set(name, got);
    }
    return files.get(name);
  };
  const load = async (address, how) => {
    const answer = await fetch(address, how);
    if (!answer.ok) throw new Error(address);
    return answer;
  };
  const sizeOf = (answer) => Number(answer.headers.get("content-length"));
  const bytes = (name) => once(name, async () => {
    const answer = await load(set.index + name + ".bin");
    spent += sizeOf(answer);
    const stream = answer.body.pipeThrough(new DecompressionStream("deflate-raw"));
    return new Uint8Array(await new Response(stream).arrayBuffer());
  });
  const json = (name) => once(name + " json", async () => JSON.parse(new TextDecoder().decode(await bytes(name))));
  const reader = (of) => {
    let at = 0;
    return {
      get at() { return at; },
      skip(length) { return of.subarray(at, at += length); },
      number() {
        let value = 0;
        for (let shift = 0; ; shift += 7) {
          const byte = of[at++];
          value |= (byte & 127) << shift;
          if (byte < 128) return value;
        }
      },
    };
  };
  let start, split;
  const begin = () => once("begin", async () => {
    start = await json("start");
    split = new Set(start.split);
  });

  // The posts of a word and of all that begin with it: the rank of each, which is 0 without it, else 1 + 2 * level +
  // (1 if whole), the first part of its text with the word, from 1, and the number of posts.
  const find = (word) => once("word " + word, async () => {
    const letters = [...word];
    let group = letters.shift();
    while (letters.length && split.has(group)) group += letters.shift();
    let hash = 0x811c9dc5;
    for (const byte of new TextEncoder().encode(group)) hash = Math.imul(hash ^ byte, 0x01000193) >>> 0;
    const file = await bytes("words-" + hash % start.files);
    const ranks = new Uint8Array(start.posts), parts = new Uint16Array(start.posts), read = reader(file), decoder = new TextDecoder();
    while (read.at < file.length) {
      const head = read.number(), text = decoder.decode(read.skip(head >> 1)), length = read.number();
      const isBeginning = head & 1, end = read.at + length;
      const fits = isBeginning || split.has(word) ? isBeginning && text == word : text.startsWith(word);
      if (!fits) {
        read.skip(length);
        continue;
      }
      // As many postings as parts: both come to the end together.
      const numbers = [];
      while (read.at < end) numbers.push(read.number());
      const half = numbers.length / 2;
      for (let at = 0, post = -1; at < half; at++) {
        const value = numbers[at], part = numbers[at + half];
        post += 1 + (isBeginning ? value >>> 3 : value >>> 2);
        const rank = isBeginning ? value & 7 : (value & 3) * 2 + (text == word);
        ranks[post] = Math.max(ranks[post], 1 + rank);
        if (part && (!parts[post] || part < parts[post])) parts[post] = part;
      }
    }
    return { ranks, parts, count: ranks.reduce((count, rank) => count + (rank > 0), 0) };
  });

  // Matching posts, the best first: by words in the title, by rank, by date.
  const match = async (words) => {
    const lists = await Promise.all(words.map(find)), matches = [];
    for (let post = start.posts - 1; post >= 0; post--) {
      let score = 1, all = true;
      for (const { ranks } of lists) {
        const rank = ranks[post];
        if (!rank) { all = false; break; }
        score += rank + (rank > 6 ? 1000 : 0);
      }
      if (all) matches.push([post, score]);
    }
    return matches.sort((a, b) => b[1] - a[1]).map(([post]) => post);
  };
  // The part of a post's text with the rarest of the words that it has; 0 without any.
  const partOf = async (words, post) => {
    const lists = (await Promise.all(words.map(find))).filter(({ parts }) => parts[post]);
    return lists.sort((a, b) => a.count - b.count)[0]?.parts[post] ?? 0;
  };

  const row = async (post) => (await json("posts-" + Math.floor(post / BLOCK)))[post % BLOCK];

  // The numbers of a facet's values of each of these posts.
  const valuesOf = async (facet, posts) => {
    const blocks = [...new Set(posts.map((post) => Math.floor(post / FACET_BLOCK)))];
    const read = new Map(await Promise.all(blocks.map(async (block) => {
      const name = `facet-${facet}-${block}`;
      return [block, await once(name + " values", async () => {
        const file = await bytes(name), from = reader(file), lists = [];
        while (from.at < file.length) lists.push(Array.from({ length: from.number() }, () => from.number()));
        return lists;
      })];
    })));
    return (post) => read.get(Math.floor(post / FACET_BLOCK))[post % FACET_BLOCK];
  };

  // The facets: their elements, and what is chosen in each, by the words of addresses. `drawn` is what they count.
  let facets = [], drawn;
  const addressed = new URLSearchParams(location.search);
  const makeFacets = () => {
    if (facets.length) return;
    facets = start.facets.map(([name, title], at) => {
      const list = make("ul"), all = make("button", { type: "button", textContent: set.more, hidden: true });
      const box = make("details", {}, make("summary", { textContent: title }), list, all);
      const facet = { at, name, box, list, all, chosen: new Set(addressed.getAll(name)), limit: VALUES };
      box.open = facet.chosen.size > 0 || (at == 0 && innerWidth > 700);
      box.addEventListener("toggle", () => box.open && drawn && drawFacet(facet, drawn));
      all.addEventListener("click", async () => {
        facet.limit = Infinity;
        await drawFacet(facet, drawn);
        list.querySelectorAll("input")[VALUES]?.focus();
      });
      return facet;
    });
    sides.append(...facets.map((facet) => facet.box));
  };
  const narrowed = async (posts, except) => {
    for (const facet of facets) {
      if (facet == except || !facet.chosen.size) continue;
      const values = await json("facet-" + facet.at), of = await valuesOf(facet.at, posts);
      posts = posts.filter((post) => of(post).some((value) => facet.chosen.has(values[value][1])));
    }
    return posts;
  };
  const drawFacet = async (facet, { matches, isAll, is }) => {
    const values = await json("facet-" + facet.at), counts = new Map();
    const posts = await narrowed(matches, facet);
    if (isAll && posts.length == start.posts) values.forEach(([, , count], value) => counts.set(value, count));
    else {
      const of = await valuesOf(facet.at, posts);
      for (const post of posts) for (const value of of(post)) counts.set(value, (counts.get(value) ?? 0) + 1);
    }
    values.forEach(([, slug], value) => facet.chosen.has(slug) && !counts.has(value) && counts.set(value, 0));
    if (!is()) return;
    const shown = [...counts].sort((a, b) => (facet.name == "year" ? 0 : b[1] - a[1]) || a[0] - b[0]);
    const isFirst = ([value], at) => at < facet.limit || facet.chosen.has(values[value][1]);
    facet.all.hidden = shown.filter(isFirst).length == shown.length;
    const focused = facet.list.contains(document.activeElement) && document.activeElement.value;
    facet.list.replaceChildren(...shown.filter(isFirst).map(([value, count]) => {
      const [name, slug] = values[value];
      const input = make("input", { type: "checkbox", name: facet.name, value: slug, checked: facet.chosen.has(slug) });
      return make("li", {}, make("label", {}, input, " ", make("span", { textContent: name }), " ",
        make("small", { textContent: count })));
    }));
    if (focused) [...facet.list.querySelectorAll("input")].find((input) => input.value == focused)?.focus();
  };
  sides.addEventListener("change", ({ target }) => {
    const facet = facets.find((facet) => facet.name == target.name);
    target.checked ? facet.chosen.add(target.value) : facet.chosen.delete(target.value);
    limit = SHOWN;
    show();
  });
  sides.addEventListener("submit", (event) => event.preventDefault());

  // A text with the words that match in <mark>.
  const isMatch = (word, words) => words.some((wanted) => fold(word).startsWith(wanted));
  const marked = (text, words) => {
    const parts = [];
    let from = 0;
    for (const { 0: word, index } of text.matchAll(WORD)) {
      if (!isMatch(word, words)) continue;
      parts.push(text.slice(from, index), make("mark", { textContent: word }));
      from = index + word.length;
    }
    return [...parts, text.slice(from)];
  };
  // The part of a text with most of the words, the first of several.
  const excerpt = (text, words, isPiece) => {
    const places = [...text.matchAll(WORD)].map(({ 0: word, index }) => (
      { index, wanted: words.findIndex((wanted) => fold(word).startsWith(wanted)) })).filter(({ wanted }) => wanted >= 0);
    if (!places.length) return;
    let best = places[0].index, most = 0;
    places.forEach(({ index }, at) => {
      const near = new Set();
      for (let to = at; to < places.length && places[to].index < index + 140; to++) near.add(places[to].wanted);
      if (near.size > most) [most, best] = [near.size, index];
    });
    let from = Math.max(0, best - 60), to = Math.min(text.length, from + 220);
    if (from) from = Math.min(best, text.indexOf(" ", from) + 1 || from);
    if (to < text.length) to = Math.max(best + 1, text.lastIndexOf(" ", to));
    return [from || isPiece ? "… " : "", ...marked(text.slice(from, to), words), to < text.length || isPiece ? " …" : ""];
  };
  const parse = (html) => {
    const page = new DOMParser().parseFromString(html, "text/html");
    page.querySelectorAll("script, style, nav, template").forEach((other) => other.remove());
    return page;
  };
  const plain = (element) => element.textContent.replace(/\s+/g, " ").trim();
  const lengthOf = (text) => new TextEncoder().encode(text).length;

  // Excerpts, from the pages of hits: of those in sight as far as the budget goes, of others as the reader moves to
  // them. Where the text of a page begins, and how much longer its HTML is, is learnt from the start of the first, and
  // says which bytes of the others to ask for (RFC 9110, section 14). A server without ranges sends whole pages.
  const HEAD = 4096;
  let moved = false, isDrawn = false, shape;
  const texts = new Map();
  const textElement = (page) => page.querySelector("article .text") ?? page.querySelector("article, main") ?? page.body;
  const piece = async (link, from, to) => {
    const answer = await load(link, { headers: { Range: `bytes=${from}-${to}` } });
    if (answer.status != 206) return "";
    const bytes = await answer.arrayBuffer();
    spent += bytes.byteLength;
    // Without the rest of a letter in which it begins, and the beginning of a tag at its end.
    return new TextDecoder().decode(bytes).replace(/^\ufffd+/, "").replace(/<[^>]*$/, "");
  };
  const headOf = (link) => once("head " + link, async () => (await load(link, { method: "HEAD" })).headers);
  const fits = (size, isAsked) => isAsked || spent + size <= BUDGET;
  const learnShape = async (link) => {
    if ((await headOf(link)).get("accept-ranges") != "bytes") return false;
    const html = await piece(link, 0, HEAD - 1), element = textElement(parse(html));
    const inner = element.innerHTML.trim(), at = html.indexOf(inner.slice(0, 40)), text = plain(element);
    return at > 0 && text ? { start: lengthOf(html.slice(0, at)), ratio: lengthOf(inner) / lengthOf(text) } : false;
  };
  const pieceOfText = async (link, part, isAsked) => {
    const at = (part - 1) * PART * shape.ratio;
    const from = Math.floor(shape.start + Math.max(0, at * 0.85 - 200));
    const to = Math.ceil(shape.start + (at + PART * shape.ratio) * 1.15 + 400);
    if (!fits(to - from, isAsked)) return;
    const html = await piece(link, from, to);
    // Without the rest of a tag and of a word in which it begins.
    return plain(parse(from > shape.start ? html.replace(/^[^<>]*>|^[^<\s]*\s/, "") : html).body);
  };
  const wholeText = async (link, isAsked) => {
    const head = await headOf(link), size = Number(head.get("content-length"));
    if (!head.get("content-type")?.startsWith("text/html")) return "";
    if (!fits(size, isAsked)) return;
    const html = await (await load(link)).text();
    spent += size || lengthOf(html);
    return plain(textElement(parse(html)));
  };
  const fill = async (item, isAsked) => {
    const { link, words, post } = item;
    if (!link || item.isFilled) return;
    const part = await partOf(words, post);
    let parts, text = texts.get(link);
    if (part) {
      shape ??= await learnShape(link);
      if (shape && !text) {
        const found = await pieceOfText(link, part, isAsked);
        if (found === undefined) return;
        parts = excerpt(found, words, true);
      }
      if (!parts) {
        text ??= await wholeText(link, isAsked);
        if (text === undefined) return;
        texts.set(link, text);
        parts = excerpt(text, words);
      }
    }
    item.isFilled = true;
    if (parts) item.lastChild.replaceChildren(...parts);
  };
  const inSight = new Set();
  let filling = Promise.resolve();
  const fillSeen = () => {
    if (!isDrawn) return;
    filling = filling.then(async () => {
      for (const item of [...hits.children]) {
        if (inSight.has(item) && (moved || spent < BUDGET)) await fill(item, moved).catch(() => {});
      }
    });
  };
  const sight = new IntersectionObserver((entries) => {
    for (const { target, isIntersecting } of entries) isIntersecting ? inSight.add(target) : inSight.delete(target);
    fillSeen();
  });
  addEventListener("scroll", () => { moved = true; fillSeen(); }, { passive: true });
  for (const kind of ["focusin", "pointerover"]) {
    hits.addEventListener(kind, ({ target }) => {
      const item = target.closest("li");
      if (item && hits.contains(item)) fill(item, true).catch(() => {});
    });
  }
  const line = (post, [title, link, date, day, summary], words) => {
    const item = make("li"), when = make("span", { className: "when" });
    if (date) when.append(make("time", { textContent: day, dateTime: date }));
    item.append(make("a", { href: link }, ...marked(title, words)), " ", when, make("p", {}, ...marked(summary, words)));
    const isHere = new URL(link, location).origin == location.origin;
    Object.assign(item, { link: isHere && words.length && link, words, post });
    sight.observe(item);
    return item;
  };

  // Each hit is shown as soon as it and those before it are loaded; what was found before stays until then.
  const draw = async (posts, words, is) => {
    sight.disconnect();
    inSight.clear();
    const rows = posts.slice(0, FIRST).map(row);
    for (const [at, post] of posts.entries()) {
      if (at == FIRST) {
        await pause(REST);
        if (!is()) return;
        rows.push(...posts.slice(FIRST).map(row));
      }
      const loaded = await rows[at];
      if (!is()) return;
      if (at == 0) hits.replaceChildren();
      found.hidden = false;
      hits.append(line(post, loaded, words));
    }
    if (!posts.length) hits.replaceChildren();
  };

  let run = 0, limit = SHOWN;
  const keepInAddress = () => {
    const address = new URL(location), q = field.value.trim();
    q ? address.searchParams.set("q", q) : address.searchParams.delete("q");
    for (const { name, chosen } of facets) {
      address.searchParams.delete(name);
      chosen.forEach((value) => address.searchParams.append(name, value));
    }
    history.replaceState(null, "", address);
  };
  const show = async () => {
    const own = ++run, is = () => own == run;
    spent = 0;
    moved = isDrawn = false;
    try {
      await begin();
      makeFacets();
      const words = wordsOf(field.value), isAll = !words.length;
      const isAsked = !isAll || facets.some((facet) => facet.chosen.size);
      const matches = await match(words), posts = await narrowed(matches);
      if (!is()) return;
      drawn = undefined;
      const shown = isAsked ? posts.slice(0, limit) : [];
      // Loaded once, and asked for before anything is drawn.
      shown.slice(0, FIRST).forEach((post) => row(post).catch(() => {}));
      keepInAddress();
      said.textContent = !isAsked ? "" : posts.length ? `${posts.length} ${set.of} ${start.posts}` : set.none;
      await draw(shown, words, is);
      if (posts.length <= FIRST) await pause(REST);
      if (!is()) return;
      more.hidden = !isAsked || posts.length <= limit;
      found.hidden = false;
      drawn = { matches, isAll, is };
      await Promise.all(facets.filter((facet) => facet.box.open).map((facet) => drawFacet(facet, drawn)));
      isDrawn = is();
      fillSeen();
    } catch {
      if (is()) said.textContent = set.failed;
    }
  };
  more.addEventListener("click", async () => {
    const at = hits.children.length;
    limit += SHOWN;
    await show();
    hits.children[at]?.querySelector("a").focus();
  });

  form.hidden = false;
  form.addEventListener("submit", (event) => event.preventDefault());
  let waiting;
  field.addEventListener("input", () => {
    limit = SHOWN;
    clearTimeout(waiting);
    const isLetter = /(^|\s)\S$/.test(field.value);
    isLetter ? waiting = setTimeout(show, LETTER) : show();
  });
  field.value = addressed.get("q") ?? "";
  show();
})();
