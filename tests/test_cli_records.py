"""Records, their maxima and events, the rain of catchments, and a design rainfall service on the command line."""

import json

import pytest
import shapely

from tarnwater.feeds.design_rain.server import StandIn
from tarnwater.formats.waterml import read_waterml
from tarnwater.study.file.store import read_study

ROWS = ["time (UTC),rain (mm)"]
ROWS += [f"2001-0{1 + day // 28}-{1 + day % 28:02d} {hour:02d}:00,{rain}" for day, hour, rain in (
    (d, h, {(3, 5): "4.2", (3, 6): "-1.0", (40, 2): "12.5", (40, 3): "6.5"}.get((d, h), "0.0"))
    for d in range(60) for h in range(24) if (d, h) not in {(50, 4), (50, 5)}
)]  # fmt: skip


@pytest.fixture
def gauged(run):
    """Two catchments at one outfall, and a gauge with a negative value and two missing hours."""
    run("new", "gauged.tarn.json")
    run("add", "gauged.tarn.json", "catchment", "West", "area=2km2", "curve_number=75", "lag=1h")
    run("add", "gauged.tarn.json", "catchment", "East", "area=1km2", "curve_number=80", "lag=1h")
    (run.folder / "moor.csv").write_text("\n".join(ROWS))
    run("records", "gauged.tarn.json", "Moor", "--from", "moor.csv")
    return run


def study_of(run):
    return read_study(run.folder / "gauged.tarn.json")[0]


def test_a_record_is_brought_in_and_its_faults_are_listed_and_mended(gauged):
    told = gauged("records", "gauged.tarn.json")
    assert "Moor: rain, 1 h" in told
    # the days after the 28th of January are a gap too
    assert "1 negative value, 2 gaps" in told
    told = gauged("records", "gauged.tarn.json", "moor", "--mend", "negative=zero", "--mend", "gap=missing")
    assert "taken as none" in told
    assert {(m.fault, m.remedy) for m in study_of(gauged).gauges["moor"].mends} == {
        ("negative", "zero"), ("gap", "missing"),
    }  # fmt: skip
    assert "nothing to look at" in gauged("records", "gauged.tarn.json")


def test_neighbours_and_places_are_given_by_name(gauged):
    gauged("records", "gauged.tarn.json", "Fell", "--from", "moor.csv", "--unit", "cm")
    gauged("records", "gauged.tarn.json", "Moor", "--neighbour", "Fell=1", "--place", "100,200")
    gauge = study_of(gauged).gauges["moor"]
    assert gauge.place == (100.0, 200.0)
    # Fell has ten times the rain; its factor is the ratio of totals, as in the window
    assert (gauge.neighbours["fell"].weight, gauge.neighbours["fell"].factor) == (1.0, pytest.approx(0.1))
    assert "much" in gauged("records", "gauged.tarn.json", "Moor", "--neighbour", "Fell=much", code=2)
    assert "no place" in gauged("records", "gauged.tarn.json", "Moor", "--place", "here", code=2)
    assert "There are" in gauged("records", "gauged.tarn.json", "Moor", "--mend", "negative=guess", code=2)
    assert "Moor" in gauged("records", "gauged.tarn.json", "Mooor", code=2)


def test_a_mended_record_is_written_as_waterml_and_read_again(gauged):
    gauged("records", "gauged.tarn.json", "Moor", "--mend", "negative=zero", "--write", "moor.xml")
    (series,) = read_waterml(gauged.folder / "moor.xml").series
    assert series.name == "Moor"
    assert series.raw.values.sum() == pytest.approx(4.2 + 12.5 + 6.5)
    assert "file of that name" in gauged("records", "gauged.tarn.json", "--write", "moor.xml", code=2)
    gauged("records", "gauged.tarn.json", "Again", "--from", "moor.xml")
    assert len(study_of(gauged).gauges) == 2
    gauged("records", "gauged.tarn.json", "Again", "--remove")
    assert list(study_of(gauged).gauges) == ["moor"]


def test_an_event_becomes_a_storm_of_which_cases_are_computed(gauged):
    gauged("records", "gauged.tarn.json", "Moor", "--mend", "negative=zero")
    told = gauged("events", "gauged.tarn.json", "Moor")
    assert "19.00 mm" in told
    gauged("events", "gauged.tarn.json", "Moor", "--storm", "1", "--storm-name", "Spring")
    storm = study_of(gauged).storms["spring"]
    assert set(storm.rain) == {"west", "east"}
    assert "Spring" in gauged("compute", "gauged.tarn.json")
    assert "no event 7" in gauged("events", "gauged.tarn.json", "Moor", "--storm", "7", code=2)


def test_weights_of_gauges_are_typed_for_a_catchment(gauged):
    gauged("records", "gauged.tarn.json", "Fell", "--from", "moor.csv")
    told = gauged(
        "catchment-rain", "gauged.tarn.json", "--gauge", "Moor", "--gauge", "Fell",
        "--weights", "West: Moor=0.75,Fell=0.25",
    )  # fmt: skip
    assert [line.split()[1:] for line in told.splitlines() if line.startswith("West")] == [["75.00", "%", "25.00", "%"]]
    assert "no weights" in gauged("catchment-rain", "gauged.tarn.json", "--weights", "West: Moor=much", code=2)
    assert "no way" in gauged("catchment-rain", "gauged.tarn.json", "--way", "magic", code=2)


