"""The features of the ground on the map: each with the sign of its kind, and the one that is being drawn."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.errors import StudyFileError
from tarnwater.study.document.feature_lines import line_of
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.features.feature import Sign

#: Distance of the ticks of a wall, and their length, in pixels.
TICK_EVERY, TICK = 9.0, 4.0


class FeaturesOnMap:
    """The features of a study with their lines, kept as long as the study has the same ones."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._of: object = None
        self._drawn: list[tuple[str, GroundFeature, Floats]] = []

    @property
    def drawn(self) -> list[tuple[str, GroundFeature, Floats]]:
        """Key, feature and line of each feature; one whose line is lost is left out."""
        study = self._desk.study
        if self._of is not study.ground_features:
            self._of, self._drawn = study.ground_features, []
            for key, feature in study.ground_features.items():
                try:
                    self._drawn.append((key, feature, line_of(feature, self._desk.file.blobs)))
                except StudyFileError:
                    continue
        return self._drawn

    def nearest(self, view: MapView, px: float, py: float, within: float = 8.0) -> str:
        """Key of the feature that passes a pixel most closely; empty if none does."""
        best = (within, "")
        for key, _, line in self.drawn:
            best = min(best, (_distance(view.on_screen(line), np.array([px, py])), key))
        return best[1]

    def draw(self, painter: QPainter, view: MapView, theme: Theme, chosen: str) -> None:
        """Draw all features."""
        for key, feature, line in self.drawn:
            draw_feature(painter, theme, feature.sign, view.on_screen(line), chosen=key == chosen)


def _distance(line: Floats, at: Floats) -> float:
    """Distance of a point from a line on the screen, pixels."""
    if len(line) == 1:
        return float(np.hypot(*(line[0] - at)))
    start, along = line[:-1], np.diff(line, axis=0)
    length = np.maximum((along**2).sum(axis=1), 1e-12)
    share = np.clip(((at - start) * along).sum(axis=1) / length, 0, 1)
    return float(np.hypot(*(start + share[:, None] * along - at).T).min())


def draw_feature(painter: QPainter, theme: Theme, sign: Sign, line: Floats, *, chosen: bool = False) -> None:
    """Draw a line or place (points, 2), in pixels, with a sign."""
    colour = QColor(theme.observed)
    points = [QPointF(x, y) for x, y in line.tolist()]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if chosen:
        halo = QColor(theme.paper)
        halo.setAlpha(210)
        painter.setPen(QPen(halo, 9, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        _stroke(painter, points)
    width = 2.6 if chosen else 1.8
    match sign:
        case "double":
            painter.setPen(QPen(colour, 2 * width + 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            _stroke(painter, points)
            painter.setPen(QPen(QColor(theme.paper), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            _stroke(painter, points)
        case "broken":
            painter.setPen(QPen(colour, width, Qt.PenStyle.DashLine))
            _stroke(painter, points)
        case "ticked":
            painter.setPen(QPen(colour, width))
            _stroke(painter, points)
            _draw_ticks(painter, line)
        case "dotted":
            painter.setPen(QPen(colour, width, Qt.PenStyle.DashDotLine))
            _stroke(painter, points)
        case "ring":
            painter.setPen(QPen(colour, width))
            painter.drawEllipse(points[0], 8, 8)
            painter.drawEllipse(points[0], 3, 3)


def _stroke(painter: QPainter, points: Sequence[QPointF]) -> None:
    if len(points) == 1:
        painter.drawPoint(points[0])
    else:
        painter.drawPolyline(QPolygonF(points))


def _draw_ticks(painter: QPainter, line: Floats) -> None:
    """Draw short ticks to the left of a line, as far apart on every bend."""
    along = np.diff(line, axis=0)
    length = np.hypot(*along.T)
    total = float(length.sum())
    if not 0 < total < 1e5:
        return
    at = np.arange(TICK_EVERY / 2, total, TICK_EVERY)
    ends = np.cumsum(length)
    part = np.searchsorted(ends, at).clip(0, len(length) - 1)
    direction = along[part] / length[part][:, None]
    foot = line[part] + direction * (at - (ends[part] - length[part]))[:, None]
    tip = foot + TICK * np.column_stack([direction[:, 1], -direction[:, 0]])
    for (x, y), (u, v) in zip(foot.tolist(), tip.tolist(), strict=True):
        painter.drawLine(QPointF(x, y), QPointF(u, v))
