"""A series as it was read: values at stamps in the order of the file, before anything is mended."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.rain.records.record import Quantity

#: What the values of a series are: depths of intervals, a running total, rates of intervals, tips, or flow at moments.
Form = Literal["incremental", "cumulative", "rate", "tips", "flow"]

#: What values are, in words.
FORMS: Mapping[Form, str] = {
    "incremental": "depth of each interval",
    "cumulative": "running total",
    "rate": "rate of each interval",
    "tips": "tips of a bucket",
    "flow": "flow at moments",
}

#: Whether a stamp is at the start or at the end of its interval.
Stamp = Literal["start", "end"]

#: Share of the step by which the distance of two stamps may differ from it and still be one step.
NEAR_STEP = 0.1

#: Share of distances that are one step, or a multiple of it, in a series of steps.
MOSTLY = 0.9


@dataclass(frozen=True, eq=False)
class RawSeries:
    """Values (n,) at stamps (n,), s since the start of 1970 in universal time, in the order of the file.

    Values are in mm (incremental, cumulative, and a tip each), mm/h (rate) or m3/s (flow), NaN where missing.
    """

    stamps: Integers
    values: Floats
    form: Form = "incremental"
    stamp: Stamp = "end"
    offset: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "stamps", np.ascontiguousarray(self.stamps, np.int64))
        object.__setattr__(self, "values", np.ascontiguousarray(self.values, np.float64))

    def __len__(self) -> int:
        return len(self.stamps)

    @property
    def quantity(self) -> Quantity:
        """What it holds."""
        return "flow" if self.form == "flow" else "rain"

    @cached_property
    def order(self) -> Integers:
        """Positions in order of time; equal stamps stay in the order of the file, (n,)."""
        if len(self) < 2 or bool((np.diff(self.stamps) >= 0).all()):
            return np.arange(len(self))
        return np.argsort(self.stamps, kind="stable")

    @cached_property
    def late(self) -> Flags:
        """Rows whose stamp is before that of an earlier row, (n,), in the order of the file."""
        found: Flags = self.stamps < np.maximum.accumulate(self.stamps)
        return found

    @cached_property
    def distances(self) -> Integers:
        """Distances above zero between stamps in order of time, s."""
        apart = np.diff(self.stamps[self.order])
        return apart[apart > 0]

    @cached_property
    def step(self) -> int:
        """The commonest distance of its stamps, s; 0 for tips and for a series of one stamp."""
        if self.form == "tips" or not len(self.distances):
            return 0
        lengths, counts = np.unique(self.distances, return_counts=True)
        return int(lengths[np.argmax(counts)])

    @cached_property
    def regular(self) -> bool:
        """Whether it is a series of steps, with gaps at most; otherwise an interval reaches from stamp to stamp."""
        if not self.step:
            return False
        off = np.abs(self.distances - np.rint(self.distances / self.step) * self.step)
        return bool((off <= NEAR_STEP * self.step).mean() >= MOSTLY)
