"""What conditioning changes in the ground: each change has a hand-made terrain, area and peak."""

import numpy as np
import pytest
import shapely

from tarnwater.errors import EditRefused, StudyFileError, UnknownName
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import TwentyFourHour
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.feature_lines import feature_named, line_of
from tarnwater.study.edits.conditioning import condition_again, condition_terrain, terrain_of
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.study.edits.ground import drawn_feature, rename_feature, reshape
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import create_study, read_study
from tarnwater.study.pictures.map import terrain_digest
from tarnwater.terrain.grid import Grid

CELL = 10.0
ROWS, COLUMNS = 40, 21
MIDDLE = COLUMNS // 2

#: With the lag typed, the flood of a catchment is its area times one unit hydrograph; sums round in the last bits.
SAME = 1e-12


def valley(change=lambda z: z):
    """A valley that falls south along its middle column, 1 m a cell, with sides of 3 m a cell."""
    down, across = np.indices((ROWS, COLUMNS))
    z = 200.0 - 1.0 * down + 3.0 * np.abs(across - MIDDLE)
    return Grid(np.asarray(change(z), float), 0.0, ROWS * CELL, CELL, CELL, "EPSG:27700")


def place(row, column):
    """The centre of a cell."""
    return (column + 0.5) * CELL, (ROWS - row - 0.5) * CELL


def bank(z):
    """A bank across the whole valley in row 20, as high as its highest ground: water leaves over the northern edge."""
    z[20] = 230.0
    return z


def plane(z):
    """A plane that falls 1 m a cell to the south, so that each column drains by itself."""
    return 200.0 - np.indices(z.shape)[0]


#: The whole valley, and what of it lies below the bank: the bank itself falls to the south.
WHOLE, BELOW = ROWS * COLUMNS, 20 * COLUMNS


def made(grid, row=ROWS - 1, column=MIDDLE, at=None, **settings):
    """A study with one catchment of that outlet, its lag and curve number typed, and one storm."""
    blobs = Blobs()
    settings = {"stream_threshold": CELL**2, "snap_radius": 1.0, **settings}
    terrain = condition_terrain(grid, blobs, source="valley", **settings)
    outlet = place(row, column) if at is None else at
    study = delineate_into(Study(title="By hand"), terrain, outlets_named([("Foot", *outlet)]), blobs)
    study = edits.type_values(study, [("foot", "lag", 1800.0), ("foot", "surfaces/0/loss/curve_number", 80.0)])
    table = DepthTable(durations=(3600.0, 86400.0), return_periods=(10.0, 100.0), depths=((40.0, 60.0), (80.0, 120.0)))
    study = edits.set_table(study, "t", table)
    family = StormFamily(name="Day", table="t", return_periods=(10.0,), durations=(86400.0,), length=86400.0,
                         pattern=TwentyFourHour(type="II"))  # fmt: skip
    study = edits.set_family(study, "day", family)
    return edits.set_design_point(study, "foot-outlet", DesignPoint()), blobs


def cells_of(study):
    """Area of the catchment, in cells."""
    return study.catchments["foot"].area.known / CELL**2


def peak_of(study):
    (answer,) = compute_cases(study).answers()
    return answer.figures.peak.ordinate


def with_feature(study, blobs, kind, line, name="", **values):
    key, feature = drawn_feature(study, kind, line, blobs, name=name, **values)
    return reshape(study, blobs, f"draw {feature.name}", features={**study.ground_features, key: feature})


def test_a_culvert_leads_the_water_of_the_upper_valley_through_a_bank():
    study, blobs = made(valley(bank))
    assert cells_of(study) == BELOW
    through = with_feature(study, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)])
    assert cells_of(through) == WHOLE
    assert peak_of(through) / peak_of(study) == pytest.approx(WHOLE / BELOW, rel=SAME)
    (change,) = [c for c in through.terrain.changes if c.by == "culvert-1"]
    # the invert falls from 181 m beside the upper end to 177 m beside the lower one: 1, 1, 51, 1 and 1 m are cut
    assert (change.volume, change.most) == (pytest.approx(-5500.0), pytest.approx(-51.0))
    assert change.area == 5 * CELL**2
    assert change.place == place(20, MIDDLE)
    assert change.water == 0.0


def test_a_culvert_is_led_from_its_higher_end_whichever_was_drawn_first():
    study, blobs = made(valley(bank))
    back = with_feature(study, blobs, "culvert", [place(22, MIDDLE), place(18, MIDDLE)])
    assert cells_of(back) == WHOLE


