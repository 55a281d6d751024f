"""Shapes imported by mouse and keys: catchments, outlets, features and lines, with what is left out."""

import json

import ezdxf
import numpy as np
import pytest
from pyogrio.raw import write
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox
from shapely import Polygon, to_wkb

from tarnwater.desk.benches.ground.import_shapes import HEADS, SWAPPED, ImportShapes
from tarnwater.network.elements import Outfall
from tarnwater.study.document import Study

from .conftest import CTRL, GROUND, SHIFT, Hand
from .test_ground import drop_file
from .test_ground_features import CELL, COLUMNS, ROWS, place, with_valley

SYSTEM = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::27700"}}
TAKE, ROW, NAME, SIZE, DRAINS, NUMBER, REMARK = range(len(HEADS))


def band(first, last):
    """The outline of some rows of the valley."""
    west, east, south, north = 0, COLUMNS * CELL, (ROWS - 1 - last) * CELL, (ROWS - first) * CELL
    return [[west, south], [east, south], [east, north], [west, north], [west, south]]


def polygon(ring):
    return {"type": "Polygon", "coordinates": [ring]}


BOW_TIE = polygon([[0, 0], [100, 100], [100, 0], [0, 100], [0, 0]])


def written(folder, *rows, name="areas.geojson", crs=SYSTEM):
    features = [{"type": "Feature", "properties": fields, "geometry": shape} for shape, fields in rows]
    path = folder / name
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features} | ({"crs": crs} if crs else {})))
    return path


def shapefile_without_system(folder, ring):
    path = folder / "areas.shp"
    write(
        path,
        geometry=np.array([to_wkb(Polygon(ring))], object),
        field_data=[np.array([1])],
        fields=["grid_code"],
        geometry_type="Polygon",
        crs="EPSG:27700",
        driver="ESRI Shapefile",
    )
    path.with_suffix(".prj").unlink()
    return path


@pytest.fixture
def bands(tmp_path):
    return written(
        tmp_path,
        (polygon(band(0, 9)), {"name": "Moor", "cn": 61, "to": "Mill"}),
        (polygon(band(10, 24)), {"name": "Mill", "cn": "n/a", "to": "Weir"}),
        (polygon(band(25, 39)), {"name": "Weir", "cn": 74, "to": ""}),
        (BOW_TIE, {"name": "Twisted", "cn": 70, "to": ""}),
        (polygon(band(25, 39)), {"name": "Again", "cn": 70, "to": ""}),
    )


@pytest.fixture
def at_valley(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley()))
    hand.ground = hand.bench(GROUND)
    hand.settle()
    return hand


def dialog_of(hand, path):
    drop_file(hand.ground, path)
    asked = hand.dialog(ImportShapes)
    hand.bot.waitUntil(lambda: asked.found is not None or not asked.told.text().startswith("reading"), timeout=10_000)
    return asked


def choose(hand, asked, name, words):
    """Choose an entry of a list by keys, and wait until the file has been read again."""
    chooser = hand.named(name, QComboBox, asked)
    chooser.setFocus()
    goal = chooser.findText(words)
    assert goal >= 0
    for _ in range(abs(goal - chooser.currentIndex())):
        hand.key(Qt.Key.Key_Down if goal > chooser.currentIndex() else Qt.Key.Key_Up, on=chooser)
    hand.bot.waitUntil(lambda: not asked.told.text().startswith("reading"), timeout=10_000)


def cell(asked, row, column):
    return asked.table.item(row, column).text()


def take(hand, asked):
    hand.click(asked.take)
    hand.settle()


def test_polygons_become_catchments_led_by_the_terrain_and_are_undone_in_one_step(at_valley, bands):
    hand = at_valley
    before = hand.desk.study.as_dict()
    asked = dialog_of(hand, bands)
    assert [cell(asked, row, NAME) for row in range(3)] == ["Moor", "Mill", "Weir"]
    assert [cell(asked, row, DRAINS) for row in range(3)] == ["Mill", "Weir", "its own outfall"]
    assert cell(asked, 0, NUMBER) == "61"
    assert "crosses itself" in cell(asked, 3, REMARK)
    assert "is the same as row 3" in cell(asked, 4, REMARK)
    assert "“n/a” is no number" in asked.told.text()
    assert "3 of 5 rows can be taken" in asked.told.text()
    take(hand, asked)
    catchments = hand.desk.study.catchments
    assert [catchments[key].area.value for key in ("moor", "mill", "weir")] == pytest.approx(
        [n * COLUMNS * CELL**2 for n in (10, 15, 15)]
    )
    assert catchments["moor"].curve_number == 61
    assert catchments["moor"].flow_length.value == pytest.approx(24 * CELL)
    assert hand.desk.study.elements["moor-reach"].length.value == pytest.approx(15 * CELL)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_dict() == before


