"""Read forms: text to core values, every fault kept by the field it concerns, nothing typed is lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.judgement.targets import LIMITS, SCHOOLS, LightTargets, school_of
from corlume.core.optics.water import Water
from corlume.core.scene import Running
from corlume.core.units import DEGREE
from corlume.core.words import plain
from corlume.formats.measure import Measure, parse_number

MOST_TEXT = 400
"""Characters of the longest text that any field takes."""
T = TypeVar("T")
PANE_CHOICES = {
    "clean": ("Clear glass, clean", Pane("glass", 0.95)),
    "used": ("Clear glass, in use", Pane("glass", 0.85)),
    "algae": ("Algae or scratches", Pane("plain", 0.5)),
    "pale": ("Pale film or paint", Pane("plain", 0.4)),
    "dark": ("Dark film or paint", Pane("plain", 0.08)),
}
"""Panes as keepers name them; returns are our own estimates, to be corrected by a meter."""


class Form:
    """A submitted form on its way to core values."""

    def __init__(self, data: Mapping[str, str], measure: Measure) -> None:
        self.data = dict(data)
        self.measure = measure
        self.errors = {
            key: f"has {len(value)} characters, and at most {MOST_TEXT} are read"
            for key, value in data.items()
            if len(value) > MOST_TEXT
        }

    def text(self, name: str) -> str:
        """A trimmed text."""
        return self.data.get(name, "").strip()

    def length(self, name: str, old: float | None = None) -> float:
        """A length [m]; NaN with an error noted when it cannot be read.

        Where the text is just what ``old`` is shown as, it is ``old``: saving a form of rounded inches
        must not move anything.
        """
        if old is not None and self.text(name) == self.measure.number(old):
            return old
        return self._read(name, self.measure.parse)

    def number(self, name: str) -> float:
        """A plain number; NaN with an error noted when it cannot be read."""
        return self._read(name, parse_number)

    def _read(self, name: str, parse: Callable[[str], float]) -> float:
        try:
            return parse(self.data.get(name, ""))
        except ValueError as error:
            self.errors[name] = str(error)
            return float("nan")

    def build(self, make: Callable[..., T], **values: Any) -> T | None:
        """Make a core object; its objections land by their fields, unless the text there was unreadable already."""
        return self.attempt(lambda: make(**values))

    def attempt(self, work: Callable[[], T]) -> T | None:
        """Do some work; what the core objects to is noted by field, and nothing comes back."""
        try:
            return work()
        except InvalidInput as error:
            for e in error.errors:
                self.errors.setdefault(e.field, self.measure.message(e))
            return None


def tank_fields(name: str, tank: Tank, targets: LightTargets, running: Running, measure: Measure) -> dict[str, str]:
    """What the tank form shows for a tank."""
    shown = {"name": name, "sand_flow": tank.sand_flow, "goal": targets.goal, "school": targets.school}
    for field in ("length", "width", "water_depth", "rim_height", "rim_inset", "room_height", "sand"):
        shown[field] = measure.number(getattr(tank, field))
    shown |= {f"{part}_albedo": f"{100 * getattr(tank, f'{part}_albedo'):g}" for part in ("sand", "rock")}
    shown["cover"] = f"{100 * tank.cover:g}"
    water = tank.water
    shown |= {name: f"{getattr(water, name):g}" for name in WATER_NUMBERS}
    shown |= {"water": water.kind, "ripple": _ripple_choice(water.ripple), "currency": running.currency}
    shown["colony_shade"] = "on" if tank.colony_shade else ""
    shown |= {"hours": f"{running.hours:g}", "price": f"{running.price:g}"}
    shown |= {limit: f"{getattr(targets, limit):g}" for limit in LIMITS}
    for side, pane in zip(SIDES, tank.panes(), strict=True):
        shown[f"{side}_pane"] = next((key for key, (_, p) in PANE_CHOICES.items() if p == pane), "own")
        shown[f"{side}_return"] = f"{100 * pane.factor:g}"
        shown[f"{side}_kind"] = pane.kind
    return shown


def read_tank(form: Form, old: Tank | None) -> Tank | None:
    """The tank that a form describes; rock, braces and the index of the water come from the old one."""
    panes = {side: _read_pane(form, side, getattr(old, side) if old else Pane()) for side in SIDES}
    values: dict[str, Any] = {
        field: form.length(field, getattr(old, field, None))
        for field in ("length", "width", "water_depth", "rim_height", "rim_inset", "room_height", "sand")
    }
    values |= {f"{part}_albedo": form.number(f"{part}_albedo") / 100 for part in ("sand", "rock")}
    values["cover"] = form.number("cover") / 100
    values["water"] = _read_water(form, old.water if old else Water())
    values["colony_shade"] = form.text("colony_shade") == "on"
    values["sand_flow"] = form.text("sand_flow")
    if values["water"] is None:
        values["water"] = old.water if old else Water()
    if old:
        values |= {"rocks": old.rocks, "braces": old.braces}
    return form.build(Tank, **values, **panes)


WATER_NUMBERS = ("temperature", "salinity", "yellowing", "attenuation", "index")
RIPPLES = {"still": ("Still, pumps off", 0.0), "light": ("Light ripples", 0.05), "in-use": ("Pumps in use", 0.1),
           "strong": ("Strong, broken surface", 0.2)}  # fmt: skip
"""Ripples as keepers name them and their root mean square slope [-]: our own estimates."""


def _ripple_choice(slope: float) -> str:
    return min(RIPPLES, key=lambda key: abs(RIPPLES[key][1] - slope))


def _read_water(form: Form, old: Water) -> Water | None:
    """The water of a form; a slope of its own stays while its name is not changed."""
    choice = form.text("ripple")
    if choice not in RIPPLES:
        form.errors["ripple"] = "is not one of the surfaces offered"
        return None
    ripple = old.ripple if choice == _ripple_choice(old.ripple) else RIPPLES[choice][1]
    numbers = {name: form.number(name) for name in WATER_NUMBERS}
    return form.build(Water, kind=form.text("water"), ripple=ripple, **numbers)


def _read_pane(form: Form, side: str, old: Pane) -> Pane:
    choice = form.text(f"{side}_pane")
    if choice in PANE_CHOICES:
        return PANE_CHOICES[choice][1]
    if choice != "own":
        form.errors[f"{side}_pane"] = "is not one of the panes offered"
        return old
    share = form.number(f"{side}_return")
    try:
        return Pane(old.kind if form.text(f"{side}_kind") != "plain" else "plain", share / 100)
    except InvalidInput as error:
        form.errors.setdefault(f"{side}_return", form.measure.message(error.errors[0]))
        return old


def read_targets(form: Form, old: LightTargets | None) -> LightTargets | None:
    """The targets of a form: choosing another school takes its limits, changing a limit makes them your own."""
    school, goal = form.text("school"), form.text("goal")
    if school in SCHOOLS and (old is None or school != old.school):
        return form.build(LightTargets, **SCHOOLS[school].limits, goal=goal, school=school)
    targets = form.build(LightTargets, **{limit: form.number(limit) for limit in LIMITS}, goal=goal, school="own")
    return targets and form.build(
        LightTargets, **{limit: getattr(targets, limit) for limit in LIMITS}, goal=goal, school=school_of(targets)
    )


def read_running(form: Form) -> Running | None:
    """The running costs of a form."""
    return form.build(Running, hours=form.number("hours"), price=form.number("price"), currency=form.text("currency"))


def rock_fields(rock: Rock, measure: Measure) -> dict[str, str]:
    """What the rock form shows for a rock."""
    shown = {name: measure.number(getattr(rock, name)) for name in ("x", "y", "base", "length", "width", "height")}
    return shown | {"name": rock.name, "flow": rock.flow, "form": rock.form}


def read_rock(form: Form, old: Rock | None) -> Rock | None:
    """The rock of a form; ``old`` as it was."""
    sizes = ("x", "y", "base", "length", "width", "height")
    lengths = {name: form.length(name, getattr(old, name, None)) for name in sizes}
    return form.build(
        Rock, **lengths, name=form.text("name"), flow=form.text("flow"), form=form.text("form") or "block"
    )


def read_brace(form: Form) -> Brace | None:
    """The brace of a form, given by its corner, length and width."""
    x, y, length, width = (form.length(name) for name in ("x", "y", "length", "width"))
    height = form.length("height") if form.text("height") else None
    if form.errors:
        return None
    brace = form.build(Brace, x0=x, x1=x + length, y0=y, y1=y + width, height=height)
    for core, shown in (("x1", "length"), ("y1", "width")):
        if core in form.errors:
            form.errors.pop(core)
            form.errors[shown] = "must be more than nothing"
    return brace


FIXTURE_LENGTHS = ("x", "y", "height", "length", "width")


def read_fixture_changes(values: Mapping[str, Any], measure: Measure) -> dict[str, Any]:
    """Changes of a fixture from the chart: numbers are SI, texts are as the keeper typed them.

    ``InvalidInput`` has every text that cannot be read.
    """
    read: dict[str, Any] = {}
    errors: list[FieldError] = []
    for name, value in values.items():
        if name == "levels":
            # all full is what a fixture has that was never touched
            read[name] = tuple(value) if any(level != 1.0 for level in value) else ()
        elif not isinstance(value, str):
            read[name] = value
        elif name in ("name", "frame", "lens"):
            read[name] = value.strip()
        else:
            try:
                read[name] = measure.parse(value) if name in FIXTURE_LENGTHS else _scaled(name, parse_number(value))
            except ValueError as error:
                errors.append(FieldError(name, plain(str(error))))
    if errors:
        raise InvalidInput(errors)
    return read


SCALES = {"output": 0.01, "condition": 0.01, "turn": DEGREE, "roll": DEGREE, "pitch": DEGREE, "fwhm": DEGREE}


def _scaled(name: str, number: float) -> float:
    return SCALES.get(name, 1.0) * number
