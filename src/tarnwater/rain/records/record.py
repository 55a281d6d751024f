"""A record: values in intervals of time, as a gauge gives them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta, timezone
from functools import cached_property
from typing import Literal

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.errors import BadInput

#: What a record holds: depths of rain in intervals (mm), or flow at moments (m3/s).
Quantity = Literal["rain", "flow"]

#: Moments that a record may hold: from the year 1 to the year 9990, s since 1970 in universal time.
EARLIEST, LATEST = -62_135_596_800, 253_086_854_400


@dataclass(frozen=True, eq=False)
class Record:
    """Values (n,) in intervals that end at ``ends`` (n,) and last ``spans`` (n,), in order of time.

    Moments are whole seconds since the start of 1970 in universal time; ``offset`` is that of the zone in which they
    are shown, s. Rain is a depth in mm of its interval; one of no length is a tip of a bucket. Flow is in m3/s at the
    end of its interval, whose length is the distance over which it was watched. A missing value is NaN, and time that
    no interval covers is missing too; between tips it is dry.
    """

    ends: Integers
    spans: Integers
    values: Floats
    quantity: Quantity = "rain"
    offset: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "ends", np.ascontiguousarray(self.ends, np.int64))
        object.__setattr__(self, "spans", np.ascontiguousarray(self.spans, np.int64))
        object.__setattr__(self, "values", np.ascontiguousarray(self.values, np.float64))
        if not self.ends.shape == self.spans.shape == self.values.shape or self.ends.ndim != 1:
            raise BadInput("a record needs as many ends and lengths of intervals as values.")
        from tarnwater.rain.records import _kernels

        if len(self) and _kernels.overlaps(self.ends, self.spans):
            raise BadInput(
                "the intervals of a record overlap or are not in order of time.",
                remedy="Settle its duplicates and its disorder first.",
            )

    def __len__(self) -> int:
        return len(self.ends)

    @classmethod
    def regular(cls, begin: int, step: int, values: Floats, *, offset: int = 0) -> Record:
        """A record of rain in equal steps (s) from a moment."""
        ends = begin + step * np.arange(1, len(values) + 1, dtype=np.int64)
        return cls(ends, np.full(len(values), step), values, offset=offset)

    @property
    def begins(self) -> Integers:
        """Moments at which its intervals begin, (n,)."""
        return self.ends - self.spans

    @property
    def first(self) -> int:
        """The moment at which it begins."""
        return int(self.ends[0] - self.spans[0])

    @property
    def last(self) -> int:
        """The moment at which it ends."""
        return int(self.ends[-1])

    @cached_property
    def step(self) -> int:
        """The commonest length of its intervals, s; 0 for tips."""
        if not len(self):
            return 0
        if self.spans[0] == self.spans[-1] and (self.spans == self.spans[0]).all():
            return int(self.spans[0])
        lengths, counts = np.unique(self.spans, return_counts=True)
        return int(lengths[np.argmax(counts)])

    @property
    def tips(self) -> bool:
        """Whether it is of the tips of a bucket."""
        return self.quantity == "rain" and len(self) > 0 and self.step == 0

    @cached_property
    def missing(self) -> Flags:
        """Its missing values, (n,)."""
        found: Flags = np.isnan(self.values)
        return found

    @cached_property
    def runs(self) -> Integers:
        """First and last index of each run of values without a gap, (runs, 2)."""
        from tarnwater.rain.records import _kernels

        return np.asarray(_kernels.runs_of(self.ends, self.spans, self.values, self.tips))

    @cached_property
    def sums(self) -> Floats:
        """Rain up to the end of each interval, mm, (n,), with missing values as nothing; rounding is carried over."""
        from tarnwater.rain.records import _kernels

        return np.asarray(_kernels.carried_sums(self.values))

    @cached_property
    def equal(self) -> bool:
        """Whether all its intervals are of one length above zero."""
        return self.step > 0 and bool((self.spans == self.step).all())

    @property
    def total(self) -> float:
        """All its rain, mm."""
        return float(self.sums[-1]) if len(self) else 0.0

    @cached_property
    def stretches(self) -> Integers:
        """Moments between which each run was watched, (runs, 2).

        Tips are watched from one missing interval to the next.
        """
        runs = self.runs
        begins, ends = self.begins[runs[:, 0]], self.ends[runs[:, 1]]
        if self.tips:
            before, after = runs[:, 0] - 1, runs[:, 1] + 1
            begins = np.where(before >= 0, self.ends[before], begins)
            last = np.minimum(after, len(self) - 1)
            ends = np.where(after < len(self), self.begins[last], ends)
        return np.stack([begins, ends], axis=1)

    @cached_property
    def covered(self) -> int:
        """Time for which it has values, s."""
        return int(np.diff(self.stretches, axis=1).sum())

    def covered_between(self, edges: Integers) -> Integers:
        """Time with values between moments (m + 1,) that rise, s, (m,)."""
        if not len(self.stretches):
            return np.zeros(len(edges) - 1, np.int64)
        begins, ends = self.stretches.T
        before = np.concatenate([[0], np.cumsum(ends - begins)])
        at = np.searchsorted(ends, edges, side="left")
        inside = np.clip(edges - begins[np.minimum(at, len(begins) - 1)], 0, None)
        return np.diff(before[at] + np.where(at < len(begins), inside, 0))

    def whole_between(self, begins: Integers, ends: Integers) -> Flags:
        """Whether there is no gap from some moments to others, (m,)."""
        stretches = self.stretches
        if not len(stretches):
            return np.zeros(len(begins), bool)
        at = np.minimum(np.searchsorted(stretches[:, 1], ends, side="left"), len(stretches) - 1)
        found: Flags = (stretches[at, 0] <= begins) & (ends <= stretches[at, 1])
        return found

    def within(self, begin: int, end: int) -> Record:
        """The intervals that lie in a stretch of time."""
        chosen = slice(int(np.searchsorted(self.begins, begin)), int(np.searchsorted(self.ends, end, side="right")))
        return replace(self, ends=self.ends[chosen], spans=self.spans[chosen], values=self.values[chosen])

    def with_values(self, values: Floats) -> Record:
        """The same intervals with other values (n,)."""
        return replace(self, values=values)

    def in_steps(self, begin: int, end: int, step: int) -> Floats:
        """Rain in equal steps (s) from one moment to another, mm, (steps,); NaN where any of a step is missing.

        Rain is spread evenly within an interval; a tip belongs to the step in which it falls, its end included.
        """
        edges = np.arange(begin, end + 1, step, dtype=np.int64)
        if len(edges) < 2:
            return np.empty(0)
        fallen = self.fallen_by(edges)
        depths = np.diff(fallen)
        whole = self.whole_between(edges[:-1], edges[1:])
        return np.where(whole, np.maximum(depths, 0.0), np.nan)

    def fallen_by(self, moments: Integers) -> Floats:
        """Rain up to moments (m,), mm, with missing values as nothing."""
        if not len(self):
            return np.zeros(len(moments))
        sums = np.concatenate([[0.0], self.sums])
        if self.tips:
            found: Floats = sums[np.searchsorted(self.ends, moments, side="right")]
            return found
        at = np.searchsorted(self.ends, moments, side="left")
        inner = np.minimum(at, len(self) - 1)
        share = np.clip((moments - self.begins[inner]) / self.spans[inner], 0.0, 1.0)
        own = np.where(self.missing[inner], 0.0, self.values[inner])
        return sums[at] + np.where(at < len(self), share * own, 0.0)

    def moment(self, seconds: int) -> datetime:
        """A moment as a date in its zone."""
        return moment_of(seconds, self.offset)

    def __iter__(self) -> Iterator[tuple[datetime, float]]:
        """Its values with the dates at which their intervals end."""
        for end, value in zip(self.ends.tolist(), self.values.tolist(), strict=True):
            yield self.moment(end), value


def moment_of(seconds: int, offset: int = 0) -> datetime:
    """A moment (s since the start of 1970 in universal time) as a date in a zone of an offset (s)."""
    zone = timezone(timedelta(seconds=offset)) if offset else UTC
    return datetime.fromtimestamp(0, zone) + timedelta(seconds=int(seconds))
