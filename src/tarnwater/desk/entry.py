"""A place among the programs of the desktop: entry, icon and file type, in the person's own data folders."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from tarnwater.errors import StorageError
from tarnwater.study.file import SUFFIX

MIME_TYPE = "application/vnd.tarnwater.study"

ENTRY = f"""[Desktop Entry]
Type=Application
Version=1.5
Name=Tarnwater
GenericName=Flood hydrology
Comment=From terrain and rain to hydrographs and peak flows, every number with its reckoning
Exec=@program@ window %f
TryExec=@program@
Icon=tarnwater
Terminal=false
Categories=Science;Engineering;Education;
Keywords=hydrology;flood;catchment;hydrograph;rainfall;runoff;
MimeType={MIME_TYPE};
StartupWMClass=tarnwater
"""

FILE_TYPE = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{MIME_TYPE}">
    <comment>Tarnwater study</comment>
    <sub-class-of type="application/geopackage+sqlite3"/>
    <glob pattern="*{SUFFIX}" weight="70"/>
    <icon name="tarnwater"/>
  </mime-type>
</mime-info>
"""

ICON = Path(__file__).parent / "icon" / "tarnwater.svg"


def data_folder() -> Path:
    """Folder of a person's data, as the desktop standard names it."""
    chosen = os.environ.get("XDG_DATA_HOME", "")
    return Path(chosen) if chosen.startswith("/") else Path.home() / ".local" / "share"


def files_of(folder: Path, program: str) -> dict[Path, str]:
    """What stands in which file under a data folder."""
    return {
        folder / "applications" / "tarnwater.desktop": ENTRY.replace("@program@", quoted(program)),
        folder / "mime" / "packages" / "tarnwater.xml": FILE_TYPE,
        folder / "icons" / "hicolor" / "scalable" / "apps" / "tarnwater.svg": ICON.read_text(encoding="utf-8"),
    }


def quoted(program: str) -> str:
    """A path as the Exec line of an entry wants it, quoted where it holds more than plain letters.

    >>> quoted("/opt/tarn water/bin/tarnwater")
    '"/opt/tarn water/bin/tarnwater"'
    """
    if all(letter.isalnum() or letter in "/._-+" for letter in program):
        return program
    for letter in '\\"`$':
        program = program.replace(letter, f"\\{letter}")
    return f'"{program.replace("%", "%%")}"'


def install() -> list[Path]:
    """Put entry, file type and icon where the desktop looks, and answer the files; `StorageError` where it cannot."""
    folder = data_folder()
    made = files_of(folder, program_path())
    for path, text in made.items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as error:
            raise StorageError(f"the file cannot be written ({error.strerror}).", where=str(path)) from error
    _tell_the_desktop(folder)
    return list(made)


def remove() -> list[Path]:
    """Take them away again, and answer those that were there."""
    folder = data_folder()
    gone = [path for path in files_of(folder, program_path()) if path.exists()]
    for path in gone:
        path.unlink()
    _tell_the_desktop(folder)
    return gone


def program_path() -> str:
    """Path of the command that this program was started by, or stands beside its Python."""
    beside = Path(sys.executable).with_name("tarnwater")
    return str(beside) if beside.exists() else shutil.which("tarnwater") or "tarnwater"


def _tell_the_desktop(folder: Path) -> None:
    """Have the desktop read its folders anew where its tools are there; without them it does so in its own time."""
    for tool, own in (("update-mime-database", folder / "mime"), ("update-desktop-database", folder / "applications")):
        if shutil.which(tool) and own.is_dir():
            with contextlib.suppress(OSError, subprocess.SubprocessError):
                subprocess.run([tool, str(own)], capture_output=True, timeout=20, check=False)
