"""Storage and outflow of a pond by level, as tables that the level pool reads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.ponds.storage import Storage
from tarnwater.routing.ponds.tailwater import FAR_BELOW, Tailwater
from tarnwater.routing.works import Outlets, Pump
from tarnwater.units import System, show

#: Levels of a table between floor and top, and the fewest between two bends.
LEVELS, FEWEST = 800, 24

#: Levels behind the outlets, and heads above them, of a table for a pond that feels another.
TAILS, HEADS = 120, 240


@dataclass(frozen=True, eq=False)
class Rating:
    """Tables of a pond. Between two entries all is linear in the storage.

    Parameters
    ----------
    levels, storages : (level,) m and m3, both rising.
    flows : (mode, level, way) m3/s; the last way is the ground. A mode tells by its bits which pumps run.
    starts, stops : (pump,) m.
    tails, heads : (tail,) and (head,) m, empty where no level of another pond is felt.
    felt : (mode, tail, head, way) m3/s at levels behind, and at heads above the higher of that level and the floor.
    """

    levels: Floats
    storages: Floats
    flows: Floats
    starts: Floats
    stops: Floats
    tails: Floats
    heads: Floats
    felt: Floats

    def in_words(self, system: System) -> str:
        """Its ends."""
        held, out = float(self.storages[-1]), float(self.flows[-1, -1].sum())
        return (
            f"{len(self.levels)} levels from {show(float(self.levels[0]), 'height', system)} to "
            f"{show(float(self.levels[-1]), 'height', system)}, where {show(held, 'volume', system)} are held and "
            f"{show(out, 'flow', system)} leave"
        )

    @cached_property
    def total(self) -> Floats:
        """Flow of all ways (mode, level) m3/s."""
        found: Floats = self.flows.sum(axis=2)
        return found

    def drain_time(self, level: float, residue: float) -> float:
        """Time (s) in which the pond falls from a level (m) to a share of all that it can hold, without inflow."""
        return float(self.drain_times(np.array([level]), residue)[0])

    def drain_times(self, levels: Floats, residue: float) -> Floats:
        """Times (s) in which it falls from levels (m) to a share of all that it can hold; zero from below that."""
        low = float(np.interp(residue * self.storages[-1], self.storages, self.levels))
        return self.drawdowns(levels, low)

    def drawdown(self, high: float, low: float) -> float:
        """Time (s) in which the pond falls from one level (m) to another without inflow; infinite where it does not."""
        return float(self.drawdowns(np.array([high]), low)[0])

    def drawdowns(self, highs: Floats, low: float) -> Floats:
        """Times (s) in which it falls from levels (m) to a lower one, without inflow; zero from below that.

        Between two entries the outflow is linear in the storage, so each slice drains in ΔS ln(O1/O2) / (O1 − O2).
        """
        levels = np.concatenate([[low], self.levels[self.levels > low]])
        held = np.interp(levels, self.levels, self.storages)
        out = np.interp(held, self.storages, self.total[-1])
        reached = np.concatenate([[0.0], np.cumsum(_emptying(held[:-1], held[1:], out[:-1], out[1:]))])
        highs = np.maximum(highs, low)
        cell = np.clip(np.searchsorted(levels, highs, side="right") - 1, 0, len(levels) - 1)
        above = np.interp(highs, self.levels, self.storages)
        rest = _emptying(held[cell], above, out[cell], np.interp(above, self.storages, self.total[-1]))
        return np.where(highs > low, reached[cell] + rest, 0.0)


def _emptying(less: Floats, more: Floats, slow: Floats, fast: Floats) -> Floats:
    """Times (s) in which slices empty from more to less storage, with their outflows; infinite without outflow."""
    gap = np.abs(fast - slow)
    even = gap <= 1e-9 * np.maximum(fast, slow)
    with np.errstate(divide="ignore", invalid="ignore"):
        found = (more - less) * np.where(even, 1.0 / fast, np.log(fast / slow) / (fast - slow))
    # no water in a slice drains at once; water that nothing lets out stays
    return np.where(more <= less, 0.0, np.where(np.minimum(fast, slow) > 0, found, np.inf))


def spaced(floor: float, top: float, bends: Sequence[float], count: int) -> Floats:
    """Levels from floor to top, denser above each bend: flow begins there like a power of the head."""
    ends = np.unique([floor, top, *(b for b in bends if floor < b < top)])
    parts = []
    for low, high in pairwise(ends):
        steps = max(FEWEST, round(count * (high - low) / (top - floor)))
        parts.append(low + (high - low) * (np.arange(steps) / steps) ** 2)
    return np.concatenate([*parts, [top]])


def rate(
    storage: Storage, outlets: Outlets, tailwater: Tailwater, links: int = 1, leads: Mapping[str, int] | None = None
) -> Rating:
    """Rate a pond with a number of links down; ``leads`` gives the link of an outer device by the key that it names.

    A device that names no link leaves by the first.
    """
    by_key = leads or {}
    ways = [links if one.to_ground else by_key.get(one.leads_to, 0) for one in outlets.outer]
    pumps = [one for one in outlets.outer if isinstance(one, Pump)]
    levels = spaced(storage.floor, storage.top, (*storage.bends, *outlets.bends, *tailwater.bends), LEVELS)
    storages = storage.volume(levels)
    kept = np.concatenate([[True], np.diff(storages) > 0])
    levels, storages = levels[kept], storages[kept]
    modes = 1 << len(pumps)
    count = links + 1

    def through(level: Floats, behind: Floats) -> Floats:
        """Flows (mode, …, way) at levels before and behind."""
        found = np.zeros((modes, *np.shape(level), count))
        for device, way, own in zip(outlets.outer, ways, outlets.flows(level, behind), strict=True):
            runs = [not isinstance(device, Pump) or mode >> pumps.index(device) & 1 for mode in range(modes)]
            found[np.flatnonzero(runs), ..., way] += own
        return found

    def leaves(behind: Floats) -> Floats:
        found: Floats = through(levels, behind)[-1, ..., :-1].sum(axis=-1)
        return found

    flows = through(levels, tailwater.behind(levels, leaves))
    # an empty pond gives nothing, whatever a device or a typed table would let through
    flows[:, 0] = 0.0
    tails = heads = np.empty(0)
    felt = np.empty((modes, 0, 0, count))
    if tailwater.feels and len(outlets.outer):
        first = max(outlets.invert, storage.floor)
        tails = spaced(first, max(storage.top, first + 1e-3), outlets.bends, TAILS)
        heads = (storage.top - storage.floor) * np.linspace(0.0, 1.0, HEADS) ** 2
        behind, head = np.meshgrid(tails, heads, indexing="ij")
        felt = through((behind + head).ravel(), behind.ravel()).reshape(modes, len(tails), len(heads), count)
    starts, stops = np.array([p.starts for p in pumps]), np.array([p.stops for p in pumps])
    return Rating(levels, storages, np.ascontiguousarray(flows), starts, stops, tails, heads, felt)


__all__ = ["FAR_BELOW", "Rating", "rate", "spaced"]
