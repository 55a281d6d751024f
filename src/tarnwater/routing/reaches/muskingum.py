"""Muskingum routing (McCarthy 1938; Chow, Maidment and Mays 1988, Section 8.4)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from tarnwater.hydrograph import Hydrograph
from tarnwater.parameters import Model, Setting, parameter
from tarnwater.routing.reaches.routed import Routed

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.4"


_NOTHING = np.empty((0, 0))


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
    k = travel_time / parts
    substeps = max(1, math.ceil(step / (2 * k * (1 - weight)) - 1e-9))
    h = step / substeps
    whole = 2 * k * (1 - weight) + h
    c1, c2 = (h - 2 * k * weight) / whole, (h + 2 * k * weight) / whole
    return Coefficients(c1, c2, (2 * k * (1 - weight) - h) / whole, substeps)


def weight_keeping_attenuation(weight: float, parts: int, new_parts: int) -> float:
    """The X with which ``new_parts`` attenuate what ``parts`` did with ``weight``; it may be negative.

    From one part: X' = 1/2 - n (1/2 - X). Cunge (1969): the diffusion goes with (1/2 - X) / parts.
    """
    return 0.5 - new_parts / parts * (0.5 - weight)


class Muskingum(Model):
    """Storage S = K (X I + (1 - X) O) in each of a held number of equal parts."""

    method: Literal["muskingum"] = "muskingum"
    travel_time: Setting[float] = parameter(
        "time",
        "travel time of the flood wave",
        symbol="K",
        above=0,
        usual=(60, 2 * 86400),
        source=SOURCE,
        default=Setting[float](),
    )
    weight: float = parameter(
        "factor", "weight of the inflow in the storage", symbol="X", least=0, most=0.49, source=SOURCE, default=0.2
    )
    parts: Setting[int] = parameter(
        "count", "parts of the reach", symbol="n", least=1, most=1000, source=SOURCE, default=Setting[int]()
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
        travel_time = self.travel_time.with_derived(k)
        parts = None if travel_time.value is None else max(1, round(travel_time.value / self.parts_at_step))
        return self.model_copy(update={"travel_time": travel_time, "parts": self.parts.with_derived(parts)})

    def coefficients(self, step: float) -> Coefficients:
        """Coefficients at a step (s)."""
        return coefficients(self.travel_time.known, self.weight, self.parts.known, step)

    def route(self, inflow: Hydrograph, state: np.ndarray | None = None, out: np.ndarray | None = None) -> Routed:
        """Route inflow; the state (case, parts + 1) holds the inflow and each part's outflow, m3/s.

        Without a state the reach begins in steady flow with its first inflow. Within a step the
        inflow is straight, and what its volume differs from that is spread evenly over the step.
        Flow may become negative; it is never clipped.
        """
        from tarnwater.routing import _kernels as kernels

        parts = self.parts.known
        c = self.coefficients(inflow.step)
        flows = np.repeat(inflow.flow[:, :1], parts + 1, axis=1) if state is None else state.copy()
        start = self._stored(flows)
        flow = np.empty(inflow.flow.shape) if out is None else out
        k = self.travel_time.known / parts
        entering = _NOTHING if inflow.uneven is None else inflow.uneven
        leaving = np.empty((len(flow), flow.shape[1] - 1)) if c.substeps > 1 else _NOTHING
        kernels.muskingum_kernel(
            inflow.flow, entering, inflow.step, k, self.weight, c.c1, c.c2, c.c3, c.substeps, flows, flow, leaving
        )
        uneven = leaving if c.substeps > 1 else None
        return Routed(Hydrograph(flow, inflow.step, uneven), start, self._stored(flows), flows)

    def _stored(self, flows: np.ndarray) -> np.ndarray:
        k = self.travel_time.known / (flows.shape[1] - 1)
        return k * (self.weight * flows[:, :-1] + (1 - self.weight) * flows[:, 1:]).sum(axis=1)
