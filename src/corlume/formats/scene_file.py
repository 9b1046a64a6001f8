"""The shape of the scene file: a tank with its setups and corals as JSON, in centimetres.

Only the shape lives here (its JSON Schema is docs/scene.schema.json); the rules of the trade are the core's.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Name = Annotated[str, Field(max_length=80)]
FlowName = Literal["", "low", "medium", "high"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class PaneFile(_Part):
    """One pane and the light it sends back."""

    kind: Literal["glass", "plain"] = Field(
        "glass", description="glass: by Fresnel (water, glass, air) times `return`; plain: `return` at every angle"
    )
    factor: Number = Field(0.85, alias="return", description="0 to 1")


class PanesFile(_Part):
    """The four panes."""

    left: PaneFile = PaneFile()
    right: PaneFile = PaneFile()
    front: PaneFile = PaneFile()
    back: PaneFile = PaneFile()


class BraceFile(_Part):
    """A strip that blocks light: across the opening at rim height, or an edge higher up."""

    x_cm: Number = Field(description="left end, from the inside of the left pane")
    y_cm: Number = Field(description="front end, from the inside of the front pane")
    length_cm: Number = Field(description="along x")
    width_cm: Number = Field(description="along y")
    height_cm: Number | None = Field(None, description="above the water line; left out for a brace at the rim")


class RockFile(_Part):
    """A piece of rock: a box, an arch over its longer side, or a mound that narrows upwards."""

    name: Name = ""
    x_cm: Number
    y_cm: Number
    base_cm: Number = Field(0.0, description="underside above the bottom pane")
    length_cm: Number
    width_cm: Number
    height_cm: Number
    flow: FlowName = Field("", description="flow over its top, when known")
    form: Literal["block", "arch", "mound"] = "block"


class WaterFile(_Part):
    """What fills the tank, with its own index and absorption by wavelength, or with plain numbers for them."""

    kind: Literal["sea", "plain"] = Field("sea", description="plain: attenuation and index below, nothing else")
    temperature_c: Number = 25.0
    salinity_psu: Number = 35.0
    yellowing_per_m: Number = Field(0.05, description="absorption of yellow matter at 440 nm")
    attenuation_per_m: Number = Field(0.06, description="plain loss of PAR")
    refractive_index: Number = Field(1.34, description="plain index")
    ripple_slope: Number = Field(0.0, description="root mean square slope of the surface; 0 with pumps off")


class TankFile(_Part):
    """The tank: inside measures."""

    name: Name
    length_cm: Number
    width_cm: Number
    water_depth_cm: Number
    rim_height_cm: Number = Field(3.0, description="top of the panes above the water line")
    rim_inset_cm: Number = Field(0.0, description="how far a rim or eurobrace reaches in from each pane")
    room_height_cm: Number = Field(90.0, description="canopy or ceiling above the water line")
    sand_cm: Number = Field(3.0, description="depth of the sand bed")
    sand_flow: FlowName = ""
    cover_percent: Number = Field(100.0, description="what a lid, mesh or screen over the opening lets pass")
    sand_albedo: Number = Field(0.3, description="share of the light that the sand sends back")
    rock_albedo: Number = Field(0.1, description="share of the light that the tops of rock send back")
    attenuation_per_m: Number | None = Field(None, description="short for plain water of this loss of PAR")
    refractive_index: Number | None = Field(None, description="short for plain water of this index")
    water: WaterFile | None = None
    coral_shade: bool = Field(False, description="whether placed corals shade what lies under them, as when mature")
    panes: PanesFile = PanesFile()
    braces: list[BraceFile] = []
    rocks: list[RockFile] = []


class TargetsFile(_Part):
    """Limits of the light bands, umol/m2/s."""

    lps_low: Number = 75.0
    lps_high: Number = 150.0
    sps_low: Number = 200.0
    sps_high: Number = 350.0
    ceiling: Number = 500.0
    goal: Literal["lps", "sps", "mixed"] = "mixed"
    school: Name = "moderate"


class RunningFile(_Part):
    """What it costs to run the lights."""

    hours_per_day: Number = 9.0
    price_per_kwh: Number = 0.30
    currency: str = "EUR"


class RingFile(_Part):
    """One ring of lenses: its share of the flux and its lobe."""

    share: Number
    fwhm_deg: Number


class LobeFile(_Part):
    """A lobe that is not one cos^m: several rings, or a measured table of relative intensity."""

    rings: list[RingFile] = Field(default=[], max_length=8)
    theta_deg: list[Number] = Field(default=[], max_length=800, description="from straight out, rising from 0")
    phi_deg: list[Number] = Field(default=[], max_length=800, description="about the normal, from the long axis")
    values: list[list[Number]] = Field(default=[], max_length=800, description="a row for each theta")


class BandFile(_Part):
    """One bell-shaped band of a spectrum."""

    share: Number = Field(description="of the radiant power, against the other bands")
    peak_nm: Number
    width_nm: Number = Field(description="full width at half maximum")


class SpectrumFile(_Part):
    """A spectrum: bands, or a table of relative radiant power per nanometre."""

    bands: list[BandFile] = Field(default=[], max_length=24)
    wavelength_nm: list[Number] = Field(default=[], max_length=8000)
    power: list[Number] = Field(default=[], max_length=8000)


class ChannelFile(_Part):
    """One colour of a fixture."""

    name: Annotated[str, Field(max_length=40)]
    share_percent: Number = Field(description="of the photon flux with all channels full; they add up to 100")
    level_percent: Number = Field(100.0, description="under the fixture's own output")
    spectrum: SpectrumFile | None = Field(None, description="left out when not known")


class FixtureFile(_Part):
    """A fixture: a face or line that gives light straight down with a cos^m lobe."""

    name: Name = ""
    kind: Literal["led_cluster", "led_bar", "t5_tube", "power_compact", "halide"]
    ppf: Number = Field(description="photon flux at full output, umol/s")
    fwhm_deg: Number = Field(description="full width of the lobe at half maximum; 120 is Lambert's")
    length_cm: Number = Field(description="light-giving face along its own axis")
    width_cm: Number = Field(description="light-giving face across")
    x_cm: Number = Field(description="centre, from the inside of the left pane")
    y_cm: Number = Field(description="centre, from the inside of the front pane")
    height_cm: Number = Field(description="face above the water line")
    turn_deg: Number = Field(0.0, description="long axis from the x axis, about the vertical")
    roll_deg: Number = Field(0.0, description="leaned about the long axis; positive sends light to the back")
    pitch_deg: Number = Field(0.0, description="leaned about the short axis; positive sends light to the right")
    lobe: LobeFile | None = Field(None, description="instead of cos^m of fwhm_deg")
    frame: Name = Field("", description="rack or frame; fixtures of one frame move together")
    output_percent: Number = 100.0
    condition_percent: Number = Field(100.0, description="what age, salt and dirt leave of its light")
    watts: Number = 0.0
    weight_kg: Number = Field(0.0, description="0 when not known")
    dimmable: bool = True
    wear: dict[Annotated[str, Field(max_length=40)], Annotated[str, Field(max_length=40)]] = Field(
        default={}, max_length=12, description="answers about age and dirt, from which condition_percent came"
    )
    channels: list[ChannelFile] = Field(default=[], max_length=12)


class IntentFile(_Part):
    """What a setup is meant for."""

    purpose: Literal["goal", "even", "mixed", "strong_left", "strong_right", "zones", "lps", "sps"] = Field(
        "goal", description="goal: what the goal of the targets says"
    )
    par_low: Number = Field(0.0, description="wanted on top; 0 for the band of the targets")
    par_high: Number = 0.0
    strong_end_cm: Number = Field(0.0, description="length of a strong end; 0 for a third of the tank")


class SetupFile(_Part):
    """One variant of the lights."""

    name: Name
    in_use: bool = True
    meant_for: IntentFile = IntentFile()
    fixtures: list[FixtureFile] = []


class CoralFile(_Part):
    """A coral with its card; without a place it waits."""

    name: Name
    group: Literal["soft", "lps", "sps", "low_light"]
    par_low: Number
    par_high: Number
    flow: Literal["low", "medium", "high"]
    aggression: Literal["peaceful", "moderate", "aggressive"]
    reach_cm: Number = Field(description="how far sweepers go past its edge")
    size_cm: Number = Field(description="diameter when mature")
    note: Annotated[str, Field(max_length=500)] = ""
    place: PlaceFile | None = None


class PlaceFile(_Part):
    """Where a coral sits."""

    x_cm: Number
    y_cm: Number
    depth_cm: Number


class WantedFile(_Part):
    """Light wanted in a part of the tank."""

    name: Annotated[str, Field(max_length=40)]
    x_cm: Number
    y_cm: Number
    length_cm: Number
    width_cm: Number
    top_cm: Number = Field(description="depth from which")
    bottom_cm: Number = Field(description="depth to which")
    par_low: Number
    par_high: Number


class SiteFile(_Part):
    """The place where the tank stands."""

    volts: Number = 230.0
    breaker_a: Number = 16.0
    other_watts: Number = Field(200.0, description="what else is on the circuit")
    lead_cm: Number = Field(0.0, description="between two chained fixtures; 0 when each has its own")
    stand_cm: Number = Field(130.0, description="water line above the floor")
    eye_cm: Number = Field(120.0, description="a seated eye above the floor")
    away_cm: Number = Field(200.0, description="that eye from the front pane")
    gap_cm: Number = Field(6.0, description="behind the back pane")


class SceneFile(_Part):
    """A Corlume scene. x runs from the inside of the left pane, y from the inside of the front pane."""

    format: Literal["corlume-scene"]
    version: Literal[1]
    tank: TankFile
    targets: TargetsFile = TargetsFile()
    running: RunningFile = RunningFile()
    setups: list[SetupFile] = Field(min_length=1)
    corals: list[CoralFile] = []
    wanted: list[WantedFile] = []
    site: SiteFile = SiteFile()
