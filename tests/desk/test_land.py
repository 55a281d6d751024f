"""Cover and soil by mouse and keys: maps brought in, tables read and typed, classes, and everything undone."""

import json

import ezdxf
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QListWidget, QPushButton
from shapely.geometry import box, mapping

from tarnwater.cover.classes import composite
from tarnwater.desk.benches.ground.class_sheet import FIELDS, ClassSheet
from tarnwater.desk.benches.ground.import_land import ImportLand
from tarnwater.desk.benches.ground.import_shapes import ImportShapes
from tarnwater.desk.benches.ground.land_maps import LandMaps
from tarnwater.desk.benches.ground.land_table import AREA, COEFFICIENT, COVER, NUMBER, SHARE, SOIL
from tarnwater.desk.benches.ground.values_table import AREA as AREA_OF_VALUE
from tarnwater.desk.benches.ground.values_table import MEANS, UNKNOWN, VALUE
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.document import Study

from .conftest import CTRL, GROUND, SHIFT, Hand
from .test_ground import drop_file
from .test_ground_features import CELL, COLUMNS, ROWS, with_valley

ALT = Qt.KeyboardModifier.AltModifier
WIDE, HIGH = COLUMNS * CELL, ROWS * CELL
SYSTEM = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::27700"}}


def written(path, *pairs, field="code"):
    features = [{"type": "Feature", "properties": {field: value}, "geometry": mapping(shape)} for shape, value in pairs]
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features, "crs": SYSTEM}))
    return path


@pytest.fixture
def cover(tmp_path):
    """West half M, east half W, and a corner of an unknown X."""
    half = WIDE / 2
    return written(
        tmp_path / "cover.geojson", (box(0, 0, half, HIGH), "M"), (box(half, 0, WIDE, HIGH), "W"),
        (box(0, 0, half / 2, HIGH / 4), "X"),
    )  # fmt: skip


@pytest.fixture
def soils(tmp_path):
    return written(
        tmp_path / "soils.geojson", (box(0, HIGH / 2, WIDE, HIGH), "B"), (box(0, 0, WIDE, HIGH / 2), "D"), field="hsg"
    )


@pytest.fixture
def at_valley(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley()))
    hand.ground = hand.bench(GROUND)
    hand.settle()
    return hand


@pytest.fixture
def at_field(open_window, qtbot):
    """A study without a map: one catchment of 1 ha."""
    one = Catchment(name="Field", area=Setting[float](derived=10_000.0), lag=Setting[float](derived=900.0))
    hand = Hand(qtbot, open_window(edits.add_draining(Study(title="By hand"), one, "field")))
    hand.ground = hand.bench(GROUND)
    hand.desk.select("field")
    hand.settle()
    hand.click(hand.ground.land_tab)
    return hand


def dialog_of(hand, path):
    """Bring in a map by its key and the name of its file."""
    hand.answer_file(path)
    hand.key(Qt.Key.Key_C, CTRL | SHIFT, on=hand.window)
    asked = hand.dialog(ImportLand)
    hand.bot.waitUntil(lambda: asked.found is not None or not asked.told.text().startswith("reading"), timeout=10_000)
    return asked


def row_of(table, value):
    return next(row for row in range(table.rowCount()) if table.item(row, VALUE).text() == value)


def mean(hand, table, value, text):
    """Choose what a value means, by typing into its list."""
    row = row_of(table, value)
    hand.click(table.viewport(), table.visualItemRect(table.item(row, MEANS)).center())
    hand.key(Qt.Key.Key_Return, on=table)
    chooser = next(one for one in table.findChildren(QComboBox) if one.isVisible())
    line = chooser.lineEdit()
    hand.key(Qt.Key.Key_A, CTRL, on=line)
    hand.write(text, on=line)
    hand.key(Qt.Key.Key_Escape, on=chooser.completer().popup()) if chooser.completer().popup().isVisible() else None
    hand.key(Qt.Key.Key_Return, on=line)
    hand.bot.wait(30)


def bring_in(hand, asked):
    hand.click(asked.take)
    hand.settle()


def cells(hand, row):
    model = hand.ground.land.model
    return [model.index(row, column).data() for column in range(model.columnCount())]


