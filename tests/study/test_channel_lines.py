"""Channels along lines of the map: their slope is that of the ground, and the ground stays as it is."""

from dataclasses import replace

import numpy as np
import pytest

from tarnwater.brief.channel_tables import channels_table
from tarnwater.errors import BadInput, EditRefused
from tarnwater.network.elements import Pond
from tarnwater.parameters import typed
from tarnwater.routing.channels import Trapezoid
from tarnwater.study import edits
from tarnwater.study.answers.channel_table import channel_rows
from tarnwater.study.checks.channels import channels as channel_findings
from tarnwater.study.document.works import ChannelWorks, Laid
from tarnwater.study.edits.channels import add_works, channels_on, lay_channel, set_works
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.delineation import completed, survey, take_survey
from tarnwater.study.edits.ground import drawn_feature, reshape, with_features
from tarnwater.study.edits.history import History
from tarnwater.study.edits.impounding import crest_above, store_behind_dam
from tarnwater.study.edits.sections import section_across
from tarnwater.study.file.store import create_study, read_study
from tarnwater.study.pictures.channel import channel_profile
from tarnwater.study.pictures.map import terrain_digest, waters
from tarnwater.terrain.impoundment import Dam
from tarnwater.terrain.laid_line import laid


@pytest.fixture(scope="module")
def ground(demo):
    """The demo with an alignment down a flow path, and a ditch that carries the flow of a catchment."""
    study, blobs = demo
    drainage = terrain_of(study, blobs)
    path = np.array(blobs.shape(study.elements["hask"].flow_path).coords)[40:120:8, :2]
    _, feature = drawn_feature(study, "alignment", path[::-1], blobs, name="Cut along the hill")
    study = reshape(study, blobs, "draw it", features=with_features(study, [feature]))
    works = ChannelWorks(name="Hill ditch", flow=typed(0.4))
    return add_works(study, "channels", works), blobs, drainage, path


def row_of(study):
    """The row of the ditch."""
    return next(row for row in channel_rows(study, None) if row.key == "hill-ditch")


def test_an_alignment_leaves_the_ground_and_its_answers_as_they_are(demo, ground):
    before, (study, _, _, _) = demo[0], ground
    assert "cut-along-the-hill" in study.ground_features
    assert study.terrain == before.terrain
    assert study.elements == before.elements
    digests = [terrain_digest(one.terrain, one.ground_features) for one in (before, study)]
    assert digests[0] == digests[1]


def test_its_slope_is_the_fall_of_the_ground_over_its_length(ground):
    study, blobs, drainage, path = ground
    after = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    works = after.channels["hill-ditch"]
    found = laid(drainage.grid, path)
    assert works.laid.length == pytest.approx(found.length, abs=1e-3)
    # heights are kept to a millimetre
    assert works.slope.value == pytest.approx(found.fall / found.length, abs=1.1e-3 / found.length)
    assert works.slope.typed is None
    between = np.interp(found.along, works.laid.along, works.laid.ground)
    assert np.abs(between - found.ground).max() <= 0.02 + 1e-3
    row = row_of(after)
    assert row.slope == works.slope.value
    assert float(row.section.normal_flow(row.bare.uniform.depth, row.slope)) == pytest.approx(0.4, rel=1e-9)
    heads = [column.head for column in channels_table(after, [row]).columns]
    assert "along" in heads
    assert "length m" in heads


