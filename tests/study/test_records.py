"""Records in the study: mended, fitted, made into tables and storms, undone, kept in both forms of file."""

import math
from datetime import UTC, datetime

import numpy as np
import pytest
import shapely
from pydantic import ValidationError

from tarnwater.brief.records import year_rows
from tarnwater.errors import EditRefused, StudyFileError, TableError, UnknownName
from tarnwater.network.elements import Catchment, Outfall
from tarnwater.rain.areas.frames import Frames
from tarnwater.rain.depth_fit import DepthFit
from tarnwater.rain.frequency.distributions import GeneralisedExtremeValue, Gumbel, LogPearsonThree
from tarnwater.rain.readings import Reading
from tarnwater.rain.records.events import EventRule, events_of
from tarnwater.rain.records.maxima import YearRule
from tarnwater.rain.records.mending import Neighbour
from tarnwater.rain.records.peaks import PeaksRule
from tarnwater.rain.records.raw import RawSeries
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.rain import CatchmentRain, MaximaRule
from tarnwater.study.edits.history import History
from tarnwater.study.edits.records import (
    add_gauges,
    add_grid,
    cut_storm,
    fault_at,
    mend_fault,
    place_gauge,
    remove_gauge,
    remove_grid,
    reread_gauge,
    set_catchment_rain,
    set_event_rule,
    set_grid_factor,
    set_maxima,
    set_neighbours,
    table_from_maxima,
    unmend_fault,
    use_years,
)
from tarnwater.study.file.store import create_study, read_study
from tarnwater.study.rain.catchments import gauge_shares, rain_between
from tarnwater.study.rain.records import (
    faults_in,
    frequency_of,
    incomplete_years,
    maxima_of,
    mended_of,
    peaks_of,
    record_of,
)

HOUR = 3600
BEGIN = int(datetime(2001, 1, 1, tzinfo=UTC).timestamp())
YEARS = 12


def rain(seed, years=YEARS):
    """Hourly rain of some years: showers, and a storm each winter."""
    rng = np.random.default_rng(seed)
    count = 8766 * years
    values = np.where(rng.random(count) < 0.1, rng.gamma(0.6, 1.2, count), 0.0)
    for year in range(years):
        at = 8766 * year + 7000 + int(rng.integers(0, 800))
        values[at : at + 6] += rng.gumbel(9, 3) * np.array([0.4, 1.0, 1.6, 1.2, 0.7, 0.3])
    return np.round(np.maximum(values, 0), 1)


def hourly(values):
    return RawSeries(BEGIN + HOUR * np.arange(1, len(values) + 1), np.array(values, float))


RIDGE, FORD = rain(1), rain(2)
RIDGE[5000:5010] = np.nan


def with_land(blobs):
    """Two catchments beside each other on the map, above one outfall."""
    study = Study(title="Records", crs="EPSG:32630")
    for n, name in enumerate(("West", "East")):
        outline = blobs.add("geometry", shapely.to_wkb(shapely.box(1000 * n, 0, 1000 * n + 1000, 1000)))
        land = Catchment(
            name=name,
            area=1e6,
            lag=1800.0,
            outline=outline,
            surfaces=({"name": "all", "share": 1.0, "loss": {"method": "none"}},),
        )
        study = edits.add_element(study, land.refreshed())
    study = edits.add_element(study, Outfall(name="Ford"))
    return edits.connect(edits.connect(study, "west", "ford"), "east", "ford")


@pytest.fixture
def blobs():
    return Blobs()


@pytest.fixture
def study(blobs):
    return add_gauges(
        with_land(blobs), blobs, {"Ridge": hourly(RIDGE), "Fell": hourly(FORD)}, "two gauges", source="gauges.csv",
        places={"Ridge": (0.0, 500.0), "Fell": (1600.0, 500.0)},
    )  # fmt: skip


def test_a_record_is_kept_as_it_was_read_and_mended_beside(study, blobs):
    assert study.gauges["ridge"].rows == len(RIDGE)
    (gap,) = faults_in(study, blobs, "ridge")
    mended = mend_fault(study, blobs, "ridge", gap, "zero", by="E. Marsh", note="a dry week")
    assert record_of(mended, blobs, "ridge").covered == record_of(study, blobs, "ridge").covered + 10 * HOUR
    assert mended.gauges["ridge"].mends[0].note == "a dry week"
    assert mended.gauges["ridge"].series == study.gauges["ridge"].series
    back = unmend_fault(mended, blobs, "ridge", gap)
    assert back == study


