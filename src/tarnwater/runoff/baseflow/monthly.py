"""Baseflow by month."""

from __future__ import annotations

from datetime import datetime
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import option, parameter
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround

MONTHS = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip


def _in_month(month: str) -> Any:
    return parameter(
        "flow", f"flow from the ground in {month}", label=f"baseflow in {month}", symbol=f"Q{month[:3]}", least=0,
        most=1e6, usual=(0, 50), source="typed", default=0.0,
    )  # fmt: skip


class MonthlyBaseflow(Baseflow):
    """A flow from the ground for each month of the year.

    A storm with a date has the flow of its months. One without a date has that of ``undated``, or the greatest of the
    year where none is chosen.
    """

    method: Literal["by month"] = "by month"
    january: float = _in_month("January")
    february: float = _in_month("February")
    march: float = _in_month("March")
    april: float = _in_month("April")
    may: float = _in_month("May")
    june: float = _in_month("June")
    july: float = _in_month("July")
    august: float = _in_month("August")
    september: float = _in_month("September")
    october: float = _in_month("October")
    november: float = _in_month("November")
    december: float = _in_month("December")
    undated: str = option(
        "month of a storm without a date", lambda: ("", *MONTHS), label="month of storms without a date"
    )

    title: ClassVar[str] = "baseflow by month"
    equation: ClassVar[str] = "Qb = Q of the month"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "flows at the turn of a month; balances on random networks"

    @property
    def by_date(self) -> bool:
        """Yes, a storm with a date has the flow of its months."""
        return True

    @property
    def of_months(self) -> Floats:
        """Flow in each month, m3/s, (12,)."""
        return np.array([getattr(self, month.lower()) for month in MONTHS])

    def respond(self, given: OverGround) -> FromGround:
        """The flow of each month; at the turn of one it changes within one step."""
        if given.begins is None:
            flow = self.of_months[MONTHS.index(self.undated)] if self.undated else self.of_months.max()
            return given.constant(float(flow))
        flow = self.of_months[_months_of(given.begins, given.step, given.steps)]
        return given.series(np.tile(flow, (given.cases, 1)))


def _months_of(begins: datetime, step: float, steps: int) -> Any:
    """Number of the month, from 0, at the end of each step (s) after a date, and at the date itself."""
    start = np.datetime64(begins.replace(tzinfo=None), "ms")
    times = start + np.round(np.arange(steps + 1) * step * 1000).astype("timedelta64[ms]")
    return times.astype("datetime64[M]").astype(int) % 12
