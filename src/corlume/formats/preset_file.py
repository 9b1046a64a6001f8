"""Presets of colour as a text to paste and as a JSON file."""

from __future__ import annotations

import base64
import binascii
import json
import zlib
from collections.abc import Iterable

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.schedule.presets import Preset
from corlume.formats.json_file import load_json
from corlume.formats.shapes import read_things, to_data

CODE = "CORLUME1-"
MOST_PRESETS, LONGEST = 60, 20_000
"""Presets of a file, and bytes of a text when it is unpacked, at most."""


def to_code(preset: Preset) -> str:
    """A preset as a text to paste, with a check of its own."""
    data = json.dumps([preset.name, preset.spectrum, preset.channels, preset.levels, preset.output]).encode()
    packed = zlib.compress(data, 9)
    return CODE + base64.urlsafe_b64encode(packed).decode().rstrip("=") + f"-{zlib.crc32(data):08x}"


def from_code(text: str) -> Preset:
    """Preset of such a text; ``InvalidInput`` by the field "code"."""
    body, _, check = "".join(text.split()).removeprefix(CODE).rpartition("-")
    if not text.strip().startswith(CODE) or not body:
        raise InvalidInput([FieldError("code", f"is no preset: one begins with {CODE}")])
    try:
        data = zlib.decompressobj().decompress(base64.urlsafe_b64decode(body + "=" * (-len(body) % 4)), LONGEST)
        if f"{zlib.crc32(data):08x}" != check:
            raise ValueError
        name, spectrum, channels, levels, output = json.loads(data)
        return Preset(str(name), str(spectrum), str(channels), str(levels), float(output))
    except InvalidInput:
        raise
    except (ValueError, TypeError, zlib.error, binascii.Error, RecursionError) as error:
        raise InvalidInput([FieldError("code", "is cut off or changed: copy it again, whole")]) from error


def write_presets(presets: Iterable[Preset]) -> str:
    """Presets as JSON text."""
    return json.dumps({"presets": [to_data(one) for one in presets]}, indent=1) + "\n"


def read_presets(data: bytes) -> list[Preset]:
    """Presets of such a file; ``BadFile`` has every fault by its place."""
    read = load_json(data)
    return read_things(Preset, "presets", read.get("presets") if isinstance(read, dict) else None, MOST_PRESETS)
