"""Time-area histogram and a linear reservoir."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.transforms.instantaneous import LEFT_OUT, InstantaneousTransform

SOURCE = "Clark (1945), Transactions ASCE 110; synthetic time-area curve: Ford (1980), HEC"

#: Time of concentration over the lag, tL = 0.6 Tc.
CONCENTRATION_SHARE = 0.6

#: Parts of the synthetic time-area curve, which is read as straight between them.
SYNTHETIC_PARTS = 200


def synthetic_area(times: Floats) -> Floats:
    """Share of the area within a share of the time of concentration: √2 x^1.5 up to a half, symmetric above.

    >>> synthetic_area(np.array([0.0, 0.5, 1.0])).round(12)
    array([0. , 0.5, 1. ])
    """
    lower = np.sqrt(2.0) * np.minimum(times, 0.5) ** 1.5
    upper = 1 - np.sqrt(2.0) * np.minimum(1 - times, 0.5) ** 1.5
    return np.asarray(np.where(times <= 0.5, lower, upper))


def left_by(times: Floats, arrivals: Floats, areas: Floats, store: float) -> Floats:
    """S of times (s): the share of water fallen at once that has left by then.

    ``areas`` (n,) are the shares from which the water has arrived by ``arrivals`` (n,) s, straight between them, and
    ``store`` s is the coefficient of the reservoir behind. Each part gives even flow into the reservoir while its water
    arrives. Even inflow from a moment on has left by u - R (1 - e^(-u/R)) at the time u after it; two of opposite sign
    make a part.
    """
    since = np.maximum(np.asarray(times, float)[..., None] - arrivals, 0.0)
    passed = since if store <= 0 else since + store * np.expm1(-since / store)
    parts = np.diff(areas) / np.diff(arrivals)
    found: Floats = (parts * (passed[..., :-1] - passed[..., 1:])).sum(axis=-1)
    return found


class Clark(InstantaneousTransform):
    """Excess reaches the outlet by travel time and passes a linear reservoir with the storage coefficient R.

    The areas within shares of the time of concentration are typed, or those of the synthetic curve.
    """

    method: Literal["clark"] = "clark"
    storage: Setting[float] = parameter(
        "time", "storage coefficient of the linear reservoir", label="storage coefficient", symbol="R", least=0,
        most=366 * 86400, usual=(60, 10 * 86400), source="typed, or by a regional equation", default=Setting[float](),
    )  # fmt: skip
    time_shares: tuple[float, ...] = parameter(
        "share", "shares of the time of concentration", symbol="x", least=0, most=1, default=()
    )
    area_shares: tuple[float, ...] = parameter(
        "share", "shares of the area within them", symbol="a", least=0, most=1, default=()
    )

    curve: ClassVar[str] = "time-area curve and reservoir"
    title: ClassVar[str] = "time-area and linear reservoir"
    equation: ClassVar[str] = (
        "S the areas by travel time to Tc = tL / 0.6, through a reservoir with dS/dt = (a − S) / R"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a fine-step solution of the reservoir; without storage the time-area curve itself; unit volume at every step"
    )
    needs: ClassVar[Mapping[str, str]] = {"storage": "Type it; 0 for none."}

    @model_validator(mode="after")
    def _rising(self) -> Clark:
        if len(self.time_shares) != len(self.area_shares):
            raise ValueError("a time-area curve needs as many shares of the area as of the time")
        if not self.time_shares:
            return self
        for row in (self.time_shares, self.area_shares):
            if row[0] != 0 or row[-1] != 1 or any(b < a for a, b in pairwise(row)):
                raise ValueError("the shares of a time-area curve rise from 0 to 1")
        if any(b <= a for a, b in pairwise(self.time_shares)):
            raise ValueError("the shares of the time must rise")
        return self

    @cached_property
    def areas(self) -> tuple[Floats, Floats]:
        """Shares of the time and of the area between which the time-area curve is straight."""
        if self.time_shares:
            return np.array(self.time_shares), np.array(self.area_shares)
        times = np.linspace(0.0, 1.0, SYNTHETIC_PARTS + 1)
        return times, synthetic_area(times)

    def left(self, times: Floats, lag: float) -> Floats:
        """S of times (s): the parts of the area, through the reservoir."""
        shares, areas = self.areas
        return left_by(times, shares * lag / CONCENTRATION_SHARE, areas, self.storage.known)

    def length(self, lag: float) -> float:
        """The time of concentration, and that in which the reservoir empties to a millionth, s."""
        return lag / CONCENTRATION_SHARE - self.storage.known * float(np.log(LEFT_OUT))