def covered(hand, cover, soils):
    """Bring in both maps, by the names of classes."""
    asked = dialog_of(hand, cover)
    mean(hand, asked.values, "M", "meadow")
    mean(hand, asked.values, "W", "woods, good")
    bring_in(hand, asked)
    bring_in(hand, dialog_of(hand, soils))
    hand.desk.select("foot")
    hand.click(hand.ground.land_tab)
    hand.bot.wait(20)


def choose(hand, chooser, words):
    chooser.setFocus()
    goal = chooser.findText(words)
    assert goal >= 0
    for _ in range(abs(goal - chooser.currentIndex())):
        hand.key(Qt.Key.Key_Down if goal > chooser.currentIndex() else Qt.Key.Key_Up, on=chooser)
    hand.settle()


def test_maps_are_brought_in_and_the_table_adds_up(at_valley, cover, soils):
    hand = at_valley
    before = hand.desk.study.as_line()
    asked = dialog_of(hand, cover)
    assert {asked.values.item(row, VALUE).text() for row in range(3)} == {"M", "W", "X"}
    assert asked.values.item(row_of(asked.values, "X"), MEANS).text() == UNKNOWN
    assert "3 of 3 values are unknown" in asked.told.text()
    mean(hand, asked.values, "M", "meadow")
    mean(hand, asked.values, "W", "woods, good")
    assert "1 of 3 values are unknown" in asked.told.text()
    bring_in(hand, asked)
    # the unknown corner lies over the meadow, and means nothing: the meadow below it counts
    assert len(hand.desk.study.land_layers) == 1
    asked = dialog_of(hand, soils)
    assert asked.holds.currentText() == "soil group"
    assert asked.attribute.currentText() == "hsg"
    bring_in(hand, asked)
    hand.desk.select("foot")
    hand.click(hand.ground.land_tab)
    model = hand.ground.land.model
    rows = [line.row for line in model.lines if not line.total]
    assert {(row.title, row.soil, row.number) for row in rows} == {
        ("Meadow", "B", 58), ("Meadow", "D", 78), ("Woods, good", "B", 55), ("Woods, good", "D", 77)
    }  # fmt: skip
    total = cells(hand, len(rows))
    number = composite([row.area for row in rows], [row.number for row in rows])
    assert total[NUMBER] == f"{number:.2f}"
    assert sum(row.area for row in rows) == pytest.approx(hand.desk.study.catchments["foot"].area.value, rel=1e-9)
    for _ in range(2):
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
        hand.settle()
    assert hand.desk.study.as_line() == before


def test_a_drawing_is_imported_repaired_covered_read_and_undone(at_valley, cover, soils, tmp_path):
    hand = at_valley
    before = hand.desk.study.as_line()
    drawing = ezdxf.new("R2010")
    drawing.header["$INSUNITS"] = 6
    space = drawing.modelspace()
    half = HIGH / 2
    # two plots that overlap by a strip of 0.5 m
    for ring in (
        [(10, half - 0.5), (WIDE - 10, half - 0.5), (WIDE - 10, HIGH - 10), (10, HIGH - 10)],
        [(10, 10), (WIDE - 10, 10), (WIDE - 10, half), (10, half)],
    ):
        space.add_lwpolyline(ring, close=True, dxfattribs={"layer": "PLOTS"})
    space.add_text("Upper", dxfattribs={"insert": (WIDE / 2, HIGH * 0.75)})
    space.add_text("Lower", dxfattribs={"insert": (WIDE / 2, HIGH * 0.25)})
    path = tmp_path / "plots.dxf"
    drawing.saveas(path)
    drop_file(hand.ground, path)
    asked = hand.dialog(ImportShapes)
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    names = hand.named("Field of the names", QComboBox, asked)
    choose(hand, names, "label")
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    assert "overlap" in asked.told.text()
    hand.fill(hand.named("Gaps and overlaps to mend", QLineEdit, asked), "1000 m2")
    hand.bot.waitUntil(lambda: "mended" in asked.told.text(), timeout=10_000)
    hand.click(asked.take)
    hand.settle()
    acts = 1
    covered(hand, cover, soils)
    acts += 2
    hand.desk.select("upper")
    hand.bot.wait(30)
    rows = [line.row for line in hand.ground.land.model.lines if not line.total]
    assert {row.title for row in rows} == {"Meadow", "Woods, good"}
    total = cells(hand, len(rows))
    hand.click_cell(hand.ground.land.view, 0, NUMBER)
    hand.key(Qt.Key.Key_F1, on=hand.ground.land.view)
    hand.bot.wait(20)
    node = hand.window.ledger.answer.node
    assert f"{node.value:.2f}" == total[NUMBER]
    assert node.recomputed() == pytest.approx(node.value, rel=1e-12)
    assert "(A1 CN1 + A2 CN2 + " in node.equation
    for _ in range(acts):
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
        hand.settle()
    assert hand.desk.study.as_line() == before


