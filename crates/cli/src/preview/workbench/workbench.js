// The workbench: composes queries, tunes related posts and shows terms. The address holds the whole state.
const $ = (id) => document.getElementById(id);

/** Makes an element with attributes and children; a child that is a text is never read as HTML. */
function make(name, attributes = {}, ...children) {
  const element = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith('on')) element.addEventListener(key.slice(2), value);
    else if (value === true) element.setAttribute(key, '');
    else if (value !== false && value != null) element.setAttribute(key, value);
  }
  element.append(...children.filter((child) => child != null));
  return element;
}

const counted = (count, one = 'post', many = 'posts') => `${count} ${count === 1 ? one : many}`;

/** Asks for the answer to a question; the last answer of each kind wins. */
const asked = {};
async function ask(question, parameters = {}, kind = question) {
  const number = (asked[kind] = (asked[kind] ?? 0) + 1);
  try {
    const answer = await fetch(`/~tabulae/data/${question}?${new URLSearchParams(parameters)}`);
    if (!answer.ok) throw new Error(`the preview answers ${answer.status}`);
    const object = await answer.json();
    $('problem').hidden = true;
    return number === asked[kind] ? object : null;
  } catch (error) {
    $('problem').textContent = `The preview does not answer: ${error.message}. Is it still running?`;
    $('problem').hidden = false;
    return null;
  }
}

function later(work, milliseconds) {
  let timer;
  return (...values) => {
    clearTimeout(timer);
    timer = setTimeout(() => work(...values), milliseconds);
  };
}

// ---- The state, in the address.

const DEFAULTS = { view: 'query', q: '', this: '', language: '', by: '', show: 'table', why: '', form: 'template', post: '', try: '' };
let state = { ...DEFAULTS };
let site;

function read() {
  const given = new URLSearchParams(location.search);
  state = Object.fromEntries(Object.entries(DEFAULTS).map(([key, value]) => [key, given.get(key) ?? value]));
}

function address(changes) {
  const shown = Object.entries({ ...DEFAULTS, ...changes }).filter(([key, value]) => value !== DEFAULTS[key]);
  return shown.length ? `/~tabulae/?${new URLSearchParams(shown)}` : '/~tabulae/';
}

function writeAddress() {
  history.replaceState(null, '', address(state));
}

// A browser is busy for some milliseconds with a new address: it is written when the keys rest.
const rests = later(writeAddress, 200);

function set(changes) {
  Object.assign(state, changes);
  rests();
}

async function copy(text, status) {
  try {
    await navigator.clipboard.writeText(text);
    $(status).textContent = 'Copied.';
  } catch {
    $(status).textContent = 'The browser does not allow it: select the text.';
  }
  setTimeout(() => ($(status).textContent = ''), 3000);
}

// ---- Diagnostics, with a caret and suggestions to apply.

/** Returns the index of a line and a column, which count from 1, the column in characters. */
function index(text, line, column) {
  const lines = text.split('\n');
  const before = lines.slice(0, line - 1).reduce((sum, one) => sum + one.length + 1, 0);
  return before + [...(lines[line - 1] ?? '')].slice(0, column - 1).join('').length;
}

function diagnostics(found, text, apply) {
  return (found ?? []).map((one) => {
    const box = make('div', { class: `error ${one.severity}` }, make('strong', {}, one.message));
    if (one.file === 'query' && text != null) {
      const start = index(text, one.line, one.column);
      const end = Math.max(start + [...text.slice(start)].slice(0, one.width).join('').length, start);
      const rest = text.slice(start, end);
      box.append(make('pre', {}, text.slice(0, start), make('mark', {}, rest || '▲'), text.slice(end)));
    } else if (one.file) box.append(make('p', { class: 'quiet' }, `${one.file}:${one.line}:${one.column}`));
    if (one.help) box.append(make('p', {}, one.help));
    const edits = (one.edits ?? []).filter((edit) => edit.file === 'query' && edit.new != null);
    if (apply && edits.length) {
      const shown = edits.map((edit) => edit.new || 'nothing').join(', ');
      box.append(make('button', { type: 'button', onclick: () => apply(edits) }, `Write ${shown}`));
    }
    return box;
  });
}

