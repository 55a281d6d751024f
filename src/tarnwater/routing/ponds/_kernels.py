"""Compiled level-pool routing. C-order float64 throughout.

In a sub-step of length h the pond keeps S2 − S1 = h [(I1 + I2)/2 − (1 − θ) O1 − θ O2]. Storage and outflow are linear
in each other between two entries of the rating, so S2 + θ h O(S2) is too, and the entry is found by walking from the
one before. θ is 1/2, the trapezoid, of second order; only where the sub-steps allowed are still too long for a pond
that is all but empty it grows towards 1, which never draws more than there is.
"""

import numpy as np
from numba import njit

#: Error of the outflow that a step may have, as a share of the flow through the pond; the longest sub-step in units of
#: the time in which the pond would empty, dS/dO; and the most sub-steps of a step.
ERROR, LONGEST, MOST = 2e-4, 1.0, 256

#: Steps of the search for the storage of a pond that feels another: each halves what is left.
HALVINGS = 80

#: Flow too small to matter, m3/s, which also keeps its products above the smallest number there is.
NO_FLOW = 1e-12

#: Most sub-steps of a pond that feels another. They are the same at every level: were they not, small changes of the
#: level behind would change the answer by jumps, and two ponds would never agree.
MOST_FELT = 32

#: A level behind that holds nothing back.
FAR_BELOW = -1e300


