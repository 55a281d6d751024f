"""Each stop, doubt and note appears when it should, leads to its place, and goes when it is settled."""

import re
import time
from pathlib import Path

import pytest

from tarnwater.errors import Cancelled
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Catchment, Confluence, CoverReference, Link, Outfall, Reach, Surface
from tarnwater.parameters import derived, typed
from tarnwater.progress import Progress
from tarnwater.rain.areal import ArealCurve, ArealReduction
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.given import RecordedStorm, TypedStorm
from tarnwater.rain.patterns import AlternatingBlock, TwentyFourHour
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import KinematicWave, Muskingum
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import Kirpich
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import (
    DesignPoint,
    FoundFill,
    FoundVoid,
    Limit,
    Outlet,
    RunSettings,
    Study,
    Terrain,
    study_from,
)
from tarnwater.study.edits.assignments import assign
from tarnwater.study.reckonings import explain

HOUR = 3600.0


def soil(number=75.0, **known):
    return Surface(share=1.0, loss=CurveNumber(curve_number=number, **known))


@pytest.fixture
def study():
    """A sound study: nothing to be said of it."""
    one = Catchment(name="Hask", area=3e6, lag=3000.0, surfaces=(soil(),))
    made = edits.add_element(Study(title="Sound"), one)
    made = edits.add_element(made, Reach(name="Beck", method=Muskingum(travel_time=1800.0, weight=0.2, parts=2)))
    made = edits.add_element(made, Outfall(name="Bridge"))
    made = edits.connect(edits.connect(made, "hask", "beck"), "beck", "bridge")
    table = DepthTable(
        durations=(300.0, HOUR, 24 * HOUR, 48 * HOUR),
        return_periods=(2.0, 100.0),
        depths=((5.0, 12.0), (16.0, 43.0), (57.0, 146.0), (65.0, 160.0)),
        series="annual maxima",
    )
    made = edits.set_table(made, "t", table)
    durations = tuple(HOUR * h for h in (1, 2, 6, 12, 24, 48))
    return edits.set_family(made, "f", StormFamily(table="t", return_periods=(2.0, 100.0), durations=durations))


def found(study, code):
    return [f for f in check(study) if f.code == code]


def only(study, code):
    (one,) = found(study, code)
    return one


def test_a_sound_study_has_nothing_to_be_said(study):
    assert check(study) == []
    assert check_results(compute_cases(study)) == []


def test_no_rain_is_a_stop():
    assert only(Study(), "no-rain").severity == "stop"


def test_a_family_that_only_stands_beside_is_a_stop(study):
    assert only(family(study, counted=False), "no-counted-family").severity == "stop"


def test_no_outlet_is_a_doubt_since_answers_are_given_where_the_water_ends(study):
    open_ended = edits.remove_element(study, "bridge")
    assert only(open_ended, "no-outlet").severity == "doubt"
    assert {r.case.point for r in compute_cases(open_ended).cases} == {"beck"}


def test_a_dangling_link_is_a_stop_and_its_remedy_removes_it(study):
    broken = study_from(study.as_dict() | {"links": {"x": {"up": "hask", "down": "gone"}}})
    finding = only(broken, "dangling-link")
    assert finding.severity == "stop"
    assert found(finding.remedies[0].edit(broken), "dangling-link") == []


def test_a_loop_is_a_stop_that_names_it(study):
    links = study.as_dict()["links"] | {"back": {"up": "bridge", "down": "hask"}}
    finding = only(study_from(study.as_dict() | {"links": links}), "loop")
    assert finding.severity == "stop"
    assert "Hask" in finding.text


def test_an_element_that_leads_nowhere_is_a_doubt(study):
    finding = only(edits.add_element(study, Confluence(name="Lone")), "leads-nowhere")
    assert (finding.severity, finding.element) == ("doubt", "lone")


def test_a_second_link_down_is_a_stop(study):
    links = study.as_dict()["links"] | {"second": {"up": "hask", "down": "bridge"}}
    assert only(study_from(study.as_dict() | {"links": links}), "two-links-down").element == "hask"


