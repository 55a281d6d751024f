"""The start of the window: its modules are loaded without a search for garbage among them."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path


def load() -> None:
    """Load what the window is made of.

    Loading leaves next to no garbage, and looking for it again and again takes a tenth of the start. From the
    application on, `tidying` collects.
    """
    gc.disable()
    from tarnwater.desk import opening, shell  # noqa: F401


def open_window(path: Path | None) -> int:
    """Open the window on a study, by default the last one, and stay until it is closed; returns the exit code."""
    load()
    from tarnwater.desk import opening

    return opening.open_window(path)


def has_display() -> bool:
    """Whether a window can be shown here."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")) or sys.platform == "darwin"