def test_a_rejected_row_is_zoomed_to(at_valley, bands):
    hand = at_valley
    asked = dialog_of(hand, bands)
    hand.click_cell(asked.table, 3, NAME)
    x, y = asked.preview.view.pixel(50.0, 50.0)
    assert 0 < x < asked.preview.width()
    assert 0 < y < asked.preview.height()
    assert abs(x - asked.preview.width() / 2) < 3
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_a_row_is_left_out_by_its_tick(at_valley, bands):
    hand = at_valley
    asked = dialog_of(hand, bands)
    box = asked.table.visualItemRect(asked.table.item(1, TAKE))
    hand.click(asked.table.viewport(), QPoint(box.left() + 9, box.center().y()))
    hand.bot.waitUntil(lambda: not asked.told.text().startswith("reading"), timeout=10_000)
    assert [cell(asked, row, DRAINS) for row in range(3)] == ["Weir", "", "its own outfall"]
    take(hand, asked)
    assert "mill" not in hand.desk.study.catchments
    assert {"moor", "weir"} <= set(hand.desk.study.catchments)


def test_fields_and_ways_of_draining_are_chosen(at_valley, bands):
    hand = at_valley
    asked = dialog_of(hand, bands)
    choose(hand, asked, "Where they drain", "all into one outfall")
    assert [cell(asked, row, DRAINS) for row in range(3)] == ["one outfall"] * 3
    choose(hand, asked, "Where they drain", "into the one named by a field")
    choose(hand, asked, "Field of the downstream names", "to")
    assert [cell(asked, row, DRAINS) for row in range(3)] == ["Mill", "Weir", "its own outfall"]
    choose(hand, asked, "Field of the names", "none")
    assert cell(asked, 0, NAME) == "Catchment 1"
    hand.key(Qt.Key.Key_Escape, on=asked)
    assert not any(key.startswith("catchment") for key in hand.desk.study.catchments)


def test_points_become_outlets(at_valley, tmp_path):
    hand = at_valley
    x, y = place(20, 15)
    path = written(
        tmp_path,
        ({"type": "Point", "coordinates": [x + 0.3, y]}, {"name": "Weir"}),
        ({"type": "Point", "coordinates": [-500, -500]}, {"name": "Beside"}),
    )
    asked = dialog_of(hand, path)
    choose(hand, asked, "What the shapes are", "outlets")
    assert cell(asked, 0, NAME) == "Weir"
    assert "outside" in cell(asked, 1, REMARK)
    take(hand, asked)
    assert hand.desk.study.catchments["weir"].area.value == pytest.approx(21 * COLUMNS * CELL**2)
    assert hand.desk.study.catchments["foot"].area.value == pytest.approx(19 * COLUMNS * CELL**2)


def test_lines_become_walls_or_lie_under_the_map(at_valley, tmp_path):
    hand = at_valley
    line = {"type": "LineString", "coordinates": [place(30, 4), place(30, 12)]}
    path = written(tmp_path, (line, {"name": "Flood bank"}))
    asked = dialog_of(hand, path)
    choose(hand, asked, "What the shapes are", "walls")
    take(hand, asked)
    (wall,) = hand.desk.study.ground_features.values()
    assert (wall.title, wall.name) == ("wall", "Flood bank")
    asked = dialog_of(hand, path)
    choose(hand, asked, "What the shapes are", "lines under the map")
    take(hand, asked)
    assert [b.kind for b in hand.desk.study.backgrounds.values()] == ["lines"]


