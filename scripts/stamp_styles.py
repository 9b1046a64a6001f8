"""Write into the built CSS what it was built from, so that a test can tell when it is stale."""

from __future__ import annotations

import hashlib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CSS = ROOT / "src/corlume/web/static/app.css"


def source_hash() -> str:
    """Hash of everything that the CSS is built from: style sheet, lock file, templates."""
    sources = [ROOT / "styles/app.css", ROOT / "styles/package-lock.json"]
    sources += sorted((ROOT / "src/corlume/web/templates").rglob("*.html"))
    digest = hashlib.sha256()
    for path in sources:
        digest.update(path.relative_to(ROOT).as_posix().encode() + b"\0" + path.read_bytes() + b"\0")
    return digest.hexdigest()[:24]


if __name__ == "__main__":
    css = CSS.read_text(encoding="utf-8").split("\n/* built from ")[0].rstrip()
    CSS.write_text(f"{css}\n/* built from {source_hash()} */\n", encoding="utf-8")
