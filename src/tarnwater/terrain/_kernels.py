"""Compiled loops over a padded, flattened grid.

A grid of (rows, columns) is held in a flat array of (rows + 2) x (columns + 2), so that the
neighbours of a cell are fixed offsets and no loop tests for the edge. ``kind`` is 0 on the ground,
1 in a void that takes water (outside the grid, and holes that are outlets), 2 in a void that is a
wall. Directions are 0 to 7 in the order of ``offset`` (E, S, W, N, SE, SW, NW, NE: which is also
how equal slopes are decided), OUT where the water leaves the grid, PIT where it goes nowhere,
VOID off the ground. ``cancelled`` is checked once in each row.
"""

import numpy as np
from numba import njit, prange

OUT = 8
PIT = 9
VOID = 10
GROUND = 0
OPEN = 1
DONE = 255
DONE_LATER = 254
NO_RANK = -(1 << 30)
FORWARD = 0b00110011  # E, S, SE, SW: each pair of neighbours once
ROW_STEP = (0, 1, 0, -1, 1, 1, -1, -1)
COLUMN_STEP = (1, 0, -1, 0, 1, -1, -1, 1)


@njit(cache=True, nogil=True, parallel=True)
def steepest_descent(z, kind, offset, reciprocal, width, direction, cancelled):
    """Write the direction of the steepest fall of each ground cell.

    The outer loop is over the neighbours and the inner one over a row, which the compiler turns into vector
    instructions.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        start = row * width + 1
        count = width - 2
        best = np.zeros(count)
        way = np.full(count, PIT, np.int8)
        here = z[start : start + count]
        for k in range(8):
            near = z[start + offset[k] : start + offset[k] + count]
            scale = reciprocal[k]
            for at in range(count):
                fall = (np.float64(here[at]) - np.float64(near[at])) * scale
                # selections instead of branches, and strictly greater: the first of equal slopes stays
                steeper = fall > best[at]
                best[at] = fall if steeper else best[at]
                way[at] = k if steeper else way[at]
        for at in range(count):
            if kind[start + at] != GROUND:
                continue
            # only a cell without a lower neighbour drains over the edge
            if way[at] == PIT:
                for k in range(8):
                    if kind[start + at + offset[k]] == OPEN:
                        way[at] = OUT
            direction[start + at] = way[at]


@njit(cache=True, nogil=True, parallel=True)
def prefer_lower_ground(z, raw, offset, reciprocal, width, direction, cancelled):
    """Of equally steep ways into a filled depression take that to the lowest raw ground.

    Around a depression many ways are equally steep, since its water is level. The ground below tells them apart,
    however the grid lies; the order of the directions would not.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        start = row * width + 1
        for at in range(width - 2):
            cell = start + at
            way = direction[cell]
            if way >= OUT:
                continue
            depth = np.float64(raw[row - 1 + ROW_STEP[way], at + COLUMN_STEP[way]])
            if not np.float64(z[cell + offset[way]]) > depth:
                continue
            fall = (np.float64(z[cell]) - np.float64(z[cell + offset[way]])) * reciprocal[way]
            for k in range(way + 1, 8):
                if (np.float64(z[cell]) - np.float64(z[cell + offset[k]])) * reciprocal[k] == fall:
                    bottom = np.float64(raw[row - 1 + ROW_STEP[k], at + COLUMN_STEP[k]])
                    if bottom < depth:
                        depth = bottom
                        direction[cell] = k


@njit(cache=True, nogil=True)
def number_pits(z, direction, offset, width, basin, queue, cancelled):
    """Number the pits from 1, with one number for each level plateau; cells that drain out belong to 0."""
    count = 0
    rows = z.size // width
    for row in range(1, rows - 1):
        if cancelled[0]:
            return count
        for cell in range(row * width + 1, row * width + width - 1):
            if direction[cell] == OUT:
                basin[cell] = 0
            elif direction[cell] == PIT and basin[cell] < 0:
                count += 1
                basin[cell] = count
                queue[0] = cell
                head, tail = 0, 1
                while head < tail:
                    here = queue[head]
                    head += 1
                    for k in range(8):
                        near = here + offset[k]
                        if direction[near] == PIT and basin[near] < 0 and z[near] == z[here]:
                            basin[near] = count
                            queue[tail] = near
                            tail += 1
    return count


@njit(cache=True, nogil=True)
def count_of(direction, value):
    """Number of cells with a direction."""
    count = 0
    for cell in range(direction.size):
        if direction[cell] == value:
            count += 1
    return count


