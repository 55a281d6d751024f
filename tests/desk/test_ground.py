"""The Ground bench: outlets, links and terrains by mouse and keys."""

import threading

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit

from tarnwater.demo.study import places
from tarnwater.desk.benches.ground.hints import words_at
from tarnwater.desk.benches.ground.import_terrain import ImportTerrain
from tarnwater.errors import OutletError
from tarnwater.formats.raster import grid_to_bytes
from tarnwater.study import edits
from tarnwater.terrain.catchments import Catchments
from tarnwater.terrain.grid import Grid

from .conftest import CTRL, GROUND, SHIFT, Hand
from .test_ledger import words_in
from .test_mends import answer_line


@pytest.fixture
def ground(hand):
    return hand.bench(GROUND)


@pytest.fixture
def canvas(ground):
    return ground.canvas


@pytest.fixture
def bowl(tmp_path):
    """A tilted valley of 60 x 50 cells of 20 m as a GeoTIFF, draining south down its middle."""
    rows, columns = np.mgrid[0:60, 0:50]
    heights = (200 - rows * 2.0 + np.abs(columns - 25) * 3.0).astype(np.float32)
    path = tmp_path / "valley.tif"
    path.write_bytes(grid_to_bytes(Grid(heights, 400_000.0, 600_000.0, 20.0, 20.0, "EPSG:27700")))
    return path


