"""Writing to the terminal: lines, tables, progress of long work."""

from __future__ import annotations

import getpass
import sys
import threading
import unicodedata
from collections.abc import Callable, Sequence
from typing import TypeVar

import typer

from tarnwater.errors import Cancelled
from tarnwater.progress import Progress

T = TypeVar("T")


def echo(text: str = "", *, err: bool = False) -> None:
    """Write a line without control characters, whatever the names and notes of a study contain."""
    typer.echo("".join(c if c in "\n\t" or unicodedata.category(c) not in ("Cc", "Cf") else "�" for c in text), err=err)


def aside(title: str, work: Callable[[Progress], T]) -> T:
    """Do long work in another thread, with a progress line on a terminal; Ctrl-C cancels it at once."""
    from rich.console import Console
    from rich.progress import BarColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    answer: list[T] = []
    trouble: list[BaseException] = []
    bar = Bar(
        TextColumn("{task.description}"),
        BarColumn(),
        TimeRemainingColumn(),
        console=Console(stderr=True),
        transient=True,
        disable=not sys.stderr.isatty(),
    )
    task = bar.add_task(title, total=1.0)
    progress = Progress(lambda stage, share: bar.update(task, description=f"{title}: {stage}", completed=share))

    def run() -> None:
        try:
            answer.append(work(progress))
        except BaseException as error:
            trouble.append(error)

    worker = threading.Thread(target=run, daemon=True)
    with bar:
        worker.start()
        try:
            while worker.is_alive():
                worker.join(0.05)
        except KeyboardInterrupt:
            progress.cancel()
            worker.join()
            raise Cancelled from None
    if trouble:
        raise trouble[0]
    return answer[0]


def print_table(rows: Sequence[Sequence[str]]) -> None:
    """Write rows in columns, the first one as heads, figures to the right."""
    widths = [max(len(row[c]) for row in rows) for c in range(len(rows[0]))]
    for number, row in enumerate(rows):
        cells = [row[0].ljust(widths[0]), *(t.rjust(w) for t, w in zip(row[1:], widths[1:], strict=True))]
        echo("  ".join(cells).rstrip())
        if number == 0:
            echo("  ".join("-" * w for w in widths).rstrip())


def stamp() -> dict[str, str]:
    """Who types a value, and when."""
    from tarnwater.study.file import now

    try:
        by = getpass.getuser()
    except OSError:
        by = ""
    return {"by": by, "at": now()}
