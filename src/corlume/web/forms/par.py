"""A PAR that the keeper typed."""

from __future__ import annotations

from corlume.core.errors import FieldError, InvalidInput
from corlume.formats.measure import parse_number

LEAST, MOST = 1, 3000
"""PAR that can be asked for [umol/m2/s]."""


def read_par(text: str) -> float:
    """PAR of a typed text [umol/m2/s]; ``InvalidInput`` by the field "par"."""
    try:
        par = parse_number(text)
    except ValueError as error:
        raise InvalidInput([FieldError("par", str(error))]) from error
    if not LEAST <= par <= MOST:
        raise InvalidInput([FieldError("par", f"must be from {LEAST} to {MOST} PAR")])
    return par
