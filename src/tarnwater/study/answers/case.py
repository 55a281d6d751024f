"""A case and its result."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.clock import moment, show_moment
from tarnwater.errors import UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.balance import Balance
from tarnwater.network.elements import Element, OneStorm
from tarnwater.network.engine import (
    Summary,
)
from tarnwater.network.graph import Network
from tarnwater.network.peaks import Peak
from tarnwater.network.runs import Run
from tarnwater.rain.storms import Rain
from tarnwater.study.answers.storms import (
    Event,
    Standing,
    Storm,
)
from tarnwater.units import show_duration


@dataclass(frozen=True)
class Case:
    """One condition under one storm made for one design point (keys).

    ``start`` is the key of the given storm from whose end state it begins; empty means at rest.
    """

    condition: str
    point: str
    storm: Storm
    start: str = ""

    @property
    def event(self) -> Event:
        """The event of its answer."""
        return self.storm.event


#: Share of the water above an element that may still be in transit when a flood has passed.
MOST_ON_ITS_WAY = 0.1


@dataclass(frozen=True, eq=False)
class CaseResult:
    """The result of a case: it is at ``index`` in its ``run``.

    ``origin`` is the date at which its rain begins, if known.
    """

    case: Case
    network: Network
    run: Run
    index: int
    areal_factor: float
    standing: Standing = "counted"
    origin: datetime | None = None
    _known: dict[str, Figures] = field(default_factory=dict, repr=False)

    def of(self, case: Case) -> CaseResult:
        """The same result for another case, with which it shares all computed values."""
        alike = self.index, self.areal_factor, self.standing, self.origin, self._known
        return CaseResult(case, self.network, self.run, *alike)

    def element(self, key: str) -> Element:
        """An element as it is in the storm of the case."""
        found = self.network.elements[key]
        return found.in_storm(self._storm_on(key)) if found.by_storm else found

    def _storm_on(self, key: str) -> OneStorm:
        rain = self.run.batch.rain_on(key).of(slice(self.index, self.index + 1))
        return OneStorm(rain, self.case.storm.years)

    def flow(self, element: str) -> Floats:
        """Hydrograph of an element, m3/s, (step + 1,)."""
        self._summary(element)
        found: Floats = self.run.responses[element].flow[self.index]
        return found

    def hydrograph(self, element: str, link: str = "") -> Hydrograph:
        """Hydrograph of an element with its volumes, one case; if a link is given, only the flow in that link."""
        self._summary(element)
        response = self.run.responses[element]
        whole = response.ways[self.network.way_number[link]] if link else response.hydrograph
        return whole.of(slice(self.index, self.index + 1))

    def flow_by(self, link: str) -> Floats:
        """Hydrograph of the flow in a link, m3/s, (step + 1,)."""
        found: Floats = self.hydrograph(self.network.links[link].up, link).flow[0]
        return found

    def peak_by(self, link: str) -> Peak:
        """Peak of the flow in a link."""
        summary = self._summary(self.network.links[link].up)
        return summary.by_way[self.network.way_number[link]][self.index]

    def level(self, element: str) -> Floats | None:
        """Level of an element, m, (step + 1,); None if it has none."""
        self._summary(element)
        level = self.run.responses[element].level
        return None if level is None else level[self.index]

    def storage(self, element: str) -> Floats | None:
        """Water stored in an element, m3, (step + 1,); None if it has none."""
        self._summary(element)
        storage = self.run.responses[element].storage
        return None if storage is None else storage[self.index]

    @property
    def step(self) -> float:
        """Step of the run, s."""
        return self.run.batch.step

    def moment(self, seconds: float) -> datetime | None:
        """The date at a time of the run (s); None if its storm has no date."""
        return None if self.origin is None else moment(self.origin, seconds)

    def when(self, seconds: float) -> str:
        """A time of the run (s) in words: a date if there is one, otherwise the time after the start of the rain."""
        at = self.moment(seconds)
        return show_duration(round(seconds)) if at is None else show_moment(at)

    @cached_property
    def _even_rain(self) -> Floats | None:
        """Rain if it is the same on every catchment, mm, (step,); otherwise None."""
        rain = self.run.batch.rain
        return self._in_steps(rain) if isinstance(rain, Rain) else None

    def _in_steps(self, rain: Rain) -> Floats:
        """Its row of a rain, in steps of the run, mm, (step,)."""
        found: Floats = rain.of(slice(self.index, self.index + 1)).at_step(self.step).depths[0]
        return found

    def rain_on(self, catchment: str) -> Floats:
        """Rain on a catchment in each step of the run, mm, (step,)."""
        return self._in_steps(self.run.batch.rain_on(catchment))

    def rain_in_losses(self, catchment: str) -> Rain:
        """Rain on a catchment as its losses take it: in steps of the run, or in whole parts of them."""
        rain = self.run.batch.rain_on(catchment)
        return rain.of(slice(self.index, self.index + 1)).at_step(min(rain.step, self.step))

    def rain_over(self, element: str) -> Floats:
        """Mean rain over the catchments above an element in each step of the storm, mm, (step,)."""
        if self._even_rain is not None:
            return self._even_rain
        areas = self.areas_rained_on(element)
        whole = sum(areas.values())
        # without catchments the rain is zero, over the steps of the storm
        rain = np.zeros(max((len(own) for own in self._uneven.values()), default=1))
        for key, area in areas.items():
            rain += area / whole * self._uneven[key]
        return rain

    @cached_property
    def _uneven(self) -> dict[str, Floats]:
        rain = self.run.batch.rain
        assert not isinstance(rain, Rain)
        return {key: self._in_steps(own) for key, own in rain.items()}

    def areas_rained_on(self, element: str) -> dict[str, float]:
        """Areas (m2) of the catchments above an element, itself included, by key."""
        above = ((key, self.network.elements[key]) for key in self.network.above([element]))
        return {key: part.drained for key, part in above if part.takes_rain and part.drained > 0}

    def rain_depth(self, element: str) -> float:
        """Mean depth of the storm over the catchments above an element, mm."""
        return float(self.rain_over(element).sum())

    @property
    def length(self) -> float:
        """Length of the run, s."""
        return self.run.batch.steps * self.step

    def peak(self, element: str) -> Peak:
        """Peak of an element."""
        return self._summary(element).peaks[self.index]

    def pool(self, element: str) -> Pool | None:
        """Highest level and overflow of a pond; None for an element without a level."""
        summary = self._summary(element)
        if summary.top is None or summary.spilled is None:
            return None
        top, at = summary.top.values[self.index], summary.top.times[self.index]
        return Pool(float(top), float(at), float(summary.spilled[self.index]))

    def lowest(self, element: str) -> float:
        """Lowest flow of an element, m3/s; below zero where a reach dips."""
        return float(self._summary(element).low[self.index])

    def loss_depth(self, element: str) -> float:
        """Depth of the losses of a catchment, mm."""
        return float(self._summary(element).loss_depth[self.index])

    def figures(self, element: str) -> Figures:
        """Peak and volumes of an element."""
        if element not in self._known:
            self._known[element] = self._find_figures(element)
        return self._known[element]

    def _find_figures(self, element: str) -> Figures:
        summary, area = self._summary(element), self.network.area_above(element)
        runoff, given = 0.0, 0.0
        end = float(summary.flood_end[self.index])
        for key in self.network.above([element]):
            above = self.network.elements[key]
            if above.takes_rain:
                runoff += (self._depth_on(key) - self._kept_depth(key)) * above.drained
            given += above.let_in(end, self.origin)
        return Figures(
            peak=self.peak(element),
            volume=float(summary.flood[self.index]),
            receded=end,
            given_volume=given,
            area=area,
            rain_depth=self.rain_depth(element),
            runoff_depth=runoff / area if area else 0.0,
        )

    def _depth_on(self, catchment: str) -> float:
        return float(self.rain_on(catchment).sum())

    def _kept_depth(self, catchment: str) -> float:
        """Depth of rain that does not run off a catchment, mm: losses and surface storage."""
        summary = self._summary(catchment)
        return float(summary.loss_depth[self.index] + summary.stored_depth[self.index])

    def base(self, element: str) -> Floats:
        """Baseflow in an element, m3/s, (step + 1,), or (1,) where it is constant."""
        found: Floats = self.run.responses[element].base[self.index]
        return found

    def balance(self, element: str) -> Balance:
        """Balance of an element over the whole run, each volume (1,)."""
        whole = self._summary(element).balance
        return Balance(**{n: getattr(whole, n)[self.index : self.index + 1] for n in Balance.__dataclass_fields__})

    def receded(self, element: str, share: float) -> bool:
        """Whether the wave has passed an element, and its flow has fallen to ``share`` of its peak, less baseflow.

        A zero flow may not have arrived yet. So the run must also be as long as the memory of the methods along each
        path, or nearly all the water must have passed.
        """
        return self.fallen(element, share) and self.passed(element)

    def passed(self, element: str) -> bool:
        """Whether the wave has passed an element, by the memory of all elements above or by the water still in them."""
        if self.length >= self.case.storm.span + self.network.memory(element, self.step):
            return True
        return self.on_its_way(element) <= MOST_ON_ITS_WAY

    def on_its_way(self, element: str) -> float:
        """Flood water in the elements above one at the end of the run, as a share of this and what has passed.

        The storage at the start is not counted, because a steady baseflow is always in them.
        """
        held = 0.0
        for key in self.network.above([element]):
            balance = self._summary(key).balance
            held += float(balance.end_storage[self.index] - balance.start_storage[self.index])
        whole = held + float(self._summary(element).flood[self.index])
        return held / whole if held > 0 else 0.0

    def fallen(self, element: str, share: float) -> bool:
        """Whether the flow at an element ends at ``share`` of its peak or less, less baseflow."""
        summary = self._summary(element)
        left = float(summary.last[self.index] - summary.base[self.index])
        return left <= share * max(float(summary.rise[self.index]), 1e-12)

    def _summary(self, element: str) -> Summary:
        if element not in self.run.summaries:
            raise UnknownName(element, self.run.summaries, kind="element of this case")
        return self.run.summaries[element]


@dataclass(frozen=True)
class Pool:
    """Highest level of a pond (m) with its time (s), and what flowed over its top (m3)."""

    top: float
    time: float
    spilled: float


@dataclass(frozen=True)
class Figures:
    """The figures of a case at an element. Volumes m3, areas m2, depths mm, times s.

    ``volume`` is that of the flood until it has receded, at ``receded``, less baseflow; ``given_volume`` is let in by
    inflow elements above until then. ``runoff_depth`` is the direct runoff of the catchments above.
    """

    peak: Peak
    volume: float
    receded: float
    given_volume: float
    area: float
    rain_depth: float
    runoff_depth: float

    @property
    def per_area(self) -> float:
        """Peak per area, m3/s per m2; 0 without area."""
        return self.peak.ordinate / self.area if self.area else 0.0

    @property
    def share_of_rain(self) -> float:
        """Direct runoff as a share of the rain; 0 without rain."""
        return self.runoff_depth / self.rain_depth if self.rain_depth else 0.0
