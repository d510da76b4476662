"""usage: rooms.py ARROWS PICTURE [--check]: draws the rooms and their arrows, as CMake links them, into PICTURE (SVG).
ARROWS has lines "ROOM BELOW"; tests/rooms writes them to build/dev/tests/rooms/arrows.txt. --check: fails if PICTURE differs."""
import sys

WHAT = {
    "base": "time, errors, text, files, sockets",
    "frames": "intervals, summaries, live statistics",
    "readings": "values, sampler, formulas, LiveReadings",
    "sources": "kernel files, vendor libraries, commands, feed",
    "face": "read, check, edit, keep, lay out",
    "settings": "the settings file",
    "runs": "recorder, store, import, export",
    "insight": "what runs say, and how surely",
    "json": "runs, comparisons, changes as JSON",
    "plot": "plots as a model, and drawn",
    "report": "runs as an HTML page",
    "serve": "readings over HTTP",
    "http": "a server, its clients bounded",
    "desk": "a page to point at",
    "doctor": "what works here, what fixes the rest",
    "footage": "a run's overlay as a video",
    "draw": "scenes as pixels",
    "link": "memory shared with the game",
    "meter": "the live session",
}
WIDE, HIGH, GAP_X, GAP_Y, MARGIN, LANE = 262, 52, 26, 44, 20, 18


def levels(arrows):
    """Each room one level above the highest that it links."""
    rooms = {room for pair in arrows for room in pair}
    level = {}
    while len(level) < len(rooms):
        for room in sorted(rooms - level.keys()):
            below = [b for a, b in arrows if a == room]
            if all(b in level for b in below):
                level[room] = 1 + max((level[b] for b in below), default=-1)
    return level


def svg(arrows):
    level = levels(arrows)
    rows = {}
    for room in sorted(level, key=lambda room: (level[room], list(WHAT).index(room))):
        rows.setdefault(level[room], []).append(room)
    most = max(len(row) for row in rows.values())
    long = [pair for pair in arrows if level[pair[0]] - level[pair[1]] > 1]  # beside the rooms, not behind them
    rooms_width = 2 * MARGIN + most * WIDE + (most - 1) * GAP_X
    width = rooms_width + LANE * len(long)
    height = 2 * MARGIN + len(rows) * HIGH + (len(rows) - 1) * GAP_Y
    place = {}
    for number, row in rows.items():
        left = (rooms_width - len(row) * WIDE - (len(row) - 1) * GAP_X) / 2
        for i, room in enumerate(row):
            place[room] = (left + i * (WIDE + GAP_X), height - MARGIN - HIGH - number * (HIGH + GAP_Y))
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" font-family="sans-serif">',
           '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">'
           '<path d="M0 0L8 4L0 8z" fill="#5b6b82"/></marker></defs>',
           f'<rect width="{width}" height="{height}" fill="#ffffff"/>']
    for above, below in arrows:
        (x1, y1), (x2, y2) = place[above], place[below]
        if (above, below) in long:
            lane = rooms_width - MARGIN + LANE * (1 + long.index((above, below)))
            out.append(f'<path d="M{x1 + WIDE:.0f} {y1 + HIGH / 2 - 8 * long.index((above, below)):.0f}H{lane:.0f}V{y2 + HIGH / 2:.0f}H{x2 + WIDE + 2:.0f}" '
                       'fill="none" stroke="#5b6b82" stroke-width="1.5" marker-end="url(#tip)"/>')
            continue
        bend = (y2 - y1 - HIGH) / 2
        a, b = x1 + WIDE / 2, x2 + WIDE / 2
        out.append(f'<path d="M{a:.0f} {y1 + HIGH:.0f}C{a:.0f} {y1 + HIGH + bend:.0f} {b:.0f} {y2 - bend:.0f} {b:.0f} {y2 - 2:.0f}" '
                   'fill="none" stroke="#5b6b82" stroke-width="1.5" marker-end="url(#tip)"/>')
    for room, (x, y) in place.items():
        out.append(f'<rect x="{x:.0f}" y="{y:.0f}" width="{WIDE}" height="{HIGH}" rx="8" fill="#eef3fa" stroke="#8fa3bf"/>')
        out.append(f'<text x="{x + WIDE / 2:.0f}" y="{y + 22:.0f}" text-anchor="middle" font-size="16" font-weight="bold" '
                   f'fill="#14202f">{room}</text>')
        out.append(f'<text x="{x + WIDE / 2:.0f}" y="{y + 41:.0f}" text-anchor="middle" font-size="11.5" fill="#3c4a5c">{WHAT[room]}</text>')
    return "\n".join(out + ["</svg>", ""])


def main():
    with open(sys.argv[1]) as file:
        arrows = [tuple(line.split()) for line in file if line.strip()]
    drawn = svg(arrows)
    if "--check" in sys.argv:
        with open(sys.argv[2]) as file:
            if file.read() != drawn:
                sys.exit(f"{sys.argv[2]} shows other rooms than CMake links: python3 script/rooms.py ARROWS {sys.argv[2]}")
        print(f"{len(arrows)} arrows as drawn")
        return
    with open(sys.argv[2], "w") as file:
        file.write(drawn)


main()