@njit(cache=True, nogil=True, parallel=True)
def follow_down(direction, offset, width, label, cancelled):
    """Give every unlabelled cell (-1) the label of the first labelled cell down its path.

    Rows are done in parallel; two threads on one path write the same label.
    """
    rows = direction.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            if label[cell] >= 0 or direction[cell] == VOID:
                continue
            here = cell
            while label[here] < 0 and direction[here] < OUT:
                here = here + offset[direction[here]]
            found = label[here]
            if found < 0:
                found = 0
                label[here] = 0
            here = cell
            while label[here] < 0:
                label[here] = found
                here = here + offset[direction[here]]


@njit(cache=True, nogil=True, parallel=True)
def mark_passes(z, basin, width, offset, beside, passes, counts, cancelled):
    """Mark where basins meet, with a bit for each direction in which a lower cell of another basin lies.

    Left out are passes beside which a lower one joins the same two basins: ``beside`` turns the
    bits of lower neighbours in the own basin into the bits of the neighbours that they touch.
    Voids that take water are in basin 0, the outside, and lower than any ground; walls are in -1.
    """
    rows = basin.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        start = row * width + 1
        count = width - 2
        here, level = basin[start : start + count], z[start : start + count]
        own, lower, even = np.zeros(count, np.uint8), np.zeros(count, np.uint8), np.zeros(count, np.uint8)
        for k in range(8):
            bit = np.uint8(1 << k)
            none = np.uint8(0)
            there = basin[start + offset[k] : start + offset[k] + count]
            height = z[start + offset[k] : start + offset[k] + count]
            for c in range(count):
                # no other height is lower
                falls = not height[c] >= level[c]
                other = there[c] != here[c] and there[c] >= 0
                own[c] |= bit if falls and there[c] == here[c] else none
                lower[c] |= bit if falls and other else none
                even[c] |= bit if height[c] == level[c] and other else none
        found = 0
        for c in range(count):
            # a level pair of cells is one pass: it is marked from one of its two sides
            marks = (lower[c] & ~beside[own[c]]) | (even[c] & FORWARD)
            if marks == 0 or np.isnan(level[c]):
                continue
            # of several ways into one basin the first is enough; a cell seldom meets more than two basins
            seen_a = seen_b = -1
            for k in range(8):
                if marks >> k & 1:
                    there_k = basin[start + c + offset[k]]
                    if there_k in (seen_a, seen_b):
                        marks ^= 1 << k
                        continue
                    seen_b = seen_a
                    seen_a = there_k
                    found += 1
            passes[start + c] = marks
        counts[row] = found


@njit(cache=True, nogil=True, parallel=True)
def list_passes(z, basin, width, offset, passes, first, one, other, height, cancelled):
    """List the marked passes: the two basins, and the height of water needed to cross."""
    rows = basin.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        at = first[row]
        for cell in range(row * width + 1, row * width + width - 1):
            marks = passes[cell]
            k = 0
            while marks:
                if marks & 1:
                    one[at] = basin[cell]
                    other[at] = basin[cell + offset[k]]
                    height[at] = z[cell]
                    at += 1
                marks >>= 1
                k += 1


@njit(cache=True, nogil=True)
def _root(parent, node):
    while parent[node] != node:
        parent[node] = parent[parent[node]]
        node = parent[node]
    return node


@njit(cache=True, nogil=True)
def spanning_passes(one, other, height, count, cancelled):
    """Passes that connect the basins from the lowest up: a minimum spanning tree (Boruvka 1926).

    In each round every group of basins takes its lowest pass; joined groups become one. Of equal passes the first is
    used. The filled surface does not depend on any other pass.
    """
    a, b = one.copy(), other.copy()
    index = np.arange(one.size, dtype=np.int32)
    chosen = np.empty(count, np.int64)
    found = 0
    size = one.size
    groups = count
    while size > 0 and not cancelled[0]:
        lowest = np.full(groups, -1, np.int32)
        least = np.empty(groups, height.dtype)
        for at in range(size):
            h = height[index[at]]
            if lowest[a[at]] < 0 or h < least[a[at]]:
                lowest[a[at]], least[a[at]] = at, h
            if lowest[b[at]] < 0 or h < least[b[at]]:
                lowest[b[at]], least[b[at]] = at, h
        # two groups may choose the same pass: it is then taken once
        parent = np.arange(groups, dtype=np.int32)
        for g in range(groups):
            at = lowest[g]
            if at < 0:
                continue
            x, y = _root(parent, a[at]), _root(parent, b[at])
            if x != y:
                parent[x] = y
                chosen[found] = index[at]
                found += 1
        # the joined groups are numbered from 0 again, so that the arrays shrink with each round
        number = np.full(groups, -1, np.int32)
        joined = np.empty(groups, np.int32)
        named = 0
        for g in range(groups):
            root = _root(parent, g)
            if number[root] < 0:
                number[root] = named
                named += 1
            joined[g] = number[root]
        # passes within a group join nothing more
        kept = 0
        for at in range(size):
            x, y = joined[a[at]], joined[b[at]]
            if x != y:
                a[kept], b[kept], index[kept] = x, y, index[at]
                kept += 1
        size = kept
        groups = named
    return chosen[:found]


