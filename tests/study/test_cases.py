"""Cases, governing durations, limits; delineation; reckonings."""

import numpy as np
import pytest

from tarnwater.errors import ComputationFailed, OutletError, UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Confluence, Inflow, Outfall
from tarnwater.rain.areal import areal_factor
from tarnwater.rain.storms import StormFamily
from tarnwater.runoff.transforms import UnitHydrograph
from tarnwater.study import edits
from tarnwater.study.answers import RunMemo, compute_cases
from tarnwater.study.checks import check_results
from tarnwater.study.document import DesignPoint, Limit, RunSettings, Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import condition_terrain, terrain_of
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.study.reckonings import FIGURES, explain, explain_setting
from tarnwater.study.reckonings.figures import OF_PONDS
from tarnwater.terrain.grid import Grid

BRIDGE, YARD = "pellowford-outlet", "yard-outlet"


def test_every_case_of_the_demo_balances(demo_results):
    for result in demo_results.cases:
        assert np.abs(result.run.balance.error).max() < 1e-9


def test_the_governing_case_is_the_greatest_over_the_durations(demo_results):
    for answer in demo_results.answers():
        case = answer.result.case
        same = demo_results.of(case.condition, case.point, case.event)
        assert len(same) == 9
        assert answer.figures.peak.ordinate == max(r.figures(case.point).peak.ordinate for r in same)


def test_a_storm_is_made_for_its_design_point(demo_results):
    for result in demo_results.cases:
        area = result.network.area_above(result.case.point)
        expected = 1.0 if area <= 1e6 else areal_factor(area, result.case.storm.duration)
        assert result.areal_factor == expected


def test_a_limit_is_a_share_of_another_conditions_answer(demo_results):
    answer = demo_results.answer("yard-surfaced", YARD, 10.0)
    existing = demo_results.answer("existing", YARD, 10.0)
    assert answer.limit == existing.figures.peak.ordinate
    assert answer.verdict.state == "exceeded"
    assert existing.limit is None
    assert demo_results.answer("yard-surfaced", YARD, 30.0).limit is None


def limited(study, flow, period=2.0, **known):
    point = DesignPoint(limits=(Limit(return_period=period, flow=flow),))
    asked = {"points": [YARD], "return_periods": [period], "conditions": ["existing"]} | known
    return compute_cases(edits.set_design_point(study, YARD, point), **asked)


@pytest.mark.parametrize("share", [0.5, 0.9, 1.1])
def test_a_share_of_another_conditions_answer_is_that_share_of_it(demo_study, share):
    limit = Limit(return_period=10.0, share=share, of_condition="existing")
    limited = edits.set_design_point(demo_study, YARD, DesignPoint(limits=(limit,)))
    results = compute_cases(limited, points=[YARD], return_periods=[10.0])
    before, after = (results.answer(c, YARD, 10.0) for c in ("existing", "yard-surfaced"))
    assert after.limit == pytest.approx(share * before.figures.peak.ordinate, rel=1e-15)
    assert before.limit is None


def test_a_limit_is_judged_on_the_ordinate_which_is_the_one_figure_of_the_peak(demo_study):
    peak = compute_cases(demo_study, points=[YARD], return_periods=[2.0]).answer("existing", YARD, 2.0).figures.peak
    assert peak.fitted > peak.ordinate
    between = limited(demo_study, (peak.ordinate + peak.fitted) / 2)
    assert between.answer("existing", YARD, 2.0).verdict.state == "kept"
    (note,) = [f for f in check_results(between) if f.code == "peak-coarse"]
    assert "would break the limit" in note.text
    below = limited(demo_study, peak.ordinate * 0.999999)
    assert below.answer("existing", YARD, 2.0).verdict.state == "exceeded"


