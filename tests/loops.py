"""Run a coroutine in a test: a browser test of the same worker leaves its loop running in this thread."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")


def run(work: Coroutine[object, object, T]) -> T:
    """What a coroutine returns, run by a loop of its own in another thread."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()
