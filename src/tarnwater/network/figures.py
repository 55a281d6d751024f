"""Figures read off hydrographs: peak, time, volume, and whether the flow has receded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Peak:
    """Peak of one hydrograph.

    ``ordinate`` m3/s is the highest computed flow, at ``time`` s; ``fitted`` m3/s is the top of the
    parabola through it and its neighbours, None where there is none to draw.
    """

    ordinate: float
    time: float
    fitted: float | None

    @property
    def greater(self) -> float:
        """The greater of the two, on which limits are judged."""
        return self.ordinate if self.fitted is None else max(self.ordinate, self.fitted)


def find_peak(flow: np.ndarray, step: float, *, smooth: bool = True) -> Peak:
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


def find_peaks(flow: np.ndarray, step: float, *, smooth: bool = True) -> tuple[Peak, ...]:
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
    return tuple(
        Peak(float(q), int(top) * step, float(fit) if one else None)
        for q, top, fit, one in zip(ordinates, tops, fitted, drawn, strict=True)
    )


def has_receded(flow: np.ndarray, base: float, share: float) -> np.ndarray:
    """Whether each hydrograph (case, step + 1) ends with at most ``share`` of its peak above ``base``."""
    above = flow - base
    return above[:, -1] <= share * np.maximum(above.max(axis=1), 1e-12)