def test_with_a_duration_withheld_a_limit_is_not_known_to_be_kept(demo_study):
    beyond = (*demo_study.families["valley-storms"].durations, 96 * 3600.0)
    family = demo_study.families["valley-storms"].model_copy(update={"durations": beyond})
    results = limited(edits.set_family(demo_study, "valley-storms", family), 10.0)
    answer = results.answer("existing", YARD, 2.0)
    assert (answer.computed, answer.tried) == (9, 10)
    assert answer.verdict.words == "unknown, 9 of 10 durations"
    # what is exceeded already stays exceeded, whatever the last duration gives
    assert (
        limited(edits.set_family(demo_study, "valley-storms", family), 0.001)
        .answer("existing", YARD, 2.0)
        .verdict.state
        == "exceeded"
    )


def test_an_unfinished_element_withholds_only_the_cases_that_it_touches(demo_study):
    study = edits.type_values(demo_study, [("coldgarth-yard", "lag", None)])
    study = edits.add_draining(study, Catchment(name="Unfinished"), into=YARD)
    study = edits.set_design_point(study, "mill-fold-outlet", DesignPoint())
    results = compute_cases(study, return_periods=[10.0])
    assert {r.case.point for r in results.cases} == {"mill-fold-outlet"}
    assert {w.case.point for w in results.withheld} == {BRIDGE, YARD}
    assert {w.reason for w in results.withheld} == {"Coldgarth yard: the lag is missing."}


def test_a_return_period_outside_the_table_withholds_only_itself(demo_study):
    family = demo_study.families["valley-storms"].model_copy(update={"return_periods": (10.0, 500.0)})
    results = compute_cases(edits.set_family(demo_study, "valley-storms", family), families=["valley-storms"])
    assert {r.case.event for r in results.cases} == {10.0}
    assert {w.reason for w in results.withheld} == {"1 in 500 is not in the depth table."}


def test_only_counted_families_make_answers_and_judge_limits(demo_study, demo_results):
    nested = demo_study.families["nested-storms"].model_copy(update={"counted": True})
    both = compute_cases(edits.set_family(demo_study, "nested-storms", nested), points=[BRIDGE], return_periods=[100.0])
    alone = demo_results.answer("existing", BRIDGE, 100.0)
    now = both.answer("existing", BRIDGE, 100.0)
    assert alone.result.case.storm.key == "valley-storms"
    assert now.result.case.storm.key == "nested-storms"
    assert now.figures.peak.ordinate > alone.figures.peak.ordinate
    assert len(both.of("existing", BRIDGE, 100.0)) == 10


def test_half_and_twice_the_length_of_a_nested_storm_govern_nothing(demo_study):
    nested = demo_study.families["nested-storms"].model_copy(update={"counted": True})
    study = edits.remove_family(edits.set_family(demo_study, "nested-storms", nested), "valley-storms")
    results = compute_cases(study, points=[BRIDGE], return_periods=[100.0], conditions=["existing"])
    answer = results.answer("existing", BRIDGE, 100.0)
    longer = max(results.beside("existing", BRIDGE, 100.0), key=lambda r: r.case.storm.duration)
    assert answer.result.case.storm.duration == 86400.0
    assert longer.case.storm.duration == 2 * 86400.0
    assert longer.peak(BRIDGE).ordinate > 1.05 * answer.figures.peak.ordinate
    assert answer.bracketed
    (doubt,) = [f for f in check_results(results) if f.code == "grows-with-length"]
    assert "nested storm of 48 h" in doubt.text


def test_the_volume_of_a_flood_is_the_same_whatever_is_computed_with_it(demo_study, demo_results):
    whole = demo_results.answer("existing", YARD, 10.0)
    storm = whole.result.case.storm
    alone = compute_cases(
        demo_study, points=[YARD], conditions=["existing"], return_periods=[10.0], durations=[storm.duration],
        families=[storm.key],
    ).answer("existing", YARD, 10.0)  # fmt: skip
    assert len(alone.result.flow(YARD)) != len(whole.result.flow(YARD)) or alone.result is not whole.result
    assert alone.figures.volume == whole.figures.volume
    assert alone.figures.receded == whole.figures.receded