def drop_file(widget, path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    action, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    none = Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(widget, QDragEnterEvent(QPoint(50, 50), action, data, button, none))
    QApplication.sendEvent(widget, QDropEvent(QPointF(50, 50), action, data, button, none))


def test_a_click_on_the_map_selects_the_catchment_everywhere(hand, canvas):
    hand.click(canvas, hand.pixel(canvas, hand.desk.study.elements["sallow-head"].place))
    assert hand.desk.selection == "sallow-head"
    assert hand.named("area of Sallow Head")


def test_an_outlet_is_dropped_by_a_click_and_its_catchment_follows(hand, canvas):
    hand.key(Qt.Key.Key_O, on=canvas)
    place = places()["mid"]
    hand.bot.mouseMove(canvas, hand.pixel(canvas, (place[0] + 400, place[1] + 900)))
    hand.bot.wait(10)
    hand.click(canvas, hand.pixel(canvas, (place[0] + 150, place[1] + 700)))
    hand.settle()
    if "place-1" not in hand.desk.study.elements:
        assert "no stream" in hand.window.message.text()
        hand.click(canvas, hand.pixel(canvas, (place[0] + 150, place[1] + 700)), SHIFT)
        hand.settle()
    made = hand.desk.study.elements["place-1"]
    assert hand.desk.selection == "place-1"
    assert made.area.derived > 0
    assert hand.desk.study.outlets["place-1"].asked != hand.desk.study.outlets["place-1"].place
    hand.key(Qt.Key.Key_Escape, on=canvas)
    assert canvas.hand.tool == ""
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert "place-1" not in hand.desk.study.outlets


def test_an_outlet_is_dropped_by_keys_alone(hand, canvas):
    hand.key(Qt.Key.Key_O, on=canvas)
    before = canvas.hand.cross
    for _ in range(3):
        hand.key(Qt.Key.Key_Down, SHIFT, on=canvas)
    hand.key(Qt.Key.Key_Left, on=canvas)
    assert canvas.hand.cross[1] == pytest.approx(before[1] - 30 * canvas.extent.height)
    assert canvas.hand.cross[0] == pytest.approx(before[0] - canvas.extent.width)
    hand.key(Qt.Key.Key_Return, SHIFT, on=canvas)
    hand.settle()
    assert "place-1" in hand.desk.study.outlets


def test_the_place_and_both_areas_are_told_before_an_outlet_is_dropped(hand, canvas):
    hand.click(hand.named("Drop an outlet"))
    x, y = places()["hask"]
    hand.bot.mouseMove(canvas, hand.pixel(canvas, (x + 40, y + 10)))
    hand.bot.waitUntil(lambda: "to the stream" in hand.window.bench._said.text(), timeout=2_000)
    assert "drain here" in hand.window.bench._said.text()


def test_an_outlet_is_dragged_and_typed_values_stay(hand, canvas):
    hand.find("hask")
    hand.fill(hand.named("lag of Hask"), "1h")
    hand.settle()
    study = hand.desk.study
    start = hand.pixel(canvas, study.outlets["hask"].place)
    hand.drag(canvas, start, start + QPoint(0, -30))
    hand.settle()
    after = hand.desk.study
    assert after.outlets["hask"].asked != study.outlets["hask"].asked
    assert after.elements["hask"].area.value != study.elements["hask"].area.value
    assert after.elements["hask"].lag.typed.value == 3600.0
    assert hand.desk.file.history.past[-1].label == "move the outlet Hask"


def test_an_outlet_on_a_hillside_is_refused_with_the_reason(hand, canvas):
    grid = hand.desk.ground.drainage.grid
    upstream = hand.desk.ground.drainage.upstream * grid.cell_area
    far = np.argwhere((upstream < 300) & np.isfinite(grid.heights))
    hand.key(Qt.Key.Key_O, on=canvas)
    before = hand.desk.study
    for row, column in far[:: len(far) // 40]:
        place = grid.centre(int(row), int(column))
        hand.click(canvas, hand.pixel(canvas, place))
        hand.settle()
        if hand.window.message.text():
            break
    assert "drain through this hillside" in hand.window.message.text() or "outside the grid" in (
        hand.window.message.text()
    )
    assert hand.desk.study.elements == before.elements or len(hand.desk.study.outlets) > len(before.outlets)


def test_outlines_are_traced_beside_the_window(hand, canvas, monkeypatch):
    traced, trace = [], Catchments.outline

    def watched(self, index):
        traced.append(threading.current_thread())
        return trace(self, index)

    monkeypatch.setattr(Catchments, "outline", watched)
    hand.find("hask outlet")
    canvas.setFocus()
    hand.key(Qt.Key.Key_Delete, CTRL, on=canvas)
    hand.settle()
    assert "hask" not in hand.desk.study.outlets
    assert len(traced) == len(hand.desk.study.outlets)
    assert threading.main_thread() not in traced


def test_removing_a_catchment_of_the_map_removes_its_outlet(hand, canvas):
    hand.find("hask")
    area = hand.desk.study.elements["mill-fold"].area.derived
    hand.key(Qt.Key.Key_Delete, CTRL, on=hand.window)
    hand.settle()
    study = hand.desk.study
    assert "hask" not in study.outlets
    assert not {"hask", "hask-outlet", "hask-reach"} & set(study.elements)
    assert study.elements["mill-fold"].area.derived > area
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert "hask" in hand.desk.study.elements


def test_the_stream_threshold_is_dragged_live_and_let_go_once(hand, ground):
    slider, lines = ground.threshold.slider, len(hand.desk.ground.streams)
    acts = len(hand.desk.file.history.past)
    y = slider.height() // 2
    x = round((slider.value() - slider.minimum()) / (slider.maximum() - slider.minimum()) * (slider.width() - 12)) + 6
    hand.bot.mousePress(slider, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    hand.bot.mouseMove(slider, QPoint(x - 30, y))
    hand.bot.waitUntil(lambda: len(hand.desk.ground.streams) > lines, timeout=3_000)
    assert len(hand.desk.file.history.past) == acts
    hand.bot.mouseRelease(slider, Qt.MouseButton.LeftButton, pos=QPoint(x - 30, y))
    hand.settle()
    assert len(hand.desk.file.history.past) == acts + 1
    assert hand.desk.study.terrain.stream_threshold < 400_000.0


def test_the_threshold_is_typed_with_its_unit(hand, ground):
    hand.fill(hand.named("area that makes a stream"), "0.6 km2")
    hand.settle()
    assert hand.desk.study.terrain.stream_threshold == 600_000.0
    hand.fill(hand.named("area that makes a stream"), "5 min")
    assert "not an area" in hand.window.message.text()


def test_a_link_is_drawn_from_one_element_to_the_next_and_a_loop_refused(hand, canvas):
    for _ in range(9):
        hand.key(Qt.Key.Key_Plus, on=canvas)
    hand.find("coldgarth yard")
    study = hand.desk.study
    canvas.setFocus()
    hand.key(Qt.Key.Key_L, on=canvas)
    yard, field = (hand.pixel(canvas, study.elements[k].place) for k in ("coldgarth-yard", "hill-field"))
    hand.drag(canvas, yard, field)
    hand.settle()
    assert any((k.up, k.down) == ("coldgarth-yard", "hill-field") for k in hand.desk.study.links.values())
    outlet = hand.pixel(canvas, study.elements["yard-outlet"].place)
    before = hand.desk.study
    ditch = hand.pixel(canvas, study.elements["old-ditch"].place)
    hand.drag(canvas, outlet, ditch)
    hand.settle()
    assert "loop" in hand.window.message.text()
    assert hand.desk.study is before


def test_an_element_is_connected_by_name(hand, ground):
    from tarnwater.desk.widgets.finder import Finder

    hand.find("hill field")
    hand.key(Qt.Key.Key_L, CTRL, on=hand.window)
    finder = hand.dialog(Finder)
    hand.write("yard outlet", on=finder.line)
    hand.key(Qt.Key.Key_Return, on=finder.line)
    hand.settle()
    assert any((k.up, k.down) == ("hill-field", "yard-outlet") for k in hand.desk.study.links.values())


def test_the_map_zooms_about_the_pointer_and_pans(hand, canvas):
    at = QPointF(300, 200)
    place = canvas.view.place(at.x(), at.y())
    wheel = QWheelEvent(at, canvas.mapToGlobal(at), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, wheel)
    assert canvas.view.place(at.x(), at.y()) == pytest.approx(place)
    x = canvas.view.x
    hand.drag(canvas, QPoint(20, canvas.height() - 30), QPoint(140, canvas.height() - 30))
    assert canvas.view.x < x
    hand.key(Qt.Key.Key_Home, on=canvas)
    hand.bot.wait(10)
    west, south, east, north = canvas.view.window
    assert (west, south) < (canvas.extent.west, canvas.extent.south)
    assert (east, north) > (canvas.extent.east, canvas.extent.north)


def test_arrows_walk_the_water(hand, canvas):
    hand.find("hask")
    canvas.setFocus()
    hand.key(Qt.Key.Key_Down, on=canvas)
    assert hand.desk.selection == "hask-outlet"
    hand.key(Qt.Key.Key_Up, on=canvas)
    assert hand.desk.selection == "hask"


def test_the_long_profile_shows_its_points_and_marks_them_on_the_map(hand, ground):
    hand.find("mill fold")
    plot = ground.profile.plot
    catchment = hand.desk.study.elements["mill-fold"]
    assert plot.curves[0].x[-1] * 1000 == pytest.approx(catchment.flow_length.value, rel=1e-9)
    upper, lower = plot.marks
    assert (upper.y - lower.y) / 0.75 / catchment.flow_length.value == pytest.approx(catchment.slope_10_85.value)
    ground.profile.setFocus()
    hand.key(Qt.Key.Key_Right, on=ground.profile)
    assert ground.canvas.hand.marked is not None


def test_depressions_are_told_under_the_pointer(hand, canvas):
    found = hand.desk.study.terrain.depressions[0]
    words = words_at(canvas.desk, canvas.scene, canvas.view, QPointF(*canvas.view.pixel(*found.place)))
    assert "a depression, filled" in words


def test_a_terrain_is_understood_before_it_is_taken_in(empty, bowl):
    bench = empty.bench(GROUND)
    assert bench._empty.isVisible()
    drop_file(bench, bowl)
    asked = empty.dialog(ImportTerrain)
    empty.bot.waitUntil(lambda: asked.take.isEnabled(), timeout=10_000)
    told = asked._told.text()
    assert "EPSG:27700" in told
    assert "50 across, 60 down, each 20.00 m" in told
    assert empty.desk.study.terrain is None
    empty.click(asked.take)
    empty.settle()
    assert empty.desk.study.terrain.rows == 60
    canvas = bench.canvas
    canvas.setFocus()
    empty.fill(empty.named("area that makes a stream"), "10 ha")
    empty.settle()
    empty.key(Qt.Key.Key_O, on=canvas)
    empty.click(canvas, empty.pixel(canvas, (400_510.0, 598_870.0)))
    empty.settle()
    made = empty.desk.study.catchments["place-1"]
    assert made.area.derived == pytest.approx(empty.desk.study.outlets["place-1"].area_after)


def test_a_terrain_that_says_too_little_is_asked_about(empty, tmp_path):
    path = tmp_path / "bare.asc"
    rows = "\n".join(" ".join(str(10 + r + c) for c in range(6)) for r in range(5))
    path.write_text(f"ncols 6\nnrows 5\nxllcorner 0\nyllcorner 0\ncellsize 10\nNODATA_value -9999\n{rows}\n")
    bench = empty.bench(GROUND)
    drop_file(bench, path)
    asked = empty.dialog(ImportTerrain)
    empty.bot.waitUntil(lambda: "coordinate system" in asked._told.text(), timeout=10_000)
    assert not asked.take.isEnabled()
    system = empty.named("Coordinate system", QLineEdit, among=asked)
    empty.fill(system, "EPSG:27700")
    empty.bot.waitUntil(lambda: asked.take.isEnabled(), timeout=10_000)
    empty.key(Qt.Key.Key_Escape, on=asked)
    assert empty.desk.study.terrain is None


def test_a_file_that_is_no_grid_is_refused_with_the_reason(empty, tmp_path):
    path = tmp_path / "letter.tif"
    path.write_text("Dear hydrologist")
    drop_file(empty.bench(GROUND), path)
    asked = empty.dialog(ImportTerrain)
    empty.bot.waitUntil(lambda: "damaged" in asked._told.text(), timeout=10_000)
    assert not asked.take.isEnabled()


def test_the_file_dialog_opens_a_terrain(empty, bowl):
    bench = empty.bench(GROUND)
    empty.answer_file(bowl)
    empty.click(empty.named("Open a terrain", among=bench))
    asked = empty.dialog(ImportTerrain)
    empty.bot.waitUntil(lambda: asked.take.isEnabled(), timeout=10_000)


def test_conditioning_is_stopped_and_the_study_unchanged(empty, bowl, monkeypatch):
    import time

    from tarnwater.study.edits import conditioning as module

    def slow(*args, progress, **kwargs):
        for share in range(500):
            progress.tell("filling", share / 500)
            time.sleep(0.01)

    monkeypatch.setattr(module, "condition_terrain", slow)
    bench = empty.bench(GROUND)
    drop_file(bench, bowl)
    asked = empty.dialog(ImportTerrain)
    empty.bot.waitUntil(lambda: asked.take.isEnabled(), timeout=10_000)
    before = empty.desk.study
    empty.click(asked.take)
    empty.bot.waitUntil(lambda: empty.window.progress.isVisible(), timeout=5_000)
    assert "filling" in empty.window.progress._words.text()
    empty.key(Qt.Key.Key_Escape, on=empty.window)
    assert not empty.desk.aside.tasks
    empty.settle()
    assert empty.desk.study is before
    assert not empty.desk.ground.working


def test_elements_without_a_map_are_drawn_and_moved(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(rained_on))
    bench = hand.bench(GROUND)
    for _ in range(2):
        hand.key(Qt.Key.Key_Insert, on=hand.window)
    hand.settle()
    canvas = bench.canvas
    start = hand.pixel(canvas, canvas.scene.places["catchment-2"])
    hand.drag(canvas, start, start + QPoint(60, 40))
    hand.settle()
    assert hand.desk.study.elements["catchment-2"].place is not None
    hand.key(Qt.Key.Key_L, on=canvas)
    ends = [hand.pixel(canvas, canvas.scene.places[k]) for k in ("catchment-1", "catchment-2")]
    hand.drag(canvas, *ends)
    hand.settle()
    assert any((k.up, k.down) == ("catchment-1", "catchment-2") for k in hand.desk.study.links.values())


def test_a_link_drawn_to_open_ground_leads_through_a_confluence_there(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(rained_on))
    bench = hand.bench(GROUND)
    hand.key(Qt.Key.Key_Insert, on=hand.window)
    hand.settle()
    canvas = bench.canvas
    hand.key(Qt.Key.Key_L, on=canvas)
    start = hand.pixel(canvas, canvas.scene.places["catchment-1"])
    hand.drag(canvas, start, start + QPoint(140, 90))
    hand.settle()
    links = {(k.up, k.down) for k in hand.desk.study.links.values()}
    assert links == {("catchment-1", "confluence-1"), ("confluence-1", "bridge")}
    assert hand.desk.selection == "confluence-1"
    assert hand.desk.file.history.past[-1].label == "insert Confluence 1 below Catchment 1"
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert {(k.up, k.down) for k in hand.desk.study.links.values()} == {("catchment-1", "bridge")}


def test_on_a_small_map_the_stream_beside_the_pointer_is_meant(hand, canvas):
    ground = hand.desk.ground
    terrain = hand.desk.study.terrain
    hand.key(Qt.Key.Key_Home, on=canvas)
    hand.bot.wait(250)
    # four pixels are more than the snap radius on the whole map
    assert 6 / canvas.view.scale > terrain.snap_radius
    down, across = np.nonzero(ground.drainage.upstream * ground.drainage.grid.cell_area >= 4e6)
    for row, column in zip(down[::40], across[::40], strict=True):
        place = ground.drainage.grid.centre(row, column)
        at = hand.pixel(canvas, place) + QPoint(6, 0)
        try:
            ground.snapped(*canvas.view.place(at.x(), at.y()))
        except OutletError:
            break
    count = len(hand.desk.study.outlets)
    hand.key(Qt.Key.Key_O, on=canvas)
    hand.bot.mouseMove(canvas, at)
    hand.click(canvas, at=at)
    hand.settle()
    assert len(hand.desk.study.outlets) == count + 1
    assert not hand.window.message.text()


def test_what_only_a_condition_has_is_moved_renamed_and_led_through_there(qtbot, open_window, rained_on):
    study = edits.add_condition(rained_on, "developed")
    hand = Hand(qtbot, open_window(study))
    bench = hand.bench(GROUND)
    hand.find("developed")
    hand.key(Qt.Key.Key_Insert, on=hand.window)
    hand.settle()
    canvas = bench.canvas
    assert "catchment-1" not in hand.desk.study.elements
    start = hand.pixel(canvas, canvas.scene.places["catchment-1"])
    hand.drag(canvas, start, start + QPoint(60, 40))
    hand.settle()
    place = hand.desk.elements["catchment-1"].place
    assert place is not None
    answer_line(hand, "Yard")
    hand.key(Qt.Key.Key_F2, on=hand.window)
    hand.settle()
    assert hand.desk.elements["catchment-1"].name == "Yard"
    assert hand.desk.elements["catchment-1"].place == place
    hand.key(Qt.Key.Key_L, on=canvas)
    start = hand.pixel(canvas, canvas.scene.places["catchment-1"])
    hand.drag(canvas, start, start + QPoint(140, 90))
    hand.settle()
    assert {(k.up, k.down) for k in hand.desk.network.links.values()} == {
        ("catchment-1", "confluence-1"), ("confluence-1", "bridge"),
    }  # fmt: skip
    assert hand.desk.selection == "confluence-1"
    assert set(hand.desk.study.elements) == set(study.elements)
    for _ in range(4):
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert "catchment-1" not in hand.desk.study.all_elements


def test_a_catchment_is_divided_by_a_typed_size_and_undone(hand, ground):
    desk = hand.desk
    hand.click(ground.canvas, hand.pixel(ground.canvas, desk.study.elements["hask"].place))
    before, whole = desk.study.as_dict(), desk.study.catchments["hask"].area.value
    others = {key: c.area.value for key, c in desk.study.catchments.items() if key != "hask"}
    field = hand.named("size of the parts to divide into")
    hand.fill(field, "1.5 km2")
    hand.settle()
    new = [key for key in desk.study.outlets if key.startswith("hask-")]
    assert len(new) >= 2
    parts = [desk.study.catchments[key].area.value for key in new]
    assert min(parts) >= 0.75e6
    assert sum(parts) + desk.study.catchments["hask"].area.value == pytest.approx(whole, rel=1e-12)
    assert {k: desk.study.catchments[k].area.value for k in others} == others
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert desk.study.as_dict() == before
    hand.fill(field, "2 ha")
    hand.settle()
    assert "stream threshold" in hand.window.message.text()


def test_measures_stand_in_a_sheet_can_be_typed_and_say_where_they_come_from(hand, ground):
    desk = hand.desk
    hand.click(ground.canvas, hand.pixel(ground.canvas, desk.study.elements["hask"].place))
    hand.click(hand.named("Show the measures"))
    heads = [c.title for c in ground.measures.columns]
    row, column = ground.measures.keys.index("hask"), heads.index("10-85 slope")
    hand.click_cell(ground.sheet, row, column)
    hand.key(Qt.Key.Key_F1, on=ground.sheet)
    told = words_in(hand.window.ledger.answer)
    assert "(z85 − z10) / (0.75 L)" in told
    hand.key(Qt.Key.Key_F1, on=ground.sheet)
    hand.type_in_cell(ground.sheet, row, heads.index("relief"), "300 m")
    hask = desk.study.catchments["hask"]
    assert (hask.relief.value, hask.relief.typed.value) == (300.0, 300.0)
    assert hask.relief.derived > 100
    assert hask.drainage_density.derived == pytest.approx(0.0013, abs=0.0002)


def test_the_hypsometric_curve_of_the_selected_catchment_is_shown(hand, ground):
    hand.click(ground.canvas, hand.pixel(ground.canvas, hand.desk.study.elements["hask"].place))
    hand.click(hand.named("Show the heights"))
    plot = ground.heights.plot
    relief = hand.desk.study.catchments["hask"].relief.derived
    (curve,) = plot.curves
    assert (curve.x[0], curve.x[-1]) == (100.0, pytest.approx(0.0, abs=0.1))
    assert curve.y[-1] - curve.y[0] == pytest.approx(relief, rel=1e-6)
    hand.click(ground.canvas, hand.pixel(ground.canvas, hand.desk.study.elements["wimmer"].place))
    assert "Wimmer" in ground.heights.plot.title


def test_the_area_by_travel_time_is_shown_sums_to_the_area_and_follows_the_lag(hand, ground):
    hand.click(ground.canvas, hand.pixel(ground.canvas, hand.desk.study.elements["hask"].place))
    hand.click(hand.named("Show the travel time"))
    hand.bot.waitUntil(lambda: ground.travel.plot.plot is not None, timeout=20_000)
    hask = hand.desk.study.catchments["hask"]
    (bars,) = ground.travel.plot.plot.bars
    assert bars.heights.sum() * 1e4 == pytest.approx(hask.area.derived, rel=1e-9)
    middle = (bars.left + bars.width / 2) * 3600
    # a cell stays within half a bin of its time
    assert bars.heights @ middle / bars.heights.sum() == pytest.approx(hask.lag.value, abs=bars.width * 1800)
    before = ground.travel.plot.plot.title
    hand.desk.type_values([("hask", "lag", 2 * hask.lag.value)])
    hand.settle()
    hand.bot.waitUntil(lambda: ground.travel.plot.plot is not None, timeout=20_000)
    assert ground.travel.plot.plot.title != before
    hand.click(ground.canvas, hand.pixel(ground.canvas, hand.desk.study.elements["wimmer"].place))
    hand.bot.waitUntil(lambda: ground.travel.plot.plot is not None, timeout=20_000)
    assert "Wimmer" in ground.travel.plot.plot.title


def test_the_bar_that_is_read_is_a_zone_on_the_map_and_one_key_takes_the_unit_hydrograph(hand, ground):
    hand.click(ground.canvas, hand.pixel(ground.canvas, hand.desk.study.elements["hask"].place))
    hand.click(hand.named("Show the travel time"))
    hand.bot.waitUntil(lambda: ground.travel.plot.plot is not None, timeout=20_000)
    zones = ground.canvas.hand.zones
    assert zones.zone is None
    for _ in range(4):
        hand.key(Qt.Key.Key_Right, on=ground.travel.plot)
    first = zones.zone
    hand.key(Qt.Key.Key_Left, on=ground.travel.plot)
    assert first is not None
    assert zones.zone <= first
    hand.click(hand.named("Show the long profile"))
    assert ground.canvas.hand.zones is None
    hand.key(Qt.Key.Key_Y, CTRL | SHIFT, on=hand.window)
    hand.bot.waitUntil(lambda: hand.desk.study.elements["hask"].transform.tag() == "travel-time", timeout=20_000)
    hand.settle()
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert hand.desk.study.elements["hask"].transform.tag() != "travel-time"


@pytest.mark.parametrize("name", ["map.gpkg", "map.pdf", "heights.tif"])
def test_the_map_is_written_from_the_keys(hand, ground, tmp_path, name):
    path = tmp_path / name
    hand.answer_file(path)
    hand.key(Qt.Key.Key_X, CTRL | SHIFT, on=hand.window)
    hand.bot.waitUntil(lambda: name in hand.window.message.text(), timeout=20_000)
    assert path.stat().st_size > 10_000