@njit(cache=True, nogil=True)
def level_pool_kernel(
    begin, until, flow, uneven, step, levels, storages, rates, totals, spill, held, out, out_uneven, ground, spilled,
    level, peaks, times, tops,
):  # fmt: skip
    """Route the cases from one to before another of a pond whose outflow follows from its storage alone.

    ``flow`` (case, step + 1) and ``uneven`` (case, step) or empty, the inflow; ``rates`` (entry, way) with ``totals``
    (entry,) their sums. ``spill`` is the way that the overflow takes, −1 if it is lost. ``held`` (case,) is the start
    state and becomes the end state. Written are ``out`` (way, case, step + 1) and ``out_uneven`` (way, case, step), the
    volumes beyond the trapezoids; ``ground`` and ``spilled`` (case,) m3; ``level`` (case, step + 1); the highest flow
    of each way and, last, of all with the overflow, ``peaks`` and ``times`` (way + 1, case); and the highest storage
    with its time, ``tops`` (2, case). It is written without calls: these would take longer than the arithmetic. What an
    entry needs divided is divided once, and where all leaves by one way that way is the total.
    """
    ways, last = rates.shape[1], storages.size - 2
    full = storages[last + 1]
    spans = storages[1:] - storages[:-1]
    quick, rises = (totals[1:] - totals[:-1]) / spans, (levels[1:] - levels[:-1]) / spans
    # for a step that is taken whole, as most are
    bounds, yields = storages + 0.5 * step * totals, 1.0 / (1.0 + 0.5 * step * quick)
    lone = ways == 2 and rates[:, 1].max() == 0.0 and rates[:, 1].min() == 0.0
    rate, first, leaving = np.zeros(ways), np.zeros(ways), np.zeros(ways)
    for case in range(begin, until):
        s, cell = min(held[case], full), 0
        while cell < last and s > storages[cell + 1]:
            cell += 1
        gain = s - storages[cell]
        o = totals[cell] + gain * quick[cell]
        over = max(flow[case, 0] - o, 0.0) if s >= full else 0.0
        for way in range(ways):
            rate[way] = rates[cell, way] + gain / spans[cell] * (rates[cell + 1, way] - rates[cell, way])
            if way < ways - 1:
                out[way, case, 0] = rate[way] + (over if way == spill else 0.0)
        level[case, 0] = levels[cell] + gain * rises[cell]
        # the flow over the top is highest at another time than the storage
        top, top_at, most, most_at = s, 0.0, over, 0.0
        for j in range(flow.shape[1] - 1):
            start, end = flow[case, j], flow[case, j + 1]
            scale, extra = _beyond(start, end, step, uneven[case, j]) if uneven.size else (1.0, 0.0)
            start, end = start * scale, end * scale
            began, began_cell, began_o, began_over = s, cell, o, over
            if not lone:
                for way in range(ways):
                    first[way] = rate[way]
            quickness, substeps = quick[cell], 1
            if step * quickness > LONGEST:
                substeps = int(min(np.ceil(step * quickness / LONGEST), MOST))
            while True:
                h, part = step / substeps, (end - start) / substeps
                lost, left, high, high_at, over_high, over_at = 0.0, 0.0, -1.0, 0.0, -1.0, 0.0
                if not lone:
                    for way in range(ways):
                        leaving[way] = 0.0
                for sub in range(1, substeps + 1):
                    i2 = start + part * sub
                    theta = 0.5
                    if substeps == MOST and h * o > s:
                        theta = 1.0 - 0.5 * s / (h * o)
                    weight = theta * h
                    wanted = s + h * (i2 - 0.5 * part + extra) - (h - weight) * o
                    if substeps == 1:
                        while cell < last and wanted > bounds[cell + 1]:
                            cell += 1
                        while cell > 0 and wanted < bounds[cell]:
                            cell -= 1
                        gain = (wanted - bounds[cell]) * yields[cell]
                    else:
                        while cell < last and wanted > storages[cell + 1] + weight * totals[cell + 1]:
                            cell += 1
                        while cell > 0 and wanted < storages[cell] + weight * totals[cell]:
                            cell -= 1
                        gain = (wanted - storages[cell] - weight * totals[cell]) / (1.0 + weight * quick[cell])
                    gain = min(max(gain, 0.0), spans[cell])
                    s, before = storages[cell] + gain, o
                    o = totals[cell] + gain * quick[cell]
                    left += (h - weight) * before + weight * o
                    over = 0.0
                    if cell == last and gain >= spans[last]:
                        s = full
                        lost += max(wanted - weight * o - s, 0.0)
                        over = max(i2 / scale - o, 0.0)
                        if over > over_high:
                            over_high, over_at = over, sub * h
                    if not lone:
                        share = gain / spans[cell]
                        for way in range(ways):
                            new = rates[cell, way] + share * (rates[cell + 1, way] - rates[cell, way])
                            leaving[way] += (h - weight) * rate[way] + weight * new
                            rate[way] = new
                    if s > high:
                        high, high_at = s, sub * h
                    quickness = max(quickness, quick[cell])
                # `_needed` without its root, which most steps do not ask for
                through = max(max(start, end), max(o, began_o))
                turn, whole = abs(end - start - o + began_o), step * quickness
                error = 12.0 * ERROR * through * substeps * substeps
                if (whole * turn <= error and whole <= LONGEST * substeps) or substeps == MOST or through <= NO_FLOW:
                    break
                needed = _needed(step, quickness, turn, through)
                if needed <= substeps:
                    break
                # the pond turns, or became quicker on the way: the step is taken again
                substeps, s, cell, o, over = needed, began, began_cell, began_o, began_over
                if not lone:
                    for way in range(ways):
                        rate[way] = first[way]
            if high > top:
                top, top_at = high, j * step + high_at
            if over_high > most:
                most, most_at = over_high, j * step + over_at
            level[case, j + 1] = levels[cell] + gain * rises[cell]
            spilled[case] += lost
            if lone:
                rate[0], leaving[0] = o, left
            else:
                ground[case] += leaving[ways - 1]
            for way in range(ways - 1):
                new = rate[way] + (over if way == spill else 0.0)
                out[way, case, j + 1] = new
                volume = leaving[way] + (lost if way == spill else 0.0)
                out_uneven[way, case, j] = volume - 0.5 * step * (out[way, case, j] + new)
        held[case] = s
        tops[0, case], tops[1, case] = top, top_at
        cell = 0
        while cell < last and top > storages[cell + 1]:
            cell += 1
        share = (top - storages[cell]) / spans[cell]
        total = 0.0
        for way in range(ways):
            new = rates[cell, way] + share * (rates[cell + 1, way] - rates[cell, way])
            total += new if way < ways - 1 else 0.0
            peaks[way, case], times[way, case] = new, top_at
            if way == spill and most > 0.0:
                peaks[way, case], times[way, case] = new + most, most_at
        peaks[ways, case], times[ways, case] = total, top_at
        if most > 0.0:
            peaks[ways, case], times[ways, case] = total + most, most_at


