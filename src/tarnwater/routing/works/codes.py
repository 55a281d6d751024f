"""Devices as numbers, for the compiled loop over levels."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from tarnwater.arrays import Floats

#: Equations that the compiled loop knows.
ROUND, RECTANGLE, SHARP, BROAD, SLOPED, NOTCH, CREST, TABLE, SOAKING, PUMPING, CONDUIT = range(11)

#: Numbers of a device.
NUMBERS = 6


class Coded(NamedTuple):
    """A device as its equation and its numbers, whose meaning the compiled function of the equation says.

    Some equations read a ``table`` beside; where it begins among those of all devices is the number at ``place``.
    """

    code: int
    numbers: tuple[float, ...]
    table: Floats = np.empty(0)
    place: int = 0
