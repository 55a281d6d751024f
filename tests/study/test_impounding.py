"""Storage cut from the terrain of a study, as one act and by command."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, EditRefused
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds.forms import StageVolume
from tarnwater.routing.works import RoundOrifice
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.history import History
from tarnwater.study.edits.impounding import crest_above, dam_by_numbers, store_behind_dam, water_behind
from tarnwater.study.edits.sections import section_across
from tarnwater.study.file.store import create_study, read_study
from tarnwater.terrain.impoundment import Dam


@pytest.fixture(scope="module")
def ground(demo):
    """The demo with a pond below the Hask, its terrain, and a line across the valley there."""
    study, blobs = demo
    drainage = terrain_of(study, blobs)
    reach = next(e for e in study.elements.values() if e.name == "Hask to Mill Fold")
    line = section_across(blobs, drainage, reach, 300.0, 0.5).line
    study = edits.lead_through(study, "hask", Pond(name="Hask pond", devices=(RoundOrifice(name="low", diameter=0.8),)))
    return study, blobs, drainage, line


def test_a_pond_gets_the_valley_behind_a_dam_is_routed_and_undone(ground):
    study, blobs, drainage, line = ground
    dam = Dam(line, crest_above(drainage, line, 2.0))
    history = History(study)
    after = history.do(store_behind_dam, blobs, drainage, "hask-pond", dam)
    (table,) = after.elements["hask-pond"].storage
    water = water_behind(drainage, after.elements["hask-pond"], dam)
    assert isinstance(table, StageVolume)
    assert table.top == dam.crest
    # the table has millimetres and tenths of a cubic metre
    assert table.volumes[-1] == pytest.approx(water.volumes[-1], abs=0.05)
    between = np.interp(water.levels, table.levels, table.volumes)
    slack = 0.05 + 5e-4 * water.areas[-1]
    assert np.abs(between - water.volumes).max() <= 1e-3 * water.volumes[-1] + slack
    level = table.floor
    after = edits.type_values(after, [("hask-pond", "devices/0/bottom", level)])
    case = compute_cases(after, conditions=["Existing"], return_periods=[10.0], durations=[6 * 3600.0]).cases[0]
    assert case.pool("hask-pond").top > level
    assert case.run.balance.error[0] == pytest.approx(0.0, abs=1e-9)
    history.undo()
    assert history.study.as_text() == study.as_text()


def test_in_one_condition_only(ground):
    study, blobs, drainage, line = ground
    condition = list(study.conditions)[-1]
    dam = Dam(line, crest_above(drainage, line, 1.5))
    after = dam_by_numbers(study, blobs, "Hask pond", dam, condition=study.conditions[condition].name)
    assert len(resolve(after, condition).elements["hask-pond"].storage) == 1
    assert after.elements["hask-pond"].storage == ()


def test_what_is_no_pond_or_holds_no_water_is_refused_by_its_name(ground):
    study, blobs, drainage, line = ground
    dam = Dam(line, crest_above(drainage, line, 2.0))
    with pytest.raises(EditRefused, match="no pond"):
        store_behind_dam(study, blobs, drainage, "hask", dam)
    with pytest.raises(BadInput, match="Hask pond, dam: an end of the dam stands on"):
        store_behind_dam(study, blobs, drainage, "hask-pond", Dam(line, dam.crest + 80.0))
    with pytest.raises(BadInput, match="no length"):
        crest_above(drainage, line[:1], 2.0)
    with pytest.raises(BadInput, match="no ground"):
        crest_above(drainage, line + 1e6, 2.0)


def test_the_command_tells_volume_area_and_earth_and_changes_nothing_on_bad_words(ground, run):
    study, blobs, _, line = ground
    create_study(run.folder / "valley.tarn.gpkg", study, blobs)
    places = " ".join(f"{x:.2f},{y:.2f}" for x, y in line)
    given = "dam", "valley.tarn.gpkg", "Hask pond", "--line"
    before = read_study(run.folder / "valley.tarn.gpkg")[0]
    for words, told in (
        ((places,), "a level or a height"),
        ((places, "--height", "2m", "--crest", "90m"), "a level or a height"),
        (("500;900 3;4", "--height", "2m"), "no list of numbers"),
        (("500,900,2 3,4,2", "--height", "2m"), "two coordinates"),
        ((places, "--height", "90m"), "an end of the dam stands on"),
    ):
        assert told in run(*given, *words, code=2)
    assert read_study(run.folder / "valley.tarn.gpkg")[0].elements == before.elements
    told = run(*given, places, "--height", "2m")
    assert "Hask pond holds" in told
    assert "of earth" in told
    assert read_study(run.folder / "valley.tarn.gpkg")[0].elements["hask-pond"].storage[0].tag() == "stage-volume"
