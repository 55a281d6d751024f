"""A pond in each event: level, limit, allowance, first storage, what is required, and the table by level."""

from dataclasses import replace

import numpy as np
import pytest
from tests.study.test_sizing import HOUR, pond_of, yard

from tarnwater.brief.pond_tables import cases_table, events_table, levels_table, requirements_table
from tarnwater.errors import BadInput
from tarnwater.parameters import Setting, Typed
from tarnwater.routing.ponds.zones import ZoneByDepth
from tarnwater.routing.works import RoundOrifice, RoundPipe, RoundRiser
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.level_table import level_table
from tarnwater.study.answers.pond_events import pond_events
from tarnwater.study.answers.pond_table import highest_of, pond_rows
from tarnwater.study.answers.requirements import requirements


@pytest.fixture(scope="module")
def results():
    return compute_cases(edits.type_values(yard(diameter=0.3), [("pond", "freeboard", 0.5)]))


def test_each_event_has_the_case_of_its_highest_level_and_that_of_its_greatest_flow(results):
    events = pond_events(results, "pond")
    assert [one.event for one in events] == [2.0, 10.0]
    highest = highest_of(pond_rows(results, "pond"))
    for one, row in zip(events, highest, strict=True):
        assert one.row.case is row.case
        assert one.point == "beck"
        governing = results.governing(one.condition, "beck", one.event)
        assert one.flow is governing
        assert one.peak == governing.peak("beck").ordinate
    assert events[0].limit is None
    assert events[0].keeps is None
    ten = events[1]
    assert ten.limit == 0.1
    assert ten.over == pytest.approx(ten.peak / 0.1 - 1)
    assert ten.keeps == (ten.peak <= 0.1)
    # nothing flows beside the pond, so that it may let all of the limit out
    assert ten.allowed == pytest.approx(0.1, abs=1e-9)


def test_first_storages_bracket_the_routed_one_as_they_should(results):
    ten = pond_events(results, "pond")[1]
    assert set(ten.estimates) == {"rising", "constant"}
    # a rising release lets less out before the peak than a constant one
    assert ten.estimates["rising"] > ten.estimates["constant"] > 0
    assert pond_events(results, "pond")[0].estimates == {}


def test_what_is_required_is_kept_or_missed_by_the_figures_shown(results):
    events = pond_events(results, "pond")
    found = {one.words: one for one in requirements(results, "pond", events)}
    limit = found["1 in 10: flow at Beck within its limit"]
    assert (limit.asked, limit.found) == (0.1, events[1].peak)
    assert limit.missed == limit.found - limit.asked
    left = found["1 in 10: freeboard left"]
    assert left.found == pytest.approx(2.0 - events[1].row.top)
    assert left.missed == pytest.approx(left.asked - left.found)
    dry = found["1 in 10: spillway dry"]
    assert dry.missed == pytest.approx(events[1].row.top - 1.7)
    assert found["1 in 10: no water over the top"].kept


def test_depth_and_zones_are_required_where_they_are_typed():
    study = edits.type_values(yard(), [("pond", "greatest_depth", 0.4)])
    within = Setting[float](typed=Typed[float](value=HOUR))
    study = edits.add_part(study, "pond", "zones", ZoneByDepth(name="dead storage", depth=1.0, drains_within=within))
    results = compute_cases(study)
    found = {one.code: one for one in requirements(results, "pond", pond_events(results, "pond"))}
    deep = found["pond-too-deep"]
    assert deep.missed == pytest.approx(deep.found - 0.4)
    assert not deep.kept
    late = found["zone-drains-late"]
    assert late.words == "dead storage drains within"
    assert late.missed == pytest.approx(late.found - HOUR)


def test_a_missed_requirement_is_printed_as_accepted_with_its_reason(results):
    study = results.study
    those = [one for one in requirements(results, "pond", pond_events(results, "pond")) if not one.kept]
    assert those
    plain = requirements_table(study, those)
    assert plain.roles == ("limit",) * len(those)
    accepted = [(one.code, "beck", one.condition, "agreed with the owner") for one in those]
    told = requirements_table(study, those, accepted)
    assert all(row[-1] == "accepted: agreed with the owner" for row in told.rows)
    assert told.roles == (None,) * len(those)


