"""Cover, soil, outlines and flow paths on the command line."""

import json

import pytest
from shapely.geometry import box, mapping

from tarnwater.study.file.store import read_study

SYSTEM = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32630"}}


def layer(path, *rows):
    features = [{"type": "Feature", "properties": told, "geometry": mapping(shape)} for shape, told in rows]
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features, "crs": SYSTEM}))
    return path


@pytest.fixture
def plots(run, monkeypatch):
    """Two plots of 1 ha with maps of cover and soil beside them."""
    monkeypatch.setenv("XDG_DATA_HOME", str(run.folder / "own"))
    layer(
        run.folder / "plots.geojson", (box(0, 0, 100, 100), {"name": "West"}), (box(100, 0, 200, 100), {"name": "East"})
    )
    layer(run.folder / "cover.geojson", (box(0, 0, 150, 100), {"code": "M"}), (box(150, 0, 200, 100), {"code": "Q"}))
    layer(run.folder / "soil.geojson", (box(0, 0, 200, 60), {"hsg": "B"}), (box(0, 60, 200, 100), {"hsg": "C/D"}))
    run("new", "plots.tarn.json")
    run("areas", "plots.tarn.json", "plots.geojson", "--drains", "one-outfall")
    return run


def study_of(run):
    return read_study(run.folder / "plots.tarn.json")[0]


def test_maps_are_brought_in_and_the_table_is_printed(plots):
    told = plots("land", "plots.tarn.json", "--from", "cover.geojson", "--means", "M=Meadow")
    assert "note: nothing is known of the value Q, 0.5000 ha" in told
    told = plots(
        "land", "plots.tarn.json", "--from", "soil.geojson", "--holds", "soil-group", "--default-cover", "woods, good"
    )  # fmt: skip
    assert "East, Existing, coefficients for 1 in 10 years" in told
    # East: half meadow, half the default; 60 % on B, 40 % on C/D, which is taken as D
    by_hand = 0.3 * 58 + 0.2 * 78 + 0.3 * 55 + 0.2 * 77
    total = next(line for line in told.split("East, Existing")[1].splitlines() if line.startswith("total"))
    assert f"{by_hand:.2f}" in total
    assert study_of(plots).catchments["east"].curve_number == pytest.approx(by_hand)
    drained = plots("land", "plots.tarn.json", "East", "--drained")
    assert f"{0.3 * 58 + 0.2 * 71 + 0.3 * 55 + 0.2 * 70:.2f}" in drained


def test_a_map_is_given_other_meanings_and_removed(plots):
    plots("land", "plots.tarn.json", "--from", "cover.geojson", "--means", "M=Meadow")
    plots("land", "plots.tarn.json", "--of-layer", "cover", "--means", "Q=left open", "--default-soil", "B")
    assert [one.means for one in study_of(plots).land_layers["cover"].values if one.value == "Q"] == ["left open"]
    plots("land", "plots.tarn.json", "--remove", "cover")
    study = study_of(plots)
    assert not study.land_layers
    assert study.catchments["west"].land.by_hand


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--from", "cover.geojson", "--means", "M=Medow"), "Meadow"),
        (("--from", "cover.geojson", "--means", "Z=Meadow"), "Z"),
        (("--from", "cover.geojson", "--holds", "soils"), "soil-group"),
        (("--from", "cover.geojson", "--means", "Meadow"), "VALUE=CLASS"),
        (("--from", "none.geojson"), "no such file"),
        (("--use", "both"), "surfaces or composite"),
        (("--default-soil", "E"), "soil group"),
        (("--of-layer", "x", "--means", "Q=Meadow"), "layer of cover or soil"),
        (("--rain", "-3mm"), "at least 0 mm and at most 5000 mm"),
        (("--rain", "9 m"), "at least 0 mm and at most 5000 mm"),
        (("--return-period", "0"), "from 1 to 1,000,000 years"),
    ],
)
def test_what_cannot_be_is_told_and_nothing_is_changed(plots, words, told):
    before = (plots.folder / "plots.tarn.json").read_bytes()
    assert told in plots("land", "plots.tarn.json", *words, code=2)
    assert (plots.folder / "plots.tarn.json").read_bytes() == before


