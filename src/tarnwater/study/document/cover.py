"""Maps of cover and soil in a study: their polygons by value, what each value means, and the rules for the rest."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from tarnwater.errors import EditRefused
from tarnwater.parameters import Model, Name, parameter

#: What the polygons of a layer tell.
Holds = Literal["cover", "soil group", "soil texture"]
HOLDS: tuple[Holds, ...] = ("cover", "soil group", "soil texture")


#: What a value means that a person leaves open on purpose, as the frame of a drawing.
LEFT_OPEN = "left open"


class LandValue(Model):
    """The polygons of one value of a layer: how many, their area, and the digest of their shapes.

    ``means`` is the name of a class of cover, a soil group or a texture, or `LEFT_OPEN`; land of a value that means
    nothing is left open too, as if it were not on the map, and is a doubt.
    """

    value: str
    means: str = ""
    count: int
    area: float = parameter("area", "area of its polygons", least=0)
    shapes: str

    @property
    def meant(self) -> str:
        """The class, group or texture; empty for a value that is unknown or left open."""
        return "" if self.means == LEFT_OPEN else self.means


class LandLayer(Model):
    """A map of cover, soil groups or textures; where values overlap, the earlier one counts.

    One that belongs to a ``condition`` lies over those of its parents and of the study.
    """

    name: Name
    holds: Holds
    values: tuple[LandValue, ...] = ()
    attribute: str = ""
    source: str = ""
    condition: str = ""
    notes: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _values_once(self) -> LandLayer:
        seen = [one.value for one in self.values]
        if len(set(seen)) != len(seen):
            raise EditRefused("a value of the layer stands twice.", where=self.name)
        return self

    @property
    def unknown(self) -> tuple[LandValue, ...]:
        """Values that mean nothing."""
        return tuple(one for one in self.values if not one.means)

    @property
    def area(self) -> float:
        """Area of all polygons, m2; where they overlap it counts more than once."""
        return sum(one.area for one in self.values)
