"""The command line as a person types it."""

import csv
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from tarnwater.brief.tables import BALANCE_COLUMNS, PEAK_COLUMNS
from tarnwater.formats.raster import grid_to_bytes
from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid

DEPTHS = "100: 15min 24, 1h 43, 3h 66, 6h 88, 24h 146"


@pytest.fixture
def made(run):
    """The README's first study: from an empty folder to a peak in four short commands."""
    run("new", "bridge.tarn.json")
    run("add", "bridge.tarn.json", "catchment", "Hask", "area=3km2", "curve_number=75", "lag=45min")
    run("rain", "bridge.tarn.json", "--series", "annual-maxima", "--depths", DEPTHS)
    run.answer = run("compute", "bridge.tarn.json", "--out", "results")
    return run


def test_from_an_empty_folder_to_a_peak_in_four_commands(made):
    (row,) = [line for line in made.answer.splitlines() if line.startswith("Existing")]
    assert row.split()[:8] == ["Existing", "3.000", "100", "Design", "storms,", "6", "h", "9.570"]


def read(path):
    with path.open() as file:
        return list(csv.DictReader(file))


def test_results_are_written_with_their_units(made):
    folder = made.folder / "results"
    peaks, flows, balances = (read(folder / f"{n}.csv") for n in ("peaks", "hydrographs", "balance"))
    assert list(peaks[0]) == list(PEAK_COLUMNS)
    assert [p["governing"] for p in peaks] == ["no", "no", "no", "yes", "no"]
    assert float(peaks[3]["peak_m3_per_s"]) == pytest.approx(9.570, abs=0.001)
    assert max(float(f["Outfall m3/s"]) for f in flows) == pytest.approx(float(peaks[3]["peak_m3_per_s"]), rel=1e-9)
    assert list(balances[0]) == list(BALANCE_COLUMNS)
    assert max(abs(float(b["error"])) for b in balances) < 1e-9


def test_the_peak_can_be_asked_where_it_came_from(made):
    text = made("explain", "bridge.tarn.json", "Hask", "peak", "--depth", "-1")
    assert "S = 25400/CN − 254  →  25400/75 − 254" in text
    assert "typed by" in text
    assert "lag" in made("explain", "bridge.tarn.json", "Hask", "lag")


def test_both_forms_compute_the_same(made):
    made("convert", "bridge.tarn.json", "bridge.tarn.gpkg")
    assert made("compute", "bridge.tarn.gpkg") == made.answer.split("wrote")[0]
    made("set", "bridge.tarn.gpkg", "Hask", "curve_number=80")
    assert made("compute", "bridge.tarn.gpkg") != made.answer.split("wrote")[0]
    made("convert", "bridge.tarn.gpkg", "back.tarn.json")


def test_only_some_storms_and_conditions_may_be_computed(made):
    assert "15 min" in made("compute", "bridge.tarn.json", "--storm", "100/15min", "--condition", "existing")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["compute", "bridge.tarn.json", "--condition", "Exsting"], "Did you mean “Existing”?"),
        (["compute", "bridge.tarn.json", "--storm", "50"], "no return period “50”. There are: 100."),
        (["compute", "bridge.tarn.json", "--storm", "100/2h"], "no duration “2 h”"),
        (["compute", "bridge.tarn.json", "--storm", "Desgn storms"], "Did you mean “Design storms”?"),
        (["compute", "bridge.tarn.json", "--point", "Hsk"], "Did you mean “Hask”?"),
        (["explain", "bridge.tarn.json", "Hakk"], "Did you mean “Hask”?"),
        (["explain", "bridge.tarn.json", "Hask", "peek"], "Did you mean “peak”?"),
        (["set", "bridge.tarn.json", "Hask", "curve_nmber=3"], "Did you mean “curve_number”?"),
        (["set", "bridge.tarn.json", "Hask", "curve_number=0"], "at least 1 and at most 100"),
        (["set", "bridge.tarn.json", "Hask", "lag=25,400"], "Type 25.400 for a decimal"),
        (["set", "bridge.tarn.json", "Hask", "lag"], "Write it as field=value"),
        (["set", "bridge.tarn.json", "Hask", "timing=kirpch"], "Did you mean “kirpich”?"),
        (["add", "bridge.tarn.json", "catchmnt", "B"], "Did you mean “catchment”?"),
        (["add", "bridge.tarn.json", "reach", "B", "--into", "Outfal"], "Did you mean “Outfall”?"),
        (["rain", "bridge.tarn.json"], "the depths are missing"),
        (["rain", "bridge.tarn.json", "--depths", "100: 1h 43"], "one duration"),
        (["rain", "bridge.tarn.json", "--depths", "100: 1h 43, 6h 88", "--series", "anual"], "annual-maxima"),
        (["rain", "bridge.tarn.json", "--depths", "100: 1h 43, 6h 88", "--areal", "lots"], "leclerc-schaake"),
        (
            [
                "rain",
                "bridge.tarn.json",
                "--depths",
                "100: 1h 43, 6h 88",
                "--pattern",
                "alternating-block",
                "--durations",
                "1h,6h",
            ],
            "they have one length",
        ),
        (
            ["rain", "bridge.tarn.json", "--depths", "100: 1h 43, 6h 88", "--pattern", "type-IV"],
            "Did you mean “type-I”?",
        ),
        (["rain", "bridge.tarn.json", "none.csv"], "no such file"),
        (["check", "none.tarn.gpkg"], "no such file"),
        (["new", "bridge.tarn.json"], "there is a file of that name"),
        (["new", "bridge.xlsx"], "Call it bridge.tarn.gpkg"),
        (["computes", "bridge.tarn.json"], "Did you mean 'compute'"),
    ],
)
def test_bad_input_ends_with_code_2_and_says_what_to_do(made, words, said):
    before = (made.folder / "bridge.tarn.json").read_bytes()
    assert said in made(*words, code=2)
    assert (made.folder / "bridge.tarn.json").read_bytes() == before


