"""Presets of colour as a text to paste and as a JSON file."""

from __future__ import annotations

import base64
import binascii
import json
import zlib
from collections.abc import Iterable

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.schedule.presets import Preset
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.shapes import read_thing, to_data

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
    try:
        rows = json.loads(data.decode("utf-8-sig"))["presets"]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise BadFile([FileFault("the file", "is no file of presets")]) from error
    if not isinstance(rows, list) or len(rows) > MOST_PRESETS:
        raise BadFile([FileFault("presets", f"must be a list of {MOST_PRESETS} at most")])
    found, faults = list[Preset](), list[FileFault]()
    for number, row in enumerate(rows):
        try:
            found.append(read_thing(Preset, row))
        except BadFile as error:
            faults += [FileFault(f"presets[{number}].{fault.where}".rstrip("."), fault.what) for fault in error.faults]
    if faults:
        raise BadFile(faults[:20])
    return found
