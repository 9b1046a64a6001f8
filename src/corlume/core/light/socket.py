"""Lamps in sockets: a tube or halide fixture with another lamp has another colour and another flux."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.spectrum import Spectrum


@dataclass(frozen=True, slots=True)
class Lamp:
    """A lamp for a socket.

    Parameters
    ----------
    key, name : of its spectrum.
    flux : what a fixture gives with it, as a share of what it gives with its usual lamp [-].
    price : of one [currency].
    """

    key: str
    name: str
    spectrum: Spectrum
    flux: float
    price: float


def lamp_in(emitter: Emitter, lamps: Sequence[Lamp]) -> Lamp | None:
    """Which of some lamps an emitter has in its socket, by spectrum; None for an unknown one."""
    if len(emitter.channels) != 1:
        return None
    return next((lamp for lamp in lamps if lamp.spectrum == emitter.channels[0].spectrum), None)


def with_lamp(emitter: Emitter, lamp: Lamp, lamps: Sequence[Lamp]) -> Emitter:
    """An emitter with another lamp: its colour, and its flux in place of the present lamp's.

    A lamp that is not among ``lamps`` is taken to have the usual flux.
    """
    now = lamp_in(emitter, lamps)
    ppf = emitter.ppf * lamp.flux / (now.flux if now else 1.0)
    return replace(emitter, ppf=round(ppf, 1), channels=(Channel(lamp.name, 1.0, lamp.spectrum),))
