"""The benches in working order; the course bar shows these."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module

from tarnwater.desk.benches import states
from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme


@dataclass(frozen=True)
class BenchOnCourse:
    """A bench on the course bar: its name, its state, and its class, which is loaded at the first visit."""

    title: str
    state: Callable[[Desk], states.State]

    def open(self, desk: Desk, theme: Theme) -> Bench:
        """Make the bench."""
        kind: type[Bench] = getattr(import_module(f"{__name__}.{self.title.lower()}"), f"{self.title}Bench")
        return kind(desk, theme)


COURSE = (
    BenchOnCourse("Ground", states.ground_state),
    BenchOnCourse("Rain", states.rain_state),
    BenchOnCourse("Runoff", states.runoff_state),
    BenchOnCourse("Works", states.works_state),
    BenchOnCourse("Cases", states.cases_state),
)

__all__ = ["COURSE", "Bench", "BenchOnCourse"]
