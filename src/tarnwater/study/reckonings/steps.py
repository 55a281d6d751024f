"""The work of a catchment step by step, as tables: its losses by surface, and the convolution."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from tarnwater import states, units
from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment
from tarnwater.study.answers import CaseResult
from tarnwater.units import System


@dataclass(frozen=True, eq=False)
class StepColumn:
    """A column: its head, its kind and its values (row,); ``cumulative`` ones have no sum."""

    head: str
    kind: str
    values: Floats
    cumulative: bool = False


@dataclass(frozen=True, eq=False)
class StepTable:
    """Rows of equal steps (s). ``times`` (row,) s are the ends of the steps.

    The convolution has a column for each pulse of excess beside its own: ``pulses`` (m3/s per pulse) are the rows of
    its sum, (pulse, ordinate), each begun at the step of ``first``.
    """

    title: str
    step: float
    times: Floats
    columns: tuple[StepColumn, ...]
    note: str = ""
    unit_flows: Floats = field(default_factory=lambda: np.empty(0))
    excess: Floats = field(default_factory=lambda: np.empty(0))

    @cached_property
    def pulses(self) -> tuple[int, ...]:
        """Steps with excess, which are the pulses of the convolution."""
        return tuple(int(n) for n in np.flatnonzero(self.excess))

    def part(self, row: int, pulse: int) -> float:
        """Flow (m3/s) at the end of a row's step from the excess of the step of a pulse: Pe_m U_(n − m + 1)."""
        at = row - pulse
        inside = 0 <= at < len(self.unit_flows)
        return float(self.excess[pulse] * self.unit_flows[at]) if inside else 0.0

    def rows(self, system: System) -> Iterator[list[str]]:
        """Head, unit and figures of every row as texts; with the sums of its columns at the end."""
        shown = [units.display_unit(c.kind, list(c.values) or [0.0], system) for c in self.columns]
        parts = [f"from {units.show_duration(round((p + 1) * self.step))}" for p in self.pulses]
        flow = units.display_unit("flow", [float(self.excess.max(initial=0) * self.unit_flows.max(initial=0))], system)
        yield ["time, h", *(f"{c.head}, {u}" for c, u in zip(self.columns, shown, strict=True)),
               *(f"{part}, {flow}" for part in parts)]  # fmt: skip
        for row, time in enumerate(self.times):
            own = [
                f"{units.to_unit(float(c.values[row]), u, c.kind):.6g}"
                for c, u in zip(self.columns, shown, strict=True)
            ]
            pulses = [f"{units.to_unit(self.part(row, pulse), flow, 'flow'):.6g}" for pulse in self.pulses]
            yield [f"{time / 3600:.6g}", *own, *pulses]


def loss_steps(case: CaseResult, key: str) -> StepTable:
    """Rain, loss and excess of each surface of a catchment in each step in which its losses run.

    Loss and excess are depths on the surface; the last column is the excess of the catchment, weighted by the shares.
    """
    element = _catchment(case, key)
    fine = case.rain_in_losses(key)
    before = states.cases_of(element.losses_in(case.run.batch.start.get(key)), slice(case.index, case.index + 1))
    rain = fine.depths[0]
    columns = [StepColumn("rain", "rain", rain), StepColumn("rain so far", "rain", np.cumsum(rain), cumulative=True)]
    whole = np.zeros(len(rain))
    several = len(element.surfaces) > 1
    for number, (surface, weight) in enumerate(zip(element.surfaces, element.weights, strict=True)):
        excess = surface.respond(fine.depths, fine.step, None if before is None else before[number]).excess[0]
        name = f" on {surface.name or f'surface {number + 1}'}" if several else ""
        columns += [StepColumn(f"loss{name}", "rain", rain - excess), StepColumn(f"excess{name}", "rain", excess)]
        whole += weight * excess
    if several:
        columns.append(StepColumn("excess of the catchment", "rain", whole))
    shares = ", ".join(
        f"{s.name or n + 1}: {units.show(w, 'share')}"
        for n, (s, w) in enumerate(zip(element.surfaces, element.weights, strict=True))
    )
    methods = "; ".join(dict.fromkeys(f"{s.loss.title}: {s.loss.equation}" for s in element.surfaces))
    note = f"shares {shares} · {methods}" if several else methods
    times = fine.step * np.arange(1.0, len(rain) + 1)
    return StepTable(f"losses of {element.name}", fine.step, times, tuple(columns), note)


def convolution_steps(case: CaseResult, key: str) -> StepTable:
    """Excess, unit hydrograph and direct runoff of a catchment in each step of the run, with the part of each pulse.

    Raises `BadInput` for a transform without a unit hydrograph, and for a run that goes on from a state.
    """
    element = _catchment(case, key)
    apart = [element.surfaces[n].name or f"surface {n + 1}" for n in element.apart]
    if len(apart) == len(element.surfaces):
        raise BadInput(
            f"{', '.join(apart)} runs off by itself, so there is no convolution of the catchment.",
            where=element.name,
            remedy="Open its losses.",
        )
    unit = element.transform.unit(element.area.known, element.lag_used, case.step)
    if unit is None:
        raise BadInput(
            f"the transform “{element.transform.title}” has no unit hydrograph, so there is no convolution.",
            where=element.name,
            remedy="Open its losses, or choose another transform.",
        )
    if case.run.batch.start.get(key) is not None:
        raise BadInput(
            "the run goes on from a state; flow from earlier rain is in it.",
            where=element.name,
            remedy="Open the convolution of the storm before it.",
        )
    rain = case.run.batch.rain_on(key).of(slice(case.index, case.index + 1))
    steps = len(case.flow(key)) - 1
    found = element.excess_of(rain, case.step, steps=steps).together[0]
    excess = np.zeros(steps)
    excess[: len(found)] = found
    direct = np.convolve(excess, unit.ordinates)[:steps]
    ordinates = np.zeros(steps)
    count = min(steps, len(unit.ordinates))
    ordinates[:count] = unit.ordinates[:count]
    last = int(np.flatnonzero(direct > 1e-9 * direct.max(initial=0.0))[-1]) + 1 if direct.any() else 1
    columns = (
        StepColumn("excess", "rain", excess[:last]),
        StepColumn("unit hydrograph per mm", "flow", ordinates[:last]),
        StepColumn("direct runoff", "flow", direct[:last]),
    )
    note = "Q_n = Σ Pe_m U_(n−m+1): each further column is one pulse of excess, and they add up to the direct runoff"
    if apart:
        note += f"; {', '.join(apart)} runs off by itself and is not in it"
    times = case.step * np.arange(1.0, last + 1)
    return StepTable(
        f"convolution of {element.name}", case.step, times, columns, note, unit.ordinates, excess[:last]
    )  # fmt: skip


def _catchment(case: CaseResult, key: str) -> Catchment:
    element = case.element(key)
    if not isinstance(element, Catchment):
        raise BadInput("only a catchment has losses and a convolution.", where=element.name, remedy="Name a catchment.")
    return element


__all__: Sequence[str] = ["StepColumn", "StepTable", "convolution_steps", "loss_steps"]
