"""A coral type in the library: what it needs, how it grows, where it sits, how it is secured, and the sources."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.surface_orientation import Sat
from corlume.core.schema import Choice, Flag, Length, Part, Text, limits

Form = Literal["plate", "branch", "mound", "crust", "mat", "free"]
FORMS: dict[Form, str] = {
    "plate": "plates and scrolls",
    "branch": "branches",
    "mound": "mounds",
    "crust": "encrusts",
    "mat": "mats and polyps",
    "free": "lies free",
}
Basis = Literal["common", "published", "memory"]
BASES: dict[Basis, str] = {
    "common": "common practice",
    "published": "published, see its source",
    "memory": "from memory",
}
SEATS = {
    "on_top": "rock tops and ledges",
    "on_face": "faces",
    "on_sand": "the sand",
    "under": "under overhangs",
    "on_pane": "the back pane",
}
"""Where a kind sits, by the name of the field that says so."""
FIXING: dict[str, str] = {
    "free": "Set down on the sand, not glued.",
    "mat": "Polyps come off a plug cleanly; mushrooms are not cut for gluing: leave them on their stone.",
    "leather": "Leathers slime when cut and do not hold glue: leave them on the plug and wedge it.",
    "stony": "Cut off the plug with bone cutters unless the coral has grown over it. Gel cyanoacrylate, "
    "held about 30 s, on old rock; it does not stick to bare new glass.",
}
"""How a kind is fixed, once it has settled, where it is not said otherwise (common practice, no source)."""
LEVELS = ((75.0, "low"), (150.0, "low to medium"), (220.0, "medium"), (300.0, "medium to high"), (1e9, "high"))
"""A word for the middle of a band, up to so many [umol/m2/s]; ours. Sellers' words do not agree with each other."""
STRICT_FLOOR = 250.0
"""Where the strict school lets SPS light begin; common practice, no source [umol/m2/s]."""
WHITE = 1.65
"""How much more the bright white school runs, 400 to 600 for 250 to 350; common practice, no source, and that other
corals follow is our guess [-].
"""


UNTIDY, ON_TOP_TOO, AT_FACE, ON_RACK, LOW_ROCK = 0.02, 0.6, 0.7, 0.3, 0.4
"""Weight of each less suitable surface for a coral type [-]: sand for a rock type (untidy, hinders cleaning: common
practice, no source), a top for one of faces, a face for one of overhangs, a frag rack, rock for a free-lying type. Our
estimates.
"""
LIT_TOP = 0.02
"""What a top is worth to a coral that lives off food: only where nothing else is left; ours [-]."""
ALLELOPATHY = (
    "gives off chemicals against stony corals through the water: distance does not help, carbon and water changes do"
)
"""What is said of kinds that do; common practice, no source."""


@dataclass(frozen=True, slots=True)
class CoralType:
    """A coral type.

    Parameters
    ----------
    card : what it wants.
    form : how it grows; ``height`` when mature [m]; ``growth`` across a year [m].
    on_top, on_face, on_sand, under, on_pane : where it sits.
    untidy : it lives on the sand, but looks untidy there and hinders cleaning.
    overgrows : it overgrows neighbours.
    allelopathic : it gives off chemicals against its neighbours, through the water.
    food : it lives off food, and light does not judge it.
    light : what keepers say of kinds of light for it; ``flow_form`` what flow does to its form.
    fixing : how it is fixed, where that differs from others of its form.
    light_basis, flow_basis, reach_basis, growth_basis : on what its values rest, and the ``source`` where there is one.
    """

    card: Annotated[CoralCard, Part()]
    form: Annotated[Form, Choice("Grows", FORMS)] = "mound"
    height: Annotated[float, Length("Mature height", 0.002, 1.5)] = 0.1
    growth: Annotated[float, Length("Growth a year", 0.0, 0.5, about="across")] = 0.03
    on_top: Annotated[bool, Flag("Rock tops and ledges")] = False
    on_face: Annotated[bool, Flag("Faces")] = False
    on_sand: Annotated[bool, Flag("The sand")] = False
    under: Annotated[bool, Flag("Under overhangs")] = False
    on_pane: Annotated[bool, Flag("The back pane")] = False
    untidy: Annotated[bool, Flag("Untidy on the sand")] = False
    overgrows: Annotated[bool, Flag("Grows over what it touches")] = False
    allelopathic: Annotated[bool, Flag("Poisons neighbours through the water (allelopathy)")] = False
    food: Annotated[bool, Flag("Non-photosynthetic (NPS)")] = False
    light: Annotated[str, Text("Kind of light", 300)] = ""
    flow_form: Annotated[str, Text("What flow does to it", 300)] = ""
    fixing: Annotated[str, Text("Plug and glue", 300)] = ""
    light_basis: Annotated[Basis, Choice("Light rests on", BASES)] = "memory"
    flow_basis: Annotated[Basis, Choice("Flow rests on", BASES)] = "memory"
    reach_basis: Annotated[Basis, Choice("Sweepers rest on", BASES)] = "memory"
    growth_basis: Annotated[Basis, Choice("Growth rests on", BASES)] = "memory"
    source: Annotated[str, Text("Source", 300)] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(any(getattr(self, name) for name in SEATS), "on_top", "or another placement must be chosen")
        based = "published" in (self.light_basis, self.flow_basis, self.reach_basis, self.growth_basis)
        rules.that(not based or bool(self.source.strip()), "source", "is empty: name what was published")
        rules.finish()

    @property
    def seats(self) -> list[str]:
        """Where corals of the type sit, in words."""
        return [words for name, words in SEATS.items() if getattr(self, name)]

    @property
    def level(self) -> str:
        """Light level as sellers say it; the numbers stand beside it."""
        middle = 0.5 * (self.card.par_low + self.card.par_high)
        return next(word for limit, word in LEVELS if middle < limit)

    @property
    def only_sand(self) -> bool:
        """Whether the type lives on the sand bed only."""
        return self.on_sand and not (self.on_top or self.on_face or self.under or self.on_pane)

    def sits(self) -> dict[Sat, float]:
        """Worth of each sort of spot to the type, 0 where it cannot sit [-]; the shares are our estimates."""
        if self.only_sand:
            return {"sand": 1.0}
        top = LIT_TOP if self.food else ON_TOP_TOO
        free = LOW_ROCK if self.form == "free" else 1.0
        return {
            "top": free if self.on_top else top,
            "sand": 1.0 if self.on_sand else UNTIDY,
            "face": (AT_FACE if self.under else 1.0) * self.on_face,
            "under": 1.0 * self.under,
            "pane": 1.0 * self.on_pane,
            "rack": ON_RACK,
        }

    @property
    def how_fixed(self) -> str:
        """How corals of the type are secured."""
        if self.fixing or self.form in ("free", "mat"):
            return self.fixing or FIXING[self.form]
        return FIXING["leather" if self.card.group == "soft" else "stony"]

    def bands(self) -> dict[str, tuple[float, float]]:
        """Target range by approach [umol/m2/s]; the moderate one is that of the care card."""
        low, high = self.card.par_low, self.card.par_high
        floor = STRICT_FLOOR if self.card.group == "sps" and low < STRICT_FLOOR < high else low
        return {"moderate": (low, high), "strict": (floor, high), "bright white": (WHITE * low, WHITE * high)}
