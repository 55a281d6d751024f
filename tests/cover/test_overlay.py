"""Areas of cover on soil in catchments: by hand, against plain set operations, and repaired without losing any."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPolygon, Polygon, box

from tarnwater.cover.overlay import NONE, overlay, patches_of, polygons_of
from tarnwater.errors import Cancelled
from tarnwater.progress import Progress

EXACT = 1e-9  # relative to the catchment, as promised


def rows_of(found, catchment=0):
    return {(cover, soil): area for cover, soil, area in found.of(catchment)}


def test_two_covers_on_two_soils_by_hand():
    land = [box(0, 0, 100, 100)]
    cover = patches_of([box(0, 0, 60, 100), box(60, 0, 100, 100)], [7, 8])
    soil = patches_of([box(0, 0, 100, 30), box(0, 30, 100, 100)], [1, 2])
    assert rows_of(overlay(land, cover, soil)) == pytest.approx(
        {(7, 1): 1800.0, (7, 2): 4200.0, (8, 1): 1200.0, (8, 2): 2800.0}, rel=1e-12
    )


def test_gaps_have_rows_of_their_own_and_everything_adds_up():
    land = [box(0, 0, 100, 100)]
    cover = patches_of([box(0, 0, 50, 50)], [7])
    soil = patches_of([box(25, 0, 75, 100)], [1])
    assert rows_of(overlay(land, cover, soil)) == pytest.approx(
        {(7, 1): 1250.0, (7, NONE): 1250.0, (NONE, 1): 3750.0, (NONE, NONE): 3750.0}, rel=1e-12
    )


def test_the_earlier_polygon_counts_where_they_overlap():
    land = [box(0, 0, 100, 100)]
    soil = patches_of([box(-10, -10, 110, 110)], [1])
    shapes, codes = [box(20, 20, 40, 40), box(0, 0, 60, 60), box(30, 0, 100, 100)], [1, 2, 3]
    found = rows_of(overlay(land, patches_of(shapes, codes), soil))
    assert found == pytest.approx({(1, 1): 400.0, (2, 1): 3200.0, (3, 1): 5200.0, (NONE, 1): 1200.0}, rel=1e-12)
    # the other way round the lowest lies on top
    found = rows_of(overlay(land, patches_of(shapes[::-1], codes[::-1]), soil))
    assert found[3, 1] == pytest.approx(7000.0)
    assert found[2, 1] == pytest.approx(1800.0)
    assert (1, 1) not in found


def test_a_patch_with_a_hole_and_land_inside_one_patch():
    ring = Polygon(box(0, 0, 100, 100).exterior.coords, [box(40, 40, 60, 60).exterior.coords])
    cover = patches_of([ring], [5])
    soil = patches_of([box(0, 0, 100, 100)], [1])
    found = overlay([box(10, 10, 20, 20), box(30, 30, 70, 70)], cover, soil)
    assert rows_of(found, 0) == pytest.approx({(5, 1): 100.0})
    assert rows_of(found, 1) == pytest.approx({(5, 1): 1200.0, (NONE, 1): 400.0})


def test_without_any_polygons_all_land_has_neither():
    nothing = patches_of([], [])
    assert rows_of(overlay([box(0, 0, 10, 10)], nothing, nothing)) == {(NONE, NONE): 100.0}
    assert overlay([], nothing, nothing).area.size == 0


def test_rows_are_sorted_and_each_stands_once():
    rng = np.random.default_rng(3)
    tiles = [box(x, y, x + 10, y + 10) for x in range(0, 100, 10) for y in range(0, 100, 10)]
    cover = patches_of(tiles, rng.integers(0, 4, 100))
    soil = patches_of([box(x, 0, x + 25, 100) for x in range(0, 100, 25)], [0, 1, 0, 1])
    found = overlay([box(0, 0, 50, 100), box(50, 0, 100, 100)], cover, soil)
    keys = np.column_stack([found.catchment, found.cover, found.soil])
    assert np.array_equal(keys, np.unique(keys, axis=0))


def test_invalid_polygons_are_repaired_without_losing_area():
    bow = Polygon([(0, 0), (10, 10), (10, 0), (0, 10)])
    (mended,) = polygons_of(np.array([bow], object))
    assert mended.is_valid
    assert mended.area == pytest.approx(50.0)
    spike = Polygon([(0, 0), (10, 0), (10, 10), (10, 20), (10, 10), (0, 10)])
    (mended,) = polygons_of(np.array([spike], object))
    assert mended.geom_type in ("Polygon", "MultiPolygon")
    assert mended.area == pytest.approx(100.0)


def test_the_work_can_be_cancelled():
    progress = Progress()
    progress.cancel()
    everything = patches_of([box(0, 0, 10, 10)], [1])
    with pytest.raises(Cancelled):
        overlay([box(0, 0, 10, 10)], everything, everything, progress)


def blobs(seed, count, codes):
    """Random polygons that overlap, some of them with holes or parts apart."""
    rng = np.random.default_rng(seed)
    shapes = []
    for _ in range(count):
        x, y = rng.uniform(0, 100, 2)
        angle = np.sort(rng.uniform(0, 2 * np.pi, rng.integers(4, 12)))
        ring = np.column_stack([x + rng.uniform(5, 30, len(angle)) * np.cos(angle), y + 20 * np.sin(angle)])
        shapes.append(Polygon(ring))
    return shapes, rng.integers(0, codes, count)


def plainly(land, cover_shapes, cover_codes, soil_shapes, soil_codes):
    """The same areas by unions and differences of everything, one class after the other."""

    def classes(shapes, codes):
        taken, found = shapely.Polygon(), {}
        for shape, code in zip(shapes, codes, strict=True):
            part = shapely.difference(shapely.make_valid(shape), taken)
            found[int(code)] = shapely.union_all([found.get(int(code), shapely.Polygon()), part])
            taken = shapely.union_all([taken, part])
        return {**found, NONE: shapely.difference(shapely.box(-1e4, -1e4, 1e4, 1e4), taken)}

    covers, soils = classes(cover_shapes, cover_codes), classes(soil_shapes, soil_codes)
    return {
        (c, s): shapely.area(shapely.intersection(shapely.intersection(land, one), other))
        for c, one in covers.items()
        for s, other in soils.items()
    }


@given(st.integers(0, 10_000), st.integers(1, 12), st.integers(1, 8))
@settings(max_examples=60, deadline=None)
def test_polygon_soups_give_the_areas_of_plain_set_operations(seed, covers, soils):
    cover_shapes, cover_codes = blobs(seed, covers, 4)
    soil_shapes, soil_codes = blobs(seed + 1, soils, 3)
    land = MultiPolygon([box(10, 10, 60, 90), box(70, 20, 95, 60)])
    found = rows_of(overlay([land], patches_of(cover_shapes, cover_codes), patches_of(soil_shapes, soil_codes)))
    assert sum(found.values()) == pytest.approx(land.area, rel=EXACT)
    meant = plainly(land, cover_shapes, cover_codes, soil_shapes, soil_codes)
    for key, area in meant.items():
        assert found.get(key, 0.0) == pytest.approx(area, abs=2 * EXACT * land.area)