function applied(text, edits) {
  const places = edits.map((edit) => ({ at: index(text, edit.line, edit.column), ...edit }));
  places.sort((a, b) => b.at - a.at);
  return places.reduce((whole, edit) => whole.slice(0, edit.at) + edit.new + whole.slice(edit.at + edit.old.length), text);
}

// ---- The view of queries.

const BEFORE = 'Below are the posts of the query before: ';

async function runQuery() {
  const { q, this: post, language, by } = state;
  const found = await ask('query', { q, this: post, language, by });
  if (!found) return;
  const apply = (edits) => write(applied($('q').value, edits));
  $('q-error').replaceChildren(...diagnostics(found.diagnostics, q, apply));
  $('q').setAttribute('aria-invalid', String(found.posts == null));
  const isStale = found.posts == null;
  for (const id of ['chain', 'how', 'counts', 'hits']) $(id).classList.toggle('busy', isStale);
  if (isStale) {
    if ($('how').textContent && !$('how').textContent.startsWith(BEFORE)) $('how').prepend(BEFORE);
    return;
  }
  const { chain, clauses } = found;
  for (const [id, value] of [['pick-from', clauses.from], ['pick-order', clauses.order], ['pick-limit', clauses.limit ?? '']]) {
    $(id).value = value;
    if ($(id).selectedIndex === -1) $(id).selectedIndex = 0;
  }
  const first = make('li', { class: chain.posts ? '' : 'none' }, `${chain.from} `, make('b', {}, String(chain.posts)));
  const links = chain.links.map((link) =>
    make('li', { class: link.posts ? '' : 'none', title: `${counted(link.alone)} by itself` }, make('code', {}, link.condition), ' ', make('b', {}, String(link.posts))));
  $('chain').replaceChildren(first, ...links);
  const shown = found.found < found.total ? `, of which the query gives ${found.found}` : '';
  const time = found.milliseconds < 0.1 ? 'under 0.1' : found.milliseconds.toFixed(1);
  $('how').textContent = `${counted(found.total)}${shown}. Access path: ${found.access_path}, ${time} ms.`;
  showCounts(found.counts);
  showHits(found);
  showForms(found.forms);
  if (state.why) why();
}

function bars(rows, name, link) {
  const most = Math.max(1, ...rows.map(([, count]) => count));
  const row = ([label, count]) => {
    const bar = make('i');
    bar.style.setProperty('--share', `${(100 * count) / most}%`);
    return make('tr', {}, make('td', {}, link ? make('a', { href: link(label) }, label) : label), make('td', { class: 'number' }, String(count)), make('td', { class: 'bar', 'aria-hidden': 'true' }, bar));
  };
  const head = make('tr', {}, make('th', { scope: 'col' }, name), make('th', { scope: 'col', class: 'number' }, 'posts'), make('td', {}));
  return make('table', {}, make('thead', {}, head), make('tbody', {}, ...rows.map(row)));
}

function showCounts(counts) {
  if (!counts) return $('counts').replaceChildren();
  if (!Array.isArray(counts)) return $('counts').replaceChildren(...diagnostics(counts.diagnostics));
  $('counts').replaceChildren(bars(counts, state.by));
}

