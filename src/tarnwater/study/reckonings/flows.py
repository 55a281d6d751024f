"""Reckonings of flows, element by element, upstream to the catchments."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import numpy as np

from tarnwater import states, units
from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.methods import Asked, Derivation
from tarnwater.network.elements import AskedOfElement, Catchment, Element, Situation, Surface
from tarnwater.rain.storms import Rain
from tarnwater.reckoning import Reckoning
from tarnwater.states import State
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.document import Study
from tarnwater.study.reckonings.rain import RainReckonings
from tarnwater.study.reckonings.settings import followed
from tarnwater.units import System

NETWORK_SOURCE = "water balance of a confluence"


@dataclass(frozen=True, eq=False)
class HeldState:
    """The state of an element, as a value of a node."""

    state: State

    def in_words(self, system: System) -> str:
        """A description: a state has many numbers, which only the method knows."""
        return "water and deficits held then"


class Book(RainReckonings):
    """All reckonings of one computed case; each node is built once."""

    def __init__(self, study: Study, case: CaseResult, results: Results | None) -> None:
        super().__init__(study, case, results)
        self._flows: dict[str, Reckoning] = {}
        self._ways: dict[str, Reckoning] = {}
        self._in_storm: dict[str, Element] = {}

    def element(self, key: str) -> Element:
        """An element as it is in the storm of the case; `UnknownName` with the nearest."""
        plain = super().element(key)
        if not plain.by_storm:
            return plain
        if key not in self._in_storm:
            self._in_storm[key] = self.case.element(key)
        return self._in_storm[key]

    def flow(self, key: str) -> Reckoning:
        """The flow of an element in the case, with all its inputs."""
        if key not in self._flows:
            owner = self.element(key)
            node = Reckoning(
                f"flow of {owner.name}", self.case.hydrograph(key), "flow", symbol="Q", place=f"{key}/flow"
            )
            self._flows[key] = followed(node, self._flow_of(owner, key))
        return self._flows[key]

    def _flow_of(self, owner: Element, key: str) -> Derivation:
        if (state := self.start_of(key)) is not None:
            return self._going_on(owner, key, state)
        links = self.network.outlets[key]
        if len(links) < 2:
            return owner.flow(_AskedOfElement(self, key))
        ways = tuple(self.flow_by(name) for name, _ in links)
        terms = " + ".join(f"Q({self.study.name_of(link.down)})" for _, link in links)
        return Derivation(f"Q = {terms}", NETWORK_SOURCE, ways, self._added)

    def asked_of(self, key: str) -> AskedOfElement:
        """What an element may ask while one of its figures is explained."""
        return _AskedOfElement(self, key)

    def start_of(self, key: str) -> State:
        """State of an element at the start of the run, of this case alone; None at rest."""
        case = self.case
        return states.cases_of(case.run.batch.start.get(key), slice(case.index, case.index + 1))

    def _state(self, state: State) -> Reckoning:
        """The state at the start of the run, as a node without a single number."""
        before = self.study.storms[self.case.case.start].name
        return Reckoning(
            f"state at the end of “{before}”", HeldState(state), "", symbol="S0", origin=f"computed from “{before}”"
        )

    def _going_on(self, owner: Element, key: str, state: State) -> Derivation:
        """The derivation of the flow of a run that starts from a state, by the response of the element as a whole."""
        links, fine = self.network.outlets[key], self.case.rain_in_losses(key) if owner.takes_rain else None
        rain = None if fine is None else self._rain_in_losses(key, fine)
        inflows = tuple(self.flow_by(name) for name, _ in self.network.inlets[key])
        inputs = (*inflows, *(() if rain is None else (rain,)), self._state(state))

        def respond(*values: Any) -> Hydrograph:
            *given, held = values
            depths = None if fine is None else Rain(np.atleast_2d(given.pop()), fine.step)
            downs = tuple(link.down for _, link in links)
            out = np.empty((1, self.steps + 1))
            situation = Situation(
                self.case.step, self.steps, 1, depths, given, downs, held.state, out, begins=self.case.run.batch.begins
            )
            return self._added(*owner.respond(situation).ways)

        symbols = ", ".join(node.symbol for node in inputs)
        return Derivation(f"Q = the response to {symbols}", f"{owner.tag()}, going on from a state", inputs, respond)

    def flow_by(self, link: str) -> Reckoning:
        """The flow in a link, with all its inputs."""
        up = self.network.links[link].up
        if len(self.network.outlets[up]) < 2:
            return self.flow(up)
        if link not in self._ways:
            owner, number = self.element(up), self.network.way_number[link]
            node = Reckoning(
                f"flow from {owner.name} to {self.study.name_of(self.network.links[link].down)}",
                self.case.hydrograph(up, link),
                "flow",
                symbol="Q",
                place=f"{up}/flow",
            )
            self._ways[link] = followed(node, owner.way(number, _AskedOfElement(self, up)))
        return self._ways[link]

    def _added(self, *parts: Hydrograph) -> Hydrograph:
        return add_up(list(parts), np.empty((1, self.steps + 1)), self.case.step)

    @property
    def steps(self) -> int:
        """Steps of the run."""
        return self.case.run.batch.steps

    def inflow(self, key: str) -> Reckoning:
        """The total inflow of an element."""
        inputs = tuple(self.flow_by(name) for name, _ in self.network.inlets[key])
        names = (self.element(link.up).name for _, link in self.network.inlets[key])
        return Reckoning(
            f"inflow of {self.element(key).name}",
            self._added(*(node.value for node in inputs)),
            "flow",
            symbol="Q",
            equation="Q = " + (" + ".join(f"Q({name})" for name in names) or "0"),
            source=NETWORK_SOURCE,
            inputs=inputs,
            evaluate=self._added,
            place=f"{key}/flow",
        )

    def unit(self, key: str, owner: Catchment) -> Reckoning:
        """The unit hydrograph of a catchment at the step of the run."""
        found = owner.transform.unit_reckoning(self.asked(key, "transform"))
        if found is None:
            what = f"the transform “{owner.transform.title}” has no unit hydrograph."
            raise BadInput(what, where=owner.name, remedy="Ask its flow.")
        return found

    def excess(self, key: str, owner: Catchment, rows: Sequence[int] = ()) -> Reckoning:
        """The excess rain on a catchment, surface by surface; of some of them where ``rows`` says which."""
        if (state := self.start_of(key)) is not None:
            return self._excess_going_on(key, owner, state)
        inputs = []
        for row in rows or range(len(owner.surfaces)):
            inputs += [self.weight(key, owner, row), self.surface_excess(key, row, owner.surfaces[row])]

        def weighted(*values: Any) -> Floats:
            found: Floats = np.sum([w * e for w, e in zip(values[::2], values[1::2], strict=True)], axis=0)
            return found

        terms = " + ".join(f"w{r + 1} Pe{r + 1}" for r in rows or range(len(owner.surfaces)))
        return Reckoning(
            title=f"excess rain on {owner.name}",
            value=weighted(*(i.value for i in inputs)),
            kind="rain",
            symbol="Pe",
            equation=f"Pe = {terms}",
            source="each surface with its own losses",
            inputs=tuple(inputs),
            evaluate=weighted,
        )

    def infiltration(self, key: str, owner: Catchment) -> Reckoning:
        """Rain on a catchment that neither runs off nor fills depressions, surface by surface."""
        inputs = [self.storm.rain_on(key)]
        for row, surface in enumerate(owner.surfaces):
            bare = surface.model_copy(update={"depression": 0.0})
            inputs += [self.weight(key, owner, row), self.surface_excess(key, row, bare)]

        def entered(rain: Floats, *values: Any) -> Floats:
            ran_off = np.sum([w * e for w, e in zip(values[::2], values[1::2], strict=True)], axis=0)
            found: Floats = -ran_off
            found[: len(rain)] += rain
            return found

        terms = " − ".join(f"w{r + 1} Pe{r + 1}" for r in range(len(owner.surfaces)))
        return Reckoning(
            f"infiltration on {owner.name}", entered(*(node.value for node in inputs)), "rain", symbol="F",
            equation=f"F = ΔP − {terms}", source="rain that neither runs off nor fills depressions",
            inputs=tuple(inputs), evaluate=entered,
        )  # fmt: skip

    def _excess_going_on(self, key: str, owner: Catchment, state: State) -> Reckoning:
        """The excess rain on a catchment whose losses start from a state."""

        def respond(depths: Floats, held: HeldState) -> Floats:
            rained = Rain(np.atleast_2d(depths), fine.step)
            found: Floats = owner.excess_of(rained, self.case.step, owner.losses_in(held.state)).excess[0]
            return found

        fine = self.case.rain_in_losses(key)
        rain, held = self._rain_in_losses(key, fine), self._state(state)
        return Reckoning(
            title=f"excess rain on {owner.name}",
            value=respond(rain.value, held.value),
            kind="rain",
            symbol="Pe",
            equation="Pe = the response of the losses to ΔP, S0",
            source="each surface with its own losses, going on from a state",
            inputs=(rain, held),
            evaluate=respond,
        )

    def surface_excess(self, key: str, row: int, surface: Surface) -> Reckoning:
        """The excess on a surface: after its loss, after its depressions, in steps of the run."""
        path, name, symbol = f"surfaces/{row}/loss", surface.name or f"surface {row + 1}", f"Pe{row + 1}"
        fine = self.case.rain_in_losses(key)
        lost = surface.loss.respond(fine.depths, fine.step).excess
        derivation = surface.loss.excess(self._rain_in_losses(key, fine), fine.step, self.asked(key, path))
        node = Reckoning(f"excess on {name}", lost[0].copy(), "rain", symbol=symbol, place=f"{key}/{path}")
        node = followed(node, derivation)
        if surface.depression:
            node = self._after_depressions(key, row, surface, node)
        return node if fine.step == self.case.step else _in_steps_of(node, fine.step, self.case.step)

    def _rain_in_losses(self, key: str, fine: Rain) -> Reckoning:
        """The rain as losses take it, where its own steps are finer than those of the run."""
        if fine.step == self.case.step:
            return self.storm.rain_on(key)
        return Reckoning(
            f"rain on {self.element(key).name} in steps of {units.show_duration(fine.step)}", fine.depths[0], "rain",
            symbol="ΔP", origin="the storm as it is given, laid over whole parts of the steps of the run",
        )  # fmt: skip

    def _after_depressions(self, key: str, row: int, surface: Surface, excess: Reckoning) -> Reckoning:
        """Excess less what fills the depressions of a surface."""
        depth = Reckoning(
            "depression storage", surface.depression, "rain", symbol="d", origin="typed",
            place=f"{key}/surfaces/{row}/depression",
        )  # fmt: skip
        return Reckoning(
            f"{excess.title}, depressions filled", _overflowing(excess.value, surface.depression), "rain",
            symbol=excess.symbol, equation="Pe = Pe0 − what d still lacks", source="depressions fill once",
            inputs=(replace(excess, symbol="Pe0"), depth), evaluate=_overflowing,
        )  # fmt: skip


def _overflowing(excess: Floats, capacity: float) -> Floats:
    """Excess (step,) mm that is left when a depth (mm) has been filled."""
    run = np.maximum(np.cumsum(excess) - capacity, 0.0)
    return np.asarray(np.diff(run, prepend=0.0))


def _in_steps_of(excess: Reckoning, fine: float, step: float) -> Reckoning:
    """Excess added up to the steps of the run."""

    def added(depths: Floats) -> Floats:
        found: Floats = Rain(depths[None, :], fine).at_step(step).depths[0]
        return found

    return Reckoning(
        f"{excess.title} in steps of the run", added(excess.value), "rain", symbol=excess.symbol,
        equation="Pe = Σ Pe0 over the step", source="losses run on the finer step of the rain",
        inputs=(replace(excess, symbol="Pe0"),), evaluate=added,
    )  # fmt: skip


@dataclass(frozen=True)
class _AskedOfElement:
    """The interface of the book for an element whose flow is explained."""

    book: Book
    key: str

    @property
    def owner(self) -> str:
        return str(self.book.element(self.key).name)

    @property
    def step(self) -> float:
        return self.book.case.step

    @property
    def steps(self) -> int:
        return self.book.steps

    @property
    def downs(self) -> tuple[str, ...]:
        return tuple(link.down for _, link in self.book.network.outlets[self.key])

    @property
    def inflow(self) -> Reckoning:
        return self.book.inflow(self.key)

    @property
    def excess(self) -> Reckoning:
        return self.book.excess(self.key, self.book.catchment(self.key))

    def excess_on(self, rows: Sequence[int]) -> Reckoning:
        return self.book.excess(self.key, self.book.catchment(self.key), rows)

    def excess_of(self, row: int) -> Reckoning:
        return self.book.surface_excess(self.key, row, self.book.catchment(self.key).surfaces[row])

    @property
    def infiltration(self) -> Reckoning:
        return self.book.infiltration(self.key, self.book.catchment(self.key))

    @property
    def area(self) -> Reckoning:
        return self.book.setting(self.key, "area")

    @property
    def begins(self) -> datetime | None:
        return self.book.case.run.batch.begins

    def level(self, key: str) -> Reckoning:
        owner = self.book.element(key)
        value = self.book.case.level(key)
        return Reckoning(f"level of {owner.name}", value, "length", symbol="h", origin="computed together with it")

    def method(self, path: str) -> Asked:
        return self.book.asked(self.key, path)
