"""The confluence: where flows join."""

from __future__ import annotations

from typing import Literal

from tarnwater.network.elements.element import Element


class Confluence(Element):
    """Where flows join."""

    kind: Literal["confluence"] = "confluence"
