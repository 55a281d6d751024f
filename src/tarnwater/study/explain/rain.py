"""Reckonings of the rain of a case."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from tarnwater import units
from tarnwater.network.elements import Catchment
from tarnwater.rain.areal import SOURCE as AREAL_SOURCE
from tarnwater.rain.depth_table import DepthTable
from tarnwater.reckoning import Reckoning
from tarnwater.study.cases import CaseResult, Results, step_of
from tarnwater.study.document import Study, proposed_step
from tarnwater.study.explain.settings import SettingReckonings


class RainReckonings(SettingReckonings):
    """Adds to the settings what one computed case made of them: step, storm, rain."""

    def __init__(self, study: Study, case: CaseResult, results: Results | None) -> None:
        super().__init__(study, case.case.condition, case.network)
        self.case = case
        self.results = results

    @cached_property
    def step(self) -> Reckoning:
        """The step of the run."""
        value, point = self.case.step, self.case.case.point
        own = self.study.design_points.get(point)
        origin = "held for this design point" if own and own.step else self._step_origin()
        assert value == step_of(self.study, point)
        return Reckoning("step of the run", value, "time", symbol="Δt", origin=origin, place="run/step")

    def around(self, key: str, name: str, unit: str, symbol: str) -> Reckoning:
        """Something of the surroundings of a method: of a case also its step."""
        return self.step if name == "step" else super().around(key, name, unit, symbol)

    def _step_origin(self) -> str:
        setting = self.study.run.step
        if setting.typed is not None:
            return self.typed_by("run", "step", setting)
        wanted = units.show_duration(proposed_step(self.study) or 0.0)
        return f"proposed from the quickest lag when the study was built, then held (it would now be {wanted})"

    @cached_property
    def depth_at_point(self) -> Reckoning:
        """The depth of the storm at a point, read from its table between the entries around it."""
        storm = self.case.case.storm
        family = self.study.families[storm.family]
        table = self.study.tables[family.table]
        entries = table.entries_for(storm.duration, storm.return_period)
        origin = f"depth table “{family.table}”" + (f": {table.source}" if table.source else "")
        node = Reckoning(
            title=f"depth at a point, {storm.title}",
            value=float(table.depth(storm.duration, storm.return_period)),
            kind="rain",
            symbol="P0",
            place=f"tables/{family.table}",
        )
        if len(entries) == 1 and storm.duration >= table.durations[0]:
            return replace(node, origin=f"{origin}, as tabled")
        inputs = tuple(
            Reckoning(f"entry for {units.show_duration(d)}, 1 in {t:g}", depth, "rain", symbol=f"P0{n}", origin=origin)
            for n, (d, t, depth) in enumerate(entries, start=1)
        )

        def read(*depths: float) -> float:
            return _read_between(table, entries, depths, storm.duration, storm.return_period)

        how = "straight in the logarithms of depth and duration, and on −ln(−ln(1 − 1/T)) in return period T"
        if storm.duration < table.durations[0]:
            how = "the depth of the shortest duration, spread evenly"
        return replace(node, equation=f"P0 = read between entries, {how}", source=origin, inputs=inputs, evaluate=read)

    @cached_property
    def storm_depth(self) -> Reckoning:
        """The depth of the storm over the area draining to its design point."""
        storm, point = self.case.case.storm, self.case.case.point
        family = self.study.families[storm.family]
        at_point = self.depth_at_point
        area = self.area_above(point)
        reduces = family.areal.reduces(area.value)
        duration = Reckoning(
            "duration of the storm", storm.duration, "time", symbol="t", origin="storm family", unit="h"
        )
        factor = Reckoning(
            title=f"areal reduction for {self.element(point).name}",
            value=self.case.areal_factor,
            kind="factor",
            symbol="f",
            equation="f = 1 − exp(−1.1 t^0.25) + exp(−1.1 t^0.25 − 0.00386 A)" if reduces else "f = 1",
            source=AREAL_SOURCE if reduces else "no areal reduction is chosen, or the area is too small for one",
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

    def area_above(self, key: str) -> Reckoning:
        """The catchment area draining to an element."""
        catchments = [k for k in self.network.order if k in self.network.above([key]) and self.is_catchment(k)]
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
        """The rain of the storm in each of its steps."""
        storm = self.case.case.storm
        family = self.study.families[storm.family]
        table = self.study.tables[family.table]
        depth, step, area = self.storm_depth, self.step, self.area_above(self.case.case.point)
        reduced = family.areal.reduces(area.value) and family.pattern.nested

        def spread(total: float, dt: float, over: float) -> np.ndarray:
            own = family.increments(table, storm.return_period, storm.duration, area=over, step=dt)
            rain = np.zeros(len(self.case.rain))
            rain[: len(own)] = own
            return rain

        how = "each duration reduced by its own factor before the blocks are made; " if reduced else ""
        return Reckoning(
            title="rain of the storm",
            value=self.case.rain,
            kind="rain",
            symbol="ΔP",
            equation=family.pattern.equation,
            source=f"{how}{family.pattern.source}",
            inputs=(depth, step, area),
            evaluate=spread,
        )

    def is_catchment(self, key: str) -> bool:
        """Whether an element is a catchment."""
        return isinstance(self.network.elements[key], Catchment)


def _read_between(
    table: DepthTable,
    entries: list[tuple[float, float, float]],
    depths: tuple[float, ...],
    duration: float,
    return_period: float,
) -> float:
    """Read a depth from some entries of a table alone, with the depths given for them."""
    durations = sorted({d for d, _, _ in entries})
    periods = sorted({t for _, t, _ in entries})
    known = {(d, t): depth for (d, t, _), depth in zip(entries, depths, strict=True)}
    rows = [tuple(known[d, t] for t in periods) for d in durations]
    if len(durations) == 1:
        # a table has two durations; the second is never reached
        durations, rows = [durations[0], 2 * durations[0]], [rows[0], rows[0]]
    small = table.model_copy(
        update={"durations": tuple(durations), "return_periods": tuple(periods), "depths": tuple(rows)}
    )
    return float(small.depth(duration, return_period))