def test_without_rain_nothing_is_computed_and_it_ends_with_code_1(run):
    run("new", "empty.tarn.json")
    assert "there is no rain" in run("compute", "empty.tarn.json", code=1)


def test_a_storm_longer_than_the_run_is_withheld_and_the_others_are_computed(made, capsys):
    path = made.folder / "bridge.tarn.json"
    document = json.loads(path.read_text())
    document["run"]["length"] = {"typed": {"value": 7200.0}}
    path.write_text(json.dumps(document))
    said = made("compute", "bridge.tarn.json", "--out", "results", code=1)
    assert "3 cases are withheld" in said
    assert "6 h is longer than the run of 2 h" in said
    assert [p["duration_h"] for p in read(made.folder / "results/peaks.csv")] == ["0.25", "1.0"]


def test_a_family_beside_is_printed_below_the_answers(made):
    made("rain", "bridge.tarn.json", "--depths", DEPTHS, "--pattern", "alternating-block", "--beside",
         "--name", "Nested", "--series", "annual-maxima")  # fmt: skip
    said = made("compute", "bridge.tarn.json")
    above, below = said.split("families that are not counted")
    assert "Nested" not in above
    assert "not counted" in below
    assert "another length" not in below
    made("rain", "bridge.tarn.json", "--depths", DEPTHS, "--pattern", "alternating-block", "--durations", "6h",
         "--name", "Nested", "--series", "annual-maxima")  # fmt: skip
    assert "another length" in made("compute", "bridge.tarn.json")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["compute", "bridge.tarn.json", "--out", "bridge.tarn.json"], "a file in the place of the folder"),
        (["compute", "."], "this is a folder"),
        (["check", "."], "this is a folder"),
        (["rain", "bridge.tarn.json", "."], "this is a folder"),
        (["delineate", ".", "--outlet", "1,2", "--out", "x.tarn.gpkg"], "this is a folder"),
        (["new", "x" * 300 + ".tarn.json"], "too long"),
        (["new", "x" * 300 + ".tarn.gpkg"], "too long"),
        (["add", "bridge.tarn.json", "catchment", "x" * 300], "300 letters is too long"),
        (["add", "bridge.tarn.json", "catchment", "a\x1b[2J"], "control character"),
        (["set", "bridge.tarn.json", "Hask", "lag=1e-9 s"], "at least 1 s"),
        (["set", "bridge.tarn.json", "Hask", "lag=1e12 s"], "at most 366"),
        (["set", "bridge.tarn.json", "Hask", "area=1e99 km2"], "at most"),
        (["set", "bridge.tarn.json", "Hask", "lag=nan"], "is not a number"),
        (["set", "bridge.tarn.json", "Hask", "lag=1e999 h"], "too large"),
    ],
    ids=["--out onto a file", "compute a folder", "check a folder", "a folder as a table", "a folder as a grid",
         "a name of 300 letters", "a file of 300 letters", "an element of 300 letters", "a control character",
         "a lag of 1e-9 s", "a lag of 1e12 s", "1e99 km2", "a lag of nan", "a lag of 1e999 h"],
)  # fmt: skip
def test_odd_words_end_with_a_clear_message(made, words, said):
    before = (made.folder / "bridge.tarn.json").read_bytes()
    told = made(*words, code=2)
    assert said in told
    assert "Traceback" not in told
    assert (made.folder / "bridge.tarn.json").read_bytes() == before


