"""The outfall: where the water leaves the network."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.network.elements.element import Element, Shape


class Outfall(Element):
    """An end of the network."""

    kind: Literal["outfall"] = "outfall"
    is_end: ClassVar[bool] = True
    shape: ClassVar[Shape] = "end"