@njit(cache=True, nogil=True)
def flood_basins(order, one, other, height, level):
    """Raise the water levels of the basins, over the passes from the lowest up.

    Basins joined by a pass have one water body. When it reaches the outside (basin 0), every basin in it gets the
    height of that pass: the lowest maximum on any way out, which is what a priority flood over the cells finds.
    """
    count = level.size
    parent = np.arange(count, dtype=np.int32)
    last = np.arange(count, dtype=np.int32)
    following = np.full(count, -1, np.int32)
    for index in order:
        a = _root(parent, one[index])
        b = _root(parent, other[index])
        if a == b:
            continue
        # members of a water body are a linked list, so that all of them get their level at once
        outside = _root(parent, 0)
        if b == outside:
            a, b = b, a
        if a == outside:
            member = b
            while member >= 0:
                level[member] = height[index]
                member = following[member]
            parent[b] = a
        else:
            parent[b] = a
            following[last[a]] = b
            last[a] = last[b]


@njit(cache=True, nogil=True, parallel=True)
def raise_to_level(z, kind, basin, level, width, cancelled):
    """Fill every cell to the water level of its basin, in place."""
    rows = z.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            if kind[cell] == GROUND and level[basin[cell]] > z[cell]:
                z[cell] = level[basin[cell]]


