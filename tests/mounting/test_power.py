"""Power for the lights: leads, sockets and loads against rigs worked by hand, and what is entered wrong."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise, permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.cables import chain, leads_of, load_of, need_of, sockets_taken
from corlume.core.mounting.mount import Mount
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.mounting.power_checks import check_power
from corlume.core.mounting.surroundings import Surroundings
from corlume.services.keeping import tanks
from corlume.store.database import Database
from tests.mounting.bare_rig import take_rig_down
from tests.ruled import CLUSTER


def module(name: str, x: float, **more: float) -> Fixture:
    emitter = replace(CLUSTER.parts[0].emitter, x=x, y=0.3, height=0.2, length=0.2, width=0.1)
    return Fixture(emitter, watts=100.0, name=name, **more)  # type: ignore[arg-type]


HUNG = [module("One", 0.3), module("Two", 0.9), module("Two", 1.2)]
OUTLET = PowerPart("Wall", "outlet", 1.5, 0.7, -0.4, amps=10.0, sockets=2)
STRIP = PowerPart("Strip", "strip", 1.3, 0.65, -0.3, "Wall", 4, 0.045, 10.0, lead=0.8)


def answers(
    cords: list[Cord], parts: list[PowerPart], around: Surroundings, mounts: list[Mount] | None = None
) -> dict[str, str]:
    return {check.title: check.answer for check in check_power(HUNG, cords, parts, mounts or [], around)}


def test_leads_worked_by_hand() -> None:
    """From the back of A to the strip: 1.0 m right, 0.3 back, 0.5 down; a tenth of slack, 0.3 m of loop, to 5 cm."""
    cords = [
        Cord("One", "back", 2.0, fed_by="Strip"),
        Cord("Two", "right", 1.5, fed_by="Strip", chained=True, link=0.5),
    ]
    leads = leads_of(HUNG, cords, [OUTLET, STRIP], ["A", "B", "C"])
    told = {(lead.start, lead.end): (lead.way, lead.need, lead.short) for lead in leads}
    assert told["A", "Strip"] == pytest.approx((1.0 + 0.3 + 0.5, 2.3, 0.3))
    # C hangs nearer to the strip and is first in the chain: right end of C, 0.35 back and 0.5 down
    assert told["C", "Strip"] == pytest.approx((0.0 + 0.35 + 0.5, 1.25, 0.0))
    assert told["C", "B"] == pytest.approx((0.3, 0.65, 0.15))
    assert told["Strip", "Wall"] == pytest.approx((0.2 + 0.05 + 0.1, 0.7, 0.0))
    assert need_of(0.0) == pytest.approx(0.3)
    assert chain(HUNG, [0, 1, 2], None) == [0, 1, 2]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.sampled_from([0.03, 0.04, 0.06, 0.09]), max_size=6), st.sampled_from([0.03, 0.045, 0.06]))
def test_sockets_are_the_fewest_of_all_orders(widths: list[float], pitch: float) -> None:
    """Against every order of the plugs, each put at the first socket where it does not touch the one before."""

    def taken(order: tuple[float, ...]) -> int:
        at = 0
        for one, other in pairwise(order):
            at += next(k for k in range(1, 99) if k * pitch >= (one + other) / 2 - 1e-6)
        return at + 1 if order else 0

    assert sockets_taken(widths, pitch) == min(taken(order) for order in permutations(widths))


def test_loads_by_circuit_and_what_is_out_of_bounds() -> None:
    cords = [
        Cord("One", fed_by="Strip", inrush=12.0, leakage=0.5),
        Cord("Two", fed_by="Strip", inrush=10.0, leakage=5.0),
    ]
    load = load_of("Wall", HUNG, cords, [OUTLET, STRIP])
    assert (load.watts, load.inrush, load.leakage) == pytest.approx((300.0, 32.0, 10.5))
    assert load_of("", HUNG, [], []).watts == 300.0
    safe = Surroundings(residual=30.0, surge=True, others=0.0)
    found = answers(cords, [OUTLET, STRIP], safe)
    # three times 10 A is 30 A; 30 % of 30 mA is 9 mA
    assert (found["Inrush behind Wall"], found["Earth leakage behind Wall"]) == ("no", "no")
    assert found["Circuit behind Wall"] == "yes"
    assert found["Residual-current protection"] == "yes"
    assert answers(cords, [OUTLET, STRIP], replace(safe, residual=0.0))["Residual-current protection"] == "no"
    assert answers(cords, [OUTLET, STRIP], replace(safe, residual=100.0))["Residual-current protection"] == "no"
    # 80 % of 1 A at 230 V is 184 W
    over = next(c for c in check_power(HUNG, cords, [replace(OUTLET, amps=1.0), STRIP], [], safe) if c.key == "circuit")
    assert over.answer == "no"
    assert "Put 116 W on another circuit" in over.found
    assert answers(cords, [OUTLET, replace(STRIP, amps=1.0)], safe)["Load of Strip"] == "no"
    wide = [replace(cord, plug=0.09) for cord in cords]
    # three plugs of 9 cm at 4.5 cm take every second socket
    assert answers(wide, [OUTLET, replace(STRIP, sockets=5)], safe)["Sockets of Strip"] == "yes"
    assert answers(wide, [OUTLET, STRIP], safe)["Sockets of Strip"] == "no"
    lid = Mount("Lid", "half_lid", 0.0, 0.0, 1.2, 0.6, 0.03)
    held = [replace(f, held_by="Lid") for f in HUNG]
    assert any(c.key == "cut-outs" for c in check_power(held, cords, [STRIP], [lid], safe))
    with pytest.raises(InvalidInput, match="leads back to itself"):
        Setup("Ring", power_parts=(replace(OUTLET, fed_by="Strip"), STRIP))


def test_page_of_power_keeps_names_together_and_says_what_is_wrong(client: TestClient, db: Database) -> None:
    take_rig_down(db)
    home = "/tanks/1/mounting/power"
    for kind in ("outlet", "strip", "driver"):
        client.post(f"{home}/parts", data={"type": kind})
    assert client.post(f"{home}/parts", data={"type": "candle"}).status_code == 422
    setup = tanks.open_tank(db, 1).setup()
    outlet, strip, driver = setup.power_parts
    assert (strip.value.fed_by, driver.value.fed_by) == (outlet.value.name, outlet.value.name)
    name = setup.hung[0].name
    client.post(f"{home}/cords", data={"fixture": name, "length": "120", "fed_by": strip.value.name})
    ring = client.post(f"{home}/parts/{outlet.id}", data={"fed_by": strip.value.name})
    assert ring.status_code == 422
    assert "leads back to itself" in ring.text
    bad = client.post(f"{home}/cords", data={"fixture": name, "length": "a lot", "fed_by": strip.value.name})
    assert bad.status_code == 422
    assert 'value="a lot"' in bad.text
    client.post(f"{home}/parts/{strip.id}", data={"name": "Left {strip}"})
    now = tanks.open_tank(db, 1).setup()
    assert [cord.value.fed_by for cord in now.cords] == ["Left {strip}"]
    page = client.get(home).text
    assert "Lead A to Left {strip}" in page
    assert "too short" in page
    client.post(f"{home}/circuit", data={"residual": "30", "surge": "on"})
    assert tanks.open_tank(db, 1).surroundings.residual == 30.0
    client.post(f"{home}/parts/{strip.id}/remove")
    assert tanks.open_tank(db, 1).setup().cords[0].value.fed_by == ""
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).setup().cords[0].value.fed_by == "Left {strip}"
