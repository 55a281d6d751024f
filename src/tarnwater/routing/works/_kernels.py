"""Compiled loops of outlet works. C-order float64 throughout."""

import numpy as np
from numba import njit

from tarnwater.routing.works.codes import (
    CONDUIT,
    CREST,
    NOTCH,
    PUMPING,
    RECTANGLE,
    ROUND,
    SHARP,
    SLOPED,
    SOAKING,
    TABLE,
)
from tarnwater.routing.works.device import GRAVITY
from tarnwater.routing.works.orifice import FINE
from tarnwater.routing.works.weir import MODULAR

TWO_G = 2 * GRAVITY

#: Most steps of a search; the spacing of numbers about one.
SEARCHES, EPSILON = 200, 2.0**-52

#: A step of the search, m, after which the next would be lost in rounding: secants square the error, or nearly so.
CLOSE = 1e-10

#: Steps of Newton's method for risers in risers, and the step of its slopes, m.
NEWTON, NEWTON_STEP = 16, 1e-7

#: What is remembered of a device from level to level.
INSIDE, SLOPE, LEVEL, FLOW, FREE_INSIDE = range(5)


@njit(cache=True, nogil=True)
def critical_depths(flows, height, width, found):
    """Critical depths (m) of flows (m3/s) in a barrel: Q² T = g A³ by halves; round where there is no ``width``."""
    for at in range(flows.size):
        low, high, square = 0.0, height, flows[at] * flows[at]
        for _ in range(60):
            middle = 0.5 * (low + high)
            if width > 0.0:
                area, surface = width * middle, width
            else:
                half = np.arccos(min(max(1 - 2 * middle / height, -1.0), 1.0))
                area = height * height / 4 * (half - np.sin(half) * np.cos(half))
                surface = 2 * np.sqrt(middle * (height - middle))
            if square * surface > GRAVITY * area * area * area:
                low = middle
            else:
                high = middle
        found[at] = 0.5 * (low + high)


@njit(cache=True, nogil=True)
def energy_upstream(energy, known, slopes, dx, bed, stations):
    """Energies (tail,) m at the inlet of a barrel, from those at its outlet, in steps of Heun's method.

    ``slopes`` (depth,) are the friction slopes at the energies ``known`` (depth,), which never fall; ``bed`` is the
    rise of the floor over a step ``dx`` (m). The energy never falls below the least known one.
    """
    found = np.empty_like(energy)
    for tail in range(energy.size):
        now = energy[tail]
        for _ in range(stations):
            here = _between(now, known, slopes)
            ahead = _between(now + here * dx - bed, known, slopes)
            now = max(now + 0.5 * (here + ahead) * dx - bed, known[0])
        found[tail] = now
    return found


@njit(cache=True, nogil=True)
def energies_upstream(begun, known, slopes, heads, dx, bed, stations, energies, at_inlet):
    """Energies and velocity heads (tail, flow) m at the inlet of a barrel, from the energies ``begun`` at its outlet.

    ``known``, ``slopes`` and ``heads`` (flow, depth) are those of each flow by its depth.
    """
    for flow in range(known.shape[0]):
        up = energy_upstream(begun[:, flow], known[flow], slopes[flow], dx, bed, stations)
        energies[:, flow] = up
        for tail in range(up.size):
            at_inlet[tail, flow] = _between(up[tail], known[flow], heads[flow])


@njit(cache=True, nogil=True)
def _between(x, known, values):
    """The value at ``x``, linear between the known ones, and the end ones beyond them."""
    # where several are known alike, as at critical depth, the last of them counts
    if x < known[0]:
        return values[0]
    if not x < known[-1]:
        return values[-1]
    low = np.searchsorted(known, x, side="right") - 1
    share = (x - known[low]) / (known[low + 1] - known[low])
    return values[low] + share * (values[low + 1] - values[low])