def test_a_file_without_an_area_is_refused_and_nothing_is_changed(plots):
    line = {
        "type": "Feature",
        "geometry": {"type": "LineString", "coordinates": [[0, 0], [9, 9]]},
        "properties": {"c": 1},
    }
    (plots.folder / "line.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [line]}))
    before = (plots.folder / "plots.tarn.json").read_bytes()
    told = plots("land", "plots.tarn.json", "--from", "line.geojson", "--field", "c", "--crs", "EPSG:27700", code=2)
    assert "no row of the file is an area" in told
    assert (plots.folder / "plots.tarn.json").read_bytes() == before


def test_classes_are_listed_set_kept_and_removed(plots):
    assert "Woods, good" in plots("classes", "plots.tarn.json")
    told = plots("classes", "plots.tarn.json", "Blanket bog", "group_a=75", "coefficient=0.5", "--keep")
    assert "own" in told
    assert "Blanket bog" in (plots.folder / "own" / "tarnwater" / "cover.json").read_text()
    assert "group_e" in plots("classes", "plots.tarn.json", "Blanket bog", "group_e=75", code=2)
    plots("classes", "plots.tarn.json", "--remove", "Blanket bog")
    assert "Blanket bog" not in study_of(plots).cover_classes


def test_outlines_are_split_merged_and_listed(plots):
    told = plots("outline", "plots.tarn.json", "split", "West", "--line", "-5,30 105,30")
    assert "West 2" in told
    plots("outline", "plots.tarn.json", "--merge", "West", "--merge", "West 2")
    assert study_of(plots).catchments["west"].area.value == pytest.approx(10_000)
    assert "no gap, no overlap" in plots("outline", "plots.tarn.json")
    plots("outline", "plots.tarn.json", "draw", "Corner", "--line", "190,90 220,90 220,120 190,120")
    assert "between East and Corner" in plots("outline", "plots.tarn.json")
    plots("outline", "plots.tarn.json", "--mend", "200m2")
    assert "no gap, no overlap" in plots("outline", "plots.tarn.json")


def test_a_flow_path_is_drawn_divided_and_given_heights(plots):
    plots("outline", "plots.tarn.json", "path", "West", "--line", "10,90 10,10 90,10")
    plots("set", "plots.tarn.json", "West", "path_head=108", "path_foot=100")
    assert study_of(plots).catchments["west"].path_slope.value == pytest.approx(8 / 160)
    plots("outline", "plots.tarn.json", "--divide", "West")
    plots("set", "plots.tarn.json", "West", "path_parts/2/length=50m")
    parts = study_of(plots).catchments["west"].path_parts
    assert [part.length.value for part in parts] == pytest.approx([30.48, 160 - 30.48 - 50, 50])
    assert "S = (z1 − z2) / L" in plots("explain", "plots.tarn.json", "West", "path_slope")


def test_covers_have_their_names_elsewhere_in_what_is_written(plots):
    plots("land", "plots.tarn.json", "--from", "cover.geojson", "--means", "M=Meadow", "--default-soil", "B")
    plots("export", "plots.tarn.json", "out.geojson", "--layer", "catchments", "--name-out", "Meadow=GRASS")
    rows = json.loads((plots.folder / "out.geojson").read_text())["features"]
    west = next(one["properties"] for one in rows if one["properties"]["name"] == "West")
    assert west["cover"] == "GRASS"
    assert west["covers"] == "GRASS 100.0 %"
    assert west["c_10"] == 0.2
    plots("export", "plots.tarn.json", "again.dxf", "--layer", "cover")
    import ezdxf

    drawing = ezdxf.readfile(plots.folder / "again.dxf")
    assert len(drawing.modelspace().query("HATCH")) == 2
    assert [text.dxf.text for text in drawing.modelspace().query("TEXT")] == ["GRASS"]
