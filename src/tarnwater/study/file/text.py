"""The study as one JSON text (``*.tarn.json``), for scripts and differences."""

from __future__ import annotations

import base64
import binascii
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

from tarnwater.errors import StudyFileError
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import BlobKind, Blobs
from tarnwater.study.document.plain import MOST_BYTES, plain_from_text
from tarnwater.study.file.migrations import said_of_older, study_of_any_format

SUFFIX = ".tarn.json"

#: Bytes of a text with its grids that are read at once.
MOST_WITH_DATA = 256 << 20

_DIGEST = re.compile(r"[0-9a-f]{32}")


def study_to_text(study: Study, blobs: Blobs) -> str:
    """The document, with the data that it refers to under ``data``, in base 64."""
    document = study.as_dict()
    named = set(_DIGEST.findall(study.as_line()))
    used = sorted(digest for digest in blobs if digest in named)
    if used:
        document["data"] = {
            digest: {"kind": blobs[digest].kind, "base64": base64.b64encode(blobs[digest].data).decode()}
            for digest in used
        }
    return json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False) + "\n"


def study_from_text(text: str, where: str = "") -> tuple[Study, Blobs]:
    """Read a study from JSON text, migrated where it is older; `StudyFileError` where it is not one."""
    document = plain_from_text(text, where, most=MOST_WITH_DATA)
    data = document.pop("data", {})
    if sum(map(len, _strings(data))) + MOST_BYTES < len(text):
        raise StudyFileError("the study is too large to be read.", where=where, remedy="Restore it from a copy.")
    return study_of_any_format(document, where), _blobs(data, where)


def _strings(data: Any) -> Iterator[str]:
    if isinstance(data, dict):
        for blob in data.values():
            if isinstance(blob, dict) and isinstance(blob.get("base64"), str):
                yield blob["base64"]


def _blobs(data: Any, where: str) -> Blobs:
    blobs = Blobs()
    remedy = "Restore the file from a copy."
    if not isinstance(data, dict):
        raise StudyFileError("the value of “data” holds no data.", where=where, remedy=remedy)
    for digest, blob in data.items():
        known = isinstance(blob, dict) and blob.get("kind") in get_args(BlobKind)
        try:
            held = base64.b64decode(blob["base64"], validate=True) if known else b""
        except (KeyError, TypeError, ValueError, binascii.Error):
            known = False
        if not known or blobs.add(blob["kind"], held) != digest:
            raise StudyFileError(f"the data {digest[:40]} is damaged.", where=where, remedy=remedy)
    return blobs


def read_text(path: Path) -> str:
    """The text of a ``*.tarn.json`` file; `StudyFileError` where it is not one, or too large."""
    try:
        if path.stat().st_size > MOST_WITH_DATA:
            size = path.stat().st_size >> 20
            what = f"the study is too large to be read ({size} MB; at most {MOST_WITH_DATA >> 20})."
            raise StudyFileError(what, where=str(path), remedy="Restore it from a copy.")
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise StudyFileError("the file holds no text.", where=str(path), remedy="Open a Tarnwater study.") from error
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise StudyFileError(what, where=str(path), remedy="Check its name and its rights.") from error


def read_text_file(path: Path) -> tuple[Study, Blobs]:
    """Read a ``*.tarn.json`` file."""
    return study_from_text(read_text(path), str(path))


def said_of_text(path: Path) -> tuple[str, ...]:
    """What is said of a ``*.tarn.json`` file of an older format when it is opened."""
    return said_of_older(plain_from_text(read_text(path), str(path), most=MOST_WITH_DATA), str(path))