@njit(cache=True, nogil=True)
def outlet_flows(levels, behind, wanted, codes, numbers, parts, tables, angles, flows, inside):
    """Flows (wanted, level) m3/s of some devices, and levels (device, level) m inside the risers.

    ``parts`` (device, 4) has for each device the first one inside it, the next one beside it, the outlet of a riser
    and the plate over that, −1 for none; ``numbers`` (device, 7) those that its code asks for, and the invert last.
    ``angles`` (2, point) are the shares and the weights of the two quadratures over a round opening.
    """
    # of each device the level inside as it was found last, the slope there, a free flow with its level and that inside
    known = np.full((5, codes.size), np.nan)
    for at in range(levels.size):
        for row in range(wanted.size):
            one = wanted[row]
            flows[row, at] = _through(one, levels[at], behind[at], codes, numbers, parts, tables, angles, known)
        inside[:, at] = known[INSIDE]


@njit(cache=True, nogil=True)
def _through(device, level, behind, codes, numbers, parts, tables, angles, known):
    """Flow (m3/s) by a device between two levels (m); for a riser also the level inside it is found.

    What enters a riser less what leaves it falls as the level inside rises, from nothing that leaves to nothing that
    enters, so there is one root. The search goes by secants from the level found last, which is near as levels come in
    turn, and by halves where a secant would leave the bracket or does not narrow it.
    """
    outlet, plate = parts[device, 2], parts[device, 3]
    if outlet == -1:
        return _remembered(device, level, behind, codes, numbers, tables, angles, known)
    free = behind <= _felt_from(outlet, codes, numbers)
    if free and known[LEVEL, device] == level:
        known[INSIDE, device] = known[FREE_INSIDE, device]
        return known[FLOW, device]
    if _holds_riser(device, parts):
        found = _together(device, level, behind, codes, numbers, parts, tables, angles, known)
        if found >= 0.0:
            return found
    low, high = min(max(behind, numbers[outlet, 6]), level), level
    full = _leaving(outlet, plate, high, behind, codes, numbers, tables, angles)
    if full <= 0.0 or low >= high:
        known[INSIDE, device] = high
        one = parts[device, 0]
        while one != -1:
            # nothing enters, but the risers inside are told their level
            _through(one, level, high, codes, numbers, parts, tables, angles, known)
            one = parts[one, 1]
        return full
    now, slope = known[INSIDE, device], known[SLOPE, device]
    if not low < now < high:
        now, slope = 0.5 * (low + high), np.nan
    before, gained_before, tried_low, halved = np.nan, np.nan, False, high - low
    entering = 0.0
    for turn in range(SEARCHES):
        entering = _alone(device, codes, numbers, level, now, tables, angles)
        one = parts[device, 0]
        while one != -1:
            entering += _through(one, level, now, codes, numbers, parts, tables, angles, known)
            one = parts[one, 1]
        gained = entering - _leaving(outlet, plate, now, behind, codes, numbers, tables, angles)
        if gained > 0.0:
            low = now
        elif gained < 0.0:
            high = now
        if gained == 0.0 or now == low == high:
            break
        if turn > 0 and now != before and gained != gained_before:
            slope = (gained - gained_before) / (now - before)
        before, gained_before = now, gained
        if gained < 0.0 and not tried_low and turn < 2:
            # where nothing enters the level stands at the lower end
            tried_low, now = True, low
            continue
        if tried_low and now == low and gained <= 0.0:
            break
        if high - low <= EPSILON * (abs(low) + abs(high)):
            break
        step = -gained / slope if slope < 0.0 else np.inf
        ahead = now + step
        if not low < ahead < high or (turn % 3 == 2 and high - low > 0.5 * halved):
            ahead = 0.5 * (low + high)
        if turn % 3 == 2:
            halved = high - low
        close = turn > 0 and abs(ahead - now) <= CLOSE
        now = ahead
        if close:
            break
    known[INSIDE, device], known[SLOPE, device] = now, slope
    # where the rating of the outlet jumps at a level, what enters says which of its flows it is
    least = _leaving(outlet, plate, now - 2 * CLOSE, behind, codes, numbers, tables, angles)
    most = _leaving(outlet, plate, now + 2 * CLOSE, behind, codes, numbers, tables, angles)
    found = min(max(entering, least), most)
    if free:
        known[LEVEL, device], known[FLOW, device], known[FREE_INSIDE, device] = level, found, now
    return found