def test_a_full_standard_output_is_told(made):
    program = [sys.executable, "-c", "import sys; sys.argv = ['tarnwater', 'check', 'bridge.tarn.json']\n"
               "from tarnwater.cli import main\nmain()"]  # fmt: skip
    with Path("/dev/full").open("w") as full:
        done = subprocess.run(program, cwd=made.folder, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (done.returncode, done.stderr.strip()) == (
        2, "tarnwater: the output cannot be written: No space left on device. Write it elsewhere.",
    )  # fmt: skip


def test_an_unusable_home_keeps_nothing_from_being_computed(made):
    program = [sys.executable, "-c", "import sys; sys.argv = ['tarnwater', 'compute', 'bridge.tarn.json']\n"
               "from tarnwater.cli import main\nmain()"]  # fmt: skip
    places = {"HOME": "/proc/none", "XDG_CONFIG_HOME": "/proc/none", "XDG_CACHE_HOME": "/proc/none"}
    done = subprocess.run(
        program, cwd=made.folder, env=os.environ | places, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert "9.570" in done.stdout


def test_a_run_that_the_memory_does_not_hold_is_told_before_it_is_begun(made, monkeypatch):
    with monkeypatch.context() as little:
        little.setattr("tarnwater.network.engine.ALWAYS_THERE", 0)
        little.setattr("tarnwater.network.engine.memory_there", lambda: 1000)
        said = made("compute", "bridge.tarn.json", code=1)
    assert "need 0 MB of memory; 0 MB are free" in said
    made("set", "bridge.tarn.json", "Hask", "lag=366 d")
    document = json.loads((made.folder / "bridge.tarn.json").read_text())
    document["run"]["step"] = {"typed": {"value": 60.0}}
    (made.folder / "bridge.tarn.json").write_text(json.dumps(document))
    assert "the memory would not hold it" in made("compute", "bridge.tarn.json", code=1)


def test_names_that_a_spreadsheet_would_compute_are_written_as_text(made):
    made("add", "bridge.tarn.json", "catchment", "=1+2", "area=1km2", "curve_number=80", "lag=1h")
    made("compute", "bridge.tarn.json", "--out", "results")
    heads = (made.folder / "results/hydrographs.csv").read_text().splitlines()[0]
    assert ",'=1+2 m3/s" in heads
    assert ",=1+2" not in (made.folder / "results/balance.csv").read_text()


def test_nothing_in_a_study_steers_the_terminal(made):
    path = made.folder / "bridge.tarn.json"
    document = json.loads(path.read_text())
    document["tables"]["design-storms"]["source"] = "typed \x1b[2J\x07"
    path.write_text(json.dumps(document))
    told = made("explain", "bridge.tarn.json", "Hask", "peak", "--depth", "-1")
    assert "\x1b" not in told
    assert "typed �[2J�" in told


def test_one_figure_in_two_places_is_one_number(made):
    peaks = read(made.folder / "results/peaks.csv")
    governing = next(p for p in peaks if p["governing"] == "yes")
    told = made("explain", "bridge.tarn.json", "Outfall", "volume", "--storm", "100/6h", "--depth", "0")
    assert told.splitlines()[0] == "Existing · Design storms · 1 in 100 · 6 h · made for Outfall"
    assert f"= {float(governing['volume_m3']) / 1000:.2f} thousand m³" in told
    assert f"{float(governing['volume_m3']) / 1000:.2f}" in made.answer


def test_check_lists_and_counts(made):
    assert "0 stops, 0 doubts, 0 notes" in made("check", "bridge.tarn.json")


@pytest.fixture
def valley(run):
    down, across = np.indices((80, 41))
    z = (2.0 * np.abs(across - 20) + 0.5 * (80 - down)).astype(np.float32)
    (run.folder / "v.tif").write_bytes(grid_to_bytes(Grid(z, 340_000.0, 560_000.0, 10.0, 10.0, "EPSG:27700")))
    return run


def test_delineating_prints_measures_and_makes_a_study(valley):
    said = valley("delineate", "v.tif", "--outlet", "340225,559695,Upper", "--outlet", "340205,559245,Lower",
                  "--threshold", "3 ha", "--out", "v.tarn.gpkg")  # fmt: skip
    assert "Upper" in said
    assert "20.00 m" in said
    valley("check", "v.tarn.gpkg", code=1)
    valley("set", "v.tarn.gpkg", "Upper", "curve_number=75", "timing=nrcs-lag")
    valley("set", "v.tarn.gpkg", "Lower", "curve_number=75", "timing=kirpich")
    valley("set", "v.tarn.gpkg", "Upper to Lower", "celerity=1.5 m/s")
    valley("rain", "v.tarn.gpkg", "--depths", DEPTHS)
    assert "Lower outlet" in valley("compute", "v.tarn.gpkg")
    assert "measured on v.tif" in valley("explain", "v.tarn.gpkg", "Upper", "area")


@pytest.fixture
def dammed(run):
    """A valley with a bank across it in row 40, delineated at its foot."""
    down, across = np.indices((80, 41))
    z = (2.0 * np.abs(across - 20) + 0.5 * (80 - down)).astype(np.float32)
    z[40] = 90.0
    (run.folder / "v.tif").write_bytes(grid_to_bytes(Grid(z, 340_000.0, 560_000.0, 10.0, 10.0, "EPSG:27700")))
    run("delineate", "v.tif", "--outlet", "340205,559245,Foot", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    return run


def area_of(run, name="Foot"):
    from tarnwater.study.file.store import read_study

    study = read_study(run.folder / "v.tarn.gpkg")[0]
    return study.catchments[study.key_of(name)].area.value


CULVERT = ("culvert", "--line", "340205,559635 340205,559555")


def test_the_ground_is_shaped_listed_and_shaped_back(dammed):
    below = area_of(dammed)
    assert "filling" in dammed("ground", "v.tarn.gpkg")
    said = dammed("shape", "v.tarn.gpkg", *CULVERT, "--name", "Lane culvert")
    assert "Lane culvert" in said
    whole = area_of(dammed)
    # the outlet in row 75 takes rows 0 to 75 of 41 cells, of which the bank in row 40 had left itself and those below
    assert (below, whole) == (pytest.approx((76 - 40) * 41 * 100), pytest.approx(76 * 41 * 100))
    dammed("shape", "v.tarn.gpkg", "--remove", "lane CULVERT")
    assert area_of(dammed) == below
    said = dammed("shape", "v.tarn.gpkg", "--breach-depth", "100 m", "--breach-length", "200m")
    assert "led out through the ground" in said
    assert area_of(dammed) == whole


def test_features_are_taken_from_a_vector_file_in_another_system(dammed):
    from pyproj import Transformer

    move = Transformer.from_crs("EPSG:27700", "EPSG:4326", always_xy=True)
    places = [move.transform(x, y) for x, y in ((340_205, 559_635), (340_205, 559_555))]
    line = {"type": "LineString", "coordinates": places}
    features = [
        {"type": "Feature", "properties": {"label": "Lane"}, "geometry": line},
        {"type": "Feature", "properties": {"label": "Spot"}, "geometry": {"type": "Point", "coordinates": places[0]}},
    ]
    path = dammed.folder / "culverts.geojson"
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    said = dammed("shape", "v.tarn.gpkg", "culvert", "--from", "culverts.geojson", "--name-field", "label")
    assert "note: moved from OGC:CRS84 to EPSG:27700" in said
    assert "note: row 2 is no line for a culvert" in said
    assert "Lane" in said
    assert area_of(dammed) == pytest.approx(76 * 41 * 100)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["culvert"], "has no line"),
        (["culvert", "--line", "1,2,3"], "is no place or line"),
        (["culvert", "--line", "340205,559635"], "at least two places"),
        (["drain", "--line", "1,2 3,4"], "drain"),
        (["culvert", "--line", "1,2 3,4", "--size", "3m"], "no height or depth"),
        (["wall", "--line", "1,2 3,4", "--size", "3 ha"], "measures an area"),
        (["wall", "--from", "none.gpkg"], "no such file"),
        (["--remove", "Mill bank"], "Mill bank"),
        (["--hole", "7=wall"], "hole of the terrain"),
        ([], "nothing to change"),
    ],
    ids=["no line", "odd line", "one place", "unknown kind", "size", "unit", "no file", "name", "hole", "nothing"],
)
def test_bad_shaping_changes_nothing(dammed, words, said):
    before = (dammed.folder / "v.tarn.gpkg").read_bytes()
    assert said in dammed("shape", "v.tarn.gpkg", *words, code=2)
    assert (dammed.folder / "v.tarn.gpkg").read_bytes() == before


