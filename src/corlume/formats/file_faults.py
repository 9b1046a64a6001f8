"""What is wrong with a file."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class FileFault:
    """One thing wrong in a file: where and what."""

    where: str
    what: str

    def __str__(self) -> str:
        return f"{self.where}: {self.what}" if self.where else self.what


class BadFile(ValueError):
    """Raised for a file that cannot be read, with every fault found."""

    def __init__(self, faults: list[FileFault]) -> None:
        self.faults = faults
        super().__init__("\n".join(str(fault) for fault in faults))


_WORDS = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "string_too_long": "has more than {max_length} characters",
    "string_type": "must be text",
    "too_long": "has {actual_length} entries, at most {max_length} are read",
    "too_short": "needs at least {min_length}",
    "literal_error": "must be {expected}",
    "bool_type": "must be true or false",
    "bool_parsing": "must be true or false",
    "list_type": "must be a list",
    "dict_type": "must be a group of fields",
    "model_type": "must be a group of fields",
    "model_attributes_type": "must be a group of fields",
    "finite_number": "must be a finite number",
    "greater_than_equal": "must be {ge} or more",
    "less_than_equal": "must be {le} or less",
    "json_invalid": "is not JSON",
}
_NUMBERS = ("float_type", "float_parsing", "int_type", "int_parsing", "int_from_float", "int_parsing_size")


def in_words(error: Mapping[str, Any]) -> str:
    """What a checker of shapes found, in words of ours, with what stood there."""
    kind, found = str(error["type"]), error.get("input")
    if kind in _NUMBERS:
        text = "must be a whole number" if kind.startswith("int") else "must be a number"
    else:
        text = _WORDS.get(kind, "cannot be read")
        for name, value in error.get("ctx", {}).items():
            text = text.replace(f"{{{name}}}", str(value))
    if isinstance(found, dict | list) or kind in ("missing", "json_invalid"):
        return text
    shown = json.dumps(found, default=str, ensure_ascii=False).encode(errors="replace").decode()
    return f"{text}, found {shown if len(shown) <= 40 else shown[:38] + '...'}"


def path_of(parts: Iterable[int | str]) -> str:
    """The place of a field in a file: setups[0].fixtures[2].height_cm."""
    text = ""
    for part in parts:
        text += f"[{part}]" if str(part).isdigit() else f".{part}" if text else str(part)
    return text


def shape_faults(errors: Iterable[Mapping[str, Any]]) -> list[FileFault]:
    """What a checker of shapes found, by place; the first twenty."""
    return [FileFault(path_of(e["loc"]), in_words(e)) for e in list(errors)[:20]]
