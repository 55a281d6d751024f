"""Writing files so that they are whole at any time, whoever else writes and whatever stops the program.

A file is written beside its place under a name of its own, brought to the disk, and then put in its
place in one step; so is the folder's entry. What a killed program left beside a place is cleared by the
next write there.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import re
import secrets
import stat
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from tarnwater.errors import BadInput, StorageError, StudyFileError

#: How long another writer is waited for, s.
PATIENCE = 5.0

_PART = re.compile(r"\.(?P<name>.+)\.(?P<process>\d+)-[0-9a-f]{8}\.part(?:-journal)?")


def write_whole(path: Path, content: str | bytes) -> None:
    """Write a file in one step; an older one of that name keeps its rights, and a symbolic link its target.

    Raises `StorageError` where the disk is full or the folder cannot be written; an older file of
    that name stays as it was.
    """
    place = path.resolve()
    data = content.encode() if isinstance(content, str) else content
    with _translated(path), _part_of(place) as part:
        _write(part, data)
        _take_rights(place, part)
        os.replace(part, place)
        sync_folder(place.parent)


def make_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Make a new file in one step: ``write`` makes it at the path that it is given.

    Raises `StudyFileError` where there is a file of that name by then: of two that make one, one wins.
    """
    with _translated(path), _part_of(path) as part:
        write(part)
        _sync(part)
        try:
            _put_where_nothing_is(part, path)
        except FileExistsError as error:
            raise StudyFileError(
                "there is a file of that name.", where=str(path), remedy="Choose another name."
            ) from error
        sync_folder(path.parent)


def _put_where_nothing_is(part: Path, path: Path) -> None:
    try:
        os.link(part, path)
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK):
            raise
        # a file system without hard links: claim the name first, then take its place
        os.close(os.open(path, os.O_CREAT | os.O_EXCL))
        os.replace(part, path)


@contextlib.contextmanager
def _part_of(place: Path) -> Iterator[Path]:
    """A path beside a place, gone again afterwards; what killed programs left there is cleared first."""
    if len(place.name.encode()) > 200:
        raise BadInput("the name of the file is too long.", where=str(place), remedy="Choose a shorter one.")
    clear_parts(place)
    part = place.with_name(f".{place.name}.{os.getpid()}-{secrets.token_hex(4)}.part")
    try:
        yield part
    finally:
        for left in (part, part.with_name(f"{part.name}-journal")):
            with contextlib.suppress(OSError):
                left.unlink()


def clear_parts(place: Path) -> None:
    """Remove what programs that are gone left beside a place."""
    with contextlib.suppress(OSError):
        for entry in os.scandir(place.parent):
            found = _PART.fullmatch(entry.name)
            if found and found["name"] == place.name and not _runs(int(found["process"])):
                with contextlib.suppress(OSError):
                    os.unlink(entry.path)


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def _write(part: Path, data: bytes) -> None:
    with part.open("xb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _sync(part: Path) -> None:
    with part.open("rb") as file:
        os.fsync(file.fileno())


def sync_folder(folder: Path) -> None:
    """Bring the entries of a folder to the disk, where the file system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _take_rights(place: Path, part: Path) -> None:
    """Give a part the rights of the file that it will stand in for, and its owner where that may be."""
    try:
        status = place.stat()
    except FileNotFoundError:
        return
    os.chmod(part, stat.S_IMODE(status.st_mode))
    with contextlib.suppress(OSError):
        os.chown(part, status.st_uid, status.st_gid)


def refuse_second_names(path: Path) -> None:
    """Raise `StorageError` for a file with a second name (a hard link): a write would part or destroy the two."""
    with contextlib.suppress(OSError):
        if path.stat().st_nlink > 1:
            raise StorageError(
                "the study has a second name (a hard link); a write through one of them could destroy it.",
                where=str(path),
                remedy="Copy it to a name of its own and go on with that.",
            )


@contextlib.contextmanager
def holding(path: Path) -> Iterator[None]:
    """Hold a file against other programs that write it in this way; they are waited for, up to `PATIENCE`.

    Since a write puts another file in its place, what was waited for may be gone by then: the present
    one is taken up anew.
    """
    end = time.monotonic() + PATIENCE
    while True:
        with path.open("rb") as file:
            _wait_for(file.fileno(), path, end)
            with contextlib.suppress(FileNotFoundError):
                now, held = path.stat(), os.fstat(file.fileno())
                if (now.st_dev, now.st_ino) == (held.st_dev, held.st_ino):
                    yield
                    return


def _wait_for(handle: int, path: Path, end: float) -> None:
    pause = 0.002
    while True:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            if time.monotonic() > end:
                raise StorageError(
                    f"another program has been writing to the study for {PATIENCE:g} s; nothing was changed.",
                    where=str(path),
                    remedy="Try again.",
                ) from error
            time.sleep(pause)
            pause = min(2 * pause, 0.02)
        else:
            return


@contextlib.contextmanager
def _translated(path: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise StorageError(
            f"the file cannot be written: {error.strerror}. What was there before is unharmed.",
            where=str(path),
            remedy="Free some room, or choose a folder that can be written.",
        ) from error


def make_folder(folder: Path) -> None:
    """Make a folder with those above it; `BadInput` where a file stands in its place or it cannot be made."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError) as error:
        raise BadInput(
            "a file stands where the folder should be.", where=str(folder), remedy="Name another folder."
        ) from error
    except OSError as error:
        raise StorageError(
            f"the folder cannot be made: {error.strerror}.", where=str(folder), remedy="Name another folder."
        ) from error
