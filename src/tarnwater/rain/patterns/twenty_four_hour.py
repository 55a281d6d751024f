"""NRCS 24-hour patterns."""

from __future__ import annotations

import csv
import math
from functools import cache
from importlib import resources
from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model
from tarnwater.rain.depth_table import DepthTable

DAY = 86400.0

#: Below this step (s) the coarse tables of types I, IA and III are too coarse.
FINEST_COARSE_STEP = 900.0

PatternType = Literal["I", "IA", "II", "III"]


@cache
def cumulative_pattern(pattern_type: PatternType) -> tuple[np.ndarray, np.ndarray]:
    """Share of the time and of the depth, both 0 to 1; type II by its fine table."""
    name, column = ("storm_patterns_24h.csv", f"type_{pattern_type.lower()}")
    if pattern_type == "II":
        name = "storm_pattern_type_ii_fine.csv"
    text = resources.files(__package__).joinpath(name).read_text()
    rows = list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))
    return np.array([float(r["hour"]) for r in rows]) / 24, np.array([float(r[column]) for r in rows])


class TwentyFourHour(Model):
    """One of the NRCS types, straight between the entries of its table."""

    method: Literal["twenty-four-hour"] = "twenty-four-hour"
    type: PatternType = "II"

    title: ClassVar[str] = "NRCS 24-hour pattern"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k) − m(t_k − Δt)], m the tabled share"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630"
    verified: ClassVar[str] = "the tabled shares; the total at any step and duration"

    def increments(self, table: DepthTable, duration: float, return_period: float, step: float) -> np.ndarray:
        """Depth (steps,) in mm of each step (s) of a storm, the pattern stretched to its duration."""
        count = math.ceil(duration / step - 1e-9)
        share_of_time = np.minimum(np.arange(count + 1) * step / duration, 1.0)
        shares = np.interp(share_of_time, *cumulative_pattern(self.type))
        return float(table.depth(duration, return_period)) * np.diff(shares)
