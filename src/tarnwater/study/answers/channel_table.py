"""Channels, pipes and culverts with the flow that governs them, and every reach that has a section."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.network.elements import Reach
from tarnwater.routing.channels import OfOneRoughness, Section
from tarnwater.routing.channels.design import ChannelCheck, checked_channel
from tarnwater.routing.works import BroadWeir
from tarnwater.routing.works.culvert_design import CulvertCheck, culvert_check, full_flow
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.results import Results
from tarnwater.study.document import Study
from tarnwater.study.document.works import ChannelWorks, CulvertWorks, Laid

#: Verdicts that say what is wrong with a channel.
WRONG = ("spills", "above ground", "scours", "freeboard")

#: Height of the water above the ground beside a channel that counts, m: what a terrain tells no better.
HIGHER = 0.05


@dataclass(frozen=True, eq=False)
class Carried:
    """The flow that governs something (m3/s), and the case that it is of; None where it was typed."""

    flow: float
    case: CaseResult | None


@dataclass(frozen=True, eq=False)
class ChannelRow:
    """A channel with its flow: as it is, and grown over where a roughness is typed for that.

    ``key`` is that of the channel, or of the reach that has the section; ``designed`` tells which.
    """

    key: str
    name: str
    designed: bool
    carried: Carried | None
    section: Section | None
    slope: float | None
    freeboard: float
    bare: ChannelCheck | None
    grown: ChannelCheck | None
    grown_roughness: float = 1.0
    laid: Laid | None = None

    @property
    def banks(self) -> Floats | None:
        """Levels (n,) m of its banks where the ground along its line is known: level with it at the upper end."""
        if self.laid is None or self.slope is None:
            return None
        return self.laid.ground[0] - self.slope * np.array(self.laid.along)

    @property
    def above_ground(self) -> tuple[float, float] | None:
        """How high (m) its water stands above the ground beside it at most, and how far (m) along; None for nowhere."""
        if self.laid is None or self.section is None or self.banks is None or self.bare is None:
            return None
        deepest = max(one.uniform.depth for one in (self.bare, self.grown) if one is not None)
        if not np.isfinite(deepest):
            return None
        over = self.banks - self.section.depth + deepest - np.array(self.laid.ground)
        worst = int(np.argmax(over))
        return (float(over[worst]), self.laid.along[worst]) if over[worst] > HIGHER else None

    @property
    def grown_ratio(self) -> float:
        """What it carries grown over, as a share of what it carries bare: conveyance is one over the roughness."""
        if self.bare is None or self.grown is None or not isinstance(self.section, OfOneRoughness):
            return 1.0
        return self.section.roughness / self.grown_roughness

    @property
    def verdict(self) -> str:
        """What is wrong with it, or that nothing is."""
        if self.section is None:
            return "no section"
        if self.carried is None:
            return "no flow"
        if self.slope is None:
            return "no slope"
        checks = [one for one in (self.bare, self.grown) if one is not None]
        if any(one.spills for one in checks):
            return "spills"
        if self.above_ground is not None:
            return "above ground"
        if any(one.scours for one in checks):
            return "scours"
        if any(one.freeboard < self.freeboard - 1e-9 for one in checks):
            return "freeboard"
        return "fits"


@dataclass(frozen=True, eq=False)
class CulvertRow:
    """A pipe or culvert with its flow, and what it carries full on its own slope, m3/s."""

    key: str
    works: CulvertWorks
    carried: Carried | None
    check: CulvertCheck | None
    full: float

    @property
    def verdict(self) -> str:
        """What is wrong with it, or that nothing is."""
        if self.check is None:
            return "no flow"
        allowed = self.works.headwater.value
        if allowed is not None and self.check.level > allowed + 1e-9:
            return "too high"
        return "over the road" if self.check.over_road > 0 else "fits"


def carried_by(results: Results | None, element: str) -> Carried | None:
    """The greatest counted flow of an element in all cases; None where nothing is computed through it."""
    cases = () if results is None else results.cases
    own = [case for case in cases if case.standing == "counted" and element in case.network.elements]
    if not own:
        return None
    worst = max(own, key=lambda case: case.peak(element).ordinate)
    return Carried(worst.peak(element).ordinate, worst)


def _carried(results: Results | None, works: ChannelWorks | CulvertWorks) -> Carried | None:
    if works.flow.value is not None:
        return Carried(works.flow.value, None)
    return carried_by(results, works.element) if works.element else None


def channel_rows(study: Study, results: Results | None) -> list[ChannelRow]:
    """All channels that are designed, and then every reach with the section and slope of its method, if it has one."""
    rows = [_designed(key, works, _carried(results, works)) for key, works in study.channels.items()]
    drawn = {works.element for works in study.channels.values()}
    for key, element in study.all_elements.items():
        if isinstance(element, Reach) and key not in drawn:
            rows.append(_of_reach(key, element, carried_by(results, key)))
    return rows


def _designed(key: str, works: ChannelWorks, carried: Carried | None) -> ChannelRow:
    bare = grown = None
    slope = works.slope.value
    if carried is not None and carried.flow > 0 and slope is not None:
        bare = checked_channel(works.section, carried.flow, slope, works.allowed)
        if works.grown.value is not None and isinstance(works.section, OfOneRoughness):
            rough = works.section.model_copy(update={"roughness": works.grown.value})
            grown = checked_channel(rough, carried.flow, slope, works.allowed)
    return ChannelRow(
        key,
        works.name,
        True,
        carried,
        works.section,
        slope,
        works.freeboard,
        bare,
        grown,
        works.grown.value or 1.0,
        works.laid,
    )


def _of_reach(key: str, reach: Reach, carried: Carried | None) -> ChannelRow:
    section: Section | None = getattr(reach.method, "section", None)
    held = getattr(reach.method, "bed_slope", None)
    slope = reach.slope.value if held is None else held.value
    bare = None
    if section is not None and slope and slope > 0 and carried is not None and carried.flow > 0:
        bare = checked_channel(section, carried.flow, slope)
    return ChannelRow(key, reach.name, False, carried, section, slope or None, 0.0, bare, None)


def road_of(works: CulvertWorks) -> BroadWeir | None:
    """The road over a culvert as a weir; None without a level."""
    if works.road_level.value is None:
        return None
    return BroadWeir(crest=works.road_level.value, length=works.road_length, coefficient=works.road_coefficient)


def culvert_rows(study: Study, results: Results | None) -> list[CulvertRow]:
    """All pipes and culverts with their flows."""
    rows = []
    for key, works in study.culverts.items():
        carried = _carried(results, works)
        check = None
        if carried is not None and carried.flow > 0:
            check = culvert_check(works.barrel, carried.flow, works.tailwater.value, road_of(works))
        rows.append(CulvertRow(key, works, carried, check, full_flow(works.barrel)))
    return rows


def names_in(study: Study) -> Mapping[str, str]:
    """Elements by key that something may carry the flow of."""
    return {key: element.name for key, element in study.all_elements.items()}