function more(post) {
  const box = make('details', { class: 'hit' }, make('summary', {}, 'Front matter, lists'));
  box.addEventListener('toggle', async () => {
    if (!box.open || box.dataset.full) return;
    const found = await ask('post', { post: post.path }, `post ${post.path}`);
    if (!found?.fields) return;
    box.dataset.full = 'yes';
    const fields = Object.entries(found.fields).flatMap(([name, value]) =>
      [make('dt', {}, name), make('dd', {}, value, ' ', make('span', { class: 'quiet' }, found.sources[name] ?? ''))]);
    const lists = found.lists.flatMap((list, at) =>
      [at ? ', ' : '', make('a', { href: site.base + list.link }, list.term ? `${list.archive}: ${list.term}` : list.archive)]);
    box.append(
      make('p', {}, `${found.state}: ${found.reasons.join('; ')}`),
      make('dl', {}, ...fields),
      make('p', {}, found.lists.length ? 'In ' : 'In no list.', ...lists),
      make('p', {}, make('a', { href: address({ view: 'related', post: post.path }) }, 'Its related posts'), ', ', make('a', { href: address({ q: state.q, this: post.path }) }, 'the query as from this post')),
    );
  });
  return box;
}

function named(post) {
  const parts = [make('a', { href: post.href }, post.title)];
  if (post.state !== 'live') parts.push(' ', make('span', { class: 'state' }, post.state));
  return parts;
}

const tags = (post) => Object.values(post.terms ?? {}).flat().join(', ');

function showHits(found) {
  for (const button of document.querySelectorAll('[data-show]')) button.setAttribute('aria-pressed', String(button.dataset.show === state.show));
  const { posts } = found;
  const parts = [];
  if (!posts.length) parts.push(make('p', {}, 'No post.'));
  else if (state.show === 'cards') {
    parts.push(make('div', { class: 'cards' }, ...posts.map((post) => make('article', { class: 'card' },
      make('h4', {}, ...named(post)), make('p', { class: 'quiet' }, [post.date, tags(post)].filter(Boolean).join(' · ')),
      post.summary && make('p', {}, post.summary), more(post)))));
  } else {
    const alike = posts.some((post) => post.likeness > 0);
    const head = ['date', 'title', 'terms', ...(alike ? ['likeness'] : [])];
    const rows = posts.map((post) => make('tr', {},
      make('td', { class: 'date' }, post.date ?? ''),
      make('td', {}, ...named(post), make('div', { class: 'quiet' }, post.path), more(post)),
      make('td', {}, tags(post)),
      alike ? make('td', { class: 'number' }, (post.likeness ?? 0).toFixed(3)) : null));
    parts.push(make('table', {}, make('thead', {}, make('tr', {}, ...head.map((name) => make('th', { scope: 'col' }, name)))), make('tbody', {}, ...rows)));
  }
  if (posts.length < found.found) parts.push(make('p', { class: 'quiet' }, `The first ${posts.length} of ${found.found} are shown.`));
  $('hits').replaceChildren(...parts);
}

function showForms(forms) {
  const present = forms.find((form) => form.name === state.form) ?? forms[0];
  const buttons = forms.map((form) => make('button', { type: 'button', 'aria-pressed': String(form === present), onclick: () => { set({ form: form.name }); showForms(forms); $('forms').querySelector('[aria-pressed=true]').focus(); } }, form.title));
  $('forms').replaceChildren(...buttons);
  $('form').textContent = present.text;
}

async function why() {
  if (!state.why) return ($('why-answer').textContent = '');
  const found = await ask('why', { q: state.q, this: state.this, language: state.language, post: state.why });
  if (!found) return;
  if (found.diagnostics) return ($('why-answer').textContent = found.diagnostics.map((one) => [one.message, one.help].filter(Boolean).join(': ')).join('; '));
  $('why-answer').textContent = `“${found.title}” ${found.found ? 'is here' : 'is not here'}: ${found.reason}.`;
}

/** Writes a query into its field, and runs it. */
function write(text, at = text.length) {
  $('q').value = text;
  $('q').setSelectionRange(at, at);
  typed();
}

function typed() {
  set({ q: $('q').value });
  runQuery();
}

// Completion.

let offered = [];
let chosen = -1;

function closeChoices() {
  offered = [];
  chosen = -1;
  $('choices').hidden = true;
  $('offered').textContent = '';
  $('q').removeAttribute('aria-activedescendant');
}

