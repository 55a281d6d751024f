"""Backgrounds and saved views, by mouse and keys."""

import json

import numpy as np
import pytest
import rasterio
from affine import Affine
from PyQt6.QtCore import Qt

from tarnwater.study.edits.map import path_of_background
from tarnwater.study.file import StudyFile

from .conftest import CTRL, GROUND, Hand
from .test_ground import drop_file
from .test_ground_features import place, with_valley


@pytest.fixture
def at_valley(open_window, qtbot):
    hand = Hand(qtbot, open_window(*with_valley()))
    hand.ground = hand.bench(GROUND)
    hand.canvas = hand.ground.canvas
    hand.settle()
    return hand


def picture(folder, name="air.tif", crs="EPSG:27700", colour=(250, 0, 0)):
    path = folder / name
    pixels = np.ones((3, 40, 31), np.uint8) * np.array(colour, np.uint8)[:, None, None]
    with rasterio.open(
        path, "w", driver="GTiff", height=40, width=31, count=3, dtype="uint8", crs=crs,
        transform=Affine(10, 0, 0, 0, -10, 400),
    ) as file:  # fmt: skip
        file.write(pixels)
    return path


def lines(folder):
    path = folder / "roads.geojson"
    road = {"type": "LineString", "coordinates": [[50, 50], [250, 350]]}
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::27700"}}
    feature = {"type": "Feature", "properties": {}, "geometry": road}
    path.write_text(json.dumps({"type": "FeatureCollection", "crs": crs, "features": [feature]}))
    return path


def colour_at(hand, row, column):
    hand.settle()
    hand.bot.wait(250)
    return hand.canvas.grab().toImage().pixelColor(hand.pixel(hand.canvas, place(row, column)))


def below_everything(hand):
    """Show nothing but the backgrounds."""
    for layer in list(hand.canvas.layers):
        if not layer.key.startswith("background/"):
            hand.canvas.layers.show(layer.key, False)


def test_a_picture_is_dropped_on_the_map_and_seen_and_undone(at_valley, tmp_path):
    hand = at_valley
    before = hand.desk.study.as_dict()
    drop_file(hand.ground, picture(tmp_path))
    hand.settle()
    (key,) = hand.desk.study.backgrounds
    assert hand.desk.study.backgrounds[key].path == "air.tif"
    below_everything(hand)
    assert colour_at(hand, 12, 8).getRgb()[:3] == (250, 0, 0)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_dict() == before


def test_a_picture_is_chosen_from_the_panel_by_the_file_dialog(at_valley, tmp_path):
    hand = at_valley
    hand.click(hand.named("Show the layers of the map"))
    hand.answer_file(picture(tmp_path, colour=(0, 0, 250)))
    hand.click(hand.named("Lay a picture or lines under the map"))
    hand.bot.waitUntil(lambda: bool(hand.desk.study.backgrounds), timeout=10_000)
    below_everything(hand)
    assert colour_at(hand, 12, 8).getRgb()[:3] == (0, 0, 250)


def test_lines_are_laid_under_the_map(at_valley, tmp_path):
    hand = at_valley
    hand.answer_file(lines(tmp_path))
    hand.click(hand.named("Show the layers of the map"))
    hand.click(hand.named("Lay a picture or lines under the map"))
    hand.bot.waitUntil(lambda: bool(hand.desk.study.backgrounds), timeout=10_000)
    below_everything(hand)
    hand.settle()
    hand.bot.wait(250)
    image = hand.canvas.grab().toImage()

    def colours(x, y):
        at = hand.pixel(hand.canvas, (x, y))
        return {image.pixel(at.x() + i, at.y() + j) for i in range(-2, 3) for j in range(-2, 3)}

    assert len(colours(250.0, 200.0)) == 1
    assert len(colours(150.0, 200.0)) > 1