@njit(cache=True, nogil=True)
def switching_pool_kernel(
    begin, until, flow, uneven, step, levels, storages, rates, totals, starts, stops, behind, tails, heads, felt,
    spill, held, running, out, out_uneven, ground, spilled, level, peaks, times, tops,
):  # fmt: skip
    """Route some cases of a pond with pumps, or one that feels a level behind it; as `level_pool_kernel`, and more.

    ``flow`` (case, step + 1) and ``uneven`` (case, step) or empty, the inflow; ``rates`` (mode, entry, way) with
    ``totals`` (mode, entry) their sums; ``behind`` (case, step + 1) levels of the pond below, or empty, with ``felt``
    (mode, tail, head, way). ``spill`` is the way that the overflow takes, −1 if it is lost. ``held`` (case,) and
    ``running`` (case,) are the start state and become the end state. Written are ``out`` (way, case, step + 1) and
    ``out_uneven`` (way, case, step), the volumes beyond the trapezoids; ``ground`` and ``spilled`` (case,) m3;
    ``level`` (case, step + 1); the highest flow of each way and, last, of all with the overflow, ``peaks`` and
    ``times`` (way + 1, case); and the highest storage with its time, ``tops`` (2, case).
    """
    ways, full = rates.shape[2], storages[-1]
    # of each way, then of the overflow: flows now and at the start of the step, and what leaves in it
    rate, first, leaving = np.zeros(ways + 1), np.zeros(ways + 1), np.zeros(ways + 1)
    # highest flow of each way, of all, and the highest storage; then their times
    high, now = np.zeros((2, ways + 2)), np.zeros(ways + 2)
    feels, even = behind.size > 0, 1
    for cell in range(storages.size - 1):
        even = max(even, _at_least(step, _quickness(cell, storages, totals[-1])))
    even = min(even, MOST_FELT)
    for case in range(begin, until):
        s = min(held[case], full)
        mode = _switched(_between(s, storages, levels), running[case], starts, stops)
        tail = behind[case, 0] if feels else FAR_BELOW
        cell = _find(s, storages, 0)
        _rates_at(s, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate)
        rate[ways] = max(flow[case, 0] - _sum(rate, ways), 0.0) if s >= full else 0.0
        _figures(s, rate, spill, now)
        high[0], high[1] = now, 0.0
        best = high.copy()
        _write(rate, spill, out, case, 0)
        level[case, 0] = _between(s, storages, levels)
        for j in range(flow.shape[1] - 1):
            start, end = flow[case, j], flow[case, j + 1]
            scale, extra = _beyond(start, end, step, uneven[case, j]) if uneven.size else (1.0, 0.0)
            start, end = start * scale, end * scale
            tail_start = behind[case, j] if feels else FAR_BELOW
            tail_end = behind[case, j + 1] if feels else FAR_BELOW
            _copy(rate, first)
            substeps = even if feels else _at_least(step, _quickness(cell, storages, totals[mode]))
            gains = start - _sum(rate, ways)
            while True:
                _copy(first, rate)
                s2, mode2, cell2, quickest = _advance(
                    s, mode, cell, start, end, scale, extra, step, substeps, tail_start, tail_end,
                    levels, storages, rates, totals, starts, stops, tails, heads, felt, spill, rate, leaving, high, now,
                )  # fmt: skip
                through = max(start, end, _sum(rate, ways), _sum(first, ways))
                turn = abs(end - _sum(rate, ways) - gains)
                needed = _needed(step, quickest, turn, through)
                if feels or needed <= substeps or substeps == MOST:
                    break
                # the pond turns, or became quicker on the way: the step is taken again
                substeps = min(max(needed, substeps + 1), MOST)
            s, mode, cell = s2, mode2, cell2
            for k in range(ways + 2):
                if high[0, k] > best[0, k]:
                    best[0, k], best[1, k] = high[0, k], j * step + high[1, k]
            level[case, j + 1] = _in_cell(s, cell, storages, levels)
            _write(rate, spill, out, case, j + 1)
            ground[case] += leaving[ways - 1]
            spilled[case] += leaving[ways]
            for way in range(ways - 1):
                volume = leaving[way] + (leaving[ways] if way == spill else 0.0)
                ordinates = out[way, case, j] + out[way, case, j + 1]
                out_uneven[way, case, j] = volume - 0.5 * step * ordinates
        held[case], running[case] = s, mode
        for k in range(ways + 1):
            peaks[k, case], times[k, case] = best[0, k], best[1, k]
        tops[0, case], tops[1, case] = best[0, ways + 1], best[1, ways + 1]


