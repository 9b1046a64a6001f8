"""Sentences with slots that a face fills in its own units, keepers' texts inside them, and signed numbers."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence

_SLOT = re.compile(r"\{\{|\}\}|\{([a-z_][a-z_0-9]*)\}")


def escape_slots(text: str) -> str:
    """A keeper's text as it goes into a sentence with slots: its braces stand for themselves."""
    return text.replace("{", "{{").replace("}", "}}")


def fill_slots(sentence: str, values: Mapping[str, str]) -> str:
    """Fill the {slots} of a sentence, each once; doubled braces stand for themselves.

    Raises
    ------
    LookupError : a slot has no value; no sentence reaches a page with a slot unfilled.
    """

    def put(found: re.Match[str]) -> str:
        if found[1] is None:
            return found[0][0]
        if found[1] not in values:
            raise LookupError(f"no value for the slot {found[1]} of: {sentence}")
        return values[found[1]]

    return _SLOT.sub(put, sentence)


def letter(index: int) -> str:
    """Name the fixtures of a setup by their order: A to Z, then A2, B2 and so on."""
    return chr(65 + index % 26) + (str(index // 26 + 1) if index >= 26 else "")


def letters(indices: Sequence[int]) -> str:
    """Name several fixtures shortly: "A B C", "A to F", or "A and 4 more"."""
    names = [letter(i) for i in sorted(indices)]
    if len(names) < 4:
        return " ".join(names)
    run = max(indices) - min(indices) == len(names) - 1
    return f"{names[0]} to {names[-1]}" if run else f"{names[0]} and {len(names) - 1} more"


def signed(change: float) -> str:
    """A whole number with its sign, or 0; nothing when it is not a number."""
    return "" if math.isnan(change) else f"{round(change):+,d}" if round(change) else "0"