def test_the_volume_of_a_flood_leaves_baseflow_out_and_ends_when_it_has_receded(demo_results):
    result = demo_results.answer("existing", BRIDGE, 100.0).result
    found, flow, step = result.figures(BRIDGE), result.flow(BRIDGE), result.step
    base = sum(c.baseflow.flow for c in demo_results.study.catchments.values() if hasattr(c.baseflow, "flow"))
    direct = flow - base
    end = int(np.flatnonzero(direct > 0.01 * direct.max())[-1]) + 1
    assert found.receded == end * step
    by_hand = step * (direct[: end + 1].sum() - 0.5 * (direct[0] + direct[end]))
    assert found.volume == pytest.approx(by_hand, rel=1e-9)
    balance = result.balance(BRIDGE)
    assert float(balance.outflow[0]) > found.volume + base * result.length * 0.99


def test_what_inflow_elements_let_in_is_said_apart(demo_study):
    given = Inflow(name="Pumped", times=(0.0, 3600.0, 7200.0), flows=(0.0, 0.5, 0.0))
    study = edits.connect(edits.add_element(demo_study, given, "pumped"), "pumped", YARD)
    asked = {"points": [YARD], "conditions": ["existing"], "return_periods": [10.0], "durations": [12 * 3600.0],
             "families": ["valley-storms"]}  # fmt: skip
    without, with_it = (compute_cases(s, **asked).answer("existing", YARD, 10.0) for s in (demo_study, study))
    assert with_it.figures.given_volume == pytest.approx(1800.0)
    assert with_it.figures.runoff_depth == pytest.approx(without.figures.runoff_depth, rel=1e-12)


def test_conditions_differ_where_they_should(demo_results):
    existing, surfaced = (demo_results.answer(c, YARD, 10.0) for c in ("existing", "yard-surfaced"))
    assert "old-ditch" in existing.result.network.elements
    assert "old-ditch" not in surfaced.result.network.elements
    assert surfaced.figures.area == pytest.approx(84_000)
    assert existing.figures.area == pytest.approx(136_000)
    assert surfaced.figures.share_of_rain > existing.figures.share_of_rain


def test_a_design_point_may_hold_its_own_step(demo_study):
    study = edits.set_design_point(demo_study, BRIDGE, DesignPoint(step=600.0))
    results = compute_cases(study, conditions=["existing"], return_periods=[10.0], durations=[6 * 3600.0])
    assert {r.case.point: r.step for r in results.cases} == {BRIDGE: 600.0, YARD: 120.0}


def test_the_bridge_peak_hardly_follows_the_step(demo_study):
    peaks = []
    for step in (120.0, 300.0, 600.0):
        study = edits.set_design_point(demo_study, BRIDGE, DesignPoint(step=step))
        found = compute_cases(
            study, points=[BRIDGE], conditions=["existing"], return_periods=[100.0], durations=[86400.0]
        )
        peaks.append(found.cases[0].figures(BRIDGE).peak.ordinate)
    # up to D the peak of a unit hydrograph changes by less than a hundredth; here its rain is long
    assert peaks == pytest.approx([peaks[0]] * 3, rel=0.005)


def test_runs_are_extended_until_the_flow_has_receded(demo_results):
    share = demo_results.study.run.recession_share
    assert all(r.receded(r.case.point, share) for r in demo_results.cases)


def test_only_what_was_asked_for_is_computed(demo_study):
    results = compute_cases(demo_study, conditions=["Existing"], points=["Yard outlet"], return_periods=[2.0, 10.0])
    assert {(r.case.condition, r.case.point) for r in results.cases} == {("existing", YARD)}
    # nine durations counted, and a nested storm beside
    assert len(results.cases) == 20
    with pytest.raises(UnknownName, match="Did you mean “Existing”"):
        compute_cases(demo_study, conditions=["Exsting"])


def test_a_study_without_rain_cannot_be_computed():
    with pytest.raises(ComputationFailed, match="there is no rain"):
        compute_cases(Study())