def test_a_doubled_link_is_a_stop(study):
    links = study.as_dict()["links"] | {"twin": {"up": "beck", "down": "bridge"}}
    assert only(study_from(study.as_dict() | {"links": links}), "link-doubled").element == "beck"


@pytest.mark.parametrize("field", ["area", "lag", "surfaces/0/loss/curve_number"])
def test_a_missing_value_is_a_stop_at_its_field(study, field):
    finding = only(edits.type_values(study, [("hask", field, None)]), "missing-value")
    assert (finding.severity, finding.element, finding.field) == ("stop", "hask", field)


def terrain(**known):
    whole = {"grid": "0" * 32, "source": "t.tif", "crs": "EPSG:27700", "rows": 9, "columns": 9, "cell_width": 10.0,
             "cell_height": 10.0}  # fmt: skip
    return Terrain(**whole | known)


def with_terrain(study, **known):
    return study.model_copy(update={"terrain": terrain(**known)})


def test_a_catchment_cut_by_the_edge_is_a_doubt(study):
    cut = study.elements["hask"].model_copy(update={"cut_off": True})
    finding = only(study.model_copy(update={"elements": study.elements.with_entry("hask", cut)}), "cut-by-edge")
    assert (finding.severity, finding.element) == ("doubt", "hask")


def test_the_tarn_is_a_doubt_while_culvert_and_quarry_are_settled_by_features(demo_study):
    finding = only(demo_study, "depression-filled")
    assert (finding.severity, finding.element) == ("doubt", "sallow-tarn")
    assert re.search(r"ha, .* m deep, .* m³", finding.text)


def test_a_hole_in_the_terrain_is_a_doubt(study):
    void = FoundVoid(number=1, area=400.0, place=(5.0, 5.0), treatment="interpolate")
    assert "was interpolated" in only(with_terrain(study, voids=(void,)), "void-in-terrain").text


def test_a_scale_factor_over_one_per_cent_is_a_doubt(study):
    assert only(with_terrain(study, scale_factor=1.6), "scale-factor").severity == "doubt"
    assert found(with_terrain(study, scale_factor=1.009), "scale-factor") == []


def test_a_value_that_looks_like_a_fill_is_a_doubt_that_says_how_to_settle_it(study):
    fill = FoundFill(value=-9999.0, cells=12, at_edge=True)
    finding = only(with_terrain(study, fills=(fill,)), "undeclared-fill")
    assert finding.text == "12 cells beside the edge hold -9999, which the file does not declare as no data."
    assert "-9999 as no data" in finding.remedies[0].text


def test_a_slope_that_is_another_on_the_raw_terrain_is_a_doubt(study):
    def slopes(raw):
        hask = study.elements["hask"].model_copy(update={"slope_10_85": derived(0.05), "raw_slope": raw})
        return study.model_copy(update={"elements": study.elements.with_entry("hask", hask)})

    assert "5.000 % on the conditioned ground, 5.600 % on the raw terrain" in only(slopes(0.056), "slopes-apart").text
    assert found(slopes(0.054), "slopes-apart") == []


def test_outlets_on_one_cell_are_a_doubt_and_a_great_move_a_note(study):
    outlets = FrozenDict({
        "a": Outlet(name="A", asked=(0, 0), place=(5, 5), moved=40, area_before=1e3, area_after=9e6),
        "b": Outlet(name="B", asked=(9, 9), place=(5, 5), area_before=9e6, area_after=9e6),
    })  # fmt: skip
    study = study.model_copy(update={"outlets": outlets})
    assert only(study, "outlets-on-one-cell").severity == "doubt"
    assert "1000 m² to 9.000 km²" in only(study, "outlet-moved").text.replace("0.1000 ha", "1000 m²")


def test_a_typed_area_that_is_not_the_measured_one_is_a_doubt(study):
    hask = study.elements["hask"]
    measured = hask.model_copy(update={"area": hask.area.with_derived(2e6)})
    study = study.model_copy(update={"elements": study.elements.with_entry("hask", measured)})
    finding = only(study, "area-typed-against-measured")
    assert found(finding.remedies[1].edit(study), "area-typed-against-measured") == []


