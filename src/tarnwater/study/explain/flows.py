"""Reckonings of flows, element by element up to the hills."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements import Catchment, Inflow, Reach
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.transforms import convolve
from tarnwater.study.cases import CaseResult, Results
from tarnwater.study.document import Study
from tarnwater.study.explain.rain import RainReckonings
from tarnwater.study.reckoning import Reckoning

NETWORK_SOURCE = "water balance of a confluence"


class Book(RainReckonings):
    """All reckonings of one computed case; each node is built once."""

    def __init__(self, study: Study, case: CaseResult, results: Results | None) -> None:
        super().__init__(study, case, results)
        self._flows: dict[str, Reckoning] = {}

    def flow(self, key: str) -> Reckoning:
        """The flow of an element in the case, with all that leads to it."""
        if key not in self._flows:
            owner = self.element(key)
            make: Callable[..., Reckoning] = self._joined
            if isinstance(owner, Catchment):
                make = self._runoff
            elif isinstance(owner, Reach) and isinstance(owner.method, Muskingum):
                make = self._routed
            elif isinstance(owner, Inflow):
                make = self._given
            self._flows[key] = make(key, owner)
        return self._flows[key]

    def _hydrograph(self, key: str) -> Hydrograph:
        return self.case.hydrograph(key)

    def _flow_node(self, key: str, owner: Any, **known: Any) -> Reckoning:
        return Reckoning(
            f"flow of {owner.name}", self._hydrograph(key), "flow", symbol="Q", place=f"{key}/flow", **known
        )

    def _joined(self, key: str, owner: Any) -> Reckoning:
        ups = self.network.upstream[key]

        def joined(*parts: Hydrograph) -> Hydrograph:
            return add_up(list(parts), np.empty_like(self._hydrograph(key).flow), self.case.step)

        return self._flow_node(
            key,
            owner,
            equation="Q = " + (" + ".join(f"Q({self.element(u).name})" for u in ups) or "0"),
            source=NETWORK_SOURCE,
            inputs=tuple(self.flow(u) for u in ups),
            evaluate=joined,
        )

    def _given(self, key: str, owner: Inflow) -> Reckoning:
        return self._flow_node(key, owner, origin="typed hydrograph", source="straight between its points")

    def _routed(self, key: str, owner: Reach) -> Reckoning:
        method = owner.method
        assert isinstance(method, Muskingum)
        inflow = replace(self._joined(key, owner), title=f"inflow of {owner.name}", symbol="I")
        entering = inflow.recomputed()
        inflow = replace(inflow, value=entering)

        def routed(into: Hydrograph, k: float, x: float, parts: int) -> Hydrograph:
            model = Muskingum(travel_time=k, weight=x, parts=parts)
            return model.route(into).hydrograph

        inputs = (
            inflow,
            self.setting(key, "method/travel_time", "h"),
            self.setting(key, "method/weight"),
            self.setting(key, "method/parts"),
        )
        return self._flow_node(
            key,
            owner,
            equation="Q2 = C1 I2 + C2 I1 + C3 Q1 in each part",
            source=method.source,
            inputs=inputs,
            evaluate=routed,
        )

    def _runoff(self, key: str, owner: Catchment) -> Reckoning:
        excess, unit, steps = self.excess(key, owner), self.unit(key, owner), len(self._hydrograph(key).flow[0]) - 1
        base = Reckoning(
            f"baseflow of {owner.name}",
            owner.baseflow.rate(),
            "flow",
            symbol="Qb",
            equation=owner.baseflow.equation,
            source=owner.baseflow.source,
            origin="set in the study",
            place=f"{key}/baseflow",
        )

        def runoff(depths: np.ndarray, ordinates: Any, ground: float) -> Hydrograph:
            direct = convolve(depths[None, :], ordinates, steps).hydrograph
            return replace(direct, flow=direct.flow + ground)

        return self._flow_node(
            key,
            owner,
            equation="Q_n = Σ Pe_m U_(n−m+1) + Qb",
            source="Chow, Maidment and Mays (1988), Section 7.5",
            inputs=(excess, unit, base),
            evaluate=runoff,
        )

    def unit(self, key: str, owner: Catchment) -> Reckoning:
        """The unit hydrograph of a catchment at the step of the run."""
        inputs = self.setting(key, "area", "km²"), self.setting(key, "lag", "h"), self.step
        return Reckoning(
            title=f"unit hydrograph of {owner.name}",
            value=owner.transform.unit_hydrograph(owner.area.known, owner.lag.known, self.case.step),
            kind="flow",
            symbol="U",
            equation=owner.transform.equation,
            source=owner.transform.source,
            inputs=inputs,
            evaluate=owner.transform.unit_hydrograph,
        )

    def excess(self, key: str, owner: Catchment) -> Reckoning:
        """The excess rain on a catchment, surface by surface."""
        inputs = []
        for row, surface in enumerate(owner.surfaces):
            inputs += [self.weight(key, owner, row), self._surface_excess(key, row, surface)]

        def weighted(*values: Any) -> np.ndarray:
            return np.sum([w * e for w, e in zip(values[::2], values[1::2], strict=True)], axis=0)

        terms = " + ".join(f"w{r + 1} Pe{r + 1}" for r in range(len(owner.surfaces)))
        return Reckoning(
            title=f"excess rain on {owner.name}",
            value=weighted(*(i.value for i in inputs)),
            kind="rain",
            symbol="Pe",
            equation=f"Pe = {terms}",
            source="each surface with its own losses",
            inputs=tuple(inputs),
            evaluate=weighted,
        )

    def _surface_excess(self, key: str, row: int, surface: Any) -> Reckoning:
        loss, path = surface.loss, f"surfaces/{row}/loss"
        inputs = [self.rain]
        if isinstance(loss, CurveNumber):
            inputs += [self.retention(key, path), self.setting(key, f"{path}/abstraction")]

        def excess(rain: np.ndarray, *_: float) -> np.ndarray:
            return loss.respond(np.ascontiguousarray(rain[None, :])).excess[0]

        return Reckoning(
            title=f"excess on {surface.name or f'surface {row + 1}'}",
            value=excess(self.case.rain),
            kind="rain",
            symbol=f"Pe{row + 1}",
            equation=loss.equation,
            source=loss.source,
            inputs=tuple(inputs),
            evaluate=excess,
            place=f"{key}/{path}",
        )
