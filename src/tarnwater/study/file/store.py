"""Opening and saving a study in either of its forms, by the suffix of its name."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tarnwater.errors import StudyFileError
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import refuse_what_cannot_be
from tarnwater.study.file import SUFFIX as FILE_SUFFIX
from tarnwater.study.file import StudyFile
from tarnwater.study.file.text import SUFFIX as TEXT_SUFFIX
from tarnwater.study.file.text import read_text_file, study_to_text
from tarnwater.study.file.writing import holding, make_whole, refuse_second_names, write_whole


def is_text(path: Path) -> bool:
    """Whether a name is that of the JSON form; `StudyFileError` if it is of neither form."""
    if path.name.endswith(TEXT_SUFFIX):
        return True
    if path.name.endswith(FILE_SUFFIX):
        return False
    raise StudyFileError(
        "the name of a study ends in " + FILE_SUFFIX + " (the study file) or " + TEXT_SUFFIX + " (JSON text).",
        where=str(path),
        remedy=f"Call it {path.name.split('.')[0]}{FILE_SUFFIX}.",
    )


def holds_text(path: Path) -> bool:
    """Whether a file has the JSON form, by its first bytes; `StudyFileError` if it does not exist."""
    where = str(path)
    if path.is_dir():
        raise StudyFileError("this is a folder.", where=where, remedy="Give the file of the study.")
    try:
        with path.open("rb") as raw:
            return raw.read(16).lstrip()[:1] == b"{"
    except FileNotFoundError as error:
        raise StudyFileError("there is no such file.", where=where, remedy="Check the name and the folder.") from error
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise StudyFileError(what, where=where, remedy="Check its name and its rights.") from error


def read_study(path: Path) -> tuple[Study, Blobs]:
    """Read a study of either form, by the content of the file; `StudyFileError` if it is not a study."""
    if holds_text(path):
        return read_text_file(path)
    with StudyFile.open(path) as file:
        return file.study, file.blobs


def create_study(path: Path, study: Study, blobs: Blobs) -> None:
    """Write a new study in the form of its name, completely or not at all; an existing file is refused."""
    if is_text(path):
        refuse_what_cannot_be(study)
        text = study_to_text(study, blobs)
        if os.path.lexists(path):
            raise StudyFileError("there is a file of that name.", where=str(path), remedy="Choose another name.")
        make_whole(path, lambda part: _write_text(part, text))
    else:
        StudyFile.create(path, study, blobs).close()


def _write_text(part: Path, text: str) -> None:
    part.write_text(text, encoding="utf-8")


def convert_study(path: Path, to: Path) -> list[str]:
    """Write a study in the other form; returns what is not converted, in words."""
    if is_text(path) or holds_text(path):
        create_study(to, *read_study(path))
        return []
    with StudyFile.open(path) as file:
        if not is_text(to):
            StudyFile.create(to, file.study, file.blobs, file.history.points.values()).close()
            acts, points = len(file.acts()), 0
        else:
            create_study(to, file.study, file.blobs)
            acts, points = len(file.acts()), len(file.history.points)
    lost = [f"the {acts} act{'s'[: acts > 1]} of its history"] if acts else []
    lost += [f"{points} named point{'s'[: points > 1]}"] if points else []
    return [f"{to.name} does not hold {' and '.join(lost)}; they stay in {path.name}."] if lost else []


def edit_study(path: Path, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> Study:
    """Make one edit on a study on the disk; the file is complete at any time.

    The study is held from reading to writing, so that edits of several programs are made one after the other and none
    is lost; `StorageError` if another program is still writing after some seconds.
    """
    return _edit_held(path, edit, lambda _: args, kwargs)


def edit_study_with_blobs(path: Path, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> Study:
    """As `edit_study`, for an edit that takes the study's blobs after the study."""
    return _edit_held(path, edit, lambda blobs: (blobs, *args), kwargs)


def _edit_held(
    path: Path, edit: Callable[..., Study], args: Callable[[Blobs], tuple[Any, ...]], kwargs: dict[str, Any]
) -> Study:
    if not holds_text(path):
        with StudyFile.editing(path) as file:
            return file.history.do(edit, *args(file.blobs), **kwargs)
    with holding(path):
        refuse_second_names(path)
        study, blobs = read_text_file(path)
        after: Study = edit(study, *args(blobs), **kwargs)
        refuse_what_cannot_be(after, study)
        write_whole(path, study_to_text(after, blobs))
        return after