@njit(cache=True, nogil=True)
def _advance(
    s, mode, cell, i_start, i_end, scale, extra, step, substeps, tail_start, tail_end, levels, storages, rates, totals,
    starts, stops, tails, heads, felt, spill, rate, leaving, high, now,
):  # fmt: skip
    """One step in equal sub-steps; ``rate``, ``leaving`` and ``high`` are written. Returns where the pond then is.

    The last value is the greatest quickness met, 1/s.
    """
    ways, full, h, quickest = rates.shape[2], storages[-1], step / substeps, 0.0
    for k in range(ways + 1):
        leaving[k] = 0.0
    for k in range(ways + 2):
        high[0, k] = -1.0
    for sub in range(1, substeps + 1):
        i1 = i_start + (i_end - i_start) * (sub - 1) / substeps
        i2 = i_start + (i_end - i_start) * sub / substeps
        o1 = _sum(rate, ways)
        theta = 0.5
        if substeps == MOST and h * o1 > s:
            theta = 1.0 - 0.5 * s / (h * o1)
        for way in range(ways):
            leaving[way] += h * (1.0 - theta) * rate[way]
        wanted = s + h * (0.5 * (i1 + i2) + extra - (1.0 - theta) * o1)
        tail = tail_start + (tail_end - tail_start) * sub / substeps
        if tails.size:
            s = _solved(wanted, theta * h, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate)
            cell = _find(s, storages, cell)
        else:
            s, cell = _stored(wanted, theta * h, storages, totals[mode], cell)
        _rates_at(s, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate)
        o2 = _sum(rate, ways)
        for way in range(ways):
            leaving[way] += h * theta * rate[way]
        rate[ways] = 0.0
        if s >= full:
            leaving[ways] += max(wanted - theta * h * o2 - s, 0.0)
            rate[ways] = max(i2 / scale - o2, 0.0)
        if starts.size:
            switched = _switched(_between(s, storages, levels), mode, starts, stops)
            if switched != mode:
                mode = switched
                _rates_at(s, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate)
        # without pumps and tailwater every flow is highest where the storage is, but for what flows over the top
        if s > high[0, ways + 1] or s >= full or starts.size or tails.size:
            _figures(s, rate, spill, now)
            for k in range(now.size):
                if now[k] > high[0, k]:
                    high[0, k], high[1, k] = now[k], sub * h
        quickest = max(quickest, _quickness(cell, storages, totals[mode]))
    return s, mode, cell, quickest


@njit(cache=True, nogil=True)
def _copy(values, to):
    for k in range(values.size):
        to[k] = values[k]


@njit(cache=True, nogil=True)
def _beyond(start, end, step, volume):
    """How a volume beyond the trapezoid of the inflow comes: a factor of the inflow, or a flow all through the step.

    Less than the trapezoid comes in proportion, so that no part of the step draws water out of an empty pond.
    """
    trapezoid = 0.5 * step * (start + end)
    if volume < 0.0 and start >= 0.0 and end >= 0.0 and trapezoid + volume > 0.0:
        return (trapezoid + volume) / trapezoid, 0.0
    return 1.0, volume / step


@njit(cache=True, nogil=True)
def _sum(rate, ways):
    total = 0.0
    for way in range(ways):
        total += rate[way]
    return total


@njit(cache=True, nogil=True)
def _figures(s, rate, spill, now):
    """Flow of each way with the overflow that it takes, of all without the ground, and the storage."""
    ways = rate.size - 1
    total = rate[ways]
    for way in range(ways):
        now[way] = rate[way] + (rate[ways] if way == spill else 0.0)
        if way < ways - 1:
            total += rate[way]
    now[ways], now[ways + 1] = total, s


@njit(cache=True, nogil=True)
def _write(rate, spill, out, case, j):
    ways = rate.size - 1
    for way in range(ways - 1):
        out[way, case, j] = rate[way] + (rate[ways] if way == spill else 0.0)


@njit(cache=True, nogil=True)
def _quickness(cell, storages, totals):
    """dO/dS in an entry of the rating, 1/s."""
    return (totals[cell + 1] - totals[cell]) / (storages[cell + 1] - storages[cell])


@njit(cache=True, nogil=True)
def _at_least(step, quickness):
    return int(min(max(np.ceil(step * quickness / LONGEST), 1.0), MOST))


