"""A whole outlet for all return periods at once: openings for the limits, and a spillway for what is rarer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater.errors import BadInput, ComputationFailed
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Pond
from tarnwater.network.engine import Response
from tarnwater.progress import Progress
from tarnwater.routing.faces import widest_row
from tarnwater.routing.ponds import Storage
from tarnwater.routing.works import BroadWeir, Device, Riser, RoundOrifice
from tarnwater.routing.works.made import MADE_OPENINGS
from tarnwater.study import edits
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.computing import RunMemo, compute_cases
from tarnwater.study.answers.sizing import conditions_for, counted_through, home_of
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.act import edit
from tarnwater.units import Quantity

#: What a limit may be exceeded by, as a factor: rounding.
ROUNDED = 1 + 1e-9

#: Lengths of spillways that are tried, m, and the steps to which levels and the length are rounded up, m.
LONGEST, LEVEL_STEP, LENGTH_STEP = 100.0, 0.01, 0.1

#: Least and greatest factor of the plan of a storage, and the share to which the least that does is found.
LEAST_PLAN, MOST_PLAN, PLAN_CLOSE = 0.05, 8.0, 0.01


@dataclass(frozen=True)
class Wish:
    """What an outlet shall be like: sizes that are made (m), and the share of each limit that it may use.

    ``riser`` is the riser of the pond, by its name, into which its openings discharge; without one they lead out.
    ``least_storage`` lets the plan of the storage shrink or grow as far as it must.
    """

    made: tuple[float, ...] = MADE_OPENINGS
    share: float = 1.0
    riser: str = ""
    least_storage: bool = False


@dataclass(frozen=True)
class Kept:
    """An event with its limit (m3/s; None without one), the greatest peak at the point (m3/s) and highest level (m)."""

    event: float
    limit: float | None
    peak: float
    level: float


@dataclass(frozen=True)
class Proposal:
    """An outlet that keeps all limits: its devices, the storage with it, and what it makes of each event."""

    devices: tuple[Device, ...]
    pond: Pond
    kept: tuple[Kept, ...]
    plan: float


@edit("take the proposed outlet of {key}")
def take_proposal(
    study: Study, key: str, proposal: Proposal, *, condition: str = "", by: str = "", at: str = "", note: str = ""
) -> Study:
    """Give a pond a proposed outlet, and the storage with it, in one condition or in all."""
    stamp = {"condition": condition, "by": by, "at": at, "note": note}
    study = edits.choose(study, key, "devices", proposal.devices, **stamp)
    return study if proposal.plan == 1.0 else edits.choose(study, key, "storage", proposal.pond.storage, **stamp)


class Proposing:
    """Finds a whole outlet of a pond in a condition for the limits at a design point."""

    def __init__(self, study: Study, key: str, point: str, condition: str, wish: Wish) -> None:
        self.study, self.key, self.point, self.condition, self.wish = study, key, point, condition, wish
        homes = {home_of(study, key, field, condition) for field in ("devices", "storage")}
        self.home = condition if condition in homes else ""
        pond = resolve(study, condition).elements[key]
        if not isinstance(pond, Pond) or pond.store is None:
            raise BadInput("it is no pond with storage.", where=study.name_of(key), remedy="Give it storage first.")
        self.pond = pond
        self._cache: ResultCache[Response] = ResultCache()
        self._runs = RunMemo()
        self._riser = self._riser_of(pond)

    def _riser_of(self, pond: Pond) -> Riser | None:
        named = [one for one in pond.devices if isinstance(one, Riser) and one.name == self.wish.riser]
        if self.wish.riser and not named:
            raise BadInput(
                f"it has no riser “{self.wish.riser}”.", where=pond.name, remedy="Name one of its risers, or none."
            )
        return named[0] if named else None

    def propose(self, progress: Progress | None = None) -> Proposal:
        """The outlet; `BadInput` where no sizes keep the limits, with what stops them and what would free them."""
        progress = progress or Progress()
        limits = self._limits()
        if not self.wish.least_storage:
            return self._for_plan(1.0, limits, progress)
        return self._least(limits, progress)

    def _least(self, limits: dict[float, float | None], progress: Progress) -> Proposal:
        """The proposal with the least plan that allows one, by halves of the factor."""
        found, why = None, None
        low, high = np.log(LEAST_PLAN), np.log(MOST_PLAN)
        turns = int(np.ceil(np.log2((high - low) / PLAN_CLOSE)))
        for turn in range(turns + 1):
            # the greatest plan first: where that does not do, none does
            plan = float(np.exp(high if turn == 0 else 0.5 * (low + high)))
            progress.tell(f"plan times {plan:.2f}", turn / (turns + 1))
            try:
                found = self._for_plan(plan, limits, progress)
                high = np.log(plan)
            except BadInput as error:
                if turn == 0:
                    raise
                why, low = error, np.log(plan)
        if found is None:
            raise why or BadInput("no plan does.")
        return found

    def _limits(self) -> dict[float, float | None]:
        """The allowed peak of each return period that is computed, m3/s; None for one without a limit."""
        results = compute_cases(
            self.study, conditions=conditions_for(self.study, self.point, self.condition), points=[self.point],
            cache=self._cache, runs=self._runs,
        )  # fmt: skip
        counted = {
            c.case.event for c in results.cases if c.standing == "counted" and c.case.condition == self.condition
        }
        periods = sorted(event for event in counted if isinstance(event, float))
        found = {t: results.limit(self.point, t, self.condition) for t in periods}
        if not any(limit for limit in found.values()):
            raise BadInput(
                "it has no limit for a storm that is computed.", where=self.study.name_of(self.point),
                remedy="Set the allowed flow of a return period there.",
            )  # fmt: skip
        return {t: None if limit is None else limit * self.wish.share for t, limit in found.items()}

    def _for_plan(self, plan: float, limits: dict[float, float | None], progress: Progress) -> Proposal:
        pond = self.pond if plan == 1.0 else self._with_plan(plan)
        openings, invert = self._openings(pond, {t: flow for t, flow in limits.items() if flow}, progress)
        spillway = self._spillway(pond, openings, invert, limits)
        devices = self._with_riser([*openings, spillway], invert)
        kept = self._tried(pond, [*openings, spillway], list(limits), limits, crest=invert)
        return Proposal(devices, pond.model_copy(update={"devices": devices}), tuple(kept), plan)

    def _openings(self, pond: Pond, limits: dict[float, float], progress: Progress) -> tuple[list[Device], float]:
        """Openings for some limits, and the highest level with them, rounded up."""
        assert pond.store is not None
        chosen: list[Device] = []
        invert = pond.store.floor
        for number, (event, limit) in enumerate(limits.items()):
            progress.tell(f"opening for 1 in {event:g}", number / len(limits))
            later = {t: flow for t, flow in limits.items() if t > event}
            found = self._opening(pond, chosen, invert, (event, limit), later)
            chosen += [] if found is None else [found]
            invert = _up(self._tried(pond, chosen, [event])[0].level, LEVEL_STEP)
        return chosen, invert

    def _with_plan(self, plan: float) -> Pond:
        parts = tuple(part.with_plan(plan) for part in self.pond.storage)
        if any(part is None for part in parts):
            raise BadInput(
                "its storage has no plan that can be changed.", where=self.pond.name,
                remedy="Use a frustum, a prism, contours or a table.",
            )  # fmt: skip
        return self.pond.model_copy(update={"storage": parts})

    def _opening(
        self, pond: Pond, openings: Sequence[Device], invert: float, own: tuple[float, float], later: dict[float, float]
    ) -> RoundOrifice | None:
        """The greatest opening above the others that keeps a limit; None where it is kept without one and with none.

        One that uses its limit may let too much through in rarer events, where the water stands higher. So none is
        taken that breaks a ``later`` limit by itself.
        """
        assert pond.store is not None
        event, limit = own
        name = f"opening {len(openings) + 1}"

        def opening(size: float) -> RoundOrifice:
            return RoundOrifice(name=name, bottom=invert, diameter=size, inside=self.wish.riser)

        top = pond.store.top

        def keeps(devices: Sequence[Device]) -> bool:
            first, *others = self._tried(pond, devices, [event, *later])
            if first.peak > limit * ROUNDED or first.level >= top:
                return False
            return all(self._lets_through(pond, devices, one) <= later[one.event] * ROUNDED for one in others)

        for size in sorted(self.wish.made, reverse=True):
            if (openings and invert + size > pond.store.top) or not self._has_room(openings, opening(size), top):
                continue
            if keeps([*openings, opening(size)]):
                return opening(size)
        if openings and keeps(openings):
            return None
        if not self._has_room(openings, opening(min(self.wish.made)), top):
            raise BadInput(
                f"at 1 in {event:g} no further opening that is made finds room in “{self.wish.riser}”.",
                where=pond.name, remedy="Make the riser larger, or let openings lead out on their own.",
            )  # fmt: skip
        least = min(self.wish.made)
        (nearest,) = self._tried(pond, [*openings, opening(least)], [event])
        full = nearest.level >= pond.store.top
        raise BadInput(
            f"at 1 in {event:g} no opening that is made keeps {{}}: with the least, {{}}, it is {{}}"
            + (" and the pond overflows." if full else "."),
            values=(Quantity(limit, "flow", 4), Quantity(least, "length", 4), Quantity(nearest.peak, "flow", 4)),
            where=pond.name,
            remedy="Give it more storage." if full else "Allow a smaller opening, or a greater share of the limit.",
        )  # fmt: skip

    def _has_room(self, openings: Sequence[Device], more: Device, top: float) -> bool:
        """Whether another opening fits into the shaft of the riser, alone and round it beside the others."""
        if self._riser is None:
            return True
        faces = [face for one in (*openings, more) if (face := one.face(top)) is not None]
        shaft = self._riser.face(top)
        return faces[-1].width <= shaft.width and widest_row(faces)[1] <= self._riser.sides

    def _lets_through(self, pond: Pond, devices: Sequence[Device], found: Kept) -> float:
        """The peak in an event; where the pond is full, what the devices let through at its top, m3/s."""
        assert pond.store is not None
        if found.level < pond.store.top:
            return found.peak
        outlets = pond.model_copy(update={"devices": self._with_riser(devices, pond.store.top)}).outlets
        top = np.array([pond.store.top])
        behind = pond.behind(top, outlets)
        return float(sum(flow[0] for flow in outlets.flows(top, behind)))

    def _spillway(
        self, pond: Pond, openings: Sequence[Device], crest: float, limits: dict[float, float | None]
    ) -> Device:
        """A spillway that is dry while limits are kept, as long as the freeboard in the rarer events asks for."""
        assert pond.store is not None
        top = pond.store.top
        highest = top - pond.freeboard
        if crest > highest:
            raise BadInput(
                "with the limits kept the water stands at {}, above {} that the freeboard leaves.",
                values=(Quantity(crest, "height", 5), Quantity(highest, "height", 5)), where=pond.name,
                remedy="Give it more storage, or less freeboard.",
            )  # fmt: skip
        rarer = [
            event for event, limit in limits.items() if limit is None and event > max(t for t in limits if limits[t])
        ]
        least, most = LENGTH_STEP, LONGEST

        def made(length: float) -> Device:
            return BroadWeir(name="spillway", crest=crest, length=_up(length, LENGTH_STEP))

        def holds(length: float) -> bool:
            found = self._tried(pond, [*openings, made(length)], rarer, crest=crest)
            # a full pond overflows, also one without freeboard
            return all(one.level <= highest and one.level < top for one in found)

        if not rarer or holds(least):
            return made(2.0 if not rarer else least)
        if not holds(most):
            raise BadInput(
                f"no spillway up to {{}} keeps the freeboard at 1 in {rarer[-1]:g}.",
                values=(Quantity(most, "length", 4),), where=pond.name, remedy="Give it more storage above the crest.",
            )  # fmt: skip
        while most - least > LENGTH_STEP:
            middle = 0.5 * (least + most)
            least, most = (least, middle) if holds(middle) else (middle, most)
        return made(most)

    def _with_riser(self, devices: Sequence[Device], crest: float) -> tuple[Device, ...]:
        """The devices with the riser that holds the openings, its crest at a level (m)."""
        if self._riser is None:
            return tuple(devices)
        return (self._riser.model_copy(update={"crest": crest}), *devices)

    def _tried(
        self, pond: Pond, devices: Sequence[Device], events: Sequence[float],
        limits: dict[float, float | None] | None = None, crest: float | None = None,
    ) -> list[Kept]:  # fmt: skip
        """What devices make of some events; no water reaches the crest of the riser where none is given."""
        if not events:
            return []
        store = Storage(pond.storage)
        whole = self._with_riser(devices, store.top if crest is None else crest)
        study = edits.choose(self.study, self.key, "devices", whole, condition=self.home)
        if pond.storage is not self.pond.storage:
            study = edits.choose(study, self.key, "storage", pond.storage, condition=self.home)
        results = compute_cases(
            study, conditions=[self.condition], points=[self.point], return_periods=list(events), cache=self._cache,
            runs=self._runs,
        )  # fmt: skip
        by_event: dict[object, list[CaseResult]] = {}
        for case in counted_through(results, self.key, self.condition):
            by_event.setdefault(case.case.event, []).append(case)
        if any(event not in by_event for event in events):
            raise ComputationFailed(
                "not every storm is computed through it.", where=pond.name, remedy="Resolve the stops first."
            )
        return [self._kept(event, by_event[event], store, (limits or {}).get(event)) for event in events]

    def _kept(self, event: float, cases: Sequence[CaseResult], store: Storage, limit: float | None) -> Kept:
        pools = [pool for case in cases if (pool := case.pool(self.key)) is not None]
        level = max((store.top if pool.spilled else pool.top for pool in pools), default=store.floor)
        return Kept(event, limit, max(case.peak(self.point).ordinate for case in cases), level)


def _up(value: float, step: float) -> float:
    """A value rounded up to a step."""
    return round(float(np.ceil(value / step - 1e-9)) * step, 6)
