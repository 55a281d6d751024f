"""The graph: which element drains into which, in what order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from graphlib import CycleError, TopologicalSorter

from tarnwater.errors import NetworkError
from tarnwater.network.elements import Catchment, Link, _Element


@dataclass(frozen=True)
class Fault:
    """Why a network cannot be computed: a stable ``code``, the element and the link it is about, and what to do.

    ``element`` is empty where the fault is not one element's; all cases of the network wait for it then.
    """

    code: str
    what: str
    remedy: str
    element: str = ""
    link: str = ""


@dataclass(frozen=True, eq=False)
class Network:
    """Elements by key, and the links between them, as one condition has them.

    ``unmet`` are faults known beforehand: settings of the condition that cannot be applied.
    """

    elements: Mapping[str, _Element]
    links: Mapping[str, Link]
    unmet: tuple[Fault, ...] = ()

    @cached_property
    def upstream(self) -> dict[str, tuple[str, ...]]:
        """Keys of the elements that drain into each."""
        found: dict[str, list[str]] = {key: [] for key in self.elements}
        for link in self.links.values():
            if link.up in found and link.down in found:
                found[link.down].append(link.up)
        return {key: tuple(ups) for key, ups in found.items()}

    @cached_property
    def downstream(self) -> dict[str, tuple[str, ...]]:
        """Keys of the elements that each drains into."""
        found: dict[str, list[str]] = {key: [] for key in self.elements}
        for link in self.links.values():
            if link.up in found and link.down in found:
                found[link.up].append(link.down)
        return {key: tuple(downs) for key, downs in found.items()}

    @cached_property
    def order(self) -> tuple[str, ...]:
        """Keys from the hills to the outfalls; `NetworkError` names a loop."""
        try:
            return tuple(TopologicalSorter(self.upstream).static_order())
        except CycleError as error:
            loop = " → ".join(self.elements[key].name for key in reversed(error.args[1]))
            raise NetworkError(
                f"the links run in a loop: {loop}.", where="network", remedy="Remove one of these links."
            ) from None

    @cached_property
    def ends(self) -> tuple[str, ...]:
        """Keys of the elements that drain nowhere."""
        return tuple(key for key in self.elements if not self.downstream[key])

    @cached_property
    def faults(self) -> tuple[Fault, ...]:
        """What keeps it from being computed: links to nothing, more links down than may be, a link doubled, loops."""
        return (*self.unmet, *self._dangling(), *self._doubled(), *self._looped())

    def _dangling(self) -> Iterator[Fault]:
        for key, link in self.links.items():
            for end in (link.up, link.down):
                if end not in self.elements:
                    yield Fault(
                        "dangling-link",
                        f"the link from {self._name(link.up)} to {self._name(link.down)} has no {self._name(end)} "
                        "to hold to.",
                        "Remove the link.",
                        link=key,
                    )

    def _doubled(self) -> Iterator[Fault]:
        for key, element in self.elements.items():
            downs = self.downstream[key]
            if len(downs) > 1 and not element.several_down:
                what = "it drains to more than one element, and its water would count twice."
                yield Fault("two-links-down", what, "Keep one of its links.", element=key)
            for down, count in Counter(downs).items():
                if count > 1:
                    what = f"it is connected {count} times to {self._name(down)}."
                    yield Fault("link-doubled", what, "Keep one of the links.", element=key)

    def _looped(self) -> Iterator[Fault]:
        try:
            _ = self.order
        except NetworkError as error:
            yield Fault("loop", error.what, error.remedy)

    def _name(self, key: str) -> str:
        return self.elements[key].name if key in self.elements else key

    def above(self, keys: Iterable[str]) -> set[str]:
        """Keys of all that drains to some elements, themselves included."""
        if isinstance(keys, str):
            raise TypeError("keys, not one key")
        asked = tuple(keys)
        if asked not in self._above:
            self._above[asked] = self._find_above(asked)
        return self._above[asked]

    @cached_property
    def _above(self) -> dict[tuple[str, ...], set[str]]:
        return {}

    def _find_above(self, keys: tuple[str, ...]) -> set[str]:
        found: set[str] = set()
        waiting = list(keys)
        while waiting:
            key = waiting.pop()
            if key not in found:
                found.add(key)
                waiting.extend(self.upstream[key])
        return found

    def part_above(self, keys: Iterable[str]) -> Network:
        """The network that drains to some elements."""
        kept = self.above(keys)
        elements = {key: element for key, element in self.elements.items() if key in kept}
        links = {key: link for key, link in self.links.items() if link.up in kept and link.down in kept}
        return Network(elements, links, tuple(f for f in self.unmet if f.element in kept))

    def area_above(self, key: str) -> float:
        """Catchment area draining to an element, m2."""
        catchments = (self.elements[k] for k in self.above([key]))
        return sum(c.area.value or 0.0 for c in catchments if isinstance(c, Catchment))
