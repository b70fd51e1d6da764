"""Draws the figures of the bench `growth` (its --lines) as an SVG: seconds by posts, both by
powers of ten, a line for each case, dashed what no build can be faster than."""

import math
import sys

CASES = {
    "cold": "a cold build",
    "body": "a text edited",
    "preview": "a text edited in a preview",
    "nothing": "nothing changed",
    "scan": "every file looked at, no more",
}
WIDTH, HEIGHT, LEFT, TOP, RIGHT, BOTTOM = 760, 440, 64, 24, 250, 52

points = {}
for line in open(sys.argv[1]):
    size, case, seconds, _megabytes = line.split()
    points.setdefault(case, {})[int(size)] = float(seconds)

sizes = sorted({size for known in points.values() for size in known})
times = [seconds for known in points.values() for seconds in known.values()]
low, high = math.floor(math.log10(min(times))), math.ceil(math.log10(max(times)))
first, last = math.log10(sizes[0]), math.log10(sizes[-1])


def x(size):
    part = (math.log10(size) - first) / ((last - first) or 1)
    return LEFT + part * (WIDTH - LEFT - RIGHT)


def y(seconds):
    part = (math.log10(seconds) - low) / (high - low)
    return HEIGHT - BOTTOM - part * (HEIGHT - TOP - BOTTOM)


print(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}" role="img" font-family="system-ui, sans-serif" font-size="13">')
print("<title>Seconds of a build by the number of posts</title>")
print("<style>text{fill:#3b372f}path{fill:none;stroke-width:2}.grid{stroke:#d8d2c5;stroke-width:1}.floor{stroke-dasharray:5 4}@media(prefers-color-scheme:dark){text{fill:#e8e3d8}.grid{stroke:#39342c}}</style>")
for power in range(low, high + 1):
    at = y(10**power)
    print(f'<path class="grid" d="M{LEFT} {at:.1f}H{WIDTH - RIGHT}"/><text x="{LEFT - 8}" y="{at + 4:.1f}" text-anchor="end">{10**power:g} s</text>')
for size in sizes:
    print(f'<text x="{x(size):.1f}" y="{HEIGHT - BOTTOM + 20}" text-anchor="middle">{size:,}</text>')
print(f'<text x="{(LEFT + WIDTH - RIGHT) / 2:.0f}" y="{HEIGHT - 10}" text-anchor="middle">posts</text>')
colours = ["#0b5a5e", "#8a6d1f", "#5b4a9c", "#2f7d3b", "#8a8272"]
# Names that would lie over each other move apart.
ends = sorted((y(known[max(known)]), case) for case, known in points.items() if case in CASES)
placed = {}
below = -99.0
for at, case in ends:
    below = max(at, below + 16)
    placed[case] = below
for (case, name), colour in zip(CASES.items(), colours):
    known = points.get(case)
    if not known:
        continue
    path = "L".join(f"{x(size):.1f} {y(known[size]):.1f}" for size in sorted(known))
    kind = ' class="floor"' if case == "scan" else ""
    print(f'<path{kind} stroke="{colour}" d="M{path}"/>')
    print(f'<text x="{WIDTH - RIGHT + 8}" y="{placed[case] + 4:.1f}" style="fill:{colour}">{name}</text>')
print("</svg>")
