"""The link: where the water of an element goes."""

from __future__ import annotations

from tarnwater.parameters import Model


class Link(Model):
    """A link from one element to the next one down, both by their keys."""

    up: str
    down: str