def test_neighbours_fill_a_gap_and_their_own_fillings_do_not(study, blobs):
    (gap,) = faults_in(study, blobs, "ridge")
    with pytest.raises(EditRefused, match="no neighbour"):
        mend_fault(study, blobs, "ridge", gap, "neighbours")
    helped = set_neighbours(study, blobs, "ridge", {"fell": Neighbour(weight=1, factor=1.25)})
    helped = set_neighbours(helped, blobs, "fell", {"ridge": Neighbour(weight=1)})
    helped = mend_fault(helped, blobs, "ridge", gap, "neighbours")
    assert record_of(helped, blobs, "ridge").values[5000:5010] == pytest.approx(1.25 * FORD[5000:5010])
    with pytest.raises(EditRefused, match="made from it"):
        remove_gauge(helped, blobs, "fell")
    with pytest.raises(UnknownName):
        set_neighbours(study, blobs, "ridge", {"ridge": Neighbour(weight=1)})


def test_a_remedy_for_all_of_a_kind_replaces_those_of_single_ones(study, blobs):
    (gap,) = faults_in(study, blobs, "ridge")
    one = mend_fault(study, blobs, "ridge", gap, "missing")
    both = mend_fault(one, blobs, "ridge", "gap", "zero")
    assert len(both.gauges["ridge"].mends) == 1
    assert record_of(both, blobs, "ridge").missing.sum() == 0
    with pytest.raises(EditRefused, match="no such fault"):
        mend_fault(study, blobs, "fell", "gap", "zero")
    assert fault_at(study, blobs, "ridge", "gap", gap.begin) == gap


def test_maxima_follow_the_rule_and_years_left_out_by_hand(study, blobs):
    rule = MaximaRule(durations=(HOUR, 6 * HOUR), left_out=(2003,))
    changed = set_maxima(study, blobs, "ridge", rule, "leave 2003 out")
    found = maxima_of(changed, blobs, "ridge")
    assert found.durations == (HOUR, 6 * HOUR)
    assert "2003" in found.left_out
    assert len(found.sample(HOUR)) == int(found.complete[found.complete >= 0.9].size) - 1
    assert maxima_of(changed, blobs, "ridge") is found


def test_an_incomplete_year_is_a_fault_that_is_settled_by_its_data_or_by_a_person(study, blobs):
    strict = MaximaRule(durations=(HOUR,), years=YearRule(least_complete=1.0))
    before = set_maxima(study, blobs, "ridge", strict, "be strict")
    first, *others = incomplete_years(before, blobs, "ridge")
    assert first.begin >= record_of(before, blobs, "ridge").first
    assert first.complete < 1
    assert (first.used, first.chosen) == (False, False)
    sizes = len(maxima_of(before, blobs, "ridge").sample(HOUR))
    (row,) = year_rows([first])
    assert row.done == "left out of maxima by its data"
    taken = use_years(before, blobs, "ridge", [first.year], True, "use it")
    assert taken.gauges["ridge"].maxima.taken_in == (first.year,)
    assert len(maxima_of(taken, blobs, "ridge").sample(HOUR)) == sizes + 1
    (row,) = year_rows(incomplete_years(taken, blobs, "ridge")[:1])
    assert row.done == "used for maxima"
    left = use_years(taken, blobs, "ridge", [first.year], False, "leave it out")
    assert (left.gauges["ridge"].maxima.left_out, left.gauges["ridge"].maxima.taken_in) == ((first.year,), ())
    assert incomplete_years(left, blobs, "ridge")[0].chosen
    assert use_years(left, blobs, "ridge", [first.year], None, "leave it to the data") == before
    # a complete year needs no choice to be used
    full = next(y for y in range(2001, 2013) if y not in {one.year for one in (first, *others)})
    out = use_years(before, blobs, "ridge", [full], False, "leave it out")
    assert use_years(out, blobs, "ridge", [full], True, "take it in") == before
    with pytest.raises(UnknownName, match="1815"):
        use_years(before, blobs, "ridge", [1815], True, "use it")
    with pytest.raises(ValidationError, match="left out or taken in, not both"):
        MaximaRule(left_out=(2003,), taken_in=(2003,))


def test_a_table_of_the_maxima_carries_its_limits_and_its_source(study, blobs):
    made = table_from_maxima(study, blobs, "fell")
    table = made.tables["fell"]
    frequency = frequency_of(study, blobs, "fell")
    assert np.array(table.depths) == pytest.approx(frequency.depths.depths)
    assert (np.array(table.low) < np.array(table.depths)).all()
    assert (np.array(table.depths) < np.array(table.high)).all()
    assert table.source.startswith("Fell, ")
    assert "generalised extreme value by L-moments" in table.source
    assert table.series == "annual maxima"
    # the first table makes a family of storms, as a typed one does
    assert made.families


