"""The elements of a network: what each holds, and what is derived from what.

Every element answers ``refreshed()`` with its derived values made anew from its own fields; typed
values stay. To add an element: write its model here, add it to `Element`, and give the engine its
response in ``engine.py``.
"""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise
from typing import Annotated, ClassVar, Literal, NamedTuple

from pydantic import Field, model_validator

from tarnwater.cover import composite, find_cover
from tarnwater.cover.curve_numbers import SoilGroup
from tarnwater.errors import EditRefused
from tarnwater.parameters import Model, Name, Setting, parameter
from tarnwater.routing.reaches import Muskingum, ReachMethod
from tarnwater.runoff.baseflow import Baseflow, NoBaseflow
from tarnwater.runoff.losses import CurveNumber, LossMethod
from tarnwater.runoff.timing import (
    ByHand,
    Ground,
    TimingMethod,
    concentration_of_lag,
    lag_of_concentration,
    slope_in_use,
)
from tarnwater.runoff.transforms import NrcsUnitHydrograph, Transform

#: No response to rain takes longer, s.
LONGEST = 366 * 86400.0

MEASURED = "measured on the terrain"


class CoverReference(Model):
    """A cover class on a soil group, from which a curve number is derived."""

    title: str
    group: SoilGroup


class Surface(Model):
    """A part of a catchment with its own cover and losses.

    Its share of the catchment is its ``area`` (m2) or its ``share`` (0 to 1), whichever is given.
    A directly connected impervious surface is one of its own.
    """

    name: str = ""
    share: float | None = parameter("share", "share of the catchment", symbol="w", least=0, most=1, default=None)
    area: float | None = parameter("area", "area of the surface", symbol="A", least=0, default=None)
    loss: LossMethod = CurveNumber()
    cover: CoverReference | None = None
    connected_impervious: bool = False

    @model_validator(mode="after")
    def _one_measure(self) -> Surface:
        if (self.share is None) == (self.area is None):
            raise EditRefused(
                f"the surface “{self.name}” needs a share or an area, one of the two.",
                where=self.name,
                remedy="Give the one that is known.",
            )
        return self

    def refreshed(self) -> Surface:
        """Its curve number looked up in the table of covers, and what follows from it."""
        loss = self.loss
        if not isinstance(loss, CurveNumber):
            return self
        number = find_cover(self.cover.title).number(self.cover.group) if self.cover else None
        loss = loss.model_copy(update={"curve_number": loss.curve_number.with_derived(number)})
        return self.model_copy(update={"loss": loss.refreshed()})


class Missing(NamedTuple):
    """What an element cannot be computed without: the path of the field, and what to do."""

    field: str
    advice: str

    @property
    def what(self) -> str:
        """What is missing, in words."""
        return f"the {self.field.rsplit('/', 1)[-1].replace('_', ' ')} is missing."


class _Element(Model):
    """What all elements have; ``place`` is in the study's coordinates."""

    name: Name
    note: str = ""
    place: tuple[float, float] | None = None
    observed: tuple[str, ...] = ()

    #: Kinds of element that may have more than one link down.
    several_down: ClassVar[bool] = False

    @cached_property
    def computed_text(self) -> bytes:
        """The settings that shape the element's response, as text for a digest."""
        return self.model_dump_json(exclude=_NOT_COMPUTED).encode()

    def missing(self) -> list[Missing]:
        """What it cannot be computed without; nothing by default."""
        return []


