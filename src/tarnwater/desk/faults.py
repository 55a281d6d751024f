"""Errors of the program: each becomes a report to copy, and is written to a rotating log."""

from __future__ import annotations

import contextlib
import logging
import platform
import sys
import threading
import traceback
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


class _LateLog(logging.Handler):
    """A rotating log that is opened with the first record: its module takes long to load, and most runs log nothing."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path = path
        self._log: logging.Handler | None = None

    def emit(self, record: logging.LogRecord) -> None:
        """Write a record to the log."""
        if self._log is None:
            from logging.handlers import RotatingFileHandler

            self._log = RotatingFileHandler(self._path, "a", LARGEST, OLDER, encoding="utf-8", delay=True)
            self._log.setFormatter(self.formatter)
            # a full disk must not turn one fault into another
            self._log.handleError = lambda record: None  # type: ignore[method-assign]
        self._log.emit(record)

    def close(self) -> None:
        """Close the log, if it was opened."""
        if self._log is not None:
            self._log.close()
        super().close()


def _log_handler() -> logging.Handler | None:
    """The rotating log; None if its folder cannot be written."""
    path = log_file()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = _LateLog(path)
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        LOG.addHandler(handler)
        return handler
    return None
