"""A table of rain depths by duration and return period."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import model_validator

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import TableError
from tarnwater.parameters import parameter
from tarnwater.rain.depth_fit import DepthFit
from tarnwater.rain.depths import Depths, entry_words, reduced_variate
from tarnwater.rain.readings import Reading, Term

#: Greatest rain of any duration, mm.
MOST_DEPTH = 100_000.0


class DepthTable(Depths):
    """Rain depths in mm, ``depths[duration][return period]``.

    It is read log-log in duration and linearly on the Gumbel reduced variate in return period, exactly at the entries.
    ``low`` and ``high`` are the limits of its depths, if known, and ``limits`` says which; ``years`` is the length of
    the record that it was fitted to, ``fit`` how it was.
    """

    kind: Literal["table"] = "table"

    durations: tuple[float, ...] = parameter("time", "duration", least=1, most=366 * 86400, usual=(60, 10 * 86400))
    return_periods: tuple[float, ...] = parameter(
        "return period", "return period", above=1, most=1e9, usual=(1.01, 10000)
    )
    depths: tuple[tuple[float, ...], ...]
    low: tuple[tuple[float, ...], ...] = ()
    high: tuple[tuple[float, ...], ...] = ()
    limits: str = ""
    years: int | None = None
    fit: DepthFit | None = None

    @model_validator(mode="after")
    def _whole(self) -> DepthTable:
        if len(self.durations) < 2:
            raise TableError(
                "a depth table with one duration cannot be read between durations.",
                remedy="Give the depths of at least two durations.",
            )
        if not self.return_periods:
            raise TableError("a depth table needs a return period.", remedy="Add a column.")
        for name, axis in (("durations", self.durations), ("return periods", self.return_periods)):
            if any(b <= a for a, b in pairwise(axis)):
                raise TableError(f"the {name} of a depth table must rise.", remedy="Sort them and remove duplicates.")
        if len(self.depths) != len(self.durations) or {len(r) for r in self.depths} != {len(self.return_periods)}:
            raise TableError(
                f"the depths must be {len(self.durations)} rows of {len(self.return_periods)}.",
                remedy="Give one depth for each duration and return period.",
            )
        for limit in (self.low, self.high):
            if limit and [len(r) for r in limit] != [len(r) for r in self.depths]:
                raise TableError("the limits must be as many as the depths.", remedy="Leave the limits out.")
        for duration, row in zip(self.durations, self.depths, strict=True):
            for period, depth in zip(self.return_periods, row, strict=True):
                if not (math.isfinite(depth) and 0 < depth <= MOST_DEPTH):
                    raise TableError(
                        "the depth {} is not above zero and at most {}.",
                        values=(units.Quantity(depth, "rain"), units.Quantity(MOST_DEPTH, "rain")),
                        where=entry_words(duration, period),
                        remedy="Give a depth of rain.",
                    )
        return self

    @property
    def typed_table(self) -> DepthTable:
        """The table itself."""
        return self

    def with_typed(self, table: DepthTable) -> DepthTable:
        """The other table."""
        return table

    @property
    def own_durations(self) -> tuple[float, ...]:
        """Its durations, s."""
        return self.durations

    @property
    def own_periods(self) -> tuple[float, ...]:
        """Its return periods, years."""
        return self.return_periods

    @property
    def listed(self) -> tuple[tuple[float, ...], ...]:
        """Its depths, mm."""
        return self.depths

    @property
    def bands(self) -> tuple[tuple[tuple[float, ...], ...], tuple[tuple[float, ...], ...]] | None:
        """Lower and upper limits of the depths, mm."""
        return (self.low, self.high) if self.low and self.high else None

    @property
    def years_of_record(self) -> int | None:
        """Years of the record that the depths were fitted to."""
        return self.years

    @property
    def limits_name(self) -> str:
        """What the limits are, in words."""
        return self.limits

    @property
    def told(self) -> str:
        """Its depths are as typed."""
        return "as typed"

    def entries_for(self, duration: float, return_period: float) -> list[tuple[float, float, float]]:
        """Entries between which a depth is read: duration (s), return period as tabled (years), depth (mm).

        One entry if it is read exactly, two or four if it is interpolated or extrapolated.
        """
        rows = _around(np.log(self.durations), float(np.log(max(duration, self.durations[0]))))
        if return_period in self.annual_periods:
            columns = [self.annual_periods.index(return_period)]
        else:
            variates = np.asarray(reduced_variate(np.array(self.annual_periods)))
            columns = _around(variates, float(reduced_variate(return_period)))
        return [(self.durations[r], self.return_periods[c], self.depths[r][c]) for r in rows for c in columns]

    def reading(self, duration: float, return_period: float) -> Reading:
        """The entries between which a depth is read."""
        entries = self.entries_for(duration, return_period)
        if len(entries) == 1 and duration >= self.durations[0]:
            return self._entry_reading(*entries[0]) or Reading()
        terms = tuple(
            Term(f"entry for {entry_words(d, t)}", depth, symbol=f"P0{n}", reading=self._entry_reading(d, t, depth))
            for n, (d, t, depth) in enumerate(entries, start=1)
        )

        def read(*depths: float) -> float:
            return self._read_between(entries, depths, duration, return_period)

        how = "straight in the logarithms of depth and duration, and on −ln(−ln(1 − 1/T)) in return period T"
        if duration < self.durations[0]:
            how = "the depth of the shortest duration, spread evenly"
        return Reading(f"P0 = read between entries, {how}", "", terms, read)

    def _entry_reading(self, duration: float, return_period: float, depth: float) -> Reading | None:
        """How an entry was fitted, where it was."""
        if self.fit is None:
            return None
        row, column = self.durations.index(duration), self.return_periods.index(return_period)
        return self.fit.reading(row, column, duration, return_period, depth)

    def _read_between(
        self,
        entries: list[tuple[float, float, float]],
        depths: tuple[float, ...],
        duration: float,
        return_period: float,
    ) -> float:
        """Read a depth from some entries only, with given depths."""
        durations = sorted({d for d, _, _ in entries})
        periods = sorted({t for _, t, _ in entries})
        known = {(d, t): depth for (d, t, _), depth in zip(entries, depths, strict=True)}
        rows = [tuple(known[d, t] for t in periods) for d in durations]
        if len(durations) == 1:
            # a table needs two durations; the second one is not used
            durations, rows = [durations[0], 2 * durations[0]], [rows[0], rows[0]]
        small = self.model_copy(
            update={"durations": tuple(durations), "return_periods": tuple(periods), "depths": tuple(rows), "fit": None}
        )
        return float(small.depth(duration, return_period))

    def depth(self, duration: float | Floats, return_period: float) -> Floats:
        """Depth in mm of durations (s), any shape, at a return period (years)."""
        self.refuse_outside(duration, return_period)
        at_period = self._at_return_period(return_period)
        duration = np.asarray(duration, float)
        shortest = self.durations[0]
        logs = np.log(np.maximum(duration, shortest))
        axis, values = np.log(self.durations), np.log(at_period)
        read = np.interp(logs, axis, values)
        beyond = logs > axis[-1]
        slope = (values[-1] - values[-2]) / (axis[-1] - axis[-2])
        read = np.where(beyond, values[-1] + slope * (logs - axis[-1]), read)
        # at an entry, use its own depth and not the power of its logarithm
        entry = np.minimum(np.searchsorted(self.durations, duration), len(axis) - 1)
        depths = np.where(np.asarray(self.durations)[entry] == duration, at_period[entry], np.exp(read))
        return np.where(duration < shortest, at_period[0] * duration / shortest, depths)

    def _at_return_period(self, return_period: float) -> Floats:
        periods, depths = self.annual_periods, np.array(self.depths)
        if return_period in periods:
            return depths[:, periods.index(return_period)]
        axis, y = np.asarray(reduced_variate(np.array(periods))), float(reduced_variate(return_period))
        right = int(np.clip(np.searchsorted(axis, y), 1, len(axis) - 1))
        share = (y - axis[right - 1]) / (axis[right] - axis[right - 1])
        found: Floats = depths[:, right - 1] + share * (depths[:, right] - depths[:, right - 1])
        return found


def _around(axis: Floats, at: float) -> list[int]:
    """Positions of the entries between which ``at`` lies on an increasing axis; one position if it is an entry."""
    right = int(np.clip(np.searchsorted(axis, at), 1, max(len(axis) - 1, 1)))
    exact = [int(i) for i in (right - 1, right) if i < len(axis) and abs(axis[i] - at) < 1e-12]
    return exact[:1] or [i for i in (right - 1, right) if i < len(axis)]
