"""Compiled loops of the losses over cases and steps. Their callers check the arguments. C-order float64 throughout.

Depths are in mm, times in h, rates in mm/h. ``rain`` and ``excess`` are (case, step); parameters and states (case,).
States are updated. ``loss`` (case,) adds up what the ground takes in, apart from the excess.
"""

import math

from numba import njit

#: Relative change at which a search for an infiltrated depth ends, and the most steps that it takes.
EXACT, MOST_TURNS = 1e-14, 100


@njit(cache=True, nogil=True)
def recovered_in(rain, hours, rate, after, below, dry):
    """Depth that recovers in a step of some rain, and the dry time with it.

    Recovery begins after a dry time, and acts only in the time beyond it.
    """
    if rain > below * hours:
        return 0.0, 0.0
    dry += hours
    return rate * min(hours, max(0.0, dry - after)), dry


@njit(cache=True, nogil=True)
def initial_constant(rain, hours, initial, constant, share, rate, after, below, deficit, dry, excess, loss):
    """A deficit is filled first; then a constant rate, or a share of the rest, is lost.

    Rain is even within a step, so that the constant acts in the rest of the step in which the deficit is met.
    """
    cases, steps = rain.shape
    for case in range(cases):
        missing, dry_time, taken = deficit[case], dry[case], 0.0
        for step in range(steps):
            depth = rain[case, step]
            if rate > 0.0:
                more, dry_time = recovered_in(depth, hours, rate, after, below, dry_time)
                missing = min(initial[case], missing + more)
            if depth == 0.0:
                excess[case, step] = 0.0
                continue
            filled = min(depth, missing)
            missing -= filled
            rest = depth - filled
            left = constant[case] * hours * rest / depth
            excess[case, step] = max(rest - left, 0.0) * (1.0 - share[case])
            kept = min(rest, left)
            taken += filled + kept + share[case] * (rest - kept)
        deficit[case], dry[case] = missing, dry_time
        loss[case] = taken


@njit(cache=True, nogil=True)
def curve_number_recovering(rain, hours, retention, abstraction, rate, after, below, fallen, dry, excess, loss):
    """Curve number loss whose remaining retention S + Ia - F grows in dry spells; ``fallen`` is the rain that gives F.

    F is the depth that was kept: the abstraction, then S x / (x + S) of the rain x beyond it.
    """
    cases, steps = rain.shape
    for case in range(cases):
        most, first = retention[case], abstraction[case]
        total, dry_time, taken = fallen[case], dry[case], 0.0
        for step in range(steps):
            depth = rain[case, step]
            more, dry_time = recovered_in(depth, hours, rate, after, below, dry_time)
            if more > 0.0 and total > 0.0:
                total = _fallen_for(max(_kept_of(total, most, first) - more, 0.0), most, first)
            before = _kept_of(total, most, first)
            ran_before = _excess_of(total, most, first)
            total += depth
            taken += _kept_of(total, most, first) - before
            excess[case, step] = min(max(_excess_of(total, most, first) - ran_before, 0.0), depth)
        fallen[case], dry[case] = total, dry_time
        loss[case] = taken


@njit(cache=True, nogil=True)
def _excess_of(total, retention, abstraction):
    above = max(total - abstraction, 0.0)
    return above * above / (above + retention) if above > 0.0 else 0.0


@njit(cache=True, nogil=True)
def _kept_of(total, retention, abstraction):
    above = max(total - abstraction, 0.0)
    return min(total, abstraction) + (retention * above / (above + retention) if above > 0.0 else 0.0)


@njit(cache=True, nogil=True)
def _fallen_for(kept, retention, abstraction):
    """The rain of which a depth was kept."""
    beyond = kept - abstraction
    if beyond <= 0.0:
        return kept
    return abstraction + retention * beyond / (retention - beyond)


@njit(cache=True, nogil=True)
def green_ampt(rain, hours, conductivity, head, infiltrated, excess, loss):
    """Green-Ampt infiltration; ``head`` is the suction times the moisture deficit, ``infiltrated`` the depth so far.

    Under even rain i a step is not ponded, ponded throughout, or begins to pond when the capacity K (1 + M / F) has
    fallen to i, at F = K M / (i - K). Ponded water runs off at once.
    """
    cases, steps = rain.shape
    for case in range(cases):
        k, m, depth = conductivity[case], head[case], infiltrated[case]
        start = depth
        for step in range(steps):
            fallen = rain[case, step]
            if fallen == 0.0:
                excess[case, step] = 0.0
                continue
            rate = fallen / hours
            if rate <= k:
                depth += fallen
                excess[case, step] = 0.0
                continue
            ponding = k * m / (rate - k)
            if depth + fallen <= ponding:
                depth += fallen
                excess[case, step] = 0.0
                continue
            unponded = max(ponding - depth, 0.0)
            # rounding must not pond for longer than the step
            left = min(max(hours - unponded / rate, 0.0), hours)
            after = _green_ampt_after(max(depth, ponding), m, k * left)
            excess[case, step] = min(max(fallen - unponded - (after - max(depth, ponding)), 0.0), fallen)
            depth = after
        infiltrated[case] = depth
        loss[case] = depth - start


