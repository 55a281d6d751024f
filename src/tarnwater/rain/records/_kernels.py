"""Compiled loops over the values of records. Their callers check the arguments.

Moments are int64 seconds, values float64, NaN where missing.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def overlaps(ends, spans):
    """Whether an interval begins before the one before it ends, or has a negative length."""
    if spans[0] < 0:
        return True
    # two tips of one second are two tips
    for i in range(1, ends.size):
        if spans[i] < 0 or ends[i] - spans[i] < ends[i - 1]:
            return True
    return False


@njit(cache=True, nogil=True)
def runs_of(ends, spans, values, tips):
    """First and last index of each run of values that follow each other without a gap, (runs, 2)."""
    count = 0
    for turn in range(2):
        if turn == 1:
            found = np.empty((count, 2), np.int64)
        count = 0
        begin = -1
        for i in range(ends.size):
            here = not np.isnan(values[i])
            joined = begin >= 0 and here and (tips or ends[i] - spans[i] == ends[i - 1])
            if begin >= 0 and not joined:
                if turn == 1:
                    found[count, 0] = begin
                    found[count, 1] = i - 1
                count += 1
                begin = -1
            if here and begin < 0:
                begin = i
        if begin >= 0:
            if turn == 1:
                found[count, 0] = begin
                found[count, 1] = ends.size - 1
            count += 1
    return found


@njit(cache=True, nogil=True)
def carried_sums(values):
    """Running sums with the rounding of each addition carried over (Kahan), missing values as nothing.

    A plain running sum over fifty years of five-minute rain loses the eighth decimal of a depth.
    """
    sums = np.empty(values.size)
    total = 0.0
    lost = 0.0
    for i in range(values.size):
        value = values[i]
        if not np.isnan(value):
            term = value - lost
            new = total + term
            lost = (new - total) - term
            total = new
        sums[i] = total
    return sums


#: Rain by which a window must exceed another to be greater, mm: rounding makes no maximum later than it is.
NEARLY = 1e-9


@njit(cache=True, nogil=True)
def apart_from(begin, end, avoided, apart):
    """Whether a window keeps its distance from all ``avoided`` (m, 2) windows."""
    for k in range(avoided.shape[0]):
        if begin < avoided[k, 1] + apart and end > avoided[k, 0] - apart:
            return False
    return True


@njit(cache=True, nogil=True)
def greatest_in_equal_steps(ends, sums, runs, first, last, count, step, avoided):
    """The greatest window of ``count`` equal steps that ends in intervals ``first`` to ``last``; sum, begin and end."""
    best, best_at = -1.0, -1
    for r in range(runs.shape[0]):
        low, high = max(first, runs[r, 0] + count - 1), min(last, runs[r, 1])
        for j in range(low, high + 1):
            fallen = sums[j] - (sums[j - count] if j >= count else 0.0)
            if fallen > best + NEARLY and (
                avoided.shape[0] == 0 or apart_from(ends[j] - count * step, ends[j], avoided, 0)
            ):
                best, best_at = fallen, j
    if best_at < 0:
        return -1.0, 0, 0
    return best, ends[best_at] - count * step, ends[best_at]


@njit(cache=True, nogil=True)
def greatest_in_any_steps(ends, spans, values, sums, runs, first, last, duration, avoided):
    """The greatest window of a duration that ends in intervals ``first`` to ``last``, in continuous time.

    Rain is even within an interval, so that the rain of a window is piecewise linear in its place: the greatest one
    begins or ends where an interval does. Both are tried for each interval in which a window can end.
    """
    best, best_begin = -1.0, 0
    for r in range(runs.shape[0]):
        a, b = runs[r, 0], runs[r, 1]
        base = sums[a - 1] if a > 0 else 0.0
        start = ends[a] - spans[a]
        low, high = max(first, a), min(last, b)
        if low > high:
            continue
        i = max(a, np.searchsorted(ends, ends[low] - spans[low] - duration))
        for j in range(low, high + 1):
            begins = ends[j] - spans[j]
            # windows that end with interval j, and those that begin with an interval and end inside j
            while i < b and ends[i] - spans[i] + duration <= begins:
                i += 1
            k = i
            while True:
                inner = ends[k] - spans[k]
                at_end = inner + duration >= ends[j]
                begin = ends[j] - duration if at_end else inner
                if begin >= start and begin + duration > begins:
                    # rain before the window, within the interval that holds its begin
                    m = k if begin >= inner else k - 1
                    before = (sums[m - 1] if m > a else base) + values[m] * ((begin - (ends[m] - spans[m])) / spans[m])
                    upto = (sums[j - 1] if j > a else base) + values[j] * ((begin + duration - begins) / spans[j])
                    fallen = upto - before
                    if fallen > best + NEARLY and (
                        avoided.shape[0] == 0 or apart_from(begin, begin + duration, avoided, 0)
                    ):
                        best, best_begin = fallen, begin
                if at_end or k >= j:
                    break
                k += 1
    return best, best_begin, best_begin + duration


@njit(cache=True, nogil=True)
def greatest_of_tips(ends, sums, runs, stretches, first, last, duration, avoided):
    """The greatest window of a duration of tips, of which the last is one of ``first`` to ``last``."""
    best, best_begin = -1.0, 0
    for r in range(runs.shape[0]):
        a, b = runs[r, 0], runs[r, 1]
        if stretches[r, 1] - stretches[r, 0] < duration:
            continue
        base = sums[a - 1] if a > 0 else 0.0
        low, high = max(first, a), min(last, b)
        if low > high:
            continue
        i = max(a, np.searchsorted(ends, ends[low] - duration))
        for j in range(low, high + 1):
            while ends[i] <= ends[j] - duration:
                i += 1
            fallen = sums[j] - (sums[i - 1] if i > a else base)
            begin = min(max(ends[i], stretches[r, 0]), stretches[r, 1] - duration)
            if fallen > best + NEARLY and (avoided.shape[0] == 0 or apart_from(begin, begin + duration, avoided, 0)):
                best, best_begin = fallen, begin
    return best, best_begin, best_begin + duration


@njit(cache=True, nogil=True)
def greatest_moment(ends, values, first, last, avoided, apart):
    """The greatest value at moments ``first`` to ``last``, and its moment twice."""
    best, best_at = -np.inf, -1
    for j in range(first, last + 1):
        if values[j] > best and (avoided.shape[0] == 0 or apart_from(ends[j], ends[j], avoided, apart)):
            best, best_at = values[j], j
    if best_at < 0:
        return -1.0, 0, 0
    return best, ends[best_at], ends[best_at]


@njit(cache=True, nogil=True)
def greatest_within(moments, values, reach):
    """Which values none nearer than ``reach`` exceeds, (n,); of equal ones the first. Missing values are left out.

    A queue holds the indices whose values may still be the greatest about a later moment, from the greatest down: each
    index enters and leaves it once.
    """
    found = np.zeros(moments.size, np.bool_)
    queue = np.empty(moments.size, np.int64)
    head, tail = 0, 0
    ahead = 0
    for i in range(moments.size):
        while ahead < moments.size and (ahead <= i or moments[ahead] < moments[i] + reach):
            if not np.isnan(values[ahead]):
                while tail > head and values[queue[tail - 1]] < values[ahead]:
                    tail -= 1
                queue[tail] = ahead
                tail += 1
            ahead += 1
        while tail > head and queue[head] < i and moments[queue[head]] <= moments[i] - reach:
            head += 1
        found[i] = tail > head and queue[head] == i
    return found
