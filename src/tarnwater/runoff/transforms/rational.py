"""Hydrographs of the rational and of the modified rational method."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater import states
from tarnwater.arrays import Flags, Floats
from tarnwater.hydrograph import Highest, Hydrograph
from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.timing.measures import concentration_of_lag
from tarnwater.runoff.transforms.convolution import DirectRunoff, Tail
from tarnwater.runoff.transforms.instantaneous import InstantaneousTransform
from tarnwater.runoff.transforms.transform import ExcessOnArea
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph

SOURCE = "Kuichling (1889); modified: Poertner (1974), APWA Special Report 43"

#: Difference of rates that comes from rounding.
ROUNDED = 1e-9


@dataclass(frozen=True, eq=False)
class EvenRain:
    """Excess of some cases as even rain: rate m/s, begin and duration s, and whether it is even, all (case,)."""

    rate: Floats
    begin: Floats
    duration: Floats
    even: Flags


class Rational(InstantaneousTransform):
    """Even rain runs off in a trapezoid: it rises over Tc to C i A, holds while it goes on to rain, and falls over Tc.

    In a storm of just Tc that is the triangle of the rational method; a shorter one peaks at C i A D/Tc. With other
    multiples of Tc for rise and fall the volume changes by half their sum. Rain that is not even runs off by the same
    linear response with rise and fall of one Tc; with other multiples it counts as even at its greatest rate.
    """

    method: Literal["rational"] = "rational"
    rise: float = parameter(
        "factor", "time of rise in units of Tc", label="rise", symbol="a", least=0.1, most=10, usual=(0.5, 2),
        source=SOURCE, default=1.0,
    )  # fmt: skip
    fall: float = parameter(
        "factor", "time of fall in units of Tc", label="fall", symbol="b", least=0.1, most=10, usual=(0.5, 3),
        source=SOURCE, default=1.0,
    )  # fmt: skip

    curve: ClassVar[str] = "even over Tc"
    title: ClassVar[str] = "rational method"
    equation: ClassVar[str] = "Q = C i A min(1, D/Tc); it rises over a Tc, falls over b Tc, Tc = tL / 0.6"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "peak, volume and base by hand for short, equal and long storms; balance; cut runs"

    even_rain: ClassVar[bool] = True
    proposed_step: ClassVar[float | None] = 60.0

    @property
    def is_linear(self) -> bool:
        """Whether it rises and falls over one Tc, so that its response is linear."""
        return self.rise == self.fall == 1.0

    def left(self, times: Floats, lag: float) -> Floats:
        """S of times (s): all leaves evenly over Tc."""
        found: Floats = np.clip(times / concentration_of_lag(lag), 0.0, 1.0)
        return found

    def length(self, lag: float) -> float:
        """Tc, s."""
        return concentration_of_lag(lag)

    def unit(  # type: ignore[override]
        self, area: float, lag: float, step: float
    ) -> UnitHydrograph | None:
        """The unit hydrograph of rise and fall over one Tc; None for other multiples, which are not linear."""
        return super().unit(area, lag, step) if self.is_linear else None

    def unit_reckoning(self, asked: Asked) -> Reckoning | None:  # type: ignore[override]
        """That of its unit hydrograph; None where it has none."""
        return super().unit_reckoning(asked) if self.is_linear else None

    def memory(self, area: float, lag: float, step: float) -> float:
        """Its fall, and its rise beyond the rain, s."""
        return concentration_of_lag(lag) * max(self.rise + self.fall - 1, self.fall, 1.0) + step

    def respond(self, given: ExcessOnArea, lag: float) -> DirectRunoff:
        """Direct runoff: the trapezoid of even rain, or the linear response of any rain.

        Each case takes its own way, so that it gives the same numbers whatever the others are.
        """
        rain = _as_even(given.excess, given.step)
        by_trapezoid = rain.even if given.state is None else np.zeros(len(rain.even), bool)
        if not self.is_linear or by_trapezoid.all():
            return self._trapezoid(given, rain, concentration_of_lag(lag))
        if not by_trapezoid.any():
            found = super().respond(given, lag)
            return replace(found, hydrograph=_with_tops(found.hydrograph))
        groups = [np.flatnonzero(by_trapezoid), np.flatnonzero(~by_trapezoid)]
        parts = [self.respond(replace(given, excess=given.excess[rows], out=None), lag) for rows in groups]
        back = np.argsort(np.concatenate(groups), kind="stable")
        flow = np.concatenate([part.hydrograph.flow for part in parts])[back]
        if given.out is not None:
            given.out[...] = flow
            flow = given.out
        hydrographs = [part.hydrograph for part in parts]
        uneven = np.concatenate([h.volume - replace(h, uneven=None).volume for h in hydrographs])[back]
        tops = [h.highest for h in hydrographs if h.highest is not None]
        highest = Highest(
            np.concatenate([top.values for top in tops])[back], np.concatenate([top.times for top in tops])[back]
        )
        end = states.joined([part.state for part in parts], [len(rows) for rows in groups])
        return DirectRunoff(Hydrograph(flow, given.step, uneven, highest), states.cases_of(end, back))

    def respond_each(self, given: ExcessOnArea, lags: Floats) -> DirectRunoff:
        """Direct runoff with a lag (case,) s for each case."""
        return super(InstantaneousTransform, self).respond_each(given, lags)

    def _trapezoid(self, given: ExcessOnArea, rain: EvenRain, concentration: float) -> DirectRunoff:
        """The trapezoids of even rain (case,), with what came before."""
        shorter: Floats = np.minimum(rain.duration, concentration)
        peak: Floats = given.area * rain.rate * shorter / concentration
        rise: Floats = self.rise * shorter
        fall: Floats = self.fall * shorter
        falls: Floats = rain.begin + rise + np.abs(rain.duration - concentration)
        length = max(given.steps, int(np.ceil((falls + fall).max(initial=0.0) / given.step)) + 1)
        times: Floats = given.step * np.arange(length + 1.0)
        flow: Floats = peak[:, None] * (_ramp(times, rain.begin, rise) - _ramp(times, falls, fall))
        by: Floats = peak[:, None] * (_under_ramp(times, rain.begin, rise) - _under_ramp(times, falls, fall))
        uneven = np.diff(by, axis=1) - 0.5 * given.step * (flow[:, 1:] + flow[:, :-1])
        if given.state is not None:
            flow, uneven = _with_earlier(flow, uneven, given.state)
        out = flow[:, : given.steps + 1]
        if given.out is not None:
            given.out[...] = out
            out = given.out
        # to the microsecond, below which there is only rounding
        highest = Highest(peak, np.round(rain.begin + rise, 6)) if given.state is None else None
        hydrograph = _with_tops(Hydrograph(out, given.step, uneven[:, : given.steps], highest))
        made = peak * shorter * (0.5 * (self.rise + self.fall) - 1)
        return DirectRunoff(hydrograph, _to_come(flow, uneven, given.steps, given.step), made)

    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """The derivation of the direct runoff from excess, area, lag and multiples of Tc."""
        inputs = (
            excess, asked.around("area", "km²"), asked.around("lag"), asked.around("step"), asked.own("rise"),
            asked.own("fall"),
        )  # fmt: skip

        def run(depths: Floats, area: float, lag: float, step: float, *multiples: Any) -> Hydrograph:
            method = self.with_values(("rise", "fall"), multiples)
            return method.respond(ExcessOnArea(np.atleast_2d(depths), area, step, steps), lag).hydrograph

        return Derivation(self.equation, SOURCE, inputs, run)

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """Multiples of Tc that change the volume."""
        factor = 0.5 * (self.rise + self.fall)
        if abs(factor - 1) < ROUNDED:
            return []
        told = f"rise and fall of {self.rise:g} and {self.fall:g} Tc"
        text = f"{told} give {factor:.3g} times the runoff in a storm of Tc."
        straight = self.model_copy(update={"fall": 2 - self.rise}) if self.rise <= 1.9 else None
        cures = (Cure("Let them add up to 2, if the volume matters.", straight),)
        return [Doubtful("rational-volume", "doubt", text, cures, "fall")]


def _with_tops(hydrograph: Hydrograph) -> Hydrograph:
    """A hydrograph with its highest flows, the ordinates where no others are known: its pieces are straight."""
    if hydrograph.highest is not None:
        return hydrograph
    tops = hydrograph.flow.argmax(axis=1)
    return replace(hydrograph, highest=Highest(hydrograph.flow.max(axis=1), hydrograph.step * tops))


#: Least number of wet steps of rain that is taken as even: of fewer, one that is full in part may have any rate.
FEWEST = 3


def _as_even(excess: Floats, step: float) -> EvenRain:
    """Excess (case, step) mm as even rain at its greatest rate, from the step in which it begins.

    The last step may be full in part only: its rain is at its beginning.
    """
    if not excess.shape[1]:
        excess = np.zeros((len(excess), 1))
    top = excess.max(axis=1, initial=0.0)
    safe = np.where(top > 0, top, 1.0)
    wet = excess > 0
    first = np.argmax(wet, axis=1)
    last = excess.shape[1] - 1 - np.argmax(wet[:, ::-1], axis=1)
    duration = np.where(top > 0, step * excess.sum(axis=1) / safe, 0.0)
    columns = np.arange(excess.shape[1])
    inside = (columns >= first[:, None]) & (columns < last[:, None])
    uneven = (inside & (np.abs(excess - top[:, None]) > ROUNDED * top[:, None])).any(axis=1)
    even = ~uneven & ((last - first + 1 >= FEWEST) | (top == 0))
    return EvenRain(0.001 * top / step, step * first, duration, even)


def _ramp(times: Floats, begin: Floats, width: Floats) -> Floats:
    """A rise from 0 to 1 over a width (case,) s, at times (n,), (case, n)."""
    wide = np.where(width > 0, width, 1.0)
    found: Floats = np.clip((times - begin[:, None]) / wide[:, None], 0.0, 1.0)
    return found


def _under_ramp(times: Floats, begin: Floats, width: Floats) -> Floats:
    """The integral of such a rise, s."""
    since = np.maximum(times - begin[:, None], 0.0)
    wide = np.where(width > 0, width, 1.0)[:, None]
    found: Floats = np.where(since < wide, 0.5 * since**2 / wide, since - 0.5 * wide)
    return found


def _with_earlier(flow: Floats, uneven: Floats, state: Tail) -> tuple[Floats, Floats]:
    """Flows and volumes beyond the trapezoid with those that are still to come from earlier rain."""
    earlier, _, beyond = state
    width = max(flow.shape[1], earlier.shape[1])
    whole, more = np.zeros((len(flow), width)), np.zeros((len(flow), width - 1))
    whole[:, : flow.shape[1]] = flow
    whole[:, : earlier.shape[1]] += earlier
    more[:, : uneven.shape[1]] = uneven
    if beyond is not None:
        more[:, : beyond.shape[1]] += beyond[:, : width - 1]
    return whole, more


def _to_come(flow: Floats, uneven: Floats, steps: int, step: float) -> Tail:
    """What comes after a run of some steps (s), as a convolution leaves it."""
    flows, beyond = flow[:, steps:].copy(), uneven[:, steps:].copy()
    volumes = np.zeros_like(flows)
    volumes[:, :-1] = 0.5 * step * (flows[:, 1:] + flows[:, :-1]) + beyond
    return flows, volumes, beyond
