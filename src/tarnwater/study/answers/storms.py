"""Storms of cases: of a family, or given in the study.

An answer is for an `Event`: all design storms of a return period, or one given storm. No other module distinguishes
the two kinds of storm.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.network.graph import Network
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.storms import Rain
from tarnwater.study.document import Study
from tarnwater.units import show_duration

#: What an answer is for: a return period in years, over all its design storms, or the key of a given storm.
Event = float | str

#: What a case is for: it gives answers; its family is beside; or it only shows the effect of another length.
Standing = Literal["counted", "beside", "other length"]


@dataclass(frozen=True)
class Obstacle:
    """Why a case cannot be computed; ``element`` and ``field`` are the place where it is resolved."""

    reason: str
    element: str = ""
    field: str = ""


@dataclass(frozen=True)
class Storm(ABC):
    """The storm of a case; ``key`` is that of its family or its own, ``duration`` in s."""

    key: str
    duration: float

    @property
    def mark(self) -> tuple[str, float, int]:
        """What tells it from other storms of its event: its key, its duration, and its number in an ensemble."""
        return self.key, self.duration, 0

    @property
    def span(self) -> float:
        """Its duration with the dry time before and after it, s."""
        return self.duration

    @property
    def years(self) -> float | None:
        """Its return period, years; None if it has none."""
        return None

    @property
    @abstractmethod
    def event(self) -> Event:
        """The event of its answer."""

    @property
    @abstractmethod
    def place(self) -> str:
        """Path of its family, or its own path, in the study."""

    @abstractmethod
    def maker(self, study: Study) -> str:
        """Name of its family, or its own name."""

    @abstractmethod
    def words(self, study: Study) -> str:
        """Its words, without the name of its family."""

    @abstractmethod
    def standing(self, study: Study) -> Standing:
        """The standing of its case: counted, beside, or another length."""

    @abstractmethod
    def searches(self, study: Study) -> bool:
        """Whether the greatest peak is searched for over durations, and may lie beyond them."""

    def typical_peak(self, study: Study) -> str:
        """What is typical of the peaks of its ensemble; empty for a storm of none."""
        return ""

    def pattern_name(self, study: Study) -> str:
        """Name of its pattern in an ensemble; empty for a storm of none."""
        return ""

    @abstractmethod
    def after(self, study: Study) -> str:
        """Key of the given storm from whose end state it begins; empty means at rest."""

    @abstractmethod
    def begins(self, study: Study) -> datetime | None:
        """Date at which its rain begins; None if it has no date."""

    @abstractmethod
    def made_from(self, study: Study) -> tuple[object, ...]:
        """The parts of the study that its rain is made from."""

    @abstractmethod
    def obstacle(self, study: Study, rained_on: Sequence[str]) -> Obstacle | None:
        """Reason why its rain on some elements (by key) cannot be made; None if it can."""

    @abstractmethod
    def areal_factor(self, study: Study, area: float) -> float:
        """Its depth over an area (m2) as a share of that at a point."""

    @abstractmethod
    def even(self, study: Study) -> bool:
        """Whether it rains the same on every catchment."""

    def rain_step(self, study: Study, step: float) -> float:
        """Step (s) in which its rain enters the losses: that of the run (s), or a whole part of it."""
        return step

    @abstractmethod
    def rain_on(self, study: Study, catchment: str, area: float, step: float) -> Floats:
        """Rain (step,) in mm on a catchment (any if it is even), made for the area (m2) above its design point."""


@dataclass(frozen=True)
class DesignStorm(Storm):
    """A design storm of a family; ``member`` is the number of its pattern in an ensemble, ``dry`` the dry time, s.

    An ``own`` one has the duration that a method above its design point is made for, beside those of its family.
    """

    return_period: float
    member: int = 0
    dry: float = 0.0
    own: bool = False

    @property
    def mark(self) -> tuple[str, float, int]:
        """Its family, its duration, and its number in an ensemble."""
        return self.key, self.duration, self.member

    @property
    def span(self) -> float:
        """Its duration with the dry time before and after it, s."""
        return self.duration + self.dry

    @property
    def years(self) -> float:
        """Its return period, years."""
        return self.return_period

    @property
    def event(self) -> float:
        """Its return period, years."""
        return self.return_period

    @property
    def place(self) -> str:
        """Path of its family."""
        return f"families/{self.key}"

    def maker(self, study: Study) -> str:
        """Name of its family."""
        return study.families[self.key].name

    def words(self, study: Study) -> str:
        """Return period and duration, as people say them, and the name of its pattern in an ensemble."""
        told = f"1 in {self.return_period:g} · {show_duration(self.duration)}"
        name = self.pattern_name(study)
        return f"{told} · {name}" if name else told

    def standing(self, study: Study) -> Standing:
        """Counted where its family is and its duration is one of those tried, or its own."""
        family = study.families[self.key]
        if not self.own and self.duration not in family.tried:
            return "other length"
        return "counted" if family.counted else "beside"

    def searches(self, study: Study) -> bool:
        """Whether its family is searched for the greatest answer; a duration of its own is known to give it."""
        return study.families[self.key].searches and not self.own

    def pattern_name(self, study: Study) -> str:
        """Name of its pattern in the ensemble of its family."""
        return study.families[self.key].pattern.member_name(self.member)

    def typical_peak(self, study: Study) -> str:
        """What is typical of the peaks of its family."""
        return study.families[self.key].pattern.typical_peak

    def after(self, study: Study) -> str:
        """Key of the storm after which those of its family begin."""
        return study.families[self.key].after

    def begins(self, study: Study) -> None:
        """None, because a design storm has no date."""
        return None

    def made_from(self, study: Study) -> tuple[object, ...]:
        """Its family and its table."""
        family = study.families[self.key]
        return family, study.tables[family.table]

    def obstacle(self, study: Study, rained_on: Sequence[str]) -> Obstacle | None:
        """The reason, if its table does not hold its return period or its duration."""
        table = study.tables[study.families[self.key].table]
        if not table.holds_period(self.return_period):
            return Obstacle(f"1 in {self.return_period:g} is not in the depth table.", field=self.place)
        if not table.holds_duration(self.duration):
            reason = f"{show_duration(self.duration)} is longer than the depth table."
            return Obstacle(reason, field=self.place)
        return None

    def areal_factor(self, study: Study, area: float) -> float:
        """The factor by the areal reduction of its family."""
        return float(study.families[self.key].areal.factors(area, np.array([self.duration]))[0])

    def even(self, study: Study) -> bool:
        """True, because a design storm is the same everywhere."""
        return True

    def rain_on(self, study: Study, catchment: str, area: float, step: float) -> Floats:
        """Its rain, the same on every catchment."""
        family = study.families[self.key]
        table = study.tables[family.table]
        rain = family.increments(table, self.return_period, self.duration, area=area, step=step, member=self.member)
        return family.laid(rain, step)


@dataclass(frozen=True)
class StormByKey(Storm):
    """A storm given in the study, recorded or typed."""

    @property
    def event(self) -> str:
        """Its own key."""
        return self.key

    @property
    def place(self) -> str:
        """Its own path."""
        return f"storms/{self.key}"

    def given(self, study: Study) -> GivenStorm:
        """The storm itself."""
        return study.storms[self.key]

    def maker(self, study: Study) -> str:
        """Its name."""
        return self.given(study).name

    def words(self, study: Study) -> str:
        """Its name and how long it rains."""
        return f"{self.given(study).name} · {show_duration(self.duration)}"

    def standing(self, study: Study) -> Standing:
        """Counted, because it has its own answer."""
        return "counted"

    def searches(self, study: Study) -> bool:
        """False, because there are no durations to search over."""
        return False

    def after(self, study: Study) -> str:
        """Key of the storm after which it begins."""
        return self.given(study).after

    def begins(self, study: Study) -> datetime | None:
        """When its rain begins."""
        return self.given(study).begins

    def made_from(self, study: Study) -> tuple[object, ...]:
        """The storm itself."""
        return (self.given(study),)

    def obstacle(self, study: Study, rained_on: Sequence[str]) -> Obstacle | None:
        """The reason, if rain is missing on one of the elements."""
        given = self.given(study)
        for key in rained_on:
            if lack := given.lacks(key):
                return Obstacle(f"“{given.name}” on {study.name_of(key)}: {lack}", key, self.place)
        return None

    def areal_factor(self, study: Study, area: float) -> float:
        """One, because given rain is not reduced."""
        return 1.0

    def even(self, study: Study) -> bool:
        """Whether it rains the same on every catchment."""
        return self.given(study).even

    def rain_step(self, study: Study, step: float) -> float:
        """The largest whole part of the run's step that is not above its own: a burst inside a step is not smeared."""
        return step / max(1, math.ceil(step / self.given(study).step - 1e-9))

    def rain_on(self, study: Study, catchment: str, area: float, step: float) -> Floats:
        """Its rain on a catchment, spread over steps (s)."""
        return self.given(study).rain_on(catchment, step)


