"""`corlume meter`: a simulated PAR meter on a loopback socket."""

from __future__ import annotations

import datetime
import time

import click

from corlume.cli.database import opened
from corlume.cli.device import PARENT, served, until_stopped
from corlume.devices.meter import HOST
from corlume.devices.register import METERS
from corlume.devices.simulated_meter import SimulatedMeter, hidden_truth
from corlume.services.keeping import tanks
from corlume.services.light.fields import medium_of
from corlume.services.schedule.reading_level import lights_at


@click.command()
@click.option("--tank", "tank_id", type=int, default=1, show_default=True, help="Tank that the probe is in.")
@click.option(
    "--kind", type=click.Choice(list(METERS)), default=next(iter(METERS)), show_default=True, help="How it speaks."
)
@click.option("--port", type=int, help="Port on loopback to speak at; by default the usual one of its kind.")
@click.option("--seed", type=int, default=4, show_default=True, help="Of the hidden truth and of all chances.")
@click.option("--demo", is_flag=True, help="Stand in the demo's tank.")
@PARENT
def meter(tank_id: int, kind: str, port: int | None, seed: int, demo: bool, parent: int | None) -> None:
    """Run a simulated PAR meter in the setup in use, in a tank whose truth differs from what was told.

    Where the setup has a schedule, the lights follow it, and a running plan.
    """
    database = opened(demo=demo)
    tanks.open_tank(database, tank_id)
    begun, count = time.monotonic(), iter(range(seed, 2**31))

    def new_meter() -> SimulatedMeter:
        # the tank is read and its light worked out when somebody asks for it, not while the demo starts
        stored = tanks.open_tank(database, tank_id).under(None)
        setup = stored.setup()
        tank, fixtures = hidden_truth(stored.lit_tank(), setup.hung, seed)
        return SimulatedMeter(
            medium_of(tank),
            lambda: lights_at(stored, setup, fixtures, datetime.datetime.now()),
            seed=next(count),
            clock=lambda: time.monotonic() - begun,
            wait=time.sleep,
        )

    chosen = METERS[kind]
    server = served(lambda at: chosen.serve(at, new_meter), chosen.port if port is None else port)
    click.echo(f"The simulated meter speaks at {HOST}:{server.socket.getsockname()[1]} (stop it with Ctrl C)")
    until_stopped(server.serve_forever, server.server_close, parent=parent)
