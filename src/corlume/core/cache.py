"""Remember what was worked out, bounded by the bytes that it takes and not by how many there are."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from typing import Any, ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")


def cached(most_bytes: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Decorate a function of hashable arguments: its newest results are kept while their arrays fit ``most_bytes``.

    What is larger by itself is worked out each time. ``knows`` of the decorated function tells whether a call would be
    answered at once, and ``learn`` takes a result that came by another way. Two threads may work out the same at once;
    nothing waits.
    """

    def decorate(work: Callable[P, R]) -> Callable[P, R]:
        kept: OrderedDict[Hashable, R] = OrderedDict()
        lock = threading.Lock()
        held = 0

        @wraps(work)
        def recall(*args: P.args, **kwargs: P.kwargs) -> R:
            key = (args, tuple(sorted(kwargs.items())))
            with lock:
                if key in kept:
                    kept.move_to_end(key)
                    return kept[key]
            result = work(*args, **kwargs)
            keep(result, key)
            return result

        def keep(result: R, key: Hashable) -> None:
            nonlocal held
            size = _bytes(result)
            with lock:
                if size <= most_bytes and key not in kept:
                    kept[key] = result
                    held += size
                    while held > most_bytes:
                        held -= _bytes(kept.popitem(last=False)[1])

        def knows(*args: Any) -> bool:
            with lock:
                return (args, ()) in kept

        def learn(result: R, *args: Any) -> None:
            keep(result, (args, ()))

        recall.knows, recall.learn = knows, learn  # type: ignore[attr-defined]
        return recall

    return decorate


def _bytes(value: Any) -> int:
    """Bytes of the arrays in a result, and a little for what is around them."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + 500
    if isinstance(value, tuple | list):
        return 100 + sum(map(_bytes, value))
    if hasattr(value, "__dataclass_fields__"):
        return 100 + sum(_bytes(getattr(value, name)) for name in value.__dataclass_fields__)
    return 100