@njit(cache=True, nogil=True)
def _holds_riser(device, parts):
    """Whether a riser is inside another one."""
    one = parts[device, 0]
    while one != -1:
        if parts[one, 2] != -1:
            return True
        one = parts[one, 1]
    return False


@njit(cache=True, nogil=True)
def _together(root, level, behind, codes, numbers, parts, tables, angles, known):
    """Flow (m3/s) by a riser with others inside, all their levels found at once; −1 where that does not succeed.

    A search within a search tries each riser once for every trial of the one around it, which grows with the power of
    the depth. Newton's method on all levels needs a few rounds of all devices instead: riser k balances what enters it
    from the pond and from the risers inside against what it lets out into the one around it, so that its row has
    entries for itself, those inside and the one around. Such a tree is solved from its leaves up, without fill.
    It begins at the levels found last. Where it does not come to rest inside the bounds, as where a flow begins or a
    rating jumps, the searches do it.
    """
    risers, around, count = np.empty(codes.size, np.int64), np.empty(codes.size, np.int64), 1
    risers[0], around[0] = root, -1
    place = 0
    while place < count:
        one = parts[risers[place], 0]
        while one != -1:
            if parts[one, 2] != -1 and _fills(one, level, codes, numbers, parts, tables, angles):
                risers[count], around[count] = one, place
                count += 1
            one = parts[one, 1]
        place += 1
    y = np.empty(count)
    for k in range(count):
        y[k] = known[INSIDE, risers[k]]
        low = numbers[parts[risers[k], 2], 6]
        if not low < y[k] < level:
            return -1.0
    gained, own = np.empty(count), np.empty(count)
    # how the flow out of a riser grows with its level, and with that around it
    outward, held_back, step = np.empty(count), np.empty(count), np.empty(count)
    entering, before = 0.0, np.zeros(count)
    for _turn in range(NEWTON):
        for k in range(count):
            gained[k], ahead = _entering(risers[k], level, y[k], codes, numbers, parts, tables, angles, known)
            own[k] = (ahead - gained[k]) / NEWTON_STEP
        entering = gained[0]
        for k in range(count):
            outlet, plate = parts[risers[k], 2], parts[risers[k], 3]
            beyond = behind if k == 0 else y[around[k]]
            out = _leaving(outlet, plate, y[k], beyond, codes, numbers, tables, angles)
            more = _leaving(outlet, plate, y[k] + NEWTON_STEP, beyond, codes, numbers, tables, angles)
            outward[k] = (more - out) / NEWTON_STEP
            gained[k] -= out
            own[k] -= outward[k]
            if k > 0:
                less = _leaving(outlet, plate, y[k], beyond + NEWTON_STEP, codes, numbers, tables, angles)
                held_back[k] = (less - out) / NEWTON_STEP
                gained[around[k]] += out
                own[around[k]] += held_back[k]
                entering += out if around[k] == 0 else 0.0
        for k in range(count - 1, 0, -1):
            if not own[k] < 0.0:
                return -1.0
            # row k: own step_k − held_back step_around = −gained; the row around has outward step_k
            own[around[k]] += outward[k] * held_back[k] / own[k]
            gained[around[k]] -= outward[k] * gained[k] / own[k]
        if not own[0] < 0.0:
            return -1.0
        part, farthest = 1.0, 0.0
        for k in range(count):
            step[k] = -gained[k] / own[k]
            if k > 0:
                step[k] += held_back[k] * step[around[k]] / own[k]
            # steps that turn about without shrinking go round a bend of a rating: half of one leaves the circle
            if step[k] * before[k] < 0.0 and abs(step[k]) > 0.3 * abs(before[k]):
                part = 0.5
            before[k] = step[k]
        for k in range(count):
            beyond = behind if k == 0 else y[around[k]]
            lowest, ahead = max(beyond, numbers[parts[risers[k], 2], 6]), y[k] + part * step[k]
            # a flow begins like a root of the head: where a step leaves the bounds half of the way to them is gone
            if not ahead < level:
                ahead = 0.5 * (y[k] + level)
            elif not ahead > lowest:
                ahead = 0.5 * (y[k] + lowest)
            if not lowest < ahead < level:
                return -1.0
            farthest = max(farthest, abs(ahead - y[k]))
            y[k] = ahead
        if farthest <= CLOSE:
            for k in range(count):
                known[INSIDE, risers[k]] = y[k]
                _tell_empty(risers[k], level, y[k], codes, numbers, parts, tables, angles, known)
            outlet, plate = parts[root, 2], parts[root, 3]
            least = _leaving(outlet, plate, y[0] - 2 * CLOSE, behind, codes, numbers, tables, angles)
            most = _leaving(outlet, plate, y[0] + 2 * CLOSE, behind, codes, numbers, tables, angles)
            return min(max(entering, least), most)
    return -1.0


