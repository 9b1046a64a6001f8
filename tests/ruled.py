"""The tank that the trade's rules speak of, and a search over it."""

from __future__ import annotations

from dataclasses import replace

from corlume.core.light.geometry import Tank
from corlume.core.units import INCH
from corlume.reference.catalogue import catalogue
from corlume.services.search import run_search
from corlume.services.search.search_request import SearchRequest
from corlume.store.tanks import StoredTank
from tests.situations import WIDE

RULED = Tank(48 * INCH, 24 * INCH, 0.5)
_PLAIN = catalogue()["cluster"]
CLUSTER = replace(_PLAIN, parts=tuple(replace(p, emitter=replace(p.emitter, **WIDE)) for p in _PLAIN.parts))
"""A module as the trade tells its rules of spacing and count of: strong, with a wide beam."""


def last(stored: StoredTank, wish: SearchRequest, *, kind: str = "cluster", **more: object) -> run_search.Step:
    """The last step of a search."""
    entry = CLUSTER if kind == "cluster" else catalogue()[kind]
    *_, step = run_search.search(stored, entry, wish, **more)  # type: ignore[arg-type]
    return step
