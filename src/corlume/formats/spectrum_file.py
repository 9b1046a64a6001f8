"""Read measured spectra: tables of text (CSV), and IES TM-27 XML [12]."""

from __future__ import annotations

import re
from itertools import pairwise
from xml.etree import ElementTree

from corlume.core.errors import InvalidInput
from corlume.core.light.spectrum import TableSpectrum
from corlume.formats.file_faults import BadFile, FileFault

MAX_BYTES = 1_000_000
UNITS = {"nm": 1.0, "um": 1000.0, "\u00b5m": 1000.0}
NOT_LIGHT = ("absorptance", "transmittance", "reflectance", "R-Factor", "T-Factor")


def read_spectrum(data: bytes) -> TableSpectrum:
    """Read a spectrum of either kind; ``BadFile`` says line and column, what was found and what was expected.

    Power per nanometre, of any unit, as only its shape counts; a CSV column of photons per nanometre is not told
    from power, so that the page asks for power.
    """
    if len(data) > MAX_BYTES:
        raise BadFile([FileFault("", f"The file is too big: at most {MAX_BYTES / 1e6:g} MB.")])
    text = data.decode("utf-8-sig", errors="replace")
    rows = _tm27(text) if text.lstrip().startswith("<") else _table(text)
    if len(rows) < 2:
        raise BadFile([FileFault("", "holds fewer than two rows of wavelength and power.")])
    for (_, before, _), (where, after, _) in pairwise(rows):
        if after <= before:
            raise BadFile([FileFault(where, f"wavelength {after:g} follows {before:g}: they must rise.")])
    try:
        return TableSpectrum(tuple(nm for _, nm, _ in rows), tuple(power for _, _, power in rows))
    except InvalidInput as error:
        raise BadFile([FileFault(e.field, f"{e.rule}.") for e in error.errors]) from error


def _table(text: str) -> list[tuple[str, float, float]]:
    """Rows of row number, wavelength [nm] and power; a heading can say that wavelengths are in um."""
    rows: list[tuple[str, float, float]] = []
    scale = 1.0
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        # a comma is a decimal comma where something else parts the columns
        parts = re.split(r"\s*[;\t]\s*" if re.search(r"[;\t]", line) else r"[,\s]+", line.strip())
        if not rows and not re.match(r"[-+.\d]", parts[0].strip()):
            units = [factor for unit, factor in UNITS.items() if re.search(rf"\b{unit}\b", line)]
            scale = units[0] if units else 1.0
            continue
        if len(parts) < 2:
            raise BadFile(
                [FileFault(f"line {number}", f'found "{line.strip()[:30]}", expected a wavelength and a power.')]
            )
        values = []
        for what, part in zip(("a wavelength in nm", "a power"), parts, strict=False):
            where = f"line {number}, column {line.find(part.strip()) + 1}"
            values.append(_number(part, where, what))
        rows.append((f"line {number}", values[0] * scale, values[1]))
    return rows


def _tm27(text: str) -> list[tuple[str, float, float]]:
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise BadFile([FileFault("the file", "declares a document type, which a TM-27 file does not need.")])
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        line, column = error.position
        raise BadFile([FileFault(f"line {line}, column {column + 1}", f"is not XML: {error.msg}.")]) from error
    tag = root.tag.rpartition("}")[2]
    if not tag.startswith("IESTM27"):
        raise BadFile([FileFault("line 1", f"is XML of {tag[:30]}, not IES TM-27.")])
    space = root.tag.removesuffix(tag)
    quantity = root.findtext(f".//{space}SpectralQuantity", "").strip()
    if quantity in NOT_LIGHT:
        raise BadFile([FileFault("SpectralQuantity", f"is {quantity}: a spectrum of light is needed.")])
    rows = []
    for k, node in enumerate(root.iter(f"{space}SpectralData"), 1):
        where = f"SpectralData {k}"
        nm = _number(node.get("wavelength", ""), where, "a wavelength in nm")
        rows.append((where, nm, _number(node.text or "", where, "a power")))
    return rows


def _number(text: str, where: str, what: str) -> float:
    shown = text.strip()
    try:
        value = float(shown if "." in shown else shown.replace(",", "."))
    except ValueError:
        raise BadFile([FileFault(where, f'found "{shown[:20]}", expected {what}.')]) from None
    if not 0.0 <= value < 1e12:
        raise BadFile([FileFault(where, f"found {shown[:20]}, expected {what} that is not negative or without end.")])
    return value
