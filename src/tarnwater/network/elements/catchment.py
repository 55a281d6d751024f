"""The catchment: rain in, flow out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.cover import composite
from tarnwater.cover.land import CatchmentLand
from tarnwater.errors import EditRefused
from tarnwater.methods import Derivation, Doubtful, Missing
from tarnwater.network.elements import catchment_reckoning as explained
from tarnwater.network.elements import catchment_runoff as runoff
from tarnwater.network.elements.catchment_runoff import BySurface, CatchmentExcess
from tarnwater.network.elements.element import (
    MEASURED,
    Answer,
    AskedOfElement,
    Element,
    OneStorm,
    OwnValues,
    Shape,
    Situation,
)
from tarnwater.network.elements.flow_path import PathPart, divided, slope_between
from tarnwater.network.elements.surface import Surface, impervious_land
from tarnwater.network.elements.surface_route import ByItself
from tarnwater.parameters import Model, Setting, parameter
from tarnwater.rain.storms import Rain
from tarnwater.routing.channels import AnySection
from tarnwater.runoff.baseflow import BaseflowMethod, NoBaseflow
from tarnwater.runoff.timing import (
    ByHand,
    Measures,
    TimingMethod,
    concentration_of_lag,
    lag_of_concentration,
    slope_in_use,
)
from tarnwater.runoff.transforms import NrcsUnitHydrograph, TransformMethod
from tarnwater.states import State
from tarnwater.terrain.counts import Counts

#: Sums of shares this near to 1 differ from it by rounding only.
SHARES_ROUNDED = 1e-9

REMAINDER = "Correct a share, or clear one: that surface then takes the remainder."

#: Longest response to rain, s.
LONGEST = 366 * 86400.0


class PathHeights(Model):
    """Heights of the conditioned ground along the longest flow path, m: its ends, and 10 and 85 % of its length up."""

    head: float
    foot: float
    at_10: float
    at_85: float


def _measure(kind: str, meaning: str, label: str, symbol: str, **bounds: float) -> Any:
    """A measure of the terrain that no equation needs, shown where it is known."""
    return parameter(
        kind, meaning, label=label, symbol=symbol, source=MEASURED, told_when_known=True, default=Setting[float](),
        **bounds,
    )  # fmt: skip


class Catchment(Element):
    """An area that drains to one point: rain in, flow out.

    ``raw_slope`` is the 10-85 slope of its flow path on the raw terrain; the one in use is that on the conditioned
    ground. With ``land`` its surfaces follow from cover and soil; without it they are made by hand. An outline or
    a flow path that was ``drawn`` or imported stays when the terrain is surveyed again. ``path_profile`` has distances
    from the head and heights along a path that is divided into parts, m. ``channel`` is the section of its channel, of
    which the time of flow in it is taken; it has one at most.
    """

    kind: Literal["catchment"] = "catchment"

    shape: ClassVar[Shape] = "valley"
    takes_rain: ClassVar[bool] = True
    smooths: ClassVar[bool] = True
    parts: ClassVar[Mapping[str, str]] = {"channel": "section of the channel"}
    mapped: ClassVar[tuple[str, ...]] = (
        "outline", "flow_path", "path_profile", "path_heights", "raw_slope", "counts", "total_area", "cut_off",
        "drawn", "path_drawn",
    )  # fmt: skip

    area: Setting[float] = parameter(
        "area",
        "area of the catchment",
        label="area",
        symbol="A",
        above=0,
        most=1e13,
        usual=(100, 5e9),
        source=MEASURED,
        default=Setting[float](),
    )
    surfaces: tuple[Surface, ...] = (Surface(name="whole"),)
    land: CatchmentLand | None = None
    flow_length: Setting[float] = parameter(
        "length",
        "length of the longest flow path",
        label="flow path length",
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
        label="flow path slope",
        symbol="S",
        least=0,
        usual=(1e-4, 1.0),
        source=MEASURED,
        default=Setting[float](),
    )
    slope_10_85: Setting[float] = parameter(
        "slope",
        "slope of the flow path between 10 and 85 per cent",
        label="10-85 slope",
        symbol="S1085",
        usual=(1e-4, 1.0),
        source=MEASURED,
        default=Setting[float](),
    )
    mean_slope: Setting[float] = parameter(
        "slope",
        "mean slope of the ground",
        label="mean catchment slope",
        symbol="Y",
        least=0,
        usual=(1e-3, 1.5),
        source=MEASURED,
        default=Setting[float](),
    )
    perimeter: Setting[float] = _measure("length", "length of the outline", "perimeter", "P", above=0)
    relief: Setting[float] = _measure("length", "highest less lowest ground", "relief", "H", least=0)
    centroid_length: Setting[float] = _measure(
        "length", "length of the flow path from the outlet to its place nearest to the middle", "centroid length", "Lc",
        least=0,
    )  # fmt: skip
    drainage_density: Setting[float] = _measure(
        "drainage density", "length of the streams over the area", "drainage density", "Dd", least=0
    )
    path_head: Setting[float] = _measure("height", "height at the head of the flow path", "path head", "z1")
    path_foot: Setting[float] = _measure("height", "height at its foot", "path foot", "z2")
    path_parts: tuple[PathPart, ...] = ()
    path_profile: tuple[tuple[float, float], ...] = ()
    channel: tuple[AnySection, ...] = ()
    timing: TimingMethod = ByHand()
    concentration: Setting[float] = parameter(
        "time",
        "time of concentration",
        label="time of concentration",
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
        label="lag time",
        symbol="tL",
        least=1,
        most=LONGEST,
        usual=(60, 4 * 86400),
        source="its timing method",
        default=Setting[float](),
    )
    least_concentration: Setting[float] = parameter(
        "time",
        "least time of concentration, below which none is taken",
        label="least time of concentration",
        symbol="Tc0",
        least=0,
        most=LONGEST,
        usual=(0, 3600),
        source="typed",
        default=Setting[float](),
    )
    transform: TransformMethod = NrcsUnitHydrograph()
    baseflow: BaseflowMethod = NoBaseflow()
    outline: str | None = None
    flow_path: str | None = None
    path_heights: PathHeights | None = None
    raw_slope: float | None = None
    counts: Counts | None = None
    total_area: float | None = None
    cut_off: bool = False
    drawn: bool = False
    path_drawn: bool = False

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

    def assigned(self, path: str) -> Catchment:
        """A copy after a value was set at a path.

        Surfaces that were changed by hand no longer follow from its land, nor an area from a transform that is gone.
        """
        first, *rest = path.split("/")
        if first == "transform" and self.outline is None:
            return self.model_copy(update={"area": self.area.with_derived(None)})
        if self.land is None or first != "surfaces" or (len(rest) > 1 and rest[1] == "loss"):
            return self
        return self.model_copy(update={"land": None, "surfaces": _by_hand(self.surfaces)})

    @model_validator(mode="after")
    def _one_remainder(self) -> Catchment:
        open_ended = [] if self.land is not None else [one.name for one in self.surfaces if one.takes_remainder]
        if len(open_ended) > 1:
            raise EditRefused(
                f"the surfaces {' and '.join(f'“{name}”' for name in open_ended)} would each take the remainder.",
                where=self.name,
                remedy="Type the shares or areas of all surfaces but one.",
            )
        return self

    @model_validator(mode="after")
    def _one_channel(self) -> Catchment:
        if len(self.channel) > 1:
            raise EditRefused("the channel has a section.", where=self.name, remedy="Remove it first, or correct it.")
        return self

    @property
    def parts_to_add(self) -> Mapping[str, str]:
        """A section of the channel, where a timing takes one and there is none."""
        timings = [self.timing, *(way.timing for way in self.apart.values())]
        takes = any(timing.by_section for timing in timings)
        return self.parts if takes and not self.channel else {}

    @property
    def weights(self) -> tuple[float, ...]:
        """Share of each surface in the rain: typed, its area over that of the catchment, or the remainder.

        Where they do not add up to 1 they are as they are, and the catchment is not computed.
        """
        if self.land is not None:
            return tuple(surface.share.value or 0.0 for surface in self.surfaces)
        given = [self._given_share(surface) for surface in self.surfaces]
        rest = 1 - sum(share for share in given if share is not None)
        return tuple(rest if share is None else share for share in given)

    def _given_share(self, surface: Surface) -> float | None:
        if surface.area is None:
            return surface.share.typed_value
        return surface.area / self.area.value if self.area.value else 0.0

    @property
    def apportioned(self) -> bool:
        """Whether the shares of its surfaces add up to 1, and none is below 0."""
        return min(self.weights) >= 0 and abs(sum(self.weights) - 1) <= SHARES_ROUNDED

    @property
    def curve_number(self) -> float | None:
        """Area-weighted curve number in the average condition, or None where a surface has none."""
        rows = self.numbered
        numbers = [number.value for row in rows if (number := self.surfaces[row].loss.number) is not None]
        if not numbers or any(n is None for n in numbers):
            return None
        return composite([self.weights[row] for row in rows], [float(n) for n in numbers if n is not None])

    @property
    def numbered(self) -> list[int]:
        """Positions of the surfaces whose losses have a curve number."""
        return [row for row, surface in enumerate(self.surfaces) if surface.loss.number is not None]

    @property
    def measures(self) -> Measures:
        """The inputs of the timing methods; a derived slope below the least is raised to it, a typed one is not."""
        return Measures(
            self.flow_length.value,
            slope_in_use(self.path_slope),
            slope_in_use(self.mean_slope),
            self.curve_number,
            self.area.value,
            self.centroid_length.value,
            {part.kind: (part.length.value, part.slope.value) for part in self.path_parts},
            (self.channel[0].full.radius, self.channel[0].full.roughness) if self.channel else None,
        )

    def _measures_of(self, number: int) -> Measures:
        """The measures for a surface that runs off by itself: those of the catchment, with its number and its area."""
        known, area = self.surfaces[number].loss.number, self.area.value
        return replace(
            self.measures,
            curve_number=None if known is None else known.value,
            area=None if area is None else area * self.weights[number],
        )

    @property
    def lag_used(self) -> float:
        """The lag for its transform, s; 0 where that needs none and there is none."""
        return self.lag.known if self.transform.needs_lag else self.lag.value or 0.0

    @cached_property
    def storm_duration(self) -> float | None:
        """Duration (s) of even rain that its method is made for: its time of concentration; None for other methods."""
        return self.concentration.value if self.transform.even_rain else None

    @property
    def delay(self) -> float | None:
        """Time (s) from rain to flow by which a step is judged, the shortest: a lag, or that of a transform."""
        own = self.lag.value if self.transform.needs_lag else self.transform.delay
        times = [own] if self.runs_together else []
        return min((t for t in [*times, *(way.delay for way in self.apart.values())] if t), default=None)

    def lags(self, values: Mapping[int, Mapping[str, Floats]]) -> Floats | None:
        """Lags (case,) s from curve numbers that differ by case; None if the lag does not depend on them."""
        changed = {
            row: own[name] for row, own in values.items() if (name := self.surfaces[row].loss.number_name) in own
        }
        if not changed or self.lag.typed is not None or self.concentration.typed is not None:
            return None
        weighted, whole = np.zeros(1), 0.0
        for row in self.numbered:
            number = self.surfaces[row].loss.number
            assert number is not None
            weighted = weighted + self.weights[row] * changed.get(row, number.known)
            whole += self.weights[row]
        found = self.timing.derive(replace(self.measures, curve_number=weighted / whole))
        if found is None or not isinstance(found.seconds, np.ndarray):
            return None
        lags = found.seconds if found.leads == "lag" else lag_of_concentration(found.seconds)
        return np.maximum(lags, lag_of_concentration(self.least_concentration.value or 0.0))

    @property
    def least_governs(self) -> bool:
        """Whether its lag follows from the least time of concentration, because its own is less."""
        least, own = self.least_concentration.value, self.concentration.value
        return self.lag.typed is None and least is not None and own is not None and own < least

    @property
    def lag_leads(self) -> bool:
        """Whether the time of concentration is derived from the lag, rather than the lag from it."""
        if self.lag.typed or self.concentration.typed:
            return self.lag.typed is not None
        timing = self.timing.derive(self.measures)
        return timing is None or timing.leads == "lag"

    def missing(self) -> list[Missing]:
        """Its missing values: area, lag, and those of its methods."""
        found = []
        if self.area.value is None:
            found.append(Missing("area", "Type it, or measure it on a terrain."))
        if self.lag.value is None and self.transform.needs_lag and self.runs_together:
            advice = "Type the lag or the time of concentration, or choose a method and give what it needs."
            found.append(Missing("lag", advice))
        if self.area.value is not None and not self.apportioned:
            found.append(Missing("surfaces/0/share", REMAINDER, self._not_apportioned))
        for number, surface in enumerate(self.surfaces):
            found += [one.within(f"surfaces/{number}/loss") for one in surface.loss.missing()]
            found += [one.within(f"surfaces/{number}/route") for one in surface.route.missing()]
        for name in ("timing", "transform", "baseflow"):
            found += [one.within(name) for one in getattr(self, name).missing()]
        return found

    @property
    def _not_apportioned(self) -> str:
        given = sum(share for surface in self.surfaces if (share := self._given_share(surface)) is not None)
        return f"its surfaces add up to {100 * given:.10g} % of its area."

    def _with_remainder(self, surfaces: tuple[Surface, ...]) -> tuple[Surface, ...]:
        """Surfaces whose shares are derived again; those that follow from land have theirs from there.

        Where none takes the remainder, beside each typed share stands what its surface would take.
        """
        if self.land is not None:
            return surfaces
        rest, taken = 1 - sum(self.weights), any(surface.takes_remainder for surface in surfaces)
        shares = []
        for surface, weight in zip(surfaces, self.weights, strict=True):
            open_to = weight if surface.share.typed is None else None if taken or rest + weight < 0 else rest + weight
            shares.append(surface.share.with_derived(open_to))
        changed = zip(surfaces, shares, strict=True)
        return tuple(s if share is s.share else s.model_copy(update={"share": share}) for s, share in changed)

    def refreshed(self) -> Catchment:
        """A copy with losses, time of concentration and lag derived again; a typed lag or Tc gives the other one."""
        surfaces = self._with_remainder(tuple(s.refreshed() for s in self.surfaces))
        anew = self.model_copy(update={"surfaces": surfaces, **self._of_path()})
        method = self.timing.refreshed(anew.measures)
        timing = method.derive(anew.measures)
        lag = concentration = None
        if timing is not None and timing.leads == "lag":
            lag, concentration = float(timing.seconds), concentration_of_lag(float(timing.seconds))
        elif timing is not None:
            lag, concentration = lag_of_concentration(float(timing.seconds)), float(timing.seconds)
        if self.concentration.typed is not None:
            lag = lag_of_concentration(self.concentration.typed.value)
        if lag is not None:
            # the least acts on the time of concentration, before the lag is taken of it
            lag = max(lag, lag_of_concentration(self.least_concentration.value or 0.0))
        if self.lag.typed is not None:
            concentration = concentration_of_lag(self.lag.typed.value)
        lag_setting = self.lag.with_derived(lag)
        area = self.area
        if self.outline is None and self.transform.own_area is not None:
            # without a map a unit hydrograph that is made for an area gives it
            area = area.with_derived(self.transform.own_area)
        whole = anew.model_copy(update={"area": area})
        routed = [
            s.model_copy(update={"route": s.route.refreshed(whole._measures_of(n))}) if s.route.apart else s
            for n, s in enumerate(surfaces)
        ]
        update = {
            "area": area,
            "surfaces": tuple(routed),
            "timing": method,
            "lag": lag_setting,
            "concentration": self.concentration.with_derived(concentration),
            "transform": self.transform.refreshed(lag_setting.value),
        }
        return anew.model_copy(update=update)

    def _of_path(self) -> dict[str, Any]:
        """The heights at the ends of its flow path, its slope where one of them was typed, and its parts."""
        ends = self.path_heights
        head = self.path_head.with_derived(None if ends is None else ends.head)
        foot = self.path_foot.with_derived(None if ends is None else ends.foot)
        found: dict[str, Any] = {"path_head": head, "path_foot": foot}
        if head.typed is not None or foot.typed is not None or (self.path_drawn and ends is None):
            found["path_slope"] = self.path_slope.with_derived(slope_between(head, foot, self.flow_length))
        elif ends is not None and self.flow_length.derived:
            fall = max((ends.head - ends.foot) / self.flow_length.derived, 0.0)
            found["path_slope"] = self.path_slope.with_derived(fall)
        if self.path_parts:
            found["path_parts"] = divided(self.path_parts, self.flow_length.value, self.path_profile)
        return found

    @property
    def aliases(self) -> Mapping[str, str]:
        """The share of impervious land is that of the connected impervious surface."""
        found = [number for number, surface in enumerate(self.surfaces) if surface.connected_impervious]
        return {"impervious": f"surfaces/{found[0]}/share"} if len(found) == 1 else {}

    def with_room_for(self, name: str) -> Catchment:
        """A copy with connected impervious land of no share, where its share is asked and it has none.

        Surfaces that follow from cover and soil stay as they are.
        """
        has_it = self.land is not None or any(surface.connected_impervious for surface in self.surfaces)
        if name != "impervious" or has_it:
            return self
        return self.model_copy(update={"surfaces": (*self.surfaces, impervious_land())})

    def offers(self, name: str) -> bool:
        """Heights at the ends of the flow path may be typed where its slope is not measured."""
        ends = name in ("path_head", "path_foot")
        return ends and self.flow_length.value is not None and self.path_heights is None

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its losses and its transform."""
        found = [
            (f"surfaces/{number}/loss", one)
            for number, surface in enumerate(self.surfaces)
            for one in surface.loss.doubts()
        ]
        if self.lag.typed is None and self.concentration.typed is None:
            found += [("timing", one) for one in self.timing.doubts(self.measures)]
        for number, way in self.apart.items():
            around = self._measures_of(number)
            found += [(f"surfaces/{number}/route/{f}", one) for f, one in way.doubts(around, around.area, steps)]
        if self.lag.value or not self.transform.needs_lag:
            doubts = self.transform.doubts(self.area.value, self.lag_used, list(steps))
            found += [("transform", one) for one in doubts]
        return found

    @property
    def drained(self) -> float:
        """Its area, m2."""
        return self.area.value or 0.0

    @property
    def by_date(self) -> bool:
        """Whether its baseflow depends on the date of the storm."""
        return self.baseflow.by_date

    def memory(self, step: float) -> float:
        """Longest delay by its transform, about, s; flow from the ground is no part of a flood."""
        area = self.area.known
        times = [self.transform.memory(area, self.lag_used, step)] if self.runs_together else []
        own = [(way, area * self.weights[number]) for number, way in self.apart.items()]
        return max([*times, *(way.transform.memory(part, way.lag_used, step) for way, part in own)])

    def ordinates(self, step: float) -> int:
        """Least number of steps of its unit hydrographs."""
        lags = [self.lag.value] if self.transform.needs_lag and self.runs_together else []
        lags += [way.lag.value for way in self.apart.values() if way.transform.needs_lag]
        return max((int(5 * lag / step) for lag in lags if lag is not None), default=0)

    def takes(self, values: OwnValues) -> bool:
        """Whether the losses take these parameters by case, and the timing too where they change it."""
        of_losses = [path for path in values if len(path) == 4 and path[2] == "loss"]
        losses = [(self.surfaces[int(path[1])].loss, path[3]) for path in of_losses]
        return len(losses) == len(values) and all(
            name in loss.by_case and (self.timing.by_case or name != loss.number_name) for loss, name in losses
        )

    @property
    def by_storm(self) -> bool:
        """Whether its times or its losses follow from the storm."""
        surfaces = any(surface.loss.period_name for surface in self.surfaces)
        return self._timed_by_storm or surfaces or any(_by_storm(way) for way in self.apart.values())

    @property
    def _timed_by_storm(self) -> bool:
        return self.timing.by_storm and self.lag.typed is None and self.concentration.typed is None

    def in_storm(self, storm: OneStorm) -> Catchment:
        """A copy with its times for the rain of a storm, and its losses for its return period."""
        depths, step = storm.rain.depths[0], storm.rain.step
        surfaces = [surface.in_storm(storm.years) for surface in self.surfaces]
        for number, way in self.apart.items():
            if _by_storm(way):
                around = way.measures(self._measures_of(number))
                timed = way.model_copy(update={"timing": way.timing.in_storm(depths, step, around)})
                surfaces[number] = surfaces[number].model_copy(update={"route": timed})
        update: dict[str, Any] = {"surfaces": tuple(surfaces)}
        if self._timed_by_storm:
            update["timing"] = self.timing.in_storm(depths, step, self.measures)
        return self.model_copy(update=update).refreshed()

    def storm_values(self, storm: OneStorm) -> Mapping[tuple[str | int, ...], float]:
        """Its lag in a storm, and the parameters of its losses that go by the return period."""
        found: dict[tuple[str | int, ...], float] = {}
        own = self.in_storm(storm)
        if self._timed_by_storm and own.lag.value is not None:
            found["lag",] = own.lag.value
        for number, surface in enumerate(own.surfaces):
            if name := surface.loss.period_name:
                found["surfaces", number, "loss", name] = getattr(surface.loss, name).known
        for number, way in own.apart.items():
            if _by_storm(way) and way.lag.value is not None:
                found["surfaces", number, "route", "lag"] = way.lag.value
        return found

    @property
    def apart(self) -> dict[int, ByItself]:
        """The ways of the surfaces that run off by themselves, by their positions."""
        return {n: s.route for n, s in enumerate(self.surfaces) if isinstance(s.route, ByItself)}

    @property
    def runs_together(self) -> bool:
        """Whether some surface runs off with the catchment."""
        return len(self.apart) < len(self.surfaces)

    def excess_of(
        self, rain: Rain, step: float, before: State = None, values: BySurface | None = None, steps: int = 0
    ) -> CatchmentExcess:
        """Excess of rain on it at the step (s) of the run, weighted over its surfaces.

        ``before`` are the states of the surfaces; ``values`` replace parameters of surfaces by arrays (case,). Losses
        that recover go on over the dry ``steps`` of the run after the rain.
        """
        return runoff.excess_of(self, rain, step, before, values, steps)

    def excess_by_surface(self, rain: Rain, step: float, before: State = None) -> list[Floats]:
        """Part of each surface in the excess of the catchment, mm over all of it, (case, step) at a step (s)."""
        return runoff.excess_by_surface(self, rain, step, before)

    @staticmethod
    def losses_in(state: State) -> State:
        """The states of its surfaces in a state of the catchment; None at rest."""
        return runoff.losses_in(state)

    def held_in(self, state: State) -> Floats | float:
        """Water that its depressions hold in a state, mm of the catchment."""
        return runoff.held_in(self, state)

    def respond(self, situation: Situation) -> Answer:
        """Runoff of the rain on it, and baseflow; its state has those of losses, transform and baseflow."""
        return runoff.respond(self, situation)

    def flow(self, asked: AskedOfElement) -> Derivation:
        """Runoff of the excess, and the flow from the ground."""
        return explained.flow(self, asked)


def _by_storm(way: ByItself) -> bool:
    """Whether the time of a surface by itself follows from the storm."""
    return way.timing.by_storm and way.lag.typed is None


def _by_hand(surfaces: tuple[Surface, ...]) -> tuple[Surface, ...]:
    """Surfaces that stand by themselves: of those whose share is not typed, the largest takes the remainder.

    The shares of the others are kept as typed.
    """
    largest = max((s for s in surfaces if s.takes_remainder), key=lambda s: s.share.value or 0.0, default=None)
    found = []
    for surface in surfaces:
        share = surface.share
        if surface is not largest and surface.takes_remainder:
            share = share.with_typed(share.value or 0.0, note="from cover and soil")
        found.append(_with_own_number(surface.model_copy(update={"share": share})))
    return tuple(found)


def _with_own_number(surface: Surface) -> Surface:
    """A surface without land: a curve number that followed from several classes is kept as typed."""
    loss, number = surface.loss, surface.cover_number
    known = loss.number
    if surface.cover is not None or number is None or known is None or known.typed is not None:
        return surface
    kept = known.with_typed(number, note="from cover and soil")
    return surface.model_copy(update={"loss": loss.model_copy(update={loss.number_name: kept}), "cover_number": None})