async function offer(isAsked) {
  const at = $('q').selectionStart;
  const found = await ask('choices', { q: $('q').value, at });
  if (!found || document.activeElement !== $('q') || at !== $('q').selectionStart) return;
  const word = $('q').value.slice(found.start, at);
  const rest = found.choices.filter((choice) => choice.text !== $('q').value.slice(found.start, found.end));
  if (!rest.length || (!isAsked && !word)) return closeChoices();
  offered = rest.map((choice) => ({ ...choice, start: found.start, end: found.end }));
  chosen = -1;
  const items = offered.map((choice, number) => make('li', { role: 'option', id: `choice-${number}`, 'aria-selected': 'false', onmousedown: (event) => { event.preventDefault(); take(number); } },
    make('code', {}, choice.label), make('span', {}, choice.detail || choice.about || choice.kind)));
  $('choices').replaceChildren(...items);
  $('choices').hidden = false;
  $('offered').textContent = `${counted(offered.length, 'choice', 'choices')}, use the arrow keys`;
}

function choose(number) {
  chosen = (number + offered.length) % offered.length;
  [...$('choices').children].forEach((item, at) => item.setAttribute('aria-selected', String(at === chosen)));
  $('q').setAttribute('aria-activedescendant', `choice-${chosen}`);
  $('choices').children[chosen].scrollIntoView({ block: 'nearest' });
}

function take(number) {
  const choice = offered[number];
  const { value } = $('q');
  closeChoices();
  write(value.slice(0, choice.start) + choice.text + value.slice(choice.end), choice.start + choice.text.length);
}

function keys(event) {
  if (event.ctrlKey && event.key === ' ') {
    event.preventDefault();
    return offer(true);
  }
  if (event.key === 'Enter' && !event.shiftKey && chosen < 0) {
    event.preventDefault();
    return closeChoices();
  }
  if (!offered.length) return;
  if (event.key === 'ArrowDown') choose(chosen + 1);
  else if (event.key === 'ArrowUp') choose(chosen < 0 ? offered.length - 1 : chosen - 1);
  else if (event.key === 'Enter' || (event.key === 'Tab' && chosen >= 0)) take(Math.max(chosen, 0));
  else if (event.key === 'Escape') closeChoices();
  else return;
  event.preventDefault();
}

// Pickers, each of which puts its clause at its place.

async function put(clause, text) {
  const found = await ask('clause', { q: $('q').value, clause, text });
  if (found?.q != null) write(found.q);
}

const quoted = (text) => `'${text.replaceAll("'", "''")}'`;

function condition() {
  const [field, operator, value] = [$('pick-field').value, $('pick-operator').value, $('pick-value').value.trim()];
  if (operator.startsWith('is')) return `${field} ${operator}`;
  if (!value) return null;
  const isBare = /^-?\d+(\.\d+)?$|^\d{4}-\d\d(-\d\d)?$|^(true|false|today|now)\b|^this\./.test(value) && !(field in site.terms);
  return `${field} ${operator} ${isBare ? value : quoted(value)}`;
}

function choosePosts(input, change) {
  const list = $(input.getAttribute('list'));
  const offerPosts = later(async () => {
    const posts = await ask('posts', { typed: input.value }, `posts ${input.id}`);
    list.replaceChildren(...(posts ?? []).map((post) => make('option', { value: post.path }, post.title)));
  }, 80);
  input.addEventListener('input', offerPosts);
  input.addEventListener('focus', offerPosts, { once: true });
  input.addEventListener('change', () => change(input.value.trim()));
}

function options(select, names, first) {
  const present = select.value;
  select.replaceChildren(...(first != null ? [make('option', { value: '' }, first)] : []), ...names.map((name) => make('option', { value: name }, name)));
  select.value = names.includes(present) ? present : (first != null ? '' : names[0] ?? '');
}