class Catchment(_Element):
    """An area draining to one point: rain in, flow out.

    ``raw_slope`` is the 10-85 slope of its flow path on the raw terrain, beside that on the conditioned ground.
    """

    kind: Literal["catchment"] = "catchment"
    area: Setting[float] = parameter(
        "area",
        "area of the catchment",
        symbol="A",
        above=0,
        most=1e13,
        usual=(100, 5e9),
        source=MEASURED,
        default=Setting[float](),
    )
    surfaces: tuple[Surface, ...] = (Surface(name="whole", share=1.0),)
    flow_length: Setting[float] = parameter(
        "length",
        "length of the longest flow path",
        symbol="L",
        above=0,
        most=1e8,
        usual=(10, 2e5),
        source=MEASURED,
        default=Setting[float](),
    )
    path_slope: Setting[float] = parameter(
        "slope",
        "slope of the longest flow path, fall over length",
        symbol="S",
        least=0,
        usual=(1e-4, 1.0),
        source=MEASURED,
        default=Setting[float](),
    )
    slope_10_85: Setting[float] = parameter(
        "slope",
        "slope of the flow path between 10 and 85 per cent",
        symbol="S1085",
        usual=(1e-4, 1.0),
        source=MEASURED,
        default=Setting[float](),
    )
    mean_slope: Setting[float] = parameter(
        "slope",
        "mean slope of the ground",
        symbol="Y",
        least=0,
        usual=(1e-3, 1.5),
        source=MEASURED,
        default=Setting[float](),
    )
    timing: TimingMethod = ByHand()
    concentration: Setting[float] = parameter(
        "time",
        "time of concentration",
        symbol="Tc",
        least=1,
        most=2 * LONGEST,
        usual=(120, 5 * 86400),
        source="its timing method",
        default=Setting[float](),
    )
    lag: Setting[float] = parameter(
        "time",
        "lag from the middle of the excess to the peak",
        symbol="tL",
        least=1,
        most=LONGEST,
        usual=(60, 4 * 86400),
        source="its timing method",
        default=Setting[float](),
    )
    transform: Transform = NrcsUnitHydrograph()
    baseflow: Baseflow = Field(default=NoBaseflow())
    outline: str | None = None
    flow_path: str | None = None
    raw_slope: float | None = None
    total_area: float | None = None
    cut_off: bool = False

    @model_validator(mode="after")
    def _typed_slopes(self) -> Catchment:
        for field in ("path_slope", "mean_slope"):
            if getattr(self, field).typed_value == 0:
                raise EditRefused(
                    f"the {field.replace('_', ' ')} cannot be zero.",
                    where=self.name,
                    remedy="Type a slope above zero; the timing equations divide by it.",
                )
        return self

    @property
    def weights(self) -> tuple[float, ...]:
        """Share of each surface in the rain, adding up to 1 even where the shares do not."""
        parts = self.surface_shares
        total = sum(parts)
        return tuple(p / total for p in parts) if total else tuple(1 / len(parts) for _ in parts)

    @property
    def surface_shares(self) -> tuple[float, ...]:
        """Share of each surface as given; an area over the catchment's."""
        area = self.area.value or 1.0
        return tuple(s.share if s.share is not None else (s.area or 0.0) / area for s in self.surfaces)

    @property
    def curve_number(self) -> float | None:
        """Area-weighted curve number in the average condition, or None where a surface has none."""
        numbers = [s.loss.curve_number.value for s in self.surfaces if isinstance(s.loss, CurveNumber)]
        if not numbers or any(n is None for n in numbers):
            return None
        areas = [w for w, s in zip(self.weights, self.surfaces, strict=True) if isinstance(s.loss, CurveNumber)]
        return composite(areas, [float(n) for n in numbers if n is not None])

    @property
    def ground(self) -> Ground:
        """What the timing methods may use; a derived slope below the least is raised to it, a typed one never is."""
        return Ground(
            self.flow_length.value, slope_in_use(self.path_slope), slope_in_use(self.mean_slope), self.curve_number
        )

    @property
    def lag_leads(self) -> bool:
        """Whether the lag is given and the time of concentration follows, or the other way round."""
        if self.lag.typed or self.concentration.typed:
            return self.lag.typed is not None
        timing = self.timing.derive(self.ground)
        return timing is None or timing.leads == "lag"

    def missing(self) -> list[Missing]:
        """Its area, its lag, and what its losses need."""
        found = []
        if self.area.value is None:
            found.append(Missing("area", "Type it, or measure it on a terrain."))
        if self.lag.value is None:
            advice = "Type the lag or the time of concentration, or choose a method and give what it needs."
            found.append(Missing("lag", advice))
        for number, surface in enumerate(self.surfaces):
            if isinstance(surface.loss, CurveNumber) and surface.loss.curve_number.value is None:
                path = f"surfaces/{number}/loss/curve_number"
                found.append(Missing(path, "Type it, or name the cover and the soil group."))
        return found

    def refreshed(self) -> Catchment:
        """Losses, time of concentration and lag derived anew; a typed lag or Tc leads the other."""
        surfaces = tuple(s.refreshed() for s in self.surfaces)
        anew = self.model_copy(update={"surfaces": surfaces})
        timing = self.timing.derive(anew.ground)
        lag = concentration = None
        if timing is not None and timing.leads == "lag":
            lag, concentration = timing.seconds, concentration_of_lag(timing.seconds)
        elif timing is not None:
            lag, concentration = lag_of_concentration(timing.seconds), timing.seconds
        if self.concentration.typed is not None:
            lag = lag_of_concentration(self.concentration.typed.value)
        if self.lag.typed is not None:
            concentration = concentration_of_lag(self.lag.typed.value)
        lag_setting = self.lag.with_derived(lag)
        update = {
            "lag": lag_setting,
            "concentration": self.concentration.with_derived(concentration),
            "transform": self.transform.refreshed(lag_setting.value),
        }
        return anew.model_copy(update=update)


