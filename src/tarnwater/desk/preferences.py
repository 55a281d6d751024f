"""Preferences that the window keeps between two starts, in the folders of the desktop standard."""

from __future__ import annotations

import contextlib
import hashlib
import tempfile
import warnings
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QByteArray, QLockFile, QSettings

from tarnwater.errors import StudyFileError

MOST_RECENT = 12


class Preferences:
    """Recent studies, the theme, and the geometry of the window."""

    def __init__(self) -> None:
        folder = Path(platformdirs.user_config_dir("tarnwater"))
        self._kept = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)

    @property
    def recent(self) -> list[Path]:
        """Studies opened lately, the last one first; those that are gone are left out."""
        try:
            kept = self._kept.value("recent", [])
        except (TypeError, ValueError):
            return []
        names = [kept] if isinstance(kept, str) else kept if isinstance(kept, list) else []
        return [Path(name) for name in names if isinstance(name, str) and name and _is_there(Path(name))]

    def note_opened(self, path: Path) -> None:
        """Put a study first among the recent ones."""
        others = [p for p in self.recent if p != path.resolve()]
        self._kept.setValue("recent", [str(p) for p in (path.resolve(), *others)][:MOST_RECENT])

    @property
    def theme(self) -> str:
        """Name of the look."""
        return "dark" if self._kept.value("theme", "light") == "dark" else "light"

    @theme.setter
    def theme(self, name: str) -> None:
        self._kept.setValue("theme", name)

    @property
    def geometry(self) -> QByteArray:
        """Geometry of the window, as Qt writes it; empty the first time."""
        kept = self._kept.value("geometry")
        return kept if isinstance(kept, QByteArray) else QByteArray()

    @geometry.setter
    def geometry(self, kept: QByteArray) -> None:
        self._kept.setValue("geometry", kept)

    @property
    def bench(self) -> str:
        """Title of the last bench."""
        return str(self._kept.value("bench", ""))

    @bench.setter
    def bench(self, title: str) -> None:
        self._kept.setValue("bench", title)


def _is_there(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def lock_study(path: Path) -> QLockFile:
    """Hold a study for this window; `StudyFileError` where another window has it open, which is reported there too."""

    name = _name_of_lock(path)
    folder = _folder_of_locks()
    lock = QLockFile(str(folder / f"{name}.lock"))
    lock.setStaleLockTime(0)
    if not lock.tryLock(0):
        if lock.error() != QLockFile.LockError.LockFailedError:
            # without a folder for locks, edits are still saved to the study file
            return lock
        with contextlib.suppress(OSError):
            (folder / f"{name}.asked").touch()
        _, process, _, _ = lock.getLockInfo()
        raise StudyFileError(
            f"the study is open in another window already (process {process}).",
            where=str(path),
            remedy="Go on in that window, or close it first.",
        )
    return lock


def was_asked_again(path: Path) -> bool:
    """Whether someone tried to open this study again since the last call."""
    with contextlib.suppress(OSError):
        (_folder_of_locks() / f"{_name_of_lock(path)}.asked").unlink()
        return True
    return False


def _name_of_lock(path: Path) -> str:
    return hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:32]


def _folder_of_locks() -> Path:
    """Folder of the locks; the temporary folder if the desktop has none that can be written."""
    with warnings.catch_warnings():
        # if a folder cannot be used, another one is
        warnings.simplefilter("ignore")
        folder = Path(platformdirs.user_runtime_dir("tarnwater"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return Path(tempfile.gettempdir())
    return folder