def test_laid_undone_and_opened_again_it_is_the_same(ground, tmp_path):
    study, blobs, drainage, _ = ground
    history = History(study)
    after = history.do(lay_channel, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    create_study(tmp_path / "ditch.tarn.gpkg", after, blobs)
    assert read_study(tmp_path / "ditch.tarn.gpkg")[0].channels == after.channels
    history.undo()
    assert history.study.as_text() == study.as_text()


def test_a_typed_slope_goes_before_that_of_the_ground_and_stays_when_it_is_conditioned_again(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    of_ground = laid_out.channels["hill-ditch"].slope.derived
    steep = set_works(laid_out, "channels", "hill-ditch", (("slope", 0.2),))
    again = reshape(steep, blobs, "breach", breach_depth=1.0, breach_length=30.0)
    slope = again.channels["hill-ditch"].slope
    assert (slope.value, slope.derived) == (0.2, of_ground)
    freed = set_works(again, "channels", "hill-ditch", (("slope", None),))
    assert freed.channels["hill-ditch"].slope.value == of_ground


def test_on_another_terrain_its_slope_is_measured_again_and_a_typed_one_stays(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    grid = drainage.grid
    steeper = replace(grid, heights=2.0 * grid.heights)
    found = survey(laid_out.terrain, drainage, laid_out.outlets)
    found = replace(found, laid=channels_on(laid_out, steeper, blobs, laid_out.ground_features))
    after = take_survey(laid_out, found, blobs)
    before = laid_out.channels["hill-ditch"].slope.value
    assert after.channels["hill-ditch"].slope.value == pytest.approx(2.0 * before, rel=1e-3)
    assert after.channels["hill-ditch"].laid.ground[0] == pytest.approx(2.0 * works_of_ground(laid_out), abs=0.05)
    typed_one = set_works(laid_out, "channels", "hill-ditch", (("slope", 0.2),))
    slope = take_survey(typed_one, found, blobs).channels["hill-ditch"].slope
    assert (slope.value, slope.derived) == (0.2, after.channels["hill-ditch"].slope.derived)
    # the survey of the desk and of the commands measures them by itself
    whole = completed(laid_out, survey(laid_out.terrain, drainage, laid_out.outlets), drainage, blobs)
    assert whole.laid == {"hill-ditch": laid_out.channels["hill-ditch"].laid}


def works_of_ground(study):
    """The ground at the upper end of the ditch."""
    return study.channels["hill-ditch"].laid.ground[0]


def test_on_level_ground_it_keeps_its_slope(ground):
    study, blobs, drainage, _ = ground
    level = replace(drainage.grid, heights=np.full_like(drainage.grid.heights, 50.0))
    works = lay_channel(study, blobs, level, "hill-ditch", "cut-along-the-hill").channels["hill-ditch"]
    assert works.laid.slope is None
    assert works.slope.typed_value == 0.005


def test_ground_steeper_than_a_channel_may_be_and_a_line_that_is_not_there_are_refused(ground):
    study, blobs, drainage, _ = ground
    cliff = replace(drainage.grid, heights=40.0 * drainage.grid.heights)
    with pytest.raises(BadInput, match="Hill ditch"):
        lay_channel(study, blobs, cliff, "hill-ditch", "cut-along-the-hill")
    with pytest.raises(BadInput, match="cut-along-the-hil"):
        lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hil")


def test_along_no_line_it_keeps_the_slope_that_it_had(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    freed = lay_channel(laid_out, blobs, drainage.grid, "hill-ditch", "", by="T")
    works = freed.channels["hill-ditch"]
    assert works.laid is None
    assert works.slope.typed_value == laid_out.channels["hill-ditch"].slope.value


def test_a_line_that_carries_a_channel_is_not_removed(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    features = {k: f for k, f in laid_out.ground_features.items() if k != "cut-along-the-hill"}
    with pytest.raises(EditRefused, match="Hill ditch: it lies along a line that is not on the map"):
        reshape(laid_out, blobs, "remove it", features=features)


def test_a_place_and_a_line_beside_the_terrain_are_refused_by_name(ground):
    study, blobs, drainage, path = ground
    _, pit = drawn_feature(study, "kept-depression", [path[0]], blobs, name="Old pit")
    _, far = drawn_feature(study, "alignment", path + 1e6, blobs, name="Far away")
    study = study.model_copy(update={"ground_features": study.ground_features | {"pit": pit, "far": far}})
    with pytest.raises(BadInput, match="Old pit: a kept depression is no line"):
        lay_channel(study, blobs, drainage.grid, "hill-ditch", "pit")
    with pytest.raises(BadInput, match="Far away: there is no ground under the whole line"):
        lay_channel(study, blobs, drainage.grid, "hill-ditch", "far")


def test_water_above_lower_ground_beside_the_ditch_is_a_doubt(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    works = laid_out.channels["hill-ditch"]
    ground_along = np.array(works.laid.ground)
    hollow = ground_along.copy()
    middle = len(hollow) // 2
    straight = np.interp(works.laid.along, (0.0, works.laid.length), (ground_along[0], ground_along[-1]))
    hollow[1:-1] = straight[1:-1]
    hollow[middle] -= 2.0
    sunk = works.model_copy(update={"laid": works.laid.model_copy(update={"ground": tuple(hollow)})})
    study = laid_out.model_copy(update={"channels": laid_out.channels.with_entry("hill-ditch", sunk)})
    row = row_of(study)
    over, where = row.above_ground
    assert where == works.laid.along[middle]
    depth = row.bare.uniform.depth
    assert over == pytest.approx(2.0 - (row.section.depth - depth), abs=1e-9)
    assert row.verdict == "above ground"

    class Found:
        cases = ()

        def __init__(self, of):
            self.study = of

    (finding,) = [one for one in channel_findings(Found(study), None) if one.code == "channel-above-ground"]
    assert finding.subject == "hill-ditch"
    # a deeper one carries its water below the hollow
    deep = Trapezoid(bottom_width=0.5, side_slope=2.0, bank_height=4.0)
    deeper = set_works(study, "channels", "hill-ditch", (("section", deep),))
    assert row_of(deeper).verdict == "fits"


def test_its_profile_shows_ground_banks_and_water_above_the_bed(ground):
    study, blobs, drainage, _ = ground
    laid_out = lay_channel(study, blobs, drainage.grid, "hill-ditch", "cut-along-the-hill")
    row = row_of(laid_out)
    plot = channel_profile(laid_out, row)
    curves = {curve.label: curve.y for curve in plot.curves}
    depth = row.section.depth
    # it is cut to its full depth where the ground is level with its banks, at both ends
    assert curves["ground"][[0, -1]] == pytest.approx([depth, depth], abs=1e-6)
    assert curves["banks"] == pytest.approx([depth, depth])
    assert curves["water"] == pytest.approx([row.bare.uniform.depth] * 2)
    assert curves["bed"] == pytest.approx([0.0, 0.0])
    along, heights = np.array(row.laid.along), np.array(row.laid.ground)
    assert curves["ground"] == pytest.approx(heights - (heights[0] - row.slope * along - depth), abs=1e-9)
    assert channel_profile(study, row_of(study)) is None


def test_the_commands_draw_a_line_lay_a_ditch_and_dam_a_valley_along_it(demo, run):
    study, blobs = demo
    drainage = terrain_of(study, blobs)
    reach = next(e for e in study.elements.values() if e.name == "Hask to Mill Fold")
    across = section_across(blobs, drainage, reach, 300.0, 0.5).line
    create_study(run.folder / "valley.tarn.gpkg", edits.lead_through(study, "hask", Pond(name="Hask pond")), blobs)
    places = " ".join(f"{x:.2f},{y:.2f}" for x, y in across)
    run("shape", "valley.tarn.gpkg", "alignment", "--line", places, "--name", "Dam line")
    assert "one of the two" in run("dam", "valley.tarn.gpkg", "Hask pond", "--height", "2m", code=2).lower()
    told = run("dam", "valley.tarn.gpkg", "Hask pond", "--along", "dam line", "--height", "2m")
    assert "of earth" in told
    told = run("channels", "valley.tarn.gpkg", "Ditch", "flow=0.3m3/s", "line=Dam line")
    assert "Dam line" in told
    works = read_study(run.folder / "valley.tarn.gpkg")[0].channels["ditch"]
    assert works.slope.derived == works.laid.slope == works.slope.value
    run("channels", "valley.tarn.gpkg", "Ditch", "line=none", "slope=2%")
    works = read_study(run.folder / "valley.tarn.gpkg")[0].channels["ditch"]
    assert (works.laid, works.slope.value) == (None, 0.02)
    assert "Dam line" in run("channels", "valley.tarn.gpkg", "Ditch", "line=Damline", code=2)


def test_water_behind_a_dam_has_an_outline_of_its_area_until_its_top_is_typed(ground):
    study, blobs, drainage, _ = ground
    reach = next(e for e in study.elements.values() if e.name == "Hask to Mill Fold")
    across = section_across(blobs, drainage, reach, 300.0, 0.5).line
    study = edits.lead_through(study, "hask", Pond(name="Hask pond"))
    dam = Dam(across, crest_above(drainage, across, 2.0))
    after = store_behind_dam(study, blobs, drainage, "hask-pond", dam)
    (table,) = after.elements["hask-pond"].storage
    shape = blobs.shape(table.outline_at_top)
    last = (table.volumes[-1] - table.volumes[-2]) / (table.levels[-1] - table.levels[-2])
    metres = drainage.grid.metres
    # the slope of the table at its top is the mean area between its last levels
    assert 0.5 * last < shape.area * metres**2 < 1.5 * last
    assert list(waters(after, blobs)) == ["hask-pond"]
    levels = (*table.levels[:-1], table.levels[-1] + 0.5)
    # a table of another plan has another outline, which is not known
    assert table.with_plan(1.5).outline_at_top == ""
    higher = edits.choose(after, "hask-pond", "storage", (table.model_copy(update={"levels": levels}),))
    assert waters(higher, blobs) == {}


@pytest.mark.parametrize(
    ("along", "ground"),
    [((), ()), ((0.0,), (5.0,)), ((0.0, 9.0), (5.0,)), ((0.0, 9.0, 8.0), (5.0, 4.0, 3.0)), ((0.0, 0.0), (5.0, 4.0)),
     ((2.0, 9.0), (5.0, 4.0)), ((0.0, float("nan")), (5.0, 4.0)), ((0.0, 9.0), (5.0, float("inf")))],
    ids=["nothing", "one entry", "uneven", "falling distances", "no length", "no beginning", "no number", "no end"],
)  # fmt: skip
def test_ground_along_a_line_that_cannot_be_is_refused(along, ground):
    with pytest.raises((EditRefused, ValueError)):
        Laid(line="dam-line", along=along, ground=ground)