def test_outlets_are_placed_listed_divided_and_removed(valley):
    valley("delineate", "v.tif", "--outlet", "340205,559245,Lower", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    whole = area_of(valley, "Lower")
    valley("set", "v.tarn.gpkg", "Lower", "lag=30min")
    said = valley("outlets", "v.tarn.gpkg", "--divide", "8.2ha")
    # 41 cells of 100 m2 drain into each row: 20 rows make 8.2 ha
    assert "Lower 3" in said
    assert area_of(valley, "Lower 1") == pytest.approx(82_000)
    assert area_of(valley, "Lower") == pytest.approx(whole - 3 * 82_000)
    assert "Lower 2 to Lower 3" in valley("explain", "v.tarn.gpkg", "Lower 2 to Lower 3", "length")
    valley("outlets", "v.tarn.gpkg", "--remove", "lower 2", "--remove", "Lower 3")
    assert area_of(valley, "Lower") == pytest.approx(whole - 82_000)
    assert "= 30 min" in valley("explain", "v.tarn.gpkg", "Lower", "lag")
    assert "Lower 1" in valley("outlets", "v.tarn.gpkg")


def test_outlets_are_taken_from_the_points_of_a_file(valley):
    valley("delineate", "v.tif", "--outlet", "340205,559245,Lower", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    points = [("Weir", [340_215, 559_605]), ("Lower", [340_205, 559_455]), ("Hill", [340_025, 559_905])]
    features = [
        {"type": "Feature", "properties": {"n": n}, "geometry": {"type": "Point", "coordinates": xy}}
        for n, xy in points
    ]
    crs = {"type": "name", "properties": {"name": "EPSG:27700"}}
    path = valley.folder / "points.json"
    path.write_text(json.dumps({"type": "FeatureCollection", "crs": crs, "features": features}))
    said = valley("outlets", "v.tarn.gpkg", "--from", "points.json", "--name-field", "n")
    assert "note: row 3 was left out: Hill: no stream" in said
    assert area_of(valley, "Weir") == pytest.approx(40 * 41 * 100)
    assert area_of(valley, "Lower 2") == pytest.approx(15 * 41 * 100)
    assert "field" in valley("outlets", "v.tarn.gpkg", "--from", "points.json", "--name-field", "title", code=2)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--divide", "4 ha"], "stream threshold"),
        (["--divide", "8 ha", "--within", "Upper"], "Upper"),
        (["--remove", "Upper"], "Upper"),
        (["--add", "here"], "Write it as X,Y"),
        (["--add", "340025,559905,Hill"], "hillside"),
        (["--from", "none.gpkg"], "no such file"),
    ],
    ids=["small parts", "unknown part", "unknown outlet", "no place", "hillside", "no file"],
)
def test_bad_outlets_change_nothing(valley, words, said):
    valley("delineate", "v.tif", "--outlet", "340205,559245,Lower", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    before = (valley.folder / "v.tarn.gpkg").read_bytes()
    assert said in valley("outlets", "v.tarn.gpkg", *words, code=2)
    assert (valley.folder / "v.tarn.gpkg").read_bytes() == before


def plots(folder):
    """Two plots of the valley, one above the other, and one that crosses itself."""
    rings = [
        [[340_000, 559_600], [340_410, 559_600], [340_410, 560_000], [340_000, 560_000], [340_000, 559_600]],
        [[340_000, 559_200], [340_410, 559_200], [340_410, 559_600], [340_000, 559_600], [340_000, 559_200]],
        [[340_000, 559_200], [340_400, 559_600], [340_400, 559_200], [340_000, 559_600], [340_000, 559_200]],
    ]
    features = [
        {"type": "Feature", "properties": {"name": name, "cn": cn, "ha": ha},
         "geometry": {"type": "Polygon", "coordinates": [ring]}}
        for name, cn, ha, ring in zip(("Upper", "Lower", "Odd"), (70, 75, 80), (16.0, 17.0, 1.0), rings, strict=True)
    ]  # fmt: skip
    crs = {"type": "name", "properties": {"name": "EPSG:27700"}}
    (folder / "plots.json").write_text(json.dumps({"type": "FeatureCollection", "crs": crs, "features": features}))


def test_polygons_are_imported_without_a_terrain_and_computed(run):
    plots(run.folder)
    run("new", "p.tarn.gpkg")
    said = run(
        "areas", "p.tarn.gpkg", "plots.json", "--drains", "one-outfall", "--area-field", "ha", "--area-unit", "ha"
    )
    assert "note: row 3 was left out: it has an outline that crosses itself" in said
    assert "17.00 ha" in said
    run("set", "p.tarn.gpkg", "Upper", "lag=20min")
    run("set", "p.tarn.gpkg", "Lower", "lag=25min")
    run("rain", "p.tarn.gpkg", "--depths", DEPTHS)
    assert "33.00" in run("compute", "p.tarn.gpkg")


def test_polygons_on_a_terrain_are_measured_and_led_by_it(valley):
    plots(valley.folder)
    valley("delineate", "v.tif", "--outlet", "340205,559245,Foot", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    said = valley("areas", "v.tarn.gpkg", "plots.json")
    assert "Upper outlet" in said
    assert "Upper to Lower" in valley("explain", "v.tarn.gpkg", "Upper to Lower", "length")
    assert "measured on v.tif" in valley("explain", "v.tarn.gpkg", "Upper", "mean_slope")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["none.gpkg"], "no such file"),
        (["plots.json", "--drains", "downhill"], "way of draining"),
        (["plots.json", "--name-field", "title"], "field"),
        (["plots.json", "--drains", "terrain"], "no terrain"),
        (["plots.json", "--area-field", "ha", "--area-unit", "acre-feet"], "acre-feet"),
    ],
    ids=["no file", "way", "field", "no terrain", "unit"],
)
def test_bad_polygons_change_nothing(run, words, said):
    plots(run.folder)
    run("new", "p.tarn.gpkg")
    before = (run.folder / "p.tarn.gpkg").read_bytes()
    assert said in run("areas", "p.tarn.gpkg", *words, code=2)
    assert (run.folder / "p.tarn.gpkg").read_bytes() == before


