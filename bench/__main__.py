"""``python -m bench [terrain] [engine] [works] [values] [window] [overlay] [rain] [--pairs N]``."""

from __future__ import annotations

import argparse
import importlib
import platform

import numba
import numpy as np
import scipy

WORKS = ("terrain", "engine", "works", "values", "window", "overlay", "rain")


def main() -> None:
    reader = argparse.ArgumentParser(description="Measure the program against stated bases, in interleaved pairs.")
    reader.add_argument("works", nargs="*", default=WORKS, help=f"of {', '.join(WORKS)}; all by default")
    reader.add_argument("--pairs", type=int, default=7)
    asked = reader.parse_args()
    print(f"{platform.processor() or platform.machine()}, Python {platform.python_version()}, NumPy {np.__version__}, "
          f"SciPy {scipy.__version__}, Numba {numba.__version__}")  # fmt: skip
    for work in asked.works:
        for line in importlib.import_module(f"bench.{work}").run(asked.pairs):
            print(line, flush=True)


if __name__ == "__main__":
    main()
