"""Writes the data of the demo, in formats that a person would receive; the package contains them."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tarnwater.demo.land import write_land
from tarnwater.demo.rain import write_rain
from tarnwater.demo.valley import CRS, Valley, make_valley
from tarnwater.formats.raster import grid_to_bytes

RETURN_PERIODS = (2, 5, 10, 30, 50, 100, 200)
DURATIONS_MIN = (15, 30, 60, 120, 180, 360, 720, 1440, 2880)
TWO_YEAR_MM = (9.0, 12.2, 16.4, 21.8, 25.6, 34.0, 44.5, 57.5, 72.5)
GROWTH = (1.0, 1.32, 1.55, 1.97, 2.19, 2.53, 2.91)


def write_data(folder: Path) -> None:
    """Make the valley and write terrain, becks and road, places, the depth table, land, and rain."""
    valley = make_valley()
    (folder / "terrain.tif").write_bytes(grid_to_bytes(valley.grid))
    (folder / "depths.csv").write_text(depth_table_text())
    _write_places(folder / "places.csv", valley)
    _write_lines(folder / "lines.gpkg", valley)
    write_land(folder, valley)
    write_rain(folder, valley)


def depth_table_text() -> str:
    """The depth-duration-frequency table of the valley as CSV; short storms grow a little faster."""
    lines = [
        "# Rain depths in mm for the valley of Pellow Beck, by duration and return period in years (invented)",
        "duration," + ",".join(str(t) for t in RETURN_PERIODS),
    ]
    for minutes, depth in zip(DURATIONS_MIN, TWO_YEAR_MM, strict=True):
        steeper = 1 + 0.08 * np.log(2880 / minutes) / np.log(2880 / 15)
        row = [f"{depth * (1 + (g - 1) * steeper):.1f}" for g in GROWTH]
        name = f"{minutes} min" if minutes < 60 else f"{minutes // 60} h"
        lines.append(",".join([name, *row]))
    return "\n".join(lines) + "\n"


def _write_places(path: Path, valley: Valley) -> None:
    rows = [f"{name},{x:.1f},{y:.1f}" for name, (x, y) in valley.places.items()]
    path.write_text("place,x,y\n" + "\n".join(rows) + "\n")


def _write_lines(path: Path, valley: Valley) -> None:
    from pyogrio.raw import write
    from shapely import LineString, to_wkb

    path.unlink(missing_ok=True)
    layers = {
        "becks": [(name, line) for name, line in valley.becks.items()],
        "roads": [("Coldgarth Road", valley.road)],
        "culverts": [("Coldgarth Road culvert", valley.culvert)],
        "flood banks": [("Pellowford flood bank", valley.flood_bank)],
    }
    for layer, lines in layers.items():
        write(
            path,
            geometry=np.array([to_wkb(LineString(line)) for _, line in lines], object),
            field_data=[np.array([name for name, _ in lines], object)],
            fields=["name"],
            layer=layer,
            geometry_type="LineString",
            crs=CRS,
            driver="GPKG",
            append=path.exists(),
        )


if __name__ == "__main__":
    write_data(Path(__file__).parent / "data")
