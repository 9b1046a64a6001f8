"""How each quantity of the core is written in files: the unit behind a field's name, and the decimals kept."""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.errors import Quantity
from corlume.core.schema import Field
from corlume.core.units import CM, DEGREE, LITRES_AN_HOUR


@dataclass(frozen=True, slots=True)
class Written:
    """``suffix`` behind the name, ``unit`` in SI, ``decimals`` kept (None: all)."""

    suffix: str = ""
    unit: float = 1.0
    decimals: int | None = None


AS_IT_IS = Written()
IN_FILES: dict[Quantity, Written] = {
    "length": Written("_cm", CM, 4),
    "angle": Written("_deg", DEGREE, 4),
    "share": Written("_percent", 0.01, 4),
    "attenuation": Written("_per_m"),
    "wavelength": Written("_nm"),
    "temperature": Written("_c"),
    "salinity": Written("_psu"),
    "rate": Written("_l_per_h", LITRES_AN_HOUR, 3),
}


def file_name(name: str, field: Field) -> str:
    """The name of a field in files."""
    return field.file or name + IN_FILES.get(field.quantity, AS_IT_IS).suffix


def to_file(field: Field, value: float) -> float:
    """A number in the unit of files."""
    how = IN_FILES.get(field.quantity, AS_IT_IS)
    written = value / how.unit if how.unit != 1.0 else value
    return written if how.decimals is None else round(written, how.decimals)


def from_file(field: Field, value: float) -> float:
    """A number of a file in SI."""
    return value * IN_FILES.get(field.quantity, AS_IT_IS).unit
