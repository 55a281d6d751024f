"""Rain by a mass curve: the share of the depth that has fallen by a share of the duration."""

from __future__ import annotations

import csv
import math
from collections.abc import Callable
from functools import cache
from importlib import resources
from itertools import pairwise

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.parameters import Model, Name

#: Share by which the ends of a curve may miss 0 and 1.
ROUNDING = 1e-6


class MassCurve(Model):
    """Shares of the depth that have fallen by shares of the time, both from 0 to 1."""

    name: Name = "Typed pattern"
    times: tuple[float, ...]
    shares: tuple[float, ...]
    source: str = ""

    @model_validator(mode="after")
    def _whole(self) -> MassCurve:
        if len(self.times) != len(self.shares) or len(self.times) < 2:
            raise ValueError("a pattern needs as many shares of the depth as of the time, and at least two")
        if any(b <= a for a, b in pairwise(self.times)):
            raise ValueError("the shares of the time must rise")
        if any(b < a for a, b in pairwise(self.shares)):
            raise ValueError("the shares of the depth must not fall")
        for row, what in ((self.times, "time"), (self.shares, "depth")):
            if abs(row[0]) > ROUNDING or abs(row[-1] - 1) > ROUNDING:
                raise ValueError(f"the shares of the {what} must begin at 0 and end at 1")
        return self

    def fallen(self, time: Floats) -> Floats:
        """Share of the depth that has fallen by shares of the time, linear between its entries."""
        return np.asarray(np.interp(time, self.times, self.shares))


def increments_by_shares(fallen: Callable[[Floats], Floats], depth: float, duration: float, step: float) -> Floats:
    """Rain (steps,) in mm of a storm of a depth (mm) and a duration (s) in each step (s).

    ``fallen`` gives the share of the depth, 0 to 1, that has fallen by shares of the time. A shorter last step has the
    rest.
    """
    count = math.ceil(duration / step - 1e-9)
    share_of_time = np.minimum(np.arange(count + 1) * step / duration, 1.0)
    return depth * np.diff(fallen(share_of_time))


@cache
def tabled_curve(name: str, time: str, column: str, whole: float) -> tuple[Floats, Floats]:
    """Share of the time and of the depth from a table beside this module; ``whole`` is the table's full time."""
    text = resources.files(__package__).joinpath(name).read_text()
    rows = list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))
    shares = np.array([float(r[column]) for r in rows])
    return np.array([float(r[time]) for r in rows]) / whole, shares / shares[-1]
