"""Settings card of a setup: what to set on each fixture, and which lenses to change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.light.beam_optics import optic_on, optics_for, pieces
from corlume.core.light.fixture import Fixture
from corlume.core.light.lobe import width_at_half
from corlume.core.message_text import escape_slots, letters
from corlume.core.units import DEGREE
from corlume.reference.catalogue import catalogue
from corlume.store.tanks import StoredSetup, StoredTank

SAME_PLACE = 0.001
"""Places that differ by less are one [m]."""
TILTED = 0.5 * DEGREE
"""A fixture that leans by less hangs level [rad]."""


@dataclass(frozen=True, slots=True)
class FixtureSettings:
    """Settings of one fixture, by its number in the setup.

    Parameters
    ----------
    output : the master dimmer [%]; ``dims`` whether anything between off and full can be set.
    channels : names and levels under the master [%]; empty for one channel.
    absolute : names and levels of full [%], as they are typed into a fixture without a master; likewise.
    front : lens or reflector, and the beam angle (FWHM) that it is computed with [degrees].
    tilt : turn from above, roll and pitch, in words; empty when it hangs level along the tank.
    """

    number: int
    name: str
    output: int
    dims: bool
    channels: tuple[tuple[str, int], ...]
    absolute: tuple[tuple[str, str], ...]
    front: str
    fwhm: int
    tilt: str


@dataclass(frozen=True, slots=True)
class LensChange:
    """Fixtures, by number, with a new lens or reflector: the new one, the old one, and the number of pieces with
    spares; 0 where nothing is bought.
    """

    numbers: tuple[int, ...]
    front: str
    instead: str
    pieces: int
    spares: int

    @property
    def words(self) -> str:
        """The change as a sentence."""
        buy = f": {self.pieces} pieces and {self.spares} spares" if self.pieces else ""
        return f"{letters(self.numbers)}: {self.front} in place of {self.instead}{buy}"


def fixture_settings(fixtures: Sequence[Fixture]) -> tuple[FixtureSettings, ...]:
    """Return the settings of every fixture of a setup, in order."""
    return tuple(_settings(number, fixture) for number, fixture in enumerate(fixtures))


def per_cent(level: float) -> str:
    """A level as it is typed into a fixture [%], to a tenth."""
    return f"{round(100 * level, 1):g}"


def _settings(number: int, fixture: Fixture) -> FixtureSettings:
    e = fixture.emitter
    several = len(e.channels) > 1
    channels = tuple((c.name, round(100 * level)) for c, level in zip(e.channels, fixture.mix, strict=True))
    absolute = tuple((c.name, per_cent(fixture.output * m)) for c, m in zip(e.channels, fixture.mix, strict=True))
    leans = (("turned", e.turn), ("rolled", e.roll), ("pitched", e.pitch))
    tilt = ", ".join(f"{word} {angle / DEGREE:.0f} degrees" for word, angle in leans if abs(angle) > TILTED)
    return FixtureSettings(
        number, fixture.name, round(100 * fixture.output), fixture.dimmable, channels * several, absolute * several,
        optics_for(e)[optic_on(e)].words, round(width_at_half(e.shape()) / DEGREE), tilt,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class SettingWords:
    """Settings of fixtures, by number, in words; ``lengths`` go into them by name [m]."""

    numbers: tuple[int, ...]
    words: str
    lengths: dict[str, float]

    @property
    def who(self) -> str:
        """Letters of the fixtures."""
        return letters(self.numbers)


def settings_in_words(fixtures: Sequence[Fixture]) -> list[SettingWords]:
    """Return places and settings of fixtures in words; equal ones at one height and depth share a line."""
    groups: dict[tuple[str, str, float, float], list[FixtureSettings]] = {}
    for one, fixture in zip(fixture_settings(fixtures), fixtures, strict=True):
        mixed = [f"{escape_slots(name)} {share} %" for name, share in one.channels if share != 100]
        said = ", ".join([escape_slots(one.front), *mixed, *([one.tilt] if one.tilt else [])])
        e = fixture.emitter
        groups.setdefault((escape_slots(one.name), said, round(e.height, 4), round(e.y, 4)), []).append(one)
    found = []
    for (name, said, height, y), alike in groups.items():
        levels = [f"{one.output} %" if one.dims else "on" if one.output else "off" for one in alike]
        same = len(set(levels)) == 1
        left = ", ".join(
            f"{{x{one.number}}}" + f" at {level}" * (not same) for one, level in zip(alike, levels, strict=True)
        )
        level = f"; {'output ' * alike[0].dims}{levels[0]}" * same
        words = f"{name}: {{height}} above water, {{y}} from front, from left {left}{level}; {said}"
        lengths = {"height": height, "y": y} | {f"x{one.number}": fixtures[one.number].emitter.x for one in alike}
        found.append(SettingWords(tuple(one.number for one in alike), words, lengths))
    return found


def setting_changes(before: Sequence[Fixture], after: Sequence[Fixture]) -> list[SettingWords]:
    """Return what to change on hung fixtures, in order; equal changes share a line."""
    groups: dict[tuple[str, tuple[tuple[str, float], ...]], list[int]] = {}
    settings = zip(fixture_settings(before), fixture_settings(after), before, after, strict=True)
    for old, new, was, then in settings:
        said, lengths = list[str](), dict[str, float]()
        for axis, words in (("x", "from left"), ("y", "from front"), ("height", "above water")):
            a, b = getattr(was.emitter, axis), getattr(then.emitter, axis)
            if abs(a - b) > SAME_PLACE:
                said.append(f"{{{axis}_was}} to {{{axis}}} {words}")
                lengths |= {f"{axis}_was": a, axis: b}
        said += [f"output {old.output} to {new.output} %"] * (old.output != new.output)
        for (name, a), (_, b) in zip(old.channels, new.channels, strict=False):
            said += [f"{escape_slots(name)} {a} to {b} %"] * (a != b)
        said += [escape_slots(f"{new.front} in place of {old.front}")] * (old.front != new.front)
        said += [new.tilt or "level"] * (old.tilt != new.tilt)
        if said:
            groups.setdefault((", ".join(said), tuple(lengths.items())), []).append(new.number)
    return [SettingWords(tuple(numbers), words, dict(lengths)) for (words, lengths), numbers in groups.items()]


def lens_changes(stored: StoredTank, setup: StoredSetup) -> tuple[LensChange, ...]:
    """Return the changes of lenses and reflectors for a setup.

    Each fixture is compared with the one of its name in the setup in use, or else with the fixture library's.
    """
    hung = {f.name: f for f in stored.setup().hung} if not setup.in_use else {}
    sold = {part.name: part for entry in catalogue().values() for part in entry.parts}
    found: dict[tuple[str, str], list[tuple[int, Fixture]]] = {}
    for number, fixture in enumerate(setup.hung):
        model = hung.get(fixture.name) or sold.get(fixture.name)
        if model is None or optics_for(model.emitter) != optics_for(fixture.emitter):
            continue
        old, new = optic_on(model.emitter), optic_on(fixture.emitter)
        if old != new:
            found.setdefault((new, old), []).append((number, fixture))
    changes = []
    for (new, old), group in found.items():
        offered = optics_for(group[0][1].emitter)
        counts = [pieces(fixture.emitter, new, fixture.watts) for _, fixture in group]
        numbers = tuple(number for number, _ in group)
        total = sum(count for count, _ in counts), sum(spare for _, spare in counts)
        changes.append(LensChange(numbers, offered[new].words, offered[old].words, *total))
    return tuple(changes)
