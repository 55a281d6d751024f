"""Explaining any figure: `explain` builds the reckoning behind it.

Flows come from the computed case; everything else is made by the function that the engine calls.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.errors import UnknownName
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements import Catchment, Inflow, Reach
from tarnwater.network.figures import find_peak
from tarnwater.parameters import Description, Setting
from tarnwater.rain.areal import SOURCE as AREAL_SOURCE
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.losses.curve_number import (
    antecedent_curve_number,
    initial_abstraction,
    retention,
)
from tarnwater.runoff.timing import Kirpich, NrcsLag, concentration_of_lag, kirpich, lag_of_concentration, nrcs_lag
from tarnwater.runoff.timing.ground import LEAST_SLOPE
from tarnwater.runoff.transforms import convolve
from tarnwater.study.cases import CaseResult, Results, step_of
from tarnwater.study.conditions import lineage, resolve
from tarnwater.study.document import Study, proposed_step
from tarnwater.study.fields import description_at, parts_of, value_at
from tarnwater.study.reckoning import Reckoning

NETWORK_SOURCE = "water balance of a confluence"


def explain(results: Results, case: CaseResult, element: str, field: str) -> Reckoning:
    """The reckoning of a figure of a computed case, or of a setting as the case has it.

    ``field`` is one of `FIGURES` or the path of a field; `UnknownName` with the nearest otherwise.
    """
    book = _Book(results.study, case.case.condition, case, results)
    if field in FIGURES:
        return FIGURES[field](book, element)
    return book.setting(element, field)


def explain_setting(study: Study, condition: str, element: str, field: str) -> Reckoning:
    """The reckoning of a setting in a condition, without computing anything."""
    return _Book(study, study.condition_of(condition), None, None).setting(element, field)


class _Book:
    """Builds the nodes of one case, each once."""

    def __init__(self, study: Study, condition: str, case: CaseResult | None, results: Results | None) -> None:
        self.study = study
        self.condition = condition
        self.network = case.network if case else resolve(study, condition)
        self.results = results
        self._case = case
        self._flows: dict[str, Reckoning] = {}

    @property
    def case(self) -> CaseResult:
        assert self._case is not None
        return self._case

    def element(self, key: str) -> Any:
        if key not in self.network.elements:
            raise UnknownName(key, self.network.elements, kind="element of this condition")
        return self.network.elements[key]

    # settings ---------------------------------------------------------------------------------

    def setting(self, key: str, path: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A setting: typed by a person, derived from its sources, or a default of the method."""
        owner = self.element(key)
        value, description = value_at(owner, path), description_at(owner, path)
        if description is None:
            known = [name for name, _ in type(owner).quantities()] + list(FIGURES)
            raise UnknownName(path, known, kind="figure", where=owner.name)
        known_value = value.value if isinstance(value, Setting) else value
        node = Reckoning(
            title=f"{description.meaning} of {owner.name}",
            value=known_value,
            kind=description.kind,
            symbol=symbol or description.symbol,
            unit=unit,
            place=f"{key}/{path}",
        )
        if not isinstance(value, Setting):
            return replace(node, origin="set in the study", source=description.source)
        if value.typed is not None:
            return replace(node, origin=self._typed(key, path, value))
        if value.value is None:
            return replace(node, origin="missing")
        return self._derived(key, path, owner, description, node)

    def _typed(self, key: str, path: str, value: Setting[Any]) -> str:
        typed = value.typed
        assert typed is not None
        for condition in reversed(lineage(self.study, self.condition)):
            if f"{key}/{path}" in condition.settings:
                held = f", for the condition {condition.name}"
                break
        else:
            held = ""
        who = f" by {typed.by}" if typed.by else ""
        when = f" on {typed.at[:10]}" if typed.at else ""
        note = f": {typed.note}" if typed.note else ""
        return f"typed{who}{when}{held}{note}"

    def _derived(self, key: str, path: str, owner: Any, description: Description, node: Reckoning) -> Reckoning:
        last = parts_of(path)[-1]
        match owner, last:
            case Catchment(), "lag":
                return self._lag(key, owner, node)
            case Catchment(), "concentration":
                return self._concentration(key, owner, node)
            case Catchment(), "curve_number":
                surface = value_at(owner, path.split("/loss/")[0])
                return replace(
                    node,
                    origin=f"table of covers: {surface.cover.title}, soil group {surface.cover.group}",
                    source=description.source,
                )
            case Catchment(), "abstraction":
                return self._abstraction(key, path.rsplit("/", 1)[0], node)
            case Reach(), "travel_time":
                inputs = self.setting(key, "length", "m"), self.setting(key, "celerity", "m/s")
                return replace(
                    node,
                    equation="K = L / c",
                    inputs=inputs,
                    evaluate=lambda length, c: length / c,
                    source="definition of celerity",
                )
            case Reach(), "parts":
                inputs = (
                    self.setting(key, "method/travel_time", "s"),
                    self.setting(key, "method/parts_at_step", "s", "Δt0"),
                )
                return replace(
                    node,
                    equation="n = round(K / Δt0), at least 1",
                    inputs=inputs,
                    source=description.source,
                    evaluate=lambda k, step: max(1, round(k / step)),
                )
        return replace(node, origin=self._measured(key, owner), source=_measure_source(last))

    def _measured(self, key: str, owner: Any) -> str:
        terrain = self.study.terrain
        source = terrain.source if terrain else "a terrain"
        return f"measured on {source} ({terrain.crs}, cells of {terrain.cell_width:g} m)" if terrain else source

    def _lag(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        if owner.concentration.typed is not None or isinstance(owner.timing, Kirpich):
            return replace(
                node,
                equation="tL = 0.6 Tc",
                source=owner.timing.source,
                evaluate=lag_of_concentration,
                inputs=(self.setting(key, "concentration"),),
            )
        assert isinstance(owner.timing, NrcsLag)
        inputs = (
            self.setting(key, "flow_length", "m"),
            self._mean_curve_number(key, owner),
            self.setting(key, "mean_slope", "%"),
        )
        return replace(
            node,
            equation="tL = L^0.8 (1000/CN − 9)^0.7 / (734.4 Y^0.5) h",
            source=owner.timing.source,
            inputs=inputs,
            evaluate=lambda length, number, slope: nrcs_lag(length, number, max(slope, LEAST_SLOPE)),
        )

    def _concentration(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        if isinstance(owner.timing, Kirpich) and owner.lag.typed is None:
            return replace(
                node,
                equation="Tc = 0.0195 L^0.77 S^−0.385 min",
                source=owner.timing.source,
                inputs=(self.setting(key, "flow_length", "m"), self.setting(key, "path_slope", "m/m")),
                evaluate=lambda length, slope: kirpich(length, max(slope, LEAST_SLOPE)),
            )
        return replace(
            node,
            equation="Tc = tL / 0.6",
            source=owner.timing.source,
            evaluate=concentration_of_lag,
            inputs=(self.setting(key, "lag"),),
        )

    def _mean_curve_number(self, key: str, owner: Catchment) -> Reckoning:
        rows = [n for n, s in enumerate(owner.surfaces) if isinstance(s.loss, CurveNumber)]
        inputs = []
        for row in rows:
            inputs.append(self._weight(key, owner, row))
            inputs.append(self.setting(key, f"surfaces/{row}/loss/curve_number", symbol=f"CN{row + 1}"))
        terms = " + ".join(f"w{r + 1} CN{r + 1}" for r in rows)
        below = " + ".join(f"w{r + 1}" for r in rows)

        def weighted(*values: float) -> float:
            shares, numbers = values[::2], values[1::2]
            return sum(w * n for w, n in zip(shares, numbers, strict=True)) / sum(shares)

        return Reckoning(
            title=f"area-weighted curve number of {owner.name}",
            value=owner.curve_number,
            kind="curve number",
            symbol="CN",
            equation=f"CN = ({terms}) / ({below})",
            source="NRCS National Engineering Handbook, Part 630, Chapter 10",
            inputs=tuple(inputs),
            evaluate=weighted,
        )

    def _weight(self, key: str, owner: Catchment, row: int) -> Reckoning:
        surface = owner.surfaces[row]
        return Reckoning(
            title=f"share of {surface.name or f'surface {row + 1}'}",
            value=owner.weights[row],
            kind="share",
            symbol=f"w{row + 1}",
            origin="set in the study, the shares taken in proportion",
            place=f"{key}/surfaces/{row}",
        )

    def _abstraction(self, key: str, loss: str, node: Reckoning) -> Reckoning:
        return replace(
            node,
            equation="Ia = λ S",
            source=CurveNumber.source,
            inputs=(self.setting(key, f"{loss}/ratio"), self._retention(key, loss)),
            evaluate=lambda ratio, depth: initial_abstraction(depth, ratio),
        )

    def _retention(self, key: str, loss: str) -> Reckoning:
        model: CurveNumber = value_at(self.element(key), loss)
        number = self.setting(key, f"{loss}/curve_number")
        in_condition = number
        if model.antecedent != "average":
            equation = {"dry": "CN_I = 4.2 CN / (10 − 0.058 CN)", "wet": "CN_III = 23 CN / (10 + 0.13 CN)"}
            in_condition = Reckoning(
                title=f"curve number in the {model.antecedent} antecedent condition",
                value=model.in_condition,
                kind="curve number",
                symbol="CN",
                equation=equation[model.antecedent],
                source=CurveNumber.source,
                inputs=(number,),
                evaluate=lambda n: antecedent_curve_number(n, model.antecedent),
            )
        assert model.in_condition is not None
        return Reckoning(
            title="potential retention",
            value=float(retention(model.in_condition)),
            kind="rain",
            symbol="S",
            equation="S = 25400/CN − 254",
            source=CurveNumber.source,
            inputs=(in_condition,),
            evaluate=retention,
        )

    # rain -------------------------------------------------------------------------------------

    @cached_property
    def step(self) -> Reckoning:
        value, point = self.case.step, self.case.case.point
        own = self.study.design_points.get(point)
        origin = "held for this design point" if own and own.step else self._step_origin()
        assert value == step_of(self.study, point)
        return Reckoning("step of the run", value, "time", symbol="Δt", origin=origin, place="run/step")

    def _step_origin(self) -> str:
        setting = self.study.run.step
        if setting.typed is not None:
            return self._typed("run", "step", setting)
        wanted = units.show_duration(proposed_step(self.study) or 0.0)
        return f"proposed from the quickest lag when the study was built, then held (it would now be {wanted})"

    @cached_property
    def storm_depth(self) -> Reckoning:
        storm, point = self.case.case.storm, self.case.case.point
        family = self.study.families[storm.family]
        table = self.study.tables[family.table]
        depth = float(table.depth(storm.duration, storm.return_period))
        at_point = Reckoning(
            title=f"depth at a point, {storm.title}",
            value=depth,
            kind="rain",
            symbol="P0",
            origin=f"depth table “{family.table}”" + (f": {table.source}" if table.source else ""),
            source="read log-log in duration, on the Gumbel reduced variate in return period",
            place=f"tables/{family.table}",
        )
        area = self._area_above(point)
        duration = Reckoning(
            "duration of the storm", storm.duration, "time", symbol="t", origin="storm family", unit="h"
        )
        factor = Reckoning(
            title=f"areal reduction for {self.element(point).name}",
            value=self.case.areal_factor,
            kind="factor",
            symbol="f",
            equation="f = 1 − exp(−1.1 t^0.25) + exp(−1.1 t^0.25 − 0.00386 A)"
            if self.case.areal_factor != 1
            else "f = 1",
            source=AREAL_SOURCE,
            inputs=(area, duration),
            evaluate=family.areal.factor,
        )
        return Reckoning(
            title="depth of the storm",
            value=self.case.rain_depth,
            kind="rain",
            symbol="P",
            equation="P = f P0",
            source="areal reduction of a point depth",
            inputs=(factor, at_point),
            evaluate=lambda f, p: f * p,
        )

    def _area_above(self, key: str) -> Reckoning:
        catchments = [k for k in self.network.order if k in self.network.above([key]) and self._is_catchment(k)]
        inputs = tuple(self.setting(k, "area", "km²", symbol=f"A{n + 1}") for n, k in enumerate(catchments))
        return Reckoning(
            title=f"area draining to {self.element(key).name}",
            value=self.network.area_above(key),
            kind="area",
            symbol="A",
            unit="km²",
            equation="A = " + (" + ".join(i.symbol for i in inputs) or "0"),
            source="sum of the catchments above",
            inputs=inputs,
            evaluate=lambda *areas: sum(areas),
        )

    @cached_property
    def rain(self) -> Reckoning:
        storm = self.case.case.storm
        family = self.study.families[storm.family]
        table = self.study.tables[family.table]
        depth, step = self.storm_depth, self.step

        def spread(total: float, dt: float) -> np.ndarray:
            shape = family.pattern.increments(table, storm.duration, storm.return_period, dt)
            rain = np.zeros(len(self.case.rain))
            rain[: len(shape)] = shape * (total / shape.sum())
            return rain

        return Reckoning(
            title="rain of the storm",
            value=self.case.rain,
            kind="rain",
            symbol="ΔP",
            equation=family.pattern.equation,
            source=family.pattern.source,
            inputs=(depth, step),
            evaluate=spread,
        )

    # flows ------------------------------------------------------------------------------------

    def flow(self, key: str) -> Reckoning:
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
        return self.case.batch.responses[key].hydrograph.of(slice(self.case.index, self.case.index + 1))

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
        inputs = []
        for row, surface in enumerate(owner.surfaces):
            inputs += [self._weight(key, owner, row), self._surface_excess(key, row, surface)]

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
            inputs += [self._retention(key, path), self.setting(key, f"{path}/abstraction")]

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

    def _is_catchment(self, key: str) -> bool:
        return isinstance(self.network.elements[key], Catchment)


def _measure_source(field: str) -> str:
    return {
        "area": "cells that drain to the outlet times the area of a cell",
        "mean_slope": "Horn (1981), mean over the cells of the raw terrain",
        "flow_length": "longest path along the flow, from cell centre to cell centre",
        "path_slope": "fall on the raw terrain over the length",
        "slope_10_85": "(z85 − z10) / (0.75 L) on the raw terrain",
        "length": "path along the flow between outlets",
        "slope": "fall on the raw terrain over the length",
    }.get(field, "")


def _peak(book: _Book, key: str) -> Reckoning:
    flow = book.flow(key)
    return Reckoning(
        f"peak flow at {book.element(key).name}",
        book.case.figures(key).peak.ordinate,
        "flow",
        symbol="Qp",
        equation="Qp = max Q",
        source="highest computed ordinate",
        inputs=(flow,),
        evaluate=lambda q: find_peak(q.flow[0], q.step).ordinate,
    )


def _fitted_peak(book: _Book, key: str) -> Reckoning:
    peak = book.case.figures(key).peak
    return Reckoning(
        f"peak of the parabola at {book.element(key).name}",
        peak.greater,
        "flow",
        symbol="Qf",
        equation="parabola through the highest ordinate and its neighbours",
        source="for smooth responses only",
        inputs=(book.flow(key),),
        evaluate=lambda q: find_peak(q.flow[0], q.step, smooth=peak.fitted is not None).greater,
    )


def _time(book: _Book, key: str) -> Reckoning:
    return Reckoning(
        f"time of the peak at {book.element(key).name}",
        book.case.figures(key).peak.time,
        "time",
        symbol="tp",
        equation="tp = time of the highest ordinate",
        source="from the start of the rain",
        inputs=(book.flow(key),),
        evaluate=lambda q: find_peak(q.flow[0], q.step).time,
    )


def _volume(book: _Book, key: str) -> Reckoning:
    return Reckoning(
        f"volume at {book.element(key).name}",
        book.case.figures(key).volume,
        "volume",
        symbol="V",
        equation="V = Σ volume of each step",
        source="counted inside any sub-steps",
        inputs=(book.flow(key),),
        evaluate=lambda q: float(q.total[0]),
    )


def _runoff_depth(book: _Book, key: str) -> Reckoning:
    catchments = [k for k in book.network.order if k in book.network.above([key]) and book._is_catchment(k)]
    area = book._area_above(key)
    inputs = [area]
    for k in catchments:
        inputs += [
            book.flow(k),
            Reckoning("baseflow", book.element(k).baseflow.rate(), "flow", symbol="Qb", origin="set in the study"),
        ]

    def depth(whole: float, *rest: Any) -> float:
        volume = 0.0
        for flow, base in zip(rest[::2], rest[1::2], strict=True):
            volume += float(flow.total[0]) - base * flow.step * (flow.flow.shape[1] - 1)
        return 1000 * volume / whole

    return Reckoning(
        f"runoff depth above {book.element(key).name}",
        book.case.figures(key).runoff_depth,
        "rain",
        symbol="R",
        equation="R = direct runoff of the catchments above / A",
        source="definition",
        inputs=tuple(inputs),
        evaluate=depth,
    )


def _share(book: _Book, key: str) -> Reckoning:
    return Reckoning(
        f"share of the rain at {book.element(key).name}",
        book.case.figures(key).share_of_rain,
        "share",
        symbol="R/P",
        equation="R/P = R / P",
        source="definition",
        inputs=(replace(_runoff_depth(book, key), unit="mm"), replace(book.storm_depth, unit="mm")),
        evaluate=lambda r, p: r / p,
    )


def _per_area(book: _Book, key: str) -> Reckoning:
    return Reckoning(
        f"peak per area at {book.element(key).name}",
        book.case.figures(key).per_area,
        "flow per area",
        symbol="q",
        equation="q = Qp / A",
        source="definition",
        inputs=(replace(_peak(book, key), unit="m³/s"), replace(book._area_above(key), unit="km²")),
        evaluate=lambda peak, area: peak / area,
    )


def _limit(book: _Book, key: str) -> Reckoning:
    case = book.case.case
    period = case.storm.return_period
    if book.results is None or (value := book.results.limit(key, period, case.condition)) is None:
        raise UnknownName("limit", [f for f in FIGURES if f != "limit"], kind="figure", where=book.element(key).name)
    limit = next(one for one in book.study.design_points[key].limits if one.return_period == period)
    node = Reckoning(f"limit at {book.element(key).name}, 1 in {period:g}", value, "flow", symbol="Qa")
    if limit.flow is not None:
        return replace(node, origin="typed")
    other = book.results.governing(book.study.condition_of(limit.of_condition or ""), key, period)
    assert other is not None
    theirs = _fitted_peak(_Book(book.study, other.case.condition, other, book.results), key)
    share = Reckoning("allowed share", limit.share, "factor", symbol="s", origin="set at the design point")
    return replace(
        node,
        equation="Qa = s Qf",
        source=f"answer of {book.study.conditions[other.case.condition].name}",
        inputs=(share, theirs),
        evaluate=lambda s, q: s * q,
    )


def _of_catchment(method: str) -> Callable[[_Book, str], Reckoning]:
    def build(book: _Book, key: str) -> Reckoning:
        owner = book.element(key)
        if not isinstance(owner, Catchment):
            raise UnknownName(method, FIGURES, kind="figure", where=owner.name)
        return getattr(book, method)(key, owner)

    return build


def _loss_depth(book: _Book, key: str) -> Reckoning:
    owner = book.element(key)
    if not isinstance(owner, Catchment):
        raise UnknownName("loss", FIGURES, kind="figure", where=owner.name)
    value = float(book.case.batch.responses[key].loss_depth[book.case.index])
    return Reckoning(
        f"loss on {owner.name}",
        value,
        "rain",
        symbol="F",
        equation="F = Σ ΔP − Σ Pe",
        source="rain = loss + excess",
        inputs=(book.rain, book.excess(key, owner)),
        evaluate=lambda rain, excess: float(rain.sum() - excess.sum()),
    )


#: Figures of a computed case by the name under which they can be asked.
FIGURES: dict[str, Callable[[_Book, str], Reckoning]] = {
    "peak": _peak,
    "fitted peak": _fitted_peak,
    "time of peak": _time,
    "volume": _volume,
    "runoff depth": _runoff_depth,
    "share of rain": _share,
    "peak per area": _per_area,
    "limit": _limit,
    "rain depth": lambda book, key: book.storm_depth,
    "rain": lambda book, key: book.rain,
    "loss": _loss_depth,
    "excess": _of_catchment("excess"),
    "unit hydrograph": _of_catchment("unit"),
    "flow": lambda book, key: book.flow(key),
    "step": lambda book, key: book.step,
}
