"""Writing files so that they are complete at any time, even if others write or the program is stopped.

A file is written under a temporary name beside its place, synchronised to the disk, and then renamed in one step; the
folder is synchronised too. The next write removes temporary files of killed programs.
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

#: Time to wait for another writer, s.
PATIENCE = 5.0

_PART = re.compile(r"\.(?P<name>.+)\.(?P<process>\d+)-[0-9a-f]{8}\.part(?:-journal)?")


def write_whole(path: Path, content: str | bytes) -> None:
    """Write a file in one step; the permissions of an older file and the target of a symbolic link are kept.

    Raises `StorageError` if the disk is full or the folder is not writable; an older file is then unchanged.
    """
    place = path.resolve()
    data = content.encode() if isinstance(content, str) else content
    with _translated(path), _part_of(place) as part:
        _write(part, data)
        _take_rights(place, part)
        os.replace(part, place)
        sync_folder(place.parent)


def make_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Make a new file in one step; ``write`` writes it to a given path.

    Raises `StudyFileError` if the file exists by then, so that only one of two creators succeeds.
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
        # on a file system without hard links: create the name first, then replace it
        os.close(os.open(path, os.O_CREAT | os.O_EXCL))
        os.replace(part, path)


@contextlib.contextmanager
def _part_of(place: Path) -> Iterator[Path]:
    """A temporary path beside a place, removed afterwards; those of killed programs are removed first."""
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
    """Remove temporary files of killed programs beside a place."""
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
    """Synchronise a folder to the disk, if the file system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _take_rights(place: Path, part: Path) -> None:
    """Give a temporary file the permissions of the file that it replaces, and its owner if allowed."""
    try:
        status = place.stat()
    except FileNotFoundError:
        return
    os.chmod(part, stat.S_IMODE(status.st_mode))
    with contextlib.suppress(OSError):
        os.chown(part, status.st_uid, status.st_gid)


def refuse_second_names(path: Path) -> None:
    """Raise `StorageError` for a file with a second name (a hard link), which a write would separate."""
    with contextlib.suppress(OSError):
        if path.stat().st_nlink > 1:
            raise StorageError(
                "the study has a second name (a hard link); a write through one of them could destroy it.",
                where=str(path),
                remedy="Copy it to a name of its own and go on with that.",
            )


@contextlib.contextmanager
def holding(path: Path) -> Iterator[None]:
    """Hold a file against other programs that write it in this way, after waiting for them up to `PATIENCE`.

    A write replaces the file, so the file that was waited for may no longer exist; the present one is then opened
    again.
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
            remedy="Free some disk space, or choose a folder that can be written.",
        ) from error


def make_folder(folder: Path) -> None:
    """Make a folder and its parents; `BadInput` if a file is in its place or it cannot be made."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError) as error:
        raise BadInput(
            "there is a file in the place of the folder.", where=str(folder), remedy="Name another folder."
        ) from error
    except OSError as error:
        raise StorageError(
            f"the folder cannot be made: {error.strerror}.", where=str(folder), remedy="Name another folder."
        ) from error
