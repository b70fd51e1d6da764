#!/usr/bin/env bash
# Makes the pictures in docs/screenshots/ from the example site.
# Needs chromium, chromedriver, python3, xvfb, xterm and imagemagick.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null; rm -rf "$work"' EXIT
cargo build --release
program=$PWD/target/release/tabulae
"$program" demo "$work/towpath" >/dev/null
python3 -m http.server 8197 --bind 127.0.0.1 -d "$work/towpath/out" >/dev/null 2>&1 &
sleep 1

# picture NAME PATH WIDTH HEIGHT [SCHEME: 0 dark, 1 light]
picture() {
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run \
    --disable-background-networking --disable-component-update --disable-sync \
    --user-data-dir="$work/profile-$1" --hide-scrollbars --virtual-time-budget=4000 --blink-settings=preferredColorScheme="${5:-1}" \
    --window-size="$3,$4" --screenshot="docs/screenshots/$1.png" "http://127.0.0.1:8197$2" >/dev/null 2>&1
}

# terminal NAME COMMAND…: a terminal window that shows a command and what it answers
terminal() {
  local name=$1
  shift
  printf '%s\n' "$@" >"$work/lines"
  cat >"$work/show" <<SHOW
cd "$work"
while read -r line; do
  printf '\033[1m$ %s\033[0m\n' "\$line"
  eval "\$line"
done <"$work/lines"
sleep 30
SHOW
  PATH="$(dirname "$program"):$PATH" xvfb-run -a -s "-screen 0 1280x800x24" bash -c "
    xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 138x40+0+0 -bg '#16191b' -fg '#e6e2d8' -e bash '$work/show' &
    sleep 4
    import -window root '$PWD/docs/screenshots/$name.png'
    kill %1"
}

picture home / 1280 800
picture tag /tags/lime/ 1280 800
picture tags /tags/ 1280 800
picture feeds /feeds/ 1280 800
picture feed /journal/atom.xml 1280 800
picture years /archive/ 1280 800
picture german /de/ 1280 800
picture search '/search/?q=lime' 1280 800
picture related /2026/masons-marks/ 1280 1120
convert docs/screenshots/related.png -gravity South -crop 1280x800+0+0 +repage docs/screenshots/related.png
picture post-dark /2022/lime-and-why-we-wait/ 1280 800 0

# The preview, with a fault in a post, and its workbench.
cp -r "$work/towpath" "$work/live"
"$program" -C "$work/live" preview --port 8298 >/dev/null 2>&1 &
sleep 3
# live NAME PATH [SCRIPT]
live() {
  scripts/live_picture.py "http://127.0.0.1:8298$2" "docs/screenshots/$1.png" 1280 800 "${3:-}"
}
live workbench "/~tabulae/?q=from+posts+where+tag+%3D+%27lime%27+and+year+%3E+2020+order+by+date&by=year&why=two-young-herons"
live why-here /journal/ "document.body.lastElementChild.shadowRoot.querySelector('button').click()"
sed -i "0,/^title:/s//date: 14 March\ntitle:/" "$work/live/posts/2026/2026-02-21-lime-in-a-cold-spring.md"
sleep 2
live preview /journal/

# A narrow page stands in a frame, as browsers do not open windows that small.
cat >"$work/towpath/out/frame.html" <<'FRAME'
<body style="margin:0"><iframe src="/journal/" width="360" height="800" style="border:0"></iframe>
FRAME
picture journal-360 /frame.html 500 800
convert docs/screenshots/journal-360.png -crop 360x800+0+0 +repage docs/screenshots/journal-360.png
rm "$work/towpath/out/frame.html"

terminal build \
  'tabulae -C towpath build --today 2026-11-20' \
  'printf "%s\n" "[archive.walls]" "query = \"from posts where categroy = '"'Locks'"'\"" >> towpath/tabulae.toml' \
  'tabulae -C towpath build --today 2026-11-20'
head -n -2 "$work/towpath/tabulae.toml" >"$work/settings" && mv "$work/settings" "$work/towpath/tabulae.toml"
terminal explain \
  'tabulae -C towpath explain masons-marks --today 2026-11-20'
terminal audit \
  'tabulae -C towpath terms category --today 2026-11-20' \
  'printf "%s\n" "---" "title: Mud" "date: 2026-11-14" "tags: [dredge, lime]" "---" "See [the pound](/2026/first-pound/)." > towpath/posts/mud.md' \
  'tabulae -C towpath audit --today 2026-11-20'
rm "$work/towpath/posts/mud.md"
terminal query \
  'tabulae -C towpath query "from posts where tag has all ('"'masonry', 'lime'"')" --today 2026-11-20' \
  'tabulae -C towpath query "from posts" --by category --today 2026-11-20' \
  'tabulae -C towpath query "from posts where tag = '"'masonry'"' and year = 2019" --today 2026-11-20'
terminal diff \
  "sed -i 's|\"/journal/\"|\"/log/\"|' towpath/tabulae.toml" \
  'tabulae -C towpath diff --today 2026-11-20' \
  'tabulae -C towpath build --deny feed-lost --today 2026-11-20' \
  'tabulae -C towpath settings | head -n 9'
sed -i 's|"/log/"|"/journal/"|' "$work/towpath/tabulae.toml"