@pytest.mark.parametrize(("second", "told", "rest"), [(0.3, "to 90 %", "40.00 %"), (0.399, "to 99.9 %", "40.00 %")])
def test_surfaces_that_do_not_add_up_are_a_stop_until_one_takes_the_remainder(study, second, told, rest):
    two = tuple(
        Surface(name=name, share=share, loss=CurveNumber(curve_number=70))
        for name, share in (("a", 0.6), ("b", second))
    )
    short = edits.choose(study, "hask", "surfaces", two)
    finding = only(short, "composite-area")
    assert finding.severity == "stop"
    assert told in finding.text
    withheld = compute_cases(short).withheld
    assert withheld
    assert all(told in one.reason for one in withheld)
    remedy = next(one for one in finding.remedies if f"“b” take the remainder, {rest}" in one.text.replace("Let ", ""))
    mended = remedy.edit(short)
    assert found(mended, "composite-area") == []
    assert mended.elements["hask"].weights == pytest.approx((0.6, 0.4), abs=1e-15)


def test_surfaces_of_more_than_the_catchment_are_a_stop(study):
    two = Surface(name="a", share=0.8), Surface(name="b", share=0.4), Surface(name="c")
    assert "to 120 %" in only(edits.choose(study, "hask", "surfaces", two), "composite-area").text


def test_impervious_land_counted_twice_is_a_doubt(study):
    town = CoverReference(title="Residential 1000 m2 lots (38 % impervious)", group="B")
    surfaces = (
        Surface(name="Town", share=0.7, cover=town),
        Surface(name="Roofs", share=0.3, connected_impervious=True, loss=CurveNumber(curve_number=98)),
    )
    finding = only(edits.choose(study, "hask", "surfaces", surfaces), "impervious-twice")
    assert "38.00 % impervious land already" in finding.text


def test_lambda_changed_without_converting_is_a_doubt_whose_remedy_converts(study):
    changed = edits.choose(study, "hask", "surfaces", (soil(75.0, ratio=0.05),))
    finding = only(changed, "ratio-unconverted")
    settled = finding.remedies[0].edit(changed)
    assert found(settled, "ratio-unconverted") == []
    # S20 = 3.333 in, S05 = 1.33 x 3.333^1.15 = 5.311 in, CN = 1000 / 15.311
    assert settled.elements["hask"].surfaces[0].loss.curve_number.value == pytest.approx(65.31, abs=0.01)


@pytest.mark.parametrize(("lag", "severity"), [(600.0 / 0.24, "note"), (600.0 / 0.29, "doubt")])
def test_a_step_too_coarse_for_the_lag_is_said(study, lag, severity):
    quick = edits.type_values(study, [("hask", "lag", lag)])
    finding = only(quick, "step-against-lag")
    assert finding.severity == severity
    assert found(finding.remedies[0].edit(quick), "step-against-lag") == []


def test_a_quicker_response_than_the_step_held_is_a_doubt_with_one_remedy(study):
    quick = edits.type_values(study, [("hask", "lag", "10 min")])
    finding = only(quick, "step-wanted")
    assert finding.remedies[0].edit(quick).run.step.value == 120.0


def test_a_unit_hydrograph_scaled_by_more_than_one_per_cent_is_a_doubt(study):
    assert found(study, "unit-hydrograph-scaled") == []
    # a typed duration far above the curve's own is read at too few places
    coarse = edits.set_step(edits.type_values(study, [("hask", "lag", "15 min")]), 3600.0)
    coarse = edits.type_values(coarse, [("hask", "transform/duration", "1 h")])
    assert only(coarse, "unit-hydrograph-scaled").severity == "doubt"


def test_a_unit_hydrograph_of_too_long_a_duration_is_a_doubt_that_its_remedy_names(study):
    long = edits.type_values(study, [("hask", "transform/duration", "40 min")])
    finding = only(long, "unit-hydrograph-duration")
    assert (finding.severity, finding.field) == ("doubt", "transform/duration")
    assert found(edits.type_values(long, [("hask", "transform/duration", None)]), "unit-hydrograph-duration") == []


