"""Compiled loops over a padded, flattened grid.

A grid of (rows, columns) stands in a flat array of (rows + 2) x (columns + 2), so that the
neighbours of a cell are fixed offsets and no loop tests for the edge. ``kind`` is 0 on the ground,
1 in a void that takes water (outside the grid, and holes that are outlets), 2 in a void that is a
wall. Directions are 0 to 7 in the order of ``offset`` (E, S, W, N, SE, SW, NW, NE: which is also
how equal slopes are decided), OUT where the water leaves the grid, PIT where it goes nowhere,
VOID off the ground. ``cancelled`` is looked at once a row.
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
FORWARD = 0b00110011  # E, S, SE, SW: each pair of neighbours once


@njit(cache=True, nogil=True, parallel=True)
def steepest_descent(z, kind, offset, reciprocal, width, direction, cancelled):
    """Write the direction of the steepest fall of each ground cell.

    The neighbours are the outer loop and a row the inner one, which the compiler turns into
    vector instructions.
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
                steeper = fall > best[at]
                best[at] = fall if steeper else best[at]
                way[at] = k if steeper else way[at]
        for at in range(count):
            if kind[start + at] != GROUND:
                continue
            if way[at] == PIT:
                for k in range(8):
                    if kind[start + at + offset[k]] == OPEN:
                        way[at] = OUT
            direction[start + at] = way[at]


@njit(cache=True, nogil=True)
def number_pits(z, direction, offset, width, basin, queue, cancelled):
    """Number the pits from 1, one number a level plateau; cells that drain out belong to 0."""
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
    """How many cells have this direction."""
    count = 0
    for cell in range(direction.size):
        if direction[cell] == value:
            count += 1
    return count


@njit(cache=True, nogil=True, parallel=True)
def follow_down(direction, offset, width, label, cancelled):
    """Give every unlabelled cell (-1) the label of the first labelled cell down its path.

    Rows run side by side; two threads on one path write the same label.
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
    """Mark where basins meet, a bit for each direction in which a lower cell of another one lies.

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
                # no height is lower than any
                falls = not height[c] >= level[c]
                other = there[c] != here[c] and there[c] >= 0
                own[c] |= bit if falls and there[c] == here[c] else none
                lower[c] |= bit if falls and other else none
                even[c] |= bit if height[c] == level[c] and other else none
        found = 0
        for c in range(count):
            marks = (lower[c] & ~beside[own[c]]) | (even[c] & FORWARD)
            if marks == 0 or np.isnan(level[c]):
                continue
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
    """List the marked passes: the two basins, and the height that water must reach to cross."""
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
    """Which passes span the basins from the lowest up: a least spanning tree (Boruvka 1926).

    In each round every group of basins takes its lowest pass; the groups so joined go on as one.
    Of equal passes the first counts. The filled surface depends on no other pass.
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
        number = np.full(groups, -1, np.int32)
        joined = np.empty(groups, np.int32)
        named = 0
        for g in range(groups):
            root = _root(parent, g)
            if number[root] < 0:
                number[root] = named
                named += 1
            joined[g] = number[root]
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
    """Raise the water in the basins, over the passes from the lowest up.

    Basins joined by a pass share one water. When it meets the outside (basin 0) every basin in it
    stands at the height of that pass: the lowest highest point on any way out, which is what a
    priority flood over the cells finds.
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
    """Mark, for each cell without a direction, its level neighbours without one, a bit a direction.

    ``seed`` gets bit 1 where a level neighbour drains, bit 2 where a neighbour is higher, and from
    bit 4 on the direction of the first level neighbour that drains.
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
                    elif not mark & 1:
                        mark |= 1 | k << 2
            level_with[cell] = level
            seed[cell] = mark


@njit(cache=True, nogil=True, parallel=True)
def spread_both(seed, level_with, offset, width, fronts, low, high, cancelled):
    """Steps from draining cells and from higher ground, side by side."""
    for which in prange(2):
        if which == 0:
            spread_steps(seed, 1, level_with, offset, width, fronts[0], low, cancelled)
        else:
            spread_steps(seed, 2, level_with, offset, width, fronts[1], high, cancelled)


@njit(cache=True, nogil=True)
def spread_steps(seed, bit, level_with, offset, width, front, steps, cancelled):
    """Write into ``steps`` (zeros) how many cells each flat cell is from a seed with this bit, from 1."""
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
def direct_flats(direction, offset, width, level_with, seed, low, high, cancelled):
    """Direct flat cells to a draining level neighbour, or down the rank 2 low - high.

    ``low`` counts the steps from draining cells and ``high`` those from higher ground. Cells with
    no way to a draining one stay pits.
    """
    rows = direction.size // width
    for row in prange(1, rows - 1):
        if cancelled[0]:
            continue
        for cell in range(row * width + 1, row * width + width - 1):
            if direction[cell] != PIT or low[cell] == 0:
                continue
            way = PIT
            if seed[cell] & 1:
                way = seed[cell] >> 2
            else:
                least = 2 * low[cell] - high[cell]
                for k in range(8):
                    if level_with[cell] >> k & 1:
                        near = cell + offset[k]
                        rank = 2 * low[near] - high[near]
                        if rank < least:
                            least = rank
                            way = k
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
    """Go down from a cell that waits for nothing more, as far as all inflows are in, within a band."""
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
    """Sum, from the ridges down, the cells that drain through each cell; the own one counts.

    Bands of rows are summed side by side as far as they do not wait for each other; then what
    flows from one into the next goes on down.
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


@njit(cache=True, nogil=True)
def distance_down(direction, offset, length, label, distance, stack):
    """Distance along the flow from each labelled cell to the end of its label, written over NaN."""
    for cell in range(direction.size):
        if label[cell] <= 0 or not np.isnan(distance[cell]):
            continue
        here = cell
        depth = 0
        while True:
            way = direction[here]
            below = here + offset[way] if way < OUT else -1
            if below < 0 or label[below] != label[here]:
                distance[here] = 0.0
                break
            stack[depth] = here
            depth += 1
            here = below
            if not np.isnan(distance[here]):
                break
        while depth > 0:
            depth -= 1
            above = stack[depth]
            way = direction[above]
            distance[above] = distance[above + offset[way]] + length[way]


@njit(cache=True, nogil=True)
def strahler_order(cells, direction, offset, order, branches):
    """Strahler order of stream cells, given from the heads down; ``order`` starts as zeros.

    ``branches`` counts the inflows of the greatest order met so far.
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
    """Fall per unit length across a cell, by both neighbours ``step`` away or by the one that is there.

    Answers the fall and 1, or 0 and 0 where it cannot be told.
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
    """Slope by Horn's weights, m/m: the mean of three differences across and of three along, the middle one twice.

    Beside the edge and the voids a difference is taken on the side that is there, and one that
    cannot be taken is left out; so a plane has its slope in every cell.
    """
    rows = z.size // width
    for row in prange(1, rows - 1):
        for cell in range(row * width + 1, row * width + width - 1):
            if kind[cell] != GROUND:
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
    """Measure each connected set of cells that filling covered, in the order of its first cell; answers how many.

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
            if count == size.size:
                return -1
            seen[start] = 1
            stack[0] = start
            top, cells, total, most, at = 1, 0, 0.0, 0.0, start
            while top:
                top -= 1
                here = stack[top]
                if cells & 0xFFFF == 0 and cancelled[0]:
                    return count
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
