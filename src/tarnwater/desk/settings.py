"""What the window remembers of a person between two sittings, in the folders of the desktop standard."""

from __future__ import annotations

from pathlib import Path

import platformdirs
from PyQt6.QtCore import QByteArray, QLockFile, QSettings

from tarnwater.errors import StudyFileError

MOST_RECENT = 12


class Settings:
    """Recent studies, the look, and where the window stood."""

    def __init__(self) -> None:
        folder = Path(platformdirs.user_config_dir("tarnwater"))
        self._kept = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)

    @property
    def recent(self) -> list[Path]:
        """Studies opened lately, the last one first; those that are gone are left out."""
        kept = self._kept.value("recent", [], list) or []
        return [path for path in map(Path, kept) if path.exists()]

    def note_opened(self, path: Path) -> None:
        """Put a study first among the recent ones."""
        others = [p for p in self.recent if p != path.resolve()]
        self._kept.setValue("recent", [str(p) for p in (path.resolve(), *others)][:MOST_RECENT])

    @property
    def theme(self) -> str:
        """Name of the look."""
        return str(self._kept.value("theme", "light"))

    @theme.setter
    def theme(self, name: str) -> None:
        self._kept.setValue("theme", name)

    @property
    def geometry(self) -> QByteArray:
        """Where the window stood, as Qt writes it; empty the first time."""
        kept = self._kept.value("geometry")
        return kept if isinstance(kept, QByteArray) else QByteArray()

    @geometry.setter
    def geometry(self, kept: QByteArray) -> None:
        self._kept.setValue("geometry", kept)

    @property
    def bench(self) -> str:
        """Title of the bench last at work."""
        return str(self._kept.value("bench", ""))

    @bench.setter
    def bench(self, title: str) -> None:
        self._kept.setValue("bench", title)


def lock_study(path: Path) -> QLockFile:
    """Hold a study for this window; `StudyFileError` where another window has it open."""
    import hashlib

    name = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:32]
    folder = Path(platformdirs.user_runtime_dir("tarnwater", ensure_exists=True))
    lock = QLockFile(str(folder / f"{name}.lock"))
    lock.setStaleLockTime(0)
    if not lock.tryLock(0):
        _, process, _, _ = lock.getLockInfo()
        raise StudyFileError(
            f"the study is open in another window already (process {process}).",
            where=str(path),
            remedy="Go on in that window, or close it first.",
        )
    return lock