def test_a_negative_muskingum_coefficient_is_a_note_with_remedies(study):
    long = edits.type_values(study, [("beck", "method/travel_time", "3 h")])
    finding = only(long, "muskingum-bounds")
    assert finding.severity == "note"
    assert any("parts" in r.text for r in finding.remedies)


@pytest.mark.parametrize(
    ("field", "value", "factor"),
    [("lag", 3000.0 * 1000, "1000"), ("area", 12e9, "10"), ("lag", 40.0, "10"), ("concentration", 6e6, "60")],
)
def test_a_slip_by_ten_sixty_or_a_thousand_is_a_doubt(study, field, value, factor):
    findings = [
        f for f in found(edits.type_values(study, [("hask", field, value)]), "unusual-value") if f.field == field
    ]
    assert re.search(rf"\b{factor}\b.* times", findings[0].text)


def test_a_slope_below_the_floor_is_a_doubt(study):
    flat = Catchment(name="Flat", area=1e6, flow_length=900.0, path_slope={"derived": 0.0}, timing=Kirpich(),
                     surfaces=(soil(),))  # fmt: skip
    study = edits.connect(edits.add_element(study, flat), "flat", "bridge")
    finding = only(study, "slope-raised")
    assert (finding.element, finding.field) == ("flat", "path_slope")
    assert "takes 0.01000 %" in finding.text
    assert found(edits.type_values(study, [("flat", "path_slope", 0.00002)]), "slope-raised") == []


@pytest.mark.parametrize(("lag", "doubted"), [("25 h", True), ("25 min", False), ("50 s", True), ("1.4 h", False)])
def test_a_lag_far_from_every_equation_for_its_area_is_a_doubt(study, lag, doubted):
    findings = found(edits.type_values(study, [("hask", "lag", lag)]), "lag-far-from-equations")
    assert [f.field for f in findings] == ["lag"] * doubted


def test_two_typed_times_are_a_note(study):
    assert (
        only(edits.type_values(study, [("hask", "concentration", "2 h")]), "lag-and-concentration-typed").severity
        == "note"
    )


def test_falling_depths_are_a_doubt_each(study):
    table = DepthTable(durations=(300.0, HOUR), return_periods=(2.0, 100.0), depths=((5.0, 4.0), (4.0, 43.0)))
    assert len(found(edits.set_table(study, "t", table), "depths-fall")) == 2


def family(study, **known):
    return edits.set_family(study, "f", study.families["f"].model_copy(update=known))


def test_a_storm_outside_its_table_is_a_stop_or_a_doubt_where_allowed(study):
    beyond = family(study, return_periods=(2.0, 500.0), durations=(HOUR, 96 * HOUR))
    assert only(beyond, "outside-table").severity == "stop"
    assert "1 in 500, 96 h are not in the table" in only(beyond, "outside-table").text
    allowed = only(beyond, "outside-table").remedies[1].edit(beyond)
    assert only(allowed, "outside-table").severity == "doubt"
    assert only(family(study, durations=(60.0, HOUR)), "below-shortest-duration").severity == "note"


def test_a_storm_longer_than_the_run_is_a_stop(study):
    short = edits.set_run(study, RunSettings(step={"typed": {"value": 600.0}}, length={"typed": {"value": 2 * HOUR}}))
    assert only(short, "storm-longer-than-run").severity == "stop"


def test_a_given_storm_longer_than_the_run_or_without_its_rain_is_a_stop(study):
    long = TypedStorm(name="Long", step=HOUR, depths=(1.0,) * 8)
    short = RunSettings(step={"typed": {"value": 600.0}}, length={"typed": {"value": 2 * HOUR}})
    alone = study.model_copy(update={"families": FrozenDict()})
    told = only(edits.set_run(edits.set_storm(alone, "long", long), short), "storm-longer-than-run")
    assert (told.severity, told.field) == ("stop", "storms/long")
    gap = RecordedStorm(name="Gap", step=HOUR, origin="2031-05-12T06:00:00Z", rain={"hask": (1.0, None)})
    missing = only(edits.set_storm(study, "gap", gap), "rain-missing")
    assert (missing.severity, missing.element, missing.field) == ("stop", "hask", "storms/gap")
    assert "missing in 1 of 2 steps, first at 12 May 2031 07:00" in missing.text