@pytest.mark.parametrize("name", ["m.gpkg", "m.dxf", "m.tif", "m.png"])
def test_the_map_is_exported(valley, name):
    valley("delineate", "v.tif", "--outlet", "340205,559245,Foot", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    assert f"Wrote {name}." in valley("export", "v.tarn.gpkg", name)
    assert (valley.folder / name).stat().st_size > 1000


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["m.xyz"], "end of a file"),
        (["m.gpkg", "--layer", "lakes"], "layer of the map"),
        (["m.tif", "--grid", "slope"], "grid of the terrain"),
        (["m.png", "--paper", "B5"], "size of paper"),
        (["m.png", "--scale", "-3"], "positive"),
    ],
    ids=["end", "layer", "grid", "paper", "scale"],
)
def test_bad_exports_write_nothing(valley, words, said):
    valley("delineate", "v.tif", "--outlet", "340205,559245,Foot", "--threshold", "3 ha", "--out", "v.tarn.gpkg")
    assert said in valley("export", "v.tarn.gpkg", *words, code=2)
    assert not (valley.folder / words[0]).exists()


def test_tiles_are_joined_and_a_part_cut_out(run):
    down, across = np.indices((80, 41))
    z = (2.0 * np.abs(across - 20) + 0.5 * (80 - down)).astype(np.float32)
    for name, rows in (("north.tif", slice(0, 30)), ("south.tif", slice(30, 80))):
        grid = Grid(z[rows].copy(), 340_000.0, 560_000.0 - 10 * rows.start, 10.0, 10.0, "EPSG:27700")
        (run.folder / name).write_bytes(grid_to_bytes(grid))
    said = run("delineate", "south.tif", "north.tif", "--outlet", "340205,559245,Foot", "--threshold", "3 ha",
               "--within", "340000,559200,340410,559900", "--out", "v.tarn.gpkg")  # fmt: skip
    assert "2 tiles were joined into 70 × 41 cells" in said
    assert area_of(run) == pytest.approx((76 - 10) * 41 * 100)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--outlet", "1,2"], "outside the grid"),
        (["--outlet", "340025,559905"], "hillside"),
        (["--outlet", "somewhere"], "Write it as X,Y"),
        (["--outlet", "340205,559245", "--threshold", "3 h"], "measures a time, not an area"),
        (["--outlet", "340205,559245", "--height-unit", "yards"], "There are: m, ft, us-ft"),
    ],
    ids=["outside the grid", "on a hillside", "no place", "wrong unit", "unknown height unit"],
)
def test_a_bad_outlet_makes_no_study(valley, words, said):
    assert said in valley("delineate", "v.tif", *words, "--out", "v.tarn.gpkg", code=2)
    assert not (valley.folder / "v.tarn.gpkg").exists()


