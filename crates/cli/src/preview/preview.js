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