def test_a_storm_shorter_than_the_time_of_concentration_is_a_doubt(study):
    assert only(family(study, durations=(HOUR,)), "storm-shorter-than-concentration").element == "hask"


def test_a_24_hour_pattern_on_another_duration_or_at_a_fine_step_is_a_doubt(study):
    odd = family(study, pattern=TwentyFourHour(type="I"), length=typed(6 * HOUR))
    assert "on 6 h" in only(odd, "pattern-on-other-duration").text
    assert only(odd, "pattern-coarse").severity == "doubt"


def test_a_24_hour_pattern_too_coarse_for_a_points_own_step_is_a_doubt(study):
    slow = edits.set_step(family(study, pattern=TwentyFourHour(type="I")), 900.0)
    assert found(slow, "pattern-coarse") == []
    own = edits.set_design_point(slow, "bridge", DesignPoint(step=300.0))
    assert "a step of 5 min" in only(own, "pattern-coarse").text


def test_storms_that_do_not_fit_the_step_are_said(study):
    assert (
        "25 min is not a whole number of steps of 10 min"
        in only(family(study, durations=(1500.0, HOUR, 6 * HOUR)), "storm-off-step").text
    )


def test_a_table_that_rains_harder_in_a_later_interval_is_a_doubt(study):
    odd = DepthTable(durations=(HOUR, 2 * HOUR, 24 * HOUR), return_periods=(2.0, 100.0),
                     depths=((10.0, 30.0), (22.0, 50.0), (60.0, 140.0)))  # fmt: skip
    assert "12 mm/h between 1 h and 2 h" in only(edits.set_table(study, "t", odd), "intensity-rises").text
    nested = family(edits.set_table(study, "t", odd), pattern=AlternatingBlock(), return_periods=(2.0,))
    assert "beside the peak holds" in only(nested, "window-over-table").text


def test_a_table_of_an_unstated_series_is_a_note_that_says_how_it_was_read(study):
    table = study.tables["t"].model_copy(update={"series": "unstated"})
    assert "annual maxima" in only(edits.set_table(study, "t", table), "series-unstated").text


def test_a_peak_that_is_lost_to_the_parts_of_a_kinematic_wave_is_noted(study):
    coarse = KinematicWave(channel_length=9000.0, bed_slope=0.01, parts=2)
    (note,) = results_of(edits.choose(study, "beck", "method", coarse), "peak-lost-to-parts")
    assert note.element == "beck"
    assert "%" in note.text
    short = KinematicWave(channel_length=50.0, bed_slope=0.01, parts=20)
    assert not results_of(edits.choose(study, "beck", "method", short), "peak-lost-to-parts")


def test_remedies_against_negative_flow_are_looked_for_no_longer_than_two_seconds(study, monkeypatch):
    dipping = edits.choose(study, "beck", "method", Muskingum(travel_time=10 * HOUR, weight=0.49, parts=1))
    results = compute_cases(edits.set_step(dipping, 60.0))
    began = time.monotonic()
    (finding,) = [f for f in check_results(results) if f.code == "negative-flow"]
    assert time.monotonic() - began < 3.0
    assert all(int(n) <= 60 for n in re.findall(r"(\d+) parts with", " ".join(r.text for r in finding.remedies)))
    assert "X = 1e" not in " ".join(r.text for r in finding.remedies)