@njit(cache=True, nogil=True, parallel=True)
def mark_flats(z, direction, offset, width, level_with, seed, cancelled):
    """Mark, for each cell without a direction, its level neighbours without one, one bit for each direction.

    ``seed`` gets bit 1 where a level neighbour drains, and bit 2 where a neighbour is higher.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            if direction[cell] != PIT:
                continue
            level = 0
            mark = 0
            for k in range(8):
                near = cell + offset[k]
                if z[near] > z[cell]:
                    mark |= 2
                elif z[near] == z[cell]:
                    if direction[near] == PIT:
                        level |= 1 << k
                    else:
                        mark |= 1
            level_with[cell] = level
            seed[cell] = mark


@njit(cache=True, nogil=True, parallel=True)
def spread_both(seed, level_with, offset, width, fronts, low, high, cancelled):
    """Steps from draining cells and from higher ground, in parallel."""
    for which in prange(2):
        if which == 0:
            spread_steps(seed, 1, level_with, offset, width, fronts[0], low, cancelled)
        else:
            spread_steps(seed, 2, level_with, offset, width, fronts[1], high, cancelled)


@njit(cache=True, nogil=True)
def spread_steps(seed, bit, level_with, offset, width, front, steps, cancelled):
    """Write into ``steps`` (zeros) the distance in cells of each flat cell from a seed with this bit, from 1."""
    rows = seed.size // width
    end = 0
    for row in range(1, rows - 1):
        for cell in range(row * width + 1, row * width + width - 1):
            if seed[cell] & bit:
                steps[cell] = 1
                front[end] = cell
                end += 1
    at = 0
    while at < end:
        if (at & 0xFFFF) == 0 and cancelled[0]:
            return
        here = front[at]
        at += 1
        level = level_with[here]
        following = steps[here] + 1
        k = 0
        while level:
            if level & 1:
                near = here + offset[k]
                if steps[near] == 0:
                    steps[near] = following
                    front[end] = near
                    end += 1
            level >>= 1
            k += 1


@njit(cache=True, nogil=True, parallel=True)
def rank_flats(low, high, rank, cancelled):
    """Write the rank 2 low - high of flat cells; that of other cells is ``NO_RANK``, less than any."""
    for cell in prange(low.size):
        if cancelled[0]:
            continue
        rank[cell] = 2 * low[cell] - high[cell] if low[cell] > 0 else NO_RANK


@njit(cache=True, nogil=True, parallel=True)
def direct_flats(z, raw, direction, offset, width, level_with, seed, low, high, cancelled):
    """Direct flat cells to a draining level neighbour, or down the rank 2 low - high.

    ``low`` counts the steps from draining cells and ``high`` those from higher ground. Of equal ways that to the
    lowest ``raw`` ground is used, before the order of the directions: under the water of a filled depression the
    ground still tells the ways apart. Cells without a way to a draining one remain pits.
    """
    rows = direction.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            if direction[cell] != PIT or low[cell] == 0:
                continue
            way = PIT
            least = NO_RANK if seed[cell] & 1 else 2 * low[cell] - high[cell]
            depth = np.inf
            for k in range(8):
                near = cell + offset[k]
                flat = level_with[cell] >> k & 1
                if seed[cell] & 1:
                    # beside a draining neighbour the flat ones are not asked
                    if flat or z[near] != z[cell]:
                        continue
                    rank = NO_RANK
                else:
                    if not flat:
                        continue
                    rank = 2 * low[near] - high[near]
                    if rank > least or (rank == least and way == PIT):
                        continue
                bottom = np.float64(raw[row - 1 + ROW_STEP[k], cell - row * width - 1 + COLUMN_STEP[k]])
                if rank < least or bottom < depth:
                    least, depth, way = rank, bottom, k
            direction[cell] = way


@njit(cache=True, nogil=True, parallel=True)
def count_inflows(direction, offset, width, inflows, cancelled):
    """Count the neighbours that drain into each cell."""
    rows = direction.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        start = row * width + 1
        count = width - 2
        found = inflows[start : start + count]
        for k in range(8):
            # within each group of four the opposite direction stands two places on
            opposite = (k & 4) + ((k + 2) & 3)
            near = direction[start + offset[k] : start + offset[k] + count]
            for c in range(count):
                found[c] += near[c] == opposite


@njit(cache=True, nogil=True)
def _accumulate_down(cell, first, end, mark, direction, offset, inflows, area):
    """Go down from a cell with all its inflows, as far as all inflows are known, within a band."""
    here = cell
    while inflows[here] == 0:
        inflows[here] = mark
        area[here] += 1
        if direction[here] >= OUT:
            return
        below = here + offset[direction[here]]
        if below < first or below >= end:
            return
        area[below] += area[here]
        inflows[below] -= 1
        here = below


@njit(cache=True, nogil=True, parallel=True)
def accumulate(direction, offset, width, inflows, area, bands, cancelled):
    """Sum, from the ridges down, the cells that drain through each cell, itself included.

    Bands of rows are summed in parallel as far as they do not depend on each other; then the flow from one into the
    next is carried down.
    """
    rows = direction.size // width
    for band in prange(bands):
        top, bottom = 1 + (rows - 2) * band // bands, 1 + (rows - 2) * (band + 1) // bands
        for row in range(top, bottom):
            if cancelled[0]:
                break
            for cell in range(row * width + 1, row * width + width - 1):
                if direction[cell] != VOID and inflows[cell] == 0:
                    _accumulate_down(cell, top * width, bottom * width, DONE, direction, offset, inflows, area)
    for band in range(1, bands):
        edge = (1 + (rows - 2) * band // bands) * width
        for cell in range(edge - width, edge + width):
            if inflows[cell] != DONE or direction[cell] >= OUT:
                continue
            below = cell + offset[direction[cell]]
            if (below < edge) != (cell < edge):
                area[below] += area[cell]
                inflows[below] -= 1
                _accumulate_down(below, 0, direction.size, DONE_LATER, direction, offset, inflows, area)


@njit(cache=True, nogil=True, parallel=True)
def mark_equal_ways(z, direction, rank, offset, reciprocal, width, label, ways, cancelled):
    """Mark, with a bit for each direction, the ways that are as good as the direction of a cell, within its label.

    On a slope these are the neighbours of exactly equal, steepest fall. On a flat they are the level neighbours that
    drain if there are any, else those of the least rank. A cell at the foot of its label has none.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            way = direction[cell]
            if label[cell] <= 0 or way >= OUT or label[cell + offset[way]] != label[cell]:
                continue
            fall = (np.float64(z[cell]) - np.float64(z[cell + offset[way]])) * reciprocal[way]
            goal = cell + offset[way]
            bits = 1 << way
            for k in range(8):
                near = cell + offset[k]
                if label[near] != label[cell]:
                    continue
                if fall > 0.0:
                    equal = (np.float64(z[cell]) - np.float64(z[near])) * reciprocal[k] == fall
                else:
                    equal = z[near] == z[cell] and rank[near] == rank[goal]
                if equal:
                    bits |= 1 << k
            ways[cell] = bits


