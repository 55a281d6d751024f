"""Outlines cut, joined and led along lines; places snapped; land in no catchment."""

import numpy as np
import pytest
from shapely.geometry import LineString, MultiPolygon, Point, box

from tarnwater.errors import EditRefused
from tarnwater.terrain.cutting import Snapping, giving_way, led_along, parts_of, ring_of, split_by
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.open_land import open_land

SQUARE = MultiPolygon([box(0, 0, 100, 100)])
EXACT = 1e-12  # polygons with few corners at whole numbers


def test_a_place_snaps_to_a_vertex_before_an_edge_before_a_stream():
    ring = np.array([[0, 0], [100, 0], [100, 100], [0, 100], [0, 0]], float)
    stream = np.array([[50, -50], [50, 200]], float)
    snapping = Snapping([ring], [stream])
    assert snapping.snapped(98, 3, 5).what == "vertex"
    assert snapping.snapped(98, 3, 5).place == (100, 0)
    assert snapping.snapped(70, 3, 5) == snapping.snapped(70, 3, 5, only=("edge",))
    assert snapping.snapped(70, 3, 5).place == (70, 0)
    assert snapping.snapped(52, 50, 5).what == "stream"
    assert snapping.snapped(70, 50, 5) is None
    assert snapping.snapped(52, 50, 5, only=("edge", "vertex")) is None


def test_a_closed_line_is_an_area():
    assert ring_of([(0, 0), (10, 0), (10, 10)]).area == 50


@pytest.mark.parametrize(
    ("line", "what"),
    [([(0, 0), (1, 1)], "three places"), ([(0, 0), (10, 10), (10, 0), (0, 10)], "crosses itself"),
     ([(0, 0), (5, 5), (10, 10)], "crosses itself|no area")],
)  # fmt: skip
def test_a_line_that_encloses_nothing_is_refused(line, what):
    with pytest.raises(EditRefused, match=what):
        ring_of(line)


def test_a_line_across_splits_an_area_without_losing_any():
    parts = split_by(SQUARE, [(-10, 30), (50, 40), (110, 30)], "Field")
    assert len(parts) == 2
    assert sum(part.area for part in parts) == pytest.approx(10_000, rel=EXACT)
    # below the line: twice the trapezoid from 31.67 m at the edge to 40 m in the middle
    assert parts[0].area == pytest.approx(10_000 - 100 * (95 / 3 + 40) / 2, rel=EXACT)


def test_a_line_that_ends_inside_splits_nothing():
    with pytest.raises(EditRefused, match="does not cut"):
        split_by(SQUARE, [(-10, 30), (50, 40)], "Field")


def test_an_outline_is_led_outward_and_inward_between_the_ends_of_a_line():
    out = led_along(SQUARE, [(100, 20), (120, 20), (120, 60), (100, 60)], "Field")
    assert out.area == pytest.approx(10_000 + 20 * 40, rel=EXACT)
    into = led_along(SQUARE, [(100, 20), (80, 20), (80, 60), (100, 60)], "Field")
    assert into.area == pytest.approx(10_000 - 20 * 40, rel=EXACT)
    # over the begin of the ring too
    corner = led_along(SQUARE, [(10, 0), (10, 10), (0, 10)], "Field")
    assert corner.area == pytest.approx(10_000 - 100, rel=EXACT)


@pytest.mark.parametrize(
    ("line", "what"),
    [([(100, 20), (120, 20), (120, 60), (110, 60)], "does not begin and end"),
     ([(100, 20), (120, 60), (120, 20), (100, 60)], "crosses itself")],
)  # fmt: skip
def test_a_line_that_cannot_lead_an_outline_is_refused(line, what):
    with pytest.raises(EditRefused, match=what):
        led_along(SQUARE, line, "Field")


@pytest.mark.parametrize("line", [[(0, 0)], [(5, 5), (5, 5)], [(0, 0), (float("nan"), 1)], [(0, 0), (float("inf"), 1)]])
@pytest.mark.parametrize("act", [split_by, led_along])
def test_a_line_that_is_none_is_refused(act, line):
    with pytest.raises(EditRefused, match="two different places"):
        act(SQUARE, line, "Field")


def test_neighbours_give_way_and_take_what_is_given_up():
    east = MultiPolygon([box(100, 0, 200, 100)])
    after = led_along(SQUARE, [(100, 20), (120, 20), (120, 60), (100, 60)], "Field")
    moved = giving_way(SQUARE, after, [east])
    assert moved[0].area == pytest.approx(10_000 - 800, rel=EXACT)
    after = led_along(SQUARE, [(100, 20), (80, 20), (80, 60), (100, 60)], "Field")
    moved = giving_way(SQUARE, after, [east])
    assert moved[0].area == pytest.approx(10_000 + 800, rel=EXACT)
    assert parts_of(after.union(moved[0])).area == pytest.approx(20_000, rel=EXACT)


def test_land_beside_the_catchments_of_an_outfall_is_found():
    down, across = np.indices((20, 20))
    grid = Grid(100.0 - down + 0.5 * np.abs(across - 10), 0.0, 200.0, 10.0, 10.0, "EPSG:32630")
    drainage = drain(grid)
    place = grid.centre(19, 10)
    assert sum(one.area for one in open_land(drainage, place, [])) == pytest.approx(drainage.upstream[19, 10] * 100.0)
    # a catchment over the northern half leaves the southern one open
    covered = box(0, 100, 200, 200)
    left = open_land(drainage, place, [covered])
    assert sum(one.area for one in left) == pytest.approx(np.count_nonzero(_labels(drainage)[10:]) * 100.0)
    assert all(not covered.contains(Point(one.place)) for one in left)
    assert all(LineString(one.shape.exterior).is_simple for one in left)


def _labels(drainage):
    from tarnwater.terrain.catchments import delineate
    from tarnwater.terrain.outlets import Snapped

    place = drainage.grid.centre(19, 10)
    return delineate(drainage, [Snapped(place, place, 19, 10, 0.0, 1.0, 1.0)]).labels
