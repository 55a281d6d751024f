"""Depths and patterns that a person keeps across studies."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import platformdirs
from pydantic import TypeAdapter

from tarnwater.errors import BadInput
from tarnwater.rain.depth_equation import AnyDepths
from tarnwater.rain.depths import Depths
from tarnwater.rain.patterns import MassCurve
from tarnwater.study.file.kept import MOST_BYTES
from tarnwater.study.file.writing import make_folder, write_whole


@dataclass(frozen=True)
class KeptRain:
    """Depths by name, and patterns by the name of their set: one curve, or those of an ensemble.

    ``unreadable`` are entries that could not be read; they are not lost, see `write_kept_rain`.
    """

    depths: Mapping[str, Depths] = field(default_factory=dict)
    patterns: Mapping[str, tuple[MassCurve, ...]] = field(default_factory=dict)
    unreadable: tuple[str, ...] = ()

    def with_depths(self, name: str, depths: Depths) -> KeptRain:
        """The same with depths, in place of those of the name."""
        return replace(self, depths={**self.depths, name: depths})

    def with_patterns(self, name: str, curves: tuple[MassCurve, ...]) -> KeptRain:
        """The same with patterns, in place of those of the name."""
        return replace(self, patterns={**self.patterns, name: curves})

    def without(self, name: str) -> KeptRain:
        """The same without the depths and patterns of a name."""
        depths = {key: one for key, one in self.depths.items() if key != name}
        patterns = {key: one for key, one in self.patterns.items() if key != name}
        return replace(self, depths=depths, patterns=patterns)


def kept_rain_file() -> Path:
    """Path of the file that is kept for the person."""
    return Path(platformdirs.user_data_dir("tarnwater")) / "rain.json"


def read_kept_rain(path: Path | None = None) -> KeptRain:
    """What is kept; entries that cannot be read are left out and named."""
    path = path or kept_rain_file()
    try:
        if path.stat().st_size > MOST_BYTES:
            return KeptRain(unreadable=(f"{path} is too large",))
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return KeptRain()
    except (OSError, ValueError, RecursionError) as error:
        return KeptRain(unreadable=(f"{path} ({error})",))
    if not isinstance(data, dict):
        return KeptRain(unreadable=(str(path),))
    bad: list[str] = []
    depths = _read_all(data.get("depths"), TypeAdapter(AnyDepths), bad)
    patterns = _read_all(data.get("patterns"), TypeAdapter(tuple[MassCurve, ...]), bad)
    return KeptRain(depths, {name: curves for name, curves in patterns.items() if curves}, tuple(bad))


def _read_all(part: Any, reader: TypeAdapter[Any], bad: list[str]) -> dict[str, Any]:
    found = {}
    for name, entry in part.items() if isinstance(part, dict) else ():
        try:
            found[str(name)] = reader.validate_python(entry)
        except (ValueError, TypeError, ArithmeticError, BadInput):
            bad.append(str(name))
    return found


def write_kept_rain(kept: KeptRain, path: Path | None = None) -> None:
    """Write what is kept, in one step; `StorageError` if it cannot be written.

    A file that cannot be read is set aside first, so that nothing in it is lost.
    """
    path = path or kept_rain_file()
    make_folder(path.parent)
    if path.exists() and kept.unreadable:
        path.replace(path.with_suffix(".unreadable.json"))
    content = {
        "depths": {name: one.model_dump(mode="json", exclude_none=True) for name, one in sorted(kept.depths.items())},
        "patterns": {
            name: [curve.model_dump(mode="json", exclude_none=True) for curve in curves]
            for name, curves in sorted(kept.patterns.items())
        },
    }
    write_whole(path, json.dumps(content, ensure_ascii=False, indent=1) + "\n")