@njit(cache=True, nogil=True)
def shortest_down(ways, offset, length, label, distance, stack, cancelled):
    """Write the shortest distance, over equal ways, from each labelled cell to the foot of its label.

    ``distance`` starts as NaN. A cell waits on the stack until all ways below it are known; they lead down or to
    a lower rank, so that there is no circle.
    """
    for cell in range(ways.size):
        if label[cell] <= 0 or not np.isnan(distance[cell]):
            continue
        if cell & 0xFFFF == 0 and cancelled[0]:
            return
        stack[0] = cell
        depth = 1
        while depth > 0:
            here = stack[depth - 1]
            bits = ways[here]
            best = 0.0 if bits == 0 else np.inf
            k = 0
            while bits:
                if bits & 1:
                    below = here + offset[k]
                    if np.isnan(distance[below]):
                        stack[depth] = below
                        depth += 1
                        best = np.nan
                        break
                    best = min(best, distance[below] + length[k])
                bits >>= 1
                k += 1
            if not np.isnan(best):
                distance[here] = best
                depth -= 1


@njit(cache=True, nogil=True)
def strahler_order(cells, direction, offset, order, branches):
    """Write the Strahler order of stream cells, given from the heads down; ``order`` starts as zeros.

    ``branches`` counts the inflows of the greatest order so far.
    """
    for cell in cells:
        if order[cell] == 0:
            order[cell] = 1
        elif branches[cell] > 1:
            order[cell] += 1
        way = direction[cell]
        if way >= OUT:
            continue
        below = cell + offset[way]
        if order[cell] > order[below]:
            order[below] = order[cell]
            branches[below] = 1
        elif order[cell] == order[below]:
            branches[below] += 1


@njit(cache=True, nogil=True)
def trace_lines(starts, direction, offset, into, path, first):
    """Follow each start down to the next cell with several ``into`` it.

    ``path`` gets the cells and ``first`` where each begins.
    """
    at = 0
    for line in range(starts.size):
        first[line] = at
        here = starts[line]
        path[at] = here
        at += 1
        while direction[here] < OUT:
            here = here + offset[direction[here]]
            path[at] = here
            at += 1
            if into[here] > 1:
                break
    first[starts.size] = at


@njit(cache=True, nogil=True)
def _one_sided(z, kind, middle, step, size):
    """Fall per unit length across a cell, from both neighbours ``step`` away or from the one that exists.

    Returns the fall and 1, or 0 and 0 where there is none.
    """
    before, after = middle - step, middle + step
    has_before, has_after = kind[before] == GROUND, kind[after] == GROUND
    if has_before and has_after:
        return (np.float64(z[after]) - np.float64(z[before])) / (2.0 * size), 1.0
    if kind[middle] != GROUND:
        return 0.0, 0.0
    if has_after:
        return (np.float64(z[after]) - np.float64(z[middle])) / size, 1.0
    if has_before:
        return (np.float64(z[middle]) - np.float64(z[before])) / size, 1.0
    return 0.0, 0.0


