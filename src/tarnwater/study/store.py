"""Opening and saving a study in either of its forms, by the ending of its name."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from tarnwater.errors import StudyFileError
from tarnwater.study.blobs import Blobs
from tarnwater.study.document import Study
from tarnwater.study.file import SUFFIX as FILE_SUFFIX
from tarnwater.study.file import StudyFile
from tarnwater.study.findings import Finding, Remedy
from tarnwater.study.text import SUFFIX as TEXT_SUFFIX
from tarnwater.study.text import read_text_file, said_of_text, study_to_text, write_whole


def is_text(path: Path) -> bool:
    """Whether a name is that of the JSON form; `StudyFileError` where it is of neither."""
    if path.name.endswith(TEXT_SUFFIX):
        return True
    if path.name.endswith(FILE_SUFFIX):
        return False
    raise StudyFileError(
        "the name of a study ends in " + FILE_SUFFIX + " (the study file) or " + TEXT_SUFFIX + " (JSON text).",
        where=str(path),
        remedy=f"Call it {path.name.split('.')[0]}{FILE_SUFFIX}.",
    )


def read_study(path: Path) -> tuple[Study, Blobs]:
    """Read a study of either form, by what the file holds; `StudyFileError` where it is none."""
    if not path.is_file():
        raise StudyFileError("there is no such file.", where=str(path), remedy="Check the name and the folder.")
    with path.open("rb") as raw:
        start = raw.read(16)
    if start.lstrip()[:1] == b"{":
        return read_text_file(path)
    with StudyFile.open(path) as file:
        return file.study, file.blobs


def findings_of_file(path: Path) -> list[Finding]:
    """What is to be said of the file itself: an older format, feature layers that another program changed."""
    with path.open("rb") as raw:
        is_json = raw.read(16).lstrip()[:1] == b"{"
    if is_json:
        return said_of_file(said_of_text(path), ())
    with StudyFile.open(path) as file:
        return said_of_file(file.said_of_older, file.layers_changed_outside)


def said_of_file(of_older: Iterable[str], layers: Iterable[str]) -> list[Finding]:
    """Findings of a file from what is said of its older format and the layers changed outside."""
    older = [
        Finding("older-format", "note", text, (Remedy("It is written in the present format with the next edit."),))
        for text in of_older
    ]
    changed = [
        Finding(
            "layer-changed-outside",
            "doubt",
            f"the layer {layer} was changed by another program; the study does not follow it.",
            (Remedy("Type the change into the study, where it is meant."),),
        )
        for layer in layers
    ]
    return [*older, *changed]


def create_study(path: Path, study: Study, blobs: Blobs) -> None:
    """Write a new study of the form its name says; an existing file is refused."""
    if path.exists():
        raise StudyFileError("there is a file of that name.", where=str(path), remedy="Choose another name.")
    if is_text(path):
        write_whole(path, study_to_text(study, blobs))
    else:
        StudyFile.create(path, study, blobs).close()


def edit_study(path: Path, edit: Any, *args: Any, **kwargs: Any) -> Study:
    """Make one edit on a study on the disk; it is whole before, during and after."""
    study, blobs = read_study(path)
    if is_text(path):
        study = edit(study, *args, **kwargs)
        write_whole(path, study_to_text(study, blobs))
        return study
    with StudyFile.open(path) as file:
        return file.history.do(edit, *args, **kwargs)