def test_a_background_whose_file_was_moved_is_named_found_again_and_stops_nothing(at_valley, tmp_path):
    hand = at_valley
    path = picture(tmp_path)
    drop_file(hand.ground, path)
    hand.settle()
    moved = tmp_path / "elsewhere"
    moved.mkdir()
    path.rename(moved / "air.tif")
    key, study_path = next(iter(hand.desk.study.backgrounds)), hand.desk.file.path
    hand.canvas.backgrounds.read_again(key)
    hand.settle()
    assert "no such file" in hand.canvas.backgrounds.laid[key].trouble
    hand.click(hand.named("Show the layers of the map"))
    listed = hand.ground.layers_panel.list
    row = next(i for i in range(listed.count()) if listed.item(i).text() == "air · not found")
    hand.click(listed.viewport(), listed.visualItemRect(listed.item(row)).center())
    hand.answer_file(moved / "air.tif")
    hand.click(hand.named("Say where the file of the background is"))
    hand.bot.waitUntil(lambda: hand.desk.study.backgrounds[key].path == "elsewhere/air.tif", timeout=10_000)
    below_everything(hand)
    assert colour_at(hand, 12, 8).getRgb()[:3] == (250, 0, 0)
    assert path_of_background(study_path, hand.desk.study.backgrounds[key]) == moved / "air.tif"


@pytest.mark.parametrize("kind", ["no picture", "without a system"])
def test_a_background_that_cannot_be_shown_says_why(at_valley, tmp_path, kind):
    hand = at_valley
    if kind == "no picture":
        path = tmp_path / "odd.png"
        path.write_bytes(b"odd")
    else:
        path = picture(tmp_path, crs=None)
    drop_file(hand.ground, path)
    hand.settle()
    (laid,) = hand.canvas.backgrounds.laid.values()
    assert ("no GeoTIFF, PNG" in laid.trouble) or ("no coordinate system" in laid.trouble)


def test_delete_takes_a_background_away(at_valley, tmp_path):
    hand = at_valley
    drop_file(hand.ground, picture(tmp_path))
    hand.settle()
    hand.click(hand.named("Show the layers of the map"))
    listed = hand.ground.layers_panel.list
    row = next(i for i in range(listed.count()) if listed.item(i).text() == "air")
    hand.click(listed.viewport(), listed.visualItemRect(listed.item(row)).center())
    hand.key(Qt.Key.Key_Delete, on=listed)
    hand.settle()
    assert not hand.desk.study.backgrounds


def test_contours_are_drawn_at_a_typed_interval(at_valley):
    hand = at_valley
    hand.click(hand.named("Show the layers of the map"))
    field = hand.named("contour interval")
    assert field.text() == "5.000"
    hand.fill(field, "10 m")
    hand.settle()
    assert hand.canvas.layers.opacity("contours") == 1
    lines = hand.canvas.contours.at(hand.canvas.layers.contours).lines
    assert len(lines) > 3
    assert hand.canvas.contours.interval(hand.canvas.layers.contours) == 10.0
    hand.fill(field, "none")
    assert "none" in hand.window.message.text()
    hand.fill(field, "0 m")
    assert "greater than 0" in hand.window.message.text()


def test_a_view_is_saved_shown_again_after_reopening_and_forgotten(at_valley, tmp_path):
    hand = at_valley
    hand.click(hand.named("Show the layers of the map"))
    hand.canvas.layers.show("streams", False)
    hand.canvas.themes.choose("relief")
    hand.key(Qt.Key.Key_Plus, on=hand.canvas)
    saved = hand.canvas.view
    hand.answer_line("Without streams")
    hand.click(hand.named("Save the view"))
    hand.settle()
    hand.canvas.layers.show("streams", True)
    hand.canvas.themes.choose("")
    hand.key(Qt.Key.Key_Home, on=hand.canvas)
    views = hand.named("Saved views")
    views.setFocus()
    hand.key(Qt.Key.Key_Down, on=views)
    assert hand.canvas.layers.opacity("streams") == 0
    assert hand.canvas.themes.chosen == "relief"
    assert hand.named("What colours the catchments").currentText() == "relief"
    assert hand.canvas.view.scale == pytest.approx(saved.scale, rel=1e-12)
    with StudyFile.open(hand.desk.file.path) as file:
        assert [view.name for view in file.study.map_views.values()] == ["Without streams"]
    hand.click(hand.named("Forget the saved view"))
    hand.settle()
    assert not hand.desk.study.map_views
