"""Reckonings of settings: typed by a person, derived from their sources, or set in the study."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from tarnwater.errors import UnknownName
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.graph import Network
from tarnwater.parameters import Description, Setting
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.losses.curve_number import (
    ANTECEDENT_SOURCE,
    antecedent_curve_number,
    initial_abstraction,
    retention,
)
from tarnwater.runoff.timing import Kirpich, NrcsLag, concentration_of_lag, kirpich, lag_of_concentration, nrcs_lag
from tarnwater.runoff.timing.ground import LEAST_SLOPE, slope_in_use
from tarnwater.runoff.transforms.nrcs import own_duration
from tarnwater.study.conditions import lineage
from tarnwater.study.document import Study
from tarnwater.study.fields import description_at, parts_of, value_at
from tarnwater.study.reckoning import Reckoning


class SettingReckonings:
    """Builds the reckonings of settings as one condition has them."""

    def __init__(self, study: Study, condition: str, network: Network) -> None:
        self.study = study
        self.condition = condition
        self.network = network

    def element(self, key: str) -> Any:
        """An element of the condition; `UnknownName` with the nearest."""
        if key not in self.network.elements:
            raise UnknownName(key, self.network.elements, kind="element of this condition")
        return self.network.elements[key]

    def setting(self, key: str, path: str, unit: str = "", symbol: str = "", also: Iterable[str] = ()) -> Reckoning:
        """A setting: typed by a person, derived from its sources, or a default of the method."""
        owner = self.element(key)
        value, description = value_at(owner, path), description_at(owner, path)
        if description is None:
            known = [name for name, _ in type(owner).quantities()] + list(also)
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
            return replace(node, origin=self.typed_by(key, path, value))
        if value.value is None:
            return replace(node, origin="missing")
        return self._derived(key, path, owner, description, node)

    def typed_by(self, key: str, path: str, value: Setting[Any]) -> str:
        """Who typed a value, when, for which condition, and why."""
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
            case Catchment(), "duration":
                return replace(
                    node,
                    equation="D = 2/9 tL",
                    source="0.133 of the time of concentration, tL = 0.6 Tc; " + description.source,
                    inputs=(self.setting(key, "lag", node.unit),),
                    evaluate=own_duration,
                )
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
            self.mean_curve_number(key, owner),
            self.slope(key, owner, "mean_slope", "%"),
        )
        return replace(
            node,
            equation="tL = L^0.8 (1000/CN − 9)^0.7 / (734.4 Y^0.5) h",
            source=owner.timing.source,
            inputs=inputs,
            evaluate=nrcs_lag,
        )

    def _concentration(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        if isinstance(owner.timing, Kirpich) and owner.lag.typed is None:
            return replace(
                node,
                equation="Tc = 0.0195 L^0.77 S^−0.385 min",
                source=owner.timing.source,
                inputs=(self.setting(key, "flow_length", "m"), self.slope(key, owner, "path_slope", "m/m")),
                evaluate=kirpich,
            )
        return replace(
            node,
            equation="Tc = tL / 0.6",
            source=owner.timing.source,
            evaluate=concentration_of_lag,
            inputs=(self.setting(key, "lag"),),
        )

    def slope(self, key: str, owner: Catchment, field: str, unit: str) -> Reckoning:
        """A slope as an equation takes it: a derived one below the least is raised to it."""
        setting = self.setting(key, field, unit)
        used = slope_in_use(getattr(owner, field))
        if used == setting.value:
            return setting
        return Reckoning(
            f"{setting.title}, raised",
            used,
            "slope",
            symbol=setting.symbol,
            equation=f"{setting.symbol} = 0.01 %, since the derived slope is below it",
            source="equations divide by the slope; a typed slope is taken as typed",
            inputs=(setting,),
            evaluate=lambda slope: max(slope, LEAST_SLOPE),
            unit=unit,
        )

    def mean_curve_number(self, key: str, owner: Catchment) -> Reckoning:
        """The area-weighted curve number of a catchment."""
        rows = [n for n, s in enumerate(owner.surfaces) if isinstance(s.loss, CurveNumber)]
        inputs = []
        for row in rows:
            inputs.append(self.weight(key, owner, row))
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

    def weight(self, key: str, owner: Catchment, row: int) -> Reckoning:
        """The share of a surface in its catchment."""
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
            inputs=(self.setting(key, f"{loss}/ratio"), self.retention(key, loss)),
            evaluate=lambda ratio, depth: initial_abstraction(depth, ratio),
        )

    def retention(self, key: str, loss: str) -> Reckoning:
        """The potential retention of a curve number loss."""
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
                source=ANTECEDENT_SOURCE,
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


def _measure_source(field: str) -> str:
    return {
        "area": "cells that drain to the outlet times the area of a cell",
        "mean_slope": "Horn (1981), mean over the cells of the raw terrain",
        "flow_length": "longest path along the flow, from cell centre to cell centre",
        "path_slope": "fall on the conditioned terrain over the length",
        "slope_10_85": "(z85 − z10) / (0.75 L) on the conditioned terrain",
        "length": "path along the flow between outlets",
        "slope": "fall on the conditioned terrain over the length",
    }.get(field, "")
