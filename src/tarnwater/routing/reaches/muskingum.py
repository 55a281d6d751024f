"""Muskingum routing (McCarthy 1938; Chow, Maidment and Mays 1988, Section 8.4)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model, Setting, parameter
from tarnwater.routing.reaches.routed import Routed

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.4"


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


def weight_with_attenuation(weight: float, parts: int) -> float:
    """The X of one part alone that keeps the attenuation of a reach in ``parts``: 1/2 - (1/2 - X) / parts.

    Cunge (1969): the numerical diffusion goes with (1/2 - X) over the number of parts.
    """
    return 0.5 - (0.5 - weight) / parts


def weight_in_parts(weight: float, parts: int) -> float:
    """X' = 1/2 - parts (1/2 - X): the weight in each of ``parts`` that keeps what one part attenuates."""
    return 0.5 - parts * (0.5 - weight)


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

    def refreshed(self, length: float | None, celerity: float | None) -> Muskingum:
        """The same with K derived from length (m) and celerity (m/s), and with its parts."""
        k = None if length is None or celerity is None else length / celerity
        travel_time = self.travel_time.with_derived(k)
        parts = None if travel_time.value is None else max(1, round(travel_time.value / self.parts_at_step))
        return self.model_copy(update={"travel_time": travel_time, "parts": self.parts.with_derived(parts)})

    def coefficients(self, step: float) -> Coefficients:
        """Coefficients at a step (s)."""
        assert self.travel_time.value is not None
        assert self.parts.value is not None
        return coefficients(self.travel_time.value, self.weight, self.parts.value, step)

    def route(self, flow: np.ndarray, volume: np.ndarray, step: float, state: np.ndarray | None = None) -> Routed:
        """Route inflow; the state (case, parts + 1) holds the inflow and each part's outflow, m3/s.

        Without a state the reach begins in steady flow with its first inflow. Within a step the
        inflow is straight, and what its volume differs from that is spread evenly over the step.
        Flow may become negative; it is never clipped.
        """
        from tarnwater.routing import _kernels as kernels

        assert self.travel_time.value is not None
        assert self.parts.value is not None
        parts = self.parts.value
        c = self.coefficients(step)
        flows = np.repeat(flow[:, :1], parts + 1, axis=1) if state is None else state.copy()
        start = self._stored(flows)
        out, out_volume = np.empty_like(flow), np.empty_like(volume)
        out[:, 0] = flows[:, -1]
        k = self.travel_time.value / parts
        kernels.muskingum_kernel(
            flow, volume, step, k, self.weight, c.c1, c.c2, c.c3, c.substeps, flows, out, out_volume
        )
        return Routed(out, out_volume, start, self._stored(flows), flows)

    def _stored(self, flows: np.ndarray) -> np.ndarray:
        assert self.travel_time.value is not None
        k = self.travel_time.value / (flows.shape[1] - 1)
        return k * (self.weight * flows[:, :-1] + (1 - self.weight) * flows[:, 1:]).sum(axis=1)
