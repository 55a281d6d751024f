"""Keys and names of new elements, and names that follow renamed ones."""

from __future__ import annotations

import re
from collections.abc import Container

from tarnwater.network.elements import Reach
from tarnwater.study.document import Study


def slug(name: str, taken: Container[str]) -> str:
    """A short key for a name, not among those taken."""
    base = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "element"
    key, number = base, 2
    while key in taken:
        key, number = f"{base}-{number}", number + 1
    return key


def unused_name(study: Study, kind: str) -> str:
    """An unused name for a new element of a kind: ``Catchment 2``."""
    taken = {e.name for e in study.all_elements.values()} | {o.name for o in study.outlets.values()}
    return next(f"{kind} {n}" for n in range(1, len(taken) + 2) if f"{kind} {n}" not in taken)


def names_that_follow(study: Study, element: str, name: str) -> dict[str, str]:
    """New names, by key, of elements that are named after a renamed one.

    The node of an outlet is ``X outlet`` of its catchment, a reach ``X to Y`` of those at its ends.
    """
    old, taken = study.name_of(element), {e.name for e in study.all_elements.values()}
    found: dict[str, str] = {}
    for key, other in study.all_elements.items():
        wanted = other.name
        if isinstance(other, Reach):
            up, parted, down = other.name.partition(" to ")
            if parted and old in (up, down):
                wanted = " to ".join(name if end == old else end for end in (up, down))
        elif key == f"{element}-outlet" and other.name == f"{old} outlet":
            wanted = f"{name} outlet"
        if wanted != other.name and wanted not in taken:
            found[key] = wanted
            taken.add(wanted)
    return found
