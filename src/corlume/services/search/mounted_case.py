"""A search that keeps to mounts: the rows that they allow, and the best of these by a first look."""

from __future__ import annotations

import math
from collections.abc import Sequence

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.mount import Mount
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.search.arrangement import arrangement_of
from corlume.services.search.candidate import SearchCase, own_units
from corlume.services.search.on_mounts import MountRows, rows_on
from corlume.services.search.search_request import SearchRequest
from corlume.store.tanks import StoredTank


def case_on(
    stored: StoredTank,
    entry: CatalogueEntry,
    wish: SearchRequest,
    setup: Sequence[Fixture],
    mounts: Sequence[Mount],
    *,
    coarse: bool = False,
) -> SearchCase:
    """The search of a module at any place, or in the best rows that the wish's mounts allow, by a first look."""
    if not wish.mounts:
        return SearchCase.of(stored, entry, wish, setup, coarse=coarse)
    parts = own_units(setup)[0][0] if wish.means == "own" else entry.parts
    laid = arrangement_of(stored.tank, parts)
    choices = rows_on(stored.tank, laid, [mount for mount in mounts if mount.name in wish.mounts])
    cases, faults = list[tuple[float, MountRows]](), list[FieldError]()
    for on in choices:
        try:
            case = SearchCase.of(stored, entry, wish, setup, coarse=True, on=on)
        except InvalidInput as error:
            faults += error.errors
            continue
        found = [one for _, layouts in case.scan() for one in case.lively(layouts)] if len(choices) > 1 else []
        cases.append((min((one.merit for one in found), default=math.inf), on))
    if not cases:
        raise InvalidInput(faults)
    return SearchCase.of(stored, entry, wish, setup, coarse=coarse, on=min(cases, key=lambda pair: pair[0])[1])
