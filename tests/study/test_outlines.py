"""Outlines drawn by hand in a study: new, reshaped, split, merged, mended; what the network does, and surveys after."""

import numpy as np
import pytest
import shapely
from shapely.geometry import MultiPolygon, box

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.checks import check
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import condition_terrain, terrain_of
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.study.edits.flow_paths import divide_flow_path, draw_flow_path, undraw_flow_path
from tarnwater.study.edits.ground import drawn_feature, reshape
from tarnwater.study.edits.outlines import (
    drawn_catchment,
    faults_of,
    measured,
    mended,
    merged,
    open_land_of,
    reshaped,
    split,
    take_outlines,
    words_of,
)
from tarnwater.terrain.grid import Grid

EXACT = 1e-12
CRS = "EPSG:32630"


def with_areas(**boxes):
    """A study without a terrain, with catchments of some outlines that drain to one outfall."""
    blobs, study = Blobs(), changed(Study(), crs=CRS)
    for name, one in boxes.items():
        outline = blobs.add("geometry", shapely.to_wkb(MultiPolygon([one])))
        area = Setting[float](derived=one.area)
        study = edits.add_draining(study, Catchment(name=name.capitalize(), area=area, outline=outline), name)
    return study, blobs


def drawn(study, blobs, redrawn, drainage=None):
    return take_outlines(study, measured(study, blobs, redrawn, drainage), blobs)


def areas(study):
    return {key: one.area.value for key, one in study.catchments.items()}


@pytest.fixture
def pair():
    return with_areas(west=box(0, 0, 100, 100), east=box(100, 0, 200, 100))


def test_a_drawn_catchment_drains_to_the_outfall(pair):
    study, blobs = pair
    after = drawn(study, blobs, drawn_catchment(study, [(0, 100), (50, 100), (50, 150), (0, 150)]))
    (new,) = after.catchments.keys() - study.catchments.keys()
    assert after.catchments[new].area.value == 2500
    assert after.catchments[new].perimeter.value == 200
    assert [link.down for link in after.links.values() if link.up == new] == list(after.outfalls)


def test_reshaping_keeps_the_whole_and_what_was_typed(pair):
    study, blobs = pair
    study = edits.type_values(study, [("west", "surfaces/0/loss/curve_number", 71.0), ("west", "lag", 600.0)])
    after = drawn(study, blobs, reshaped(study, blobs, "west", [(100, 20), (120, 20), (120, 60), (100, 60)]))
    assert areas(after) == {"west": pytest.approx(10_800), "east": pytest.approx(9_200)}
    assert after.catchments["west"].curve_number == 71
    assert after.catchments["west"].lag.typed_value == 600


def test_reshaping_that_leaves_nothing_of_a_neighbour_is_refused():
    study, blobs = with_areas(west=box(0, 0, 100, 100), east=box(100, 20, 110, 40))
    with pytest.raises(EditRefused, match="nothing would be left of East"):
        reshaped(study, blobs, "west", [(100, 10), (120, 10), (120, 60), (100, 60)])


def test_a_split_keeps_the_name_and_the_new_part_drains_where_it_did(pair):
    study, blobs = pair
    study = edits.type_values(study, [("west", "lag", 600.0)])
    after = drawn(study, blobs, split(study, blobs, "west", [(-5, 30), (105, 30)]))
    assert areas(after) == {"west": pytest.approx(7000), "east": 10_000, "west-2": pytest.approx(3000)}
    assert after.catchments["west-2"].name == "West 2"
    assert after.catchments["west"].lag.typed_value == 600
    downs = {link.up: link.down for link in after.links.values()}
    assert downs["west-2"] == downs["west"]


def test_merged_catchments_are_one_and_their_water_is_not_lost(pair):
    study, blobs = pair
    after = drawn(study, blobs, merged(study, blobs, ["west", "east"]))
    assert areas(after) == {"west": pytest.approx(20_000)}
    assert len([link for link in after.links.values() if link.up == "west"]) == 1


def test_one_catchment_is_not_merged(pair):
    with pytest.raises(EditRefused, match="two catchments at least"):
        merged(*pair, ["west"])


def test_a_catchment_without_an_outline_is_not_split(pair):
    study, blobs = pair
    study = edits.add_draining(study, Catchment(name="Bare"), "bare")
    with pytest.raises(EditRefused, match="no outline"):
        split(study, blobs, "bare", [(0, 0), (1, 1)])


def test_gaps_and_overlaps_are_found_in_words_and_mended():
    study, blobs = with_areas(west=box(0, 0, 101, 100), east=box(100, 0, 200, 100))
    faults = faults_of(study, blobs)
    assert [words_of(study, blobs, one) for one in faults] == ["West and East overlap by 100.0 m²"]
    redrawn, closed = mended(study, blobs, 150.0)
    assert len(closed) == 1
    after = drawn(study, blobs, redrawn)
    assert not faults_of(after, blobs)
    assert sum(areas(after).values()) == pytest.approx(20_000, rel=EXACT)
    with pytest.raises(EditRefused, match="no gap or overlap is as small"):
        mended(study, blobs, 50.0)


