"""What is kept across studies: what values of maps mean, names of covers in other programs, and classes of cover."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import platformdirs

from tarnwater.cover import CoverClass
from tarnwater.study.document.cover import HOLDS, Holds
from tarnwater.study.file.writing import make_folder, write_whole

#: Bytes of the file, at most: more was not written by this program.
MOST_BYTES = 20_000_000


@dataclass(frozen=True)
class Kept:
    """What a person keeps across studies.

    ``meanings`` are, for each kind of map, the meanings of values; ``names_out`` the names of covers as other programs
    want them; ``classes`` own and edited classes.
    """

    meanings: Mapping[Holds, Mapping[str, str]] = field(default_factory=dict)
    names_out: Mapping[str, str] = field(default_factory=dict)
    classes: Mapping[str, CoverClass] = field(default_factory=dict)
    unreadable: tuple[str, ...] = ()

    def of(self, holds: Holds) -> Mapping[str, str]:
        """Meanings of the values of one kind of map."""
        return self.meanings.get(holds, {})

    def with_meanings(self, holds: Holds, meanings: Mapping[str, str]) -> Kept:
        """The same with more meanings; values that mean nothing are forgotten."""
        known = {**self.of(holds), **meanings}
        return replace(self, meanings={**self.meanings, holds: {v: means for v, means in known.items() if means}})

    def with_class(self, cover: CoverClass) -> Kept:
        """The same with a class, in place of one of its name."""
        return replace(self, classes={**self.classes, cover.name: cover})

    def without_class(self, name: str) -> Kept:
        """The same without a class."""
        return replace(self, classes={key: one for key, one in self.classes.items() if key != name})

    def with_name_out(self, cover: str, name: str) -> Kept:
        """The same with the name of a cover in other programs; an empty one is forgotten."""
        names = {**self.names_out, cover: name.strip()}
        return replace(self, names_out={key: one for key, one in names.items() if one and one != key})


def kept_file() -> Path:
    """Path of the file that is kept for the person."""
    return Path(platformdirs.user_data_dir("tarnwater")) / "cover.json"


def read_kept(path: Path | None = None) -> Kept:
    """What is kept; entries that cannot be read are left out and named, and nothing is written over."""
    path = path or kept_file()
    try:
        if path.stat().st_size > MOST_BYTES:
            return Kept(unreadable=(f"{path} is too large",))
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return Kept()
    except (OSError, ValueError, RecursionError) as error:
        return Kept(unreadable=(f"{path} ({error})",))
    if not isinstance(data, dict):
        return Kept(unreadable=(str(path),))
    bad: list[str] = []
    meanings = {holds: _texts(_part(data.get("meanings"), holds), bad) for holds in HOLDS}
    classes = {}
    for name, entry in _entries(data.get("classes")):
        try:
            one = CoverClass.model_validate(entry)
            classes[one.name] = one
        except (ValueError, TypeError, ArithmeticError):
            bad.append(name)
    return Kept(meanings, _texts(data.get("names_out"), bad), classes, tuple(bad))


def write_kept(kept: Kept, path: Path | None = None) -> None:
    """Write what is kept, in one step; `StorageError` if it cannot be written.

    A file that cannot be read is set aside first, so that nothing in it is lost.
    """
    path = path or kept_file()
    make_folder(path.parent)
    if path.exists() and kept.unreadable:
        path.replace(path.with_suffix(".unreadable.json"))
    content = {
        "meanings": {holds: dict(sorted(kept.of(holds).items())) for holds in HOLDS},
        "names_out": dict(sorted(kept.names_out.items())),
        "classes": {name: one.model_dump(mode="json", exclude_none=True) for name, one in sorted(kept.classes.items())},
    }
    write_whole(path, json.dumps(content, ensure_ascii=False, indent=1) + "\n")


def _entries(part: Any) -> list[tuple[str, Any]]:
    return [(str(key), one) for key, one in part.items()] if isinstance(part, dict) else []


def _part(part: Any, key: str) -> Any:
    return part.get(key) if isinstance(part, dict) else None


def _texts(part: Any, bad: list[str]) -> dict[str, str]:
    """Pairs of texts; others are named in ``bad``."""
    found = {}
    for key, one in _entries(part):
        if isinstance(one, str):
            found[key] = one
        else:
            bad.append(key)
    return found