@pytest.mark.parametrize("together", ["one growth curve", "nearest rising depths"])
@pytest.mark.parametrize("distribution", [GeneralisedExtremeValue(), LogPearsonThree()], ids=lambda d: d.method)
def test_a_depth_works_out_from_the_mean_of_its_maxima_and_its_growth(study, blobs, together, distribution):
    rule = MaximaRule(durations=(HOUR, 3 * HOUR, 12 * HOUR), together=together, distribution=distribution)
    made = table_from_maxima(set_maxima(study, blobs, "fell", rule, "fit"), blobs, "fell")
    table = made.tables["fell"]
    sample = maxima_of(made, blobs, "fell").sample(3 * HOUR)
    for period, depth in zip(table.return_periods, table.depths[1], strict=True):
        reading = table.reading(3 * HOUR, period)
        mean, growth = reading.terms[:2]
        assert mean.value == pytest.approx(sample.mean())
        assert f"mean of {len(sample)} annual maxima of Fell, 3 h" in mean.title
        assert reading.evaluate(*(t.value for t in reading.terms)) == pytest.approx(depth, rel=1e-12)
        inner = growth.reading
        assert inner.evaluate(*(t.value for t in inner.terms)) == pytest.approx(growth.value, rel=1e-12)
        assert [t.symbol for t in inner.terms] == ["T", *distribution.symbols]
    # between two entries each of them works out in its turn
    between = table.reading(2 * HOUR, 10.0)
    assert [t.reading.equation for t in between.terms] == ["P0 = m x", "P0 = m x"]


@pytest.mark.parametrize("together", ["one growth curve", "nearest rising depths"])
def test_a_depth_of_peaks_works_out_from_their_threshold_and_their_excess(study, blobs, together):
    rule = MaximaRule(
        sampled="peaks over threshold",
        peaks=PeaksRule(rate=4),
        durations=(HOUR, 3 * HOUR, 12 * HOUR),
        together=together,
    )
    made = table_from_maxima(set_maxima(study, blobs, "fell", rule, "fit"), blobs, "fell")
    table = made.tables["fell"]
    found = frequency_of(made, blobs, "fell")
    peaks = peaks_of(made, blobs, "fell")
    assert found.maxima is peaks
    assert np.array(table.depths) == pytest.approx(found.depths.depths)
    assert table.series == "annual maxima"
    assert table.years == round(peaks.exposure)
    assert "peaks over threshold a year, generalised Pareto by L-moments" in table.source
    excess = peaks.sample(3 * HOUR) - peaks.threshold(3 * HOUR)
    for period, depth in zip(table.return_periods, table.depths[1], strict=True):
        reading = table.reading(3 * HOUR, period)
        assert reading.equation == "P0 = m x + u"
        mean, growth, threshold = reading.terms
        assert mean.value == pytest.approx(excess.mean())
        assert f"excess of {len(excess)} peaks of Fell, 3 h" in mean.title
        assert threshold.value == peaks.threshold(3 * HOUR)
        assert reading.evaluate(*(t.value for t in reading.terms)) == pytest.approx(depth, rel=1e-12)
        inner = growth.reading
        assert [t.symbol for t in inner.terms] == ["T", "λ", "ξ", "α", "k"]
        assert inner.evaluate(*(t.value for t in inner.terms)) == pytest.approx(growth.value, rel=1e-12)


def test_a_depth_that_was_typed_over_is_not_that_of_the_fit(study, blobs):
    table = table_from_maxima(study, blobs, "fell").tables["fell"]
    rows = [list(row) for row in table.depths]
    rows[1][2] *= 1.01
    typed = table.model_copy(update={"depths": tuple(tuple(row) for row in rows)})
    assert typed.reading(typed.durations[1], typed.return_periods[2]) == Reading()
    assert typed.reading(typed.durations[1], typed.return_periods[3]).equation == "P0 = m x"


def test_what_makes_depths_rise_is_an_input_of_them():
    fit = DepthFit(
        gauge="Fell", distribution=Gumbel(), way="L-moments", means=(10.0, 9.0), sizes=(30, 30), growth=((0.8, 0.3),),
        shifts=((0.0,), (2.0,)),
    )  # fmt: skip
    grown = 0.8 - 0.3 * math.log(-math.log(0.9))
    read = fit.reading(1, 0, 2 * HOUR, 10.0, 9 * grown + 2)
    assert read.equation == "P0 = m x + s"
    assert read.evaluate(*(t.value for t in read.terms)) == pytest.approx(9 * grown + 2)
    with pytest.raises(TableError, match="not whole"):
        DepthFit(gauge="Fell", distribution=Gumbel(), way="L-moments", means=(1.0,), sizes=(3,), growth=((0.8,),))