// ---- The view of related posts.

let present;

function tried() {
  if (!present) return '';
  const lines = [...document.querySelectorAll('[data-weight]')].map((input) => `weigh.${input.dataset.weight}=${input.value}`);
  const required = [...document.querySelectorAll('[data-require]:checked')].map((box) => box.dataset.require);
  lines.push(`require=${JSON.stringify(required)}`);
  if ($('related-query').value.trim() !== present.query) lines.push(`query=${JSON.stringify($('related-query').value.trim())}`);
  if ($('related-fill').value.trim() !== present.fill) lines.push(`fill=${JSON.stringify($('related-fill').value.trim())}`);
  const isSame = present.weigh.every(([name, weight]) => lines.includes(`weigh.${name}=${weight}`)) && JSON.stringify(required) === JSON.stringify(present.require) && lines.length === present.weigh.length + 1;
  return isSame && present.is_set ? '' : lines.join('\n');
}

function showWeights(text) {
  const given = new Map(text.split('\n').filter(Boolean).map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]));
  const value = (key, fallback) => { try { return given.has(key) ? JSON.parse(given.get(key)) : fallback; } catch { return fallback; } };
  const required = value('require', present.require);
  const most = Math.max(5, ...present.weigh.map(([, weight]) => weight));
  $('sliders').replaceChildren(...present.weigh.map(([name, weight]) => {
    const input = make('input', { type: 'range', min: 0, max: most, step: 0.05, 'data-weight': name, 'aria-label': `Weight of ${name}` });
    input.value = value(`weigh.${name}`, weight);
    const output = make('output', {}, input.value);
    input.addEventListener('input', () => { output.textContent = input.value; moved(); });
    const box = make('input', { type: 'checkbox', 'data-require': name, onchange: moved });
    box.checked = required.includes(name);
    return make('div', { class: 'slider' }, make('span', { 'aria-hidden': 'true' }, name), input, output, make('label', { title: `A post must share a ${name}` }, box, ' required'));
  }));
  $('related-query').value = value('query', present.query);
  $('related-fill').value = value('fill', present.fill);
}

const moved = later(() => {
  set({ try: tried() });
  runRelated();
}, 60);

function listed(posts, others) {
  if (!posts.length) return make('p', {}, 'Nothing.');
  const known = new Set(others.map((post) => post.path));
  return make('ol', {}, ...posts.map((post) => {
    const shared = Object.entries(post.shared).map(([field, terms]) => `${field}: ${terms.slice(0, 6).join(', ')}`).join('; ');
    return make('li', { class: known.has(post.path) ? '' : 'new' }, make('a', { href: address({ view: 'related', post: post.path, try: state.try }) }, post.title), ` ${post.likeness.toFixed(3)}`, make('div', { class: 'quiet' }, [post.pinned && 'named by the post', shared || 'shares nothing'].filter(Boolean).join('; ')));
  }));
}

async function runRelated() {
  $('lists').classList.add('busy');
  wholeBlog();
  if (!state.post) {
    const posts = await ask('posts', { typed: '' }, 'first post');
    if (!posts?.length) return;
    set({ post: posts[0].path });
    $('post').value = state.post;
  }
  const found = await ask('related', { post: state.post, try: state.try });
  if (!found) return;
  $('lists').classList.remove('busy');
  $('related-error').replaceChildren(...diagnostics(found.diagnostics));
  if (found.diagnostics) return;
  $('table').textContent = found.table;
  const side = (title, posts, others) => make('div', {}, make('h3', {}, title), listed(posts, others));
  const title = make('p', {}, 'Related to ', make('a', { href: found.post.href }, found.post.title));
  $('lists').replaceChildren(title, make('div', { class: 'side' }, side('Now', found.now, found.then), ...(state.try ? [side('Then', found.then, found.now)] : [])));
}

