"""Figures of hydrographs: peak, time, the volume of a flood, and whether the flow has receded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph


@dataclass(frozen=True)
class Peak:
    """Peak of one hydrograph.

    ``ordinate`` m3/s is the highest computed flow, at ``time`` s: the one figure of the peak, which is compared with
    limits. ``fitted`` m3/s is the top of the parabola through it and its neighbours, a check of the step; None if no
    parabola is drawn.
    """

    ordinate: float
    time: float
    fitted: float | None

    @property
    def missed(self) -> float:
        """Height of the parabola above the ordinate, as a share of it; 0 without a parabola."""
        return 0.0 if self.fitted is None or self.ordinate <= 0 else self.fitted / self.ordinate - 1


@dataclass(frozen=True, eq=False)
class Peaks:
    """Peaks of some cases, arrays (case,), since single ones are seldom needed. ``fitted`` is NaN if there is none."""

    ordinates: Floats
    times: Floats
    fitted: Floats

    def __getitem__(self, case: int) -> Peak:
        """Peak of one case."""
        fitted = float(self.fitted[case])
        return Peak(float(self.ordinates[case]), float(self.times[case]), None if np.isnan(fitted) else fitted)


def peak_of(hydrograph: Hydrograph, *, smooth: bool = True) -> Peak:
    """Peak of a hydrograph of one case: its highest flow inside the steps where that is known, else its ordinate."""
    return peaks_of(hydrograph, smooth=smooth)[0]


def peaks_of(hydrograph: Hydrograph, *, smooth: bool = True) -> Peaks:
    """Peaks of the cases of a hydrograph: the highest flows inside the steps where these are known."""
    highest = hydrograph.highest
    if highest is None:
        return find_peaks(hydrograph.flow, hydrograph.step, smooth=smooth)
    return Peaks(highest.values, highest.times, np.full(len(highest.values), np.nan))


def find_peak(flow: Floats, step: float, *, smooth: bool = True) -> Peak:
    """Peak of a hydrograph (step + 1,) in m3/s.

    The parabola is drawn for smooth responses only: not at an end, not on a plateau.
    """
    top = int(np.argmax(flow))
    ordinate = float(flow[top])
    fitted = None
    if smooth and 0 < top < len(flow) - 1:
        before, after = float(flow[top - 1]), float(flow[top + 1])
        bend = before - 2 * ordinate + after
        if before < ordinate > after and bend < 0:
            fitted = ordinate - (after - before) ** 2 / (8 * bend)
    return Peak(ordinate, top * step, fitted)


def find_peaks(flow: Floats, step: float, *, smooth: bool = True) -> Peaks:
    """Peaks of hydrographs (case, step + 1)."""
    rows = np.arange(len(flow))
    tops = np.argmax(flow, axis=1)
    ordinates = flow[rows, tops]
    inside = (tops > 0) & (tops < flow.shape[1] - 1)
    before = flow[rows, np.maximum(tops - 1, 0)]
    after = flow[rows, np.minimum(tops + 1, flow.shape[1] - 1)]
    bend = before - 2 * ordinates + after
    drawn = smooth & inside & (before < ordinates) & (after < ordinates) & (bend < 0)
    fitted = ordinates - (after - before) ** 2 / (8 * np.where(drawn, bend, -1.0))
    return Peaks(ordinates, tops * step, np.where(drawn, fitted, np.nan))


def find_floods(hydrograph: Hydrograph, base: Floats, share: float) -> tuple[Floats, Floats]:
    """Time (case,) s at which each flood has receded, and its volume (case,) m3 less the baseflow.

    ``base`` m3/s is (case, step + 1), or (case, 1) where it is constant. A flood has receded after the last ordinate
    above ``share`` of its peak, both above the baseflow; without flow, at once.
    """
    from tarnwater.network import _kernels as kernels

    flow, uneven = hydrograph.flow, hydrograph.uneven
    ends, volumes = np.empty(len(flow), np.int64), np.empty(len(flow))
    beyond = np.empty((0, 0)) if uneven is None else np.ascontiguousarray(uneven)
    kernels.floods_kernel(flow, beyond, np.ascontiguousarray(base, float), share, hydrograph.step, ends, volumes)
    times: Floats = np.multiply(ends, hydrograph.step, dtype=float)
    return times, volumes


def has_receded(flow: Floats, base: Floats, share: float) -> Floats:
    """Whether each hydrograph (case, step + 1) ends with at most ``share`` of its peak above ``base`` m3/s.

    ``base`` is (case, step + 1), or (case, 1) where it is constant.
    """
    above = flow - base
    found: Floats = above[:, -1] <= share * np.maximum(above.max(axis=1), 1e-12)
    return found
