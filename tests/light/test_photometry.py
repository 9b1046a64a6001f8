"""Photometry files: read soundly, held against two packages, and every fault told by line and column."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import photompy
import pyldt
import pytest

from corlume.core.light.lobe import RingLobe, TableLobe, width_at_half
from corlume.core.units import DEGREE
from corlume.formats.file_faults import BadFile
from corlume.formats.photometry import read_photometry, write_lm63

THETA = np.arange(0, 91, 10)


def shape(theta: np.ndarray, phi: float) -> np.ndarray:
    """A made-up lobe, alike on both sides of both planes: wider along phi = 0 than across."""
    m = 1.0 + 3.0 * np.sin(phi * DEGREE) ** 2
    return 400 * np.cos(theta * DEGREE) ** m


def lm63(phis: list[int], *, tilt: str = "NONE", head: str = "IESNA:LM-63-2002", multiplier: float = 1.0) -> str:
    rows = "\n".join(" ".join(f"{x:.4f}" for x in shape(THETA, phi)) for phi in phis)
    sizes = f"1 -1 {multiplier} {len(THETA)} {len(phis)} 1 2 0.12 0.60 0.02\n1.0 1.0 54"
    angles = f"{' '.join(map(str, THETA))}\n{' '.join(map(str, phis))}"
    return f"{head}\n[TEST] made up\n[LUMINAIRE] Test strip\nTILT={tilt}\n{sizes}\n{angles}\n{rows}\n"


def eulumdat(symmetry: int) -> str:
    planes = 24
    phis = [15 * k for k in range(planes)]
    kept = {0: phis, 1: phis[:1], 2: phis[:13], 3: phis[6:19], 4: phis[:7]}[symmetry]
    head = ["Maker", "2", str(symmetry), str(planes), "15", str(len(THETA)), "10", "r", "Test strip", "1", "f", "d"]
    head += ["600", "120", "50", "600", "120", "0", "0", "0", "0", "100", "100", "1", "0", "1"]
    head += ["1", "tube", "2000", "warm", "80", "54", *["0.5"] * 10]
    body = [str(p) for p in phis] + [str(t) for t in THETA]
    body += [f"{x / 2:.5f}" for phi in kept for x in shape(THETA, phi)]
    return "\r\n".join(head + body) + "\r\n"


@pytest.mark.parametrize(
    "phis", [[0, 30, 60, 90], list(range(0, 181, 30)), list(range(0, 361, 30)), list(range(90, 271, 30))]
)
@pytest.mark.parametrize("head", ["IESNA:LM-63-1995", "IESNA:LM-63-2002", "IES:LM-63-2019"])
def test_lm63_of_every_symmetry_gives_the_whole_turn(phis: list[int], head: str) -> None:
    found = read_photometry(lm63(phis, head=head).encode())
    assert (found.name, found.length, found.width, found.watts) == ("Test strip", 0.6, 0.12, 54)
    for k, phi in enumerate(found.phi / DEGREE):
        assert found.candela[:, k] == pytest.approx(shape(THETA, phi), abs=1e-3)
    assert len(found.phi) == 12


def test_lm63_agrees_with_photompy(tmp_path: Path) -> None:
    text = lm63([0, 30, 60, 90], multiplier=1.5)
    (tmp_path / "a.ies").write_text(text)
    other = photompy.IESFile.read(tmp_path / "a.ies").photometry.expanded()
    ours = read_photometry(text.encode())
    for theta in (0, 20, 50, 80):
        for phi in (0, 60, 150, 240, 330):
            k, j = int(np.abs(other.thetas - theta).argmin()), int(np.abs(other.phis - phi).argmin())
            column = int(np.abs(ours.phi / DEGREE - phi).argmin())
            assert ours.candela[theta == THETA, column][0] == pytest.approx(other.values[j, k], rel=1e-4)


@pytest.mark.parametrize("symmetry", [0, 2, 3, 4])
def test_eulumdat_of_every_symmetry_agrees_with_pyldt(symmetry: int, tmp_path: Path) -> None:
    text = eulumdat(symmetry)
    (tmp_path / "a.ldt").write_text(text)
    other = pyldt.LdtReader.read(str(tmp_path / "a.ldt"))
    ours = read_photometry(text.encode())
    full = np.array(other.intensities) * 2000 / 1000
    assert pytest.approx(full[: len(ours.phi)], rel=1e-6) == ours.candela.T
    assert (ours.length, ours.width, ours.watts) == (0.6, 0.12, 54)
    for k, phi in enumerate(ours.phi / DEGREE):
        assert ours.candela[:, k] == pytest.approx(shape(THETA, phi), abs=1e-3)


def test_lumens_of_a_lambert_face_are_pi_times_its_intensity() -> None:
    theta = np.arange(0, 91, 2)
    rows = " ".join(f"{100 * np.cos(t * DEGREE):.6f}" for t in theta)
    head = f"IESNA:LM-63-1995\nTILT=NONE\n1 -1 1 {len(theta)} 1 1 1 1 2 0\n1 1 50\n"
    text = f"{head}{' '.join(map(str, theta))}\n0\n{rows}\n"
    found = read_photometry(text.encode())
    assert found.lumens == pytest.approx(100 * np.pi, rel=1e-3)
    assert found.length == pytest.approx(2 * 0.3048)
    assert width_at_half(found.lobe()) / DEGREE == pytest.approx(120, abs=0.5)


def test_tilt_included_applies_the_factor_of_no_tilt() -> None:
    tilt = "INCLUDE\n1\n3\n0 45 90\n0.9 0.95 1.0"
    plain, tilted = (read_photometry(lm63([0, 90], tilt=t).encode()).candela for t in ("NONE", tilt))
    assert tilted == pytest.approx(0.9 * plain)


def test_our_own_fixtures_come_back_from_lm63() -> None:
    rings = RingLobe(((0.6, 70 * DEGREE), (0.4, 115 * DEGREE)))
    back = read_photometry(write_lm63("Rings", rings, length=0.2, width=0.1, watts=99).encode())
    assert (back.name, back.length, back.width, back.watts) == ("Rings", 0.2, 0.1, 99)
    assert back.lumens == pytest.approx(1000, rel=2e-3)
    assert width_at_half(back.lobe()) == pytest.approx(width_at_half(rings), abs=0.02)
    assert back.lobe().table()[::100, 0] == pytest.approx(rings.table()[::100, 0], rel=0.02, abs=1e-3)


def test_table_lobe_gives_its_flux_once() -> None:
    lobe = read_photometry(lm63([0, 30, 60, 90]).encode()).lobe()
    table = lobe.table()
    flux = 2 * np.pi * np.trapezoid(table[:, :-1].mean(axis=1), np.linspace(0, 1, len(table)))
    assert flux == pytest.approx(1.0)
    assert hash(lobe) == hash(TableLobe(lobe.theta, lobe.phi, lobe.values))


GOOD = lm63([0, 90])
FAULTS = [
    (GOOD[:150], "line", "ends before"),
    (GOOD.replace("0 10 20", "0 30 20"), "line 7", "they must rise"),
    (GOOD.replace("400.0000", "four", 1), "line 9, column 1", 'found "four", expected an intensity'),
    (GOOD.replace("400.0000", "-4", 1), "line 9", "expected an intensity from 0"),
    (GOOD.replace("400.0000", "nan", 1), "line 9", "expected an intensity"),
    (GOOD.replace("400.0000", "1e12", 1), "line 9", "expected an intensity"),
    (GOOD.replace("10 2 1 2", "10 2 3 2"), "line 5", "type A; only type C"),
    (GOOD.replace("TILT=NONE", "TILT=other.tlt"), "line 4", "another file"),
    (GOOD.replace("\n0 90\n", "\n0 75\n"), "horizontal angles", "run from 0 to 75"),
    (GOOD.replace("0 10 20", "5 10 20"), "vertical angles", "straight down"),
    (GOOD.split("TILT")[0], "line 1", "neither LM-63"),
    (eulumdat(4)[:-80], "line", "ends before an intensity"),
    (eulumdat(4).replace("\r\n24\r\n", "\r\nmany\r\n", 1), "line 4, column 1", "expected the number of C-planes"),
    ("".join(c if c != "4" else "0" for c in GOOD.split("\n0 90\n")[0]) + "\n0 90\n" + "0 " * 20, "", ""),
]


@pytest.mark.parametrize(("text", "where", "what"), FAULTS, ids=[str(i) for i in range(len(FAULTS))])
def test_bad_photometry_says_where_and_what(text: str, where: str, what: str) -> None:
    with pytest.raises(BadFile) as caught:
        read_photometry(text.encode())
    assert any(where in f.where and what in f.what for f in caught.value.faults), str(caught.value)