def storms_of(study: Study, family: str) -> list[Storm]:
    """Storms of a family: those tried, then those of other lengths that the table holds."""
    chosen = study.families[family]
    lengths = chosen.lengths_beside(study.tables[chosen.table])
    dry = chosen.lead + chosen.tail
    return [
        *(
            DesignStorm(family, d, t, member, dry)
            for t in chosen.return_periods
            for d in chosen.tried
            for member in range(chosen.pattern.members)
        ),
        *(DesignStorm(family, d, t, dry=dry) for d in lengths for t in chosen.return_periods),
    ]


def given_storm(study: Study, key: str) -> StormByKey:
    """A given storm by its key."""
    return StormByKey(key, study.storms[key].duration)


def storm_title(study: Study, storm: Storm) -> str:
    """A storm in words: with its family where there is more than one, and with what it begins after."""
    several = len(study.families) > 1 and storm.maker(study) not in storm.words(study)
    told = f"{storm.maker(study)}, {storm.words(study)}" if several else storm.words(study)
    before = storm.after(study)
    return f"{told}, after {study.storms[before].name}" if before else told


def event_title(study: Study, event: Event) -> str:
    """An event in words: ``1 in 100``, or the name of a given storm."""
    return study.storms[event].name if isinstance(event, str) else f"1 in {event:g}"


def in_order(study: Study, events: Sequence[Event]) -> list[Event]:
    """Distinct events: return periods from frequent to rare, then given storms in the order of the study."""
    there = set(events)
    return [*sorted(e for e in there if not isinstance(e, str)), *(key for key in study.storms if key in there)]


def rain_of(
    study: Study, storms: Sequence[Storm], network: Network, area: float, step: float
) -> Rain | Mapping[str, Rain]:
    """Rain of storms of one family or one given storm, one case each, made for an area (m2).

    By catchment if it differs.
    """
    step = storms[0].rain_step(study, step)
    if storms[0].even(study):
        return _rows([storm.rain_on(study, "", area, step) for storm in storms], step)
    return {
        key: _rows([storm.rain_on(study, key, area, step) for storm in storms], step)
        for key, element in network.elements.items()
        if element.takes_rain
    }


def _rows(rows: Sequence[Floats], step: float) -> Rain:
    depths = np.zeros((len(rows), max(len(r) for r in rows)))
    for index, row in enumerate(rows):
        depths[index, : len(row)] = row
    return Rain(depths, step)
