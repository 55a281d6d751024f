"""Muskingum routing (McCarthy 1938; Chow, Maidment and Mays 1988, Section 8.4)."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import ComputationFailed
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.delayed import SOURCE, Delayed
from tarnwater.routing.reaches.routed import Routed
from tarnwater.units import show_duration

PARTS = "parts about as long as the step for which they are derived; a rule of this program"

_NOTHING = np.empty((0, 0))

#: Flows, and volumes beyond the trapezoid of the last sub-step: of the inflow and of each
#: part's outflow, (case, parts + 1) each.
Held = tuple[Floats, Floats]


@dataclass(frozen=True)
class Coefficients:
    """O2 = C1 I2 + C2 I1 + C3 O1 in each part at each sub-step; they add up to 1."""

    c1: float
    c2: float
    c3: float
    substeps: int


def coefficients(travel_time: float, weight: float, parts: int, step: float) -> Coefficients:
    """Coefficients of one of ``parts`` equal parts, cut into sub-steps so that C3 is not negative.

    ``travel_time`` K and ``step`` in s. C1 is negative where a sub-step is shorter than 2 K X / parts.
    """
    if travel_time == 0:
        return Coefficients(1.0, 0.0, 0.0, 1)
    k = travel_time / parts
    substeps = substeps_of(k, weight, step)
    h = step / substeps
    whole = 2 * k * (1 - weight) + h
    c1, c2 = (h - 2 * k * weight) / whole, (h + 2 * k * weight) / whole
    return Coefficients(c1, c2, (2 * k * (1 - weight) - h) / whole, substeps)


def substeps_of(travel_time: float, weight: float, step: float) -> int:
    """Sub-steps of one part with a travel time (s) in a step (s), so that C3 is not negative."""
    if travel_time == 0:
        return 1
    return max(1, math.ceil(step / (2 * travel_time * (1 - weight)) - 1e-9))


def weight_keeping_attenuation(weight: float, parts: int, new_parts: int) -> float:
    """The X with which ``new_parts`` attenuate as much as ``parts`` with ``weight``; it may be negative.

    From one part: X' = 1/2 - n (1/2 - X). Cunge (1969): the diffusion goes with (1/2 - X) / parts.
    """
    return 0.5 - new_parts / parts * (0.5 - weight)


def _coefficient(name: str, step: float, _substeps: int, travel: float, weight: float, parts: int) -> float:
    return float(getattr(coefficients(travel, weight, parts, step), name))


#: Largest number of parts offered against negative flow.
MOST_PARTS = 60

#: Largest number of sub-steps of all parts in one step of the run.
MOST_SUBSTEPS = 100_000


class Muskingum(Delayed):
    """Storage S = K (X I + (1 - X) O) in each of a fixed number of equal parts."""

    method: Literal["muskingum"] = "muskingum"
    weight: float = parameter(
        "factor",
        "weight of the inflow in the storage",
        label="storage weighting factor",
        symbol="X",
        least=0,
        most=0.49,
        source=SOURCE,
        default=0.2,
    )
    parts: Setting[int] = parameter(
        "count",
        "parts of the reach",
        label="number of subreaches",
        symbol="n",
        least=1,
        most=1000,
        source=PARTS,
        default=Setting[int](),
    )
    parts_at_step: float = parameter(
        "time",
        "the step for which the number of parts was derived; it stays when the run's step changes",
        label="step of the subreaches",
        above=0,
        source="attenuation goes with the number of parts, so it belongs to the reach",
        default=900.0,
    )

    columns: ClassVar[Mapping[str, str]] = {"travel_time": "K", "weight": "X", "parts": "parts"}
    title: ClassVar[str] = "Muskingum"
    equation: ClassVar[str] = "S = K [X I + (1 − X) O] in each part"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a published routing; constant inflow; the exact answer of a linear reservoir to a step; peaks "
        "at steps from 15 min to 30 s with parts held; balance and cut runs for random inflow"
    )

    none_calmer: ClassVar[str] = (
        f"With up to {MOST_PARTS} parts none was found without such flow; choose another reach method."
    )

    def refreshed(self, length: float | None, celerity: float | None, slope: float | None = None) -> Muskingum:
        """A copy with K derived from length (m) and celerity (m/s), and with its parts."""
        delayed = super().refreshed(length, celerity)
        k = delayed.travel_time.value
        parts = None if k is None else max(1, round(k / self.parts_at_step))
        return delayed.model_copy(update={"parts": self.parts.with_derived(parts)})

    def substeps(self, step: float) -> int:
        """Sub-steps of all parts together in one step (s)."""
        parts = self.parts.known
        return parts * substeps_of(self.travel_time.known / parts, self.weight, step)

    def least_parts(self, step: float) -> int:
        """The fewest parts with the same X at which the first coefficient is not negative at a step (s).

        Sub-steps depend on the parts too, so the search for h >= 2 K X / n goes upward from where the bound holds
        without sub-steps.
        """
        parts = max(1, math.ceil(2 * self.travel_time.known * self.weight / step - 1e-9))
        while coefficients(self.travel_time.known, self.weight, parts, step).c1 < -1e-12:
            parts += 1
        return parts

    def coefficients(self, step: float) -> Coefficients:
        """Coefficients at a step (s); `ComputationFailed` if there are too many sub-steps."""
        parts = self.parts.known
        found = coefficients(self.travel_time.known, self.weight, parts, step)
        if parts * found.substeps > MOST_SUBSTEPS:
            raise ComputationFailed(
                f"{parts} parts with a travel time of {show_duration(self.travel_time.known)} would take "
                f"{parts * found.substeps} sub-steps in a step of {show_duration(step)}.",
                remedy="Take fewer parts, or no routing for so short a reach.",
            )
        return found

    def route(self, inflow: Hydrograph, state: Held | None = None, out: Floats | None = None) -> Routed:
        """Route inflow; the state holds the inflow and each part's outflow, m3/s, and the same of the volumes.

        Without a state the reach begins in steady flow with its first inflow. Within a step the inflow is linear. The
        volume of a step beyond the trapezoid of its ordinates passes through the same recursion as a separate volume
        and changes no ordinate. Flow may become negative where C1 is; it is never clipped.
        """
        from tarnwater.routing import _kernels as kernels

        parts = self.parts.known
        c = self.coefficients(inflow.step)
        if state is None:
            flows, volumes = np.repeat(inflow.flow[:, :1], parts + 1, axis=1), np.zeros((len(inflow.flow), parts + 1))
        else:
            flows, volumes = state[0].copy(), state[1].copy()
        flow = np.empty(inflow.flow.shape) if out is None else out
        unchanged = inflow.uneven is None and (state is None or not volumes.any())
        start = self._stored(flows, None if unchanged else volumes, inflow.step / c.substeps)
        if c.substeps > 1:
            uneven = np.empty((len(flow), flow.shape[1] - 1))
        else:
            uneven = _NOTHING if unchanged else np.zeros((len(flow), flow.shape[1] - 1))
        beyond_trapezoids = uneven if c.substeps > 1 else _NOTHING
        entering = inflow.uneven if inflow.uneven is not None else np.zeros(uneven.shape)
        kernels.muskingum_kernel(inflow.flow, inflow.step, c.c1, c.c2, c.c3, c.substeps, flows, flow, beyond_trapezoids)
        if not unchanged:
            kernels.muskingum_volume_kernel(
                np.ascontiguousarray(entering), c.c1, c.c2, c.c3, c.substeps, volumes, uneven
            )
        leaving = Hydrograph(flow, inflow.step, uneven if uneven.size else None)
        end = self._stored(flows, None if unchanged else volumes, inflow.step / c.substeps)
        return Routed(leaving, start, end, (flows, volumes))

    def memory(self) -> float:
        """Three times its travel time, s."""
        return 3 * self.travel_time.known

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Travel time from length and celerity, parts from travel time."""
        if name != "parts":
            return super().derivation(name, asked)
        inputs = asked.own("travel_time", "s"), asked.own("parts_at_step", "s", "Δt0")
        equation = "n = round(K / Δt0), at least 1"
        return Derivation(equation, PARTS, inputs, lambda k, step: max(1, round(k / step)))

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow: the recursion of the ordinates with its coefficients, and of the volumes."""
        step = asked.around("step")
        k, x, parts = asked.own("travel_time", "h"), asked.own("weight"), asked.own("parts")
        found = self.coefficients(step.value)
        substeps = Reckoning(
            "sub-steps in a step, so that C3 is not negative",
            found.substeps,
            "count",
            symbol="m",
            equation="m = Δt / (2 K (1 − X) / n), rounded up",
            source=SOURCE,
            inputs=(step, k, x, parts),
            evaluate=lambda dt, travel, weight, n: coefficients(travel, weight, n, dt).substeps,
        )
        terms = {"C1": "Δt / m − 2 K X / n", "C2": "Δt / m + 2 K X / n", "C3": "2 K (1 − X) / n − Δt / m"}
        cs = [
            Reckoning(
                f"coefficient {name}",
                getattr(found, name.lower()),
                "factor",
                symbol=name,
                equation=f"{name} = ({term}) / (2 K (1 − X) / n + Δt / m)",
                source=SOURCE,
                inputs=(step, substeps, k, x, parts),
                evaluate=partial(_coefficient, name.lower()),
            )
            for name, term in terms.items()
        ]
        entering = inflow.value
        beyond = Reckoning(
            "volume that enters beyond the trapezoids of the ordinates",
            np.zeros(1) if entering.uneven is None else entering.uneven[0],
            "volume",
            symbol="v",
            equation="v2 = C1 v(in, 2) + C2 v(in, 1) + C3 v1 in each part; it changes no ordinate",
            source="a trapezoid is the mean of two ordinates, so volumes follow the recursion of the ordinates",
            inputs=(inflow,),
            evaluate=lambda into: np.zeros(1) if into.uneven is None else into.uneven[0],
        )

        def routed(into: Hydrograph, travel: float, weight: float, n: int, *_: Any) -> Hydrograph:
            return Muskingum(travel_time=travel, weight=weight, parts=n).route(into).hydrograph

        return Derivation("Q2 = C1 I2 + C2 I1 + C3 Q1 in each part", SOURCE, (inflow, k, x, parts, *cs, beyond), routed)

    def doubts(self, steps: Sequence[float]) -> list[Doubtful]:
        """Doubts: a negative first coefficient, at each step."""
        if self.travel_time.value is None or self.parts.value is None:
            return []
        found = []
        for step in steps:
            if self.substeps(step) > MOST_SUBSTEPS or self.coefficients(step).c1 >= -1e-12:
                continue
            parts = self.parts.value
            more = max(self.least_parts(step), parts + 1)
            weight = weight_keeping_attenuation(self.weight, parts, more)
            cures = [Cure(f"Take {more} parts with the same X; the reach then attenuates less.")]
            if weight >= 0:
                cures.insert(0, Cure(f"Take {more} parts with X = {weight:.3g}, which keeps the attenuation."))
            told = f"at a step of {show_duration(step)} the first coefficient is negative; flow may dip."
            found.append(Doubtful("muskingum-bounds", "note", told, tuple(cures), "parts"))
        return found

    def calmer(self, step: float) -> Iterator[tuple[str, list[tuple[str, Muskingum]]]]:
        """Other parts and weights with which C1 is not negative."""
        x, n = self.weight, self.parts.known
        kept = [(parts, weight_keeping_attenuation(x, n, parts)) for parts in range(n + 1, MOST_PARTS + 1)]
        # a very small weight is set to zero, so that the shown value is the one used
        yield "keep the attenuation", self._with([(p, w) for p, w in kept if w >= 0.0005], step)
        more = range(max(n + 1, self.least_parts(step)), MOST_PARTS + 1)
        yield "attenuate less", self._with([(parts, x) for parts in more], step)
        yield "attenuate more", self._with([(n, x * share / 20) for share in range(19, -1, -1)], step)

    def _with(self, candidates: list[tuple[int, float]], step: float) -> list[tuple[str, Muskingum]]:
        found = []
        for parts, weight in candidates:
            against = self.parts.with_typed(parts, note="against negative flow")
            method = self.model_copy(update={"weight": weight, "parts": against})
            if method.substeps(step) <= MOST_SUBSTEPS and method.coefficients(step).c1 >= 0:
                found.append((f"{parts} parts with X = {weight:.3g}", method))
        return found

    def _stored(self, flows: Floats, volumes: Floats | None, substep: float) -> Floats:
        """Water in the reach, m3, (case,), read from the state.

        Of the ordinates it is K (X I + (1 - X) O) in each part. Of the volumes, which follow the same
        recursion one sub-step h (s) at a time, it is (1/2 + K X / h) I + (K (1 - X) / h - 1/2) O.
        """
        parts = flows.shape[1] - 1
        k = self.travel_time.known / parts
        if k == 0:
            return np.zeros(len(flows))
        entering, leaving = k * self.weight, k * (1 - self.weight)
        found: Floats = (flows * _at_both_ends(parts, entering, leaving)).sum(axis=1)
        if volumes is not None:
            of_volumes = _at_both_ends(parts, 0.5 + entering / substep, leaving / substep - 0.5)
            found = found + (volumes * of_volumes).sum(axis=1)
        return found


def _at_both_ends(parts: int, entering: float, leaving: float) -> Floats:
    """Weights (parts + 1,) of the flows at the ends of the parts: the outflow of one is the inflow of the next."""
    weights = np.full(parts + 1, entering + leaving)
    weights[0], weights[-1] = entering, leaving
    return weights