@pytest.mark.slow
def test_ten_thousand_cases_fit_since_series_are_dropped_and_come_back(demo_study, monkeypatch):
    monkeypatch.setattr("tarnwater.study.answers.computing.SHELF_BYTES", 20 << 20)
    periods = tuple(float(t) for t in np.geomspace(2.01, 199, 1250))
    many = demo_study.families["valley-storms"].model_copy(update={"return_periods": periods})
    study = edits.set_family(demo_study, "valley-storms", many)
    results = compute_cases(study, points=[YARD], conditions=["existing"])
    assert sum(r.standing == "counted" for r in results.cases) == 11_250
    shelf = results.cases[0].run._shelf
    assert shelf._bytes <= 20 << 20
    shelf.misses = 0
    for case in (results.cases[0], results.cases[-1]):
        assert case.flow(YARD).max() == case.peak(YARD).ordinate
    assert shelf.misses > 0


def test_computing_again_after_an_edit_uses_what_is_kept(demo_study):
    cache = ResultCache()
    compute_cases(demo_study, points=[BRIDGE], conditions=["existing"], cache=cache)
    cache.hits = cache.misses = 0
    edited = edits.type_values(demo_study, [("wimmer", "lag", "70 min")])
    compute_cases(edited, points=[BRIDGE], conditions=["existing"], cache=cache)
    # Wimmer, its outlet, its reach and the bridge, in each batch of like length
    assert cache.misses == 4 * (cache.hits + cache.misses) // 21
    assert cache.hits > 0


def test_a_typed_run_length_is_held(demo_study):
    run = RunSettings(step={"typed": {"value": 300.0}}, length={"typed": {"value": 30 * 3600.0}})
    results = compute_cases(edits.set_run(demo_study, run), points=[YARD], return_periods=[2.0])
    assert {len(r.flow(YARD)) for r in results.cases} == {361}


# delineation ----------------------------------------------------------------------------------


@pytest.fixture
def valley():
    """Conditioned terrain of a V-shaped valley that falls south, and its blobs."""
    down, across = np.indices((80, 41))
    z = (2.0 * np.abs(across - 20) + 0.5 * (80 - down)).astype(np.float32)
    grid = Grid(z, 340_000.0, 560_000.0, 10.0, 10.0, "EPSG:27700")
    blobs = Blobs()
    return condition_terrain(grid, blobs, source="v.tif", stream_threshold=30_000.0, snap_radius=60.0), blobs


def place(row, column):
    return 340_000.0 + 10 * column + 5, 560_000.0 - 10 * row - 5


def test_outlets_become_catchments_a_network_and_measures(valley):
    terrain, blobs = valley
    outlets = outlets_named([("Upper", *place(30, 22)), ("Lower", *place(75, 20))])
    study = delineate_into(Study(), terrain, outlets, blobs)
    assert {type(e) for e in study.elements.values()} >= {Catchment, Confluence, Outfall}
    upper, lower = study.elements["upper"], study.elements["lower"]
    assert study.outlets["upper"].moved == pytest.approx(20.0)
    assert study.outlets["upper"].asked == place(30, 22)
    assert upper.area.value + lower.area.value == pytest.approx(lower.total_area)
    assert study.elements["upper-reach"].length.value == pytest.approx(450.0)
    assert study.elements["upper-reach"].slope.value == pytest.approx(0.05)
    assert [(link.up, link.down) for link in study.links.values()] == [
        ("upper", "upper-outlet"),
        ("upper-outlet", "upper-reach"),
        ("upper-reach", "lower-outlet"),
        ("lower", "lower-outlet"),
    ]
    # the whole valley reaches the edge of this small grid
    assert upper.cut_off
    assert lower.cut_off


def test_delineating_again_moves_derived_values_and_keeps_typed_ones(valley):
    terrain, blobs = valley
    study = delineate_into(Study(), terrain, outlets_named([("Lower", *place(75, 20))]), blobs)
    study = edits.type_values(study, [("lower", "area", "123456 m2")], note="held")
    study = edits.type_values(study, [("lower", "lag", "33 min")])
    study = edits.rename_element(study, "lower", "Bridge catchment")
    moved = {"lower": study.outlets["lower"].model_copy(update={"asked": place(60, 20)})}
    again = delineate_into(study, terrain, moved, blobs)
    before, after = study.elements["lower"], again.elements["lower"]
    assert after.area.typed == before.area.typed
    assert after.lag.typed == before.lag.typed
    assert after.name == "Bridge catchment"
    assert after.area.derived < before.area.derived
    assert after.flow_length.value < before.flow_length.value