def test_the_maxima_of_a_record_become_a_depth_table(run):
    run("new", "long.tarn.json")
    rows = ["time,rain (mm)"]
    for year in range(1990, 2020):
        deep = 20 + (year * 37) % 29
        days = (f"{year}-{month:02d}-{day:02d}" for month in range(1, 13) for day in range(1, 29))
        rows += [f"{day} 09:00,{deep if day.endswith('06-15') else 1.0}" for day in days]
    (run.folder / "long.csv").write_text("\n".join(rows))
    run("records", "long.tarn.json", "Long", "--from", "long.csv")
    told = run(
        "maxima", "long.tarn.json", "Long", "--distribution", "gumbel", "--return-periods", "2,10,200", "--table"
    )
    assert "Gumbel by L-moments" in told
    assert "1 in 200 is beyond three times the record" in told
    study = read_study(run.folder / "long.tarn.json")[0]
    assert study.tables["long"].years_of_record == 30
    assert "beyond-record" in run("check", "long.tarn.json")
    # its first day, which ends on 1 January, begins in the year before
    told = run("records", "long.tarn.json", "Long")
    assert [line.split()[2] for line in told.splitlines() if line.startswith("incomplete year")] == ["1989"]
    told = run("maxima", "long.tarn.json", "Long", "--way", "maximum-likelihood", "--leave-out", "2005")
    assert "maximum likelihood" in told
    assert "29 years used" in told
    assert "30 years used" in run("maxima", "long.tarn.json", "Long", "--take-in", "2005")
    assert "no year" in run("maxima", "long.tarn.json", "Long", "--take-in", "1815", code=2)
    assert "no distribution" in run("maxima", "long.tarn.json", "Long", "--distribution", "normal", code=2)


def test_a_record_of_flow_has_flood_peaks_and_neither_events_nor_depths(run):
    run("new", "weir.tarn.json")
    rows = ["Date,Flow (m3/s)"]
    for year in range(1990, 2010):
        peak = 30 + (year * 17) % 23
        rows += [
            f"{year}-{m:02d}-{d:02d} 09:00,{peak if (m, d) == (11, 9) else 2.5}" for m in range(1, 13) for d in (9, 24)
        ]
    (run.folder / "weir.csv").write_text("\n".join(rows))
    run("records", "weir.tarn.json", "Weir", "--from", "weir.csv", "--form", "flow")
    told = run("maxima", "weir.tarn.json", "Weir")
    assert "9 Nov 1990 09:00" in told
    # a flow is of its moment: none is of the year before the first
    assert "1989" not in told
    assert "corrected" not in told
    told = run("maxima", "weir.tarn.json", "Weir", "--threshold", "32m3/s", "--apart", "5d")
    flow = read_study(run.folder / "weir.tarn.json")[0].gauges["weir"].maxima
    assert dict(flow.peaks.thresholds) == {"0": 32.0}
    assert "generalised Pareto" in told
    assert "record of flow" in run("events", "weir.tarn.json", "Weir", code=2)
    assert "record of flow" in run("maxima", "weir.tarn.json", "Weir", "--table", code=2)


def test_peaks_over_a_threshold_are_printed_and_their_thresholds_typed(run):
    run("new", "peaks.tarn.json")
    rows = ["time,rain (mm)"]
    for year in range(1990, 2010):
        for month in range(1, 13):
            deep = 5 + (year * 37 + month * 11) % 29
            rows += [f"{year}-{month:02d}-{d:02d} 09:00,{deep if d == 15 else 1.0}" for d in range(1, 29)]
    (run.folder / "peaks.csv").write_text("\n".join(rows))
    run("records", "peaks.tarn.json", "Moor", "--from", "peaks.csv")
    told = run("maxima", "peaks.tarn.json", "Moor", "--peaks", "2", "--leave-out", "1995")
    assert "generalised Pareto by L-moments, excess over its mean" in told
    assert "dispersion of the peaks of years" in told
    told = run("maxima", "peaks.tarn.json", "Moor", "--threshold", "24h=20mm", "--apart", "3d", "--table")
    rule = read_study(run.folder / "peaks.tarn.json")[0].gauges["moor"].maxima
    assert dict(rule.peaks.thresholds) == {"86400": 20.0}
    assert (rule.peaks.rate, rule.peaks.between_storms) == (2.0, 3 * 86400)
    made = read_study(run.folder / "peaks.tarn.json")[0].tables["moor"]
    assert made.fit.thresholds[made.durations.index(86400)] == 20.0
    assert "17 years" in made.source  # each month lacks its last days
    told = run("maxima", "peaks.tarn.json", "Moor", "--fitted-to", "annual-maxima")
    assert "19 years used" in told
    assert "no sample" in run("maxima", "peaks.tarn.json", "Moor", "--fitted-to", "all", code=2)
    assert "is of a duration" in run("maxima", "peaks.tarn.json", "Moor", "--threshold", "20mm", code=2)
    assert "peaks a year would be" in run("maxima", "peaks.tarn.json", "Moor", "--peaks", "50", code=2)


