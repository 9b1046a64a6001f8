"""Compiled loops over many items, shared out among the cores."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from functools import cache
from itertools import pairwise
from typing import Any

import numba

SHARES = 2
"""Each core gets so many parts of a long loop, as some items take longer than others."""


@cache
def _pool(threads: int) -> ThreadPoolExecutor:
    return ThreadPoolExecutor(threads, thread_name_prefix="kernel")


def shared_out(count: int, kernel: Callable[..., object], *given: Any, least: int = 1) -> None:
    """Call ``kernel(first, end, *given)`` over parts of 0 to ``count`` at once, each of at least so many items.

    The kernel lets go of Python's lock and writes to what it was given, each item to a place of its own. (A parallel
    loop of numba does the same; it takes as long to compile as all the rest of a kernel, and two threads must not enter
    it at once.)
    """
    threads = int(numba.config.NUMBA_NUM_THREADS)  # type: ignore[attr-defined]
    parts = min(SHARES * threads, count // least) if threads > 1 else 1
    if parts < 2:
        kernel(0, count, *given)
        return
    edges = [count * k // parts for k in range(parts + 1)]
    # the calling thread does a part as well: it would only wait
    tasks = [_pool(threads).submit(kernel, a, b, *given) for a, b in pairwise(edges[1:])]
    kernel(edges[0], edges[1], *given)
    wait(tasks)
    for task in tasks:
        task.result()