def test_tables_have_one_unit_in_a_column_and_copy_exact_figures(results):
    table = events_table(results, pond_events(results, "pond"))
    heads = [column.head for column in table.columns]
    assert "highest m" in heads
    column = table.columns[heads.index("highest m")]
    exact = [one.row.top for one in pond_events(results, "pond")]
    assert [float(text) for text in column.exact] == exact
    assert table.as_exact[0] == heads
    every = cases_table(results, pond_rows(results, "pond"))
    assert len(every.rows) == len(results.cases)
    assert {"opening m³/s", "spillway m³/s"} <= {c.title + " m³/s" for c in every.columns}


def test_the_table_by_level_gives_the_routed_outflow_at_the_routed_level(results):
    pond = results.study.elements["pond"]
    row = highest_of(pond_rows(results, "pond"))[1]
    table = level_table(pond, 0.001)
    at = float(np.interp(row.top, table.levels, table.flows.total))
    # the table is linear between its levels, and the rating too
    assert at == pytest.approx(row.outflow, rel=1e-3)
    assert float(np.interp(row.top, table.levels, table.volumes)) == pytest.approx(row.stored, rel=1e-4)


def test_levels_are_whole_increments_between_floor_and_top():
    table = level_table(pond_of(), 0.3)
    assert table.levels == pytest.approx([0.0, 0.3, 0.6, 0.9, 1.2, 1.5, 1.8, 2.0])
    assert len(level_table(pond_of()).levels) == 21
    assert table.drains[0] == 0.0
    assert np.all(np.diff(table.drains) >= 0)


@pytest.mark.parametrize("step", [0.0, -0.1, 1e-6])
def test_an_increment_that_is_none_is_refused(step):
    with pytest.raises(BadInput, match="gives no table"):
        level_table(pond_of(), step)


def test_the_level_inside_a_riser_and_what_governs_stand_in_the_table_by_level():
    inner = RoundOrifice(name="low", inside="riser", diameter=0.3)
    outlet = RoundPipe(bottom=-0.2, outlet=-0.3, diameter=0.4)
    pond = pond_of().model_copy(update={"devices": (RoundRiser(name="riser", crest=1.5, outlet=outlet), inner)})
    told = levels_table(yard(), level_table(pond))
    heads = [column.title for column in told.columns]
    assert {"low", "riser", "riser, crest", "all out", "in riser", "governs", "empties in"} <= set(heads)
    assert "low" in told.columns[heads.index("governs")].texts


def test_a_pond_that_passes_its_inflow_on_has_no_events():
    study = edits.choose(yard(), "pond", "devices", ())
    results = compute_cases(study)
    assert pond_events(results, "pond") == []


def test_ponds_stand_side_by_side_with_the_ratio_to_another_condition(demo_results):
    events = pond_events(demo_results, "coldgarth-pond")
    hundred = next(one for one in events if one.event == 100.0)
    assert hundred.beside == "existing"
    existing = demo_results.governing("existing", "yard-outlet", 100.0).peak("yard-outlet").ordinate
    assert hundred.reference == existing
    table = events_table(demo_results, events)
    column = next(c for c in table.columns if c.title == "of Existing")
    assert float(column.exact[3]) == pytest.approx(100 * hundred.peak / existing)
    both = events_table(demo_results, [*events, *(replace(one, key="hask") for one in events)])
    assert both.columns[0].title == "pond"


def test_a_first_condition_has_none_to_compare_with(results):
    assert [one.beside for one in pond_events(results, "pond")] == ["", ""]


def test_a_low_notch_is_no_spillway_and_the_highest_crest_is():
    from tarnwater.routing.works import BroadWeir, NotchWeir

    def dry(*devices):
        results = compute_cases(edits.choose(yard(), "pond", "devices", devices))
        found = requirements(results, "pond", pond_events(results, "pond"))
        return [one.words for one in found if one.code == "spillway-wet"]

    notch, spillway = NotchWeir(name="notch", crest=0.0), BroadWeir(name="spillway", crest=1.7)
    assert dry(notch, spillway) == ["1 in 10: spillway dry"]
    assert dry(notch) == []
