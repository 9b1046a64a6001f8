"""The tank that the trade's rules speak of, and a search over it."""

from __future__ import annotations

from corlume.core.geometry import Tank
from corlume.core.units import INCH
from corlume.reference.catalogue import catalogue
from corlume.services.search import run
from corlume.services.search.wish import Wish
from corlume.store.tanks import StoredTank

RULED = Tank(48 * INCH, 24 * INCH, 0.5)
CLUSTER = catalogue()["cluster"]


def last(stored: StoredTank, wish: Wish, *, kind: str = "cluster", **more: object) -> run.Step:
    """The last step of a search."""
    *_, step = run.search(stored, catalogue()[kind], wish, **more)  # type: ignore[arg-type]
    return step
