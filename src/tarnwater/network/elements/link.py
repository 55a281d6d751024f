"""The link: a way of the water."""

from __future__ import annotations

from tarnwater.parameters import Model


class Link(Model):
    """A way of the water from one element to the next, both by their keys."""

    up: str
    down: str