def test_two_outlets_on_one_cell_have_a_reach_of_no_length_that_hands_its_flow_on(valley):
    terrain, blobs = valley
    twins = outlets_named([("Gauge", *place(30, 20)), ("Bridge", *place(30, 20)), ("Lower", *place(75, 20))])
    study = delineate_into(Study(), terrain, twins, blobs)
    between = study.elements["bridge-reach"]
    assert (between.length.value, between.slope.value) == (0.0, None)
    assert between.missing() == []
    assert "bridge" not in study.elements
    inflow = Hydrograph(np.array([[1.0, 5.0, 2.0]]), 600.0)
    assert np.array_equal(between.method.route(inflow).hydrograph.flow, inflow.flow)
    assert study.elements["gauge-reach"].length.value == pytest.approx(450.0)


def test_the_kept_terrain_drains_as_it_did(valley):
    terrain, blobs = valley
    study = delineate_into(Study(), terrain, outlets_named([("Lower", *place(75, 20))]), blobs)
    again = terrain_of(study, blobs)
    assert np.array_equal(again.upstream, terrain.drainage.upstream)
    with pytest.raises(OutletError, match="no terrain"):
        terrain_of(Study(), blobs)


# reckonings -----------------------------------------------------------------------------------


def asked(results, case, key, field):
    return explain(results.study, case, key, field, results=results)


def equal(one, other):
    if isinstance(one, Hydrograph):
        return np.allclose(one.flow, other.flow, rtol=1e-11, atol=1e-12)
    if isinstance(one, UnitHydrograph):
        return np.array_equal(one.ordinates, other.ordinates)
    return np.allclose(one, other, rtol=1e-11, atol=1e-12)


@pytest.mark.parametrize("condition", ["existing", "yard-surfaced"])
@pytest.mark.parametrize("point", [BRIDGE, YARD])
def test_every_node_of_the_demo_is_what_its_inputs_give(demo_results, condition, point):
    result = demo_results.answer(condition, point, 10.0).result
    for key in result.network.elements:
        for field in FIGURES:
            try:
                root = asked(demo_results, result, key, field)
            except UnknownName:
                continue
            for node in root.walk():
                assert equal(node.recomputed(), node.value), (key, field, node.title)
                assert node.inputs or node.origin, node.title
                assert node.equation or node.origin, node.title
                assert node.source or node.origin, node.title


def test_every_setting_of_the_demo_leads_to_its_source(demo_study):
    from tarnwater.study.document.conditions import resolve
    from tarnwater.study.document.fields import quantities_in

    for condition in demo_study.conditions:
        for key, element in resolve(demo_study, condition).elements.items():
            for path, _, _ in quantities_in(element):
                root = explain_setting(demo_study, condition, key, path)
                for node in root.walk():
                    assert equal(node.recomputed(), node.value) if node.value is not None else True
                    assert node.inputs or node.origin


def test_figures_stand_on_those_of_the_results(demo_results):
    result = demo_results.answer("existing", BRIDGE, 100.0).result
    figures = result.figures(BRIDGE)
    told = {f: asked(demo_results, result, BRIDGE, f).recomputed() for f in FIGURES if f not in
             ("limit", "excess", "unit hydrograph", "loss", *OF_PONDS)}  # fmt: skip
    assert told["peak"] == figures.peak.ordinate
    assert told["volume"] == pytest.approx(figures.volume, rel=1e-12)
    assert told["runoff depth"] == pytest.approx(figures.runoff_depth, rel=1e-11)
    assert told["peak per area"] == pytest.approx(figures.per_area, rel=1e-12)
    assert told["share of rain"] == pytest.approx(figures.share_of_rain, rel=1e-11)


