"""Tarnwater: flood hydrology at a desk.

In a script ``tarnwater.open(path)`` gives a study that is edited by name and computed; see `tarnwater.script`.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

    from tarnwater.script import OpenStudy

# plugins of other programs must not change how a study is read, and searching for them takes time
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.2.0"


def open(path: str | Path) -> OpenStudy:
    """Open a study; see `tarnwater.script.open_study`."""
    from tarnwater.script import open_study

    return open_study(path)


def new(path: str | Path, *, title: str = "", units: str = "SI") -> OpenStudy:
    """Write a new study and open it; see `tarnwater.script.new_study`."""
    from tarnwater.script import new_study

    return new_study(path, title=title, units=units)
