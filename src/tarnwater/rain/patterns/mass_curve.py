"""Rain by a mass curve: the share of the depth that has fallen by a share of the duration."""

from __future__ import annotations

import csv
import math
from collections.abc import Callable
from functools import cache
from importlib import resources

import numpy as np

from tarnwater.arrays import Floats


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