def test_a_culvert_that_does_not_reach_the_low_ground_is_a_doubt():
    def thick(z):
        z[20:25] = 230.0
        return z

    study, blobs = made(valley(thick))
    short = with_feature(study, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)])
    (doubt,) = [f for f in check(short) if f.code == "water-stands-in-feature"]
    assert "Culvert 1" in doubt.text
    assert doubt.at is not None


def test_a_burned_ditch_turns_the_water_of_other_columns():
    study, blobs = made(valley(plane))
    assert cells_of(study) == ROWS
    ditch = [place(20, 19), place(20, MIDDLE), place(ROWS - 1, MIDDLE)]
    burned = with_feature(study, blobs, "burned-stream", ditch, depth=3.0)
    # columns 9 to 20 down to row 20, the outer ones because they fall into the ends of the ditch (12 x 21); beside the
    # ditch down the slope columns 9 and 11 and the ditch itself (3 x 19); of row 21 the 9 cells that fall back into it
    assert cells_of(burned) == 12 * 21 + 3 * 19 + 9
    assert peak_of(burned) / peak_of(study) == pytest.approx(318 / 40, rel=SAME)
    (change,) = [c for c in burned.terrain.changes if c.by == "burned-stream-1"]
    # in the row 3 m below the ground in 10 cells, down the slope in 19
    assert change.volume == pytest.approx(-3.0 * CELL**2 * 29)


def test_a_wall_across_the_slope_takes_the_water_from_above_away():
    study, blobs = made(valley(plane))
    walled = with_feature(study, blobs, "wall", [place(20, 5), place(20, 15)], height=3.0)
    # of the middle column only the wall and what lies below it
    assert cells_of(walled) == 20
    assert peak_of(walled) / peak_of(study) == pytest.approx(0.5, rel=SAME)
    (change,) = [c for c in walled.terrain.changes if c.by == "wall-1"]
    assert (change.volume, change.most) == (pytest.approx(11 * 3.0 * CELL**2), pytest.approx(3.0))


def test_no_water_passes_diagonally_through_a_wall():
    study, blobs = made(valley(plane))
    slanting = with_feature(study, blobs, "wall", [place(12, 0), place(22, 20)], height=50.0)
    drainage = terrain_of(slanting, blobs)
    lower = drainage.upstream[-1]
    # all the land above the wall leaves over the sides; of its cells those that touch the ground below drain down
    assert lower.sum() == sum(1 for r in range(ROWS) for c in range(COLUMNS) if r >= 12 + c / 2)


def test_a_culvert_passes_through_a_wall_drawn_over_it():
    study, blobs = made(valley())
    dammed = with_feature(study, blobs, "wall", [place(20, 0), place(20, 20)], height=60.0)
    assert cells_of(dammed) == BELOW
    assert cells_of(with_feature(dammed, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)])) == WHOLE


def test_heights_along_a_path_that_begins_on_a_wall_are_those_of_its_ground():
    study, blobs = made(valley(plane))
    walled = with_feature(study, blobs, "wall", [place(20, 5), place(20, 15)], height=90.0)
    # from row 20 down to row 39: 19 m
    assert walled.catchments["foot"].path_slope.derived == pytest.approx(0.1, rel=1e-12)


def pit(z):
    """A pit in the channel at row 10, half a metre below the ground further down, so that nothing below falls back."""
    z[10, MIDDLE] = 188.5
    return z


def test_a_depression_that_keeps_its_water_takes_its_land_out_of_the_catchment_below():
    study, blobs = made(valley(pit))
    assert cells_of(study) == WHOLE
    kept = with_feature(study, blobs, "kept-depression", [place(10, MIDDLE)], name="Old pit")
    closed = 11 * COLUMNS
    assert cells_of(kept) == WHOLE - closed
    assert peak_of(kept) / peak_of(study) == pytest.approx((WHOLE - closed) / WHOLE, rel=SAME)
    (basin,) = kept.terrain.closed
    assert (basin.area, basin.place) == (closed * CELL**2, place(10, MIDDLE))
    assert blobs.shape(basin.outline).area == pytest.approx(closed * CELL**2)
    assert kept.outlets["foot"].area_after == (WHOLE - closed) * CELL**2
    assert not kept.terrain.depressions_filled
    (note,) = [f for f in check(kept) if f.code == "closed-basin"]
    assert "Old pit" in note.text