def test_faults_without_a_choice_are_a_doubt_where_storms_or_depths_are_made_of_them(study, blobs):
    def doubts(known):
        return [f.text for f in check(known) if f.code == "open-faults"]

    assert study.gauges["ridge"].open_faults > 0
    assert not doubts(study)
    begin = BEGIN + 100 * HOUR
    cut = cut_storm(study, blobs, "One", begin, begin + 5 * HOUR, HOUR)
    assert any(text.startswith("Ridge: ") and "storms are made of it" in text for text in doubts(cut))
    table = table_from_maxima(cut, blobs, "ridge")
    assert any("storms and depths are made of it" in text for text in doubts(table))
    mended = table
    for kind in {fault.kind for fault in faults_in(table, blobs, "ridge")}:
        remedy = next(f for f in faults_in(table, blobs, "ridge") if f.kind == kind).remedies()[0]
        mended = mend_fault(mended, blobs, "ridge", kind, remedy)
    assert mended.gauges["ridge"].open_faults == 0
    assert not any(text.startswith("Ridge: ") for text in doubts(mended))
    again = unmend_fault(mended, blobs, "ridge", kind)
    assert again.gauges["ridge"].open_faults > 0


def test_storms_beyond_three_times_the_record_are_a_doubt(study, blobs):
    made = table_from_maxima(study, blobs, "fell")
    (key,) = made.families
    years = made.tables["fell"].years_of_record
    (doubt,) = [f for f in check(made) if f.code == "beyond-record"]
    assert f"are beyond three times the {years} years of the record" in doubt.text
    common = made.families[key].model_copy(update={"return_periods": (2.0, 10.0, 30.0)})
    assert not [f for f in check(changed(made, families={key: common})) if f.code == "beyond-record"]


def test_shares_are_by_place_and_typed_ones_stand(study, blobs):
    shares = gauge_shares(study, blobs)
    # the middle between the gauges is at 800 m: 80 % of West is nearer to the Ridge
    assert shares.shares[0] == pytest.approx([0.8, 0.2])
    assert shares.shares[1] == pytest.approx([0.0, 1.0])
    rule = CatchmentRain(way="inverse distance", typed={"west": {"ridge": 3.0, "fell": 1.0}})
    typed = gauge_shares(set_catchment_rain(study, blobs, rule, "weigh"), blobs)
    assert typed.shares[0].tolist() == [0.75, 0.25]
    assert typed.typed == {"west"}
    # East's middle is 1,500 m from one and 100 m from the other gauge
    assert typed.shares[1] == pytest.approx([1 / 226, 225 / 226])


def test_a_gauge_without_a_place_takes_no_part_unless_it_is_chosen(study, blobs):
    off = place_gauge(study, blobs, "ridge", None)
    assert gauge_shares(off, blobs).gauges == ("fell",)
    chosen = set_catchment_rain(off, blobs, CatchmentRain(gauges=("ridge", "fell")), "choose")
    assert "has no place" in gauge_shares(chosen, blobs).lacking["west"]


def event(study, blobs):
    return max(events_of(record_of(study, blobs, "fell"), EventRule(dry=12 * HOUR)), key=lambda e: e.depth)


def test_an_event_becomes_a_storm_with_each_catchment_s_own_rain(study, blobs):
    chosen = event(study, blobs)
    made = cut_storm(study, blobs, "Great storm", chosen.begin, chosen.end, HOUR)
    storm = made.storms["great-storm"]
    first = (chosen.begin - BEGIN) // HOUR
    steps = (chosen.end - chosen.begin) // HOUR
    expected = 0.8 * RIDGE[first : first + steps] + 0.2 * FORD[first : first + steps]
    assert storm.depths_on("west") == pytest.approx(expected)
    assert sum(storm.depths_on("east")) == pytest.approx(chosen.depth)
    assert storm.origin == datetime.fromtimestamp(chosen.begin, UTC)
    result = compute_cases(made).governing("existing", "ford", "great-storm")
    assert result.rain_depth("east") == pytest.approx(chosen.depth)


