"""A setup as it was on a day, packed for the log, and as JSON in a zip."""

from __future__ import annotations

import json
import zlib

from corlume.core.keeping.scene import Setup
from corlume.formats.json_file import load_json
from corlume.formats.shapes import read_thing, to_data


def setup_json(setup: Setup) -> bytes:
    """A setup as JSON text."""
    return json.dumps(to_data(setup), sort_keys=True).encode()


def read_setup(data: bytes) -> Setup:
    """A setup from JSON text; ``BadFile`` says what is wrong with it."""
    return read_thing(Setup, load_json(data))


def pack_setup(setup: Setup) -> bytes:
    """A setup as it is stored; equal setups give equal bytes."""
    return zlib.compress(setup_json(setup), 9)


def unpack_setup(data: bytes) -> Setup:
    """A setup as it was stored."""
    return read_setup(zlib.decompress(data))
