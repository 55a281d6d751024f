"""The split: where flow parts in two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation
from tarnwater.network.elements.element import Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import option
from tarnwater.routing.splits import AnySplitRule, ShareRule


class Split(Element):
    """Where flow parts: a rule says what goes the second way.

    ``diverts_to`` is the key of the element of the second way; without it, the last link. With one link all goes that
    way.
    """

    kind: Literal["split"] = "split"

    shape: ClassVar[Shape] = "fork"
    several_down: ClassVar[bool] = True

    rule: AnySplitRule = ShareRule()
    diverts_to: str = option("element that the second way leads to", label="second way to")

    def second_way(self, downs: Sequence[str]) -> int:
        """Number of the link that is the second way; 0 with one link."""
        return downs.index(self.diverts_to) if self.diverts_to in downs else max(len(downs) - 1, 0)

    def words_for(self, path: str, below: Mapping[str, str]) -> Mapping[str, str] | None:
        """Elements that the second way may lead to."""
        return {"": "the last link", **below} if path == "diverts_to" and len(below) > 1 else (
            {"": "the last link"} if path == "diverts_to" else None
        )  # fmt: skip

    def respond(self, situation: Situation) -> Answer:
        """The inflow, parted."""
        downs = situation.downs
        if len(downs) < 2:
            return Answer((situation.joined,))
        first, second = self.rule.part(situation.joined)
        return Answer(tuple(self._ways(first, second, downs, situation.out)))

    def _ways(self, first: Hydrograph, second: Hydrograph, downs: Sequence[str], like: Floats) -> list[Hydrograph]:
        """The flow in each link: links beyond the second have none."""
        number = self.second_way(downs)
        main = next(n for n in range(len(downs)) if n != number)
        by_link = {number: second, main: first}
        dry = Hydrograph(np.zeros_like(like), first.step)
        return [by_link.get(n, dry) for n in range(len(downs))]

    def bases(self, base: Floats, downs: Sequence[str]) -> tuple[Floats, ...]:
        """The flow from the ground, parted by the rule."""
        if len(downs) < 2:
            return (base,)
        second, number = self.rule.diverted(base), self.second_way(downs)
        main = next(n for n in range(len(downs)) if n != number)
        found = [np.zeros_like(base) for _ in downs]
        found[number], found[main] = second, base - second
        return tuple(found)

    def way(self, number: int, asked: AskedOfElement) -> Derivation:
        """The flow in one of its links, by its rule."""
        inflow = replace(asked.inflow, title=f"inflow of {self.name}", symbol="Q")
        names = [name for name, _ in self.rule.quantities() if not isinstance(getattr(self.rule, name), tuple)]
        own = tuple(asked.method("rule").own(name) for name in names)

        def parted(into: Hydrograph, *values: Any) -> Hydrograph:
            first, second = self.rule.with_values(names, values).part(into)
            return self._ways(first, second, asked.downs, into.flow)[number]

        equation = self.rule.equation if number == self.second_way(asked.downs) else f"Q − Q2, {self.rule.equation}"
        return Derivation(equation, self.rule.source, (inflow, *own), parted)