@njit(cache=True, nogil=True, parallel=True)
def horn_slope(z, kind, width, dx, dy, slope):
    """Slope by Horn's weights, m/m.

    The mean of three differences across and of three along, the middle one with double weight.

    Beside the edge and voids a one-sided difference is used, and an impossible one is left out, so that a plane has
    its slope in every cell.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        for cell in range(row * width + 1, row * width + width - 1):
            if kind[cell] != GROUND:
                continue
            whole = True
            for side in range(-1, 2):
                above = cell + side * width
                whole &= kind[above - 1] == GROUND and kind[above] == GROUND and kind[above + 1] == GROUND
            if whole:
                # nearly every cell: the same sums without looking at each neighbour again
                up, down = cell - width, cell + width
                nw, ne, sw, se = (
                    np.float64(z[up - 1]),
                    np.float64(z[up + 1]),
                    np.float64(z[down - 1]),
                    np.float64(z[down + 1]),
                )
                n, s, w, e = np.float64(z[up]), np.float64(z[down]), np.float64(z[cell - 1]), np.float64(z[cell + 1])
                east = (ne - nw) / (2.0 * dx) + 2.0 * ((e - w) / (2.0 * dx)) + (se - sw) / (2.0 * dx)
                north = (sw - nw) / (2.0 * dy) + 2.0 * ((s - n) / (2.0 * dy)) + (se - ne) / (2.0 * dy)
                slope[cell] = np.hypot(east / 4.0, north / 4.0)
                continue
            east = north = east_weight = north_weight = 0.0
            for side in range(-1, 2):
                weight = 2.0 - abs(side)
                fall, there = _one_sided(z, kind, cell + side * width, 1, dx)
                east += weight * fall
                east_weight += weight * there
                fall, there = _one_sided(z, kind, cell + side, width, dy)
                north += weight * fall
                north_weight += weight * there
            if east_weight > 0.0:
                east /= east_weight
            if north_weight > 0.0:
                north /= north_weight
            slope[cell] = np.hypot(east, north)


@njit(cache=True, nogil=True, parallel=True)
def shade(heights, dx, dy, east, north, up, light):
    """Lambert's law on the surface normal; one-sided slopes beside the edge and the voids."""
    rows, columns = heights.shape
    for row in prange(rows):
        above, below = max(row - 1, 0), min(row + 1, rows - 1)
        for column in range(columns):
            here = heights[row, column]
            if here != here:
                light[row, column] = 0
                continue
            left, right = max(column - 1, 0), min(column + 1, columns - 1)
            west, east_of = heights[row, left], heights[row, right]
            north_of, south = heights[above, column], heights[below, column]
            wide, tall = (right - left) * dx, (below - above) * dy
            if west != west:
                west, wide = here, wide - dx
            if east_of != east_of:
                east_of, wide = here, wide - dx
            if north_of != north_of:
                north_of, tall = here, tall - dy
            if south != south:
                south, tall = here, tall - dy
            a = (east_of - west) / wide if wide > 0 else 0.0
            b = (north_of - south) / tall if tall > 0 else 0.0
            lit = (up - a * east - b * north) / (1.0 + a * a + b * b) ** 0.5
            light[row, column] = np.uint8(1 + 254 * min(max(lit, 0.0), 1.0))