class Confluence(_Element):
    """Where flows join."""

    kind: Literal["confluence"] = "confluence"

    def refreshed(self) -> Confluence:
        """Nothing is derived."""
        return self


class Outfall(_Element):
    """An end of the network."""

    kind: Literal["outfall"] = "outfall"

    def refreshed(self) -> Outfall:
        """Nothing is derived."""
        return self


class Reach(_Element):
    """A channel that carries and delays; ``raw_slope`` is its slope on the raw terrain."""

    kind: Literal["reach"] = "reach"
    length: Setting[float] = parameter(
        "length",
        "length along the flow",
        symbol="L",
        least=0,
        usual=(10, 2e5),
        source=MEASURED,
        default=Setting[float](),
    )
    slope: Setting[float] = parameter(
        "slope", "fall over length", symbol="S", usual=(1e-5, 0.5), source=MEASURED, default=Setting[float]()
    )
    celerity: Setting[float] = parameter(
        "speed",
        "celerity of the flood wave",
        symbol="c",
        above=0,
        most=100,
        usual=(0.2, 6),
        source="typed",
        default=Setting[float](),
    )
    method: ReachMethod = Muskingum()
    path: str | None = None
    raw_slope: float | None = None

    def missing(self) -> list[Missing]:
        """The travel time of its method."""
        if isinstance(self.method, Muskingum) and self.method.travel_time.value is None:
            return [Missing("method/travel_time", "Type it, or the celerity of the flood wave with the length.")]
        return []

    def refreshed(self) -> Reach:
        """Travel time from length and celerity."""
        if not isinstance(self.method, Muskingum):
            return self
        return self.model_copy(update={"method": self.method.refreshed(self.length.value, self.celerity.value)})


class Inflow(_Element):
    """A given hydrograph: typed points, straight between, nothing before the first and after the last."""

    kind: Literal["inflow"] = "inflow"
    times: tuple[float, ...] = parameter(
        "time", "time since the start of the run", symbol="t", least=0, most=366 * 86400
    )
    flows: tuple[float, ...] = parameter("flow", "flow that enters", symbol="Q", least=0, most=1e7, usual=(0, 20000))

    @model_validator(mode="after")
    def _paired(self) -> Inflow:
        rising = all(b > a for a, b in pairwise(self.times))
        if len(self.times) != len(self.flows) or len(self.times) < 2 or not rising:
            raise EditRefused(
                f"an inflow needs at least two times that rise, and a flow for each; "
                f"{len(self.times)} times and {len(self.flows)} flows were given.",
                where=self.name,
                remedy="Give the hydrograph as rising times with their flows.",
            )
        return self

    def refreshed(self) -> Inflow:
        """Nothing is derived."""
        return self


Element = Annotated[Catchment | Confluence | Reach | Inflow | Outfall, Field(discriminator="kind")]

#: What the engine does not look at.
_NOT_COMPUTED = {
    "name",
    "note",
    "place",
    "observed",
    "outline",
    "flow_path",
    "path",
    "cut_off",
    "total_area",
    "raw_slope",
}


class Link(Model):
    """A way of the water from one element to the next, both by their keys."""

    up: str
    down: str
