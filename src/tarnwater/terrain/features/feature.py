"""The contract of a feature of the ground: something that leads or stops water and that the heights do not show."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Annotated, ClassVar, Literal

from tarnwater.arrays import Floats
from tarnwater.errors import UnknownName
from tarnwater.methods import OneOf
from tarnwater.parameters import Model, Name
from tarnwater.terrain.shaping import Effect, ShapedGround

#: Signs of features on the map: a double line, a broken line, a line with ticks, a ring, a line of dots and dashes.
Sign = Literal["double", "broken", "ticked", "ring", "dotted"]


class GroundFeature(Model, ABC):
    """A feature of the ground; ``line`` is the digest of its line or place.

    A subclass has a field ``kind`` with its tag, its words, and the change that it makes.
    """

    name: Name
    note: str = ""
    line: str

    #: What it is called, and what it does in one line.
    title: ClassVar[str]
    meaning: ClassVar[str]
    #: Equation of its change, and its source.
    equation: ClassVar[str]
    source: ClassVar[str]
    verified: ClassVar[str]
    #: Features are applied in the order of their stage.
    stage: ClassVar[int]
    #: Whether water should run along it, so that filled water on it is a doubt.
    leads_water: ClassVar[bool] = False
    #: Whether the ground is another with it; without, the terrain need not be conditioned again.
    changes_ground: ClassVar[bool] = True
    #: Whether it is drawn as a line or as one place, with which sign, and by which letter it is taken up.
    drawn_as: ClassVar[Literal["line", "place"]] = "line"
    sign: ClassVar[Sign]
    letter: ClassVar[str]

    #: Features by tag.
    known: ClassVar[dict[str, type[GroundFeature]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: object) -> None:
        """Register a feature."""
        super().__pydantic_init_subclass__(**kwargs)
        if "kind" in cls.model_fields:
            GroundFeature.known[cls.tag()] = cls

    @classmethod
    def tag(cls) -> str:
        """The tag by which a file names it."""
        return str(cls.model_fields["kind"].default)

    @classmethod
    def of_tag(cls, tag: str) -> type[GroundFeature]:
        """The feature of a tag; `UnknownName` with the nearest."""
        if tag not in GroundFeature.known:
            raise UnknownName(tag, GroundFeature.known, kind="feature of the ground")
        return GroundFeature.known[tag]

    @classmethod
    def one(cls) -> str:
        """Its title with its article."""
        return f"{'an' if cls.title[0] in 'aeiou' else 'a'} {cls.title}"

    @property
    def size(self) -> str:
        """The field of its one parameter, a height or depth; empty if it has none."""
        return next((name for name, _ in self.quantities()), "")

    @abstractmethod
    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Change the ground along a line (points, 2), or at a place (1, 2), in the units of the CRS."""


#: A field that holds a feature of any kind.
AnyGroundFeature = Annotated[GroundFeature, OneOf(GroundFeature, called="feature of the ground", tag="kind")]

#: Said of a feature that lies beside the terrain.
OFF_THE_GROUND = Effect(notes=("it lies outside the terrain",))
