"""Checks of the file itself: an older format, damage, layers that another program changed."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import holds_text
from tarnwater.study.file.text import said_of_text


def findings_of_file(path: Path) -> list[Finding]:
    """Findings about the file itself: an older format, damage, layers that another program changed."""
    if holds_text(path):
        return said_of_file(said_of_text(path))
    with StudyFile.open(path) as file:
        return said_of_file(file.said_of_older, file.layers_changed_outside, file.damaged)


def said_of_file(of_older: Iterable[str], layers: Iterable[str] = (), damaged: Iterable[str] = ()) -> list[Finding]:
    """Findings of a file from notes on its older format, the layers changed outside, and its damage."""
    changed = "was changed by another program; the study does not follow it."
    return [
        *(
            Finding("older-format", "note", text, (Remedy("It is written in the present format with the next edit."),))
            for text in of_older
        ),
        *(Finding("file-damaged", "doubt", text, (Remedy("Restore it from a copy."),)) for text in damaged),
        *(
            Finding(
                "layer-changed-outside",
                "doubt",
                f"the layer {layer} {changed}",
                (Remedy("Type the change into the study, where it is meant."),),
            )
            for layer in layers
        ),
    ]
