"""Prints the table of dependencies in CONTRIBUTING.md: what each costs.

scripts/dependencies.py TIMINGS BLOAT: the report of `cargo build --release --timings` from an empty
target, and what `cargo bloat --profile dist --crates -n 0 --message-format json` prints (with
`--config profile.dist.strip=false`, as it reads symbols).

A row counts what only this dependency brings: it and the crates that nothing else needs."""

import json
import re
import subprocess
import sys

PURPOSES = {
    "anstream": "colours on terminals that show them, and nowhere else",
    "anstyle": "styles of terminal text",
    "any_ascii": "slugs of letters without an ASCII form",
    "clap": "the command line and its help",
    "clap_complete": "completion in shells",
    "clap_mangen": "the manual page",
    "crossbeam-channel": "channels of the language server",
    "form_urlencoded": "queries in the addresses of the preview",
    "html5gum": "HTML as tokens, by the standard",
    "httparse": "the heads of HTTP requests",
    "httpdate": "the date of HTTP answers",
    "icu_calendar": "days for the formatter of dates",
    "icu_casemap": "case folding",
    "icu_collator": "the order of words in each language",
    "icu_datetime": "dates in words in each language",
    "icu_locale_core": "language tags (BCP 47)",
    "icu_plurals": "plural forms",
    "icu_properties": "letters, marks and scripts of slugs",
    "icu_provider": "data of ICU shared by threads",
    "include_dir": "the example site within the program",
    "indexmap": "maps that keep their order",
    "indicatif": "the bar of long builds",
    "jiff": "dates, times and time zones",
    "lsp-server": "messages of the Language Server Protocol",
    "lsp-types": "types of the Language Server Protocol",
    "memchr": "finding bytes",
    "mimalloc": "memory for many small texts: a fifth less processor time than the system's",
    "mime_guess": "media types by the ending of a file",
    "minijinja": "templates",
    "notify": "watching files for the preview",
    "open": "opening the browser",
    "percent-encoding": "addresses with letters beyond ASCII (RFC 3986)",
    "postcard": "the cache between two builds",
    "pulldown-cmark": "Markdown",
    "quick-xml": "writing feeds and sitemaps",
    "rayon": "work on all processors",
    "regex": "`matches` in queries",
    "rust-stemmers": "stems of words, for likeness and search",
    "rustc-hash": "quick hashes of small keys",
    "rustix": "exchanging two files' names at once",
    "saphyr-parser": "YAML",
    "serde": "the cache, JSON",
    "serde_bytes": "bytes in the cache",
    "serde_json": "JSON: front matter, output for programs, feeds",
    "signal-hook": "Ctrl-C and SIGTERM",
    "similar": "diffs of sources",
    "strsim": "\"did you mean …\"",
    "tempfile": "replacing a source file as a whole",
    "terminal_size": "the width of tables",
    "toml": "`tabulae.toml`, front matter",
    "unicode-normalization": "one form of equal texts (NFC)",
    "unicode-segmentation": "words by Unicode's rules",
    "unicode-width": "columns on terminals",
    "walkdir": "all files below a folder",
    "url": "checking the addresses of settings (URL Standard)",
    "xxhash-rust": "hashes of files",
}

PACKAGES = ["tabulae-similarity", "tabulae-core", "tabulae-engine", "tabulae-serve", "tabulae-lsp", "tabulae"]

report = open(sys.argv[1]).read()
units = json.loads(re.search(r"const UNIT_DATA = (\[.*?\]);\n", report, re.S).group(1))
seconds = {}
for unit in units:
    seconds[unit["name"]] = seconds.get(unit["name"], 0) + unit["duration"]
sizes = {row["name"]: row["size"] for row in json.load(open(sys.argv[2]))["crates"]}

metadata = subprocess.run(
    ["cargo", "metadata", "--format-version", "1", "--locked", "--filter-platform", "x86_64-unknown-linux-gnu"],
    capture_output=True, check=True, text=True)
metadata = json.loads(metadata.stdout)
names = {package["id"]: package["name"] for package in metadata["packages"]}
needs = {}
for node in metadata["resolve"]["nodes"]:
    kinds = lambda dep: any(kind["kind"] != "dev" for kind in dep["dep_kinds"])
    needs.setdefault(names[node["id"]], set()).update(
        names[dep["pkg"]] for dep in node["deps"] if kinds(dep))


def reached(without):
    """The crates that the program needs if nothing depends on `without` directly of ours."""
    found, open_ = set(), list(PACKAGES)
    while open_:
        name = open_.pop()
        if name not in found:
            found.add(name)
            open_.extend(dep for dep in needs.get(name, ()) if not (name in PACKAGES and dep == without))
    return found


everything = reached(None)
direct = sorted({dep for package in PACKAGES for dep in needs[package]} - set(PACKAGES))
rows = []
for name in direct:
    alone = everything - reached(name) or {name}
    kilobytes = sum(sizes.get(each.replace("-", "_"), 0) for each in alone) / 1024
    rows.append((sum(seconds.get(each, 0) for each in alone), kilobytes, name, len(alone)))
print("| dependency | crates | s | kB | what it is for |\n|---|--:|--:|--:|---|")
for cost, kilobytes, name, crates in sorted(rows, reverse=True):
    print(f"| `{name}` | {crates} | {cost:.1f} | {kilobytes:.0f} | {PURPOSES[name]} |")
print(f"| all {len(everything)} crates | | {sum(seconds.get(name, 0) for name in everything):.0f} | {sum(sizes.values()) / 1024:.0f} | |", file=sys.stderr)