@njit(cache=True, nogil=True)
def _fills(riser, level, codes, numbers, parts, tables, angles):
    """Whether anything enters a riser at a level before it, by itself or through those inside; nothing of another."""
    lowest = numbers[parts[riser, 2], 6]
    if level <= lowest:
        return False
    found = _alone(riser, codes, numbers, level, lowest, tables, angles)
    one = parts[riser, 0]
    while one != -1 and found <= 0.0:
        if parts[one, 2] == -1:
            found = _alone(one, codes, numbers, level, lowest, tables, angles)
        elif _fills(one, level, codes, numbers, parts, tables, angles):
            found = 1.0
        one = parts[one, 1]
    return found > 0.0


@njit(cache=True, nogil=True)
def _tell_empty(riser, level, inside, codes, numbers, parts, tables, angles, known):
    """Give the risers inside another one that nothing enters the level around them, or that of their own floor."""
    one = parts[riser, 0]
    while one != -1:
        if parts[one, 2] != -1 and not _fills(one, level, codes, numbers, parts, tables, angles):
            known[INSIDE, one] = min(max(inside, numbers[parts[one, 2], 6]), level)
            _tell_empty(one, level, known[INSIDE, one], codes, numbers, parts, tables, angles, known)
        one = parts[one, 1]


@njit(cache=True, nogil=True)
def _entering(riser, level, inside, codes, numbers, parts, tables, angles, known):
    """Flow (m3/s) that enters a riser from the pond, but not by risers inside it, at a level inside and one higher."""
    higher = inside + NEWTON_STEP
    found = _alone(riser, codes, numbers, level, inside, tables, angles)
    felt = higher > numbers[riser, 6]
    ahead = _alone(riser, codes, numbers, level, higher, tables, angles) if felt else found
    one = parts[riser, 0]
    while one != -1:
        if parts[one, 2] == -1:
            flow = _remembered(one, level, inside, codes, numbers, tables, angles, known)
            found += flow
            felt = higher > _felt_from(one, codes, numbers)
            ahead += _alone(one, codes, numbers, level, higher, tables, angles) if felt else flow
        one = parts[one, 1]
    return found, ahead


@njit(cache=True, nogil=True)
def _felt_from(device, codes, numbers):
    """The level (m) behind a device from which it matters; in a barrel from its outlet, also below its inlet."""
    return numbers[device, 0] if codes[device] == CONDUIT else numbers[device, 6]


@njit(cache=True, nogil=True)
def _remembered(device, level, behind, codes, numbers, tables, angles, known):
    """Flow (m3/s) by a device without others; a free one is worked out once for its level."""
    if behind > _felt_from(device, codes, numbers):
        return _alone(device, codes, numbers, level, behind, tables, angles)
    if known[LEVEL, device] != level:
        known[LEVEL, device] = level
        known[FLOW, device] = _alone(device, codes, numbers, level, behind, tables, angles)
    return known[FLOW, device]


@njit(cache=True, nogil=True)
def _leaving(outlet, plate, inside, behind, codes, numbers, tables, angles):
    """Flow (m3/s) through the outlet of a riser, and the plate over it, from a level inside (m)."""
    if plate == -1:
        return _alone(outlet, codes, numbers, inside, behind, tables, angles)
    low, high = min(max(behind, numbers[outlet, 6]), inside), inside
    while high - low > CLOSE:
        now = 0.5 * (low + high)
        gained = _alone(plate, codes, numbers, inside, now, tables, angles)
        gained -= _alone(outlet, codes, numbers, now, behind, tables, angles)
        if gained > 0.0:
            low = now
        else:
            high = now
    entering = _alone(plate, codes, numbers, inside, 0.5 * (low + high), tables, angles)
    least = _alone(outlet, codes, numbers, low, behind, tables, angles)
    most = _alone(outlet, codes, numbers, high, behind, tables, angles)
    return min(max(entering, least), most)


