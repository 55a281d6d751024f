"""Cover and soil on the map: the polygons near by, and a picture of them where there are too many to draw."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QTransform

from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.land_choices import hatch_brush
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.joined import joined_path
from tarnwater.progress import Progress
from tarnwater.study.pictures.land import LandPicture, Theme, land_picture
from tarnwater.terrain.lines import Lines

#: Polygons that are drawn one by one, at rest and while the map moves; of more a picture is shown.
MOST_AT_REST, MOST_MOVING = 1500, 400

#: Pixels of that picture along its longer side.
PIXELS = 2400

#: Pixels below which a polygon is too small to be drawn by itself.
LEAST = 0.7


@dataclass(eq=False)
class Drawn:
    """A picture of cover or soil, its image once it is made, and the paths of its polygons by doubling of the scale."""

    picture: LandPicture
    image: QImage | None = None
    box: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    _paths: dict[tuple[int, int], QPainterPath] = field(default_factory=dict)

    def path(self, number: int, octave: int) -> QPainterPath:
        """The outline of a polygon in the units of the map, thinned for a scale."""
        if (number, octave) not in self._paths:
            thin = Lines.of(_rings(self.picture.shapes[number])).thinned(2.0**octave)
            self._paths[number, octave] = joined_path(thin.points, thin.line_of_point)
        return self._paths[number, octave]


def _rings(polygon: object) -> list[Floats]:
    import shapely

    return [shapely.get_coordinates(ring) for ring in shapely.get_rings(polygon)]


class LandOnMap(QObject):
    """Follows the maps of cover and soil in the condition in view."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._of: dict[Theme, tuple[object, ...]] = {}
        self.drawn: dict[Theme, Drawn] = {}

    def of(self, theme: Theme) -> Drawn:
        """What is drawn for cover or soil now; made again when the maps, classes or the condition are others."""
        study, condition = self._desk.study, self._desk.condition
        stands_on = study.land_layers, study.cover_classes, condition
        known = self._of.get(theme)
        if known is None or any(own is not other for own, other in zip(known, stands_on, strict=True)):
            self._of[theme] = stands_on
            # what is lost is among the doubts; the rest is shown
            picture = land_picture(study, self._desk.file.blobs, condition, theme, whole=False)
            drawn = self.drawn[theme] = Drawn(picture)
            if len(drawn.picture) > MOST_MOVING:
                self._begin_image(drawn)
        return self.drawn[theme]

    def _begin_image(self, drawn: Drawn) -> None:
        """Make the image of many polygons in a thread."""

        def work(progress: Progress) -> tuple[np.ndarray, tuple[float, float, float, float]]:
            return rasterized(drawn.picture)

        def done(found: tuple[np.ndarray, tuple[float, float, float, float]]) -> None:
            pixels, drawn.box = found
            drawn.image = _image_of(pixels, drawn.picture)
            self.changed.emit()

        self._desk.aside.run(work, done, self._desk.fault)

    def draw(self, painter: QPainter, view: MapView, theme: Theme, *, moving: bool, dark: bool) -> None:
        """Draw the polygons in sight with their hatches, or the image of all where they are many."""
        drawn = self.of(theme)
        if not len(drawn.picture):
            return
        west, south, east, north = view.window
        bounds = drawn.picture.bounds
        large = np.maximum(bounds[:, 2] - bounds[:, 0], bounds[:, 3] - bounds[:, 1]) * view.scale > LEAST
        near = np.flatnonzero(
            large & (bounds[:, 0] < east) & (bounds[:, 2] > west) & (bounds[:, 1] < north) & (bounds[:, 3] > south)
        )
        if len(near) > (MOST_MOVING if moving else MOST_AT_REST) and drawn.image is not None:
            self._draw_image(painter, view, drawn)
            return
        octave = int(np.floor(np.log2(1 / view.scale)))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not moving)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setTransform(view.transform)
        back = view.transform.inverted()[0]
        fills = [QColor(sign.colour) for sign in drawn.picture.signs]
        hatches = [None if moving else hatch_brush(s.colour, s.hatch, dark=dark) for s in drawn.picture.signs]
        for hatch in hatches:
            if hatch is not None:
                # hatches keep their width on the screen
                hatch.setTransform(back)
        for number in near.tolist():
            path, sign = drawn.path(number, octave), int(drawn.picture.sign[number])
            painter.setBrush(fills[sign])
            painter.drawPath(path)
            hatch = hatches[sign]
            if hatch is not None:
                painter.setBrush(hatch)
                painter.drawPath(path)
        painter.setTransform(QTransform())

    @staticmethod
    def _draw_image(painter: QPainter, view: MapView, drawn: Drawn) -> None:
        assert drawn.image is not None
        west, south, east, north = drawn.box
        across, down = drawn.image.width() / (east - west), drawn.image.height() / (north - south)
        shown = view.window
        left, right = max(shown[0], west), min(shown[2], east)
        foot, top = max(shown[1], south), min(shown[3], north)
        if left >= right or foot >= top:
            return
        source = QRectF((left - west) * across, (north - top) * down, (right - left) * across, (top - foot) * down)
        x, y = view.pixel(left, top)
        painter.drawImage(QRectF(x, y, (right - left) * view.scale, (top - foot) * view.scale), drawn.image, source)


def rasterized(picture: LandPicture) -> tuple[np.ndarray, tuple[float, float, float, float]]:
    """Number of the sign + 1 of each pixel (rows, columns), uint8, 0 where there is none; and the bounds of it."""
    from affine import Affine
    from rasterio.features import rasterize

    west, south = picture.bounds[:, :2].min(axis=0).tolist()
    east, north = picture.bounds[:, 2:].max(axis=0).tolist()
    size = max(east - west, north - south) / PIXELS or 1.0
    columns, rows = max(int(np.ceil((east - west) / size)), 1), max(int(np.ceil((north - south) / size)), 1)
    box = west, north - rows * size, west + columns * size, north
    place = Affine(size, 0, west, 0, -size, north)
    numbered = zip(picture.shapes.tolist(), np.minimum(picture.sign + 1, 255).tolist(), strict=True)
    pixels = rasterize(numbered, (rows, columns), transform=place, dtype="uint8")
    return pixels, box


def _image_of(pixels: np.ndarray, picture: LandPicture) -> QImage:
    table = np.zeros(256, np.uint32)
    for number, sign in enumerate(picture.signs[:255], start=1):
        table[number] = QColor(sign.colour).rgba()
    coloured = np.ascontiguousarray(table[pixels])
    rows, columns = pixels.shape
    image = QImage(coloured.tobytes(), columns, rows, 4 * columns, QImage.Format.Format_ARGB32_Premultiplied)
    # the bytes belong to Python: the copy does not
    return image.copy()
