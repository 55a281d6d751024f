"""Reckonings of the rain of a case."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from tarnwater import units
from tarnwater.network.elements import Catchment
from tarnwater.rain.areal import SOURCE as AREAL_SOURCE
from tarnwater.study.cases import CaseResult, Results, step_of
from tarnwater.study.document import Study, proposed_step
from tarnwater.study.explain.settings import SettingReckonings
from tarnwater.study.reckoning import Reckoning


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

    def _step_origin(self) -> str:
        setting = self.study.run.step
        if setting.typed is not None:
            return self.typed_by("run", "step", setting)
        wanted = units.show_duration(proposed_step(self.study) or 0.0)
        return f"proposed from the quickest lag when the study was built, then held (it would now be {wanted})"

    @cached_property
    def storm_depth(self) -> Reckoning:
        """The depth of the storm over the area draining to its design point."""
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
        area = self.area_above(point)
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

    def is_catchment(self, key: str) -> bool:
        """Whether an element is a catchment."""
        return isinstance(self.network.elements[key], Catchment)