@pytest.fixture(scope="module")
def valley():
    """A valley that falls south down its middle, with one outlet at its foot."""
    down, across = np.indices((40, 31))
    blobs = Blobs()
    grid = Grid(200.0 - 1.0 * down + 3.0 * np.abs(across - 15), 0.0, 400.0, 10.0, 10.0, "EPSG:27700")
    terrain = condition_terrain(grid, blobs, source="valley", stream_threshold=100.0, snap_radius=1.0)
    foot = grid.centre(39, 15)
    return delineate_into(Study(title="By hand"), terrain, outlets_named([("Foot", *foot)]), blobs), blobs


def test_a_drawn_outline_is_measured_on_the_terrain_and_stays_at_the_next_survey(valley):
    study, blobs = valley
    drainage = terrain_of(study, blobs)
    after = drawn(study, blobs, split(study, blobs, "foot", [(-5, 200), (315, 200)]), drainage)
    assert after.catchments["foot"].area.value == pytest.approx(31 * 20 * 100)
    new = after.catchments["foot-2"]
    assert new.area.value == pytest.approx(31 * 20 * 100)
    assert new.path_slope.value > 0
    assert new.mean_slope.value == pytest.approx(study.catchments["foot"].mean_slope.value, rel=0.1)
    again = reshape(after, blobs, "condition again")
    assert areas(again) == pytest.approx(areas(after))
    assert again.catchments["foot"].drawn


@pytest.mark.slow
def test_a_drawn_outline_is_measured_again_when_the_ground_changes(valley):
    study, blobs = valley
    drainage = terrain_of(study, blobs)
    after = drawn(study, blobs, split(study, blobs, "foot", [(-5, 200), (315, 200)]), drainage)
    # a wall across the stream sends its water round the eastern end
    _, wall = drawn_feature(after, "wall", [(5.0, 215.0), (295.0, 215.0)], blobs, height=90.0)
    walled = reshape(after, blobs, "wall", features={"wall": wall})
    assert walled.catchments["foot-2"].flow_length.value != after.catchments["foot-2"].flow_length.value
    assert walled.catchments["foot-2"].area.value == after.catchments["foot-2"].area.value


def test_land_that_drains_to_an_outfall_and_lies_in_no_catchment_is_found(valley):
    study, blobs = valley
    drainage = terrain_of(study, blobs)
    assert not open_land_of(study, blobs, drainage)
    cut = drawn(study, blobs, split(study, blobs, "foot", [(-5, 200), (315, 200)]), drainage)
    bare = edits.remove_element(cut, "foot-2")
    ((key, land),) = open_land_of(bare, blobs, drainage)
    assert key == "foot-outlet"
    assert land.area == pytest.approx(31 * 20 * 100)
    assert 200 < land.place[1] < 400


def test_parts_of_a_flow_path_that_do_not_add_up_are_a_doubt(valley):
    study, blobs = valley
    study = divide_flow_path(study, "foot", blobs, terrain_of(study, blobs))
    assert "path-parts" not in {one.code for one in check(study)}
    study = edits.type_values(study, [("foot", "path_parts/0/length", 200.0)])
    found = next(one for one in check(study) if one.code == "path-parts")
    assert "740.0 m, the path has 540.0 m" in found.text


def test_parts_of_a_drawn_flow_path_have_the_slope_of_the_plane_it_lies_on():
    """A plane that falls by 1 in 20 along the path: every part has that slope, whatever its length."""
    down, across = np.indices((60, 21))
    blobs = Blobs()
    # a step of the plane for each row; the middle column is a shade lower, so that there is a stream
    grid = Grid(300.0 - 0.5 * down + 0.01 * np.abs(across - 10), 0.0, 600.0, 10.0, 10.0, CRS)
    terrain = condition_terrain(grid, blobs, source="plane", stream_threshold=4000.0, snap_radius=1.0)
    study = delineate_into(Study(), terrain, outlets_named([("Foot", *grid.centre(59, 10))]), blobs)
    drainage = terrain_of(study, blobs)
    line = [grid.centre(0, 10), grid.centre(59, 10)]
    study = divide_flow_path(draw_flow_path(study, "foot", line, blobs, drainage), "foot", blobs, drainage)
    one = study.catchments["foot"]
    assert one.flow_length.value == pytest.approx(590.0)
    assert one.path_parts[0].length.value == 30.48
    assert sum(part.length.value for part in one.path_parts) == pytest.approx(590.0)
    for part in one.path_parts:
        # heights are those of whole cells: a part may be off by one step at each end
        assert part.slope.value == pytest.approx(0.05, abs=0.5 / part.length.value)
    assert one.path_parts[0].head.value == pytest.approx(one.path_head.value)
    assert one.path_parts[2].foot.value == pytest.approx(one.path_foot.value)


def test_a_flow_path_that_leaves_the_terrain_is_refused(valley):
    study, blobs = valley
    with pytest.raises(EditRefused, match="leaves the terrain"):
        draw_flow_path(study, "foot", [(100.0, 200.0), (900.0, 200.0)], blobs, terrain_of(study, blobs))


def test_a_drawn_flow_path_stays_at_the_next_survey_until_it_is_left_to_the_terrain(valley):
    study, blobs = valley
    drainage = terrain_of(study, blobs)
    drawn_path = draw_flow_path(study, "foot", [(155.0, 395.0), (155.0, 5.0)], blobs, drainage)
    again = reshape(drawn_path, blobs, "condition again")
    assert again.catchments["foot"].flow_length.value == pytest.approx(390.0)
    left = reshape(undraw_flow_path(again, "foot"), blobs, "condition again")
    assert left.catchments["foot"].flow_length.value == study.catchments["foot"].flow_length.value
