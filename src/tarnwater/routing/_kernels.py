"""Compiled loops over cases and steps. C-order float64 throughout.

A recursion waits for its own last value, so one case alone leaves the processor idle. `LANES` cases therefore go side
by side: a buffer has a row of them for each sub-step, as one flat array, in which the value one sub-step earlier is
`LANES` places before. The compiler turns such a loop into vector instructions. A block of at most `ROWS` sub-steps
goes through one part after the other while it is in the fastest cache. Row 0 of a buffer is the last row of the block
before.
"""

import numpy as np
from numba import njit

LANES, ROWS = 16, 64

#: Number of cases below which they go one by one: empty lanes would take as long as full ones. The sums are the same to
#: the last bit.
FEW = 6


@njit(cache=True, nogil=True)
def muskingum_kernel(flow, step, c1, c2, c3, substeps, flows, out, out_uneven):
    """Route the ordinates of each case; ``flows`` (case, parts + 1) is the start state and becomes the end state.

    Within a step the inflow is linear. ``out_uneven`` (case, step), empty where there is one sub-step,
    takes the volume of each step beyond the trapezoid of its ordinates. ``out`` may be ``flow`` itself:
    a block is read before it is written.
    """
    cases, ordinates = flow.shape
    parts = flows.shape[1] - 1
    if cases < FEW:
        for case in range(cases):
            uneven = out_uneven[case] if out_uneven.size else out_uneven[0:0].ravel()
            _one_case(flow[case], step, c1, c2, c3, substeps, flows[case], out[case], uneven)
        return
    at_once = max(1, ROWS // substeps)
    entering, leaving = _buffer(at_once * substeps), _buffer(at_once * substeps)
    now, before = np.zeros((parts + 1, LANES)), np.zeros(LANES)
    for first in range(0, cases, LANES):
        lanes = min(LANES, cases - first)
        _take_state(flows, first, lanes, now, entering)
        # the first inflow is read before the outflow may overwrite it
        for lane in range(lanes):
            before[lane] = flow[first + lane, 0]
            out[first + lane, 0] = flows[first + lane, parts]
        for start in range(1, ordinates, at_once):
            steps = min(at_once, ordinates - start)
            for j in range(steps):
                for lane in range(lanes):
                    end = flow[first + lane, start + j]
                    for sub in range(1, substeps):
                        straight = before[lane] + (end - before[lane]) * sub / substeps
                        entering[(j * substeps + sub) * LANES + lane] = straight
                    # at the end of the step the ordinate itself, without rounding
                    entering[(j + 1) * substeps * LANES + lane] = end
                    before[lane] = end
            entering, leaving = _through_parts(entering, leaving, steps * substeps, c1, c2, c3, now)
            for j in range(steps):
                for lane in range(lanes):
                    out[first + lane, start + j] = leaving[(j + 1) * substeps * LANES + lane]
            if out_uneven.size:
                _count_volumes(leaving, step, substeps, steps, lanes, out_uneven[first:, start - 1 :])
        _give_state(now, first, lanes, flows)


@njit(cache=True, nogil=True)
def muskingum_volume_kernel(uneven, c1, c2, c3, substeps, volumes, out):
    """Add to ``out`` (case, step) the volumes beyond the trapezoids as they leave the reach.

    A trapezoid is the mean of two ordinates, so volumes follow the recursion of the ordinates; a volume beyond the
    trapezoid passes through it separately, shared evenly by the sub-steps. ``volumes`` (case, parts + 1), of one
    sub-step each, is the start state and becomes the end state.
    """
    cases, whole = uneven.shape
    if cases < FEW:
        for case in range(cases):
            _one_volume(uneven[case], c1, c2, c3, substeps, volumes[case], out[case])
        return
    at_once = max(1, ROWS // substeps)
    entering, leaving = _buffer(at_once * substeps), _buffer(at_once * substeps)
    now = np.zeros((volumes.shape[1], LANES))
    for first in range(0, cases, LANES):
        lanes = min(LANES, cases - first)
        _take_state(volumes, first, lanes, now, entering)
        for start in range(0, whole, at_once):
            steps = min(at_once, whole - start)
            for j in range(steps):
                for sub in range(1, substeps + 1):
                    for lane in range(lanes):
                        entering[(j * substeps + sub) * LANES + lane] = uneven[first + lane, start + j] / substeps
            entering, leaving = _through_parts(entering, leaving, steps * substeps, c1, c2, c3, now)
            for j in range(steps):
                for lane in range(lanes):
                    left = 0.0
                    for sub in range(1, substeps + 1):
                        left += leaving[(j * substeps + sub) * LANES + lane]
                    out[first + lane, start + j] += left
        _give_state(now, first, lanes, volumes)


@njit(cache=True, nogil=True)
def _one_case(flow, step, c1, c2, c3, substeps, now, out, uneven):
    """One case, all parts in one sub-step after the other; ``now`` (parts + 1,) is updated."""
    parts, h, before = now.size - 1, step / substeps, flow[0]
    out[0] = now[parts]
    for j in range(1, flow.size):
        end, first, counted = flow[j], now[parts], 0.0
        for sub in range(1, substeps + 1):
            last = now[parts]
            entering = before + (end - before) * sub / substeps if sub < substeps else end
            entered, now[0] = now[0], entering
            for part in range(1, parts + 1):
                held = now[part]
                entering = c1 * entering + c2 * entered + c3 * held
                entered, now[part] = held, entering
            counted += 0.5 * h * (last + entering)
        before, out[j] = end, now[parts]
        if uneven.size:
            uneven[j - 1] = counted - 0.5 * step * (first + now[parts])


@njit(cache=True, nogil=True)
def _one_volume(uneven, c1, c2, c3, substeps, now, out):
    """The volumes of one case beyond its trapezoids; ``now`` (parts + 1,) is updated."""
    parts = now.size - 1
    for j in range(uneven.size):
        left, part_of_step = 0.0, uneven[j] / substeps
        for _ in range(substeps):
            entering = part_of_step
            entered, now[0] = now[0], entering
            for part in range(1, parts + 1):
                held = now[part]
                entering = c1 * entering + c2 * entered + c3 * held
                entered, now[part] = held, entering
            left += entering
        out[j] += left


@njit(cache=True, nogil=True)
def _buffer(rows):
    return np.zeros((rows + 1) * LANES)


@njit(cache=True, nogil=True)
def _take_state(state, first, lanes, now, entering):
    # lanes without a case are zero: values of an earlier tile could shrink to denormal numbers, which are slow
    entering[:] = 0.0
    now[:] = 0.0
    for lane in range(lanes):
        for part in range(now.shape[0]):
            now[part, lane] = state[first + lane, part]


@njit(cache=True, nogil=True)
def _give_state(now, first, lanes, state):
    for lane in range(lanes):
        for part in range(now.shape[0]):
            state[first + lane, part] = now[part, lane]


@njit(cache=True, nogil=True)
def _through_parts(entering, leaving, rows, c1, c2, c3, now):
    """Take a block through all parts; ``now`` (part, lane) is updated. Returns a free buffer and the outflow's."""
    size = rows * LANES
    for lane in range(LANES):
        entering[lane] = now[0, lane]
        now[0, lane] = entering[size + lane]
    for part in range(1, now.shape[0]):
        for lane in range(LANES):
            leaving[lane] = now[part, lane]
        for k in range(size):
            leaving[k + LANES] = c1 * entering[k + LANES] + c2 * entering[k] + c3 * leaving[k]
        for lane in range(LANES):
            now[part, lane] = leaving[size + lane]
        # what leaves a part enters the next
        entering, leaving = leaving, entering
    return leaving, entering


@njit(cache=True, nogil=True)
def _count_volumes(leaving, step, substeps, steps, lanes, uneven):
    """Volume of each step, counted in its sub-steps, beyond the trapezoid of its two ordinates."""
    h = step / substeps
    for j in range(steps):
        for lane in range(lanes):
            counted = 0.0
            for sub in range(substeps):
                row = j * substeps + sub
                counted += 0.5 * h * (leaving[row * LANES + lane] + leaving[(row + 1) * LANES + lane])
            ends = leaving[j * substeps * LANES + lane] + leaving[(j + 1) * substeps * LANES + lane]
            uneven[lane, j] = counted - 0.5 * step * ends
