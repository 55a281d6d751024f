"""Routing by a table of storage and outflow."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import parameter, refuse_uneven
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.routed import Routed
from tarnwater.routing.reaches.routing import Routing

SOURCE = "Puls (1928); Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.2"

#: Factor by which the table goes on beyond its last entry, so that no flood leaves it.
BEYOND = 1000.0


class StorageDischarge(Routing):
    """Storage of the reach at flows out of it, linear between the entries; equal parts, one after the other."""

    method: Literal["storage-discharge"] = "storage-discharge"
    outflows: tuple[float, ...] = parameter(
        "flow", "flows out of the reach", label="outflows", symbol="O", least=0, most=1e7
    )
    storages: tuple[float, ...] = parameter(
        "volume", "water in the reach at the flows", label="storages", symbol="S", least=0, most=1e12
    )
    parts: int = parameter(
        "count", "parts of the reach", label="number of subreaches", symbol="N", least=1, most=1000, source=SOURCE,
        default=1,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"parts": "parts"}
    title: ClassVar[str] = "storage and outflow"
    equation: ClassVar[str] = "S2 − S1 = Δt [(I1 + I2)/2 − (O1 + O2)/2] in each of N parts with S/N"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "linear storage against the exponential; the level pool; balance and cut runs"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("the table", ("storages", "outflows"), self.storages, self.outflows)
        if list(self.outflows) != sorted(self.outflows):
            raise EditRefused("the outflow falls while the storage rises.", remedy="Correct the table.")
        if self.outflows[0] > 0 or self.outflows[-1] == 0:
            raise EditRefused(
                "the table does not begin without flow.", remedy="Begin with the storage without outflow."
            )
        return self

    def _table(self) -> tuple[Floats, Floats]:
        """Storages of one part and its outflows, from what stays in it, gone on beyond the last."""
        held = (np.array(self.storages) - self.storages[0]) / self.parts
        out = np.array(self.outflows)
        slope = (held[-1] - held[-2]) / max(out[-1] - out[-2], 1e-9 * out[-1])
        return np.append(held, held[-1] + slope * BEYOND * out[-1]), np.append(out, (1 + BEYOND) * out[-1])

    def route(self, inflow: Hydrograph, state: Floats | None = None, out: Floats | None = None) -> Routed:
        """Route inflow; without a state the reach begins in steady flow with its first inflow."""
        from tarnwater.routing.ponds import _kernels as kernels

        cases, ordinates = inflow.flow.shape
        held, flows = self._table()
        rates = np.ascontiguousarray(np.stack([flows, np.zeros(len(flows))], axis=1))
        if state is None:
            stored = np.repeat(np.interp(inflow.flow[:, :1], flows, held), self.parts, axis=1)
        else:
            stored = state.copy()
        start = stored.sum(axis=1)
        flow, uneven = np.ascontiguousarray(inflow.flow), inflow.uneven
        for part in range(self.parts):
            own, beyond = np.zeros((1, cases, ordinates)), np.zeros((1, cases, ordinates - 1))
            within = stored[:, part].copy()
            aside = np.zeros(cases), np.zeros(cases), np.zeros((cases, ordinates))
            peaks = np.zeros((3, cases)), np.zeros((3, cases)), np.zeros((2, cases))
            kernels.level_pool_kernel(
                0, cases, flow, np.empty((0, 0)) if uneven is None else np.ascontiguousarray(uneven), inflow.step,
                held, held, rates, flows, 0, within, own, beyond, *aside, *peaks,
            )  # fmt: skip
            stored[:, part] = within
            flow, uneven = own[0], beyond[0]
        if out is not None:
            out[...] = flow
            flow = out
        return Routed(Hydrograph(flow, inflow.step, uneven), start, stored.sum(axis=1), stored)

    def memory(self) -> float:
        """Time in which the last tenth of the table empties, about, s."""
        held, flows = self._table()
        with np.errstate(divide="ignore"):
            slowest = np.max(np.diff(held) / np.maximum(np.diff(flows), 1e-12))
        return float(min(5 * self.parts * slowest, 30 * 86400.0))

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow from the inflow and the parts, by its table."""

        def route(into: Hydrograph, parts: int) -> Hydrograph:
            return self.model_copy(update={"parts": int(parts)}).route(into).hydrograph

        return Derivation(self.equation, SOURCE, (inflow, asked.own("parts")), route)
