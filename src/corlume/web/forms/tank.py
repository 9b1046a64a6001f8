"""The form of a tank: panes, water and targets by the names that keepers have for them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from corlume.core.errors import InvalidInput
from corlume.core.judging.targets import LIMITS, SCHOOLS, LightTargets, school_of
from corlume.core.keeping.scene import Running, Scene
from corlume.core.light.geometry import SIDES, Pane, Tank
from corlume.core.light.water import Water
from corlume.core.schema import limits_of
from corlume.formats.measure import Measure, trim
from corlume.web.forms.form import Form, shown_values

PANE_CHOICES = {
    "clean": ("Clear glass, clean", Pane("glass", 0.95)),
    "used": ("Clear glass, in use", Pane("glass", 0.85)),
    "algae": ("Algae or scratches", Pane("plain", 0.5)),
    "pale": ("Pale film or paint", Pane("plain", 0.4)),
    "dark": ("Dark film or paint", Pane("plain", 0.08)),
}
"""Panes as keepers name them; returns are our own estimates, to be corrected by a meter."""
RIPPLES = {"still": ("Still, pumps off", 0.0), "light": ("Light ripples", 0.05), "in-use": ("Pumps in use", 0.1),
           "strong": ("Strong, broken surface", 0.2)}  # fmt: skip
"""Ripples as keepers name them and their root mean square slope [-]: our own estimates."""


def tank_fields(name: str, tank: Tank, targets: LightTargets, running: Running, measure: Measure) -> dict[str, str]:
    """Fields of the tank form."""
    shown = {"name": name}
    for thing in (tank, targets, running):
        shown |= shown_values(thing, measure)
    shown |= {"kind": tank.water.kind, "ripple": _ripple_choice(tank.water.ripple)}
    for side, pane in zip(SIDES, tank.panes(), strict=True):
        shown[f"{side}_pane"] = next((key for key, (_, p) in PANE_CHOICES.items() if p == pane), "own")
        shown[f"{side}_return"] = trim(100 * pane.factor, 6)
        shown[f"{side}_kind"] = pane.kind
    return shown


def read_name(form: Form) -> str:
    """The name of a tank."""
    name = form.text("name")
    form.attempt(limits_of(Scene, name=name).finish)
    return name


def read_tank(form: Form, old: Tank | None) -> Tank | None:
    """Tank of a form; rock and braces, and what the form has no field for, come from the old one."""
    panes: dict[str, Any] = {side: _read_pane(form, side, getattr(old, side) if old else Pane()) for side in SIDES}
    water = _read_water(form, old.water if old else Water())
    return form.read(Tank, old, water=water or Water(), **panes)


def _ripple_choice(slope: float) -> str:
    return min(RIPPLES, key=lambda key: abs(RIPPLES[key][1] - slope))


def _read_water(form: Form, old: Water) -> Water | None:
    """Water of a form; a custom slope stays while the surface's name is not changed."""
    choice = form.text("ripple")
    if choice not in RIPPLES:
        form.errors.setdefault("ripple", "is not one of the surfaces offered")
        return None
    ripple = old.ripple if choice == _ripple_choice(old.ripple) else RIPPLES[choice][1]
    return form.read(Water, old, ripple=ripple)


def _read_pane(form: Form, side: str, old: Pane) -> Pane:
    choice, share, kind = (form.text(f"{side}_{what}") for what in ("pane", "return", "kind"))
    if choice in PANE_CHOICES:
        return PANE_CHOICES[choice][1]
    if choice != "own":
        form.errors.setdefault(f"{side}_pane", "is not one of the panes offered")
        return old
    if share == trim(100 * old.factor, 6):
        return old
    number = form.number(f"{side}_return")
    try:
        return Pane(old.kind if kind != "plain" else "plain", number / 100)
    except InvalidInput as error:
        form.errors.setdefault(f"{side}_return", form.measure.message(error.errors[0]))
        return old


def read_targets(form: Form, old: LightTargets | None) -> LightTargets | None:
    """Targets of a form: choosing another approach takes its limits, changing a limit makes them the keeper's own."""
    school = form.text("school")
    if school in SCHOOLS and (old is None or school != old.school):
        form.asked |= set(LIMITS)
        given: dict[str, Any] = {**SCHOOLS[school].limits, "school": school}
        return form.read(LightTargets, old, **given)
    targets = form.read(LightTargets, old, school="own")
    if targets is None:
        return None
    return replace(targets, school=school_of(targets))
