"""Design storms and storm families."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater.arrays import Cases, Floats
from tarnwater.parameters import Model, Name, Setting, parameter
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.depths import DepthCurve, Depths
from tarnwater.rain.patterns import Huff, PatternMethod

DAY = 86400.0


@dataclass(frozen=True, eq=False)
class Rain:
    """Rain of some cases: ``depths`` (case, step) mm, each in the ``step`` (s) that ends at its stamp."""

    depths: Floats
    step: float

    def __post_init__(self) -> None:
        # integer depths must not make integer results
        object.__setattr__(self, "depths", np.ascontiguousarray(self.depths, float))

    @cached_property
    def total(self) -> Floats:
        """Depth of each case, mm, (case,)."""
        found: Floats = self.depths.sum(axis=1)
        return found

    @cached_property
    def digest(self) -> bytes:
        """Digest of the depths and the step."""
        sha = hashlib.sha256(f"{self.step!r} {self.depths.shape}".encode())
        sha.update(self.depths.tobytes())
        return sha.digest()

    def of(self, cases: Cases) -> Rain:
        """Some of the cases."""
        return Rain(self.depths[cases], self.step)

    def lasting(self, length: float) -> Rain:
        """The rain with dry steps after it, up to a length (s); itself if it lasts as long."""
        more = round(length / self.step) - self.depths.shape[1]
        return self if more <= 0 else Rain(np.pad(self.depths, ((0, 0), (0, more))), self.step)

    def at_step(self, step: float) -> Rain:
        """The rain at a step that divides its own or is a multiple of it; depths are conserved."""
        ratio = step / self.step
        if abs(ratio - 1) < 1e-9:
            return self
        cases, count = self.depths.shape
        if ratio > 1:
            size = whole(ratio)
            padded = np.pad(self.depths, ((0, 0), (0, -count % size)))
            return Rain(padded.reshape(cases, -1, size).sum(axis=2), step)
        size = whole(1 / ratio)
        return Rain(np.repeat(self.depths / size, size, axis=1), step)

    def spread_over(self, step: float) -> Rain:
        """The rain in any other steps, spread evenly within its own, so that depths are conserved.

        >>> Rain(np.array([[3.0, 6.0]]), 900.0).spread_over(600.0).depths
        array([[2., 3., 4.]])
        """
        ratio = step / self.step
        whole_ratio = max(ratio, 1 / ratio)
        if abs(whole_ratio - round(whole_ratio)) <= 1e-9 * whole_ratio:
            return self.at_step(step)
        count = self.depths.shape[1]
        ends = np.arange(int(np.ceil(count * self.step / step - 1e-9)) + 1) * step
        fallen = np.concatenate([np.zeros((len(self.depths), 1)), np.cumsum(self.depths, axis=1)], axis=1)
        own = np.arange(count + 1) * self.step
        sums = np.array([np.interp(ends, own, row) for row in fallen])
        return Rain(np.maximum(np.diff(sums, axis=1), 0.0), step)


def whole(ratio: float) -> int:
    """A ratio of steps as a whole number; ValueError where it is not one."""
    size = round(ratio)
    if size < 1 or abs(ratio - size) > 1e-9 * ratio:
        raise ValueError(f"steps in the ratio {ratio:g} cannot be laid over each other")
    return size


#: Windows of a storm that are compared at once.
MOST_AT_ONCE = 2_000_000

#: Storms of a family whose rain is kept.
MOST_KEPT = 4096


class StormFamily(Model):
    """Design storms made together from one depth table: return periods x durations in one pattern.

    Only a ``counted`` family gives answers and is compared with limits; others are beside. A ``prescribed`` one
    follows a rule that fixes its durations and pattern, so no duration is searched for.

    A nested pattern contains every shorter storm in the longest. Its family has one ``length`` instead of durations;
    the storms of half and twice that length show how much depends on it.

    ``after`` is the key of a given storm from whose end state its storms begin; empty means at rest.
    """

    name: Name = "Design storms"
    table: str
    return_periods: tuple[float, ...] = parameter(
        "return period", "return period", above=1, most=1e9, usual=(1.01, 10000)
    )
    durations: tuple[float, ...] = parameter("time", "duration", least=1, most=366 * 86400, usual=(300, 10 * 86400))
    length: Setting[float] = parameter(
        "time",
        "length of the storms of a nested pattern",
        symbol="D",
        least=1,
        most=366 * 86400,
        usual=(3600, 10 * 86400),
        source="24 h, or the longest duration of the table where that is shorter",
        default=Setting[float](),
    )
    pattern: PatternMethod = Huff()
    areal: ArealReduction = ArealReduction()
    climate: float = parameter(
        "factor", "climate factor on all depths", symbol="c", above=0, most=10, usual=(0.8, 1.6), default=1.0
    )
    lead: float = parameter("time", "dry time before the rain", least=0, most=30 * 86400, default=0.0)
    tail: float = parameter("time", "dry time after the rain", least=0, most=30 * 86400, default=0.0)
    counted: bool = True
    prescribed: bool = False
    source: str = ""
    after: str = ""

    def refreshed(self, table: Depths | None) -> StormFamily:
        """A copy with the length of its storms derived from its table."""
        length = self.length.with_derived(None if table is None else min(DAY, table.longest))
        return self if length is self.length else self.model_copy(update={"length": length})

    @property
    def tried(self) -> tuple[float, ...]:
        """Durations (s) over which the greatest peak is searched for; for a nested pattern its length."""
        if not self.pattern.nested:
            return self.durations
        return () if self.length.value is None else (self.length.value,)

    def lengths_beside(self, table: Depths) -> tuple[float, ...]:
        """Half and twice the length (s) of counted nested storms, if the table holds them.

        A prescribed family has none, because its length is fixed.
        """
        if not self.pattern.nested or not self.counted or self.prescribed or self.length.value is None:
            return ()
        return tuple(d for d in (self.length.value / 2, 2 * self.length.value) if table.holds_duration(d))

    def laid(self, rain: Floats, step: float) -> Floats:
        """Rain of a storm in steps (s) with the dry time before and after it, in whole steps, rounded up."""
        before, after = (int(np.ceil(time / step - 1e-9)) for time in (self.lead, self.tail))
        return np.pad(rain, (before, after))

    @property
    def searches(self) -> bool:
        """Whether the greatest peak is searched for over durations, and may lie beyond them."""
        return not self.pattern.nested and not self.prescribed

    def curve(self, table: Depths, return_period: float, area: float) -> DepthCurve:
        """Depths by duration over an area (m2) at a return period."""
        reduced = area if self.areal.reduces(area) else 0.0
        return DepthCurve(table, return_period, self.areal, reduced, self.climate)

    def increments(
        self, table: Depths, return_period: float, duration: float, *, area: float, step: float, member: int = 0
    ) -> Floats:
        """Rain (steps,) in mm of one storm, reduced for the area (m2) draining to its design point.

        A nested storm is reduced in each of its durations by the factor of that duration, any other storm as a whole.
        ``member`` is the number of its pattern in an ensemble. The dry time before and after it is not in it.
        """
        curve = self.curve(table, return_period, area)
        asked = curve, duration, step, member
        known = self.kept_rain.get(asked)
        if known is None:
            if len(self.kept_rain) >= MOST_KEPT:
                self.kept_rain.clear()
            known = self.kept_rain[asked] = self.pattern.of_member(member).increments(curve, duration, step)
        return known

    @cached_property
    def kept_rain(self) -> dict[tuple[DepthCurve, float, float, int], Floats]:
        """Cached rain of its storms, because every edit of the land asks for them again."""
        return {}


def heaviest_window(rain: Floats, curve: DepthCurve, step: float) -> tuple[float, float, float]:
    """The window of a storm that exceeds the table depth of its duration most.

    Duration (s), rain in it, table depth (mm).

    ``rain`` (steps,) is in mm a step (s); windows are whole steps.
    """
    fallen = np.concatenate([[0.0], np.cumsum(rain)])
    widths = np.arange(1, len(rain) + 1)
    most = _greatest_of_widths(fallen)
    depths = curve.depth(np.multiply(widths, step, dtype=float))
    worst = int(np.argmax(most / depths))
    return float(widths[worst] * step), float(most[worst]), float(depths[worst])


def _greatest_of_widths(fallen: Floats) -> Floats:
    """The greatest rise of running sums (n + 1,) over 1 to n steps, (n,)."""
    count = len(fallen) - 1
    beyond = np.concatenate([fallen, np.full(count, -np.inf)])
    later = np.lib.stride_tricks.sliding_window_view(beyond, count + 1)[1:]
    most = np.empty(count)
    # some widths at a time, so that a long storm takes little memory
    rows = max(1, MOST_AT_ONCE // (count + 1))
    for first in range(0, count, rows):
        most[first : first + rows] = (later[first : first + rows] - fallen).max(axis=1)
    return most
