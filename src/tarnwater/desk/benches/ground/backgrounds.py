"""Backgrounds under the map, read in threads: pictures at the size that is shown, and lines."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.scene import ThinLines
from tarnwater.desk.desk import Desk
from tarnwater.errors import PictureError, TarnwaterError
from tarnwater.formats.opening import first_bytes
from tarnwater.study.document.map import Background
from tarnwater.study.edits.map import path_of_background
from tarnwater.terrain.lines import Lines

if TYPE_CHECKING:
    from tarnwater.formats.pictures import Picture
    from tarnwater.formats.raster import Bounds

#: What is read of a background.
T = TypeVar("T")

#: Pixels of the picture that is kept of a whole background, along its longer side.
WHOLE = 1600


@dataclass(eq=False)
class _Shown:
    """A part of a picture that has been read."""

    bounds: Bounds
    image: QImage

    def draw(self, painter: QPainter, view: MapView) -> None:
        west, south, east, north = self.bounds
        left, top = view.pixel(west, north)
        right, foot = view.pixel(east, south)
        painter.drawImage(QRectF(left, top, right - left, foot - top), self.image)

    def serves(self, view: MapView, bounds: Bounds) -> bool:
        """Whether it holds what a view shows of the picture, as finely as the view shows it."""
        wanted = _common(view.window, bounds)
        if wanted is None:
            return True
        west, south, east, north = self.bounds
        held = wanted[0] >= west and wanted[1] >= south and wanted[2] <= east and wanted[3] <= north
        return held and self.image.width() / (east - west) >= 0.99 * view.scale


@dataclass(eq=False)
class Laid:
    """One background: what has been read of it, or why it cannot be shown."""

    background: Background
    trouble: str = ""
    picture: Picture | None = None
    whole: _Shown | None = None
    part: _Shown | None = None
    lines: ThinLines = field(default_factory=lambda: ThinLines(Lines.of([])))
    reading: bool = False
    waits: bool = False


class Backgrounds(QObject):
    """Follows the backgrounds of the study; one that cannot be read is named, and stops nothing."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self.laid: dict[str, Laid] = {}
        self._crs = ""

    def follow(self) -> None:
        """Read backgrounds that are new, that are elsewhere now, or all of them in another coordinate system."""
        study = self._desk.study
        crs = study.map_crs
        if crs != self._crs:
            self._crs, self.laid = crs, {}
        before = {key: laid.background for key, laid in self.laid.items()}
        if before == dict(study.backgrounds):
            return
        kept = self.laid
        self.laid = {}
        for key, background in study.backgrounds.items():
            old = kept.get(key)
            same = old is not None and old.background == background
            self.laid[key] = old if old is not None and same else self._begin(background)
        self.changed.emit()

    def titles(self) -> dict[str, str]:
        """Names of the backgrounds by key; one that cannot be shown says so."""
        return {key: laid.background.name + (" · not found" if laid.trouble else "") for key, laid in self.laid.items()}

    def read_again(self, key: str) -> None:
        """Try once more to read one that could not be read."""
        if key in self.laid:
            self.laid[key] = self._begin(self.laid[key].background)
            self.changed.emit()

    def _begin(self, background: Background) -> Laid:
        laid = Laid(background)
        if background.shown:
            self._read_whole(laid)
            return laid
        # a hidden one is read when it is first drawn; that its file is not there is said at once
        laid.waits = True
        path = path_of_background(self._desk.file.path, background)
        self._read(laid, functools.partial(first_bytes, path, PictureError), lambda _laid, _start: None)
        return laid

    def drawn(self, laid: Laid) -> None:
        """Read one that waited until it was shown."""
        if laid.waits and not laid.reading and not laid.trouble:
            self._read_whole(laid)

    def _read_whole(self, laid: Laid) -> None:
        laid.waits = False
        background = laid.background
        path = path_of_background(self._desk.file.path, background)
        if background.kind == "picture":
            self._read(laid, functools.partial(self._picture, path, background), self._take_picture)
        else:
            self._read(laid, functools.partial(self._lines, path, background), self._take_lines)

    def _read(self, laid: Laid, work: Callable[[], T], take: Callable[[Laid, T], None]) -> None:
        laid.reading = True

        def done(found: T) -> None:
            laid.reading = False
            take(laid, found)
            self.changed.emit()

        def failed(error: BaseException) -> None:
            laid.reading = False
            laid.trouble = str(error)
            if not isinstance(error, TarnwaterError):
                self._desk.fault(error)
            self.changed.emit()

        self._desk.aside.run(lambda _: work(), done, failed)

    def _picture(self, path: Path, background: Background) -> tuple[Picture, np.ndarray]:
        from tarnwater.formats.pictures import open_picture, read_picture

        picture = open_picture(path, self._crs, stated=background.crs)
        share = min(WHOLE / max(picture.width, picture.height), 1.0)
        wide, high = max(round(picture.width * share), 1), max(round(picture.height * share), 1)
        return picture, read_picture(picture, picture.bounds, wide, high)

    @staticmethod
    def _take_picture(laid: Laid, found: tuple[Picture, np.ndarray]) -> None:
        laid.picture, pixels = found
        laid.whole = _Shown(laid.picture.bounds, _image(pixels))

    def _lines(self, path: Path, background: Background) -> ThinLines:
        from tarnwater.formats.shapes import lines_of, read_shapes

        placed = read_shapes(path, background.layer, into=self._crs, crs=background.crs)
        lines = [line for shape in placed.shapes for line in lines_of(shape) if len(line) > 1]
        return ThinLines(Lines.of(lines))

    @staticmethod
    def _take_lines(laid: Laid, found: ThinLines) -> None:
        laid.lines = found

    def draw_picture(self, painter: QPainter, view: MapView, laid: Laid, *, moving: bool) -> None:
        """Draw what has been read of a picture; when the map rests, have finer parts read."""
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not moving)
        if laid.picture is None or laid.whole is None:
            return
        fine = laid.whole.serves(view, laid.picture.bounds) or laid.whole.image.width() >= laid.picture.width
        laid.whole.draw(painter, view)
        if fine:
            return
        if laid.part is not None:
            laid.part.draw(painter, view)
        if not moving and not laid.reading and (laid.part is None or not laid.part.serves(view, laid.picture.bounds)):
            self._read_part(laid, view)

    def _read_part(self, laid: Laid, view: MapView) -> None:
        from tarnwater.formats.pictures import read_picture

        picture = laid.picture
        assert picture is not None
        bounds = _common(view.window, picture.bounds)
        if bounds is None:
            return
        finest = picture.width / (picture.bounds[2] - picture.bounds[0])
        scale = min(view.scale, finest)
        if laid.part is not None and laid.part.bounds == bounds:
            return
        wide = max(round((bounds[2] - bounds[0]) * scale), 1)
        high = max(round((bounds[3] - bounds[1]) * scale), 1)

        def take(laid: Laid, pixels: np.ndarray) -> None:
            laid.part = _Shown(bounds, _image(pixels))

        self._read(laid, functools.partial(read_picture, picture, bounds, wide, high), take)


def _common(one: Bounds, other: Bounds) -> Bounds | None:
    """The extent in both; None if there is none."""
    west, south = max(one[0], other[0]), max(one[1], other[1])
    east, north = min(one[2], other[2]), min(one[3], other[3])
    return (west, south, east, north) if west < east and south < north else None


def _image(pixels: np.ndarray) -> QImage:
    """An image of (rows, columns, 4) uint8, red to opacity."""
    rows, columns, _ = pixels.shape
    kind = QImage.Format.Format_RGBA8888
    return QImage(pixels.data, columns, rows, 4 * columns, kind).copy()  # type: ignore[call-overload,no-any-return]
