"""Muskingum routing (McCarthy 1938; Chow, Maidment and Mays 1988, Section 8.4)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from tarnwater.errors import ComputationFailed
from tarnwater.hydrograph import Hydrograph
from tarnwater.parameters import Model, Setting, parameter
from tarnwater.routing.reaches.routed import Routed
from tarnwater.units import show_duration

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.4"

PARTS = "parts about as long as the step for which they are derived; a rule of this program"

_NOTHING = np.empty((0, 0))

#: Flows, and of the last sub-step the volumes beyond the trapezoid: what enters the reach and what leaves each
#: part, (case, parts + 1) each.
State = tuple[np.ndarray, np.ndarray]


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
    """The X with which ``new_parts`` attenuate what ``parts`` did with ``weight``; it may be negative.

    From one part: X' = 1/2 - n (1/2 - X). Cunge (1969): the diffusion goes with (1/2 - X) / parts.
    """
    return 0.5 - new_parts / parts * (0.5 - weight)


#: Sub-steps of all parts in one step of the run beyond which a reach is not computed.
MOST_SUBSTEPS = 100_000


class Muskingum(Model):
    """Storage S = K (X I + (1 - X) O) in each of a held number of equal parts."""

    method: Literal["muskingum"] = "muskingum"
    travel_time: Setting[float] = parameter(
        "time",
        "travel time of the flood wave; a reach of none hands its flow on",
        symbol="K",
        least=0,
        most=366 * 86400,
        usual=(60, 2 * 86400),
        source=SOURCE,
        default=Setting[float](),
    )
    weight: float = parameter(
        "factor", "weight of the inflow in the storage", symbol="X", least=0, most=0.49, source=SOURCE, default=0.2
    )
    parts: Setting[int] = parameter(
        "count", "parts of the reach", symbol="n", least=1, most=1000, source=PARTS, default=Setting[int]()
    )
    parts_at_step: float = parameter(
        "time",
        "the step for which the number of parts was derived; it stays when the run's step changes",
        above=0,
        source="attenuation goes with the number of parts, so it belongs to the reach",
        default=900.0,
    )

    title: ClassVar[str] = "Muskingum"
    equation: ClassVar[str] = "S = K [X I + (1 − X) O] in each part"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a published routing; constant inflow; the exact answer of a linear reservoir to a step; peaks "
        "at steps from 15 min to 30 s with parts held; balance and cut runs for random inflow"
    )

    def refreshed(self, length: float | None, celerity: float | None) -> Muskingum:
        """The same with K derived from length (m) and celerity (m/s), and with its parts."""
        k = None if length is None or celerity is None else length / celerity
        if length == 0:
            k = 0.0
        travel_time = self.travel_time.with_derived(k)
        parts = None if travel_time.value is None else max(1, round(travel_time.value / self.parts_at_step))
        return self.model_copy(update={"travel_time": travel_time, "parts": self.parts.with_derived(parts)})

    def substeps(self, step: float) -> int:
        """Sub-steps of all parts together in one step (s)."""
        parts = self.parts.known
        return parts * substeps_of(self.travel_time.known / parts, self.weight, step)

    def least_parts(self, step: float) -> int:
        """The fewest parts with the same X at which the first coefficient is not negative at a step (s).

        Sub-steps depend on the parts too, so the bound h >= 2 K X / n is tried upward from where it
        holds without them.
        """
        parts = max(1, math.ceil(2 * self.travel_time.known * self.weight / step - 1e-9))
        while coefficients(self.travel_time.known, self.weight, parts, step).c1 < -1e-12:
            parts += 1
        return parts

    def coefficients(self, step: float) -> Coefficients:
        """Coefficients at a step (s); `ComputationFailed` where it would take too many sub-steps."""
        if self.substeps(step) > MOST_SUBSTEPS:
            raise ComputationFailed(
                f"{self.parts.known} parts with a travel time of {show_duration(self.travel_time.known)} would take "
                f"{self.substeps(step)} sub-steps in a step of {show_duration(step)}.",
                remedy="Take fewer parts, or no routing for so short a reach.",
            )
        return coefficients(self.travel_time.known, self.weight, self.parts.known, step)

    def route(self, inflow: Hydrograph, state: State | None = None, out: np.ndarray | None = None) -> Routed:
        """Route inflow; the state holds the inflow and each part's outflow, m3/s, and the same of the volumes.

        Without a state the reach begins in steady flow with its first inflow. Within a step the inflow
        is straight. The volume of a step beyond the trapezoid of its ordinates goes through the same
        recursion as a volume of its own and changes no ordinate. Flow may become negative where C1 is;
        it is never clipped.
        """
        from tarnwater.routing import _kernels as kernels

        parts = self.parts.known
        c = self.coefficients(inflow.step)
        if state is None:
            flows, volumes = np.repeat(inflow.flow[:, :1], parts + 1, axis=1), np.zeros((len(inflow.flow), parts + 1))
        else:
            flows, volumes = state[0].copy(), state[1].copy()
        start = self._stored(flows, volumes, inflow.step)
        flow = np.empty(inflow.flow.shape) if out is None else out
        unchanged = inflow.uneven is None and not volumes.any()
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
        return Routed(leaving, start, self._stored(flows, volumes, inflow.step), (flows, volumes))

    def _stored(self, flows: np.ndarray, volumes: np.ndarray, step: float) -> np.ndarray:
        """Water in the reach, m3, (case,), read from the state.

        Of the ordinates it is K (X I + (1 - X) O) in each part. Of the volumes, which follow the same
        recursion one sub-step h at a time, it is (1/2 + K X / h) I + (K (1 - X) / h - 1/2) O.
        """
        k = self.travel_time.known / (flows.shape[1] - 1)
        if k == 0:
            return np.zeros(len(flows))
        h = step / self.coefficients(step).substeps
        entering, leaving = k * self.weight, k * (1 - self.weight)
        stored = (entering * flows[:, :-1] + leaving * flows[:, 1:]).sum(axis=1)
        return stored + ((0.5 + entering / h) * volumes[:, :-1] + (leaving / h - 0.5) * volumes[:, 1:]).sum(axis=1)