def test_a_depression_is_marked_from_any_place_beside_its_pit():
    study, blobs = made(valley(pit))
    kept = with_feature(study, blobs, "kept-depression", [place(9, MIDDLE)])
    assert kept.terrain.closed[0].place == place(10, MIDDLE)


def test_breaching_cuts_through_a_bank_within_its_limits_and_fills_behind_a_deeper_one():
    study, blobs = made(valley(bank))
    # the bank stands 49 m above the lowest ground behind it, and the ground in front is two cells away
    cut = reshape(study, blobs, "breach", breach_depth=50.0, breach_length=25.0)
    assert cells_of(cut) == WHOLE
    assert peak_of(cut) / peak_of(study) == pytest.approx(2.0, rel=SAME)
    (change,) = [c for c in cut.terrain.changes if c.by == "breaching"]
    # the bed in the bank is halfway between 181 m and 179 m
    assert (change.count, change.most) == (1, pytest.approx(-50.0))
    assert change.volume == pytest.approx(-50.0 * CELL**2)
    for depth, length in ((48.0, 25.0), (50.0, 15.0)):
        kept = reshape(study, blobs, "breach", breach_depth=depth, breach_length=length)
        assert cells_of(kept) == BELOW
        assert not [c for c in kept.terrain.changes if c.by == "breaching"]


def test_a_breach_never_goes_deeper_than_its_limit_where_the_bed_would_fall():
    study, blobs = made(valley(bank))
    cut = reshape(study, blobs, "breach", breach_depth=49.5, breach_length=25.0)
    assert cells_of(cut) == WHOLE
    (change,) = [c for c in cut.terrain.changes if c.by == "breaching"]
    assert change.most == pytest.approx(-49.5)


def test_breaching_does_not_cut_walls():
    study, blobs = made(valley())
    dammed = with_feature(study, blobs, "wall", [place(20, 0), place(20, 20)], height=60.0)
    # the raw ground under the wall is lower than that behind it, while any other way out is cut 19 m deep
    assert cells_of(reshape(dammed, blobs, "breach", breach_depth=15.0, breach_length=900.0)) == BELOW


def hole(z):
    """A cell without data in the channel at row 10."""
    z[10, MIDDLE] = np.nan
    return z


def test_a_void_becomes_what_it_is_said_to_be():
    study, blobs = made(valley(hole))
    assert study.terrain.voids[0].treatment == "interpolate"
    assert cells_of(study) == WHOLE
    open_hole = reshape(study, blobs, "the void takes water", treatments={1: "outlet"})
    assert open_hole.terrain.voids[0].treatment == "outlet"
    # rows 0 to 9 but for the hole; of row 10 and 11 the neighbours of the hole that fall no other way
    assert cells_of(open_hole) < WHOLE - 10 * COLUMNS
    assert cells_of(reshape(open_hole, blobs, "it is ground", treatments={1: "interpolate"})) == WHOLE


def test_everything_that_changed_is_in_the_record_with_its_volume():
    study, blobs = made(valley(bank))
    (filling,) = study.terrain.changes
    filled = terrain_of(study, blobs).filled - valley(bank).heights
    assert filling.by == "filling"
    assert filling.volume == pytest.approx(filled.sum() * CELL**2)
    assert filling.area == (filled > 0).sum() * CELL**2
    assert filling.most == filled.max()


def test_features_stay_through_saving_undoing_and_another_terrain(tmp_path):
    study, blobs = made(valley(bank))
    through = with_feature(study, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)], name="Mill culvert")
    for form in ("one.tarn.gpkg", "one.tarn.json"):
        create_study(tmp_path / form, through, blobs)
        again, kept = read_study(tmp_path / form)
        assert again == through
        assert (line_of(again.ground_features["mill-culvert"], kept) == [place(18, MIDDLE), place(22, MIDDLE)]).all()
        assert np.array_equal(terrain_of(again, kept).filled, terrain_of(through, blobs).filled)
    other = condition_terrain(
        valley(bank), blobs, source="again", features=through.ground_features, stream_threshold=CELL**2
    )
    assert cells_of(delineate_into(through, other, through.outlets, blobs)) == WHOLE


