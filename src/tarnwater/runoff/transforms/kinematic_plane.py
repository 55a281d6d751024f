"""Overland flow off a plane, by the kinematic wave."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.runoff.transforms.routed import RoutedTransform
from tarnwater.states import State

SOURCE = (
    "Manning's equation; Lighthill and Whitham (1955); Chow, Maidment and Mays (1988), Applied Hydrology, Section 9.4"
)

#: Exponent of the depth in Manning's equation of a wide sheet, and cells along the plane.
POWER, CELLS = 5 / 3, 60


class KinematicPlane(RoutedTransform):
    """The catchment as a plane of one length, over which its excess runs down to its lower edge."""

    method: Literal["kinematic-plane"] = "kinematic-plane"
    plane_length: float = parameter(
        "length", "length of the plane along the flow", label="plane length", symbol="L", above=0, most=1e5,
        usual=(5, 500), source=SOURCE,
    )  # fmt: skip
    plane_slope: float = parameter(
        "slope", "slope of the plane", label="plane slope", symbol="S", above=0, most=10, usual=(1e-3, 0.5),
        source=SOURCE,
    )  # fmt: skip
    roughness: float = parameter(
        "factor", "Manning's roughness of the plane for sheet flow", label="roughness", symbol="n", above=0, most=2,
        usual=(0.01, 0.8), source=SOURCE, default=0.15,
    )  # fmt: skip

    title: ClassVar[str] = "kinematic plane"
    equation: ClassVar[str] = "∂h/∂t + ∂q/∂x = i, q = √S h^(5/3) / n; conservative upwind, sub-steps by Courant"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the closed rising limb, equilibrium and recession of a plane; balance; cut runs"

    @property
    def alpha(self) -> float:
        """√S / n, in m and s."""
        return float(np.sqrt(self.plane_slope)) / self.roughness

    @property
    def delay(self) -> float:
        """Time to equilibrium under 50 mm/h, s."""
        return self.to_equilibrium(0.05 / 3600)

    def to_equilibrium(self, rate: float) -> float:
        """Time after which all of it takes part under steady excess (m/s), s."""
        return float((self.plane_length / (self.alpha * rate ** (POWER - 1))) ** (1 / POWER))

    def held_at_rest(self) -> int:
        """Cells along the plane."""
        return CELLS

    def route(self, excess: Floats, area: float, step: float, held: Floats, out: Floats, uneven: Floats) -> None:
        """Route the excess down the plane; the cells hold volumes, m3."""
        from tarnwater.runoff.transforms import _kernels as kernels

        cell, width = area / CELLS, area / self.plane_length
        depths = np.ascontiguousarray(held / cell)
        kernels.kinematic_plane_kernel(
            0.001 * excess, step, self.alpha, POWER, self.plane_length, width, depths, out, uneven
        )
        held[...] = depths * cell

    def stored(self, state: State) -> Floats:
        """Water on the plane, m3."""
        found: Floats = state.sum(axis=1)
        return found

    def memory(self, area: float, lag: float, step: float) -> float:
        """Time after which one millimetre an hour has all but run off, s."""
        return 3 * self.to_equilibrium(1e-3 / 3600)
