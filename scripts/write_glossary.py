"""Writes docs/glossary.md from the list of terms that the pages use: `make glossary`."""

from __future__ import annotations

import textwrap
from itertools import groupby
from pathlib import Path

from corlume.reference.catalogue import terms

GLOSSARY = Path(__file__).parent.parent / "docs" / "glossary.md"
HEAD = """# Glossary

One word per concept in screens, files and code: each term as the interface writes it, its unit, its name in the code,
and its meaning. Units are SI in the core; files carry the unit behind a field's name. Written by `make glossary` from
`src/corlume/reference/terms.json`, which the page Terms shows as well.
"""


def glossary() -> str:
    """The text of the glossary."""
    lines = [HEAD.rstrip()]
    for section, some in groupby(terms(), key=lambda one: one["section"]):
        lines += ["", f"## {section}", ""]
        for one in some:
            code = ", ".join(f"`{name}`" for name in one.get("code", "").split(", ") if name)
            about = "; ".join(filter(None, [one.get("unit", ""), code]))
            line = f"- **{one['term']}**{f' ({about})' if about else ''}: {one['about']}"
            lines += textwrap.wrap(line, 118, subsequent_indent="  ", break_long_words=False)
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    GLOSSARY.write_text(glossary(), encoding="utf-8")
