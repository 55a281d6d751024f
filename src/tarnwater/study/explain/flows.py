"""Reckonings of flows, element by element up to the hills."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements import Catchment, Inflow, Reach
from tarnwater.network.engine import unit_hydrograph_of
from tarnwater.routing.reaches import Muskingum
from tarnwater.routing.reaches.muskingum import coefficients
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.transforms import NrcsUnitHydrograph, UnitHydrograph, convolve
from tarnwater.runoff.transforms.nrcs import time_to_peak
from tarnwater.runoff.transforms.unit_hydrograph import inner_steps
from tarnwater.study.cases import CaseResult, Results
from tarnwater.study.document import Study
from tarnwater.study.explain.rain import RainReckonings
from tarnwater.study.reckoning import Reckoning

NETWORK_SOURCE = "water balance of a confluence"


def _coefficient(name: str, step: float, _substeps: int, travel: float, weight: float, parts: int) -> float:
    return float(getattr(coefficients(travel, weight, parts, step), name))


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

        k, x, parts = (
            self.setting(key, "method/travel_time", "h"),
            self.setting(key, "method/weight"),
            self.setting(key, "method/parts"),
        )
        found = method.coefficients(self.case.step)
        substeps = Reckoning(
            "sub-steps in a step, so that C3 is not negative",
            found.substeps,
            "count",
            symbol="m",
            equation="m = Δt / (2 K (1 − X) / n), rounded up",
            source=method.source,
            inputs=(self.step, k, x, parts),
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
                source=method.source,
                inputs=(self.step, substeps, k, x, parts),
                evaluate=partial(_coefficient, name.lower()),
            )
            for name, term in terms.items()
        ]
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

        return self._flow_node(
            key,
            owner,
            equation="Q2 = C1 I2 + C2 I1 + C3 Q1 in each part",
            source=method.source,
            inputs=(inflow, k, x, parts, *cs, beyond),
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
        """The unit hydrograph of a catchment at the step of the run, with all that it is read from."""
        transform, step = owner.transform, self.step
        unit = unit_hydrograph_of(owner, self.case.step)
        area, lag = self.setting(key, "area", "km²"), self.setting(key, "lag", "h")
        duration = self.setting(key, "transform/duration", "h")
        factor = self.setting(key, "transform/peak_rate_factor")
        to_peak = Reckoning(
            "time to peak of the unit hydrograph", unit.time_to_peak, "time", symbol="Tp", unit="h",
            equation="Tp = D/2 + tL", source=transform.source, inputs=(duration, lag),
            evaluate=lambda d, t: time_to_peak(t, d),
        )  # fmt: skip
        constant = f"{10 * transform.peak(1e6, 3600.0):.5g}"
        peak = Reckoning(
            "peak of the curve for 1 cm, before scaling", 10 * unit.peak, "flow", symbol="qp",
            equation=f"qp = {constant} A / Tp", source=transform.source, inputs=(area, to_peak, factor),
            evaluate=lambda a, t, f: 10 * NrcsUnitHydrograph(peak_rate_factor=f).peak(a, t),
        )  # fmt: skip
        inner = Reckoning(
            "inner step", self.case.step / unit.inner, "time", symbol="d",
            equation="d = the largest whole fraction of Δt not above D", source=transform.source,
            inputs=(step, duration), evaluate=lambda dt, d: dt / inner_steps(dt, d),
        )  # fmt: skip
        inputs = (area, lag, duration, factor, step)

        def read(a: float, t: float, d: float, f: float, dt: float) -> UnitHydrograph:
            return NrcsUnitHydrograph(peak_rate_factor=f, duration=d).unit_hydrograph(a, t, dt)

        scale = Reckoning(
            "factor that gives the ordinates unit volume", unit.scale, "factor", symbol="s",
            equation="s = 1 cm × A / Σ (d q), q = qp c((t + (D − d)/2) / Tp) at t = d, 2d, …", source=transform.source,
            inputs=inputs, evaluate=lambda *values: read(*values).scale,
        )  # fmt: skip
        return Reckoning(
            title=f"unit hydrograph of {owner.name}",
            value=unit,
            kind="flow",
            symbol="U",
            equation=f"U = s qp c((t + (D − d)/2) / Tp), c the {unit.curve}, evened over Δt where d is shorter",
            source=transform.source,
            inputs=(*inputs, to_peak, peak, inner, scale),
            evaluate=lambda *values: read(*values[:5]),
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
