"""A map with many catchments: labels where there is room, symbols in their places."""

import itertools

import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QWheelEvent
from PyQt6.QtWidgets import QApplication, QWidget
from shapely.geometry import box

from tarnwater.desk.benches.ground.painting import LEAST_NAMED
from tarnwater.desk.theme import LIGHT
from tarnwater.formats.vector import layer_of
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.polygons import Fields, offer, plan, take_polygons

from .conftest import GROUND, Hand

SIDE, ROW = 100.0, 12


@pytest.fixture
def fields_of_plots(qtbot, open_window):
    """Twelve rows of twelve square plots, each draining to an outfall of its own."""
    plots = [box(x * SIDE, y * SIDE, (x + 1) * SIDE, (y + 1) * SIDE) for y in range(ROW) for x in range(ROW)]
    names = tuple(f"Plot {number}" for number in range(1, len(plots) + 1))
    layer = layer_of("plots", "EPSG:27700", plots, list(range(1, len(plots) + 1)), {"name": names})
    study, blobs = Study(title="Plots"), Blobs()
    offered = offer(study, layer, Fields(name="name"))
    study = take_polygons(study, plan(offered.candidates, "an outfall each"), blobs, "plots.gpkg", crs="EPSG:27700")
    return Hand(qtbot, open_window(study, blobs))


def wheel(canvas, turn):
    at = QPointF(canvas.rect().center())
    event = QWheelEvent(at, canvas.mapToGlobal(at), QPoint(), QPoint(0, turn), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, event)


def named(hand, canvas):
    """Catchments with a label after the map has come to rest."""
    hand.bot.wait(300)
    canvas.repaint()
    boxes = canvas._painting.label_boxes
    for one, other in itertools.combinations(boxes.values(), 2):
        # what is taken is kept in squares of two pixels
        assert not one.adjusted(1, 1, -1, -1).intersects(other.adjusted(1, 1, -1, -1))
    return {key for key in boxes if key in hand.desk.study.catchments}


def test_small_catchments_have_labels_once_there_is_room(fields_of_plots):
    hand = fields_of_plots
    canvas = hand.bench(GROUND).canvas
    whole = named(hand, canvas)
    for _ in range(4):
        wheel(canvas, 120)
    near = named(hand, canvas)
    assert whole <= {hand.desk.selection}
    assert len(near) > 3
    assert all(canvas.scene.sides[key] * canvas.view.scale >= LEAST_NAMED for key in near)


def test_every_symbol_stands_in_its_place(fields_of_plots):
    hand = fields_of_plots
    canvas = hand.bench(GROUND).canvas
    hand.bot.wait(300)
    image = canvas.grab().toImage()
    ink, paper = QColor(LIGHT.ink).lightness(), QColor(LIGHT.paper).lightness()
    nodes = [key for key in canvas.scene.places if key not in canvas.scene.rings]
    assert len(nodes) == ROW * ROW
    seen = 0
    covered = [w.geometry() for w in canvas.findChildren(QWidget) if w.parent() is canvas and w.isVisible()]
    for key in nodes:
        at = hand.pixel(canvas, canvas.scene.places[key])
        lines = QRectF(at.x() - 11, at.y(), 22, 12)
        labelled = any(box.intersects(lines) for box in canvas._painting.label_boxes.values())
        if (
            labelled
            or any(shape.contains(at) for shape in covered)
            or not canvas.rect().adjusted(15, 15, -15, -15).contains(at)
        ):
            continue
        seen += 1
        # an end has lines 6 pixels below its place
        dark = [image.pixelColor(at.x() + dx, at.y() + dy).lightness() for dx in (-8, 8) for dy in (5, 6, 7)]
        # a line between two rows of pixels has half of the ink in each
        assert min(dark) < (ink + paper) / 2, key
    assert seen > ROW * ROW / 2
