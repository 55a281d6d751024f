"""What is in hand on the map: a tool, a previewed place, a grasped element."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from PyQt6.QtCore import QPointF

from tarnwater.errors import OutletError
from tarnwater.terrain.outlets import Snapped

Tool = Literal["", "outlet", "link"]


@dataclass
class Grasp:
    """The tool taken up, the place that is tried with what an outlet there would be, and what a press holds.

    ``marked`` and ``cross`` are places on the ground; ``pressed`` and ``pointer`` are on the screen.
    """

    tool: Tool = ""
    marked: tuple[float, float] | None = None
    cross: tuple[float, float] | None = None
    ghost: Snapped | OutletError | None = None
    pressed: QPointF | None = None
    pointer: QPointF | None = None
    grasped: str = ""
    dragging: bool = False

    def let_go(self) -> None:
        """Let go of everything but the tool."""
        self.cross = self.ghost = self.pressed = None
        self.dragging = False
