"""NRCS dimensionless unit hydrograph (National Engineering Handbook, Part 630, Chapter 16)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cache
from importlib import resources
from typing import ClassVar, Literal, TypeVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.transforms.finite import FiniteTransform
from tarnwater.runoff.transforms.unit_hydrograph import (
    AtStep,
    UnitHydrograph,
    UnitHydrographs,
    at_step,
    inner_steps,
    uneven_of,
)
from tarnwater.units import show_duration

HANDBOOK = "NRCS National Engineering Handbook, Part 630, Chapter 16"

#: One time in s, or many.
Times = TypeVar("Times", float, Floats)

STANDARD_FACTOR = 484.0

#: Peak of the standard curve, m3/s per cm: 2.08 A / Tp with A in km2 and Tp in h.
STANDARD_PEAK = 2.08

#: Peak rate factor of a curve that would be a rectangle one time-to-peak long: 1 square mile inch in 1 hour is
#: 640 acres x 3630 ft3 / 3600 s = 1936/3 cfs.
RECTANGLE_FACTOR = 1936 / 3

#: The unit hydrograph's own duration as a share of the lag: D = 2/15 Tc, lag = 0.6 Tc.
DURATION_SHARE = 2 / 9

#: A unit hydrograph whose duration exceeds this share of its time to peak is doubted.
LONG_DURATION = 0.25

#: The gamma form is cut off where this share of its volume remains.
LEFT_OUT = 1e-6


@cache
def dimensionless_curve() -> tuple[Floats, Floats]:
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


class NrcsUnitHydrograph(FiniteTransform):
    """Unit hydrograph of a duration D, with Tp = D/2 + lag and qp = 2.08 A / Tp.

    D belongs to the unit hydrograph and does not depend on the step of the run. The printed table is used at the
    standard peak rate factor, the gamma form at others.
    """

    method: Literal["nrcs-unit-hydrograph"] = "nrcs-unit-hydrograph"
    peak_rate_factor: float = parameter(
        "factor",
        "peak rate factor",
        label="peak rate factor",
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
        label="unit hydrograph duration",
        symbol="D",
        least=0.1,
        most=366 * 86400,
        source=HANDBOOK,
        default=Setting[float](),
    )

    columns: ClassVar[Mapping[str, str]] = {"peak_rate_factor": "factor"}
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
        """A copy with its duration derived from the lag (s)."""
        duration = self.duration.with_derived(None if lag is None else own_duration(lag))
        return self if duration is self.duration else self.model_copy(update={"duration": duration})

    def duration_for(self, lag: float) -> float:
        """The duration in use with a lag (s): the typed one, or that of the lag."""
        typed = self.duration.typed_value
        return own_duration(lag) if typed is None else typed

    def _make(self, area: float, lag: float, step: float) -> UnitHydrograph:
        duration = self.duration_for(lag)
        inner, to_peak = inner_steps(step, duration), time_to_peak(lag, duration)
        found = self._at_step(area, np.array([lag]), step, inner)
        ordinates, volumes = found.ordinates[0], found.volumes[0]
        peak, scale = float(self.peak(area, to_peak)), float(found.scale[0])
        return UnitHydrograph(ordinates, volumes, step, inner, duration, to_peak, peak, scale, self.curve)

    def unit_hydrographs(self, area: float, lags: Floats, step: float) -> UnitHydrographs:
        """Unit hydrographs of many lags; those with equally many inner steps are made together."""
        inner = np.array([inner_steps(step, self.duration_for(float(lag))) for lag in lags])
        pieces = [(np.flatnonzero(inner == n), self._at_step(area, lags[inner == n], step, int(n))) for n in set(inner)]
        longest = max(piece.ordinates.shape[1] for _, piece in pieces)
        ordinates, uneven = np.zeros((len(lags), longest)), np.zeros((len(lags), longest + 1))
        for rows, piece in pieces:
            length = piece.ordinates.shape[1]
            ordinates[rows, :length] = piece.ordinates
            if inner[rows[0]] > 1:
                uneven[rows, : length + 1] = uneven_of(piece.ordinates, piece.volumes, step)
        return UnitHydrographs(ordinates, step, uneven if (inner > 1).any() else None)

    def _at_step(self, area: float, lags: Floats, step: float, inner: int) -> AtStep:
        """Curves of lags (case,) s, all cut into as many inner steps."""
        durations = np.array([self.duration_for(float(lag)) for lag in lags])
        to_peak = time_to_peak(lags, durations)
        # a block of rain shorter than D peaks earlier by half the difference: its middle to the peak is the lag
        earlier = np.maximum(durations - step / inner, 0.0) / 2
        base, flow = self._curve(self.peak(area, to_peak)[:, None], to_peak[:, None])

        def moved(t: Floats) -> Floats:
            # there is no flow before the rain; what would be earlier is left out
            return np.where(t > 0, flow(t + earlier[:, None]), 0.0)

        return at_step(moved, base[:, 0] - earlier, area, step, inner)

    def _curve(self, peak: Floats, to_peak: Floats) -> tuple[Floats, Callable[[Floats], Floats]]:
        """The bases (s) of the curve in use, and its flows (m3/s per mm) as a function of times (s); (case, 1)."""
        if self.peak_rate_factor == STANDARD_FACTOR:
            times, flows = dimensionless_curve()
            return float(times[-1]) * to_peak, lambda t: peak * np.interp(t / to_peak, times, flows, right=0.0)
        from scipy import special

        m = gamma_exponent(self.peak_rate_factor)
        base = float(special.gammainccinv(m + 1, LEFT_OUT)) / m * to_peak

        def gamma(t: Floats) -> Floats:
            x = t / to_peak
            return np.where(t <= base, peak * (x * np.exp(1 - x)) ** m, 0.0)

        return base, gamma

    def peak(self, area: float, to_peak: Times) -> Times:
        """Peak of the curve before scaling, m3/s per mm, from area (m2) and time to peak (s)."""
        per_cm = STANDARD_PEAK
        if self.peak_rate_factor != STANDARD_FACTOR:
            per_cm = self.peak_rate_factor / RECTANGLE_FACTOR * 1e4 / 3600
        return 0.1 * per_cm * (area / 1e6) / (to_peak / 3600)

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The derivation of its duration from the lag."""
        if name != "duration":
            return None
        source = f"0.133 of the time of concentration, tL = 0.6 Tc; {HANDBOOK}"
        return Derivation("D = 2/9 tL", source, (asked.around("lag"),), own_duration)

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """Doubts.

        A typed duration too long for the time to peak, and steps too coarse for the curve (scaled by over 1 %).
        """
        return [*self._long_duration(lag), *self.scaled(area, lag, steps)]

    def _long_duration(self, lag: float) -> list[Doubtful]:
        duration = self.duration_for(lag)
        to_peak = time_to_peak(lag, duration)
        if duration <= LONG_DURATION * to_peak * (1 + 1e-9):
            return []
        told = (
            f"its duration of {show_duration(duration)} is {duration / to_peak:.2f} of the time to peak; the curve "
            f"holds up to {LONG_DURATION:g}."
        )
        cure = Cure("Clear it: it is then 2/15 of the time of concentration.")
        return [Doubtful("unit-hydrograph-duration", "doubt", told, (cure,), "duration")]

    def unit_reckoning(self, asked: Asked) -> Reckoning:
        """The reckoning of the unit hydrograph at the step of the run, with all its inputs."""
        step, area, lag = asked.around("step"), asked.around("area", "km²"), asked.around("lag", "h")
        duration, factor = asked.own("duration", "h"), asked.own("peak_rate_factor")
        unit = self.unit_hydrograph(area.value, lag.value, step.value)
        to_peak = Reckoning(
            "time to peak of the unit hydrograph", unit.time_to_peak, "time", symbol="Tp", unit="h",
            equation="Tp = D/2 + tL", source=HANDBOOK, inputs=(duration, lag),
            evaluate=lambda d, t: time_to_peak(t, d),
        )  # fmt: skip
        constant = f"{10 * self.peak(1e6, 3600.0):.5g}"
        peak = Reckoning(
            "peak of the curve for 1 cm, before scaling", 10 * unit.peak, "flow", symbol="qp",
            equation=f"qp = {constant} A / Tp", source=HANDBOOK, inputs=(area, to_peak, factor),
            evaluate=lambda a, t, f: 10 * NrcsUnitHydrograph(peak_rate_factor=f).peak(a, t),
        )  # fmt: skip
        inner = Reckoning(
            "inner step", step.value / unit.inner, "time", symbol="d",
            equation="d = the largest whole fraction of Δt not above D", source=HANDBOOK,
            inputs=(step, duration), evaluate=lambda dt, d: dt / inner_steps(dt, d),
        )  # fmt: skip
        inputs = (area, lag, duration, factor, step)

        def read(a: float, t: float, d: float, f: float, dt: float) -> UnitHydrograph:
            return NrcsUnitHydrograph(peak_rate_factor=f, duration=d).unit_hydrograph(a, t, dt)

        scale = Reckoning(
            "factor that gives the ordinates unit volume", unit.scale, "factor", symbol="s",
            equation="s = 1 cm × A / Σ (d q), q = qp c((t + (D − d)/2) / Tp) at t = d, 2d, …", source=HANDBOOK,
            inputs=inputs, evaluate=lambda *values: read(*values).scale,
        )  # fmt: skip
        return Reckoning(
            title=f"unit hydrograph of {asked.owner}",
            value=unit,
            kind="flow",
            symbol="U",
            equation=f"U = s qp c((t + (D − d)/2) / Tp), c the {unit.curve}, evened over Δt where d is shorter",
            source=HANDBOOK,
            inputs=(*inputs, to_peak, peak, inner, scale),
            evaluate=lambda *values: read(*values[:5]),
        )


def time_to_peak(lag: Times, duration: Times) -> Times:
    """Tp = D/2 + lag, any unit of time."""
    return duration / 2 + lag
