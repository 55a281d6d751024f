"""The graph: which element drains into which, and the order of computation."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from graphlib import CycleError, TopologicalSorter

import numpy as np

from tarnwater.errors import NetworkError
from tarnwater.methods import Missing
from tarnwater.network.elements import Element, Link


@dataclass(frozen=True)
class Fault:
    """Why a network cannot be computed: a stable ``code``, the element and the link concerned, and the remedy.

    ``element`` is empty for a fault of the whole network, which withholds all its cases.
    """

    code: str
    what: str
    remedy: str
    element: str = ""
    link: str = ""


@dataclass(frozen=True, eq=False)
class Network:
    """Elements by key, and the links between them, in one condition.

    ``unmet`` are settings of the condition that cannot be applied, as faults. For a part of a network, ``beyond`` are
    the keys of elements outside it to which its links lead.
    """

    elements: Mapping[str, Element]
    links: Mapping[str, Link]
    unmet: tuple[Fault, ...] = ()
    beyond: frozenset[str] = frozenset()

    @cached_property
    def inlets(self) -> dict[str, tuple[tuple[str, Link], ...]]:
        """Links into each element, with their keys."""
        found: dict[str, list[tuple[str, Link]]] = {key: [] for key in self.elements}
        for name, link in self.links.items():
            if link.up in found and link.down in found:
                found[link.down].append((name, link))
        return {key: tuple(links) for key, links in found.items()}

    @cached_property
    def outlets(self) -> dict[str, tuple[tuple[str, Link], ...]]:
        """Links out of each element, with their keys, also those that lead out of the part."""
        found: dict[str, list[tuple[str, Link]]] = {key: [] for key in self.elements}
        for name, link in self.links.items():
            if link.up in found and (link.down in found or link.down in self.beyond):
                found[link.up].append((name, link))
        return {key: tuple(links) for key, links in found.items()}

    @cached_property
    def way_number(self) -> dict[str, int]:
        """Position of each link among the links out of its upper element, by the key of the link."""
        return {name: number for links in self.outlets.values() for number, (name, _) in enumerate(links)}

    @cached_property
    def parting(self) -> dict[str, Link]:
        """Links of elements with several links down, by the key of the link."""
        return {name: link for links in self.outlets.values() if len(links) > 1 for name, link in links}

    @cached_property
    def upstream(self) -> dict[str, tuple[str, ...]]:
        """Keys of the elements that drain into each element."""
        return {key: tuple(link.up for _, link in links) for key, links in self.inlets.items()}

    @cached_property
    def downstream(self) -> dict[str, tuple[str, ...]]:
        """Keys of the elements into which each element drains."""
        return {
            key: tuple(link.down for _, link in links if link.down in self.elements)
            for key, links in self.outlets.items()
        }

    @cached_property
    def leaving(self) -> tuple[tuple[str, int], ...]:
        """Where water leaves the network: key of the element, and position of the link out of it."""
        found = []
        for key, links in self.outlets.items():
            out = [number for number, (_, link) in enumerate(links) if link.down in self.beyond]
            found += [(key, number) for number in (out if links else [0])]
        return tuple(found)

    @cached_property
    def order(self) -> tuple[str, ...]:
        """Keys from upstream to downstream; `NetworkError` names a loop."""
        try:
            return tuple(TopologicalSorter(self.upstream).static_order())
        except CycleError as error:
            loop = " → ".join(self.elements[key].name for key in reversed(error.args[1]))
            raise NetworkError(
                f"the links form a loop: {loop}.", where="network", remedy="Remove one of these links."
            ) from error

    @cached_property
    def groups(self) -> tuple[tuple[str, ...], ...]:
        """Groups of elements in the order of the pass; elements that feel each other are one group."""
        order = self.order
        felt = {key: [k for k in self.elements[key].feels() if k in self.elements] for key in order}
        if not any(felt.values()):
            return tuple((key,) for key in order)
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        place = {key: number for number, key in enumerate(order)}
        acting = [(up, key) for key in order for up in (*self.upstream[key], *felt[key])]
        rows, columns = np.array([(place[a], place[b]) for a, b in acting]).T
        graph = coo_array((np.ones(len(rows)), (rows, columns)), shape=(len(order), len(order)))
        _, label = connected_components(graph, connection="strong")
        members: dict[int, list[str]] = {}
        for key in order:
            members.setdefault(label[place[key]], []).append(key)
        before: dict[int, set[int]] = {number: set() for number in members}
        for up, key in acting:
            if label[place[up]] != label[place[key]]:
                before[label[place[key]]].add(label[place[up]])
        return tuple(tuple(members[number]) for number in TopologicalSorter(before).static_order())

    @cached_property
    def group_of(self) -> dict[str, tuple[str, ...]]:
        """The elements with which each one is computed, itself included."""
        return {key: group for group in self.groups for key in group}

    @cached_property
    def ends(self) -> tuple[str, ...]:
        """Keys of the elements that drain nowhere."""
        return tuple(key for key in self.elements if not self.downstream[key])

    @cached_property
    def faults(self) -> tuple[Fault, ...]:
        """Faults of the network: links to nothing, too many links down, duplicate links, loops."""
        return (*self.unmet, *self._dangling(), *self._doubled(), *self._looped())

    def _dangling(self) -> Iterator[Fault]:
        for key, link in self.links.items():
            for end in (link.up, link.down):
                if end not in self.elements and end not in self.beyond:
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

    def above(self, keys: Iterable[str]) -> Mapping[str, None]:
        """Keys of all elements that drain to some elements, themselves included, in the order of the elements.

        Because of the order, sums over them are the same in every process.
        """
        if isinstance(keys, str):
            raise TypeError("keys, not one key")
        asked = tuple(keys)
        if asked not in self._above:
            self._above[asked] = self._find_above(asked)
        return self._above[asked]

    @cached_property
    def _above(self) -> dict[tuple[str, ...], Mapping[str, None]]:
        return {}

    def _find_above(self, keys: tuple[str, ...]) -> Mapping[str, None]:
        found: set[str] = set()
        waiting = list(keys)
        while waiting:
            key = waiting.pop()
            if key not in found:
                found.add(key)
                waiting.extend(self.upstream[key])
        return dict.fromkeys(key for key in self.elements if key in found)

    def acting_on(self, keys: Iterable[str]) -> set[str]:
        """Keys of all elements that act on the flow of some elements.

        Those upstream, and those whose level is felt there.
        """
        found: set[str] = set()
        waiting = list(self.above(keys))
        while waiting:
            key = waiting.pop()
            if key not in found:
                found.add(key)
                waiting.extend(self.upstream[key])
                waiting.extend(k for k in self.elements[key].feels() if k in self.elements)
        return found

    def part_above(self, keys: Iterable[str]) -> Network:
        """The part of the network that acts on some elements; an element keeps its links that lead out of the part."""
        asked = tuple(keys)
        if asked not in self._parts:
            self._parts[asked] = self._find_part_above(asked)
        return self._parts[asked]

    @cached_property
    def _parts(self) -> dict[tuple[str, ...], Network]:
        return {}

    def _find_part_above(self, keys: tuple[str, ...]) -> Network:
        kept = self.acting_on(keys)
        elements = {key: element for key, element in self.elements.items() if key in kept}
        several = {key for key in kept if len(self.outlets[key]) > 1}
        links = {
            name: link
            for name, link in self.links.items()
            if link.up in kept and (link.down in kept or (link.up in several and link.down in self.elements))
        }
        beyond = frozenset(link.down for link in links.values()) - kept
        return Network(elements, links, tuple(f for f in self.unmet if f.element in kept), beyond)

    @cached_property
    def lacking(self) -> dict[str, Missing]:
        """What each element lacks first to be computed, by its key."""
        found = {key: element.missing() for key, element in self.elements.items()}
        return {key: missing[0] for key, missing in found.items() if missing}

    def memory(self, key: str, step: float) -> float:
        """Longest time that water above an element needs to leave after the rain, over each path, about, s."""
        if step not in self._memories:
            longest: dict[str, float] = {}
            for name in self.order:
                upstream = max((longest[up] for up in self.upstream[name]), default=0.0)
                longest[name] = upstream + self.elements[name].memory(step)
            self._memories[step] = longest
        return self._memories[step][key] + step

    @cached_property
    def _memories(self) -> dict[float, dict[str, float]]:
        return {}

    def area_above(self, key: str) -> float:
        """Catchment area draining to an element, m2."""
        return sum(self.elements[k].drained for k in self.above([key]))
