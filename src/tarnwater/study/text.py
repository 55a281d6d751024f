"""The study as one JSON text (``*.tarn.json``), for scripts and differences."""

from __future__ import annotations

import base64
import json
import os
import tempfile
from pathlib import Path
from typing import Any

from tarnwater.errors import StorageError, StudyFileError
from tarnwater.study.blobs import Blobs
from tarnwater.study.document import Study, study_from
from tarnwater.study.migrations import migrated, said_of_older

SUFFIX = ".tarn.json"


def study_to_text(study: Study, blobs: Blobs) -> str:
    """The document, and under ``data`` what it refers to by digest, in base 64."""
    document = study.as_dict()
    used = sorted(digest for digest in blobs if digest in json.dumps(document))
    if used:
        document["data"] = {
            digest: {"kind": blobs[digest].kind, "base64": base64.b64encode(blobs[digest].data).decode()}
            for digest in used
        }
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def study_from_text(text: str, where: str = "") -> tuple[Study, Blobs]:
    """Read a study from JSON text, migrated where it is older; `StudyFileError` where it is none."""
    try:
        document: Any = json.loads(text)
    except json.JSONDecodeError as error:
        raise StudyFileError(
            f"the text is no whole JSON: {error.msg} in line {error.lineno}, column {error.colno}.",
            where=where,
            remedy="Restore the file from a copy, or correct that line.",
        ) from None
    if not isinstance(document, dict):
        raise StudyFileError("this is no study.", where=where, remedy="Open a Tarnwater study.")
    blobs = Blobs()
    for digest, blob in document.pop("data", {}).items():
        if blobs.add(blob["kind"], base64.b64decode(blob["base64"])) != digest:
            raise StudyFileError(f"the data {digest} is damaged.", where=where, remedy="Restore the file from a copy.")
    return study_from(migrated(document, where)), blobs


def write_whole(path: Path, content: str | bytes) -> None:
    """Write a file so that it is whole at any time: beside it first, then in its place.

    Raises `StorageError` where the disk is full or the folder cannot be written; an older file of
    that name stays as it was.
    """
    data = content.encode() if isinstance(content, str) else content
    temporary = None
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=f".{path.name}.", delete=False) as file:
            temporary = file.name
            os.chmod(temporary, _usual_rights())
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None and os.path.exists(temporary):
            os.unlink(temporary)
        raise StorageError(
            f"the file cannot be written: {error.strerror}. What was there before is unharmed.",
            where=str(path),
            remedy="Free some room, or choose a folder that can be written.",
        ) from None


def _usual_rights() -> int:
    """Rights a new file would have had, or those of the person's mask."""
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def read_text_file(path: Path) -> tuple[Study, Blobs]:
    """Read a ``*.tarn.json`` file."""
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise StudyFileError("the file holds no text.", where=str(path), remedy="Open a Tarnwater study.") from None
    return study_from_text(text, str(path))


def said_of_text(path: Path) -> tuple[str, ...]:
    """What is said of a ``*.tarn.json`` file of an older format when it is opened."""
    document: Any = json.loads(path.read_text(encoding="utf-8"))
    return said_of_older(document, str(path))
