"""The tools that draw outlines and flow paths: what each is called, its key, and where its ends must lie."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

OutlineKind = Literal["draw", "reshape", "split", "path"]


@dataclass(frozen=True)
class OutlineTool:
    """A tool: its letter and words, whether its line is closed, and whether its ends must lie on the outline.

    One that works ``on_selected`` needs a catchment with an outline.
    """

    letter: str
    words: str
    hint: str
    closed: bool = False
    ends_on_outline: bool = False
    on_selected: bool = True


TOOLS: dict[OutlineKind, OutlineTool] = {
    "draw": OutlineTool(
        "D",
        "Draw a catchment",
        "a new catchment: click at each corner, twice at the last",
        closed=True,
        on_selected=False,
    ),
    "reshape": OutlineTool(
        "R",
        "Reshape the outline",
        "a new course from one place of the outline to another; neighbours give way",
        ends_on_outline=True,
    ),
    "split": OutlineTool("S", "Split the catchment", "a line across the catchment, from edge to edge"),
    "path": OutlineTool("P", "Draw the flow path", "the flow path, from its head down to the outlet"),
}

#: Tools by their letters.
BY_LETTER: dict[str, OutlineKind] = {tool.letter: kind for kind, tool in TOOLS.items()}

#: How places are taken.
HOW = "snaps (not with Shift) · Enter ends · Backspace takes one back · Esc leaves"
