"""Write the bundled table of white LEDs from the package colour-science: the LED illuminants of CIE 015:2018."""

from __future__ import annotations

import json
from pathlib import Path

import colour

HERE = Path(__file__).parent.parent / "src/corlume/reference/white_leds.json"
NAMES = {
    "LED-B1": "White LED, blue with phosphor, 2,700 K",
    "LED-B2": "White LED, blue with phosphor, 3,000 K",
    "LED-B3": "White LED, blue with phosphor, 4,100 K",
    "LED-B4": "White LED, blue with phosphor, 5,100 K",
    "LED-B5": "White LED, blue with phosphor, 6,600 K",
    "LED-BH1": "White LED, phosphor and red, 2,850 K",
    "LED-RGB1": "White LED of red, green and blue, 2,840 K",
    "LED-V1": "White LED, violet with phosphor, 2,720 K",
    "LED-V2": "White LED, violet with phosphor, 4,070 K",
}


def main() -> None:
    """Write every fifth nanometre, relative to the greatest."""
    rows = []
    for key, name in NAMES.items():
        table = colour.SDS_ILLUMINANTS[key]
        nodes = [int(w) for w in table.wavelengths]
        most = max(table.values)
        rows.append({"key": key.lower(), "name": name, "values": [round(float(v / most), 5) for v in table.values]})
    source = "CIE 015:2018, illuminants of the LED series; tables of the package colour-science 0.4 (BSD), every 5 nm"
    data = {"source": source, "units": {"wavelengths": "nm", "values": "power per nm, relative"}, "wavelengths": nodes}
    HERE.write_text(json.dumps({**data, "leds": rows}) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
