"""Outlines on the map by mouse and keys: drawn, reshaped, split, merged; boundaries mended; flow paths; labels."""

import pytest
import shapely
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLineEdit, QPushButton
from shapely.geometry import MultiPolygon, box

from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs

from .conftest import CTRL, GROUND, Hand
from .test_ground_features import CELL, COLUMNS, MIDDLE, ROWS, place, with_valley

WIDE, HIGH = COLUMNS * CELL, ROWS * CELL


@pytest.fixture
def at_valley(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley()))
    hand.ground = hand.bench(GROUND)
    hand.canvas = hand.ground.canvas
    hand.settle()
    hand.desk.select("foot")
    return hand


@pytest.fixture
def at_plots(open_window, qtbot):
    """Two plots without a terrain, which overlap by a strip of 1 m."""
    blobs, study = Blobs(), changed(Study(title="Plots"), crs="EPSG:27700")
    for name, one in (("west", box(0, 0, 101, 100)), ("east", box(100, 0, 200, 100))):
        outline = blobs.add("geometry", shapely.to_wkb(MultiPolygon([one])))
        inside = one.centroid.coords[0]
        made = Catchment(name=name.capitalize(), area=Setting[float](derived=one.area), outline=outline, place=inside)
        study = edits.add_draining(study, made, name)
    hand = Hand(qtbot, open_window(study, blobs))
    hand.ground = hand.bench(GROUND)
    hand.canvas = hand.ground.canvas
    hand.settle()
    hand.click(hand.canvas, hand.pixel(hand.canvas, (60, 30)))
    return hand


def areas(hand):
    return {key: one.area.value for key, one in hand.desk.study.catchments.items()}


def test_a_catchment_is_drawn_and_drains_to_the_outfall(at_plots):
    hand = at_plots
    before = hand.desk.study.as_line()
    hand.draw(hand.canvas, Qt.Key.Key_D, (40, 130), (80, 130), (80, 160), (40, 160))
    (new,) = areas(hand).keys() - {"west", "east"}
    assert areas(hand)[new] == pytest.approx(40 * 30, rel=0.02)
    assert hand.desk.selection == new
    hand.key(Qt.Key.Key_Escape, on=hand.canvas)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_line() == before


def test_a_drawn_corner_snaps_to_the_vertex_of_a_neighbour(at_plots):
    hand = at_plots
    canvas = hand.canvas
    near = hand.pixel(canvas, (200, 100)) + QPoint(4, -3)
    hand.key(Qt.Key.Key_D, on=canvas)
    hand.bot.mouseMove(canvas, near)
    hand.bot.wait(20)
    assert "on a vertex" in hand.ground._said.text()
    assert canvas.hand.cross == (200, 100)


def test_an_outline_is_reshaped_and_the_neighbour_gives_way(at_plots):
    hand = at_plots
    hand.click(hand.canvas, hand.pixel(hand.canvas, (160, 50)))
    hand.draw(hand.canvas, Qt.Key.Key_R, (200, 20), (230, 20), (230, 60), (200, 60))
    assert areas(hand)["east"] == pytest.approx(10_000 + 30 * 40, rel=0.02)
    assert areas(hand)["west"] == pytest.approx(10_100, rel=1e-6)


def test_a_course_that_begins_off_the_outline_is_told_at_once(at_plots):
    hand = at_plots
    hand.key(Qt.Key.Key_R, on=hand.canvas)
    at = hand.pixel(hand.canvas, (50, 50))
    hand.bot.mouseMove(hand.canvas, at)
    hand.click(hand.canvas, at)
    assert "No vertex and no edge lies within reach" in hand.ground._said.text()
    assert not hand.canvas.hand.line


def test_a_split_that_begins_inside_is_told_at_once(at_plots):
    hand = at_plots
    hand.key(Qt.Key.Key_S, on=hand.canvas)
    at = hand.pixel(hand.canvas, (50, 50))
    hand.bot.mouseMove(hand.canvas, at)
    hand.click(hand.canvas, at)
    assert "The line begins inside West" in hand.ground._said.text()


def test_a_catchment_is_split_by_keys_alone(at_valley):
    hand = at_valley
    canvas = hand.canvas
    hand.key(Qt.Key.Key_S, on=canvas)
    canvas_middle = canvas.hand.cross
    for _ in range(ROWS):
        if canvas.hand.cross[0] < 0:
            break
        hand.key(Qt.Key.Key_Left, on=canvas)
    hand.key(Qt.Key.Key_Space, on=canvas)
    for _ in range(COLUMNS + 4):
        hand.key(Qt.Key.Key_Right, on=canvas)
    hand.key(Qt.Key.Key_Space, on=canvas)
    hand.key(Qt.Key.Key_Return, on=canvas)
    hand.settle()
    assert len(areas(hand)) == 2
    assert sum(areas(hand).values()) == pytest.approx(COLUMNS * ROWS * CELL**2, rel=1e-9)
    assert canvas_middle is not None


