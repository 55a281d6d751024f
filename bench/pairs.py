"""Timing in interleaved pairs, so that a ratio holds while the machine's speed drifts."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Paired:
    """Seconds of the work and of its base, pair by pair."""

    work: list[float]
    base: list[float]

    @property
    def ratios(self) -> list[float]:
        return [w / b for w, b in zip(self.work, self.base, strict=True)]

    def told(self, name: str, target: str) -> str:
        ratios = sorted(self.ratios)
        work, base = statistics.median(self.work), statistics.median(self.base)
        return (
            f"{name}: median ratio {statistics.median(ratios):.2f} (from {ratios[0]:.2f} to {ratios[-1]:.2f}, "
            f"{len(ratios)} pairs); work {work:.3f} s, base {base:.3f} s; target {target}"
        )


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def in_pairs(work: Callable[[], object], base: Callable[[], object], pairs: int) -> Paired:
    """One uncounted call of each, then pairs in turn: work, base, work, base …"""
    work()
    base()
    found = [(timed(work), timed(base)) for _ in range(pairs)]
    return Paired([w for w, _ in found], [b for _, b in found])
