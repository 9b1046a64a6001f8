"""Caches limited by the bytes of their results, not by their number."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, ParamSpec, TypeVar, cast

import cachetools
import numpy as np
from cachetools.keys import hashkey

P = ParamSpec("P")
R = TypeVar("R")


def cached(most_bytes: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Decorate a function of hashable arguments: the results used last are kept while their arrays fit ``most_bytes``.

    What is larger by itself is worked out each time. ``knows`` of the decorated function tells whether a call would be
    answered at once, and ``learn`` takes a result that came by another way. Two threads may work out the same at once;
    nothing waits.
    """

    def decorate(work: Callable[P, R]) -> Callable[P, R]:
        kept: cachetools.LRUCache[Hashable, R] = cachetools.LRUCache(most_bytes, getsizeof=_bytes)
        lock = threading.Lock()
        recall = cachetools.cached(kept, lock=lock)(work)

        def knows(*args: Any) -> bool:
            with lock:
                return hashkey(*args) in kept

        def learn(result: R, *args: Any) -> None:
            if _bytes(result) <= most_bytes:
                with lock:
                    kept[hashkey(*args)] = result

        recall.knows, recall.learn = knows, learn  # type: ignore[attr-defined]
        return cast(Callable[P, R], recall)

    return decorate


def _bytes(value: Any) -> int:
    """Bytes of the arrays in a result, plus a little overhead."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + 500
    if isinstance(value, tuple | list):
        return 100 + sum(map(_bytes, value))
    if hasattr(value, "__dataclass_fields__"):
        return 100 + sum(_bytes(getattr(value, name)) for name in value.__dataclass_fields__)
    return 100
