"""What a look ahead costs: a tank run forward, suggestions for a coral, shop card, 3D view, and the book."""

from __future__ import annotations

import datetime
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from benchmarks.clock import clock, row, sized
from corlume.core.placement.coral import Placement
from corlume.services.keeping import demo, tanks
from corlume.services.upkeep.coral_suggestions import suggestions
from corlume.services.upkeep.forecast import forecast
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank
from corlume.web.app import create_app

TODAY = datetime.date(2026, 11, 30)


def _many(stored: StoredTank, count: int, seed: int) -> StoredTank:
    """The demo with so many corals at seeded places near those of its own."""
    draw, tank = np.random.default_rng(seed), stored.tank
    placed = [kept for kept in stored.corals if kept.value.place is not None]
    corals = []
    for k in range(count):
        coral = placed[k % len(placed)].value
        assert coral.place is not None
        x = float(np.clip(coral.place.x + draw.normal(0, 0.04), 0.02, tank.length - 0.02))
        y = float(np.clip(coral.place.y + draw.normal(0, 0.02), 0.02, tank.width - 0.02))
        corals.append(Kept(1000 + k, replace(coral, place=Placement(x, y, coral.place.depth))))
    return replace(stored, corals=tuple(corals))


def foresee() -> None:
    """The figures of forecast, suggestions, shop card and book; light is known to begin with, as after a first look."""
    with tempfile.TemporaryDirectory(prefix="corlume-") as name:
        db = Database(Path(name) / "ahead.db")
        demo.seed(db)
        stored = tanks.open_tank(db, 1)
        ahead = forecast(db, stored, TODAY)
        count, seeds = sized(60, 2), iter(range(100))
        taken = clock(lambda: forecast(db, _many(stored, count, next(seeds)), TODAY), 3)
        row(f"{count} corals over 60 months", taken, 5.0)
        out = next(one for one in ahead.corals if one.leaves_kept)
        row("suggestions for one coral", clock(lambda: suggestions(stored, TODAY, out), 1))
        with TestClient(create_app(db, Settings()), base_url="http://127.0.0.1") as client:
            card = client.get("/tanks/1/corals/shop")
            assert card.status_code == 200
            row("the shop card", clock(lambda: client.get("/tanks/1/corals/shop"), 3), None,
                f"{len(card.content) / 1000:.0f} kB of HTML")  # fmt: skip
            book = client.get("/tanks/1/log/book")
            row("the book as HTML", clock(lambda: client.get("/tanks/1/log/book"), 3), 5.0,
                f"{len(book.content) / 1000:.0f} kB")  # fmt: skip
            model = client.get("/tanks/1/par-map/3d/model")
            row("the 3D view's data", clock(lambda: client.get("/tanks/1/par-map/3d/model"), 3), None,
                f"{len(model.content) / 1000:.0f} kB")  # fmt: skip
            level = client.get("/tanks/1/par-map/3d/equal-par?level=200")
            row("a surface of equal PAR", clock(lambda: client.get("/tanks/1/par-map/3d/equal-par?level=200"), 3), None,
                f"{len(level.content) / 1000:.0f} kB")  # fmt: skip
            row("the book as PDF", clock(lambda: client.get("/tanks/1/log/book/pdf"), 3), 5.0)
