"""Features of the ground, and the layers of the map, by mouse and keys."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox

from tarnwater.brief.ground import HEADS
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import condition_terrain
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.terrain.grid import Grid

from .conftest import CTRL, GROUND, Hand

ALT = Qt.KeyboardModifier.AltModifier
CELL, ROWS, COLUMNS, MIDDLE = 10.0, 40, 31, 15
NAME, SIZE, REMARK = HEADS.index("name"), HEADS.index("height or depth"), HEADS.index("remark")
WHOLE, BELOW = ROWS * COLUMNS * CELL**2, 20 * COLUMNS * CELL**2


def place(row, column):
    """The centre of a cell."""
    return (column + 0.5) * CELL, (ROWS - row - 0.5) * CELL


def with_valley(change=lambda z: None):
    """A valley that falls south down its middle column, with an outlet at its foot."""
    down, across = np.indices((ROWS, COLUMNS))
    z = 200.0 - 1.0 * down + 3.0 * np.abs(across - MIDDLE)
    change(z)
    blobs = Blobs()
    grid = Grid(z, 0.0, ROWS * CELL, CELL, CELL, "EPSG:27700")
    terrain = condition_terrain(grid, blobs, source="valley", stream_threshold=CELL**2, snap_radius=1.0)
    study = Study(title="By hand")
    return delineate_into(study, terrain, outlets_named([("Foot", *place(ROWS - 1, MIDDLE))]), blobs), blobs


def bank(z):
    """A bank across the whole valley in row 20: the water above leaves over the northern edge."""
    z[20] = 230.0


def hole(z):
    """A hole without data beside the stream."""
    z[25:27, 5:7] = np.nan


@pytest.fixture
def at_bank(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley(bank)))
    hand.ground = hand.bench(GROUND)
    hand.canvas = hand.ground.canvas
    hand.settle()
    return hand


def area(hand):
    return hand.desk.study.catchments["foot"].area.value


def row_of(hand, key):
    return next(i for i, row in enumerate(hand.ground.changes.model.rows) if row.key == key)


def told(hand, key):
    model, row = hand.ground.changes.model, row_of(hand, key)
    return [model.index(row, column).data() for column in range(len(HEADS))]


def test_a_culvert_is_drawn_by_the_mouse_and_undone_to_the_same_study(at_bank):
    hand = at_bank
    before = hand.desk.study.as_dict()
    assert area(hand) == BELOW
    hand.draw(hand.canvas, Qt.Key.Key_C, place(18, MIDDLE), place(22, MIDDLE))
    assert area(hand) == WHOLE
    assert told(hand, "culvert-1")[:2] == ["culvert", "Culvert 1"]
    assert hand.ground.changes.view.currentIndex().row() == row_of(hand, "culvert-1")
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_dict() == before
    hand.key(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier, on=hand.window)
    hand.settle()
    assert area(hand) == WHOLE


def test_a_culvert_is_drawn_by_keys_alone(at_bank):
    hand = at_bank
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_C, on=hand.canvas)
    # the cross begins in the middle of the map, beside the stream in row 19 or 20
    for _ in range(2):
        hand.key(Qt.Key.Key_Up, on=hand.canvas)
    hand.key(Qt.Key.Key_Space, on=hand.canvas)
    for _ in range(5):
        hand.key(Qt.Key.Key_Down, on=hand.canvas)
    hand.key(Qt.Key.Key_Space, on=hand.canvas)
    hand.key(Qt.Key.Key_Return, on=hand.canvas)
    hand.settle()
    assert "culvert-1" in hand.desk.study.ground_features
    assert area(hand) == WHOLE


def test_backspace_takes_a_place_back_and_escape_first_the_line_then_the_tool(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    hand.key(Qt.Key.Key_W, on=canvas)
    for row in (5, 10, 15):
        hand.click(canvas, hand.pixel(canvas, place(row, 8)))
    assert len(canvas.hand.line) == 3
    hand.key(Qt.Key.Key_Backspace, on=canvas)
    assert len(canvas.hand.line) == 2
    hand.key(Qt.Key.Key_Escape, on=canvas)
    assert (canvas.hand.line, canvas.hand.tool) == ([], "feature")
    hand.key(Qt.Key.Key_Return, on=canvas)
    assert "a line" in hand.ground._said.text()
    hand.key(Qt.Key.Key_Escape, on=canvas)
    assert canvas.hand.tool == ""
    assert not hand.desk.study.ground_features


def test_features_are_offered_in_a_menu(at_bank):
    hand = at_bank
    hand.click(hand.named("Draw a feature of the ground"))
    hand.click_menu("Kept depression   K")
    hand.click(hand.canvas, hand.pixel(hand.canvas, place(30, 6)))
    hand.settle()
    (kept,) = hand.desk.study.ground_features.values()
    assert kept.title == "kept depression"


def test_a_height_is_typed_with_its_unit_and_the_ground_follows(at_bank):
    hand = at_bank
    hand.draw(hand.canvas, Qt.Key.Key_W, place(30, 4), place(30, 12))
    row, view = row_of(hand, "wall-1"), hand.ground.changes.view
    hand.type_in_cell(view, row, SIZE, "4 ft")
    hand.settle()
    assert hand.desk.study.ground_features["wall-1"].height == pytest.approx(4 * 0.3048, rel=1e-15)
    assert told(hand, "wall-1")[HEADS.index("greatest change")] == "1.219 m"
    assert hand.desk.file.history.past[-1].label == "set the height of Wall 1 to 1.219 m"


def test_what_cannot_be_a_height_stays_in_its_cell_with_the_reason(at_bank):
    hand = at_bank
    hand.draw(hand.canvas, Qt.Key.Key_W, place(30, 4), place(30, 12))
    row, view = row_of(hand, "wall-1"), hand.ground.changes.view
    hand.type_in_cell(view, row, SIZE, "high")
    assert told(hand, "wall-1")[SIZE] == "high"
    assert "high" in hand.window.message.text()
    hand.type_in_cell(view, row, SIZE, "-2 m")
    assert told(hand, "wall-1")[SIZE] == "-2 m"
    assert "greater than" in hand.window.message.text()
    assert hand.desk.study.ground_features["wall-1"].height == 3.0
    hand.click_cell(view, row, SIZE)
    hand.key(Qt.Key.Key_Delete, on=view)
    assert told(hand, "wall-1")[SIZE] == "3.000 m"


def test_a_feature_is_renamed_and_a_taken_name_refused(at_bank):
    hand = at_bank
    hand.draw(hand.canvas, Qt.Key.Key_W, place(30, 4), place(30, 12))
    hand.key(Qt.Key.Key_Escape, on=hand.canvas)
    hand.draw(hand.canvas, Qt.Key.Key_W, place(34, 4), place(34, 12))
    view = hand.ground.changes.view
    hand.type_in_cell(view, row_of(hand, "wall-1"), NAME, "Flood bank")
    assert hand.desk.study.ground_features["wall-1"].name == "Flood bank"
    hand.type_in_cell(view, row_of(hand, "wall-2"), NAME, "flood bank")
    assert hand.desk.study.ground_features["wall-2"].name == "Wall 2"
    assert "already a feature" in hand.window.message.text()


def test_delete_removes_the_feature_and_undo_brings_it_back(at_bank):
    hand = at_bank
    hand.draw(hand.canvas, Qt.Key.Key_C, place(18, MIDDLE), place(22, MIDDLE))
    view = hand.ground.changes.view
    hand.click_cell(view, row_of(hand, "culvert-1"), NAME)
    hand.key(Qt.Key.Key_Delete, on=view)
    hand.settle()
    assert not hand.desk.study.ground_features
    assert area(hand) == BELOW
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert area(hand) == WHOLE


def test_limits_of_breaching_are_typed_and_open_the_bank(at_bank):
    hand = at_bank
    hand.click(hand.named("Show the ground changes"))
    hand.fill(hand.named("greatest depth of a breach"), "60 m")
    hand.settle()
    assert area(hand) == BELOW
    hand.fill(hand.named("greatest length of a breach"), "100 m")
    hand.settle()
    assert (hand.desk.study.terrain.breach_depth, hand.desk.study.terrain.breach_length) == (60.0, 100.0)
    assert area(hand) == WHOLE
    hand.fill(hand.named("greatest depth of a breach"), "deep")
    assert "deep" in hand.window.message.text()
    assert hand.desk.study.terrain.breach_depth == 60.0


def test_acts_in_quick_succession_are_all_done(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    for row in (28, 32, 36):
        hand.key(Qt.Key.Key_W, on=canvas)
        for column in (4, 12):
            hand.click(canvas, hand.pixel(canvas, place(row, column)))
        hand.key(Qt.Key.Key_Return, on=canvas)
        hand.key(Qt.Key.Key_Escape, on=canvas)
    hand.settle()
    assert [f.name for f in hand.desk.study.ground_features.values()] == ["Wall 1", "Wall 2", "Wall 3"]


def test_a_feature_is_chosen_on_the_map_and_found_from_the_table(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    hand.draw(hand.canvas, Qt.Key.Key_W, place(30, 4), place(30, 12))
    hand.key(Qt.Key.Key_Escape, on=canvas)
    hand.draw(hand.canvas, Qt.Key.Key_C, place(18, MIDDLE), place(22, MIDDLE))
    hand.key(Qt.Key.Key_Escape, on=canvas)
    hand.click(canvas, hand.pixel(canvas, place(30, 8)))
    assert canvas.hand.feature == "wall-1"
    view = hand.ground.changes.view
    assert view.currentIndex().row() == row_of(hand, "wall-1")
    hand.click_cell(view, row_of(hand, "culvert-1"), NAME)
    assert canvas.hand.feature == "culvert-1"
    assert canvas.hand.marked == hand.desk.study.terrain.changes[0].place


def test_what_a_hole_is_is_chosen_in_its_row(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley(hole)))
    hand.ground = hand.bench(GROUND)
    hand.click(hand.named("Show the ground changes"))
    (void,) = hand.desk.study.terrain.voids
    view, row = hand.ground.changes.view, row_of(hand, "hole-1")
    assert void.treatment == "interpolate"
    hand.click_cell(view, row, REMARK)
    hand.key(Qt.Key.Key_Return, on=view)
    chooser = next(c for c in view.findChildren(QComboBox) if c.isVisible())
    hand.key(Qt.Key.Key_Up, on=chooser)
    hand.key(Qt.Key.Key_Return, on=chooser)
    hand.settle()
    assert hand.desk.study.terrain.voids[0].treatment == "wall"
    assert told(hand, "hole-1")[REMARK] == "is a wall"


def test_changed_ground_is_seen_on_the_map(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    hand.draw(hand.canvas, Qt.Key.Key_C, place(18, MIDDLE), place(22, MIDDLE))
    hand.key(Qt.Key.Key_Escape, on=canvas)
    for key in ("features", "streams", "reaches", "catchments", "labels", "network"):
        canvas.layers.show(key, False)
    hand.bot.wait(50)
    at = hand.pixel(canvas, place(19, MIDDLE))
    with_overlay = canvas.grab().toImage().pixelColor(at)
    canvas.layers.show("moved", False)
    hand.bot.wait(50)
    assert canvas.grab().toImage().pixelColor(at) != with_overlay


def test_layers_are_hidden_isolated_reordered_and_faded_by_keys(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    canvas.setFocus()
    hand.key(Qt.Key.Key_Y, on=canvas)
    listed = hand.ground.layers_panel.list
    assert listed.hasFocus()
    assert listed.currentItem().text() == "names"
    hand.key(Qt.Key.Key_Space, on=listed)
    assert canvas.layers.opacity("labels") == 0
    hand.key(Qt.Key.Key_Down, on=listed)
    hand.key(Qt.Key.Key_Return, on=listed)
    assert canvas.layers.alone == "network"
    assert canvas.layers.opacity("relief") == 0
    hand.key(Qt.Key.Key_Return, on=listed)
    assert canvas.layers.opacity("relief") == 1
    hand.key(Qt.Key.Key_Down, ALT, on=listed)
    assert [layer.key for layer in canvas.layers][-3:] == ["network", "depressions", "labels"]
    slider = hand.ground.layers_panel.opacity
    hand.key(Qt.Key.Key_PageDown, on=slider)
    assert canvas.layers.opacity("network") == pytest.approx(0.9)


def test_a_layer_is_hidden_by_a_click_on_its_tick(at_bank):
    hand, canvas = at_bank, at_bank.canvas
    hand.click(hand.named("Show the layers of the map"))
    listed = hand.ground.layers_panel.list
    before = canvas.grab(canvas.rect()).toImage()
    row = next(i for i in range(listed.count()) if listed.item(i).text() == "relief")
    box = listed.visualItemRect(listed.item(row))
    hand.click(listed.viewport(), QPoint(box.left() + 9, box.center().y()))
    assert canvas.layers.opacity("relief") == 0
    assert canvas.grab(canvas.rect()).toImage() != before
