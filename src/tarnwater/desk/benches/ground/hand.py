"""What is in hand on the map: a tool, a previewed place, a grasped element."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

from PyQt6.QtCore import QPointF

from tarnwater.arrays import Floats
from tarnwater.errors import OutletError
from tarnwater.terrain.cutting import Catch
from tarnwater.terrain.outlets import Snapped

if TYPE_CHECKING:
    from tarnwater.desk.benches.ground.zones import ZonesOnMap

Tool = Literal["", "outlet", "link", "feature", "outline"]

Place = tuple[float, float]

#: Kinds of things that a click may select.
SELECTABLE = ("catchments", "reaches", "points", "features")


@dataclass
class Grasp:
    """The tool taken up, the place that is tried with what an outlet there would be, and what a press holds.

    ``label`` is the element whose label is dragged, and ``label_at`` where that stands meanwhile. ``marked`` and
    ``cross`` are places on the ground; ``pressed`` and ``pointer`` are on the screen. ``kind`` is the tag of the
    feature or outline that is drawn, ``line`` its places so far; ``catch`` is what the cross is snapped to,
    ``feature`` the chosen one's key, and ``shape`` the rings (points, 2) of a shape that is shown over the map.
    ``zones`` are those of equal travel time, where they are looked at.
    """

    tool: Tool = ""
    kind: str = ""
    line: list[Place] = field(default_factory=list)
    feature: str = ""
    catch: Catch | None = None
    shape: list[Floats] = field(default_factory=list)
    marked: Place | None = None
    cross: Place | None = None
    ghost: Snapped | OutletError | None = None
    pressed: QPointF | None = None
    pointer: QPointF | None = None
    grasped: str = ""
    label: str = ""
    label_at: dict[str, Place] = field(default_factory=dict)
    dragging: bool = False
    zones: ZonesOnMap | None = None

    def let_go(self) -> None:
        """Let go of everything but the tool."""
        self.cross = self.ghost = self.pressed = self.catch = None
        self.dragging = False
        self.line = []
