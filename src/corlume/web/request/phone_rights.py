"""Rights of a paired phone: to look, and to do what is done at the tank; more only if the keeper allows it."""

from __future__ import annotations

import re

LIMITED = (
    "This phone can view everything, read a survey, move measuring points, log the daily check, events, "
    "cleanings and purchases, add photos and hold a plan. For more, open the page Phone on "
    'the computer that Corlume runs on and tick "May change everything". '
    "Nothing was changed."
)
KEPT_BACK = re.compile(r"/backup")
"""What a phone may not even download: the whole record."""
AT_THE_TANK = re.compile(
    r"/preferences|/pair/[^/]+|/tanks/\d+/(?:"
    # asking only: the chart with a probe moved, what a coral would have where it is held, how the water circulates
    r"setups/\d+/light|corals/\d+/try|corals/flow/[^/]+/begin|"
    r"survey/\d+/(?:act|tap|spots|spots/\d+/place)|survey/balance/\d+/shift|"
    r"survey/photos(?:/\d+/(?:corners|tap))?|"
    r"corals/check/\d+|corals/shop/bought|corals/\d+/log/notes|day/plan/\d+/(?:hold|back|restart)|"
    r"log|log/cleaning/log)"
)
"""What a phone may post."""


def phone_may(method: str, path: str) -> bool:
    """Return whether a paired phone without further rights may send a request."""
    if method in ("GET", "HEAD", "OPTIONS"):
        return KEPT_BACK.fullmatch(path) is None
    return AT_THE_TANK.fullmatch(path) is not None