def test_that_no_remedy_was_found_or_not_all_was_tried_is_said(study, monkeypatch):
    dipping = edits.choose(study, "beck", "method", Muskingum(travel_time=10 * HOUR, weight=0.45, parts=1))
    monkeypatch.setattr("tarnwater.study.checks.results.LONGEST_SEARCH", -1.0)
    (finding,) = results_of(dipping, "negative-flow")
    assert "Not all settings were tried" in finding.remedies[-1].text
    monkeypatch.setattr("tarnwater.study.checks.results.LONGEST_SEARCH", 2.0)
    monkeypatch.setattr(Muskingum, "calmer", lambda *_: iter(()))
    (finding,) = results_of(edits.set_step(dipping, 300.0), "negative-flow")
    assert "none was found" in finding.remedies[0].text


def test_looking_for_remedies_can_be_stopped(study):
    dipping = edits.choose(study, "beck", "method", Muskingum(travel_time=10 * HOUR, weight=0.48, parts=1))
    results, progress = compute_cases(dipping), Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        check_results(results, progress)


def test_a_short_reach_of_one_part_is_computed_and_checked_at_once():
    made = edits.add_element(Study(), Catchment(name="A", area=5e6, lag=HOUR, surfaces=(soil(80),)))
    made = edits.add_element(made, Reach(name="R", method=Muskingum(travel_time=60.0, parts=1)))
    made = edits.add_element(made, Outfall(name="End"))
    made = edits.connect(edits.connect(made, "a", "r"), "r", "end")
    table = DepthTable(durations=(900.0, HOUR, 6 * HOUR), return_periods=(100.0,), depths=((24.0,), (43.0,), (88.0,)))
    made = edits.set_rain_table(made, "t", table, "rain")
    made = edits.change_family(made, "n", StormFamily(name="N", table="t", return_periods=(100.0,), durations=(),
                                                      pattern=AlternatingBlock()), "nested")  # fmt: skip
    began = time.monotonic()
    results = compute_cases(made)
    assert [f.code for f in check_results(results) if f.code == "negative-flow"] == []
    assert time.monotonic() - began < 2.0
    assert min(r.lowest("r") for r in results.cases) >= 0.0


def results_of(study, code):
    return [f for f in check_results(compute_cases(study)) if f.code == code]


def test_a_tail_that_has_not_receded_is_a_doubt(study):
    cut = edits.set_run(study, RunSettings(step={"typed": {"value": 600.0}}, length={"typed": {"value": 7 * HOUR}}))
    assert results_of(cut, "tail-not-receded")
    assert results_of(study, "tail-not-receded") == []


def test_negative_flow_is_a_doubt_at_its_reach(study):
    reach = Muskingum(travel_time=10 * HOUR, weight=0.45, parts=1)
    dipping = edits.choose(study, "beck", "method", reach)
    (finding,) = results_of(dipping, "negative-flow")
    assert finding.element == "beck"
    assert results_of(study, "negative-flow") == []


def test_negative_flow_is_answered_with_remedies_and_the_peak_of_each(study):
    reach = Muskingum(travel_time=3 * HOUR, weight=0.45, parts=1)
    dipping = edits.choose(study, "beck", "method", reach)
    (finding,) = results_of(dipping, "negative-flow")
    keeping, less, more = finding.remedies
    assert "keep the attenuation: peak" in keeping.text
    assert "attenuate less" in less.text
    assert "attenuate more" in more.text

    def peak(study):
        return compute_cases(study).answer("existing", "bridge", 2.0).figures.peak.ordinate

    for remedy in (keeping, less, more):
        assert results_of(remedy.edit(dipping), "negative-flow") == []
    peaks = [peak(remedy.edit(dipping)) for remedy in (less, keeping, more)]
    assert peaks == sorted(peaks, reverse=True)


def test_the_peak_at_half_the_step_stands_beside_a_quick_one(study):
    quick = edits.type_values(study, [("hask", "lag", 600.0 / 0.25)])
    (finding,) = results_of(quick, "peak-at-half-step")
    halved = compute_cases(edits.set_step(quick, 300.0)).answer("existing", "bridge", 100.0).result
    now = compute_cases(quick).answer("existing", "bridge", 100.0).result
    told = [float(n) for n in re.findall(r"([\d.]+) m³/s", finding.text)]
    assert told == pytest.approx([now.flow("hask").max(), halved.flow("hask").max()], rel=1e-3)
    assert results_of(study, "peak-at-half-step") == []


