"""JSON text that comes from a keeper's hand."""

from __future__ import annotations

import json
from typing import Any, NoReturn

from corlume.formats.file_faults import BadFile, FileFault

MAX_BYTES = 16_000_000
"""Bytes of the largest file that is read."""


def load_json(data: bytes, *, most: int = MAX_BYTES) -> Any:
    """Parse JSON text from a keeper's hand, of ``most`` bytes; ``BadFile`` says by line and column where it is none."""
    if len(data) > most:
        raise BadFile([FileFault("", f"The file is too big: {len(data) / 1e6:.1f} MB, at most {most / 1e6:g} MB.")])
    try:
        return json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    except UnicodeDecodeError as error:
        raise BadFile([FileFault(f"byte {error.start}", "is not UTF-8 text; the file is JSON text.")]) from error
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise BadFile([FileFault(where, f"is not JSON: {error.msg}.")]) from error
    except (RecursionError, ValueError) as error:
        what = "is nested too deep." if isinstance(error, RecursionError) else f"{error}."
        raise BadFile([FileFault("the file", what)]) from error


def _no_constant(name: str) -> NoReturn:
    raise ValueError(f"{name} is not a number that JSON allows")