@njit(cache=True, nogil=True)
def _alone(device, codes, numbers, level, behind, tables, angles):
    """Flow (m3/s) by a device as it stands between two levels (m); for a riser over its crest.

    The numbers of each code:

    ROUND bottom, diameter, coefficient; RECTANGLE bottom, width, height, coefficient;
    SHARP crest, length, coefficient, contractions; BROAD and SLOPED crest, length, coefficient, side slope;
    NOTCH crest, coefficient of H^2.5; CREST crest, weir coefficient, length, coefficient and area of the open top;
    TABLE place in the tables, entries; SOAKING bottom, flow, depth over which it begins; PUMPING stop level, capacity;
    CONDUIT outlet invert, place in the tables, levels behind, flows.
    """
    code = codes[device]
    if code == ROUND:
        return (
            numbers[device, 2] * np.sqrt(TWO_G) * _round(level, behind, numbers[device, 0], numbers[device, 1], angles)
        )
    if code == RECTANGLE:
        base, top = numbers[device, 0], numbers[device, 0] + numbers[device, 2]
        drowned = min(max(min(behind, level), base), top)
        upper = min(max(level, base), top)
        flow = (drowned - base) * np.sqrt(max(level - behind, 0.0))
        flow += (_power_three_halves(level - drowned) - _power_three_halves(level - upper)) / 1.5
        return numbers[device, 3] * numbers[device, 1] * np.sqrt(TWO_G) * flow
    if code == TABLE:
        place, count = int(numbers[device, 0]), int(numbers[device, 1])
        wet = level > behind and level >= tables[place]
        return _in_table(level, tables, place, place + count, count) if wet else 0.0
    if code == SOAKING:
        return numbers[device, 1] * min(max((level - numbers[device, 0]) / numbers[device, 2], 0.0), 1.0)
    if code == PUMPING:
        return numbers[device, 1] if level >= numbers[device, 0] else 0.0
    if code == CONDUIT:
        return _barrel(device, numbers, level, behind, tables)
    return _over_crest(
        device, code, numbers, max(level - numbers[device, 0], 0.0), max(behind - numbers[device, 0], 0.0)
    )


@njit(cache=True, nogil=True)
def _power_three_halves(head):
    """H^1.5 of a head, by a root, which takes a tenth of the time of a power; nothing below zero."""
    return head * np.sqrt(head) if head > 0.0 else 0.0


@njit(cache=True, nogil=True)
def _sharp(ratio):
    """Villemonte's factor (1 − s)^0.385 of a ratio of flows s."""
    return 1.0 if ratio <= 0.0 else (1 - ratio) ** 0.385 if ratio < 1.0 else 0.0


@njit(cache=True, nogil=True)
def _over_crest(device, code, numbers, head, behind):
    """Flow (m3/s) over a crest from the heads before and behind it (m)."""
    if head <= 0.0:
        return 0.0
    ratio = min(behind / head, 1.0)
    length, coefficient, last = numbers[device, 1], numbers[device, 2], numbers[device, 3]
    if code == SHARP:
        at_most = min(head, 6 * length / last) if last > 0.0 else head
        free = coefficient * (length - 0.1 * last * at_most) * _power_three_halves(at_most)
        return free * _sharp(_power_three_halves(ratio))
    if code == NOTCH:
        return length * head * _power_three_halves(head) * _sharp(ratio * _power_three_halves(ratio))
    if code == CREST:
        weir = length * coefficient * _power_three_halves(head) * _sharp(_power_three_halves(ratio))
        return min(weir, last * numbers[device, 4] * np.sqrt(TWO_G * max(head - behind, 0.0)))
    free = coefficient * (length + 0.8 * last * head) * _power_three_halves(head)
    if code == SLOPED:
        return free * _sharp(_power_three_halves(ratio))
    drowned = max(ratio, MODULAR)
    return free * drowned * np.sqrt(1 - drowned) / (MODULAR * np.sqrt(1 - MODULAR))


