"""Works in the document: those adopted for a pond, channels, pipes and culverts."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import model_validator

from tarnwater.errors import EditRefused
from tarnwater.methods import OneOf
from tarnwater.parameters import Model, Name, Setting, option, parameter, refuse_uneven, typed
from tarnwater.routing.channels import AnySection, Trapezoid
from tarnwater.routing.channels.design import ground_named, grounds
from tarnwater.routing.ponds import AnyStorage
from tarnwater.routing.works import AnyDevice, Conduit, RoundPipe


class Adopted(Model):
    """The works of a pond that are meant to be built, under a name, with what they were found to do.

    ``pond`` is its key, ``condition`` that of the condition, ``outcome`` was told when they were adopted.
    """

    name: Name
    pond: str
    condition: str
    storage: tuple[AnyStorage, ...] = ()
    devices: tuple[AnyDevice, ...] = ()
    outcome: str = ""
    by: str = ""
    at: str = ""
    note: str = ""


class Laid(Model):
    """The ground along a line of the map (key of an alignment), from its upper end down, as a channel lies on it.

    ``along`` (n,) m are distances, ``ground`` (n,) m the heights there.
    """

    line: str
    along: tuple[float, ...]
    ground: tuple[float, ...]

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("the ground along a line", ("along", "ground"), self.along, self.ground, self.line)
        if self.along[0] != 0:
            raise EditRefused(
                "the ground along a line begins at its upper end.", where=self.line, remedy="Lay it anew."
            )
        return self

    @property
    def length(self) -> float:
        """Its length, m."""
        return self.along[-1]

    @property
    def slope(self) -> float | None:
        """Fall of the ground from end to end over the length; None where it is level."""
        fall = self.ground[0] - self.ground[-1]
        return fall / self.length if fall > 0 else None


class ChannelWorks(Model):
    """A ditch or a channel that is designed: its section on a slope, and what its flow comes from.

    It carries the greatest counted flow of an ``element`` (key), or a typed flow. ``ground`` names what must not
    scour, and ``silty`` that the water carries fine silt; ``grown`` is the roughness when it is grown over, which
    counts for its depth. The ground may be left open, with a velocity typed instead. Where it is ``laid`` along a line
    its slope is that of the ground, unless another is typed.
    """

    name: Name
    element: str = option("key of the element whose flow it carries", label="carries")
    flow: Setting[float] = parameter(
        "flow", "flow for which it is designed", label="design flow", symbol="Q", above=0, most=1e6,
        source="the greatest flow of the element", default=Setting[float](),
    )  # fmt: skip
    slope: Setting[float] = parameter(
        "slope", "slope of its bed", label="bed slope", symbol="S0", above=0, most=1, usual=(1e-4, 0.1),
        source="the ground along its line", default=typed(0.005),
    )  # fmt: skip
    laid: Laid | None = None
    section: AnySection = Trapezoid(bottom_width=0.5, side_slope=2.0, bank_height=0.8)
    ground: str = option("ground that must not scour", lambda: ("", *grounds()), label="ground")
    silty: str = option("whether the water carries fine silt", lambda: ("clear", "silty"), label="water",
                        default="clear")  # fmt: skip
    greatest_velocity: Setting[float] = parameter(
        "speed", "velocity that does not scour", label="greatest velocity", symbol="Vmax", above=0, most=20,
        source="its ground", default=Setting[float](),
    )  # fmt: skip
    grown: Setting[float] = parameter(
        "factor", "roughness when it is grown over", label="roughness when grown", symbol="ng", above=0, most=1,
        source="typed", default=Setting[float](),
    )  # fmt: skip
    freeboard: float = parameter(
        "length", "height that shall stay free below the banks", label="freeboard", symbol="f", least=0, most=10,
        default=0.1,
    )  # fmt: skip

    @property
    def allowed(self) -> float | None:
        """The velocity that does not scour it, m/s: typed, or that of its ground; None without either."""
        if self.greatest_velocity.value is not None:
            return self.greatest_velocity.value
        if not self.ground:
            return None
        ground = ground_named(self.ground)
        return ground.silty if self.silty == "silty" else ground.clear


class CulvertWorks(Model):
    """A pipe or a culvert that is sized: its barrel, the headwater that is allowed, and the road over it.

    It carries the greatest counted flow of an ``element`` (key), or a typed flow. Without a road level nothing flows
    over it.
    """

    name: Name
    element: str = option("key of the element whose flow it carries", label="carries")
    flow: Setting[float] = parameter(
        "flow", "flow for which it is sized", label="design flow", symbol="Q", above=0, most=1e6,
        source="the greatest flow of the element", default=Setting[float](),
    )  # fmt: skip
    barrel: Annotated[Conduit, OneOf(Conduit, "barrel")] = RoundPipe(bottom=0.1, outlet=0.0)
    headwater: Setting[float] = parameter(
        "height", "level that the water before it may reach", label="allowed headwater", symbol="HWa", source="typed",
        default=Setting[float](),
    )  # fmt: skip
    tailwater: Setting[float] = parameter(
        "height", "level of the water behind it", label="tailwater", symbol="TW", source="typed",
        default=Setting[float](),
    )  # fmt: skip
    road_level: Setting[float] = parameter(
        "height", "level of the road over it", label="road level", symbol="zr", source="typed",
        default=Setting[float](),
    )  # fmt: skip
    road_length: float = parameter(
        "length", "length of the road over which water would flow", label="length of the road", symbol="Lr", above=0,
        most=1e4, default=10.0,
    )  # fmt: skip
    road_coefficient: float = parameter(
        "weir coefficient", "coefficient of the road as a broad weir", label="weir coefficient of the road", symbol="C",
        above=0, most=5, usual=(1.2, 1.8), default=1.66,
    )  # fmt: skip
