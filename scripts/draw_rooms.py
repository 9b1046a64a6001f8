"""Draw docs/rooms.svg: the rooms of the code on their floors, and who imports whom, read from the imports."""

from __future__ import annotations

import ast
import graphlib
from html import escape
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src/corlume"
PICTURE = ROOT / "docs/rooms.svg"
OPENED = ("core", "services", "web")
"""Packages whose folders are rooms of their own."""
LINE, PAD, WIDE, GAP = 15, 10, 1180, 46


def room_of(path: Path) -> str:
    """The room that a file stands in."""
    parts = path.relative_to(SOURCE).with_suffix("").parts
    return "/".join(parts[:2]) if parts[0] in OPENED and len(parts) > 2 else parts[0]


def read() -> tuple[dict[str, list[tuple[str, int]]], dict[str, set[str]]]:
    """Files of every room with their lines, and the rooms that each imports."""
    files: dict[str, list[tuple[str, int]]] = {}
    arrows: dict[str, set[str]] = {}
    paths = {p for p in SOURCE.rglob("*.py") if p.name != "__init__.py"}
    rooms = {"corlume." + ".".join(p.relative_to(SOURCE).with_suffix("").parts): room_of(p) for p in paths}
    for path in sorted(paths):
        text, room = path.read_text(encoding="utf-8"), room_of(path)
        files.setdefault(room, []).append((path.stem, len(text.splitlines())))
        used = arrows.setdefault(room, set())
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.ImportFrom) and node.module:
                for name in (node.module, *(f"{node.module}.{alias.name}" for alias in node.names)):
                    if name in rooms and rooms[name] != room:
                        used.add(rooms[name])
    return files, arrows


def floors(arrows: dict[str, set[str]]) -> list[list[str]]:
    """Rooms from the ground up; rooms that import each other stand on one floor."""
    tied = {a: {b for b in to if a not in arrows[b]} for a, to in arrows.items()}
    found: dict[str, int] = {}
    for room in graphlib.TopologicalSorter(tied).static_order():
        found[room] = 1 + max((found[other] for other in tied[room]), default=-1)
    for room in sorted(tied):
        found[room] = max([found[room], *(found[other] for other in arrows[room] if room in arrows[other])])
    return [sorted(room for room, floor in found.items() if floor == k) for k in range(max(found.values()) + 1)]


def needed(arrows: dict[str, set[str]]) -> dict[str, set[str]]:
    """The arrows that do not follow from others: a room that is reached by way of another needs none of its own."""

    left = {room: set(used) for room, used in arrows.items()}

    def reached(room: str) -> set[str]:
        seen, waiting = set[str](), [room]
        while waiting:
            waiting += (fresh := left[waiting.pop()] - seen)
            seen |= fresh
        return seen

    for room in sorted(left):
        for other in sorted(left[room]):
            left[room].discard(other)
            if other not in reached(room):
                left[room].add(other)
    return left


def draw() -> str:
    """The picture as SVG text."""
    files, arrows = read()
    arrows, levels = needed(arrows), floors(arrows)
    top, boxes, rows = 50.0, {}, []
    for level in reversed(levels):
        width = (WIDE - GAP * (len(level) + 1)) / len(level)
        tall = 0.0
        for k, room in enumerate(level):
            words = wrapped([f"{name} {lines}" for name, lines in files[room]], int(width / 6.3))
            height = PAD * 2 + LINE * (1.4 + len(words))
            boxes[room] = (GAP + k * (width + GAP), top, width, height)
            rows.append((room, words))
            tall = max(tall, height)
        top += tall + GAP
    parts = [head(top)]
    for room, others in sorted(arrows.items()):
        for other in sorted(others):
            parts.append(arrow(boxes[room], boxes[other]))
    for room, words in rows:
        parts.append(box(room, sum(n for _, n in files[room]), words, boxes[room]))
    return "\n".join([*parts, "</svg>", ""])


def wrapped(names: list[str], most: int) -> list[str]:
    """Names in lines of so many signs."""
    lines = [""]
    for name in names:
        if len(lines[-1]) + len(name) + 2 > most and lines[-1]:
            lines.append("")
        lines[-1] += f"{', ' if lines[-1] else ''}{name}"
    return lines


def head(height: float) -> str:
    """What stands before the rooms."""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {height:.0f}" font-family="sans-serif">'
        '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">'
        '<path d="M0 0 8 4 0 8z" fill="#47606e"/></marker></defs>'
        f'<rect width="{WIDE}" height="{height:.0f}" fill="#fbfaf6"/>'
        f'<text x="{GAP}" y="30" font-size="14" fill="#22323c">Rooms of Corlume. An arrow goes from a room to what it '
        "imports, where that does not follow from other arrows; a number is a file's lines.</text>"
    )


def box(room: str, lines: int, words: list[str], place: tuple[float, float, float, float]) -> str:
    """One room with its files."""
    x, y, width, height = place
    text = "".join(
        f'<text x="{x + PAD:.0f}" y="{y + PAD + LINE * (2.2 + k):.0f}" font-size="11" fill="#47606e">'
        f"{escape(one)}</text>"
        for k, one in enumerate(words)
    )
    return (
        f'<rect x="{x:.0f}" y="{y:.0f}" width="{width:.0f}" height="{height:.0f}" rx="4" fill="#fff" stroke="#22323c"/>'
        f'<text x="{x + PAD:.0f}" y="{y + PAD + LINE * 0.8:.0f}" font-size="13" font-weight="bold" fill="#22323c">'
        f"{escape(room)}, {lines:,} lines</text>{text}"
    )


def arrow(start: tuple[float, float, float, float], end: tuple[float, float, float, float]) -> str:
    """An arrow from a room down, or across, to another."""
    x0, y0 = start[0] + start[2] / 2, start[1] + start[3]
    x1, y1 = end[0] + end[2] / 2, end[1]
    if y1 <= y0:  # on one floor
        y0, y1 = start[1] + start[3] / 2, end[1] + end[3] / 2
        x0, x1 = (start[0] + start[2], end[0]) if start[0] < end[0] else (start[0], end[0] + end[2])
    middle = (y0 + y1) / 2
    return (
        f'<path d="M{x0:.0f} {y0:.0f}C{x0:.0f} {middle:.0f} {x1:.0f} {middle:.0f} {x1:.0f} {y1:.0f}" fill="none" '
        'stroke="#47606e" stroke-opacity="0.55" marker-end="url(#tip)"/>'
    )


if __name__ == "__main__":
    PICTURE.write_text(draw(), encoding="utf-8")
