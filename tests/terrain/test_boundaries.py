"""Gaps and overlaps between areas: found with their areas and places, and closed without losing land."""

import functools

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPolygon, Point, Polygon, box

from tarnwater.terrain.boundaries import faults_between, united, without_faults


def told(faults):
    return [(f.kind, round(f.area, 6), f.between) for f in faults]


def test_areas_that_share_their_boundaries_have_no_faults():
    assert faults_between([box(0, 0, 10, 10), box(10, 0, 20, 10), box(0, 10, 20, 20)]) == []


def test_an_overlap_is_found_with_its_area_and_place_and_the_earlier_keeps_it():
    shapes = [box(0, 0, 10, 10), box(8, 0, 20, 10)]
    (fault,) = faults_between(shapes)
    assert told([fault]) == [("overlap", 20.0, (0, 1))]
    assert box(8, 0, 10, 10).contains(Point(fault.place))
    repaired, closed = without_faults(shapes, 25.0)
    assert told(closed) == told([fault])
    assert repaired[0].equals(shapes[0])
    assert repaired[1].equals(box(10, 0, 20, 10))


def test_a_gap_that_areas_enclose_goes_to_the_longest_boundary():
    hole = box(9, 4, 12, 6)
    left = box(0, 0, 10, 10).difference(hole)
    right = box(10, 0, 20, 10).difference(hole)
    (fault,) = faults_between([left, right])
    assert told([fault]) == [("gap", 6.0, (0, 1))]
    repaired, _ = without_faults([left, right], 6.0)
    # the right one has 2 + 2 + 2 of its boundary, the left one 1 + 2 + 1
    assert repaired[1].area == pytest.approx(right.area + 6.0)
    assert repaired[0].equals(left)


def test_faults_larger_than_the_chosen_area_stay():
    shapes = [box(0, 0, 10, 10), box(8, 0, 20, 10)]
    repaired, closed = without_faults(shapes, 19.9)
    assert closed == []
    assert all(one.equals(other) for one, other in zip(repaired, shapes, strict=True))


def test_a_hole_drawn_in_one_area_is_no_gap():
    assert faults_between([Polygon(box(0, 0, 10, 10).exterior.coords, [box(4, 4, 6, 6).exterior.coords])]) == []


def test_an_island_that_fits_its_hole_is_no_fault_and_a_smaller_one_leaves_a_gap():
    ring = Polygon(box(0, 0, 10, 10).exterior.coords, [box(4, 4, 6, 6).exterior.coords])
    assert faults_between([ring, box(4, 4, 6, 6)]) == []
    assert told(faults_between([ring, box(4, 4, 6, 5)])) == [("gap", 2.0, (0, 1))]


def test_rounding_of_coordinates_is_no_fault():
    assert faults_between([box(0, 0, 10, 10), box(10 - 1e-11, 0, 20, 10)]) == []


def soup(seed, count):
    rng = np.random.default_rng(seed)
    shapes = []
    for _ in range(count):
        x, y = rng.uniform(0, 60, 2)
        angle = np.sort(rng.uniform(0, 2 * np.pi, rng.integers(5, 12)))
        ring = np.column_stack([x + rng.uniform(5, 25, len(angle)) * np.cos(angle), y + 18 * np.sin(angle)])
        mended = shapely.make_valid(Polygon(ring))
        shapes.append(MultiPolygon([p for p in shapely.get_parts(mended) if p.geom_type == "Polygon"]))
    return [s for s in shapes if s.area > 1]


def test_a_union_of_edges_within_rounding_of_each_other_leaves_no_polygon_out():
    repaired, _ = without_faults(soup(483, 8), 1e9)
    one_by_one = functools.reduce(shapely.union, repaired)
    assert united(repaired).area == pytest.approx(one_by_one.area, rel=1e-9)
    assert sum(s.area for s in repaired) == pytest.approx(one_by_one.area, rel=1e-9)


@example(483, 8)
@example(1161, 6)
@example(10, 7)
@example(154, 7)
@given(st.integers(0, 10_000), st.integers(2, 9))
@settings(max_examples=60, deadline=None)
def test_polygon_soups_are_repaired_without_losing_area(seed, count):
    shapes = soup(seed, count)
    before = united(shapes)
    repaired, closed = without_faults(shapes, 1e9)
    gaps = sum(f.area for f in closed if f.kind == "gap")
    after = united(repaired)
    assert after.area == pytest.approx(before.area + gaps, rel=1e-9)
    # nothing lies twice: the parts add up to the whole
    assert sum(s.area for s in repaired) == pytest.approx(after.area, rel=1e-9)
    assert shapely.difference(before, after).area <= 1e-9 * before.area
    assert not [f for f in faults_between(repaired) if f.area > 1e-7 * before.area]