def test_what_values_mean_is_kept_for_other_studies(at_valley, cover):
    hand = at_valley
    asked = dialog_of(hand, cover)
    mean(hand, asked.values, "M", "meadow")
    bring_in(hand, asked)
    again = dialog_of(hand, cover)
    assert again.values.item(row_of(again.values, "M"), MEANS).text() == "Meadow"
    hand.key(Qt.Key.Key_Escape, on=again)


def test_a_meaning_that_is_no_class_is_told_and_not_taken(at_valley, cover):
    hand = at_valley
    asked = dialog_of(hand, cover)
    mean(hand, asked.values, "M", "medow")
    assert "there is no “medow”" in asked.told.text()
    assert asked.values.item(row_of(asked.values, "M"), MEANS).text() == UNKNOWN
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_values_change_their_priority_by_keys(at_valley, cover):
    hand = at_valley
    asked = dialog_of(hand, cover)
    first = asked.values.order
    row = row_of(asked.values, first[0])
    hand.click(asked.values.viewport(), asked.values.visualItemRect(asked.values.item(row, MEANS)).center())
    hand.key(Qt.Key.Key_Down, ALT, on=asked.values)
    assert asked.values.order == [first[1], first[0], *first[2:]]
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_a_table_is_joined_to_a_map(at_valley, tmp_path):
    hand = at_valley
    path = written(tmp_path / "units.geojson", (box(0, 0, WIDE, HIGH), 12), field="unit")
    legend = tmp_path / "legend.csv"
    legend.write_text("number,group\n12,C/D\n")
    asked = dialog_of(hand, path)
    hand.answer_file(legend)
    hand.click(hand.named("Join a table", QPushButton, asked))
    hand.bot.waitUntil(lambda: asked.found is not None and "group" in asked.found.layer.fields, timeout=10_000)
    choose(hand, hand.named("What the map tells", QComboBox, asked), "soil group")
    hand.bot.waitUntil(lambda: asked.found is not None, timeout=10_000)
    assert asked.attribute.currentText() == "group"
    assert asked.values.item(0, MEANS).text() == "C/D"
    bring_in(hand, asked)
    assert [one.means for one in hand.desk.study.land_layers["units"].values] == ["C/D"]


def test_a_file_that_is_no_map_says_why(at_valley, tmp_path):
    hand = at_valley
    path = tmp_path / "cover.geojson"
    path.write_text("no map")
    asked = dialog_of(hand, path)
    assert "damaged or not a vector file" in asked.told.text()
    assert not asked.take.isEnabled()
    hand.key(Qt.Key.Key_Escape, on=asked)


