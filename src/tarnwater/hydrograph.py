"""Flow of some cases over time, with the exact volume of every step."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater import units
from tarnwater.arrays import Cases, Floats
from tarnwater.units import System


@dataclass(frozen=True, eq=False)
class Highest:
    """Highest values of some cases and their times in s, each (case,), found inside the steps."""

    values: Floats
    times: Floats

    def of(self, cases: Cases) -> Highest:
        """Some of the cases."""
        return Highest(self.values[cases], self.times[cases])


@dataclass(frozen=True, eq=False)
class Hydrograph:
    """Flows of some cases.

    Parameters
    ----------
    flow : (case, step + 1) m3/s at the ends of the steps, the first from the start state.
    step : s.
    uneven : (case, step) m3, difference between the volume of each step and the trapezoid of its ordinates, where
        volumes are counted in sub-steps; None where it is zero.
    highest : the highest flows m3/s, where they are found inside the steps; None where they are ordinates.
    """

    flow: Floats
    step: float
    uneven: Floats | None = None
    highest: Highest | None = None

    @property
    def volume(self) -> Floats:
        """Volume of each step, m3, (case, step)."""
        trapezoids = 0.5 * self.step * (self.flow[:, 1:] + self.flow[:, :-1])
        return trapezoids if self.uneven is None else trapezoids + self.uneven

    @cached_property
    def total(self) -> Floats:
        """Volume of all steps, m3, (case,); cached, so only ask when the flow is final."""
        whole = self.step * (self.flow.sum(axis=1) - 0.5 * (self.flow[:, 0] + self.flow[:, -1]))
        found: Floats = whole if self.uneven is None else whole + self.uneven.sum(axis=1)
        return found

    @property
    def nbytes(self) -> int:
        """Size of the arrays, bytes."""
        return self.flow.nbytes + (0 if self.uneven is None else self.uneven.nbytes)

    def in_words(self, system: System) -> str:
        """Number of ordinates of the first case, and the highest of them with its time."""
        flow = self.flow[0]
        top = int(np.argmax(flow))
        highest, at = float(flow[top]), top * self.step
        if self.highest is not None:
            highest, at = float(self.highest.values[0]), float(self.highest.times[0])
        when = units.show_duration(round(at))
        return f"{len(flow)} ordinates, the highest {units.show(highest, 'flow', system)} at {when}"

    def of(self, cases: Cases) -> Hydrograph:
        """Some of the cases."""
        return Hydrograph(
            self.flow[cases],
            self.step,
            None if self.uneven is None else self.uneven[cases],
            None if self.highest is None else self.highest.of(cases),
        )


def add_up(parts: list[Hydrograph], out: Floats, step: float) -> Hydrograph:
    """Sum of hydrographs, written into ``out`` (case, step + 1); zero where there are none."""
    if len(parts) > 1:
        np.add(parts[0].flow, parts[1].flow, out=out)
        for part in parts[2:]:
            out += part.flow
    else:
        out[...] = parts[0].flow if parts else 0.0
    uneven = [part.uneven for part in parts if part.uneven is not None]
    highest = parts[0].highest if len(parts) == 1 else None
    return Hydrograph(out, step, _sum_of(uneven) if uneven else None, highest)


def _sum_of(parts: list[Floats]) -> Floats:
    """The sum of some arrays; one alone is not copied."""
    if len(parts) == 1:
        return parts[0]
    found: Floats = parts[0] + parts[1]
    for part in parts[2:]:
        found += part
    return found
