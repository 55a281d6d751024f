"""The demo: its generator still makes what is kept, and its answers hold by a second path."""

import csv

import numpy as np
import pytest
from shapely import make_valid, union_all

from tarnwater.cover import cover_classes
from tarnwater.demo.generate import write_data
from tarnwater.demo.study import COVERS, FIELD, data_path
from tarnwater.formats.drawing import read_drawing
from tarnwater.formats.raster import grid_from_bytes
from tarnwater.formats.shapes import read_shapes
from tarnwater.formats.vector import read_vector
from tarnwater.terrain.drainage import drain


@pytest.mark.slow
def test_the_generator_still_makes_all_data(tmp_path):
    """One test, because the valley takes seconds to make."""
    write_data(tmp_path)
    for name in ("depths.csv", "places.csv"):
        assert (tmp_path / name).read_text() == data_path(name).read_text()
    kept, new = (grid_from_bytes(p.read_bytes()) for p in (data_path("terrain.tif"), tmp_path / "terrain.tif"))
    assert np.array_equal(kept.heights, new.heights, equal_nan=True)
    assert (kept.west, kept.north, kept.dx, kept.crs) == (new.west, new.north, new.dx, new.crs)
    for name, field in (("cover.gpkg", "landuse"), ("soils.shp", "HSG")):
        old, now = read_vector(data_path(name)), read_vector(tmp_path / name)
        assert now.fields[field] == old.fields[field]
        assert [s.area for s in now.shapes] == pytest.approx([s.area for s in old.shapes], rel=1e-9)
    assert read_drawing(tmp_path / "yard.dxf").fields == read_drawing(data_path("yard.dxf")).fields


def test_the_lines_open_in_a_gis():
    import pyogrio

    assert {str(name) for name, _ in pyogrio.list_layers(data_path("lines.gpkg"))} == {
        "becks",
        "roads",
        "culverts",
        "flood banks",
    }


def test_the_terrain_is_the_valley_described(demo_study):
    grid = grid_from_bytes(data_path("terrain.tif").read_bytes())
    assert grid.shape == (1000, 900)
    assert data_path("terrain.tif").stat().st_size < 4e6
    assert 44e6 < demo_study.outlets["pellowford"].area_after < 48e6
    d = drain(grid)
    row, column = grid.cell_at(*demo_study.outlets["pellowford"].place)
    assert d.filled[row, column] == pytest.approx(88.0, abs=0.1)
    assert np.isnan(grid.heights[[0, 0, -1, -1], [0, -1, 0, -1]]).all()
    # a flat floor: the lowest beck runs between cells of one height
    assert np.nanmax(grid.heights) == pytest.approx(620, abs=5)


# a second, short path in plain NumPy ------------------------------------------------------------

#: What the plot of the yard is before it is built on.
COVERS_OF_YARD = {"PLOT": FIELD}

STEP = 120.0
BRIDGE_REACHES = [
    ("Sallow Tarn", "sallow-tarn-reach"), ("Sallow Head", "sallow-head-reach"), ("Hask", "hask-reach"),
    ("Mill Fold", "mill-fold-reach"), ("Wimmer", "wimmer-reach"),
]  # fmt: skip


def table_depth(duration, period):
    with data_path("depths.csv").open() as file:
        rows = list(csv.reader(line for line in file if not line.startswith("#")))
    periods = [float(p) for p in rows[0][1:]]
    minutes = [float(r[0].split()[0]) * (60 if r[0].endswith("h") else 1) for r in rows[1:]]
    depths = [float(r[1:][periods.index(period)]) for r in rows[1:]]
    minute = duration / 60
    below = depths[0] * minute / minutes[0]
    return np.where(
        minute < minutes[0], below, np.exp(np.interp(np.log(np.maximum(minute, 1)), np.log(minutes), np.log(depths)))
    )


def storm(duration, period, area):
    """The second-quartile storm, its depth reduced for the area."""
    with (data_path("x").parents[2] / "rain/patterns/huff_quartiles.csv").open() as file:
        rows = np.array([[float(v) for v in line.split(",")] for line in file.readlines()[2:]])
    shares = np.interp(np.arange(0, duration + 1, STEP) / duration, rows[:, 0] / 100, rows[:, 2] / 100)
    hours = duration / 3600
    factor = 1 - np.exp(-1.1 * hours**0.25) + np.exp(-1.1 * hours**0.25 - 0.00386 * area / 1e6)
    return np.diff(shares) * table_depth(np.array([duration]), period)[0] * (factor if area > 1e6 else 1.0)


def excess_on(rain, number):
    s = 25400 / number - 254
    total = np.concatenate([[0], np.cumsum(rain)])
    above = np.maximum(total - 0.2 * s, 0)
    return np.diff(above**2 / np.maximum(above + s, 1e-12))


def maps_in(file, field, layer=None):
    """Unions of the polygons of each value, the smallest first, which lie over the larger ones."""
    found = read_shapes(data_path(file), layer or "")
    by_value = {}
    for shape, value in zip(found.shapes, found.fields[field], strict=True):
        by_value.setdefault(value, []).append(make_valid(shape))
    areas = {value: sum(s.area for s in shapes) for value, shapes in by_value.items()}
    return [(value, union_all(by_value[value])) for value in sorted(areas, key=areas.get)]