def test_typed_values_stay_when_the_ground_is_shaped():
    study, blobs = made(valley(bank))
    typed = edits.type_values(study, [("foot", "area", 5e5)])
    through = with_feature(typed, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)])
    assert through.catchments["foot"].area.value == 5e5
    assert through.catchments["foot"].area.derived == WHOLE * CELL**2
    assert through.catchments["foot"].lag.value == 1800.0


def test_the_digest_of_the_terrain_follows_its_features_and_its_breaching():
    study, blobs = made(valley(bank))
    through = with_feature(study, blobs, "culvert", [place(18, MIDDLE), place(22, MIDDLE)])
    cut = reshape(study, blobs, "breach", breach_depth=50.0, breach_length=25.0)
    assert len({terrain_digest(s.terrain, s.ground_features) for s in (study, through, cut)}) == 3


def test_a_feature_beside_the_terrain_changes_nothing_and_is_a_doubt():
    study, blobs = made(valley())
    away = with_feature(study, blobs, "wall", [(5000.0, 5000.0), (5100.0, 5000.0)], name="Far wall")
    assert cells_of(away) == WHOLE
    (doubt,) = [f for f in check(away) if f.code == "feature-without-effect"]
    assert "Far wall" in doubt.text
    assert "outside" in doubt.text


@pytest.mark.parametrize(
    ("kind", "line"),
    [("culvert", [(5.0, 5.0)]), ("wall", [(5.0, 5.0), (5.0, 5.0)]), ("kept-depression", [(5.0, 5.0), (9.0, 9.0)]),
     ("wall", [(5.0, np.nan), (5.0, 9.0)]), ("culvert", [])],
)  # fmt: skip
def test_a_line_that_is_none_is_refused(kind, line):
    study, blobs = made(valley())
    with pytest.raises(EditRefused, match="needs (one place|a line of at least two places)"):
        drawn_feature(study, kind, line, blobs)


def test_names_of_features_are_unique_and_found_in_any_case():
    study, blobs = made(valley())
    study = with_feature(study, blobs, "wall", [place(20, 5), place(20, 15)], name="Mill wall")
    assert feature_named(study, "MILL WALL") == "mill-wall"
    with pytest.raises(EditRefused, match="already a feature"):
        drawn_feature(study, "wall", [place(20, 5), place(20, 15)], blobs, name="mill wall")
    with pytest.raises(UnknownName, match="Did you mean “Mill wall”"):
        feature_named(study, "Mil wall")


def test_a_feature_whose_line_is_lost_is_named():
    study, blobs = made(valley())
    study = with_feature(study, blobs, "wall", [place(20, 5), place(20, 15)], name="Mill wall")
    bare = Blobs({study.terrain.grid: blobs[study.terrain.grid]})
    with pytest.raises(StudyFileError, match="the line of Mill wall is missing"):
        condition_again(study, bare)


def test_features_are_a_layer_of_the_study_file_that_follows_every_edit(tmp_path):
    import pyogrio

    study, blobs = made(valley(bank))
    path = tmp_path / "g.tarn.gpkg"

    def rows():
        _, _, shapes, (keys, names, kinds, sizes) = pyogrio.raw.read(path, layer="ground_features")
        shown = zip(keys, names, kinds, sizes, strict=True)
        return [(*map(str, row[:3]), None if np.isnan(row[3]) else float(row[3])) for row in shown], shapes

    with StudyFile.create(path, study, blobs) as file:
        wall, wall_line = drawn_feature(file.study, "wall", [place(30, 2), place(30, 9)], file.blobs, height=1.5)
        pit, spot = drawn_feature(file.study, "kept-depression", [place(5, 5)], file.blobs)
        features = {wall: wall_line, pit: spot}
        file.history.do(reshape, file.blobs, "draw", features=features)
        assert rows()[0] == [
            ("wall-1", "Wall 1", "wall", 1.5),
            ("kept-depression-1", "Kept depression 1", "kept-depression", None),
        ]
        assert [shapely.from_wkb(shape).geom_type for shape in rows()[1]] == ["LineString", "Point"]
        file.history.do(rename_feature, wall, "Flood bank")
        assert {row[1] for row in rows()[0]} == {"Flood bank", "Kept depression 1"}
        file.history.do(reshape, file.blobs, "remove", features={pit: spot})
        assert [row[0] for row in rows()[0]] == ["kept-depression-1"]
        file.history.undo()
        assert {row[0] for row in rows()[0]} == {"wall-1", "kept-depression-1"}
