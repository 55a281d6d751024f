"""Rain of the demo valley: gauges, tips, radar frames and patterns, with the flaws that such data have.

Storms come at random, more and longer in winter; a few great ones are set, among them the floods of November 2019 and
February 2022.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.demo.valley import CRS, Valley

SEED = 61
FIRST, LAST = 1999, 2022
START = datetime(FIRST, 1, 1, tzinfo=UTC)

#: Storms a year, and their mean depth, mm.
STORMS, DEPTH = 165, 6.6

#: Places of the gauges from the bridge, m, and their rain over that of the valley.
GAUGES = {"Gaunt Ridge": ((-1600.0, 8200.0), 1.12), "Pellowford": ((350.0, 420.0), 0.93)}

#: The bucket of Sallow Tarn, from the bridge, m, and the depth of its tips, mm.
BUCKET, TIP = (900.0, 7400.0), 0.2


@dataclass(frozen=True)
class GreatStorm:
    """A storm that is set: when it begins, and its hourly rain over the valley, mm."""

    begins: datetime
    hourly: tuple[float, ...]


FLOOD_2019 = GreatStorm(
    datetime(2019, 11, 9, 4, tzinfo=UTC),
    (0.6, 1.4, 2.2, 3.1, 3.8, 5.2, 6.4, 7.9, 9.6, 11.8, 10.3, 8.1, 5.9, 4.4, 3.0, 2.1, 1.4, 0.9, 0.5),
)
FLOOD_2022 = GreatStorm(
    datetime(2022, 2, 15, 18, tzinfo=UTC),
    (0.9, 2.0, 3.4, 4.6, 5.5, 7.2, 8.8, 7.4, 6.3, 5.2, 4.1, 2.6, 1.8, 1.1, 0.6),
)
GREAT = (FLOOD_2019, FLOOD_2022)


def write_rain(folder: Path, valley: Valley) -> None:
    """Write both gauges (CSV), the tips (CSV), the frames (NetCDF) and the patterns (CSV)."""
    x, y = valley.places["bridge"]
    hourly = gauge_rain()
    (folder / "gaunt-ridge.csv").write_text(_ridge_text(hourly["Gaunt Ridge"]), encoding="utf-8")
    (folder / "pellowford.csv").write_text(_ford_text(hourly["Pellowford"]), encoding="latin-1")
    (folder / "sallow-tips.csv").write_text(_tips_text(), encoding="utf-8")
    _write_frames(folder / "radar-2019.nc", x, y)
    (folder / "patterns.csv").write_text(_patterns_text(hourly["Gaunt Ridge"]), encoding="utf-8")
    places = [f"{name},{x + across:.1f},{y + up:.1f}" for name, ((across, up), _) in GAUGES.items()]
    places.append(f"Sallow Tarn,{x + BUCKET[0]:.1f},{y + BUCKET[1]:.1f}")
    (folder / "gauges.csv").write_text("gauge,x,y\n" + "\n".join(places) + "\n", encoding="utf-8")


def gauge_rain() -> dict[str, Floats]:
    """Hourly rain of both gauges over all years, to a tenth of a mm, (hours,), without flaws."""
    rng = np.random.default_rng(SEED)
    hours = int((datetime(LAST + 1, 1, 1, tzinfo=UTC) - START).total_seconds() // 3600)
    found = {name: np.zeros(hours) for name in GAUGES}
    count = rng.poisson(STORMS * (LAST - FIRST + 1))
    starts = np.sort(rng.integers(0, hours - 100, count))
    for start in starts.tolist():
        winter = 0.5 + 0.5 * np.cos(2 * np.pi * (start % 8766 - 400) / 8766)
        depth = rng.lognormal(np.log(DEPTH) - 0.45, 0.95)
        length = int(np.clip(rng.gamma(2.5, 2.2 + 2.0 * winter) * (depth / DEPTH) ** 0.45, 2, 72))
        weights = np.exp(rng.normal(0, 0.5, length)) * np.sin(np.pi * (np.arange(length) + 0.7) / (length + 0.4))
        for name, (_, factor) in GAUGES.items():
            own = depth * factor * rng.lognormal(0, 0.16)
            shape = np.maximum(weights * rng.lognormal(0, 0.2, length), 1e-9)
            found[name][start : start + length] += own * shape / shape.sum()
    for storm in GREAT:
        at = int((storm.begins - START).total_seconds() // 3600)
        for name, (_, factor) in GAUGES.items():
            found[name][at - 12 : at + len(storm.hourly) + 12] = 0.0
            noise = rng.lognormal(0, 0.04, len(storm.hourly))
            found[name][at : at + len(storm.hourly)] = np.array(storm.hourly) * factor * noise
    return {name: np.round(rain, 1) for name, rain in found.items()}


def _moments(count: int) -> list[datetime]:
    return [START + timedelta(hours=n + 1) for n in range(count)]


def _ridge_text(rain: Floats) -> str:
    """A tidy file: ISO dates, points, and a code where the logger failed."""
    cells = [f"{v:.1f}" for v in rain]
    for begin, count in ((39_420, 61), (101_300, 9), (158_000, 3)):
        cells[begin : begin + count] = ["-999"] * count
    rows = (f"{when:%Y-%m-%d %H:%M},{cell}" for when, cell in zip(_moments(len(rain)), cells, strict=True))
    return "time (UTC),rain (mm)\n" + "\n".join(rows) + "\n"


def _ford_text(rain: Floats) -> str:
    """A file as people keep them: day-first dates, decimal commas, lost months, spikes, and rows written twice."""
    values = rain.copy()
    kept = np.ones(len(values), bool)
    for begin, end in (
        (datetime(2003, 2, 3, tzinfo=UTC), datetime(2003, 5, 12, tzinfo=UTC)),
        (datetime(2014, 6, 1, tzinfo=UTC), datetime(2014, 10, 8, tzinfo=UTC)),
        (datetime(2008, 1, 14, 7, tzinfo=UTC), datetime(2008, 1, 16, 9, tzinfo=UTC)),
    ):
        kept[_hour(begin) : _hour(end)] = False
    lost = slice(_hour(datetime(2008, 1, 14, 7, tzinfo=UTC)), _hour(datetime(2008, 1, 16, 9, tzinfo=UTC)))
    # the funnel was blocked, and emptied at once
    values[lost.stop] = 31.4
    values[lost.stop + 1] = 0.0
    for when, depth in ((datetime(2008, 6, 14, 10, tzinfo=UTC), 61.2), (datetime(2016, 5, 3, 15, tzinfo=UTC), 88.0)):
        at = _hour(when)
        values[at - 1 : at + 2] = [0.0, depth, 0.0]
    stuck = _hour(datetime(2011, 9, 20, 5, tzinfo=UTC))
    values[stuck : stuck + 14] = 2.3
    rows = []
    for when, value, there in zip(_moments(len(values)), values, kept, strict=True):
        if there:
            row = f"{when:%d/%m/%Y %H:%M};{value:.1f}".replace(".", ",")
            rows.append(row)
            if when == datetime(2010, 3, 9, 12, tzinfo=UTC):
                rows.append(f"{when:%d/%m/%Y %H:%M};{value + 1.2:.1f}".replace(".", ","))
    head = "Pellowford mill, gauge of the miller’s meadow\nrain in mm, hourly, read by É. Marsh\nwhen;rain (mm)\n"
    return head.replace("’", "'") + "\n".join(rows) + "\n"


def _hour(when: datetime) -> int:
    return int((when - START).total_seconds() // 3600)


def _tips_text() -> str:
    """Stamps of the tips of the bucket in the flood of 2019, to the second."""
    rng = np.random.default_rng(SEED + 1)
    hourly = np.array(FLOOD_2019.hourly) * 1.06
    fine = np.repeat(hourly / 60, 60) * rng.lognormal(-0.08, 0.4, 60 * len(hourly))
    fallen = np.cumsum(fine)
    count = int(fallen[-1] // TIP)
    minutes = np.interp(TIP * np.arange(1, count + 1), fallen, np.arange(1, len(fine) + 1))
    stamps = (FLOOD_2019.begins + timedelta(seconds=round(60 * m)) for m in minutes)
    return "tip\n" + "\n".join(f"{when:%Y-%m-%d %H:%M:%S}" for when in stamps) + "\n"


def _write_frames(path: Path, x: float, y: float) -> None:
    """Frames of a quarter of an hour on cells of a km, which see four fifths of the rain; two are missing."""
    import h5netcdf

    rng = np.random.default_rng(SEED + 2)
    step, cells, rows = 15, 12, 13
    begin = FLOOD_2019.begins - timedelta(hours=4)
    count = (len(FLOOD_2019.hourly) + 8) * 4
    hourly = np.pad(np.array(FLOOD_2019.hourly), 4)
    valley = np.repeat(hourly / 4, 4)
    column, row = np.meshgrid(np.arange(cells), np.arange(rows))
    frames = []
    for frame in range(count):
        band = np.exp(-(((column - 0.18 * frame) % 17 - 6) ** 2) / 40) * (1 + 0.03 * (rows - row))
        frames.append(0.8 * valley[frame] * band / band.mean() * rng.lognormal(0, 0.08, band.shape))
    keep = np.array([n for n in range(count) if n not in (50, 51)])
    values = np.round(np.array(frames)[keep], 2)
    west, north = np.floor(x / 1000) * 1000 - 6000, np.floor(y / 1000) * 1000 + 12000
    ends = 60.0 * step / 60 * (keep + 1)
    with h5netcdf.File(path, "w") as file:
        file.attrs["Conventions"] = "CF-1.11"
        file.attrs["title"] = "Rain of the flood of November 2019 over Pellow Beck (invented)"
        file.dimensions = {"time": len(keep), "y": rows, "x": cells, "bound": 2}
        time = file.create_variable("time", ("time",), float, data=ends)
        time.attrs.update({"units": f"minutes since {begin:%Y-%m-%d %H:%M:%S}", "bounds": "time_bounds"})
        file.create_variable("time_bounds", ("time", "bound"), float, data=np.stack([ends - step, ends], axis=1))
        for name, centres in (
            ("y", north - 1000 * (np.arange(rows) + 0.5)), ("x", west + 1000 * (np.arange(cells) + 0.5)),
        ):  # fmt: skip
            axis = file.create_variable(name, (name,), float, data=centres)
            axis.attrs["units"] = "m"
        rain = file.create_variable("rain", ("time", "y", "x"), float, data=values, compression="gzip", shuffle=True)
        rain.attrs.update({"units": "mm", "grid_mapping": "crs", "cell_methods": "time: sum"})
        mapping = file.create_variable("crs", (), int, data=0)
        mapping.attrs["crs_wkt"] = _well_known()


def _well_known() -> str:
    import pyproj

    return str(pyproj.CRS.from_user_input(CRS).to_wkt())


def _patterns_text(rain: Floats) -> str:
    """Ten patterns: mass curves of the deepest spells of twelve hours at the ridge, by twentieths of the time."""
    fallen = np.concatenate([[0.0], np.cumsum(rain)])
    spells = fallen[12:] - fallen[:-12]
    chosen: list[int] = []
    for at in np.argsort(-spells).tolist():
        if all(abs(at - other) > 48 for other in chosen):
            chosen.append(at)
        if len(chosen) == 10:
            break
    times = np.linspace(0, 1, 21)
    curves = [np.interp(times * 12, np.arange(13), fallen[at : at + 13] - fallen[at]) / spells[at] for at in chosen]
    names = ",".join(f"spell {n}" for n in range(1, 11))
    lines = ["# Shares of the depth, %, by the share of the time, %, of ten spells of twelve hours (invented)"]
    lines.append(f"time,{names}")
    lines += [",".join([f"{100 * t:.0f}", *(f"{100 * c[n]:.2f}" for c in curves)]) for n, t in enumerate(times)]
    return "\n".join(lines) + "\n"