def test_ctrl_c_leaves_everything_whole(run, monkeypatch, request):
    z = np.random.default_rng(1).random((300, 300)).astype(np.float32)
    (run.folder / "big.tif").write_bytes(grid_to_bytes(Grid(z, 0.0, 3_000.0, 10.0, 10.0, "EPSG:27700")))
    honest = Progress.tell

    def interrupting(self, stage, share):
        if stage == "filling":
            os.kill(os.getpid(), signal.SIGINT)
            deadline = time.monotonic() + 30
            while not self.flag[0] and time.monotonic() < deadline:
                time.sleep(0.01)
        honest(self, stage, share)

    monkeypatch.setattr(Progress, "tell", interrupting)
    # a shell starts what runs in the background with the signal ignored
    before = signal.signal(signal.SIGINT, signal.default_int_handler)
    request.addfinalizer(lambda: signal.signal(signal.SIGINT, before))
    said = run("delineate", "big.tif", "--outlet", "500,500", "--out", "big.tarn.gpkg", "--accept", code=130)
    assert "Nothing was changed" in said
    assert sorted(p.name for p in run.folder.iterdir()) == ["big.tif"]


@pytest.mark.parametrize("words", [["schema"], ["check", "bridge.tarn.json"]])
def test_schema_and_check_load_nothing_heavy(made, words):
    script = (
        "import sys; sys.argv = ['tarnwater', *sys.argv[1:]]\n"
        "from tarnwater.cli import main\n"
        "try: main()\n"
        "except SystemExit: pass\n"
        "print(sorted({m.split('.')[0] for m in sys.modules} & {'numba', 'matplotlib', 'rasterio', 'PyQt6'}))"
    )
    done = subprocess.run(
        [sys.executable, "-c", script, *words], cwd=made.folder, capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1] == "[]"


