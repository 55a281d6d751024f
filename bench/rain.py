"""Records, fits and frames of rain over what NumPy, pandas and SciPy need for arrays of the same size."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pandas as pd
import shapely
from scipy.sparse import csr_array

from bench.pairs import in_pairs
from tarnwater.formats.records import Reading, propose, read_records
from tarnwater.rain.areas.frames import Frames, cell_shares, rain_of_frames
from tarnwater.rain.frequency.distributions import GeneralisedExtremeValue
from tarnwater.rain.frequency.fits import fit, limits, ordered_draws
from tarnwater.rain.records import Record
from tarnwater.rain.records.maxima import annual_maxima

SEED = 1
YEARS, STEP = 50, 300
BEGIN = -631_152_000
DURATIONS = (300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 259200)
PERIODS = (2, 5, 10, 30, 50, 100, 200)
DATES = "%d/%m/%Y %H:%M"


def depths() -> np.ndarray:
    """Fifty years of five-minute rain, mm, with two hundred gaps."""
    rng = np.random.default_rng(SEED)
    count = YEARS * 365 * 288
    values = np.where(rng.random(count) < 0.05, rng.gamma(0.5, 0.6, count), 0.0).round(1)
    for _ in range(200):
        at = int(rng.integers(0, count - 500))
        values[at : at + int(rng.integers(1, 400))] = np.nan
    return values


def run(pairs: int) -> list[str]:
    values = depths()
    return [_maxima(values, pairs), _reading(values, min(pairs, 7)), _bootstrap(pairs), _frames(pairs)]


def _maxima(values: np.ndarray, pairs: int) -> str:
    def base() -> None:
        for _ in DURATIONS:
            np.cumsum(values)

    # a record anew each time, so that nothing of it is held from the time before
    found = in_pairs(lambda: annual_maxima(Record.regular(BEGIN, STEP, values), DURATIONS), base, pairs)
    name = f"maxima of {len(values):,} steps for {len(DURATIONS)} durations with gaps"
    return found.told(f"{name}, over {len(DURATIONS)} numpy.cumsum", "at most 4")


def _reading(values: np.ndarray, pairs: int) -> str:
    stamps = pd.to_datetime(BEGIN + STEP * np.arange(1, len(values) + 1), unit="s").strftime(DATES)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "record.csv"
        with path.open("w") as file:
            file.write("time,rain (mm)\n")
            file.writelines(f"{t},{'' if v != v else v}\n" for t, v in zip(stamps, values, strict=True))
        reading: Reading = propose(path).reading
        series = next(iter(read_records(path, reading).series.values()))
        if not np.array_equal(series.values, values, equal_nan=True):
            raise AssertionError("the record was read as another one")
        found = in_pairs(
            lambda: read_records(path, reading),
            lambda: pd.read_csv(path, parse_dates=["time"], date_format=DATES),
            pairs,
        )
    name = f"the same record from CSV with its dates, {len(values):,} rows"
    return found.told(f"{name}, over pandas.read_csv with the format of the dates", "at most 1.5")


def _bootstrap(pairs: int) -> str:
    rng = np.random.default_rng(SEED)
    distribution = GeneralisedExtremeValue()
    fits = [fit(distribution, rng.gumbel(20 + 5 * d, 6, YEARS)) for d in range(len(DURATIONS))]
    draws = ordered_draws(1000, YEARS, SEED)
    resampled = np.stack([distribution.quantile_at(one.parameters, draws) for one in fits], axis=1)
    # in any order: sorted rows would be sorted again in no time
    resampled = rng.permuted(resampled, axis=2)
    found = in_pairs(lambda: limits(fits, PERIODS, draws=1000), lambda: np.sort(resampled), pairs)
    name = f"1,000 bootstrap GEV fits by L-moments at {len(fits)} durations with limits"
    return found.told(f"{name}, over numpy.sort of {resampled.shape}", "at most 5")


def _frames(pairs: int) -> str:
    rng = np.random.default_rng(SEED)
    values = rng.gamma(0.3, 2.0, (1000, 400, 400))
    x, y = np.meshgrid(np.arange(401.0) * 250, np.arange(401.0) * 250)
    grid = Frames(300 * np.arange(1, 1001), np.full(1000, 300), values, x, y)
    square = shapely.box(0, 0, 100_000, 100_000)
    points = shapely.multipoints(rng.uniform(0, 100_000, (500, 2)))
    parts = shapely.get_parts(shapely.voronoi_polygons(points, extend_to=square))
    shares = cell_shares(grid.cells, list(shapely.intersection(parts, square)))
    product = csr_array(shares.shares)
    columns = np.ascontiguousarray(values.reshape(1000, -1).T)
    if not np.allclose(rain_of_frames(shares, values), product @ columns, rtol=1e-10):
        raise AssertionError("the rain of the frames is not the product")
    found = in_pairs(lambda: rain_of_frames(shares, values), lambda: product @ columns, pairs)
    name = f"areal rain of 500 catchments from 1,000 frames of 400 x 400 cells, {product.nnz:,} shares"
    return found.told(f"{name}, over one SciPy sparse product", "at most 1.3")