def patches(land, maps, default):
    """Parts of some land by what maps tell, the earlier ones above the later, and the default for the rest."""
    for value, shape in maps:
        part = land.intersection(shape)
        if part.area > 0:
            yield value, part
            land = land.difference(shape)
    yield default, land


@pytest.fixture(scope="module")
def county():
    plot = [(COVERS_OF_YARD[value], shape) for value, shape in maps_in("yard.dxf", "layer") if value in COVERS_OF_YARD]
    cover = [(COVERS[value], shape) for value, shape in maps_in("cover.gpkg", "landuse") if value in COVERS]
    # what is drained where a group is dual is not said: the wet one counts
    soil = [(value[-1], shape) for value, shape in maps_in("soils.shp", "HSG")]
    return [*plot, *cover], soil


def covers_of(outline, county):
    cover, soil = county
    for title, part in patches(outline, cover, "Pasture or grassland, fair"):
        for group, piece in patches(part, soil, "C"):
            yield title, group, piece.area / outline.area


def runoff(rain, numbers, area, lag, steps):
    excess = sum(share * excess_on(rain, number) for share, number in numbers)
    duration = 2 / 9 * lag
    assert duration > STEP
    rows = np.loadtxt(data_path("x").parents[2] / "runoff/transforms/dimensionless_unit_hydrograph.csv",
                      delimiter=",", skiprows=2)  # fmt: skip
    to_peak = duration / 2 + lag
    t = np.arange(0, 5 * to_peak + STEP, STEP)
    curve = np.interp((t + (duration - STEP) / 2) / to_peak, rows[:, 0], rows[:, 1], right=0)
    curve[0] = 0.0
    curve *= 0.001 * area / (curve.sum() * STEP)
    flow = np.zeros(steps + 1)
    response = np.convolve(excess, curve)
    flow[: len(response)] = response[: len(flow)]
    return flow


def routed(flow, k, x, parts):
    """Storage S = K (X I + (1 - X) O): what enters less what leaves is what it gains, step by step."""
    k = k / parts
    assert 2 * k * (1 - x) >= STEP
    for _ in range(parts):
        entered = 0.5 * STEP * (flow[1:] + flow[:-1])
        out = np.empty_like(flow)
        out[0] = flow[0]
        for n in range(len(flow) - 1):
            kept = k * (x * (flow[n] - flow[n + 1]) + (1 - x) * out[n]) - 0.5 * STEP * out[n]
            out[n + 1] = (entered[n] + kept) / (k * (1 - x) + 0.5 * STEP)
        flow = out
    return flow


@pytest.mark.parametrize("period", [2.0, 100.0])
@pytest.mark.parametrize("duration", [3600.0, 86400.0])
def test_the_bridge_answers_hold_by_a_second_path(demo_results, demo, county, period, duration):
    demo_study, blobs = demo
    cases = demo_results.of("existing", "pellowford-outlet", period)
    result = next(r for r in cases if r.case.storm.duration == duration)
    computed = result.flow("pellowford-outlet")
    steps = len(computed) - 1
    e = demo_study.elements
    rain = storm(duration, period, result.network.area_above("pellowford-outlet"))
    assert rain == pytest.approx(result.rain_over(result.case.point)[: len(rain)], rel=1e-12)

    def from_land(name):
        key = name.lower().replace(" ", "-")
        base = getattr(e[key].baseflow, "flow", 0.0)
        covers = list(covers_of(blobs.shape(e[key].outline), county))
        numbers = [(share, cover_classes()[title].number(group)) for title, group, share in covers]
        if e[key].land.uses == "composite":
            numbers = [(1.0, sum(share * number for share, number in numbers))]
        return runoff(rain, numbers, e[key].area.value, e[key].lag.value, steps) + base

    reach = {}
    for name, key in BRIDGE_REACHES:
        upstream = {"Sallow Head": ["sallow-tarn-reach"], "Mill Fold": ["sallow-head-reach", "hask-reach"]}.get(
            name, []
        )
        inflow = from_land(name) + sum(reach[u] for u in upstream)
        method = e[key].method
        reach[key] = routed(inflow, e[key].length.value / 2.0, 0.3, method.parts.value)
    ditch = routed(from_land("Hill field"), 260.0, 0.2, 1)
    total = from_land("Pellowford") + reach["mill-fold-reach"] + reach["wimmer-reach"] + ditch
    total += from_land("Coldgarth yard")
    # rounding, and that of the areas of intersections, which each path cuts in another order
    assert computed == pytest.approx(total, rel=1e-8)


def test_the_counted_family_of_the_demo_brackets_its_answers_and_its_nested_one_stands_beside(demo_results):
    study = demo_results.study
    assert {f.name: f.counted for f in study.families.values()} == {"Valley storms": True, "Nested storms": False}
    assert all(a.bracketed for a in demo_results.answers())
    answer = demo_results.answer("existing", "pellowford-outlet", 100.0)
    beside = demo_results.beside("existing", "pellowford-outlet", 100.0)
    assert study.families[answer.result.case.storm.key].name == "Valley storms"
    nested = next(r for r in beside if r.case.storm.duration == 86400.0)
    assert nested.peak("pellowford-outlet").ordinate > 1.5 * answer.figures.peak.ordinate
    assert {r.standing for r in beside} == {"beside"}


def test_no_flow_of_the_demo_dips_below_zero(demo_results):
    for result in demo_results.cases:
        assert min(result.lowest(key) for key in result.network.elements) >= 0.0
