"""Parts of surveys and photos with a form of their own in files: readings, corrections, corners."""

from __future__ import annotations

from typing import Any

from pydantic import Field

import corlume.formats.fixture_file  # noqa: F401
from corlume.core.errors import FieldError, InvalidInput
from corlume.core.light.geometry import Colony
from corlume.core.light.survey_correction import Correction
from corlume.core.survey.photo_geometry import Photo
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.core.units import CM
from corlume.formats.shapes import SPECIAL, Build, JsonNumber, Special, Values

SPECIAL[MeasuringPoint] = Special(
    {
        "par": (
            list[JsonNumber],
            Field(default=[], max_length=100, description="what the meter said, in the order of reading [umol/m2/s]"),
        )
    },
    lambda spot: {"par": list(spot.readings)},
    lambda _build, _where, file: {(MeasuringPoint, "readings"): tuple(file.par)},
)


def _correction(build: Build, where: str, file: Any) -> Values:
    def made() -> Correction:
        try:
            return Correction.of_plain(file.correction)
        except (ValueError, TypeError, KeyError) as error:
            if isinstance(error, InvalidInput):
                raise
            raise InvalidInput([FieldError("correction", "is not one that a survey has led to")]) from error

    return {
        (Survey, "correction"): build(where, made) if file.correction is not None else None,
        (Survey, "colonies"): tuple(Colony(*(value * CM for value in disc)) for disc in file.colonies_cm),
        (Survey, "strips"): tuple(tuple(value * CM for value in strip) for strip in file.strips_cm),
    }


SPECIAL[Photo] = Special(
    {
        "corners": (
            list[tuple[JsonNumber, JsonNumber]],
            Field(default=[], max_length=4, description="of pane or rim, as shares of the picture's width and height"),
        )
    },
    lambda photo: {"corners": [list(corner) for corner in photo.corners]},
    lambda _build, _where, file: {(Photo, "corners"): tuple(tuple(corner) for corner in file.corners)},
)
SPECIAL[Survey] = Special(
    {
        "correction": (
            dict[str, Any] | None,
            Field(None, description="what the readings led to, in SI; computed again on the page of the survey"),
        ),
        "colonies_cm": (
            list[tuple[JsonNumber, JsonNumber, JsonNumber, JsonNumber]],
            Field(
                default=[],
                max_length=500,
                description="corals that shaded on its day: from left, from front, down, radius [cm]",
            ),
        ),
        "strips_cm": (
            list[tuple[JsonNumber, JsonNumber, JsonNumber, JsonNumber, JsonNumber]],
            Field(
                default=[],
                max_length=500,
                description="parts of mounts over the water on its day: left, right, front, back, above water [cm]",
            ),
        ),
    },
    lambda survey: {
        "correction": survey.correction.plain() if survey.correction else None,
        "colonies_cm": [[round(v / CM, 4) for v in (c.x, c.y, c.depth, c.radius)] for c in survey.colonies],
        "strips_cm": [[round(v / CM, 4) for v in strip] for strip in survey.strips],
    },
    _correction,
)