def test_depths_by_an_equation_are_set_as_published_and_as_fitted(run):
    run("new", "eq.tarn.json")
    told = run("equation", "eq.tarn.json")
    assert "shifted-power" in told
    told = run(
        "equation", "eq.tarn.json", "--form", "shifted-power", "--row", "2: 900 10 0.8", "--row", "100: 2100 12 0.8",
        "--durations", "5min,1h,24h", "--source", "City manual",
    )  # fmt: skip
    assert "as published" in told
    study = read_study(run.folder / "eq.tarn.json")[0]
    # i = a / (d + b)^c in mm/h, d in min
    assert study.tables["equation"].depth(3600.0, 2.0) == pytest.approx(900 / 70**0.8)
    assert study.tables["equation"].source == "City manual"
    run("rain", "eq.tarn.json", "--depths", "10: 15min 12, 1h 22, 6h 40", "--depths", "100: 15min 20, 1h 36, 6h 66",
        "--name", "Typed")  # fmt: skip
    told = run("equation", "eq.tarn.json", "--form", "shifted-power", "--fit", "typed")
    assert "greatest: " in told
    assert "as fitted" in told
    fitted = read_study(run.folder / "eq.tarn.json")[0].tables["typed"]
    worst = fitted.greatest_residual[2]
    assert f"{100 * worst:+.2f} %" in told
    assert "as typed" in run("equation", "eq.tarn.json", "--form", "power", "--fit", "typed", "--read-table")
    for words, options in {
        "no form": ["--form", "magic"],
        "coefficients are missing": ["--form", "power"],
        "no depth table": ["--form", "power", "--fit", "none"],
        "no unit": ["--form", "power", "--row", "2: 9 0.8", "--intensity", "m/s"],
        "each row needs": ["--form", "shifted-power", "--row", "2: 900 10"],
        "'RETURN PERIOD: a b c'": ["--form", "shifted-power", "--row", "900 10 0.8"],
    }.items():
        assert words in run("equation", "eq.tarn.json", *options, code=2)


def test_a_typed_pattern_and_a_curve_of_areal_reduction_are_read_from_files(run):
    run("new", "typed.tarn.json")
    (run.folder / "shape.csv").write_text("time,early\n0,0\n50,80\n100,100\n")
    (run.folder / "areal.csv").write_text("# Valley study\n10,0.9\n1000,0.6\n")
    depths = ["--depths", "10: 1h 22, 6h 40", "--depths", "100: 1h 36, 6h 66"]
    run("rain", "typed.tarn.json", *depths, "--pattern", "shape.csv", "--areal", "areal.csv")
    (family,) = read_study(run.folder / "typed.tarn.json")[0].families.values()
    assert family.pattern.curve.name == "early"
    assert family.areal.typed.source == "Valley study"
    (run.folder / "two.csv").write_text("time,early,late\n0,0,0\n50,80,20\n100,100,100\n")
    run("rain", "typed.tarn.json", *depths, "--pattern", "two.csv")
    (family,) = read_study(run.folder / "typed.tarn.json")[0].families.values()
    assert family.pattern.members == 2
    assert "no such file" in run("rain", "typed.tarn.json", *depths, "--areal", "none.csv", code=2)
    assert "no areal reduction" in run("rain", "typed.tarn.json", *depths, "--areal", "some", code=2)


def test_a_service_is_asked_for_a_point_and_its_depths_are_taken(run):
    run("new", "asked.tarn.json")
    with StandIn() as service:
        told = run("design-rain", "asked.tarn.json", "--url", service.url, "--point=-2.8,54.9")
        assert "one cell" in told
        assert not read_study(run.folder / "asked.tarn.json")[0].tables
        run("design-rain", "asked.tarn.json", "--url", service.url, "--point=-2.8,54.9", "--take")
    assert read_study(run.folder / "asked.tarn.json")[0].tables["service"].series == "annual maxima"
    cells = {"type": "FeatureCollection", "features": [
        {"type": "Feature", "geometry": shapely.box(-3, 54, -2, 55).__geo_interface__,
         "properties": {"cell": "C1", "duration_h": d, "return_period": 10, "depth_mm": 20.0 + d}}
        for d in (1, 6)
    ]}  # fmt: skip
    (run.folder / "cells.geojson").write_text(json.dumps(cells))
    told = run("design-rain", "asked.tarn.json", "--file", "cells.geojson", "--point=-2.8,54.9")
    assert "cells: C1 100.0 %" in told
    assert "no catchment on the map" in run("design-rain", "asked.tarn.json", code=2)
    assert "no point on the earth" in run("design-rain", "asked.tarn.json", "--point=-2.8,94.9", code=2)
