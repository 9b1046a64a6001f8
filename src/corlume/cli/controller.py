"""`corlume controller`: a simulated light controller on loopback, or at an MQTT broker of this machine."""

from __future__ import annotations

import datetime
import time

import click

from corlume.cli.database import opened
from corlume.cli.device import PARENT, served, until_stopped
from corlume.devices.register import CONTROLLERS
from corlume.devices.simulated_controller import SimulatedController
from corlume.services.keeping import tanks
from corlume.services.schedule.controller import lamp_name


@click.command()
@click.option("--tank", "tank_id", type=int, default=1, show_default=True, help="Tank whose lamps it drives.")
@click.option(
    "--kind",
    type=click.Choice(list(CONTROLLERS)),
    default=next(iter(CONTROLLERS)),
    show_default=True,
    help="How it speaks.",
)
@click.option("--port", type=int, help="Its port on loopback, or that of the broker; by default the usual one.")
@click.option("--speed", type=float, default=1.0, show_default=True, help="How much faster than true its clock runs.")
@click.option("--lost", type=float, default=0.0, show_default=True, help="Share of questions it does not answer.")
@click.option("--demo", is_flag=True, help="Drive the demo's lamps.")
@PARENT
def controller(
    tank_id: int, kind: str, port: int | None, speed: float, lost: float, demo: bool, parent: int | None
) -> None:
    """Run a simulated light controller."""
    stored = tanks.open_tank(opened(demo=demo), tank_id)
    watts = {
        lamp_name(k, f): [share * f.watts for share in f.emitter.power_shares()]
        for setup in stored.setups
        for k, f in enumerate(setup.hung)
    }
    now = datetime.datetime.now()
    begun, started = time.monotonic(), 60 * now.hour + now.minute + now.second / 60
    made = SimulatedController(lambda: started + speed * (time.monotonic() - begun) / 60, watts, lost=lost)
    chosen = CONTROLLERS[kind]
    server = served(lambda at: chosen.serve(at, made), chosen.port if port is None else port)
    click.echo(f"The simulated controller speaks at {server.address} (stop it with Ctrl C)")
    until_stopped(server.serve_forever, server.close, parent=parent)
