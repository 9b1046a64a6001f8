"""Addresses of earlier versions lead to the pages of today: bookmarks and links in logs stay good."""

from __future__ import annotations

import re

OLD = {
    r"/tanks/(\d+)/kinds/shelf": r"/tanks/\1/light-types/fixtures",
    r"/tanks/(\d+)/kinds": r"/tanks/\1/light-types",
    r"/tanks/(\d+)/hang": r"/tanks/\1/layout",
    r"/tanks/(\d+)/chart": r"/tanks/\1/par-map",
    r"/tanks/(\d+)/setups/(\d+)/mount": r"/tanks/\1/setups/\2/mounting",
    r"/tanks/(\d+)/corals/seats": r"/tanks/\1/corals/spots",
    r"/tanks/(\d+)/corals/round": r"/tanks/\1/corals/check",
    r"/tanks/(\d+)/corals/(\d+)/course": r"/tanks/\1/corals/\2/log",
    r"/tanks/(\d+)/corals/library/kind": r"/tanks/\1/corals/library/type",
    r"/shelf": r"/fixtures",
    r"/words": r"/terms",
}
"""Beginnings of old addresses, and what stands in their place."""


def address_now(path: str) -> str | None:
    """The address that a path of an earlier version has now; None for any other."""
    for old, new in OLD.items():
        found = re.fullmatch(f"{old}(?P<rest>/.*)?", path)
        if found:
            return found.expand(new) + (found["rest"] or "")
    return None