def test_a_typed_curve_number_stands_in_the_table_and_the_ledger(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    view = hand.ground.land.view
    hand.type_in_cell(view, 0, NUMBER, "81")
    hand.settle()
    line = hand.ground.land.model.lines[0]
    assert line.number_typed
    assert line.row.number == 81
    assert hand.named(f"curve number of {hand.desk.study.name_of('foot')}")
    hand.click_cell(view, 0, NUMBER)
    hand.key(Qt.Key.Key_Delete, on=view)
    hand.settle()
    assert not hand.ground.land.model.lines[0].number_typed


def test_a_composite_is_chosen_and_its_number_stays(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    before = hand.desk.study.catchments["foot"].curve_number
    choose(hand, hand.ground.land.uses, "one composite")
    assert [one.name for one in hand.desk.study.catchments["foot"].surfaces] == ["composite"]
    assert hand.desk.study.catchments["foot"].curve_number == pytest.approx(before, rel=1e-12)


def test_the_legend_shows_what_is_drawn(at_valley, cover):
    hand = at_valley
    asked = dialog_of(hand, cover)
    mean(hand, asked.values, "M", "meadow")
    mean(hand, asked.values, "W", "woods, good")
    bring_in(hand, asked)
    assert set(hand.ground.land_legend.rows) == {"Meadow", "Woods, good"}
    picture = hand.ground.canvas.grab().toImage()
    x, y = hand.ground.canvas.view.pixel(WIDE * 0.35, HIGH * 0.6)
    assert picture.pixelColor(round(x), round(y)).green() > picture.pixelColor(round(x), round(y)).red()


def test_rows_by_hand_have_a_running_remainder(at_field):
    hand = at_field
    hand.click(hand.ground.land.by_hand)
    hand.settle()
    view, model = hand.ground.land.view, hand.ground.land.model
    type_choice(hand, view, 0, COVER, "meadow")
    type_choice(hand, view, 0, SOIL, "B")
    hand.type_in_cell(view, 0, SHARE, "60")
    hand.settle()
    assert cells(hand, 1)[-1] == "0.4000 ha left without a row"
    hand.click(hand.ground.land.add_row)
    hand.settle()
    type_choice(hand, view, 1, COVER, "gravel yard")
    hand.type_in_cell(view, 1, NUMBER, "85")
    hand.settle()
    assert model.lines[1].row.remainder
    assert model.lines[1].cells[AREA] == "0.4000 ha"
    assert cells(hand, 2)[NUMBER] == f"{0.6 * 58 + 0.4 * 85:.2f}"
    assert hand.desk.study.catchments["field"].curve_number == pytest.approx(0.6 * 58 + 0.4 * 85)
    hand.type_in_cell(view, 1, AREA, "0.5 ha")
    hand.settle()
    assert cells(hand, 2)[-1] == "0.1000 ha more than its area"
    hand.click_cell(view, 1, COVER)
    hand.click(hand.ground.land.fill_rest)
    hand.settle()
    assert cells(hand, 2)[-1] == ""


def type_choice(hand, view, row, column, text):
    hand.click_cell(view, row, column)
    hand.key(Qt.Key.Key_Return, on=view)
    chooser = next(one for one in view.findChildren(QComboBox) if one.isVisible())
    line = chooser.lineEdit()
    hand.key(Qt.Key.Key_A, CTRL, on=line)
    hand.write(text, on=line)
    popup = chooser.completer().popup()
    if popup.isVisible():
        hand.key(Qt.Key.Key_Escape, on=popup)
    hand.key(Qt.Key.Key_Return, on=line)
    hand.bot.wait(20)
    hand.settle()


@pytest.mark.parametrize(
    ("column", "text", "told"),
    [(AREA, "much", "much"), (NUMBER, "140", "140"), (SHARE, "120", "120"), (COEFFICIENT, "2", "2")],
)
def test_a_cell_by_hand_that_cannot_be_keeps_its_text_with_the_reason(at_field, column, text, told):
    hand = at_field
    hand.click(hand.ground.land.by_hand)
    hand.settle()
    before = hand.desk.study.as_line()
    hand.type_in_cell(hand.ground.land.view, 0, column, text)
    hand.settle()
    assert hand.ground.land.model.index(0, column).data() == text
    assert told in hand.ground.land.model.index(0, column).data(Qt.ItemDataRole.ToolTipRole)
    assert hand.desk.study.as_line() == before


def test_the_rain_and_the_rules_are_typed_beside_the_table(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    land = hand.ground.land
    hand.fill(land.rain, "2 in")
    hand.settle()
    assert hand.desk.study.land_rules.rain == pytest.approx(50.8)
    assert "by composite CN" in land._runoff.text()
    choose(hand, land.soil, "C")
    assert hand.desk.study.land_rules.default_soil == "C"
    hand.fill(land.period, "100")
    hand.settle()
    assert cells(hand, 0)[COEFFICIENT] in ("0.25", "–")


def test_in_us_units_areas_and_runoff_are_in_acres_and_inches(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    hand.find("us customary")
    hand.settle()
    hand.click(hand.ground.land_tab)
    assert cells(hand, 0)[AREA].endswith(" ac")
    assert " in, " in hand.ground.land._runoff.text()


def test_a_class_is_edited_in_the_sheet_and_its_catchments_follow(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    hand.click(hand.ground.land.classes)
    sheet = hand.dialog(ClassSheet)
    row = next(n for n, one in enumerate(sheet.model.classes) if one.name == "Meadow")
    hand.type_in_cell(sheet.view, row, FIELDS.index("group_b"), "62")
    assert sheet.model.classes[row].group_b == 62
    assert "edited" in sheet.model.index(row, len(FIELDS) - 1).data()
    numbers = {one.loss.curve_number.value for one in hand.desk.study.catchments["foot"].surfaces}
    assert 62 in numbers
    hand.type_in_cell(sheet.view, row, FIELDS.index("group_b"), "162")
    assert sheet.model.index(row, FIELDS.index("group_b")).data() == "162"
    assert "162" in sheet.told.text()
    assert hand.desk.study.cover_classes["Meadow"].group_b == 62
    hand.key(Qt.Key.Key_Escape, on=sheet)


def test_a_class_is_added_kept_for_other_studies_and_removed(at_field):
    hand = at_field
    hand.click(hand.ground.land.classes)
    sheet = hand.dialog(ClassSheet)
    hand.click(hand.named("Add a class", QPushButton, sheet))
    editor = next(e for e in sheet.view.findChildren(QLineEdit) if e.isVisible())
    hand.key(Qt.Key.Key_A, CTRL, on=editor)
    hand.write("Blanket bog", on=editor)
    hand.key(Qt.Key.Key_Return, on=editor)
    hand.bot.wait(20)
    assert "Blanket bog" in hand.desk.study.cover_classes
    row = next(n for n, one in enumerate(sheet.model.classes) if one.name == "Blanket bog")
    hand.click_cell(sheet.view, row, 0)
    hand.click(hand.named("Keep the class for other studies", QPushButton, sheet))
    assert "own, in the study, kept" in sheet.model.index(row, len(FIELDS) - 1).data()
    hand.click_cell(sheet.view, row, 0)
    hand.key(Qt.Key.Key_Delete, on=sheet.view)
    assert "Blanket bog" not in hand.desk.study.cover_classes
    row = next(n for n, one in enumerate(sheet.model.classes) if one.name == "Blanket bog")
    assert sheet.model.index(row, len(FIELDS) - 1).data() == "own, kept"
    hand.key(Qt.Key.Key_Escape, on=sheet)


def test_maps_are_ordered_remeant_and_removed_as_one_act(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    before = hand.desk.study.as_line()
    hand.click(hand.ground.land.maps)
    asked = hand.dialog(LandMaps)
    maps = hand.named("Maps, the highest first", QListWidget, asked)
    maps.setFocus()
    goal = next(n for n in range(maps.count()) if maps.item(n).text().startswith("cover"))
    for _ in range(goal - maps.currentRow()):
        hand.key(Qt.Key.Key_Down, on=maps)
    assert asked.values.item(row_of(asked.values, "X"), AREA_OF_VALUE).text()
    mean(hand, asked.values, "X", "open water")
    hand.click(hand.named("Keep", QPushButton, asked)) if False else hand.click(
        next(b for b in asked.buttons.findChildren(QPushButton) if b.text() == "Keep")
    )
    hand.settle()
    titles = {line.row.title for line in hand.ground.land.model.lines if not line.total}
    assert "Open water" in titles
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_line() == before


def test_a_catchment_drawn_anew_has_its_land_measured_again(at_valley, cover, soils):
    hand = at_valley
    covered(hand, cover, soils)
    canvas = hand.ground.canvas
    hand.key(Qt.Key.Key_O, on=canvas)
    from .test_ground_features import MIDDLE, place

    hand.click(canvas, hand.pixel(canvas, place(20, MIDDLE)))
    hand.settle()
    new = next(key for key in hand.desk.study.catchments if key != "foot")
    for key in (new, "foot"):
        one = hand.desk.study.catchments[key]
        assert one.land is not None
        assert sum(patch.area for patch in one.land.patches) == pytest.approx(one.area.value, rel=1e-9)
