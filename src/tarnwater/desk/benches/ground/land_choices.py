"""What a person may choose among for cover and soil: classes, groups, textures, and how they are drawn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor

from tarnwater.cover import GROUPS, CoverClass, cover_classes, soil_textures
from tarnwater.cover.classes import Hatch
from tarnwater.cover.soils import DUAL_GROUPS
from tarnwater.study.document import Study
from tarnwater.study.document.cover import LEFT_OPEN, Holds
from tarnwater.study.file.kept import Kept

#: Patterns of Qt for the hatches.
PATTERNS: Mapping[Hatch, Qt.BrushStyle] = {
    "plain": Qt.BrushStyle.SolidPattern,
    "dots": Qt.BrushStyle.Dense6Pattern,
    "level": Qt.BrushStyle.HorPattern,
    "upright": Qt.BrushStyle.VerPattern,
    "slanting": Qt.BrushStyle.BDiagPattern,
    "counter-slanting": Qt.BrushStyle.FDiagPattern,
    "crossed": Qt.BrushStyle.CrossPattern,
    "net": Qt.BrushStyle.DiagCrossPattern,
}


def library_of(study: Study, kept: Kept) -> dict[str, CoverClass]:
    """All classes by name: those of the study first, then those kept, then those of the program."""
    own = dict(sorted(study.cover_classes.items()))
    return {**own, **{k: c for k, c in {**cover_classes(), **kept.classes}.items() if k not in own}}


def options_for(holds: Holds, library: Mapping[str, CoverClass]) -> Sequence[str]:
    """What a value of a map may mean."""
    known = {"cover": library, "soil group": (*GROUPS, *DUAL_GROUPS), "soil texture": soil_textures()}[holds]
    return [LEFT_OPEN, *known]


def hatch_brush(colour: str, hatch: Hatch, *, dark: bool = False) -> QBrush | None:
    """The hatch that is drawn over the colour of a class; None for a plain one."""
    if hatch == "plain":
        return None
    line = QColor(colour).lighter(150) if dark else QColor(colour).darker(170)
    line.setAlpha(120)
    return QBrush(line, PATTERNS[hatch])