const FIGURES = [['lists', 'posts with a list'], ['empty', 'empty lists'], ['filled', 'lists with posts of fill'], ['all_fill', 'lists of fill alone'], ['one_sided', 'one-sided lists'], ['never', 'posts never recommended']];

const wholeBlog = later(async () => {
  $('figures').classList.add('busy');
  const found = await ask('figures', { try: state.try });
  if (!found) return;
  $('figures').classList.remove('busy');
  if (found.diagnostics) return $('figures').replaceChildren();
  const isTried = state.try !== '';
  const rows = FIGURES.map(([key, name]) => make('tr', {}, make('th', { scope: 'row' }, name), make('td', { class: 'number' }, String(found.now[key])), isTried ? make('td', { class: 'number' }, String(found.then[key])) : null));
  const head = make('tr', {}, make('td', {}), make('th', { scope: 'col', class: 'number' }, 'now'), isTried ? make('th', { scope: 'col', class: 'number' }, 'then') : null);
  const parts = [make('table', {}, make('thead', {}, head), make('tbody', {}, ...rows))];
  const never = (isTried ? found.then : found.now).never_posts;
  if (never.length) parts.push(make('details', {}, make('summary', {}, 'Never recommended'), make('ul', {}, ...never.map((post) => make('li', {}, make('a', { href: address({ view: 'related', post: post.path, try: state.try }) }, post.title))))));
  if (isTried) {
    parts.push(make('h3', {}, found.changed ? `${counted(found.changed, 'list changes', 'lists change')}, ${found.changed_in_order} in order alone` : 'No list changes'));
    parts.push(...found.changes.map((change) => make('details', {}, make('summary', {}, change.title), make('div', { class: 'side' }, ...[['Now', change.now], ['Then', change.then]].map(([name, titles]) => make('div', {}, make('b', {}, name), make('ol', {}, ...titles.map((title) => make('li', {}, title)))))))));
    if (found.changes.length < found.changed) parts.push(make('p', { class: 'quiet' }, `The first ${found.changes.length} are shown.`));
  }
  $('figures').replaceChildren(...parts);
}, 250);

// ---- The view of terms.

async function runTerms() {
  const found = await ask('terms');
  if (!found) return;
  if (found.diagnostics) return $('terms').replaceChildren(...diagnostics(found.diagnostics));
  const joins = found.near_duplicates.map((join) => {
    const text = make('pre', { role: 'region', tabindex: '0', 'aria-label': `The note ${join.note}` }, join.text);
    const status = make('span', { role: 'status', id: `copied-${join.note}` });
    const others = join.others.map((other) => `${other.term} (${other.count}, they differ by ${other.differs_by})`).join(', ');
    return make('div', {}, make('p', {}, make('b', {}, join.keep), ` (${join.count}) is probably the same as ${others}. To join them, write `, make('code', {}, join.note), ':'), text, make('button', { type: 'button', onclick: () => copy(join.text, status.id) }, 'Copy'), ' ', status);
  });
  const fields = Object.entries(found.fields).map(([field, terms]) => make('section', {}, make('h3', {}, `${field}: ${counted(terms.length, 'term', 'terms')}`),
    bars(terms.map((term) => [term.term, term.count]), field, (term) => address({ q: `where ${field} = ${quoted(term)}` }))));
  $('terms').replaceChildren(...(joins.length ? [make('h3', {}, 'Probably one term'), ...joins] : []), ...fields);
}

// ---- The page.

function show() {
  for (const link of document.querySelectorAll('nav [data-view]')) link.toggleAttribute('aria-current', link.dataset.view === state.view);
  for (const link of document.querySelectorAll('nav [aria-current]')) link.setAttribute('aria-current', 'page');
  for (const section of document.querySelectorAll('main > [data-view]')) section.hidden = section.dataset.view !== state.view;
  document.title = `${{ query: 'Query', related: 'Related', terms: 'Terms' }[state.view] ?? 'Query'} – Workbench`;
}