@njit(cache=True, nogil=True)
def _needed(step, quickness, turn, through):
    """Sub-steps with which the error stays small.

    The trapezoid errs by h³ S‴/12 in a sub-step. Of a pond of quickness k = dO/dS, S‴ = −k S″, so that the outflow
    errs by (h k)² |ΔS'| / 12, and over the time 1/k in which it forgets by h k |ΔS'| / 12, with ΔS' the change of
    I − O in a sub-step (``turn`` in the step).
    """
    if through <= NO_FLOW:
        return 1
    least = step * quickness
    wanted = np.sqrt(least * turn / (12.0 * ERROR * through))
    return int(min(np.ceil(max(wanted, least / LONGEST, 1.0) - 1e-9), MOST))


@njit(cache=True, nogil=True)
def _find(x, table, cell):
    """The entry of a rising table below a value, walking from one near it."""
    last = table.size - 2
    while cell < last and x > table[cell + 1]:
        cell += 1
    while cell > 0 and x < table[cell]:
        cell -= 1
    return cell


@njit(cache=True, nogil=True)
def _in_cell(x, cell, table, values):
    share = min(max((x - table[cell]) / (table[cell + 1] - table[cell]), 0.0), 1.0)
    return values[cell] + share * (values[cell + 1] - values[cell])


@njit(cache=True, nogil=True)
def _between(x, table, values):
    """Linear interpolation, by bisection."""
    cell = min(max(np.searchsorted(table, x) - 1, 0), table.size - 2)
    share = min(max((x - table[cell]) / (table[cell + 1] - table[cell]), 0.0), 1.0)
    return values[cell] + share * (values[cell + 1] - values[cell])


@njit(cache=True, nogil=True)
def _stored(wanted, weight, storages, totals, cell):
    """The storage at which S + weight O(S) is ``wanted``, and its entry; at most the last, at least the first."""
    last = storages.size - 2
    while cell < last and wanted > storages[cell + 1] + weight * totals[cell + 1]:
        cell += 1
    while cell > 0 and wanted < storages[cell] + weight * totals[cell]:
        cell -= 1
    low, high = storages[cell] + weight * totals[cell], storages[cell + 1] + weight * totals[cell + 1]
    share = min(max((wanted - low) / (high - low), 0.0), 1.0)
    return storages[cell] + share * (storages[cell + 1] - storages[cell]), cell


@njit(cache=True, nogil=True)
def _rates_at(s, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate):
    """Flow of each way at a storage, and at the level behind where one is felt."""
    ways = rates.shape[2]
    share = min(max((s - storages[cell]) / (storages[cell + 1] - storages[cell]), 0.0), 1.0)
    for way in range(ways):
        rate[way] = rates[mode, cell, way] + share * (rates[mode, cell + 1, way] - rates[mode, cell, way])
    if tails.size == 0 or tail <= tails[0]:
        return
    # the ground feels no level behind; the other ways are read at the same head in two rows of the table
    head = levels[cell] + share * (levels[cell + 1] - levels[cell]) - tail
    for way in range(ways - 1):
        rate[way] = 0.0
    if head <= 0.0:
        return
    row = _find(tail, tails, 0)
    across = min(max((tail - tails[row]) / (tails[row + 1] - tails[row]), 0.0), 1.0)
    column = min(max(np.searchsorted(heads, head) - 1, 0), heads.size - 2)
    along = min(max((head - heads[column]) / (heads[column + 1] - heads[column]), 0.0), 1.0)
    for way in range(ways - 1):
        low = felt[mode, row, column, way] * (1 - along) + felt[mode, row, column + 1, way] * along
        high = felt[mode, row + 1, column, way] * (1 - along) + felt[mode, row + 1, column + 1, way] * along
        rate[way] = low + across * (high - low)


@njit(cache=True, nogil=True)
def _solved(wanted, weight, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate):
    """The storage at which S + weight O(S, tail) is ``wanted``, by halving: the outflow never falls while it rises."""
    low, high = storages[0], storages[-1]
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        cell = _find(middle, storages, cell)
        _rates_at(middle, cell, mode, tail, levels, storages, rates, tails, heads, felt, rate)
        if middle + weight * _sum(rate, rates.shape[2]) < wanted:
            low = middle
        else:
            high = middle
        if high - low <= 1e-15 * storages[-1]:
            break
    # the upper end, so that a full pond is full
    return high


@njit(cache=True, nogil=True)
def _switched(level, mode, starts, stops):
    """Which pumps run at a level: each goes on until the level at which it stops."""
    for pump in range(starts.size):
        bit = 1 << pump
        if level >= starts[pump]:
            mode |= bit
        elif level <= stops[pump]:
            mode &= ~bit
    return mode
