"""The demo's cover, soils, drawing and picture: what they hold, and the flaws that real ones have."""

import numpy as np
import pytest
import shapely

from tarnwater.cover.overlay import overlay, patches_of
from tarnwater.demo.land import COVERS, SOILS
from tarnwater.demo.study import data_path
from tarnwater.formats.drawing import read_drawing
from tarnwater.formats.pictures import open_picture, read_picture
from tarnwater.formats.vector import read_vector
from tarnwater.terrain.boundaries import faults_between


@pytest.fixture(scope="module")
def cover():
    return read_vector(data_path("cover.gpkg"))


@pytest.fixture(scope="module")
def soils():
    return read_vector(data_path("soils.shp"))


def test_cover_and_soils_have_their_codes_an_unknown_one_and_a_dual_group(cover, soils):
    assert set(cover.fields["landuse"]) == set(COVERS.values())
    assert set(soils.fields["HSG"]) == set(SOILS.values())
    assert cover.crs == soils.crs == "EPSG:27700"


def test_they_have_gaps_and_overlaps_as_drawn_ones_have(cover, soils):
    for layer in (cover, soils):
        whole = [s for s in shapely.make_valid(list(layer.shapes)) if s.geom_type in ("Polygon", "MultiPolygon")]
        kinds = {fault.kind for fault in faults_between(whole)}
        assert kinds == {"gap", "overlap"}


def test_cut_by_the_catchments_they_add_up_to_their_areas(demo, cover, soils):
    outlines = [demo[1].shape(c.outline) for c in demo[0].catchments.values() if c.outline]
    covers, groups = sorted(COVERS.values()), sorted(SOILS.values())
    upper = patches_of(cover.shapes, [covers.index(c) for c in cover.fields["landuse"]])
    lower = patches_of(soils.shapes, [groups.index(g) for g in soils.fields["HSG"]])
    found = overlay(outlines, upper, lower)
    sums = np.bincount(found.catchment, found.area)
    assert sums == pytest.approx([outline.area for outline in outlines], rel=1e-9)


def test_the_drawing_of_the_yard_has_its_areas_and_an_outline_left_open():
    found = read_drawing(data_path("yard.dxf"))
    areas = dict(zip(found.fields["layer"], (s.area for s in found.shapes), strict=True))
    assert areas["PLOT"] == pytest.approx(84_000.0)
    assert areas["PAVING"] == pytest.approx(0.85 * 84_000.0)
    assert areas["TANK"] == pytest.approx(np.pi * 12**2, rel=2e-5)  # chords of half a degree
    labels = dict(zip(found.fields["layer"], found.fields["label"], strict=True))
    assert labels["PLOT"] == "Coldgarth yard"
    assert labels["SHEDS"] == "Saw shed"
    (left,) = found.rejected
    assert "SHEDS" in left.what


def test_the_picture_lies_over_the_terrain():
    picture = open_picture(data_path("air.tif"), "EPSG:27700")
    assert picture.bounds == (340_000.0, 550_000.0, 349_000.0, 560_000.0)
    shown = read_picture(picture, picture.bounds, 90, 100)
    assert shown[..., :3].std() > 10
    assert data_path("air.tif").stat().st_size < 300_000