function run() {
  if (state.view === 'related') runRelated();
  else if (state.view === 'terms') runTerms();
  else runQuery();
}

async function offerSite() {
  site = await ask('site');
  if (!site) return;
  if (site.diagnostics) {
    $('problem').replaceChildren(...diagnostics(site.diagnostics));
    $('problem').hidden = false;
    return;
  }
  $('to-site').href = `${site.base}/`;
  $('to-site').textContent = site.title;
  present = site.related;
  const names = site.fields.map((field) => field.name);
  options($('pick-from'), [...site.sets, ...site.queries], 'all posts');
  options($('pick-field'), names);
  options($('pick-order'), ['date desc', 'date', 'title', 'updated desc', 'likeness desc', 'words desc', 'random'], '—');
  options($('by'), [...Object.keys(site.terms), 'year', 'month', 'set', ...names.filter((name) => !(name in site.terms) && !['year', 'month', 'set'].includes(name))], 'nothing');
  $('by').value = state.by;
  options($('language'), site.languages, 'any');
  $('language').value = state.language;
  $('language-label').hidden = !site.languages.length;
  offerValues();
}

function offerValues() {
  const terms = site?.terms[$('pick-field').value] ?? [];
  $('pick-values').replaceChildren(...terms.map(([name, detail]) => make('option', { value: name }, detail)));
}

function listen() {
  addEventListener('pagehide', writeAddress);
  const complete = later(() => offer(false), 30);
  $('q').addEventListener('input', () => { typed(); complete(); });
  $('q').addEventListener('keydown', keys);
  $('q').addEventListener('blur', closeChoices);
  $('pickers').addEventListener('submit', (event) => {
    event.preventDefault();
    const text = condition();
    if (text) put('where', text);
    else $('pick-value').focus();
  });
  $('pick-from').addEventListener('change', () => put('from', $('pick-from').value));
  $('pick-order').addEventListener('change', () => put('order by', $('pick-order').value));
  $('pick-limit').addEventListener('change', () => put('limit', $('pick-limit').value));
  $('pick-field').addEventListener('change', offerValues);
  choosePosts($('this'), (value) => { set({ this: value }); runQuery(); });
  choosePosts($('why'), (value) => { set({ why: value }); why(); });
  choosePosts($('post'), (value) => { set({ post: value }); runRelated(); });
  $('language').addEventListener('change', () => { set({ language: $('language').value }); runQuery(); });
  $('by').addEventListener('change', () => { set({ by: $('by').value }); runQuery(); });
  for (const button of document.querySelectorAll('[data-show]')) button.addEventListener('click', () => { set({ show: button.dataset.show }); runQuery(); });
  $('copy-form').addEventListener('click', () => copy($('form').textContent, 'copied'));
  $('copy-table').addEventListener('click', () => copy($('table').textContent, 'copied-table'));
  for (const field of ['related-query', 'related-fill']) $(field).addEventListener('input', moved);
  $('weights').addEventListener('submit', (event) => event.preventDefault());
  $('window').addEventListener('change', async () => {
    const base = $('related-query').value.replace(/ and date (< this\.date|>= today - \d+ months)/, '');
    const found = $('window').value ? await ask('clause', { q: base, clause: 'where', text: $('window').value }) : { q: base };
    if (found?.q == null) return;
    $('related-query').value = found.q;
    moved();
  });
  $('present').addEventListener('click', () => { if (present) showWeights(''); $('window').value = ''; moved(); });
  // A new build: the answers may be others.
  let version;
  new EventSource('/~tabulae/events').onmessage = async (event) => {
    const now = JSON.parse(event.data);
    if (version !== undefined && version !== now.version) {
      await offerSite();
      run();
    }
    version = now.version;
  };
}

read();
show();
for (const id of ['q', 'this', 'why', 'post']) $(id).value = state[id];
listen();
await offerSite();
if (present) showWeights(state.try);
run();
if (state.view === 'query') $('q').focus();