def test_a_reckoning_reads_down_to_the_person(demo_results):
    result = demo_results.answer("yard-surfaced", YARD, 10.0).result
    text = "\n".join(asked(demo_results, result, YARD, "peak").lines())
    assert "typed by E. Marsh on 2026-03-02: walked with a level" in text
    assert "shipped class Paved surfaces and roofs, soil group C" in text
    assert "S = 25400/CN − 254  →  25400/98 − 254" in text
    assert "for the condition Yard surfaced" not in text
    assert "depth table “valley”" in text


def test_a_value_typed_for_a_condition_says_so(demo_study):
    study = edits.type_values(demo_study, [("hask", "lag", "40 min")], condition="Yard surfaced", by="E. M.")
    node = explain_setting(study, "yard-surfaced", "hask", "lag")
    assert node.origin == "typed by E. M., for the condition Yard surfaced"
    derived = explain_setting(study, "existing", "hask", "lag")
    assert "734.4" in derived.substituted


def test_an_unknown_figure_brings_the_nearest(demo_results):
    result = demo_results.cases[0]
    with pytest.raises(UnknownName, match="no field “peek”|no figure “peek”"):
        asked(demo_results, result, BRIDGE, "peek")
    with pytest.raises(UnknownName):
        asked(demo_results, result, "nowhere", "peak")


def test_a_family_without_cases_asked_for_is_told(demo_study):
    with pytest.raises(ComputationFailed, match="no case was asked for"):
        compute_cases(demo_study, durations=[1.0])
    dry = edits.set_family(
        edits.remove_family(demo_study, "nested-storms"),
        "valley-storms",
        StormFamily(table="valley", return_periods=(2.0,), durations=()),
    )
    with pytest.raises(ComputationFailed):
        compute_cases(dry)


def test_with_a_typed_lag_a_higher_curve_number_gives_a_higher_flow_everywhere_and_at_all_times(demo_study):
    study = edits.type_values(demo_study, [("hask", "lag", "70 min")])
    asked = {"points": [BRIDGE], "conditions": ["existing"], "families": ["valley-storms"], "return_periods": [10.0]}
    for row in range(len(study.elements["hask"].surfaces)):
        path = f"surfaces/{row}/loss/curve_number"
        higher = edits.type_values(
            study, [("hask", path, study.elements["hask"].surfaces[row].loss.curve_number.value + 3)]
        )
        for one, other in zip(compute_cases(study, **asked).cases, compute_cases(higher, **asked).cases, strict=True):
            length = min(len(one.flow(BRIDGE)), len(other.flow(BRIDGE)))
            apart = other.flow(BRIDGE)[:length] - one.flow(BRIDGE)[:length]
            # rounding of the sums of some hundred products
            assert apart.min() >= -1e-12 * one.peak(BRIDGE).ordinate


def test_conditions_that_an_edit_leaves_alone_keep_their_cases_and_no_others_do(demo_study):
    runs = RunMemo()
    before = compute_cases(demo_study, runs=runs)
    edited = edits.type_values(demo_study, [("coldgarth-pond", "devices/1/diameter", 0.2)], condition="yard-with-pond")
    after = compute_cases(edited, runs=runs)
    kept = {id(case) for case in before.cases}
    for case in after.cases:
        above_the_pond = "coldgarth-pond" not in case.network.elements
        assert (id(case) in kept) == (case.case.condition != "yard-with-pond" or above_the_pond)
    fresh = compute_cases(edited)
    for case, other in zip(after.cases, fresh.cases, strict=True):
        assert case.case == other.case
        assert case.peak(case.case.point).ordinate == other.peak(other.case.point).ordinate
    # a storm is withheld for a reason of its table, and comes back with the table
    key = next(iter(edited.families))
    family = edited.families[key].model_copy(update={"return_periods": (2.0, 5000.0)})
    longer = compute_cases(edits.set_family(edited, key, family), runs=runs)
    assert any("5000 is not in the depth table" in one.reason for one in longer.withheld)
    assert [c.peak(c.case.point).ordinate for c in compute_cases(edited, runs=runs).cases] == [
        c.peak(c.case.point).ordinate for c in after.cases
    ]
