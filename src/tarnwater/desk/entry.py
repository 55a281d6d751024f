"""Integration in the desktop: entry, icon and file type, in the person's data folders."""

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
    """Contents of the files under a data folder."""
    return {
        folder / "applications" / "tarnwater.desktop": ENTRY.replace("@program@", quoted(program)),
        folder / "mime" / "packages" / "tarnwater.xml": FILE_TYPE,
        folder / "icons" / "hicolor" / "scalable" / "apps" / "tarnwater.svg": ICON.read_text(encoding="utf-8"),
    }


def quoted(program: str) -> str:
    """A path for the Exec line of an entry, quoted if it has other than plain letters.

    >>> quoted("/opt/tarn water/bin/tarnwater")
    '"/opt/tarn water/bin/tarnwater"'
    """
    if all(letter.isalnum() or letter in "/._-+" for letter in program):
        return program
    for letter in '\\"`$':
        program = program.replace(letter, f"\\{letter}")
    return f'"{program.replace("%", "%%")}"'


def install() -> list[Path]:
    """Write entry, file type and icon to the folders of the desktop, and return the files.

    `StorageError` if it cannot.
    """
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
    """Remove these files, and return those that existed."""
    folder = data_folder()
    gone = [path for path in files_of(folder, program_path()) if path.exists()]
    for path in gone:
        path.unlink()
    _tell_the_desktop(folder)
    return gone


def program_path() -> str:
    """Path of the command that started this program, or of the one beside its Python."""
    beside = Path(sys.executable).with_name("tarnwater")
    return str(beside) if beside.exists() else shutil.which("tarnwater") or "tarnwater"


def _tell_the_desktop(folder: Path) -> None:
    """Tell the desktop to read its folders again, if its tools exist; otherwise it does so later."""
    for tool, own in (("update-mime-database", folder / "mime"), ("update-desktop-database", folder / "applications")):
        if shutil.which(tool) and own.is_dir():
            with contextlib.suppress(OSError, subprocess.SubprocessError):
                subprocess.run([tool, str(own)], capture_output=True, timeout=20, check=False)
