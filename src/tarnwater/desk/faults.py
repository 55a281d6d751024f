"""Errors of the program: each becomes a report to copy, and is written to a rotating log."""

from __future__ import annotations

import contextlib
import logging
import platform
import sys
import threading
import traceback
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import Any

import platformdirs
from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater import __version__

#: Size of one log, and how many older ones are kept.
LARGEST, OLDER = 1 << 20, 3

LOG = logging.getLogger("tarnwater")
LOG.addHandler(logging.NullHandler())


def log_file() -> Path:
    """Path of the log of errors."""
    return Path(platformdirs.user_state_dir("tarnwater")) / "faults.log"


def report_of(error: BaseException) -> str:
    """A report of an error of the program, to be copied: what failed and where, without data of the study."""
    trace = "".join(traceback.format_exception(error))
    return f"Tarnwater {__version__}, Python {platform.python_version()}, {platform.platform()}\n\n{trace}"


class Faults(QObject):
    """Catches uncaught errors in every thread and reports them in the window's thread."""

    told = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._handler = _log_handler()
        self._before: tuple[Any, Any] = sys.excepthook, threading.excepthook
        # without a hook an error in a slot would end the program at once
        sys.excepthook = self._caught
        threading.excepthook = self._caught_in_thread

    def _caught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            self._before[0](kind, error, trace)
            return
        self.note(error)

    def _caught_in_thread(self, caught: threading.ExceptHookArgs) -> None:
        if caught.exc_value is not None and not issubclass(caught.exc_type, SystemExit):
            self.note(caught.exc_value)

    def note(self, error: BaseException) -> None:
        """Log an error and report it."""
        report = report_of(error)
        LOG.error(report)
        self.told.emit(report)

    def close(self) -> None:
        """Restore the hooks, and close the log."""
        sys.excepthook, threading.excepthook = self._before
        if self._handler is not None:
            LOG.removeHandler(self._handler)
            self._handler.close()


def _log_handler() -> logging.Handler | None:
    """The rotating log; None if its folder cannot be written."""
    path = log_file()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(path, maxBytes=LARGEST, backupCount=OLDER, encoding="utf-8", delay=True)
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        # a full disk must not turn one fault into another
        handler.handleError = lambda record: None  # type: ignore[method-assign]
        LOG.addHandler(handler)
        return handler
    return None