def test_without_a_terrain_polygons_make_a_network_by_themselves(empty, bands):
    hand = empty
    hand.ground = hand.bench(GROUND)
    asked = dialog_of(hand, bands)
    choose(hand, asked, "Where they drain", "each into its own outfall")
    take(hand, asked)
    study = hand.desk.study
    assert study.crs == "EPSG:27700"
    assert len(study.catchments) == 3
    assert sum(isinstance(e, Outfall) for e in study.elements.values()) == 3
    assert study.catchments["moor"].area.value == pytest.approx(10 * COLUMNS * CELL**2)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_dict() == Study(title="New").as_dict()


def test_a_file_without_a_system_is_asked_for_it(at_valley, tmp_path):
    hand = at_valley
    asked = dialog_of(hand, shapefile_without_system(tmp_path, band(0, 9)))
    assert "states no coordinate system" in asked.told.text()
    assert not asked.take.isEnabled()
    hand.fill(hand.named("Coordinate system", among=asked), "EPSG:27700")
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    take(hand, asked)
    assert hand.desk.study.catchments["catchment-1"].area.value == pytest.approx(10 * COLUMNS * CELL**2)


def test_swapped_axes_are_noticed_and_swapped(at_valley, tmp_path):
    hand = at_valley
    strip = [[0, 320], [310, 320], [310, 390], [0, 390], [0, 320]]
    path = written(tmp_path, (polygon([[y, x] for x, y in strip]), {"name": "Moor"}))
    asked = dialog_of(hand, path)
    assert SWAPPED in asked.told.text()
    hand.click(asked.swap, QPoint(8, asked.swap.height() // 2))
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    assert "its axes were swapped" in asked.told.text()
    assert SWAPPED not in asked.told.text()
    take(hand, asked)
    assert hand.desk.study.catchments["moor"].area.value == pytest.approx(310 * 70)


def test_a_drawing_gives_its_layers_and_says_what_is_open(at_valley, tmp_path):
    hand = at_valley
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 6
    space = document.modelspace()
    space.add_lwpolyline(band(0, 9)[:-1], close=True, dxfattribs={"layer": "PLOTS"})
    space.add_lwpolyline([*band(10, 24)[:-1], [0, 152]], dxfattribs={"layer": "PLOTS"})
    space.add_text("Upper", dxfattribs={"insert": place(5, 15)})
    path = tmp_path / "plots.dxf"
    document.saveas(path)
    asked = dialog_of(hand, path)
    assert "states its unit: 1 m" in asked.told.text()
    assert cell(asked, 0, NAME) == "Upper"
    assert "is open" in cell(asked, 1, REMARK)
    take(hand, asked)
    assert hand.desk.study.catchments["upper"].area.value == pytest.approx(10 * COLUMNS * CELL**2)


def test_a_file_that_cannot_be_read_is_said_and_nothing_taken(at_valley, tmp_path):
    hand = at_valley
    path = tmp_path / "odd.geojson"
    path.write_text("{")
    asked = dialog_of(hand, path)
    assert "damaged" in asked.told.text()
    assert not asked.take.isEnabled()
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_the_keys_open_the_file_dialog(at_valley, bands):
    hand = at_valley
    hand.answer_file(bands)
    hand.key(Qt.Key.Key_I, CTRL | SHIFT, on=hand.window)
    asked = hand.dialog(ImportShapes)
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_gaps_and_overlaps_are_listed_zoomed_to_and_closed(at_valley, tmp_path):
    hand = at_valley
    lower = [[0, 0], [310, 0], [310, 204], [0, 204], [0, 0]]
    path = written(tmp_path, (polygon(band(0, 19)), {"name": "Upper"}), (polygon(lower), {"name": "Lower"}))
    asked = dialog_of(hand, path)
    assert cell(asked, 2, REMARK) == "Upper and Lower overlap by 0.1240 ha"
    hand.click_cell(asked.table, 2, NAME)
    x, y = asked.preview.view.pixel(155.0, 202.0)
    assert abs(x - asked.preview.width() / 2) < 3
    assert abs(y - asked.preview.height() / 2) < 3
    hand.fill(hand.named("Gaps and overlaps to mend", among=asked), "2000 m2")
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    assert "mended: Upper and Lower overlap by 0.1240 ha" in asked.told.text()
    assert asked.table.rowCount() == 2
    take(hand, asked)
    assert hand.desk.study.catchments["lower"].area.value == pytest.approx(310 * 200)
    assert hand.desk.study.catchments["upper"].area.value == pytest.approx(310 * 200)