def test_the_schema_describes_units_and_ranges(run):
    schema = json.loads(run("schema"))
    area = schema["$defs"]["Catchment"]["properties"]["area"]
    assert (area["kind"], area["unit"], area["above"]) == ("area", "m²", 0)


def test_a_study_in_us_units_is_shown_in_them(run):
    run("new", "u.tarn.json", "--us")
    run("add", "u.tarn.json", "catchment", "Hask", "area=1mi2", "curve_number=75", "lag=45min")
    run("rain", "u.tarn.json", "--depths", "100: 15min 1, 1h 2, 6h 4", "--unit", "in")
    said = run("compute", "u.tarn.json")
    assert "peak cfs" in said
    assert "area mi²" in said
    assert "volume ac-ft" in said
    assert "runoff in" in said


def test_the_program_says_its_version(run):
    assert run("--version").startswith("tarnwater 0.")


def test_a_read_only_folder_is_told_not_met(run):
    if os.geteuid() == 0:
        pytest.skip("root may write anywhere; the study file's own test mounts a read-only folder")
    run.folder.chmod(0o555)
    try:
        assert "cannot be written" in run("new", "x.tarn.json", code=2)
    finally:
        run.folder.chmod(0o755)


def test_times_by_every_equation_are_printed_with_what_is_outside_its_range(run):
    run("new", "times.tarn.json")
    run("add", "times.tarn.json", "catchment", "Hask", "area=12km2", "curve_number=75", "lag=1h", "flow_length=6km",
         "path_slope=2%", "mean_slope=9%")  # fmt: skip
    told = run("times", "times.tarn.json", "Hask")
    assert "3 equations give" in told
    assert "above 8.100 km²" in told
    assert "needs centroid length" in told
    run("set", "times.tarn.json", "Hask", "timing=bransby-williams", "least_concentration=20min")
    assert "*  Bransby-Williams equation" in run("times", "times.tarn.json")
    assert "no such catchment" in run("times", "times.tarn.json", "Outfall", code=2)


def test_the_demo_prints_its_answers_and_writes_results(run):
    said = run("demo", "--out", "out")
    assert "\nPellowford bridge\n" in said
    assert "113.3" in said
    assert "exceeded" in said
    names = {p.name for p in Path(run.folder / "out").iterdir()}
    assert names >= {"peaks.csv", "hydrographs.csv", "balance.csv", "map.png", "pellow-beck.tarn.gpkg"}
    assert f"are in {run.folder / 'out'}" in said


def test_a_doubt_is_accepted_and_printed_with_the_answer(made):
    made("set", "bridge.tarn.json", "Hask", "lag=60h")
    said = made("check", "bridge.tarn.json")
    code = next(line for line in said.splitlines() if line.startswith("doubt [")).split("[")[1].split("]")[0]
    assert f"Accepted {code}" in made("accept", "bridge.tarn.json", code, "--reason", "agreed with the client")
    again = made("compute", "bridge.tarn.json")
    assert f"accepted [{code}]" in again
    assert "agreed with the client" in again
    assert "no doubt" in made("accept", "bridge.tarn.json", code, "--reason", "again", code=2)


