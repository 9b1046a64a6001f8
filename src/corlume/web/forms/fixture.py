"""Changes of a fixture from the PAR map: numbers in SI from a drag, or text as typed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import ConfigDict, Field, create_model

from corlume.core import schema
from corlume.core.errors import FieldError, InvalidInput
from corlume.core.light.emitter import MOST_CHANNELS
from corlume.core.light.fixture import MOST_LEVEL, Fixture
from corlume.core.message_text import escape_slots
from corlume.core.schema import leaves
from corlume.formats.measure import Measure
from corlume.formats.typed_values import typed

Typed = Annotated[float, Field(allow_inf_nan=False)] | str | None
_TYPED: Any = {
    item.name: (Typed if item.spec.sort == "number" else str | None, None)
    for item in leaves(Fixture).values()
    if isinstance(item.spec, schema.Field) and item.spec.sort in ("number", "text", "choice")
}
FixtureChange = create_model(
    "FixtureChange",
    __config__=ConfigDict(extra="forbid"),
    __doc__="Changed fields of a fixture, and what is answered or read: wear, levels, lens, lamp, place by a tape.",
    levels=(list[Annotated[float, Field(ge=0.0, le=MOST_LEVEL)]] | None, Field(None, max_length=MOST_CHANNELS)),
    wear=(dict[str, str] | None, Field(None, max_length=12)),
    lens=(str | None, None),
    lamp=(str | None, None),
    at_x=(str | None, None),
    at_y=(str | None, None),
    **_TYPED,
)


def read_fixture_changes(values: Mapping[str, Any], measure: Measure) -> dict[str, Any]:
    """Changes of a fixture in SI; ``InvalidInput`` has every text that cannot be read."""
    read: dict[str, Any] = {}
    errors: list[FieldError] = []
    for name, value in values.items():
        item = leaves(Fixture).get(name)
        if name == "levels":
            # all full is what a fixture has that was never touched
            read[name] = tuple(value) if any(level != 1.0 for level in value) else ()
        elif name in ("at_x", "at_y"):
            try:
                read[name] = measure.parse(value)
            except ValueError as error:
                errors.append(FieldError(name, escape_slots(str(error))))
        elif item and isinstance(item.spec, schema.Field) and isinstance(value, str):
            try:
                read[name] = typed(item.spec, value, measure)
            except ValueError as error:
                errors.append(FieldError(name, escape_slots(str(error))))
        else:
            read[name] = value
    if errors:
        raise InvalidInput(errors)
    return read