@njit(cache=True, nogil=True)
def _green_ampt_after(depth, head, conducted):
    """Infiltrated depth after ponding, by F0 u + M (u - ln(1 + u)) = K t, u the growth of F + M.

    Newton's search from above: the left side is convex and rises, so that each turn stays above the root.
    """
    if head <= 0.0:
        return depth + conducted
    if conducted <= 0.0:
        return depth
    # above the root: the left side is at least M u^2 / (2 (1 + u)), and at least F0 u
    share = conducted / head
    u = share + math.sqrt(share * (share + 2.0))
    if depth > 0.0:
        u = min(u, conducted / depth)
    for _ in range(MOST_TURNS):
        misfit = depth * u + head * _less_logarithm(u) - conducted
        slope = depth + head * u / (1.0 + u)
        change = misfit / slope
        u = max(u - change, 0.0)
        if abs(change) <= EXACT * u:
            break
    return depth + (depth + head) * u


@njit(cache=True, nogil=True)
def _less_logarithm(u):
    """The difference u - ln(1 + u), by its series where it would lose its digits."""
    if u > 0.01:
        return u - math.log1p(u)
    total, power = 0.0, u
    for n in range(2, 12):
        power *= u
        total += power / n if n % 2 == 0 else -power / n
    return total


@njit(cache=True, nogil=True)
def horton(rain, hours, first, last, decay, rate, after, below, infiltrated, dry, excess, loss):
    """Horton infiltration in its cumulative form: the capacity follows from the depth that has infiltrated.

    Under even rain a step is not ponded, ponded throughout, or begins to pond when the capacity has fallen to the rain.
    """
    cases, steps = rain.shape
    for case in range(cases):
        f0, fc, k = first[case], last[case], decay[case]
        depth, dry_time, taken = infiltrated[case], dry[case], 0.0
        for step in range(steps):
            fallen = rain[case, step]
            if rate > 0.0:
                more, dry_time = recovered_in(fallen, hours, rate, after, below, dry_time)
                depth = max(depth - more, 0.0)
            if fallen == 0.0:
                excess[case, step] = 0.0
                continue
            intensity = fallen / hours
            if intensity <= fc:
                depth += fallen
                taken += fallen
                excess[case, step] = 0.0
                continue
            # the depth at which the capacity has fallen to the rain; none if the rain is always above it
            at = math.log((f0 - fc) / (intensity - fc)) / k if intensity < f0 else 0.0
            ponding = _horton_depth(at, f0, fc, k)
            if depth + fallen <= ponding:
                depth += fallen
                taken += fallen
                excess[case, step] = 0.0
                continue
            if depth < ponding:
                unponded, left = ponding - depth, hours - (ponding - depth) / intensity
            else:
                unponded, left, at = 0.0, hours, _horton_time(depth, f0, fc, k)
            more = 0.0
            # a ground that takes no more has no such time
            if not math.isinf(at):
                more = max(_horton_depth(at + left, f0, fc, k) - max(depth, ponding), 0.0)
                more = min(more, fallen - unponded)
            excess[case, step] = fallen - unponded - more
            depth += unponded + more
            taken += unponded + more
        infiltrated[case], dry[case] = depth, dry_time
        loss[case] = taken


@njit(cache=True, nogil=True)
def _horton_depth(time, first, last, decay):
    """Depth that infiltrates in a time under ponding from the start."""
    return last * time - (first - last) / decay * math.expm1(-decay * time)


@njit(cache=True, nogil=True)
def _horton_time(depth, first, last, decay):
    """The time in which a depth infiltrates under ponding from the start, by Newton's search from below.

    The depth is a concave function of the time, so that each turn stays below the root.
    """
    if last <= 0.0:
        whole = (first - last) / decay
        return -math.log1p(-depth / whole) / decay if depth < whole else math.inf
    time = depth / first if first > 0.0 else 0.0
    for _ in range(MOST_TURNS):
        misfit = depth - _horton_depth(time, first, last, decay)
        change = misfit / (last + (first - last) * math.exp(-decay * time))
        time += change
        if abs(change) <= EXACT * max(time, 1e-300):
            break
    return time


@njit(cache=True, nogil=True)
def fill_depressions(excess, capacity, held):
    """Take from excess (case, step) what fills depressions of a ``capacity`` mm, once; ``held`` is what they hold."""
    cases, steps = excess.shape
    for case in range(cases):
        room = capacity - held[case]
        for step in range(steps):
            if room <= 0.0:
                break
            taken = min(excess[case, step], room)
            excess[case, step] -= taken
            room -= taken
        held[case] = capacity - room
