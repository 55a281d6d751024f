"""NRCS dimensionless unit hydrograph (National Engineering Handbook, Part 630, Chapter 16)."""

from __future__ import annotations

from functools import cache, lru_cache
from importlib import resources
from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model, parameter
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, at_step, inner_steps

STANDARD_FACTOR = 484.0

#: Peak of the standard curve, m3/s per cm: 2.08 A / Tp with A in km2 and Tp in h.
STANDARD_PEAK = 2.08

#: Peak rate factor of a curve that would be a rectangle one time-to-peak long.
RECTANGLE_FACTOR = 645.33

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
    """Exponent m of the gamma form: 645.33 m^(m+1) e^-m / Gamma(m+1) = F."""

    from scipy import optimize, special

    def excess(m: float) -> float:
        return float(RECTANGLE_FACTOR * np.exp((m + 1) * np.log(m) - m - special.gammaln(m + 1)) - peak_rate_factor)

    return float(optimize.brentq(excess, 1e-3, 100.0, xtol=1e-14))


class NrcsUnitHydrograph(Model):
    """Unit hydrograph of duration D = step, with Tp = D/2 + lag and qp = 2.08 A / Tp.

    At the standard peak rate factor the printed table is read, at others the gamma form.
    """

    method: Literal["nrcs-unit-hydrograph"] = "nrcs-unit-hydrograph"
    peak_rate_factor: float = parameter(
        "factor",
        "peak rate factor",
        symbol="F",
        least=100,
        most=600,
        usual=(200, 550),
        source="NRCS National Engineering Handbook, Part 630, Chapter 16",
        default=STANDARD_FACTOR,
    )

    title: ClassVar[str] = "NRCS dimensionless unit hydrograph"
    equation: ClassVar[str] = "Tp = D/2 + lag, qp = 2.08 A / Tp (F = 484), else by F / 645.33"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630, Chapter 16"
    verified: ClassVar[str] = (
        "a published unit hydrograph; unit volume at steps from 1 min to 1 h and factors from 100 to "
        "600; the gamma form by quadrature"
    )

    @property
    def curve(self) -> str:
        """Which curve is in use."""
        return "printed table" if self.peak_rate_factor == STANDARD_FACTOR else "gamma form"

    @lru_cache(maxsize=4096)  # noqa: B019 -- the models are small and frozen
    def unit_hydrograph(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """Unit hydrograph of an area (m2) with a lag (s) at a step (s)."""
        inner = inner_steps(step, lag)
        to_peak = time_to_peak(lag, step / inner)
        peak = self.peak(area, to_peak)
        if self.peak_rate_factor == STANDARD_FACTOR:
            times, flows = dimensionless_curve()
            base = float(times[-1]) * to_peak

            def curve(t: np.ndarray) -> np.ndarray:
                return peak * np.interp(t / to_peak, times, flows, right=0.0)
        else:
            from scipy import special

            m = gamma_exponent(self.peak_rate_factor)
            base = float(special.gammainccinv(m + 1, LEFT_OUT)) / m * to_peak

            def curve(t: np.ndarray) -> np.ndarray:
                x = t / to_peak
                return np.where(t <= base, peak * (x * np.exp(1 - x)) ** m, 0.0)

        ordinates, volumes, scale = at_step(curve, base, area, step, inner)
        return UnitHydrograph(ordinates, volumes, step, inner, to_peak, peak, scale, self.curve)

    def peak(self, area: float, to_peak: float) -> float:
        """Peak of the curve before scaling, m3/s per mm, from area (m2) and time to peak (s)."""
        per_cm = STANDARD_PEAK
        if self.peak_rate_factor != STANDARD_FACTOR:
            per_cm = self.peak_rate_factor / RECTANGLE_FACTOR * 1e4 / 3600
        return 0.1 * per_cm * (area / 1e6) / (to_peak / 3600)


def time_to_peak(lag: float, duration: float) -> float:
    """Tp = D/2 + lag, any unit of time."""
    return duration / 2 + lag
