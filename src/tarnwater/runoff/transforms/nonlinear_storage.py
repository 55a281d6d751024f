"""Runoff-routing through stores that are not linear."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.runoff.transforms.routed import RoutedTransform
from tarnwater.states import State

SOURCE = "Laurenson (1964), A catchment storage model for runoff routing, Journal of Hydrology 2"


class NonlinearStorage(RoutedTransform):
    """Equal sub-areas one below the other, each a store S = B Q^m with its part of the excess.

    ``response`` is the time S/Q of each store at a flow of 1 m3/s, so that B is that many m3.
    """

    method: Literal["nonlinear-storage"] = "nonlinear-storage"
    response: float = parameter(
        "time", "response time of each store at 1 m³/s", label="response time", symbol="B", above=0,
        most=366 * 86400, usual=(60, 5 * 86400), source=SOURCE,
    )  # fmt: skip
    exponent: float = parameter(
        "factor", "exponent of the flow in the storage", label="exponent", symbol="m", least=0.2, most=1.5,
        usual=(0.6, 1.0), source=SOURCE, default=0.8,
    )  # fmt: skip
    count: int = parameter(
        "count", "sub-areas", label="sub-areas", symbol="N", least=1, most=200, source=SOURCE, default=10
    )

    columns: ClassVar[Mapping[str, str]] = {"response": "B", "exponent": "m", "count": "N"}
    title: ClassVar[str] = "nonlinear storage"
    equation: ClassVar[str] = "S = B Q^m in each of N equal sub-areas, one below the other"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "linear stores against the exponential; SciPy's integration at m = 0.8; balance; cut runs"

    @property
    def delay(self) -> float:
        """Response time of all its stores at 1 m³/s, s."""
        return self.count * self.response

    def held_at_rest(self) -> int:
        """A store for each sub-area."""
        return self.count

    def route(self, excess: Floats, area: float, step: float, held: Floats, out: Floats, uneven: Floats) -> None:
        """Route the excess through the stores."""
        from tarnwater.runoff.transforms import _kernels as kernels

        kernels.nonlinear_storage_kernel(0.001 * area * excess, step, self.response, self.exponent, held, out, uneven)

    def stored(self, state: State) -> Floats:
        """Water in the stores, m3."""
        found: Floats = state.sum(axis=1)
        return found

    def memory(self, area: float, lag: float, step: float) -> float:
        """Time in which all but a hundredth of 10 mm leaves, about, s."""
        depth = 0.01 * area / self.count
        flow = (depth / self.response) ** (1 / self.exponent)
        # a store of which a hundredth is left empties so much more slowly
        slow = 0.01 ** (1 - 1 / self.exponent) if self.exponent < 1 else 1.0
        return float(self.count * depth / max(flow, 1e-9) * (1 + np.log(100.0)) * min(slow, 5.0))