def test_a_governing_duration_at_the_end_of_the_range_is_a_doubt(study):
    short = family(study, durations=(HOUR, 2 * HOUR))
    (finding,) = results_of(short, "governing-at-end")
    assert finding.severity == "doubt"
    assert finding.text.startswith("1 in 2, 100: the governing duration 2 h")
    assert results_of(family(short, prescribed=True, source="a rule"), "governing-at-end") == []


def test_a_nested_storm_that_grows_with_its_length_is_a_doubt(study):
    nested = family(study, pattern=AlternatingBlock(), length=typed(2 * HOUR))
    (finding,) = [f for f in results_of(nested, "grows-with-length") if "1 in 100" in f.text]
    assert "nested storm of 4 h" in finding.text
    assert results_of(family(nested, prescribed=True), "grows-with-length") == []


def test_a_lag_by_the_least_time_of_concentration_is_a_note(study):
    def notes(known):
        return [f.text for f in check(known) if f.code == "least-concentration"]

    typed_time = assign(study, "hask", {"concentration": "12 min", "least_concentration": "20 min"})
    typed_time = edits.type_values(typed_time, [("hask", "lag", None)])
    (text,) = notes(typed_time)
    assert "12 min is less than the least, 20 min, which governs" in text
    assert typed_time.elements["hask"].lag.value == 720.0
    (case, *_) = compute_cases(typed_time).cases
    node = explain(typed_time, case, "hask", "lag")
    assert node.evaluate(*(one.value for one in node.inputs)) == node.value
    assert not notes(assign(typed_time, "hask", {"least_concentration": "6 min"}))


def test_a_long_dry_spell_on_losses_that_do_not_recover_is_a_doubt(study):
    def doubts(known):
        return [f.text for f in check(known) if f.code == "no-recovery"]

    broken = edits.set_storm(study, "two", TypedStorm(name="Two", step=HOUR, depths=(9.0, *[0.0] * 24, 12.0)))
    (text,) = doubts(broken)
    assert "dry for 24 h; the losses" in text
    assert "Hask" in text
    short = edits.set_storm(study, "two", TypedStorm(name="Two", step=HOUR, depths=(9.0, *[0.0] * 23, 12.0)))
    assert not doubts(short)
    mended = broken
    for key in broken.catchments:
        mended = assign(mended, key, {"loss.recovery": "1 mm/h"})
    assert not doubts(mended)


def test_an_area_beyond_the_typed_curve_of_areal_reduction_is_a_doubt(study):
    large = edits.type_values(edits.type_values(study, [("hask", "area", "40 km2")]), [("hask", "lag", "3 h")])
    short = ArealCurve(areas=(1e6, 20e6), factors=((0.98,), (0.9,)))
    reduced = family(large, areal=ArealReduction(method="typed curve", curve=short))
    finding = next(f for f in results_of(reduced, "areal-beyond-curve") if "40.00 km²" in f.text)
    assert "keeps its last share" in finding.text
    assert results_of(reduced, "no-areal-reduction") == []
    enough = ArealCurve(areas=(1e6, 2000e6), factors=((0.98,), (0.9,)))
    held = family(large, areal=ArealReduction(method="typed curve", curve=enough))
    assert results_of(held, "areal-beyond-curve") == []


def test_a_large_area_without_areal_reduction_is_a_doubt_with_both_depths(study):
    assert results_of(study, "no-areal-reduction") == []
    large = edits.type_values(edits.type_values(study, [("hask", "area", "40 km2")]), [("hask", "lag", "3 h")])
    (finding, *_) = results_of(large, "no-areal-reduction")
    assert re.search(
        r"[\d.]+ mm at a point is taken over 40.00 km²; reduced for that area it is [\d.]+ mm", finding.text
    )
    assert results_of(finding.remedies[0].edit(large), "no-areal-reduction") == []