def test_storms_cut_from_records_follow_them(study, blobs):
    begin = BEGIN + 4995 * HOUR
    made = cut_storm(study, blobs, "Gap", begin, begin + 20 * HOUR, HOUR)
    assert any(depth is None for depth in made.storms["gap"].depths_on("west"))
    assert [f.code for f in check(made) if f.code == "rain-missing"]
    (gap,) = faults_in(made, blobs, "ridge")
    dry = mend_fault(made, blobs, "ridge", gap, "zero")
    assert None not in dry.storms["gap"].depths_on("west")
    typed = set_catchment_rain(made, blobs, CatchmentRain(typed={"west": {"fell": 1.0}}), "weigh")
    assert typed.storms["gap"].depths_on("west") == pytest.approx(FORD[4995:5015])


def test_undo_brings_back_the_storm_with_the_record(study, blobs):
    begin = BEGIN + 4995 * HOUR
    history = History(cut_storm(study, blobs, "Gap", begin, begin + 20 * HOUR, HOUR))
    before = history.study
    history.do(mend_fault, blobs, "ridge", "gap", "zero")
    assert history.study.storms != before.storms
    history.undo()
    assert history.study == before


def test_it_is_written_and_read_back_in_both_forms(study, blobs, tmp_path):
    begin = BEGIN + 100 * HOUR
    whole = cut_storm(table_from_maxima(study, blobs, "fell"), blobs, "One", begin, begin + 5 * HOUR, HOUR)
    for form in ("one.tarn.gpkg", "one.tarn.json"):
        create_study(tmp_path / form, whole, blobs)
        again, held = read_study(tmp_path / form)
        assert again == whole
        assert np.array_equal(
            record_of(again, held, "ridge").values, record_of(whole, blobs, "ridge").values, equal_nan=True
        )


def test_a_record_that_the_file_lost_or_damaged_is_told_by_name(study, blobs):
    with pytest.raises(StudyFileError, match="“Ridge” is missing"):
        record_of(study, Blobs(), "ridge")
    broken = Blobs()
    digest = broken.add("series", b"no series")
    hurt = study.model_copy(
        update={"gauges": study.gauges.with_entry("ridge", study.gauges["ridge"].model_copy(update={"series": digest}))}
    )
    with pytest.raises(StudyFileError, match="damaged"):
        record_of(hurt, broken, "ridge")


def test_values_may_be_read_anew_without_the_file(study, blobs):
    again = reread_gauge(study, blobs, "fell", stamp="start")
    assert record_of(again, blobs, "fell").first == record_of(study, blobs, "fell").first + HOUR


def grid():
    values = np.zeros((6, 2, 4))
    values[:, :, :2], values[:, :, 2:] = 2.0, 5.0
    values[4, 0, 0] = np.nan
    x, y = np.meshgrid(np.arange(5) * 500.0, np.arange(3) * 500.0)
    ends = BEGIN + 900 * np.array([1, 2, 3, 5, 6, 7])
    return Frames(ends, np.full(6, 900), values, x, y, crs="EPSG:32630")


def test_frames_give_rain_by_exact_shares_with_a_bias_factor_and_gaps(study, blobs):
    gridded = add_grid(study, blobs, "Radar", grid(), source="radar.nc")
    gridded = set_catchment_rain(gridded, blobs, CatchmentRain(way="grid"), "use the grid")
    gridded = set_grid_factor(gridded, blobs, "radar", 1.5, "Fell")
    found = rain_between(gridded, blobs, BEGIN, BEGIN + 7 * 900, 900)
    # the fourth frame is missing, and the fifth lacks a cell of West
    assert found.rain["west"] == pytest.approx([3, 3, 3, np.nan, 3, np.nan, 3], nan_ok=True)
    assert found.rain["east"] == pytest.approx([7.5, 7.5, 7.5, np.nan, 7.5, 7.5, 7.5], nan_ok=True)
    made = cut_storm(gridded, blobs, "Radar storm", BEGIN, BEGIN + 3 * 900, 900)
    assert made.storms["radar-storm"].depths_on("east") == pytest.approx([7.5] * 3)
    with pytest.raises(EditRefused, match="step of the frames|has that step"):
        cut_storm(gridded, blobs, "x", BEGIN, BEGIN + 3600, 3600)
    with pytest.raises(EditRefused, match="made from it"):
        remove_grid(gridded, blobs, "radar")


def test_a_rule_of_events_is_kept_in_the_study(study):
    assert set_event_rule(study, EventRule(dry=HOUR)).event_rule.dry == HOUR


def test_the_remedies_of_a_record_are_acts_with_names(study, blobs):
    history = History(study)
    history.do(mend_fault, blobs, "ridge", "gap", "zero")
    assert history.past[-1].label == "mend the record Ridge"
    assert mended_of(history.study, blobs, "ridge").open == ()
