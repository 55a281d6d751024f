"""Convolution of excess with unit hydrographs, for all cases at once, in one piece or in many."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import signal

from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph

#: From this many steps on the convolution goes by Fourier transforms.
LONG_RECORD = 20_000


@dataclass(frozen=True, eq=False)
class DirectRunoff:
    """Direct runoff of one or more cases.

    ``flow`` (case, step + 1) m3/s, the first ordinate from the start state; ``volume`` (case, step)
    m3. ``state`` holds the flow at the end, and what the rain fallen so far has still to bring:
    ordinates and volumes. ``stored`` (case,) m3 is that volume.
    """

    flow: np.ndarray
    volume: np.ndarray
    state: tuple[np.ndarray, np.ndarray]

    @property
    def stored(self) -> np.ndarray:
        """Water on its way at the end, m3, (case,)."""
        return stored_in(self.state)


State = tuple[np.ndarray, np.ndarray]


def stored_in(state: State) -> np.ndarray:
    """Water on its way, m3, (case,)."""
    return state[1].sum(axis=1)


def convolve(excess: np.ndarray, unit: UnitHydrograph, state: State | None = None) -> DirectRunoff:
    """Turn excess (case, step) in mm into direct runoff.

    ``state`` is what an earlier call returned; a run cut in two and joined by it equals the run in
    one piece. The state is a pair: the flow at its time followed by the ordinates still to come, and
    the volumes still to come, both (case, length), in m3/s and m3.
    """
    cases, steps = excess.shape
    flow = _convolved(excess, unit.ordinates)
    flow = np.concatenate([np.zeros((cases, 1)), flow], axis=1)
    if unit.inner == 1:
        volume = 0.5 * unit.step * (flow[:, 1:] + flow[:, :-1])
    else:
        volume = _convolved(excess, unit.volumes)
    if state is not None:
        flow, volume = _joined(flow, state[0]), _joined(volume, state[1])
    ending = np.ascontiguousarray(flow[:, steps:]), np.ascontiguousarray(volume[:, steps:])
    return DirectRunoff(np.ascontiguousarray(flow[:, : steps + 1]), np.ascontiguousarray(volume[:, :steps]), ending)


def _joined(new: np.ndarray, tail: np.ndarray) -> np.ndarray:
    length = max(new.shape[1], tail.shape[1])
    whole = np.zeros((len(new), length))
    whole[:, : new.shape[1]] = new
    whole[:, : tail.shape[1]] += tail
    return whole


def _convolved(excess: np.ndarray, ordinates: np.ndarray) -> np.ndarray:
    from tarnwater.runoff import _kernels as kernels

    cases, steps = excess.shape
    if steps >= LONG_RECORD:
        return signal.oaconvolve(excess, ordinates[None, :], axes=1)
    out = np.zeros((cases, steps + len(ordinates) - 1))
    kernels.convolve_kernel(np.ascontiguousarray(excess), ordinates[None, :], out)
    return out
