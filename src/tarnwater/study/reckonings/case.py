"""Reckonings of one computed case that do not depend on its storm: its step and its areas."""

from __future__ import annotations

from functools import cached_property

from tarnwater import units
from tarnwater.network.elements import Catchment
from tarnwater.reckoning import Reckoning
from tarnwater.study.answers import CaseResult, Results, step_of
from tarnwater.study.document import Study, proposed_step
from tarnwater.study.reckonings.settings import SettingReckonings


class CaseReckonings(SettingReckonings):
    """Adds step and areas of one computed case to the reckonings of settings."""

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
        """A value of the surroundings of a method; in a case also the step."""
        return self.step if name == "step" else super().around(key, name, unit, symbol)

    def _step_origin(self) -> str:
        setting = self.study.run.step
        if setting.typed is not None:
            return self.typed_by("run", "step", setting)
        wanted = units.show_duration(proposed_step(self.study) or 0.0)
        return f"proposed from the shortest lag when the study was built, then held (it would now be {wanted})"

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

    def is_catchment(self, key: str) -> bool:
        """Whether an element is a catchment."""
        return isinstance(self.network.elements[key], Catchment)
