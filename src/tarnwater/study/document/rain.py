"""Records of gauges, grids of rain, and how they give the rain of catchments."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from tarnwater.frozen import FrozenDict
from tarnwater.parameters import Model, Name, parameter
from tarnwater.rain.frequency.distributions import (
    AnyDistribution,
    Distribution,
    GeneralisedExtremeValue,
    GeneralisedPareto,
)
from tarnwater.rain.frequency.fits import Way
from tarnwater.rain.frequency.growth import Together
from tarnwater.rain.records.maxima import BETWEEN_FLOODS, YearRule
from tarnwater.rain.records.mending import Mend, Neighbour
from tarnwater.rain.records.peaks import PeaksRule
from tarnwater.rain.records.raw import Form, Stamp
from tarnwater.rain.records.record import Quantity

#: Durations over which maxima are taken, s, as far as the step of a record allows.
USUAL_DURATIONS = (300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 259200)

USUAL_PERIODS = (2.0, 5.0, 10.0, 30.0, 50.0, 100.0, 200.0)

#: What a frequency is fitted to.
Sampled = Literal["annual maxima", "peaks over threshold"]

#: How the rain of catchments is found.
RainWay = Literal["one gauge", "Thiessen", "inverse distance", "typed weights", "grid"]


class MaximaRule(Model):
    """How annual maxima or peaks are taken from a record and fitted. Without ``durations`` the usual ones are taken.

    Annual maxima are fitted by the ``distribution``, ``peaks`` over a threshold by the generalised Pareto. Years
    ``left_out`` are not used, years ``taken_in`` are, whatever data they have.
    """

    sampled: Sampled = "annual maxima"
    peaks: PeaksRule = PeaksRule()
    durations: tuple[int, ...] = ()
    years: YearRule = YearRule()
    corrected: bool = True
    apart: float = parameter(
        "time", "time between two floods", least=0, most=366 * 86400, default=float(BETWEEN_FLOODS)
    )
    left_out: tuple[int, ...] = ()
    taken_in: tuple[int, ...] = ()
    distribution: AnyDistribution = GeneralisedExtremeValue()
    way: Way = "L-moments"
    together: Together = "one growth curve"
    return_periods: tuple[float, ...] = parameter(
        "return period", "return period", above=1, most=1e6, usual=(1.01, 1000), default=USUAL_PERIODS
    )
    level: float = parameter("share", "share between the limits", above=0, below=1, default=0.9)
    draws: int = parameter("count", "samples of the bootstrap", least=100, most=100_000, default=1000)

    @model_validator(mode="after")
    def _rising(self) -> MaximaRule:
        for row in (self.durations, self.return_periods):
            if list(row) != sorted(set(row)):
                raise ValueError("durations and return periods must rise")
        if set(self.left_out) & set(self.taken_in):
            raise ValueError("a year is left out or taken in, not both")
        if not self.return_periods:
            raise ValueError("a fit needs return periods")
        return self

    @property
    def over_threshold(self) -> bool:
        """Whether peaks over a threshold are taken."""
        return self.sampled == "peaks over threshold"

    @property
    def by_hand(self) -> dict[int, bool]:
        """Whether years are used about which a person chose."""
        return dict.fromkeys(self.left_out, False) | dict.fromkeys(self.taken_in, True)

    @property
    def fitted(self) -> Distribution:
        """The distribution that is fitted."""
        return GeneralisedPareto() if self.over_threshold else self.distribution

    def durations_for(self, step: int) -> tuple[int, ...]:
        """Durations (s) for a record of a step (s): those typed, or the usual ones that hold whole steps."""
        if self.durations:
            return tuple(d for d in self.durations if d >= step)
        return tuple(d for d in USUAL_DURATIONS if d >= max(step, 1) and (not step or d % step == 0))


class Gauge(Model):
    """A record of a gauge: ``series`` is the digest of its values as they were read.

    ``form`` and ``stamp`` say what they are, ``offset`` (s) the zone in which they are shown, ``reading`` how the file
    was read, in words. ``mends`` are the remedies that were chosen for its faults, ``open_faults`` how many wait for a
    choice, ``neighbours`` the gauges that fill its gaps.
    """

    name: Name
    series: str
    form: Form = "incremental"
    stamp: Stamp = "end"
    offset: int = 0
    place: tuple[float, float] | None = None
    source: str = ""
    reading: str = ""
    rows: int = 0
    mends: tuple[Mend, ...] = ()
    open_faults: int = 0
    neighbours: FrozenDict[Neighbour] = FrozenDict()
    maxima: MaximaRule = MaximaRule()

    @property
    def quantity(self) -> Quantity:
        """What it measures."""
        return "flow" if self.form == "flow" else "rain"


class RainGrid(Model):
    """Frames of rain on a grid: ``frames`` is the digest of them; all are multiplied by the bias ``factor``."""

    name: Name
    frames: str
    source: str = ""
    reading: str = ""
    factor: float = parameter("factor", "bias factor of the grid", symbol="b", above=0, most=100, default=1.0)
    factor_by: str = ""


class CatchmentRain(Model):
    """How the rain of catchments follows from gauges or a grid.

    ``gauges`` are the keys of those that take part, all that have a place where it is empty. ``typed`` are weights by
    catchment and gauge; a catchment with typed weights has them whatever the way.
    """

    way: RainWay = "Thiessen"
    gauges: tuple[str, ...] = ()
    power: float = parameter("factor", "power of the distance", symbol="p", above=0, most=10, default=2.0)
    typed: FrozenDict[FrozenDict[float]] = FrozenDict()
    grid: str = ""

    @model_validator(mode="after")
    def _weights(self) -> CatchmentRain:
        for weights in self.typed.values():
            if any(weight < 0 for weight in weights.values()) or not sum(weights.values()):
                raise ValueError("typed weights must be at least zero, and one above it")
        return self
