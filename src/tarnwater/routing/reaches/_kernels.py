"""Compiled loops of reach methods whose coefficients follow the flow. C-order float64 throughout."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def muskingum_cunge_kernel(
    flow, uneven, step, substeps, dx, slope, flows, velocities, celerities, widths, nodes, courants, spreads, out,
    out_uneven,
):  # fmt: skip
    """Route each case through equal parts of length ``dx`` (m), in the form that keeps the volume (Todini 2007).

    ``flow`` (case, step + 1) and ``uneven`` (case, step) or empty, the inflow; ``flows``, ``velocities``,
    ``celerities`` and ``widths`` (entry,) of uniform flow. ``nodes`` (case, part + 1) m3/s with ``courants`` and
    ``spreads`` (case, part) are the start state and become the end state. Of a part S = h [(1 − D) I + (1 + D) O] /
    (2 C), with C = V h/dx and D = Q / (β B S0 c dx) at the mean of in- and outflow; C and D at the start of a sub-step
    are those at the end of the one before, so that no water is lost when they change.
    """
    parts, h = nodes.shape[1] - 1, step / substeps
    for case in range(flow.shape[0]):
        now, courant, spread = nodes[case], courants[case], spreads[case]
        out[case, 0] = now[parts]
        for j in range(1, flow.shape[1]):
            first, counted = now[parts], 0.0
            beyond = uneven[case, j - 1] / substeps if uneven.size else 0.0
            for sub in range(1, substeps + 1):
                last = now[parts]
                entered, entering = now[0], flow[case, j - 1] + (flow[case, j] - flow[case, j - 1]) * sub / substeps
                now[0] = entering
                for part in range(parts):
                    held = now[part + 1]
                    c1, d1 = courant[part], spread[part]
                    new, c2, d2 = held + entering - entered, c1, d1
                    # twice is enough: the coefficients change little with the flow
                    for _ in range(2):
                        c2, d2 = _coefficients(
                            0.5 * (entering + new), h, dx, slope, flows, velocities, celerities, widths
                        )
                        whole = 1.0 + c2 + d2
                        new = (c2 + d2 - 1.0) * entering + c2 / c1 * (
                            (1.0 + c1 - d1) * entered + (1.0 - c1 + d1) * held
                        )
                        if part == 0:
                            new += 2.0 * beyond / h * c2
                        new /= whole
                    courant[part], spread[part] = c2, d2
                    entered, entering = held, new
                    now[part + 1] = new
                counted += 0.5 * h * (last + now[parts])
            out[case, j] = now[parts]
            out_uneven[case, j - 1] = counted - 0.5 * step * (first + now[parts])


@njit(cache=True, nogil=True)
def coefficients_kernel(mean, h, dx, slope, flows, velocities, celerities, widths, courants, spreads):
    """C and D (case, part) of mean flows (case, part) m3/s."""
    for case in range(mean.shape[0]):
        for part in range(mean.shape[1]):
            courants[case, part], spreads[case, part] = _coefficients(
                mean[case, part], h, dx, slope, flows, velocities, celerities, widths
            )  # fmt: skip


@njit(cache=True, nogil=True)
def _coefficients(mean, h, dx, slope, flows, velocities, celerities, widths):
    q = min(max(mean, flows[0]), flows[-1])
    cell = min(max(np.searchsorted(flows, q) - 1, 0), flows.size - 2)
    share = (q - flows[cell]) / (flows[cell + 1] - flows[cell])
    v = velocities[cell] + share * (velocities[cell + 1] - velocities[cell])
    c = celerities[cell] + share * (celerities[cell + 1] - celerities[cell])
    width = widths[cell] + share * (widths[cell + 1] - widths[cell])
    # β = c/V, so that β c = c²/V
    return v * h / dx, q * v / (c * c * width * slope * dx)


#: Courant number of a sub-step.
COURANT = 0.9


@njit(cache=True, nogil=True)
def kinematic_wave_kernel(flow, uneven, step, dx, flows, areas, slopes, fastest, held, out, out_uneven):
    """Route each case through equal parts of length ``dx`` (m) by a conservative upwind scheme of second order.

    ``flow`` (case, step + 1) and ``uneven`` (case, step) or empty, the inflow; ``flows`` and ``areas`` (entry,) of
    uniform flow from zero up, linear between, ``slopes`` dQ/dA above each, and ``fastest`` the greatest of these up to
    there. ``held`` (case, part + 1) m2, the start state, becomes the end state; its last is a part below the foot. The
    flow out of a part is that of the area at its foot in the middle of the sub-step, from a slope that no neighbour
    exceeds, so that no wave is made.
    """
    parts = held.shape[1] - 1
    leaving = np.zeros(parts + 1)
    for case in range(flow.shape[0]):
        area = held[case]
        foot = area[parts - 1] + 0.5 * _rise(area, parts - 1, _area_at(flow[case, 0], flows, areas, slopes))
        out[case, 0] = _flow_at(foot, flows, areas, slopes)
        for j in range(1, flow.shape[1]):
            before, after = flow[case, j - 1], flow[case, j]
            beyond = uneven[case, j - 1] / step if uneven.size else 0.0
            largest = _area_at(max(before, after) + max(beyond, 0.0), flows, areas, slopes)
            for part in range(parts + 1):
                largest = max(largest, area[part])
            celerity = fastest[_entry(largest, areas)]
            substeps = max(int(np.ceil(step * celerity / (COURANT * dx))), 1)
            dt, left = step / substeps, 0.0
            for sub in range(substeps):
                middle = before + (after - before) * (sub + 0.5) / substeps
                above = _area_at(middle, flows, areas, slopes)
                for part in range(parts + 1):
                    own = area[part]
                    travel = slopes[_entry(own, areas)] * dt / dx
                    foot = own + 0.5 * (1.0 - travel) * _rise(area, part, above)
                    # no more leaves than there is
                    leaving[part] = min(_flow_at(foot, flows, areas, slopes), own * dx / dt)
                entering = middle + beyond
                for part in range(parts + 1):
                    area[part] += dt / dx * (entering - leaving[part])
                    entering = leaving[part]
                left += dt * leaving[parts - 1]
            foot = area[parts - 1] + 0.5 * _rise(area, parts - 1, _area_at(after, flows, areas, slopes))
            out[case, j] = _flow_at(foot, flows, areas, slopes)
            out_uneven[case, j - 1] = left - 0.5 * step * (out[case, j - 1] + out[case, j])


@njit(cache=True, nogil=True)
def _rise(area, part, above):
    """Change of the area over a part, none that a neighbour exceeds; ``above`` is the area at the head of the first."""
    own = area[part]
    back = 2.0 * (own - above) if part == 0 else own - area[part - 1]
    on = area[part + 1] - own if part + 1 < area.size else 0.0
    if back * on <= 0.0:
        return 0.0
    return min(abs(back), abs(on)) * (1.0 if back > 0.0 else -1.0)


@njit(cache=True, nogil=True)
def _entry(area, areas):
    """Entry of the table below an area."""
    return min(max(np.searchsorted(areas, area, side="right") - 1, 0), areas.size - 1)


@njit(cache=True, nogil=True)
def _flow_at(area, flows, areas, slopes):
    """Uniform flow at an area; linear beyond the table, and below zero, where it drains what is owed."""
    entry = _entry(area, areas)
    return flows[entry] + slopes[entry] * (area - areas[entry])


@njit(cache=True, nogil=True)
def _area_at(flow, flows, areas, slopes):
    """Area of a uniform flow."""
    entry = min(max(np.searchsorted(flows, flow, side="right") - 1, 0), flows.size - 1)
    return areas[entry] + (flow - flows[entry]) / slopes[entry]
