"""Potential retention of the ground, for the curve numbers of losses and timing."""

from __future__ import annotations

from typing import TypeVar

from tarnwater.arrays import Floats

V = TypeVar("V", float, Floats)


def retention(curve_number: V) -> V:
    """Potential retention S = 25400 / CN - 254, mm; 0 at CN 100.

    NRCS National Engineering Handbook, Part 630, Chapter 10.
    """
    return 25400.0 / curve_number - 254.0
