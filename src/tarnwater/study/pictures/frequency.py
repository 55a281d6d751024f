"""Plots of annual maxima: on probability paper with the fit and its limits, and as a histogram with the density."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.plots import Axis, Bars, Curve, Plot
from tarnwater.rain.depths import reduced_variate
from tarnwater.rain.frequency.fits import Fit
from tarnwater.rain.records.peaks import PeaksOver
from tarnwater.study.document.rain import Gauge
from tarnwater.study.rain.records import Frequency
from tarnwater.units import System

#: Return periods that are named on the axis, years.
NAMED_PERIODS = (1.01, 1.25, 2, 5, 10, 20, 30, 50, 100, 200, 500, 1000, 10_000)

#: Points of a fitted curve.
POINTS = 120

#: Values below which a histogram shows its points too.
FEW = 30


def _kind(gauge: Gauge) -> str:
    return "flow" if gauge.quantity == "flow" else "rain"


def _title(gauge: Gauge, frequency: Frequency, duration: int, system: System) -> str:
    maxima, count = frequency.maxima, len(frequency.maxima.sample(duration))
    length = f" of {units.show_duration(duration)}" if duration else ""
    if isinstance(maxima, PeaksOver):
        return f"{gauge.name}: {count} peaks{length} over {_threshold(gauge, maxima, duration, system)}"
    what = "annual maxima" if gauge.quantity == "rain" else "annual flood peaks"
    return f"{gauge.name}: {what}{length}, {count} years"


def _threshold(gauge: Gauge, maxima: PeaksOver, duration: int, system: System) -> str:
    return units.show(maxima.threshold(duration), _kind(gauge), system)


def frequency_plot(gauge: Gauge, frequency: Frequency, duration: int, system: System) -> Plot:
    """Maxima of a duration (s) at their plotting positions, the fit, and its limits, by return period."""
    fit, kind = frequency.fit(duration), _kind(gauge)
    row = frequency.depths.durations.index(duration)
    periods = np.array(frequency.depths.return_periods)
    unit = units.display_unit(kind, float(frequency.depths.depths[row].max()), system)
    factor = units.factor_of(unit, kind)
    last = max(float(periods[-1]), 2.0 * frequency.years_of(duration))
    first = reduced_variate(1.02) if fit.rate is None else max(-np.log(fit.rate), reduced_variate(1.02))
    y = np.linspace(float(first), float(reduced_variate(last)), POINTS)
    line = fit.quantile(1 / -np.expm1(-np.exp(-y)))
    curves = [Curve(y, line / factor, "water", f"{fit.distribution.title} by {fit.way}", width=2.0)]
    own = np.asarray(reduced_variate(periods))
    limits = frequency.depths.limits
    if limits is not None:
        for values, name in ((limits.low[row], "lower limit"), (limits.high[row], "upper limit")):
            curves.append(Curve(own, values / factor, "quiet", name, style="dashed", width=1.0))
    shifted = frequency.depths.shifts[row]
    if np.abs(shifted).max() > 1e-9:
        moved = frequency.depths.depths[row] / factor
        curves.append(Curve(own, moved, "loss", "moved so that durations do not cross", style="dotted", width=1.4))
    at = -np.log(-np.log(fit.annual(fit.positions)))
    curves.append(Curve(at, fit.sample / factor, "observed", _named(fit), width=0.0, dots=True))
    ticks = tuple((float(reduced_variate(t)), f"{t:g}") for t in NAMED_PERIODS if t <= last)
    title = f"{_title(gauge, frequency, duration, system)} · positions after {fit.distribution.position.name}"
    if limits is not None:
        title += f" · {limits.name}"
    x = Axis("return period, years", low=float(y[0]), high=float(y[-1]), ticks=ticks)
    return Plot(title, x, Axis("flow" if kind == "flow" else "depth", unit, low=0.0), tuple(curves))


def histogram_plot(gauge: Gauge, frequency: Frequency, duration: int, system: System, bins: int = 0) -> Plot:
    """Maxima of a duration (s) in classes, with the fitted density; ``bins`` 0 chooses their number."""
    fit, kind = frequency.fit(duration), _kind(gauge)
    unit = units.display_unit(kind, float(fit.sample.max()), system)
    factor = units.factor_of(unit, kind)
    count = bins or usual_bins(fit.sample)
    heights, edges = np.histogram(fit.sample, bins=count)
    width = float(edges[1] - edges[0])
    counted = "years" if fit.rate is None else "peaks"
    bars = Bars(edges[:-1] / factor, width / factor, heights.astype(float), "rain", f"{counted} in a class")
    room = 0.25 * (edges[-1] - edges[0])
    x = np.linspace(max(float(edges[0]) - room, 1e-9), float(edges[-1]) + room, POINTS)
    density = fit.distribution.density(fit.parameters, x) * len(fit.sample) * width
    curves = [Curve(x / factor, np.nan_to_num(density), "water", "fitted density", width=1.6)]
    if len(fit.sample) < FEW:
        low = np.full(len(fit.sample), 0.03 * heights.max())
        curves.append(Curve(fit.sample / factor, low, "observed", _named(fit), width=0.0, dots=True))
    axis = Axis("flow" if kind == "flow" else "depth", unit, low=float(x[0]) / factor, high=float(x[-1]) / factor)
    return Plot(
        _title(gauge, frequency, duration, system), axis, Axis(counted, "", low=0.0), tuple(curves), bars=(bars,)
    )


def _named(fit: Fit) -> str:
    return "maxima" if fit.rate is None else "peaks"


def usual_bins(sample: Floats) -> int:
    """Number of classes: 1 + log2 n (Sturges 1926, JASA 21).

    >>> usual_bins(np.arange(32.0))
    6
    """
    return int(np.ceil(1 + np.log2(max(len(sample), 1))))