@njit(cache=True, nogil=True)
def _round(level, behind, bottom, diameter, angles):
    """∫ b(z) √h dz over a round opening (m2.5): its drowned part under one head, the free part by quadrature."""
    top = bottom + diameter
    upper = min(max(level, bottom), top)
    drowned = min(max(min(behind, level), bottom), top)
    flow = 0.0
    if drowned > bottom and level > behind:
        cosine = max(1 - 2 * (drowned - bottom) / diameter, -1.0)
        half = np.pi if drowned >= top else np.arccos(cosine) - cosine * np.sqrt(1 - cosine * cosine)
        flow = diameter * diameter / 4 * half * np.sqrt(level - behind)
    depth = upper - drowned
    if depth <= 0.0:
        return flow
    found = 0.0
    # the roots of the integrand that lie outside of its ends, but near, ask for the finer rule
    near = 0.1 * depth
    rough = 0.0 < top - upper < near or 0.0 < level - upper < near or 0.0 < drowned - bottom < near
    first, last = (0, FINE) if rough else (FINE, angles.shape[1])
    # with z = drowned + depth sin² a both ends of the integrand are smooth
    for point in range(first, last):
        z = drowned + depth * angles[0, point]
        found += angles[1, point] * np.sqrt(max((top - z) * (z - bottom) * (level - z), 0.0))
    return flow + 2 * depth * found


@njit(cache=True, nogil=True)
def barrel_flows(levels, behind, numbers, tables):
    """Flows (level,) m3/s of one conduit, from levels before and behind it (m); ``numbers`` (1, 7) are its own."""
    found = np.empty(levels.size)
    for at in range(levels.size):
        found[at] = _barrel(0, numbers, levels[at], behind[at], tables)
    return found


@njit(cache=True, nogil=True)
def _barrel(device, numbers, level, behind, tables):
    """Flow (m3/s) by a conduit from its ratings at some levels behind it.

    Between two of these the level before it at each flow is interpolated: that is smooth in the level behind, while the
    flow at a level has an end like a root where the two are equal.
    """
    tail = max(behind, numbers[device, 0])
    if level <= max(tail, numbers[device, 6]):
        return 0.0
    place, tails, count = int(numbers[device, 1]), int(numbers[device, 2]), int(numbers[device, 3])
    row = min(max(_place_in(tail, tables, place, tails), 0), max(tails - 2, 0))
    share = 0.0
    if tails > 1:
        less, more = tables[place + row], tables[place + row + 1]
        share = min(max((tail - less) / (more - less), 0.0), 1.0)
    flows = place + tails
    first = flows + count + row * count
    after = first + count if tails > 1 else first
    low, high = -1, count
    while high - low > 1:
        middle = (low + high) // 2
        here = tables[first + middle]
        if here + share * (tables[after + middle] - here) <= level:
            low = middle
        else:
            high = middle
    if low < 0:
        return 0.0
    if low == count - 1:
        return tables[flows + low]
    here = tables[first + low] + share * (tables[after + low] - tables[first + low])
    next_one = tables[first + low + 1] + share * (tables[after + low + 1] - tables[first + low + 1])
    part = (level - here) / (next_one - here)
    return tables[flows + low] + part * (tables[flows + low + 1] - tables[flows + low])


@njit(cache=True, nogil=True)
def _place_in(x, tables, first, count):
    """Position of the last of some rising entries of the tables that is not above ``x``; −1 if all are."""
    low, high = -1, count
    while high - low > 1:
        middle = (low + high) // 2
        if tables[first + middle] <= x:
            low = middle
        else:
            high = middle
    return low


@njit(cache=True, nogil=True)
def _in_table(x, tables, known, values, count):
    """The value at ``x``, linear between entries that begin at ``known`` and ``values``; the ends beyond them."""
    low = _place_in(x, tables, known, count)
    if low < 0 or low == count - 1:
        return tables[values + max(low, 0)]
    share = (x - tables[known + low]) / (tables[known + low + 1] - tables[known + low])
    return tables[values + low] + share * (tables[values + low + 1] - tables[values + low])