def test_a_remedy_is_applied_by_its_code(made):
    made("set", "bridge.tarn.json", "Hask", "ratio=0.05")
    assert "Mended ratio-unconverted: Convert it" in made("mend", "bridge.tarn.json", "ratio-unconverted", "Hask")
    assert "ratio-unconverted" not in made("check", "bridge.tarn.json")
    assert "there is no finding" in made("mend", "bridge.tarn.json", "ratio-unconverted", code=2)
    made("set", "bridge.tarn.json", "Hask", "ratio=0.05", "tabled_for=0.2")
    assert "there is no remedy 9" in made("mend", "bridge.tarn.json", "ratio-unconverted", "--remedy", "9", code=2)


def test_a_remedy_of_results_is_applied_by_its_code(made):
    made("set", "bridge.tarn.json", "Hask", "area=40km2")
    assert "Mended no-areal-reduction" in made("mend", "bridge.tarn.json", "no-areal-reduction")
    family = next(iter(json.loads((made.folder / "bridge.tarn.json").read_text())["families"].values()))
    assert family["areal"]["method"] == "leclerc-schaake"


def test_an_element_of_any_kind_is_added_with_what_it_needs(run):
    run("new", "s.tarn.json")
    told = run("add", "s.tarn.json", "inflow", "Spring", "times=0, 1h, 5h", "flows=0, 3, 0")
    assert "Added the inflow Spring; it drains into Outfall." in told
    spring = json.loads((run.folder / "s.tarn.json").read_text())["elements"]["spring"]
    assert (spring["times"], spring["flows"]) == ([0, 3600, 18000], [0, 3, 0])
    before = (run.folder / "s.tarn.json").read_bytes()
    for words, said in (
        (["inflow", "Well"], "the inflow Well needs its times and flows"),
        (["inflow", "Well", "times=0, 1h", "flows=1"], "at least two increasing times"),
        (["inflow", "Well", "times=0, soon", "flows=1, 2"], "soon"),
        (["inflow", "Well", "times=0, 1h", "flows=1, -2"], "Well, flows"),
        (["infow", "Well"], "inflow"),
    ):
        assert said in run("add", "s.tarn.json", *words, code=2)
    assert (run.folder / "s.tarn.json").read_bytes() == before


def test_an_outfall_is_added_as_an_end_beside_others(run):
    run("new", "s.tarn.json")
    for name in ("Sea", "Mere"):
        assert run("add", "s.tarn.json", "outfall", name).strip() == f"Added the outfall {name}."
    document = json.loads((run.folder / "s.tarn.json").read_text())
    assert set(document["elements"]) == {"sea", "mere"}
    assert document["links"] == {}
    # where there are several ends, what is added drains to none of them until it is told
    assert run("add", "s.tarn.json", "confluence", "Meet").strip() == "Added the confluence Meet."
    run("add", "s.tarn.json", "confluence", "Join", "--into", "Mere")
    document = json.loads((run.folder / "s.tarn.json").read_text())
    assert [(link["up"], link["down"]) for link in document["links"].values()] == [("join", "mere")]


def test_an_element_is_duplicated_with_its_values(made):
    assert "Duplicated Hask as Twin" in made("duplicate", "bridge.tarn.json", "Hask", "Twin")
    assert "Duplicated Hask as Hask 1" in made("duplicate", "bridge.tarn.json", "Hask")
    rows = made("compute", "bridge.tarn.json", "--out", "results").splitlines()
    (row,) = [line for line in rows if line.startswith("Existing")]
    # three equal catchments of 3 km2 meet at the outfall
    assert row.split()[1] == "9.000"


def test_a_duplicate_of_what_is_not_there_is_refused(made):
    told = made("duplicate", "bridge.tarn.json", "Hsk", code=2)
    assert "Did you mean “Hask”?" in told


def test_a_typed_value_is_cleared_by_a_word_and_never_by_an_empty_one(made):
    made("set", "bridge.tarn.json", "Hask", "surfaces.whole.share=80%")
    assert "add up to 80 % of its area" in made("compute", "bridge.tarn.json", code=1)
    assert "nothing was typed" in made("set", "bridge.tarn.json", "Hask", "surfaces.whole.share=", code=2)
    made("set", "bridge.tarn.json", "Hask", "surfaces.whole.share=derived")
    assert "0 stops" in made("check", "bridge.tarn.json")
    # what always has a number has nothing to clear
    assert "is not a number" in made("set", "bridge.tarn.json", "Hask", "surfaces.whole.depression=derived", code=2)
