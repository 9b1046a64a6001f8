"""The built-in coral library: coral types by genus or growth form.

Common practice in the trade, no source, set down from memory; a guideline only.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from functools import cache
from importlib.resources import files

from corlume.core.placement.coral_type import CoralType
from corlume.formats.shapes import Build, from_data, shape_of

FORMERLY = {"Favia and Favites": "Favites"}
"""Names that corals may still have from an older library, with the type that stands for them now."""


@cache
def coral_library() -> dict[str, CoralType]:
    """All coral types by name, in the order of the file: soft, LPS, SPS, low light."""
    build = Build()
    text = (files("corlume.reference") / "corals.json").read_text(encoding="utf-8")
    rows = [shape_of(CoralType).model_validate(row) for row in json.loads(text)["corals"]]
    kinds = [from_data(build, f"corals.{i}", CoralType, row) for i, row in enumerate(rows)]
    build.finish()
    return {kind.card.name: kind for kind in kinds if kind}


def suiting(kinds: Iterable[CoralType], par: float) -> list[CoralType]:
    """Coral types whose target range holds a reading, the best first; non-photosynthetic types are left out."""
    found = [one for one in kinds if one.card.par_low <= par <= one.card.par_high and not one.food]
    return sorted(found, key=lambda one: abs(2 * par - one.card.par_low - one.card.par_high)
                  / (one.card.par_high - one.card.par_low))  # fmt: skip