@njit(cache=True, nogil=True)
def measure_hollows(filled, raw, width, offset, seen, stack, size, volume, deepest, cancelled):
    """Measure each connected set of cells that filling covered, in the order of its first cell; returns how many.

    ``filled`` is padded and flat, ``raw`` (rows, columns). Written for each: its cells, the sum of its
    depths, and its deepest cell (the first of equals).
    """
    rows, columns = raw.shape
    count = 0
    for row in range(rows):
        if cancelled[0]:
            return count
        for column in range(columns):
            start = (row + 1) * width + column + 1
            if seen[start] or not filled[start] > raw[row, column]:
                continue
            # the arrays have room for a hollow in each filled cell; a wrong size must not write beyond them
            if count == size.size:
                return -1
            seen[start] = 1
            stack[0] = start
            top, cells, total, most, at = 1, 0, 0.0, 0.0, start
            while top:
                top -= 1
                here = stack[top]
                # one hollow may be the whole grid
                if cells & 0xFFFF == 0 and cancelled[0]:
                    return count
                # float64: the sum of many small depths in float32 would lose water
                depth = np.float64(filled[here]) - np.float64(raw[here // width - 1, here % width - 1])
                cells += 1
                total += depth
                if depth > most or (depth == most and here < at):
                    most, at = depth, here
                for k in range(8):
                    near = here + offset[k]
                    r, c = near // width - 1, near % width - 1
                    if seen[near] or r < 0 or c < 0 or r >= rows or c >= columns:
                        continue
                    if filled[near] > raw[r, c]:
                        seen[near] = 1
                        stack[top] = near
                        top += 1
            size[count], volume[count], deepest[count] = cells, total, at
            count += 1
    return count


@njit(cache=True, nogil=True)
def _before(one_cost, one, other_cost, other, level, came):
    """Whether an entry leaves the heap before another: at less cost, then lower, then the first that came."""
    if one_cost != other_cost:
        return one_cost < other_cost
    if level[one] != level[other]:
        return level[one] < level[other]
    return came[one] < came[other]


@njit(cache=True, nogil=True)
def _sift_up(heap, price, at, level, came):
    """Move an entry of a binary heap up to its place; ``price`` has the costs beside the entries."""
    entry, cost = heap[at], price[at]
    while at > 0:
        above = (at - 1) >> 1
        if not _before(cost, entry, price[above], heap[above], level, came):
            break
        heap[at], price[at] = heap[above], price[above]
        at = above
    heap[at], price[at] = entry, cost


@njit(cache=True, nogil=True)
def _sift_down(heap, price, size, level, came):
    """Move the first entry of a binary heap down to its place."""
    entry, cost = heap[0], price[0]
    at = 0
    while 2 * at + 1 < size:
        below = 2 * at + 1
        if below + 1 < size and _before(price[below + 1], heap[below + 1], price[below], heap[below], level, came):
            below += 1
        if not _before(price[below], heap[below], cost, entry, level, came):
            break
        heap[at], price[at] = heap[below], price[below]
        at = below
    heap[at], price[at] = entry, cost


@njit(cache=True, nogil=True)
def first_of_pits(basin, direction, count):
    """The first cell of each numbered pit, (count,)."""
    first = np.full(count + 1, -1, np.int32)
    for cell in range(basin.size):
        if direction[cell] == PIT and first[basin[cell]] < 0:
            first[basin[cell]] = cell
    return first[1:]


#: Cells around a pit in which its way out is sought first: the arrays of this window stay in the cache.
_NEAR = 24

#: What a search finds where it comes to the edge of its window.
_AT_EDGE = -2


@njit(cache=True, nogil=True)
def _window(reach):
    """Arrays of a window of ``reach`` cells around a pit: stamp, done, back, cost, far, level, came, heap and price."""
    size = (2 * reach + 1) ** 2
    # a cell enters the heap at most once from each neighbour; costs lie beside the entries, to be compared at once
    return (
        np.zeros(size, np.int32), np.zeros(size, np.uint8), np.empty(size, np.int8), np.empty(size), np.empty(size),
        np.empty(size), np.empty(size, np.int32), np.empty(8 * size + 1, np.int32), np.empty(8 * size + 1),
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _way_out(pit, mark, z, raw, kind, barred, direction, length, width, deepest, longest, reach, window, last):
    """Position in the window of the cell at which the least-cost way from a pit ends, -1 if there is none.

    A search that comes to the edge of a window that is not the ``last`` ends with `_AT_EDGE`. A cell counts as seen
    only with ``mark`` as its stamp, so that nothing has to be cleared between two pits.
    """
    stamp, done, back, cost, far, level, came, heap, price = window
    side = 2 * reach + 1
    start = reach * side + reach
    bottom = np.float64(z[pit])
    corner = pit - reach * width - reach
    # row and column in the grid of the first cell of the window; the padded one has a row and a column more
    top, left = pit // width - 1 - reach, pit % width - 1 - reach
    stamp[start], done[start], back[start] = mark, 0, -1
    cost[start] = far[start] = 0.0
    level[start], came[start] = bottom, 0
    heap[0], price[0] = start, 0.0
    filling, entered = 1, 0
    while filling > 0:
        here = heap[0]
        filling -= 1
        heap[0], price[0] = heap[filling], price[filling]
        _sift_down(heap, price, filling, level, came)
        if done[here]:
            continue
        done[here] = 1
        r, c = here // side, here % side
        cell = corner + r * width + c
        if z[cell] < bottom or direction[cell] == OUT:
            return here
        if r == 0 or c == 0 or r == side - 1 or c == side - 1:
            if last:
                continue
            return _AT_EDGE
        for k in range(8):
            near = cell + ROW_STEP[k] * width + COLUMN_STEP[k]
            if kind[near] == OPEN:
                return here
            if kind[near] != GROUND or barred[near]:
                continue
            if np.float64(raw[top + r + ROW_STEP[k], left + c + COLUMN_STEP[k]]) - bottom > deepest:
                continue
            there = far[here] + length[k]
            if there > longest:
                continue
            other = here + ROW_STEP[k] * side + COLUMN_STEP[k]
            total = cost[here] + max(np.float64(z[near]) - bottom, 0.0) * length[k]
            if stamp[other] == mark and (done[other] or total >= cost[other]):
                continue
            entered += 1
            stamp[other], done[other], back[other] = mark, 0, k
            cost[other], far[other], level[other], came[other] = total, there, z[near], entered
            heap[filling], price[filling] = other, total
            filling += 1
            _sift_up(heap, price, filling - 1, level, came)
    return -1


@njit(cache=True, nogil=True)
def _cut_channel(pit, goal, z, raw, width, deepest, reach, window, channel, cut):
    """Cut the channel from a pit to the end of its way, from the foot up.

    It falls evenly to its foot, except where this would go deeper than the limit below ``raw``.
    """
    back, far = window[2], window[4]
    side = 2 * reach + 1
    start = reach * side + reach
    corner = pit - reach * width - reach
    bottom = np.float64(z[pit])
    count = 0
    here = goal
    while here != start:
        channel[count] = here
        count += 1
        here -= ROW_STEP[back[here]] * side + COLUMN_STEP[back[here]]
    total = far[goal]
    foot = min(np.float64(z[corner + goal // side * width + goal % side]), bottom)
    # from the foot up to the pit, so that the bed, once held up by the limit of depth, never falls again
    bed = foot
    for at in range(count):
        here = channel[at]
        cell = corner + here // side * width + here % side
        even = bottom + (foot - bottom) * far[here] / total
        ground = np.float64(raw[cell // width - 1, cell % width - 1])
        bed = min(max(bed, even, ground - deepest), bottom)
        if z[cell] > bed:
            cut[0] += np.float64(z[cell]) - bed
            z[cell] = bed
            if ground - bed > cut[1]:
                cut[1], cut[2] = ground - bed, cell


@njit(cache=True, nogil=True)
def breach_pits(pits, z, raw, kind, barred, direction, length, width, deepest, longest, reach, cut, cancelled):
    """Cut a least-cost channel from each pit to lower ground, where the limits allow one; returns how many.

    The search (Dijkstra 1959) goes from the pit over its neighbours. A cell costs its height above the pit times the
    length of the step, the area to be cut out. The search ends at the first cell that is lower than the pit, or from
    which the water leaves. Cells more than ``deepest`` above the pit, ``barred`` ones, and paths longer than
    ``longest`` are not entered. Depth counts from ``raw``, the ground before any change.

    The search works in a window of ``reach`` cells around the pit; at first in a small one, in which most end.
    ``cut`` gets the sum of all depths cut, the greatest depth below ``raw``, and its cell.
    """
    close = min(_NEAR, reach)
    small, large = _window(close), _window(reach)
    channel = np.empty((2 * reach + 1) ** 2, np.int64)
    made = 0
    for number in range(pits.size):
        if cancelled[0]:
            return made
        pit, mark, reached, window = pits[number], number + 1, close, small
        goal = _way_out(
            pit, mark, z, raw, kind, barred, direction, length, width, deepest, longest, close, small, close == reach
        )
        if goal == _AT_EDGE:
            reached, window = reach, large
            goal = _way_out(
                pit, mark, z, raw, kind, barred, direction, length, width, deepest, longest, reach, large, True
            )
        # a way without a cut is a flat that drains by itself
        if goal < 0 or window[3][goal] == 0.0:
            continue
        _cut_channel(pit, goal, z, raw, width, deepest, reached, window, channel, cut)
        made += 1
    return made


@njit(cache=True, nogil=True)
def fall_to_lower(cells, below, z, direction, offset, length, slope):
    """Write for each cell the fall to the first lower cell down its path over the length of the way to it.

    ``cells`` are ordered from the outlet up, so that on a flat the way of the next cell down is known already; only
    below the outlet is it followed. Where nothing lower is reached the slope is 0.
    """
    run = np.zeros(cells.size)
    foot = np.zeros(cells.size)
    for at in range(cells.size):
        here = cells[at]
        level = np.float64(z[here])
        far = 0.0
        if below[at] >= 0:
            far = length[direction[here]]
            lower = np.float64(z[here + offset[direction[here]]])
            if lower >= level:
                far += run[below[at]]
                lower = foot[below[at]]
        else:
            lower = level
            while lower >= level and direction[here] < OUT:
                far += length[direction[here]]
                here = here + offset[direction[here]]
                lower = np.float64(z[here])
        run[at], foot[at] = far, lower
        slope[at] = max(level - lower, 0.0) / far if far > 0 else 0.0


@njit(cache=True, nogil=True)
def add_up_paths(below, own, total):
    """Write for each cell the sum of its own value and of those down its path; cells are ordered from the outlet up."""
    for at in range(own.size):
        total[at] = own[at] + (total[below[at]] if below[at] >= 0 else 0.0)


@njit(cache=True, nogil=True)
def count_above(below, count):
    """Add to each cell the count of those above it; cells are ordered from the outlet up."""
    for at in range(count.size - 1, -1, -1):
        if below[at] >= 0:
            count[below[at]] += count[at]


@njit(cache=True, nogil=True)
def spread_over_bins(first, last, width, found):
    """Add one for each cell to the bins between its first and last time, by the share of its time in each."""
    for at in range(first.size):
        low, high = int(first[at] // width), int(last[at] // width)
        if low == high or last[at] == first[at]:
            found[low] += 1.0
            continue
        whole = last[at] - first[at]
        for part in range(low, high + 1):
            begin, end = max(first[at], part * width), min(last[at], (part + 1) * width)
            found[part] += max(end - begin, 0.0) / whole
