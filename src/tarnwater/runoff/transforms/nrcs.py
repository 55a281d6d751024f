"""NRCS dimensionless unit hydrograph (National Engineering Handbook, Part 630, Chapter 16)."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, lru_cache
from importlib import resources
from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model, Setting, parameter
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, at_step, inner_steps

HANDBOOK = "NRCS National Engineering Handbook, Part 630, Chapter 16"

STANDARD_FACTOR = 484.0

#: Peak of the standard curve, m3/s per cm: 2.08 A / Tp with A in km2 and Tp in h.
STANDARD_PEAK = 2.08

#: Peak rate factor of a curve that would be a rectangle one time-to-peak long: 1 square mile inch in 1 hour is
#: 640 acres x 3630 ft3 / 3600 s = 1936/3 cfs.
RECTANGLE_FACTOR = 1936 / 3

#: The unit hydrograph's own duration as a share of the lag: D = 2/15 Tc, lag = 0.6 Tc.
DURATION_SHARE = 2 / 9

#: The gamma form is cut where this share of its volume is left.
LEFT_OUT = 1e-6


@cache
def dimensionless_curve() -> tuple[np.ndarray, np.ndarray]:
    """The printed curve: t / Tp and q / qp."""
    text = resources.files(__package__).joinpath("dimensionless_unit_hydrograph.csv").read_text()
    rows = np.loadtxt(text.splitlines()[2:], delimiter=",")
    return rows[:, 0], rows[:, 1]


@cache
def gamma_exponent(peak_rate_factor: float) -> float:
    """Exponent m of the gamma form: (1936/3) m^(m+1) e^-m / Gamma(m+1) = F."""

    from scipy import optimize, special

    def excess(m: float) -> float:
        return float(RECTANGLE_FACTOR * np.exp((m + 1) * np.log(m) - m - special.gammaln(m + 1)) - peak_rate_factor)

    return float(optimize.brentq(excess, 1e-3, 100.0, xtol=1e-14))


def own_duration(lag: float) -> float:
    """Duration of the unit hydrograph, D = 2/9 lag = 2/15 Tc, any unit of time."""
    return DURATION_SHARE * lag


class NrcsUnitHydrograph(Model):
    """Unit hydrograph of a duration D of its own, with Tp = D/2 + lag and qp = 2.08 A / Tp.

    D belongs to the unit hydrograph and never follows the step of the run. At the standard peak rate
    factor the printed table is read, at others the gamma form.
    """

    method: Literal["nrcs-unit-hydrograph"] = "nrcs-unit-hydrograph"
    peak_rate_factor: float = parameter(
        "factor",
        "peak rate factor",
        symbol="F",
        least=100,
        most=600,
        usual=(200, 550),
        source=HANDBOOK,
        default=STANDARD_FACTOR,
    )
    duration: Setting[float] = parameter(
        "time",
        "duration of the unit hydrograph",
        symbol="D",
        least=0.1,
        most=366 * 86400,
        source=HANDBOOK,
        default=Setting[float](),
    )

    title: ClassVar[str] = "NRCS dimensionless unit hydrograph"
    equation: ClassVar[str] = "Tp = D/2 + lag, qp = 2.08 A / Tp (F = 484), else by F / 645.33; D = 2/15 Tc"
    source: ClassVar[str] = HANDBOOK
    verified: ClassVar[str] = (
        "a published unit hydrograph at its own duration and at other steps; peaks at every step up to D and factors "
        "from 100 to 600 within 1 %; unit volume at steps from 1 min to 1 h; the gamma form by quadrature"
    )

    @property
    def curve(self) -> str:
        """Which curve is in use."""
        return "printed table" if self.peak_rate_factor == STANDARD_FACTOR else "gamma form"

    def refreshed(self, lag: float | None) -> NrcsUnitHydrograph:
        """The same with its duration derived from the lag (s)."""
        duration = self.duration.with_derived(None if lag is None else own_duration(lag))
        return self if duration is self.duration else self.model_copy(update={"duration": duration})

    def duration_for(self, lag: float) -> float:
        """The duration that counts with a lag (s): the typed one, or that of the lag."""
        typed = self.duration.typed_value
        return own_duration(lag) if typed is None else typed

    @lru_cache(maxsize=4096)  # noqa: B019 -- the models are small and frozen
    def unit_hydrograph(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """Unit hydrograph of an area (m2) with a lag (s) at a step (s)."""
        duration = self.duration_for(lag)
        inner = inner_steps(step, duration)
        to_peak = time_to_peak(lag, duration)
        peak = self.peak(area, to_peak)
        # a block of rain shorter than D peaks earlier by half the difference: its middle to the peak is the lag
        earlier = max(duration - step / inner, 0.0) / 2
        base, flow = self._curve(peak, to_peak)

        def moved(t: np.ndarray) -> np.ndarray:
            # nothing flows before the rain; what the move brings to before its start is left out
            return np.where(t > 0, flow(t + earlier), 0.0)

        ordinates, volumes, scale = at_step(moved, base - earlier, area, step, inner)
        return UnitHydrograph(ordinates, volumes, step, inner, duration, to_peak, peak, scale, self.curve)

    def _curve(self, peak: float, to_peak: float) -> tuple[float, Callable[[np.ndarray], np.ndarray]]:
        """The base (s) of the curve in use, and its flow (m3/s per mm) at any time (s)."""
        if self.peak_rate_factor == STANDARD_FACTOR:
            times, flows = dimensionless_curve()
            return float(times[-1]) * to_peak, lambda t: peak * np.interp(t / to_peak, times, flows, right=0.0)
        from scipy import special

        m = gamma_exponent(self.peak_rate_factor)
        base = float(special.gammainccinv(m + 1, LEFT_OUT)) / m * to_peak

        def gamma(t: np.ndarray) -> np.ndarray:
            x = t / to_peak
            return np.where(t <= base, peak * (x * np.exp(1 - x)) ** m, 0.0)

        return base, gamma

    def peak(self, area: float, to_peak: float) -> float:
        """Peak of the curve before scaling, m3/s per mm, from area (m2) and time to peak (s)."""
        per_cm = STANDARD_PEAK
        if self.peak_rate_factor != STANDARD_FACTOR:
            per_cm = self.peak_rate_factor / RECTANGLE_FACTOR * 1e4 / 3600
        return 0.1 * per_cm * (area / 1e6) / (to_peak / 3600)


def time_to_peak(lag: float, duration: float) -> float:
    """Tp = D/2 + lag, any unit of time."""
    return duration / 2 + lag