def test_chosen_catchments_are_merged(at_plots):
    hand = at_plots
    hand.click(hand.canvas, hand.pixel(hand.canvas, (40, 40)))
    hand.click(hand.canvas, hand.pixel(hand.canvas, (160, 40)), Qt.KeyboardModifier.ControlModifier)
    assert set(hand.desk.chosen) == {"west", "east"}
    hand.key(Qt.Key.Key_M, on=hand.canvas)
    hand.settle()
    assert list(areas(hand).values()) == [pytest.approx(20_000)]


def test_overlaps_are_listed_shown_and_mended(at_plots):
    hand = at_plots
    hand.click(hand.ground.boundaries_tab)
    hand.settle()
    table = hand.ground.boundaries.table
    assert [table.item(0, column).text() for column in range(3)] == [
        "overlap", "100.0 m²", "between West and East"
    ]  # fmt: skip
    hand.click_cell(table, 0, 0)
    assert hand.canvas.hand.shape
    hand.fill(hand.named("gaps and overlaps to mend", QLineEdit), "150 m2")
    hand.click(hand.named("Mend gaps and overlaps", QPushButton))
    hand.settle()
    assert areas(hand) == {"west": pytest.approx(10_100), "east": pytest.approx(9_900)}
    assert "no gap, no overlap" in hand.ground.boundaries.told.text()
    assert not hand.canvas.hand.shape


def test_open_land_is_listed_and_shown(at_valley):
    hand = at_valley
    hand.draw(hand.canvas, Qt.Key.Key_S, (-20, HIGH / 2), (WIDE + 20, HIGH / 2))
    hand.key(Qt.Key.Key_Escape, on=hand.canvas)
    hand.desk.select("foot-2")
    hand.desk.remove(["foot-2"])
    hand.settle()
    hand.click(hand.ground.boundaries_tab)
    hand.settle()
    (row,) = hand.ground.boundaries.rows
    assert row.what == "open land"
    assert row.area == pytest.approx(WIDE * HIGH / 2, rel=0.01)
    assert "drains to Foot outlet, in no catchment" in row.where


def test_a_flow_path_is_drawn_without_a_terrain_and_its_slope_follows_from_typed_heights(at_plots):
    hand = at_plots
    hand.click(hand.canvas, hand.pixel(hand.canvas, (40, 40)))
    hand.draw(hand.canvas, Qt.Key.Key_P, (20, 90), (20, 10), (80, 10))
    one = hand.desk.study.catchments["west"]
    assert one.flow_length.value == pytest.approx(140, rel=0.02)
    assert one.path_slope.value is None
    hand.fill(hand.named("path head of West", QLineEdit), "112")
    hand.settle()
    hand.fill(hand.named("path foot of West", QLineEdit), "105")
    hand.settle()
    assert hand.desk.study.catchments["west"].path_slope.value == pytest.approx(7 / one.flow_length.value)


def test_a_flow_path_is_divided_and_its_parts_are_typed(at_valley):
    hand = at_valley
    hand.key(Qt.Key.Key_N, on=hand.canvas)
    hand.click_menu("Divide the flow path into sheet, shallow, channel")
    one = hand.desk.study.catchments["foot"]
    assert [part.kind for part in one.path_parts] == ["sheet", "shallow", "channel"]
    assert sum(part.length.value for part in one.path_parts) == pytest.approx(one.flow_length.value)
    hand.fill(hand.named("length of Foot", QLineEdit), "20")
    hand.desk.type_values([("foot", "path_parts/2/length", 300.0)])
    one = hand.desk.study.catchments["foot"]
    assert sum(part.length.value for part in one.path_parts) == pytest.approx(one.flow_length.value)
    assert one.path_parts[0].slope.value == pytest.approx(
        (one.path_parts[0].head.value - one.path_parts[0].foot.value) / 20.0
    )


def test_a_label_is_dragged_and_put_back(at_plots):
    hand = at_plots
    canvas = hand.canvas
    canvas.grab()
    start = canvas._painting.label_boxes["west"].center().toPoint()
    hand.drag(canvas, start, start + QPoint(40, -60))
    hand.settle()
    assert "west" in hand.desk.study.map_labels.moved
    canvas.grab()
    there = canvas._painting.label_boxes["west"].center().toPoint()
    assert (there - (start + QPoint(40, -60))).manhattanLength() <= 3
    hand.click(hand.ground.layers_button)
    hand.click(hand.named("What the labels tell", QPushButton))
    hand.click_menu("Put the moved labels back")
    assert not hand.desk.study.map_labels.moved


def test_labels_tell_the_chosen_figures(at_valley):
    hand = at_valley
    hand.click(hand.ground.layers_button)
    hand.click(hand.named("What the labels tell", QPushButton))
    hand.click_menu("flow path length")
    assert hand.desk.study.map_labels.fields == ("area", "flow_length")


def test_a_click_selects_only_the_kinds_that_count(at_valley):
    hand = at_valley
    hand.click(hand.canvas, hand.pixel(hand.canvas, place(ROWS - 1, MIDDLE)))
    assert hand.desk.selection == "foot-outlet"
    hand.click(hand.ground.layers_button)
    hand.click(hand.named("What a click selects", QPushButton))
    hand.click_menu("points")
    hand.click(hand.canvas, hand.pixel(hand.canvas, place(ROWS - 1, MIDDLE)))
    assert hand.desk.selection == "foot"