def test_a_peak_that_the_step_misses_is_a_note(study):
    coarse = edits.set_step(edits.type_values(study, [("hask", "lag", "30 min")]), 3600.0)
    assert any("the step is coarse" in f.text for f in results_of(coarse, "peak-coarse"))
    assert results_of(study, "peak-coarse") == []


def test_a_limit_of_which_too_little_is_known_is_a_doubt(study):
    limited = edits.set_design_point(study, "bridge", DesignPoint(limits=(Limit(return_period=100.0, flow=90.0),)))
    some = family(limited, durations=(HOUR, 2 * HOUR, 96 * HOUR))
    assert "unknown, 2 of 3 durations" in results_of(some, "limit-unknown")[0].text
    assert results_of(limited, "limit-unknown") == []


def test_findings_speak_the_units_of_the_study_and_one_unit_at_a_time(study):
    limited = edits.set_design_point(study, "bridge", DesignPoint(limits=(Limit(return_period=100.0, flow=0.01),)))
    (finding,) = results_of(limited, "limit-exceeded")
    assert "L/s" not in finding.text
    (us,) = results_of(edits.set_study(limited, "units", "US"), "limit-exceeded")
    assert "cfs" in us.text
    assert "m³/s" not in us.text


def test_an_exceeded_limit_is_a_doubt(study):
    limited = edits.set_design_point(study, "bridge", DesignPoint(limits=(Limit(return_period=100.0, flow=1.0),)))
    assert "where 1.000 m³/s are allowed" in results_of(limited, "limit-exceeded")[0].text


def test_a_broken_balance_is_a_doubt(study, monkeypatch):
    honest = Muskingum.coefficients

    def off(self, step):
        c = honest(self, step)
        return type(c)(c.c1, c.c2 * 1.01, c.c3, c.substeps)

    monkeypatch.setattr(Muskingum, "coefficients", off)
    assert results_of(study, "balance")


def test_what_holds_in_one_condition_only_says_so(study):
    study = edits.add_condition(study, "Built")
    study = edits.change_link(study, "Built", "hask-to-beck", Link(up="hask", down="gone"))
    finding = only(study, "dangling-link")
    assert finding.condition == "built"
    assert "(Built)" in finding.told(study)


def test_a_setting_that_a_condition_cannot_apply_is_a_stop_of_that_condition_only(study):
    document = edits.add_condition(study, "Built").as_dict()
    document["conditions"]["built"]["settings"] = {"hask/surfaces/4/share": {"value": 0.5}, "hask/name": {"value": "X"}}
    odd = study_from(document)
    assert [(f.severity, f.condition) for f in found(odd, "setting-unmet")] == [("stop", "built")] * 2
    results = compute_cases(odd)
    assert {r.case.condition for r in results.cases} == {"existing"}
    assert {w.case.condition for w in results.withheld} == {"built"}


def test_a_setting_of_an_element_that_is_not_there_is_a_doubt(study):
    document = edits.add_condition(study, "Built").as_dict()
    document["conditions"]["built"]["settings"] = {"gone/lag": {"value": 5.0}}
    assert only(study_from(document), "setting-unused").severity == "doubt"


def test_every_code_has_a_test():
    package = Path(check.__code__.co_filename).parent
    codes = set(re.findall(r'"([a-z]+(?:-[a-z]+)+)"', " ".join(p.read_text() for p in package.glob("*.py"))))
    codes = (codes | {"loop", "balance"}) - {"leclerc-schaake"}
    here = Path(__file__)
    files = (
        here,
        *map(
            here.with_name,
            (
                "test_file.py",
                "test_safety.py",
                "test_conditioning.py",
                "test_land.py",
                "test_outlines.py",
                "test_ponds.py",
                "test_pond_checks.py",
                "test_works_trials.py",
                "test_channel_lines.py",
                "test_channel_table.py",
                "test_fitted_loss.py",
                "test_rational_study.py",
                "test_recorded_inflows.py",
                "test_records.py",
            ),
        ),
    )
    tested = set(re.findall(r'"([a-z-]+)"', " ".join(file.read_text() for file in files)))
    assert codes <= tested
