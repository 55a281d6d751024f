"""The pond: it stores water and lets it out by its devices."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.methods import Derivation, Doubtful, Missing
from tarnwater.network.elements.element import Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import Setting, option, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.routing.ponds import (
    SOURCE,
    AnyStorage,
    AnyTailwater,
    AnyZone,
    FreeOutfall,
    Pooled,
    Rating,
    Storage,
    rate,
    route,
    start_of,
)
from tarnwater.routing.works import AnyDevice, Outlets, Riser, RoundPipe

#: Share of its volume down to which a pond is taken to delay water, and the longest such time, s.
RESIDUE, LONGEST_DELAY = 0.01, 30 * 86400.0


class Pond(Element):
    """Storage with devices that let water out of it.

    What its outlets cannot take when it is full flows over its top: ``downstream``, by its first link, or it is
    ``lost``. Without storage or without an open device it passes its inflow on. Without a start level a run begins in
    balance with the first inflow, at least at the lowest outlet.
    """

    kind: Literal["pond"] = "pond"

    shape: ClassVar[Shape] = "pool"
    several_down: ClassVar[bool] = True
    parts: ClassVar[Mapping[str, str]] = {"storage": "storage", "devices": "device", "zones": "zone"}

    storage: tuple[AnyStorage, ...] = ()
    devices: tuple[AnyDevice, ...] = ()
    tailwater: AnyTailwater = FreeOutfall()
    start_level: Setting[float] = parameter(
        "height", "level at the start of a run", label="start level", symbol="z0",
        source="in balance with the first inflow, at least at the lowest outlet", default=Setting[float](),
    )  # fmt: skip
    freeboard: float = parameter(
        "length", "height that shall stay free below the top", label="freeboard", symbol="f", least=0, most=100,
        usual=(0, 3), source="typed", default=0.0,
    )  # fmt: skip
    greatest_depth: Setting[float] = parameter(
        "length", "depth of the water that shall not be exceeded", label="greatest depth", symbol="ymax", above=0,
        most=500, source="typed", default=Setting[float](),
    )  # fmt: skip
    zones: tuple[AnyZone, ...] = ()
    overflow: str = option(
        "what becomes of water that flows over the top", lambda: ("downstream", "lost"), label="overflow",
        default="downstream",
    )  # fmt: skip

    @model_validator(mode="after")
    def _fits(self) -> Self:
        names = [one.name for one in self.devices if one.name]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise EditRefused(
                f"two devices are named “{twice}”.", where=self.name, remedy="Give each device a name of its own."
            )
        for one in self.devices:
            self._refuse_circle(one.name, one.inside)
        return self

    def _refuse_circle(self, name: str, inside: str) -> None:
        """Refuse a riser that is inside itself, on its own or by others."""
        holders = {one.name: one.inside for one in self.devices}
        seen = {name}
        while inside:
            if inside in seen:
                raise EditRefused(
                    f"the riser “{inside}” would be inside itself.", where=self.name, remedy="Take it out of the other."
                )
            seen.add(inside)
            inside = holders.get(inside, "")

    @cached_property
    def outlets(self) -> Outlets:
        """Its open devices."""
        return Outlets(self.devices)

    def behind(self, levels: Floats, outlets: Outlets | None = None) -> Floats:
        """Levels behind (m) at its own (m), as far as they follow from these, with its own or other outlets.

        What a device lets into the ground does not raise the water behind, as in the rating.
        """
        outlets = self.outlets if outlets is None else outlets

        def leaves(tail: Floats) -> Floats:
            flows = zip(outlets.outer, outlets.flows(levels, tail), strict=True)
            return sum((flow for device, flow in flows if not device.to_ground), start=np.zeros(np.shape(tail)))

        return self.tailwater.behind(levels, leaves)

    @property
    def waters(self) -> tuple[str, ...]:
        """Digests of the outlines of its water at its top, of the parts that were cut from the terrain."""
        found = (getattr(part, "outline_at_top", "") for part in self.storage)
        return tuple(digest for digest in found if digest)

    @cached_property
    def store(self) -> Storage | None:
        """Its storage; None without any."""
        return Storage(self.storage) if self.storage else None

    @property
    def passes(self) -> bool:
        """Whether it passes its inflow on: without storage, or without an open device."""
        return self.store is None or not self.outlets.devices

    @cached_property
    def _ratings(self) -> dict[tuple[str, ...], Rating]:
        return {}

    def rating(self, downs: Sequence[str] = ()) -> Rating:
        """Its storage and outflow by level, with a way for each of the elements below (keys), and the ground last.

        A pond that passes its inflow on has none: that raises `ValueError`.
        """
        if self.store is None:
            raise ValueError(f"{self.name} has no storage")
        # with one link down all devices leave by it, whatever its key
        keys = tuple(downs) if len(downs) > 1 else ()
        if keys not in self._ratings:
            leads = {key: number for number, key in enumerate(keys)}
            self._ratings[keys] = rate(self.store, self.outlets, self.tailwater, max(len(keys), 1), leads)
        return self._ratings[keys]

    def words_for(self, path: str, below: Mapping[str, str]) -> Mapping[str, str] | None:
        """Risers that a device may be inside, and elements that it may lead to or whose level may be felt."""
        first, _, last = path.rpartition("/")
        if last == "inside":
            own = int(first.split("/")[1])
            others = (one for number, one in enumerate(self.devices) if number != own)
            return {"": "none", **{one.name: one.name for one in others if isinstance(one, Riser) and one.name}}
        if last == "leads_to":
            return {"": "the first below", **below} if len(below) > 1 else {"": "the first below"}
        return {"": "none", **below} if path == "tailwater/element" else None

    def fitted_in(self, field: str, part: Any) -> Any:
        """A new part with a name of its own, on the floor of the pond, and a riser with an outlet pipe."""
        part = self.named_in(field, part)
        update: dict[str, Any] = {}
        for level in ("bottom", "outlet", "crest"):
            if level in type(part).model_fields and isinstance(getattr(part, level), float):
                # a crest stands half way up, an opening at the floor
                height = 0.5 * self._height if level == "crest" else 0.0
                update[level] = round(self._floor + height, 3)
        return part.model_copy(update=update)

    def named_in(self, field: str, part: Any) -> Any:
        """A new part with a name of its own, and a riser with an outlet pipe on the floor."""
        word = str(part.title).split(" ")[-1] if field == "devices" else self.parts[field].replace("storage", "part")
        taken = {getattr(one, "name", "") for one in (*self.devices, *self.storage, *self.zones)}
        names = (f"{word} {number}" if number > 1 else word for number in range(1, len(taken) + 2))
        update: dict[str, Any] = {"name": next(name for name in names if name not in taken)}
        if isinstance(part, Riser) and part.outlet is None:
            update["outlet"] = RoundPipe(bottom=self._floor, outlet=self._floor)
        return part.model_copy(update=update)

    @property
    def _floor(self) -> float:
        return 0.0 if self.store is None else self.store.floor

    @property
    def _height(self) -> float:
        return 2.0 if self.store is None else self.store.top - self.store.floor

    def missing(self) -> list[Missing]:
        """Storage without a gap, and an outlet of every riser that takes water."""
        found = []
        if self.store is not None and self.store.gap is not None:
            wrong = "its storage has heights at which nothing is stored, so that no level belongs to a volume there."
            found.append(Missing("storage", "Add storage there, or correct the levels of its parts.", wrong))
        risers = {one.name for one in self.devices if isinstance(one, Riser)}
        for number, one in enumerate(self.devices):
            if one.closed:
                continue
            if isinstance(one, Riser) and one.outlet is None:
                held = [inner.sign for inner in self.outlets.inside(one)]
                names = f" {' and '.join(f'“{name}”' for name in held)} discharge into it." if held else ""
                wrong = f"the riser “{one.sign}” has no outlet pipe.{names}"
                found.append(Missing(f"devices/{number}/outlet", "Give the riser an outlet, or close it.", wrong))
            if one.inside and one.inside not in risers:
                wrong = f"“{one.sign}” is inside “{one.inside}”, which is no riser of this pond."
                found.append(Missing(f"devices/{number}/inside", "Name one of its risers, or none.", wrong))
        return found

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its devices, of devices that no water reaches, and of water that cannot leave."""
        if self.store is None or not self.devices:
            without = "storage" if self.store is None else "outlet"
            text = f"the pond has no {without}; it passes its inflow on."
            return [("storage" if self.store is None else "devices", Doubtful("pond-passes", "note", text))]
        if self.passes:
            text = "all outlets of the pond are closed; it passes its inflow on."
            return [("devices", Doubtful("pond-passes", "note", text))]
        floor, top = self.store.floor, self.store.top
        found = []
        for number, one in enumerate(self.devices):
            if one.closed:
                continue
            found += [(f"devices/{number}", doubt) for doubt in one.doubts(floor, top)]
            if one.invert >= top:
                text = f"“{one.sign}” begins at {{0}}; the pond ends at {{1}}, so that no water reaches it."
                ends = (one.invert, "height"), (top, "height")
                never = Doubtful("device-never-reached", "doubt", text, figures=ends)
                found.append((f"devices/{number}", never))
        lowest = self.outlets.invert
        start = self.start_level.value
        if start is not None and start < min(lowest, top):
            text = "the pond starts at {0} and cannot empty below {1}: {2} stay in it after each flood."
            stays = float(self.store.volume(np.array(lowest)))
            figures = (start, "height"), (lowest, "height"), (stays, "volume")
            found.append(("start_level", Doubtful("pond-cannot-empty", "doubt", text, figures=figures)))
        return found

    def refreshed(self) -> Pond:
        """A copy with its devices derived again."""
        devices = tuple(one.refreshed() for one in self.devices)
        changed = any(new is not old for new, old in zip(devices, self.devices, strict=True))
        return self.model_copy(update={"devices": devices}) if changed else self

    @property
    def has_level(self) -> bool:
        """Whether it stores water."""
        return not self.passes

    def feels(self) -> tuple[str, ...]:
        """The element below, if its level is felt."""
        return (self.tailwater.feels,) if self.tailwater.feels and not self.passes else ()

    def memory(self, step: float) -> float:
        """Time in which most of its water leaves, s."""
        if self.passes or self.store is None:
            return 0.0
        rating = self.rating()
        low = max(self.outlets.invert, self.store.floor)
        if low >= self.store.top:
            return 0.0
        above, most = np.interp(low, rating.levels, rating.storages), rating.storages[-1]
        residue = float(np.interp(above + RESIDUE * (most - above), rating.storages, rating.levels))
        time = rating.drawdown(self.store.top, residue)
        if not 0 < time < LONGEST_DELAY:
            return min(time, LONGEST_DELAY)
        # rounded up by a factor of at most the root of two: while a size is dragged the run then seldom changes its
        # length, with which every element above would have to be computed again
        return min(math.exp2(math.ceil(2 * math.log2(time)) / 2), LONGEST_DELAY)

    def bases(self, base: Floats, downs: Sequence[str]) -> tuple[Floats, ...]:
        """Flow from the ground in each link down: as its devices part it at the level where they let it through."""
        links = max(len(downs), 1)
        if self.passes:
            return (base, *(np.zeros_like(base) for _ in range(links - 1)))
        rating = self.rating(downs)
        total = np.maximum.accumulate(rating.total[-1])
        first = np.concatenate([[True], np.diff(total) > 0])
        level = np.interp(base, total[first], rating.levels[first])
        found = [np.interp(level, rating.levels, rating.flows[-1, :, way]) for way in range(links + 1)]
        spare = np.maximum(base - np.sum(found, axis=0), 0.0)
        if self.overflow == "downstream":
            found[0] = found[0] + spare
        # a table is exact at its entries only; what leaves in all is the base itself
        kept = base - (spare if self.overflow == "lost" else 0.0)
        scale = kept / _one_if_zero(np.sum(found, axis=0))
        return tuple(way * scale for way in found[:links])

    def respond(self, situation: Situation) -> Answer:
        """The inflow, stored and let out; its state has the storage and the pumps that run."""
        if self.passes:
            dry = [np.zeros_like(situation.out) for _ in situation.downs[1:]]
            return Answer((situation.joined, *(Hydrograph(flow, situation.step) for flow in dry)))
        inflow = situation.inflow
        pooled = self._pooled(inflow, situation.state, situation.downs, situation.levels.get(self.tailwater.feels))
        lost = pooled.spilled if self.overflow == "lost" else np.zeros(len(pooled.spilled))
        ways = tuple(replace(way, highest=top) for way, top in zip(pooled.ways, pooled.peaks, strict=True))
        situation.out[...] = ways[0].flow
        ways = (replace(ways[0], flow=situation.out), *ways[1:])
        return Answer(
            ways,
            pooled.state,
            start_storage=pooled.start_stored,
            end_storage=pooled.stored,
            losses=pooled.ground + lost,
            level=pooled.level,
            top=pooled.top,
            spilled=pooled.spilled,
            whole=replace(ways[0], highest=pooled.whole),
        )

    def _pooled(self, inflow: Hydrograph, state: Any, downs: Sequence[str], behind: Floats | None) -> Pooled:
        rating = self.rating(downs)
        start = (
            start_of(rating, inflow.flow[:, 0], self.start_level.value, self.outlets.invert) if state is None else state
        )
        return route(rating, inflow, start, behind, 0 if self.overflow == "downstream" else -1)

    def flow(self, asked: AskedOfElement) -> Derivation:
        """The inflow routed by level pool, from its rating."""
        return self._derived(asked, 0)

    def way(self, number: int, asked: AskedOfElement) -> Derivation:
        """The flow by one of its links."""
        return self._derived(asked, number)

    def stored_at(self, level: float) -> float:
        """Water in it at a level (m), m3."""
        return 0.0 if self.store is None else float(self.store.volume(np.array(level)))

    def _derived(self, asked: AskedOfElement, number: int) -> Derivation:
        if self.passes:
            inflow = asked.inflow
            assert inflow.evaluate is not None
            if number == 0:
                return Derivation(inflow.equation, inflow.source, inflow.inputs, inflow.evaluate)
            return Derivation("Q = 0", "the pond passes its inflow on by its first link", (inflow,), _nothing_of)
        several = len(asked.downs) > 1

        def routed(*values: Any) -> Hydrograph:
            pooled = self._again(*values)
            if several:
                return replace(pooled.ways[number], highest=pooled.peaks[number])
            return replace(pooled.ways[0], highest=pooled.whole)

        equation = "S2 − S1 = Δt [(I1 + I2)/2 − (O1 + O2)/2], S and O by level"
        return Derivation(equation, SOURCE, self._inputs(asked), routed)

    def highest_level(self, asked: AskedOfElement) -> Derivation:
        """Its highest level, from its inflow and its rating."""
        equation = "zmax = max z of S2 − S1 = Δt [(I1 + I2)/2 − (O1 + O2)/2]"
        evaluate = lambda *values: float(self._again(*values).top.values[0])  # noqa: E731
        return Derivation(equation, SOURCE, self._inputs(asked), evaluate)

    def time_of_highest_level(self, asked: AskedOfElement) -> Derivation:
        """When its level is highest, from its inflow and its rating."""
        equation = "tmax = time of max z of S2 − S1 = Δt [(I1 + I2)/2 − (O1 + O2)/2]"
        evaluate = lambda *values: float(self._again(*values).top.times[0])  # noqa: E731
        return Derivation(equation, SOURCE, self._inputs(asked), evaluate)

    def overflowed(self, asked: AskedOfElement) -> Derivation:
        """What flows over its top, from its inflow and its rating."""
        equation = "Vo = Σ Δt [(I1 + I2)/2 − (O1 + O2)/2] while the pond is full"
        evaluate = lambda *values: float(self._again(*values).spilled[0])  # noqa: E731
        return Derivation(equation, SOURCE, self._inputs(asked), evaluate)

    def _inputs(self, asked: AskedOfElement) -> tuple[Reckoning, ...]:
        rating = Reckoning(
            f"rating of {self.name}", self.rating(asked.downs), "", symbol="S, O",
            origin="its storage and its devices", place=f"{asked.key}/devices",
        )  # fmt: skip
        inflow = replace(asked.inflow, title=f"inflow of {self.name}", symbol="I")
        return (inflow, rating, *(asked.level(key) for key in self.feels()))

    def _again(self, inflow: Hydrograph, rating: Rating, *behind: Floats) -> Pooled:
        """The pond with the inflow of one case, at rest at first."""
        start = start_of(rating, inflow.flow[:, 0], self.start_level.value, self.outlets.invert)
        spill = 0 if self.overflow == "downstream" else -1
        return route(rating, inflow, start, np.atleast_2d(behind[0]) if behind else None, spill)


def _nothing_of(inflow: Hydrograph) -> Hydrograph:
    return add_up([], np.empty_like(inflow.flow), inflow.step)


def _one_if_zero(values: Floats) -> Floats:
    return np.where(values > 0, values, 1.0)
