// Reloads the page when the site was built again, renews style sheets without a reload, and shows
// diagnostics over the page.
const own = document.currentScript;
const at = Number(new URL(own.src).searchParams.get('at'));
let shown = null;

function cover(html) {
  if (shown) shown.remove();
  shown = document.createElement('div');
  shown.attachShadow({ mode: 'open' }).innerHTML = html;
  document.body.append(shown);
}

new EventSource('/~tabulae/events').onmessage = async (event) => {
  const now = JSON.parse(event.data);
  if (now.diagnostics) return cover(await (await fetch('/~tabulae/diagnostics')).text());
  if (now.version === at && !shown) return;
  if (!now.styles || shown) return location.reload();
  for (const link of document.querySelectorAll('link[rel=stylesheet]')) {
    const address = new URL(link.href);
    address.searchParams.set('at', now.version);
    link.href = address;
  }
};

// "Why here?": outlines each list of the page, and names what makes it.
const KEY = 'tabulae-why-here';
const host = document.createElement('div');
const root = host.attachShadow({ mode: 'open' });
const sheet = new CSSStyleSheet();
sheet.replaceSync(`
:host { all: initial; color-scheme: light dark; font: 14px/1.4 system-ui, sans-serif; }
button, a, p { font: inherit; margin: 0; color: light-dark(#1d1b18, #ece7dc); background: light-dark(#fffdf8, #24211d); border: 1px solid light-dark(#8a8272, #7d7566); border-radius: 3px; padding: 2px 8px; }
button { position: fixed; left: 8px; bottom: 8px; z-index: 2147483000; cursor: pointer; }
button[aria-pressed="true"] { background: light-dark(#dfeceb, #21403f); }
button:focus-visible, a:focus-visible { outline: 2px solid #0b8a90; outline-offset: 1px; }
p { position: fixed; left: 8px; right: 8px; bottom: 42px; z-index: 2147483000; width: fit-content; max-width: calc(100% - 34px); }
p:empty { display: none; }
a { position: absolute; z-index: 2147482999; border-color: #0b8a90; box-sizing: border-box; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`);
root.adoptedStyleSheets = [sheet];
const button = document.createElement('button');
button.type = 'button';
button.textContent = 'Why here?';
const note = document.createElement('p');
note.setAttribute('role', 'status');
const aside = document.createElement('aside');
aside.setAttribute('aria-label', 'Why here?');
aside.append(button, note);
root.append(aside);
let outlined = [];

/** Returns the smallest element with a link to each of the addresses that the page has; null if it has less than half of them. */
function elementOf(addresses) {
  const path = (link) => new URL(link, location.href).pathname;
  const wanted = new Set(addresses.map(path));
  const links = [...document.querySelectorAll('a[href]')].filter((link) => link.origin === location.origin && wanted.has(link.pathname) && !link.closest('nav'));
  const present = new Set(links.map((link) => link.pathname));
  if (2 * present.size < wanted.size) return null;
  let best = null;
  for (const link of links.filter((one) => one.pathname === links[0].pathname)) {
    let element = link.parentElement;
    const has = (one) => new Set(links.filter((other) => one.contains(other)).map((other) => other.pathname)).size === present.size;
    while (element && !has(element)) element = element.parentElement;
    if (element && (!best || best.contains(element))) best = element;
  }
  // One link alone: the item around it.
  return best && present.size === 1 ? (best.closest('li, article, p, section, div') ?? best) : best;
}

function label(list, page, element, above) {
  const link = document.createElement('a');
  const state = new URLSearchParams(list.kind === 'related' ? { view: 'related', post: page.this } : { q: list.query ?? '' });
  if (list.kind === 'query' && page.this) state.set('this', page.this);
  else if (page.language) state.set('language', page.language);
  link.href = `/~tabulae/?${state}`;
  link.textContent = [`${list.kind} ${list.name}`.trim(), list.place, list.query].filter(Boolean).join(' · ');
  link.title = link.textContent;
  const box = element.getBoundingClientRect();
  link.style.maxWidth = `${Math.max(160, box.width)}px`;
  link.style.left = `${Math.max(4, box.left + scrollX)}px`;
  link.style.top = `${Math.max(2, box.top + scrollY - 28 + 26 * above)}px`;
  aside.append(link);
}

function clear() {
  aside.querySelectorAll('a').forEach((link) => link.remove());
  for (const [element, outline] of outlined) element.style.outline = outline;
  outlined = [];
  note.textContent = '';
}

async function explain() {
  const page = await (await fetch(`/~tabulae/data/lists?${new URLSearchParams({ path: decodeURI(location.pathname) })}`)).json();
  clear();
  const absent = [];
  const count = new Map();
  for (const list of page.lists) {
    const element = list.links.length ? elementOf(list.links) : null;
    if (!element) {
      absent.push(`${list.kind} ${list.name} (${list.place})`.replace(' (', list.links.length ? ' is not shown here as a list (' : ' is empty ('));
      continue;
    }
    const above = count.get(element) ?? 0;
    count.set(element, above + 1);
    if (!above) outlined.push([element, element.style.outline]);
    element.style.outline = '2px solid #0b8a90';
    label(list, page, element, above);
  }
  const found = page.lists.length - absent.length;
  note.textContent = page.lists.length ? [`${found} of ${page.lists.length} lists of this page`, ...absent].join('; ') : 'This page has no list.';
}

function turn(on) {
  button.setAttribute('aria-pressed', String(on));
  sessionStorage.setItem(KEY, on ? 'on' : '');
  if (on) explain();
  else clear();
}

button.addEventListener('click', () => turn(button.getAttribute('aria-pressed') !== 'true'));
addEventListener('resize', () => outlined.length && explain());
addEventListener('load', () => {
  document.body.append(host);
  turn(sessionStorage.getItem(KEY) === 'on');
});
