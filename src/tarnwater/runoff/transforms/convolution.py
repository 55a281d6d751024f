"""Convolution of excess with unit hydrographs, for all cases at once, in one piece or in many."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, UnitHydrographs
from tarnwater.states import State

#: Number of steps from which the convolution uses Fourier transforms.
LONG_RECORD = 20_000

#: Flow still to come from earlier rain, (case, length) each: the present flow and the ordinates to
#: come (m3/s); the volumes to come (m3); and the part of these beyond the trapezoids, or None.
Tail = tuple[Floats, Floats, Floats | None]


@dataclass(frozen=True, eq=False)
class DirectRunoff:
    """Direct runoff of some cases, and the end state; ``made`` (case,) m3 is water beyond the excess, if any is."""

    hydrograph: Hydrograph
    state: State
    made: Floats | None = None


def stored_in(state: Tail) -> Floats:
    """Water in transit, m3, (case,)."""
    found: Floats = state[1].sum(axis=1)
    return found


def convolve(
    excess: Floats,
    unit: UnitHydrograph | UnitHydrographs,
    steps: int,
    state: Tail | None = None,
    out: Floats | None = None,
) -> DirectRunoff:
    """Convolve excess (case, up to ``steps``) in mm with one unit hydrograph, or with one for each case.

    A run cut in two and joined by the state equals the run in one piece. ``out`` (case, steps + 1),
    if given, takes the flow.
    """
    cases = len(excess)
    flow = np.empty((cases, steps + 1)) if out is None else out
    earlier_flow, _, earlier_uneven = (None, None, None) if state is None else state
    flow[:, 0] = 0.0 if earlier_flow is None else earlier_flow[:, 0]
    rest = None if earlier_flow is None else earlier_flow[:, 1:]
    to_come = _convolved(excess, unit.ordinates, flow[:, 1:], rest)
    flows_to_come = np.concatenate([flow[:, -1:], to_come], axis=1)
    volumes_to_come = flows_to_come * (0.5 * unit.step)
    volumes_to_come[:, :-1] += volumes_to_come[:, 1:]
    plain = unit.uneven is None or (isinstance(unit, UnitHydrograph) and unit.inner == 1)
    if plain and earlier_uneven is None:
        return DirectRunoff(Hydrograph(flow, unit.step), (flows_to_come, volumes_to_come, None))
    uneven = np.empty((cases, steps))
    beyond = np.zeros((cases, 1)) if plain or unit.uneven is None else unit.uneven
    uneven_to_come = _convolved(excess, beyond, uneven, earlier_uneven)
    volumes_to_come[:, : uneven_to_come.shape[1]] += uneven_to_come[:, : volumes_to_come.shape[1]]
    return DirectRunoff(Hydrograph(flow, unit.step, uneven), (flows_to_come, volumes_to_come, uneven_to_come))


def _convolved(excess: Floats, unit: Floats, out: Floats, earlier: Floats | None) -> Floats:
    """Write the convolution and the ``earlier`` flow still to come into ``out``; return what comes after the run."""
    from tarnwater.runoff import _kernels as kernels

    cases, run = out.shape
    tail = np.empty((cases, max(unit.shape[-1], 0 if earlier is None else earlier.shape[1] - run)))
    if excess.shape[1] >= LONG_RECORD:
        _convolve_long(excess, unit, out, tail)
    else:
        kernels.convolve_kernel(excess, np.atleast_2d(unit), out, tail)
    if earlier is not None:
        now = min(run, earlier.shape[1])
        out[:, :now] += earlier[:, :now]
        tail[:, : earlier.shape[1] - now] += earlier[:, now:]
    return tail


def _convolve_long(excess: Floats, unit: Floats, out: Floats, tail: Floats) -> None:
    from scipy import signal

    whole = signal.oaconvolve(excess, np.atleast_2d(unit), axes=1)
    now = min(out.shape[1], whole.shape[1])
    out[...], tail[...] = 0.0, 0.0
    out[:, :now] = whole[:, :now]
    tail[:, : whole.shape[1] - now] = whole[:, now:]
